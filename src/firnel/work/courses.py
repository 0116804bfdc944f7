"""A figure over days, weeks and months, as a list's page shows it under the list."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True)
class Point:
    """A figure at a moment, and what it is of, where that is not what was chosen itself."""

    at: datetime
    value: float
    of: str = ""


@dataclass(frozen=True)
class Course:
    """One kind of figure over time: its own points, and others beside them.

    ``steps`` are levels that hold until the next point, ``weeks`` sums that belong to the week that begins with the point.
    """

    name: str
    unit: str
    digits: int
    points: tuple[Point, ...]
    beside: tuple[Point, ...] = ()
    steps: bool = False
    weeks: bool = False
