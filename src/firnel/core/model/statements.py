"""Kinds of statement that are kept score of, and the record of each: how far off, how wide, how many held."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

#: A record needs so many batches.
FEWEST = 3


class Statement(StrEnum):
    """A kind of statement that is kept score of."""

    YELLOW = "yellow, 90 s ahead"
    CRACK_FAR = "first crack, 3 min ahead"
    CRACK = "first crack, 90 s ahead"
    LANDING = "drop temperature, from first crack"
    MOVE = "bean probe, a minute after a move"
    STEEL = "drum steel at charge, while idling"
    LOSS = "weight loss, from load and moves"
    COLOUR = "colour, from load and moves"

    @property
    def unit(self) -> str:
        """Of its figures: s, °C, % of the green's weight, or points of colour."""
        return UNITS.get(self, "s")


UNITS = {
    Statement.LANDING: "°C", Statement.MOVE: "°C", Statement.STEEL: "°C", Statement.LOSS: "%", Statement.COLOUR: "points",
}  # fmt: skip
#: A record is good while the median error is no larger than this, in the unit of the statement.
GOOD = {
    Statement.YELLOW: 15.0, Statement.CRACK_FAR: 25.0, Statement.CRACK: 15.0, Statement.LANDING: 1.5, Statement.MOVE: 2.0,
    Statement.STEEL: 6.0, Statement.LOSS: 1.5, Statement.COLOUR: 5.0,
}  # fmt: skip


@dataclass(frozen=True)
class Foretold:
    """A statement and what came: of which batch, off by how much (came less said), half the 80 % interval said with it."""

    statement: Statement
    label: str
    off: float
    half: float


@dataclass(frozen=True)
class Record:
    """The record of one kind of statement: from how many batches, median error, median half interval, how many held."""

    statement: Statement
    count: int
    off: float
    said: float
    held: int

    @property
    def good(self) -> bool:
        """Whether it can be gone by."""
        return self.count >= FEWEST and self.off <= GOOD[self.statement]


def record_of(score: Iterable[Foretold], statement: Statement) -> Record:
    """The record of one kind of statement."""
    return records(score)[list(Statement).index(statement)]


def records(score: Iterable[Foretold]) -> tuple[Record, ...]:
    """The record of every kind of statement, in their order; of one that was never made the count is nought."""
    told = tuple(score)
    found = []
    for statement in Statement:
        own = [one for one in told if one.statement == statement]
        held = sum(abs(one.off) <= one.half for one in own)
        off, said = (float(np.median(np.abs(values))) if own else 0.0 for values in (
            [one.off for one in own], [one.half for one in own],
        ))  # fmt: skip
        found.append(Record(statement, len(own), off, said, held))
    return tuple(found)
