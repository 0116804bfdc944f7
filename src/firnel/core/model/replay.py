"""A recorded batch as it would have been forecast at some second, with only what was known then."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from firnel.core.model.constants import Hands, hands_of
from firnel.core.model.forecast import FORWARD_STEP, MEMBERS, TAKE_EVERY_S, Forecaster
from firnel.core.model.foretelling import DropRule, Forecast, Interval, Marks
from firnel.core.model.identification import EARLY_S
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.probe_shift import USUAL_C
from firnel.core.vocabulary import Control, FloatArray, Machine, MarkKind

#: How far is looked ahead. [s]
HORIZON_S = 900.0
#: The readings of so long before the drop tell what was read at it. [s]
ENDING_S = 12.5
#: A bean reading is taken in as the end of a line through those of so long before it, where there are enough. [s]
LINE_S, FEWEST = 14.0, 4
#: Marks that a hand sets by what it sees and hears, as `Forecaster.shares_past` has them.
LISTENED = (MarkKind.YELLOW, MarkKind.FIRST_CRACK)
#: A mark that nobody sets is taken as found once so large a share of the members is past it, and so long after half of them
#: were [s], and so many times its doubt: half of an 80 % interval is 1.28 standard deviations, 99 in 100 lie below 2.33.
SURE, BEHIND_HALF_S, BEHIND_DOUBTS = 0.97, 15.0, 2.33 / 1.28
#: The interval that is left when a mark comes is of the reading alone; with what a finger is late by it is wider by so much.
FOUND_WIDER = 1.3


def forecaster_at(
    model: MachineModel, batch: LoggedBatch, at: float, rng: np.random.Generator, members: int = MEMBERS
) -> Forecaster:
    """The ensemble after all readings and marks up to ``at`` [s from charge]."""
    return next(forecasters_at(model, batch, (at,), rng, members))


def forecasters_at(
    model: MachineModel, batch: LoggedBatch, times: Sequence[float], rng: np.random.Generator, members: int = MEMBERS
) -> Iterator[Forecaster]:
    """One ensemble as it is after all readings and marks up to each of ``times`` [s from charge], which do not fall."""
    ensemble = forecaster_of(model, batch, rng, members)
    told = ((batch.yellow_t, ensemble.mark_yellow), (batch.first_crack_t, ensemble.mark_first_crack))
    waiting, done = [(when, tell) for when, tell in told if when is not None], 0
    for at in times:
        last = max(min(int(at / batch.step + 1e-9), len(batch.hands)), done)
        due = [(max(min(round(when / batch.step), last), done), tell) for when, tell in waiting if when <= at]
        waiting = [(when, tell) for when, tell in waiting if when > at]
        for stop in sorted(stops_of(batch, done, last) | {stop for stop, _ in due}):
            if stop > done:
                ensemble.advance(part(batch.hands, done, stop), bean_by(batch, stop), near(batch.air, stop))
                done = stop
            for _, tell in (entry for entry in due if entry[0] == stop):
                tell()
        yield ensemble


def forecaster_of(model: MachineModel, batch: LoggedBatch, rng: np.random.Generator, members: int = MEMBERS) -> Forecaster:
    """The ensemble of a batch as it is charged."""
    doubt_c = USUAL_C if model.probe_moved is not None else 0.0
    return Forecaster(model.fitted, model.yellow, model.crack, model.drift, batch, rng, members, model.widths, doubt_c)


def stops_of(batch: LoggedBatch, done: int, last: int) -> set[int]:
    """Where readings are taken in, behind ``done`` up to ``last``: every ten seconds; by hand, wherever one was keyed."""
    if batch.by_hand:
        return {int(index) for index in np.flatnonzero(np.isfinite(batch.bean)) if done < index <= last} | {last}
    every = max(1, round(TAKE_EVERY_S / batch.step))
    return set(range(every * (done // every + 1), last + 1, every)) | {last}


def part(hands: Hands, start: int, end: int) -> Hands:
    """The steps from ``start`` to ``end``."""
    return hands.part(slice(start, end))


def held(batch: LoggedBatch, at: float, seconds: float = HORIZON_S) -> Hands:
    """All controls left as they are at ``at``, in forecast steps."""
    index = min(int(at / batch.step), len(batch.hands) - 1)
    count = int(seconds / FORWARD_STEP)
    return batch.hands.held(index, count)


def hands_ahead(
    machine: Machine, batch: LoggedBatch, index: int, t: NDArray[Any], moves: Iterable[tuple[float, Control, float]]
) -> Hands:
    """The controls as they stood in step ``index`` of a batch, and moves to come (due [s], control, to), at ``t`` [s]."""
    settings = {control: np.full(t.size, column[index]) for control, column in batch.settings.items()}
    for due, control, to in sorted(moves):
        if control in settings:
            settings[control][t >= due - 0.5 * FORWARD_STEP] = to
    return hands_of(machine, settings, t.size)


def as_made(batch: LoggedBatch, at: float, seconds: float = HORIZON_S) -> Hands:
    """The moves that were truly made after ``at``, as a plan that was kept to would say; the last is held at the end."""
    times = at + FORWARD_STEP * np.arange(int(seconds / FORWARD_STEP))
    index = np.clip((times / batch.step + 1e-9).astype(int), 0, len(batch.hands) - 1)
    return batch.hands.part(index)


def forecast_at(
    model: MachineModel,
    batch: LoggedBatch,
    at: float,
    hands: Hands,
    rule: DropRule,
    rng: np.random.Generator,
    members: int = MEMBERS,
    unmarked: Collection[MarkKind] = (),
) -> Forecast:
    """The forecast at ``at`` [s from charge] under the moves ``hands`` to come.

    Of ``unmarked``, yellow and first crack that nobody sets in this batch, those that have come are taken as found.
    """
    if not unmarked:
        return forecaster_at(model, batch, at, rng, members).forecast(hands, rule, marks_by(batch, at))
    times = (*np.arange(TAKE_EVERY_S, at - 1e-6, TAKE_EVERY_S), at)
    past = []
    for ensemble in forecasters_at(model, batch, times, rng, members):  # one ensemble, as it goes on
        past.append(ensemble.shares_past())
    marks, found = marks_by(batch, at), dict[MarkKind, tuple[float, float]]()
    for kind, shares in zip(LISTENED, np.array(past).T, strict=True):
        if kind in unmarked and (came := _found(np.array(times), shares, heard=len(unmarked) == 1)) is not None:
            found[kind] = came
    if MarkKind.YELLOW in found:
        marks = replace(marks, yellow_t=found[MarkKind.YELLOW][0])
    if MarkKind.FIRST_CRACK in found:
        marks = replace(marks, first_crack_t=found[MarkKind.FIRST_CRACK][0], first_crack_doubt_s=found[MarkKind.FIRST_CRACK][1])
    forecast = ensemble.forecast(hands, rule, marks)
    if MarkKind.YELLOW not in found:
        return forecast
    t, doubt = found[MarkKind.YELLOW]
    return replace(forecast, yellow=Interval(t, t - doubt, t + doubt))


def _found(times: FloatArray, shares: FloatArray, heard: bool) -> tuple[float, float] | None:
    """Since when half of the members are past a mark, and half its 80 % interval [s]; None while they are not.

    Where a hand sets marks (``heard``) and has not set this one, they have to be past it surely.
    """
    if shares[-1] < (SURE if heard else 0.5):
        return None
    first, half, last = (_rose(times, shares, level) for level in (0.1, 0.5, min(0.9, float(shares[-1]))))
    doubt = FOUND_WIDER * max(half - first, last - half)
    return None if heard and times[-1] - half < max(BEHIND_HALF_S, BEHIND_DOUBTS * doubt) else (half, doubt)


def _rose(times: FloatArray, shares: FloatArray, level: float) -> float:
    """When shares rose past a level that they end above, for the last time. [s]"""
    below = np.flatnonzero(shares < level)
    return float(np.interp(level, shares[below[-1] :][:2], times[below[-1] :][:2])) if below.size else float(times[0])


def marks_by(batch: LoggedBatch, at: float) -> Marks:
    """The marks that had come by ``at``. [s from charge]"""
    yellow, crack = (t if t is not None and t <= at else None for t in (batch.yellow_t, batch.first_crack_t))
    return Marks(yellow, crack)


def read_at_drop(batch: LoggedBatch) -> float:
    """What the bean probe reads in the moment of the drop: by a line through its last readings. [degC]

    A mean of them would be what it read some seconds before, which is half a degree less. NaN where the batch
    was not dropped, or nothing was read.
    """
    before = batch.t - (batch.drop_t if batch.drop_t is not None else np.nan)
    last = (before > -ENDING_S) & (before <= 0.5 * batch.step) & np.isfinite(batch.bean)
    if last.sum() < 3:
        return float(batch.bean[last][-1]) if last.any() else float("nan")
    return float(np.polynomial.Polynomial.fit(before[last], batch.bean[last], 1)(0.0))


def bean_by(batch: LoggedBatch, index: int) -> float:
    """What the bean probe reads at a moment, as told by what is behind it; NaN where nothing was read. [degC]

    One reading has the thermometer's noise and steps; the end of a line has half of it, and no lag. While the load falls in
    the curve is too bent for a line, and one keyed in by hand stands for itself.
    """
    here, count = near(batch.bean, index), round(LINE_S / batch.step)
    if batch.by_hand or not np.isfinite(here) or (index - count) * batch.step < EARLY_S:
        return here
    read = batch.bean[index - count : index + 1]
    known = np.isfinite(read)
    if known.sum() < FEWEST:
        return here
    return float(np.polynomial.Polynomial.fit(np.arange(-count, 1)[known], read[known], 1)(0.0))


def near(column: FloatArray, index: int) -> float:
    """The reading at a moment; where there is none, the one before it. A mean of both would lag by half a step."""
    here = float(column[index])
    return here if np.isfinite(here) else float(column[max(index - 1, 0)])
