"""The cup on its way: water and coffee by ratio, when to break and skim, and when it is tasted.

Grams, times and stages are the published cupping protocols' and common practice: about 55 g/L, steep of 3:30 to 4:00, tasting
from about eight minutes down to cool.
"""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.words import tr

#: Coffee to water, and the water of a cup, to begin with. [g/L], [mL]
USUAL_RATIO, USUAL_ML = 55.0, 150.0


@dataclass(frozen=True)
class Step:
    """One step after the pour: when it begins [s], what is done, and its short name."""

    at_s: float
    words: str
    name: str


STEPS = (
    Step(0.0, tr("Steep: smell the wet crust"), "break"),
    Step(240.0, tr("Break the crust, three strokes, nose close"), "skim"),
    Step(270.0, tr("Skim both spoons clean"), tr("taste hot")),
    Step(480.0, tr("Taste hot"), tr("taste warm")),
    Step(780.0, tr("Taste warm"), tr("taste cool")),
    Step(1260.0, tr("Taste cool, then it is done"), ""),
)
#: After this nobody tastes any more. [s]
OVER_S = 1800.0


@dataclass(frozen=True)
class SteepCue:
    """What is done now, and what comes when: seconds to the next step, None after the last."""

    now: str
    following: str
    left_s: float | None


def steep_cue(since_s: float) -> SteepCue:
    """The step that runs so long after the pour. [s]"""
    running = max((step for step in STEPS if step.at_s <= since_s), key=lambda step: step.at_s, default=STEPS[0])
    later = next((step for step in STEPS if step.at_s > since_s), None)
    return SteepCue(running.words, running.name, later.at_s - since_s if later is not None else None)


@dataclass(frozen=True)
class Recipe:
    """Coffee for a cup [g], for all cups of one coffee [g], and water for the whole table [L]."""

    cup_g: float
    coffee_g: float
    water_l: float


def recipe(coffees: int, cups: int, ml: float = USUAL_ML, ratio: float = USUAL_RATIO) -> Recipe:
    """What a table takes.

    Parameters
    ----------
    coffees, cups : on the table, and of each.
    ml, ratio : water of a cup [mL], coffee to water [g/L].

    Raises
    ------
    ValueError : if there is nothing to pour.

    Examples
    --------
    >>> recipe(4, 2).cup_g
    8.25
    """
    if coffees < 1 or cups < 1 or ml <= 0 or ratio <= 0:
        raise ValueError(tr("{} coffees in {} cups of {:g} mL at {:g} g/L cannot be poured.", coffees, cups, ml, ratio))
    cup_g = round(ratio * ml / 1000.0, 2)
    return Recipe(cup_g, round(cup_g * cups, 1), round(coffees * cups * ml / 1000.0, 2))
