"""The two published score sums of a cup: ten attributes of up to ten points, and eight sections on a nine-point scale.

References
----------
.. [1] Specialty coffee cupping form of ten attributes with its defects (taint 2, fault 4 points a cup), from memory of it.
.. [2] Affective assessment of the coffee value standard: 0.65625 times the sum of eight sections of 1 to 9, plus 52.75, less 2
   for each cup that is not uniform and 4 for each defective one of five, rounded to the nearest quarter point, halves away from
   zero; from memory of it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from firnel.core.words import later, tr

Form = Literal["attributes", "affective"]

#: Attributes that are scored as a whole, and those scored two points for each of five cups.
SCORED = (
    later("fragrance and aroma"),
    later("flavour"),
    later("aftertaste"),
    later("acidity"),
    later("body"),
    later("balance"),
    later("overall"),
)
BY_CUP = (later("uniformity"), later("clean cup"), later("sweetness"))
TEN = (*SCORED, *BY_CUP)
SECTIONS = (
    later("fragrance"),
    later("aroma"),
    later("flavour"),
    later("aftertaste"),
    later("acidity"),
    later("sweetness"),
    later("mouthfeel"),
    later("overall"),
)
#: Points that a cup with a taint or a fault costs.
TAINT, FAULT = 2.0, 4.0
#: Cups of each coffee for which both forms are written; with fewer or more the points of a cup count for as much more or less.
CUPS = 5


@dataclass(frozen=True)
class Defects:
    """Cups with a taint or a fault (attributes), or not uniform and defective (affective)."""

    light: int = 0
    heavy: int = 0


def parts_of(form: Form) -> tuple[str, ...]:
    """The names of what a form asks for."""
    return TEN if form == "attributes" else SECTIONS


def range_of(form: Form, part: str) -> tuple[float, float, float]:
    """Lowest, highest and step of one part."""
    if form == "affective":
        return 1.0, 9.0, 1.0
    return (0.0, 10.0, 2.0) if part in BY_CUP else (6.0, 10.0, 0.25)


def check_part(form: Form, part: str, value: float) -> None:
    """Refuse a figure that the form does not have.

    Raises
    ------
    ValueError : naming the part, its range and what was given.
    """
    if part not in parts_of(form):
        raise ValueError(tr("{!r} is no part of this form; it has {}.", part, ", ".join(parts_of(form))))
    low, high, step = range_of(form, part)
    steps = (value - low) / step
    if not low <= value <= high or abs(steps - round(steps)) > 1e-9:
        raise ValueError(tr("{} of {:g}: it runs from {:g} to {:g} in steps of {:g}.", part, value, low, high, step))


def score(form: Form, given: Mapping[str, float], defects: Defects = Defects(), cups: int = 5) -> float | None:
    """The sum of a form, up to 100; None until every part is given.

    Parameters
    ----------
    given : by name of the part. What is scored by the cup counts for five cups, as on the form, whatever their number.
    defects : cups with something wrong.
    cups : of this coffee on the table; no more than these can be defective.

    Raises
    ------
    ValueError : if a part is out of its range, or more cups are defective than there are.
    """
    if defects.light < 0 or defects.heavy < 0 or defects.light + defects.heavy > cups:
        raise ValueError(tr("{} cups had something wrong, of {} on the table.", defects.light + defects.heavy, cups))
    for part, value in given.items():
        check_part(form, part, value)
    if any(part not in given for part in parts_of(form)):
        return None
    total = float(sum(given.values()))
    less = (TAINT * defects.light + FAULT * defects.heavy) * CUPS / cups
    if form == "attributes":
        return total - less
    return to_quarter(0.65625 * total + 52.75 - less)


def to_quarter(points: float) -> float:
    """To the nearest quarter point, halves away from zero: as the form says, and not to the even quarter."""
    return math.copysign(math.floor(4.0 * abs(points) + 0.5 + 1e-9) / 4.0, points)
