"""How a machine is driven: the hands of its logged batches as moves that hang on marks, to begin a plan from.

Where a house has always roasted, the model knows its machine; elsewhere it only thinks it does. So the form of a plan is the
hand of the logged batch that is nearest to what is wanted.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from firnel.core.model.logged import LoggedBatch
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Anchor
from firnel.core.stage_targets import StageTimes
from firnel.core.vocabulary import Control, FloatArray

#: A setting has changed when it is another by more than this share of all that the log holds of the control.
CHANGED = 0.02
#: A hand is told in as few constant pieces as come this near to it (share of what it reached), and in so many at most.
CLOSE, MOST_PIECES = 0.04, 6
#: So many moments at which something changed are looked at.
MOST_EDGES = 60
#: A move this long before a mark hangs on that mark. [s]
BEFORE_YELLOW_S, BEFORE_CRACK_S = 20.0, 45.0
#: What a hand sets so shortly after the charge is how the batch begins. [s]
AT_CHARGE_S = 4.0
#: A soak has ended by then: who turns heat up later makes good what went wrong. [s]
SOAKED_S = 150.0
#: A setting that stood no longer than this in a stage is on its way to the next. [s]
STOOD_S = 10.0
#: What counts as one unit apart of a logged batch and what is wanted: load (share), stages [s], charge [degC], density [g/L].
APART = {"load": 0.10, "stage": 25.0, "charge": 8.0, "density": 40.0, "lot": 0.5}
#: Batches farther apart than this are no example. [units]
FAR = 6.0


@dataclass(frozen=True)
class HandMove:
    """A move as it was made: which control, to which setting, so long after which mark. [s]"""

    control: Control
    to: float
    anchor: Anchor
    offset_s: float


@dataclass(frozen=True)
class Driven:
    """One logged batch as it was driven: settings at charge, moves in their order, and when its marks came [s from charge]."""

    label: str
    lot: str
    load_kg: float
    density: float
    charge_c: float
    yellow_t: float
    crack_t: float
    drop_t: float
    start: Mapping[Control, float] = field(default_factory=dict)
    moves: tuple[HandMove, ...] = ()

    def of(self, control: Control) -> tuple[HandMove, ...]:
        """The moves of one control."""
        return tuple(move for move in self.moves if move.control == control)

    def stood(self, control: Control) -> tuple[tuple[tuple[float, float], ...], ...]:
        """The settings that a control stood at while drying, browning and developing, and for how long each. [s]"""
        marks = {Anchor.YELLOW: self.yellow_t, Anchor.FIRST_CRACK: self.crack_t}
        pieces = [(0.0, self.start.get(control, 0.0))]
        pieces += [(marks.get(move.anchor, 0.0) + move.offset_s, move.to) for move in self.of(control)]
        ends = [*(t for t, _ in pieces[1:]), self.drop_t]
        stages = pairwise((0.0, self.yellow_t, self.crack_t, self.drop_t))
        return tuple(
            tuple(
                (to, seconds)
                for (t, to), end in zip(pieces, ends, strict=True)
                if (seconds := min(end, stops) - max(t, begins)) > STOOD_S
            )
            for begins, stops in stages
        )

    def levels(self, control: Control) -> tuple[tuple[float, ...], ...]:
        """The settings that a control stood at while drying, browning and developing."""
        return tuple(tuple(to for to, _ in stage) for stage in self.stood(control))

    def rises_late(self, control: Control) -> float:
        """By how much a control was turned up from yellow on, or long after the charge, in all, on its scale."""
        before, risen = self.start.get(control, 0.0), 0.0
        for move in self.of(control):
            if move.anchor is not Anchor.CHARGE or move.offset_s > SOAKED_S:
                risen += max(move.to - before, 0.0)
            before = move.to
        return risen

    def stretched(self, move: HandMove, times: StageTimes) -> float:
        """The offset of a move where stages last as long as in ``times``: what hung half way still does. [s]"""
        drying, browning, _ = times.seconds
        if move.anchor is Anchor.CHARGE:
            share = drying / max(self.yellow_t, 1.0)
        elif move.anchor is Anchor.YELLOW and move.offset_s > 0.0:
            share = browning / max(self.crack_t - self.yellow_t, 1.0)
        else:
            share = 1.0
        return 5.0 * round(move.offset_s * share / 5.0)


def driven_of(batch: LoggedBatch) -> Driven | None:
    """How a logged batch was driven; None where a mark is lacking."""
    if batch.yellow_t is None or batch.first_crack_t is None or batch.drop_t is None:
        return None
    start: dict[Control, float] = {}
    moves: list[HandMove] = []
    for control, column in batch.settings.items():
        if not np.isfinite(column).any():
            continue
        first, changes = _changes(column, batch.step, batch.drop_t)
        while changes and changes[0][0] <= AT_CHARGE_S:
            first = changes.pop(0)[1]
        start[control] = first
        moves += [_hung(control, t, to, batch.yellow_t, batch.first_crack_t) for t, to in changes]
    return Driven(
        batch.label, batch.lot, batch.load_kg, batch.density, batch.bean_at_charge, batch.yellow_t, batch.first_crack_t,
        batch.drop_t, start, tuple(moves),
    )  # fmt: skip


def _changes(column: FloatArray, step: float, until: float) -> tuple[float, list[tuple[float, float]]]:
    """The setting at the beginning, and each later one with its moment [s]: the few steps that say what many small ones did."""
    part = np.asarray(column[: max(int(until / step), 2)], float)
    # Where nothing was read the setting before holds, or the first that was read.
    there = np.flatnonzero(np.isfinite(part))
    if there.size == 0:
        return float(column[np.isfinite(column)][0]), []
    known = part[there[np.clip(np.searchsorted(there, np.arange(part.size), side="right") - 1, 0, None)]]
    reach = float(known.max() - known.min())
    if reach < 1e-9:
        return float(known[0]), []
    jumps = np.abs(np.diff(known))
    changed = np.flatnonzero(jumps > CHANGED * reach)
    # A gauge that is read, and not set, changes all the time: its largest changes are the hand's.
    changed = np.sort(changed[np.argsort(jumps[changed])[::-1][:MOST_EDGES]])
    edges = [0, *(int(index) + 1 for index in changed), known.size]
    for pieces in range(1, min(MOST_PIECES, len(edges) - 1) + 1):
        cuts, off = _pieces(known, edges, pieces)
        if off <= CLOSE * reach:
            break
    held = [float(np.median(known[begin:end])) for begin, end in zip(cuts[:-1], cuts[1:], strict=True)]
    return held[0], [(cut * step, to) for cut, to in zip(cuts[1:-1], held[1:], strict=True)]


def _pieces(known: FloatArray, edges: list[int], pieces: int) -> tuple[list[int], float]:
    """The cuts, both ends among them, of the best so many constant pieces, and their root mean square.

    By dynamic programming over the moments at which anything changed.
    """
    total = np.concatenate([[0.0], np.cumsum(known)])
    square = np.concatenate([[0.0], np.cumsum(known**2)])

    def cost(begin: int, end: int) -> float:
        mean = (total[end] - total[begin]) / (end - begin)
        return float(square[end] - square[begin] - mean * mean * (end - begin))

    count = len(edges)
    best = [cost(0, edges[index]) if index else 0.0 for index in range(count)]
    back: list[list[int]] = []
    for _ in range(pieces - 1):
        ways = [
            min(((best[k] + cost(edges[k], edges[index]), k) for k in range(1, index)), default=(np.inf, 0))
            for index in range(count)
        ]
        best = [way[0] for way in ways]
        back.append([way[1] for way in ways])
    cuts, index = [edges[-1]], count - 1
    for row in reversed(back):
        index = row[index]
        cuts.append(edges[index])
    cuts.append(0)
    return cuts[::-1], float(np.sqrt(max(best[-1], 0.0) / known.size))


def _hung(control: Control, t: float, to: float, yellow: float, crack: float) -> HandMove:
    if t < yellow - BEFORE_YELLOW_S:
        return HandMove(control, to, Anchor.CHARGE, t)
    if t < crack - BEFORE_CRACK_S:
        return HandMove(control, to, Anchor.YELLOW, t - yellow)
    return HandMove(control, to, Anchor.FIRST_CRACK, t - crack)


def nearest(driven: Iterable[Driven], load_kg: float, green: GreenTraits, times: StageTimes, charge_c: float) -> Driven | None:
    """The batch that is nearest to what is wanted; None where none is near."""
    drying, browning, _ = times.seconds

    def apart(one: Driven) -> float:
        parts = (
            (one.load_kg / load_kg - 1.0) / APART["load"],
            (one.yellow_t - drying) / APART["stage"] if times.fixed[0] else 0.0,
            (one.crack_t - one.yellow_t - browning) / APART["stage"] if times.fixed[1] else 0.0,
            (one.charge_c - charge_c) / APART["charge"],
            (one.density - green.density) / APART["density"],
            0.0 if one.lot == green.lot else APART["lot"],
        )
        return float(np.sqrt(np.sum(np.square(parts))))

    ranked: Sequence[tuple[float, Driven]] = sorted(((apart(one), one) for one in driven), key=lambda entry: entry[0])
    return ranked[0][1] if ranked and ranked[0][0] <= FAR else None
