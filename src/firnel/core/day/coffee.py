"""What is sold: a coffee of one lot or a blend of several, with its packs and its rest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from firnel.core.words import later, tr

#: Shares of a blend may miss the whole by this much, as they are typed.
SHARES_WITHIN = 0.0005
#: Rest after the roast, until ready and until past; common practice, no published source. [days]
READY_DAYS, PAST_DAYS = 3, 42
#: Packs that are usual. [kg]
USUAL_PACKS_KG = (0.25, 1.0, 5.0)
#: Green lots that differ by more than this do not roast evenly together; common practice, no published source.
#: Moisture (share of mass), density [g/L], bean size [mm], and below which moisture a lot is dry.
MOISTURE_APART, DENSITY_APART, SIZE_APART, DRY = 0.015, 40.0, 0.8, 0.095
LONGEST_NAME = 80
#: From this share on a component is a main one.
MAIN_SHARE = 0.4


class Level(StrEnum):
    """How dark a coffee is roasted, the lightest first."""

    LIGHT = "light"
    MEDIUM = "medium"
    DARK = "dark"

    @property
    def rank(self) -> int:
        """0 for the lightest."""
        return list(Level).index(self)


class Blending(StrEnum):
    """When the components of a blend come together."""

    ROASTED = "after the roast"
    GREEN = "before the roast"


class Rest(StrEnum):
    """How long a roasted coffee has rested."""

    FRESH = "too fresh"
    READY = "ready"
    PAST = "past"


class CoffeeError(ValueError):
    """A coffee that makes no sense; the message says what is wrong with it."""


@dataclass(frozen=True)
class Component:
    """A lot in a coffee: its share of the roasted weight (of the green one where green is blended), and its plans.

    ``plans`` are ids, one for each machine that may roast it; of green blended before, those of the first component count.
    """

    lot: str
    share: float = 1.0
    plans: tuple[int, ...] = ()


@dataclass(frozen=True)
class Coffee:
    """What is sold, from which lots, by which plans, in which packs [kg], and from when to when it is at its best [days]."""

    name: str
    components: tuple[Component, ...]
    blending: Blending = Blending.ROASTED
    level: Level = Level.MEDIUM
    last: bool = False  #: decaffeinated or flavoured: roasted after all others
    packs_kg: tuple[float, ...] = USUAL_PACKS_KG
    ready_days: int = READY_DAYS
    past_days: int = PAST_DAYS
    id: int | None = None
    version: int = 1
    archived: bool = False

    @property
    def blend(self) -> bool:
        """Whether it is of several lots."""
        return len(self.components) > 1

    def rest(self, days: float) -> Rest:
        """How it is so many days after its roast."""
        return Rest.FRESH if days < self.ready_days else Rest.READY if days <= self.past_days else Rest.PAST


@dataclass(frozen=True)
class _Look:
    """What is compared between two lots: from how much on, which of them is told (the higher, or the lower), and how."""

    name: str
    apart: float
    word: str
    sign: float
    words: str
    scale: float = 1.0


LOOKS = (
    _Look("moisture", MOISTURE_APART, tr("drier"), -1.0, later("{:.1f} points of moisture"), 100.0),
    _Look("density_g_per_l", DENSITY_APART, tr("denser"), 1.0, later("{:.0f} g/L")),
    _Look("mean_mm", SIZE_APART, tr("larger"), 1.0, later("{:.1f} mm")),
)


@dataclass(frozen=True)
class GreenFacts:
    """What of a lot bears on how it roasts beside others; None where it was not measured."""

    lot: str
    moisture: float | None = None
    density_g_per_l: float | None = None
    mean_mm: float | None = None
    process: str = ""


def check_coffee(coffee: Coffee) -> None:
    """Refuse what cannot be roasted or sold.

    Raises
    ------
    CoffeeError : with a sentence on what is wrong.
    """
    if not coffee.name.strip():
        raise CoffeeError(tr("a coffee needs a name."))
    if len(coffee.name) > LONGEST_NAME or not coffee.name.isprintable():
        raise CoffeeError(tr("the name of a coffee has at most {} letters, and none that cannot be seen.", LONGEST_NAME))
    if not coffee.components:
        raise CoffeeError(tr("{} has no lot: name at least one.", coffee.name))
    shares = [component.share for component in coffee.components]
    if any(not math.isfinite(share) or share <= 0.0 for share in shares):
        raise CoffeeError(tr("each share of {} must be more than 0 %.", coffee.name))
    if abs(sum(shares) - 1.0) > SHARES_WITHIN:
        raise CoffeeError(tr("the shares of {} come to {:.4g} %, not to 100 %.", coffee.name, 100.0 * sum(shares)))
    lots = [component.lot for component in coffee.components]
    twice = next((lot for lot in lots if lots.count(lot) > 1), None)
    if twice is not None:
        raise CoffeeError(tr("{} is in {} twice: give it one share.", twice, coffee.name))
    if any(not math.isfinite(pack) or pack <= 0.0 for pack in coffee.packs_kg):
        raise CoffeeError(tr("each pack of {} must weigh more than 0 g.", coffee.name))
    if not 0 <= coffee.ready_days <= coffee.past_days:
        raise CoffeeError(tr("{} cannot be past its best before it is ready.", coffee.name))


def misfits(coffee: Coffee, facts: Sequence[GreenFacts]) -> list[str]:
    """What does not go together in one drum, in sentences; empty where the lots are roasted apart.

    Parameters
    ----------
    coffee : of green that is blended before the roast.
    facts : of its lots, in any order; what was not measured is not judged.
    """
    if coffee.blending is not Blending.GREEN or not coffee.blend:
        return []
    known = {fact.lot: fact for fact in facts}
    shares = {component.lot: component.share for component in coffee.components}
    said: list[str] = []
    for fact in (known[lot] for lot in shares if lot in known):
        if fact.moisture is not None and fact.moisture < DRY and shares[fact.lot] >= MAIN_SHARE:
            said.append(tr("{} is dry ({:.1f} % moisture): not for a main component.", fact.lot, 100 * fact.moisture))
    pairs = [(one, other) for one in known.values() for other in known.values() if one is not other]
    for look in LOOKS:
        widest = (look.apart, "", "")
        for one, other in pairs:
            first, second = getattr(one, look.name), getattr(other, look.name)
            if first is not None and second is not None:
                widest = max(widest, (look.sign * (first - second), one.lot, other.lot))
        by, lot, beside = widest
        if lot:
            amount = tr(look.words, look.scale * by)
            said.append(tr("{} is {} than {} by {}: together they roast unevenly.", lot, look.word, beside, amount))
    processes = {fact.process for fact in known.values() if fact.process}
    if len(processes) > 1:
        said.append(tr("Unlike processes ({}) colour and crack at different moments.", ", ".join(sorted(processes))))
    return said


def share_kg(coffee: Coffee, roasted_kg: float) -> dict[str, float]:
    """Roasted weight of each lot in so much of a coffee. [kg]

    >>> share_kg(Coffee("House", (Component("A", 0.6), Component("B", 0.4))), 10.0)
    {'A': 6.0, 'B': 4.0}
    """
    return {component.lot: component.share * roasted_kg for component in coffee.components}
