"""How a machine is driven: the hands of its logged batches as moves that hang on marks, to begin a plan from.

Where a house has always roasted, the model knows its machine; elsewhere it only thinks it does. So the form of a plan is the hand
of the logged batch that is nearest to what is wanted.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from firnel.core.model.logged import LoggedBatch
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Anchor
from firnel.core.stage_targets import StageTimes
from firnel.core.vocabulary import Control, FloatArray

#: A setting has changed when it is another by more than this share of all that the log holds of the control.
CHANGED = 0.02
#: A change that is undone or gone on with so soon is one with the next: a ramp, or a slip. [s]
ONE_MOVE_S = 9.0
#: So many moves of one control at most, the largest; and a move this long before a mark still hangs on the one before. [s]
MOST_MOVES, BEFORE_YELLOW_S, BEFORE_CRACK_S = 6, 20.0, 45.0
#: What counts as one unit apart between a logged batch and what is wanted: load (share), stages [s], charge [degC], density [g/L].
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

    def stretched(self, move: HandMove, times: StageTimes) -> float:
        """The offset of a move where stages last as long as in ``times``: what hung half way still does. [s]"""
        drying, browning, _ = times.seconds
        if move.anchor is Anchor.CHARGE:
            share = drying / self.yellow_t
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
        start[control] = first
        moves += [_hung(control, t, to, batch.yellow_t, batch.first_crack_t) for t, to in changes]
    return Driven(
        batch.label, batch.lot, batch.load_kg, batch.density, batch.bean_at_charge, batch.yellow_t, batch.first_crack_t,
        batch.drop_t, start, tuple(moves),
    )  # fmt: skip


def _changes(column: FloatArray, step: float, until: float) -> tuple[float, list[tuple[float, float]]]:
    """The setting at the beginning, and each later one with its moment [s], ramps and slips counted as one."""
    known = np.asarray(column[: max(int(until / step), 2)], float)
    known = known[np.isfinite(known)]
    reach = max(float(known.max() - known.min()), 1e-9)
    held = [(0.0, float(known[0]))]
    for index, value in enumerate(known.tolist()):
        if abs(value - held[-1][1]) <= CHANGED * reach:
            continue
        t = index * step
        if t - held[-1][0] < ONE_MOVE_S:
            held[-1] = (held[-1][0], value)
        else:
            held.append((t, value))
    changes = [(t, to) for (t, to), (_, before) in zip(held[1:], held[:-1], strict=True) if abs(to - before) > CHANGED * reach]
    sizes = {t: abs(to - before) for (t, to), (_, before) in zip(held[1:], held[:-1], strict=True)}
    largest = sorted(changes, key=lambda change: -sizes[change[0]])[:MOST_MOVES]
    return held[0][1], sorted(largest)


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
