"""Where the words of marks stand about a curve: the cheapest of all places, in pixels and without a widget."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product
from typing import NamedTuple

import numpy as np

from firnel.core.vocabulary import FloatArray

#: What is wrong with a place, dearest first: it leaves the ground, hides a word, lies on a line, on a tick, on the line of now.
CUT, HIDES, STRUCK, ON_TICK, ON_NOW = 100.0, 60.0, 10.0, 4.0, 3.0
#: And what is only less wanted: the other side of the curve, a line further from it, the next of the shares, and to move.
OTHER_SIDE, FURTHER, NEXT_SHARE, MOVED = 2.0, 1.5, 0.5, 0.9
#: The shares of a word that may stand before its mark, after the one that is wanted.
SHARES = (1.0, 0.5, 0.0)
#: A word has so much empty room about it, which may lie outside. [px]
EDGE = 2.0
#: So many of the cheapest beginnings are carried on.
BEAM = 60


@dataclass(frozen=True)
class Word:
    """A word and its point on the curve: right and down from the corner of the ground. [px]"""

    x: float
    y: float
    width: float
    height: float
    below: bool = False  #: is wanted under the curve
    share: float = 0.0  #: of the word that is wanted before its mark, 0 to 1


@dataclass(frozen=True)
class Place:
    """Where a word stands: the share of it before its mark, the side of the curve, and lines further than its tick."""

    share: float
    below: bool
    further: int = 0


class Box(NamedTuple):
    """Left, top, right and bottom. [px]"""

    left: float
    top: float
    right: float
    bottom: float


class Rooms(NamedTuple):
    """The boxes of all places of a word and of its ticks, each of shape (places, 4). [px]"""

    boxes: FloatArray
    stems: FloatArray


@dataclass(frozen=True)
class Ground:
    """What words stand on: its size, the length of a tick, lines (finite points, x rising) and where now is. [px]"""

    width: float
    height: float
    tick: float
    lines: tuple[tuple[FloatArray, FloatArray], ...] = ()
    now: float | None = None

    def box(self, word: Word, place: Place) -> Box:
        """The room of a word at a place."""
        left, reach = word.x - place.share * word.width, self.reach(word, place)
        top = word.y + reach if place.below else word.y - reach - word.height
        return Box(left, top, left + word.width, top + word.height)

    def stem(self, word: Word, place: Place) -> Box:
        """The room of a tick, which has no width."""
        reach = self.reach(word, place)
        return Box(word.x, word.y, word.x, word.y + reach) if place.below else Box(word.x, word.y - reach, word.x, word.y)

    def reach(self, word: Word, place: Place) -> float:
        """From the curve to the word. [px]"""
        return self.tick + place.further * word.height

    def outside(self, box: Box) -> float:
        """By how much a box leaves the ground. [px]"""
        return float(sum(max(0.0, by) for by in (-box.left, -box.top, box.right - self.width, box.bottom - self.height)))

    def struck(self, box: Box) -> int:
        """How many lines go through a box."""
        through = 0
        for x, y in self.lines:
            if x.size and x[0] < box.right and box.left < x[-1]:
                first, last = np.searchsorted(x, (box.left, box.right))
                ends = np.interp((max(box.left, x[0]), min(box.right, x[-1])), x, y)
                within = np.concatenate([ends, y[first:last]])
                through += bool(within.min() < box.bottom and box.top < within.max())
        return through


def places_of(words: Sequence[Word], ground: Ground, before: Sequence[Place] = ()) -> list[Place]:
    """The places of all words together that cost least.

    Parameters
    ----------
    words : in the order of time.
    ground : what they stand on.
    before : where the same words stood; to stay is worth something, so that nothing flickers.
    """
    chosen, cost = np.zeros((1, 0), dtype=int), np.zeros(1)
    offers: list[list[Place]] = []
    rooms: list[Rooms] = []
    for index, word in enumerate(words):
        wishes = list(_offers(word))
        stay = before[index] if len(before) == len(words) else None
        own = [wish + _own_cost(word, place, ground) + MOVED * (stay not in (None, place)) for place, wish in wishes]
        offers.append([place for place, _ in wishes])
        boxes, stems = ([room(word, place) for place in offers[-1]] for room in (ground.box, ground.stem))
        rooms.append(Rooms(np.array(boxes), np.array(stems)))
        grown = cost[:, None] + np.array(own)
        for other in range(index):
            grown += _between(rooms[other], rooms[index])[chosen[:, other]]
        best = np.argsort(grown, axis=None, kind="stable")[:BEAM]
        beginning, place_index = np.unravel_index(best, grown.shape)
        chosen, cost = np.column_stack([chosen[beginning], place_index]), grown.ravel()[best]
    return [offered[at] for offered, at in zip(offers, chosen[0], strict=True)]


def _offers(word: Word) -> Iterator[tuple[Place, float]]:
    """Each place of a word, with what it costs to leave the one that is wanted."""
    shares = dict.fromkeys((word.share, *SHARES))
    for further, below, (rank, share) in product((0, 1), (word.below, not word.below), enumerate(shares)):
        yield Place(share, below, further), OTHER_SIDE * (below != word.below) + FURTHER * further + NEXT_SHARE * rank


def _own_cost(word: Word, place: Place, ground: Ground) -> float:
    box = ground.box(word, place)
    out = ground.outside(box)
    on_now = ground.now is not None and box.left < ground.now < box.right
    return (CUT + out if out > EDGE else 0.0) + STRUCK * ground.struck(box) + ON_NOW * on_now


def _between(rooms: Rooms, later: Rooms) -> FloatArray:
    """What each place of a word (row) and of a later one (column) cost each other."""
    return HIDES * _meet(rooms.boxes, later.boxes) + ON_TICK * (
        _meet(rooms.boxes, later.stems) + _meet(rooms.stems, later.boxes)
    )


def _meet(one: FloatArray, other: FloatArray) -> FloatArray:
    """Which boxes of the one, shape (n, 4), have room in common with which of the other, (m, 4): 1 or 0, shape (n, m)."""
    (left, top, right, bottom), (its_left, its_top, its_right, its_bottom) = one.T[:, :, None], other.T[:, None, :]
    across = (left < its_right) & (its_left < right)
    return (across & (top < its_bottom) & (its_top < bottom)).astype(np.float64)
