"""What went wrong in a record: flick, crash, stall, spike and gap, with the move that likely caused it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.rate_of_rise import RateCurve
from firnel.core.usual import DEPARTURE, STALL_RATE
from firnel.core.vocabulary import FloatArray, Mark, MarkKind, Move, Quality, Role, Trace, usual_role
from firnel.core.words import later, tr

#: A gap: this many usual intervals, and at least so many seconds, without a bean reading.
GAP_INTERVALS, GAP_SECONDS = 4.0, 5.0
#: A flick or crash is looked for from this long before first crack on. [s]
BEFORE_CRACK_S = 75.0
#: A stall: less than `STALL_RATE` for so long before drop. Common practice, no published source. [s]
STALL_SECONDS = 20.0


@dataclass(frozen=True)
class Event:
    """Something that happened between two moments of log time [s], with its likely cause in words, or None."""

    kind: str
    start: float
    end: float
    likely_cause: str | None = None


def find_events(trace: Trace, rate: RateCurve, marks: Sequence[Mark], moves: Sequence[Move]) -> tuple[Event, ...]:
    """All events of a record in order of time.

    Parameters
    ----------
    trace : the readings, with the quality bits set at recording.
    rate : the smoothed rate over the same readings.
    marks : of the batch; flick, crash and stall are looked for around first crack and up to drop.
    moves : for the likely cause.
    """
    events = [*_gaps(trace), *_spikes(trace)]
    when = {mark.kind: mark.t for mark in marks}
    if MarkKind.CHARGE in when:
        start = when.get(MarkKind.TURNING, when[MarkKind.CHARGE] + 80.0) + 120.0
        if MarkKind.FIRST_CRACK in when:
            # Early the gas is meant to change the rate; it is around first crack that a jump is a fault.
            start = max(start, when[MarkKind.FIRST_CRACK] - BEFORE_CRACK_S)
        end = when.get(MarkKind.DROP, float(trace.t[-1]) if trace.t.size else start)
        part = (rate.t >= start) & (rate.t <= end)
        if part.sum() > 10:
            events += _departures(rate.t[part], rate.c_per_min[part], moves)
            events += _stalls(rate.t[part], rate.c_per_min[part], moves)
    return tuple(sorted(events, key=lambda event: (event.start, event.kind)))


def _gaps(trace: Trace) -> list[Event]:
    known = trace.t[np.isfinite(trace.bean)]
    if known.size < 3:
        return []
    steps = np.diff(known)
    limit = max(GAP_SECONDS, GAP_INTERVALS * float(np.median(steps)))
    return [
        Event(later("gap"), float(known[i]), float(known[i + 1]), tr("no readings came")) for i in np.nonzero(steps > limit)[0]
    ]


def _spikes(trace: Trace) -> list[Event]:
    wrong = trace.t[(trace.quality & int(Quality.SPIKE)) != 0]
    return [Event(later("spike"), float(t), float(t), tr("one reading far off its neighbours")) for t in wrong]


def _departures(t: FloatArray, rate: FloatArray, moves: Sequence[Move]) -> list[Event]:
    """Stretches in which the rate runs away from the straight line through the two minutes before."""
    departure = np.zeros_like(rate)
    for index in range(t.size):
        past = (t >= t[index] - 120.0) & (t <= t[index] - 15.0)
        if past.sum() >= 8:
            slope, level = np.polyfit(t[past] - t[index], rate[past], 1)
            # A trend may fall on but not rise on: no roast is meant to speed up without end.
            departure[index] = rate[index] - (float(rate[past].mean()) if slope > 0 else level)
    events = []
    for kind, sign in ((later("flick"), 1.0), (later("crash"), -1.0)):
        for first, last in _runs(sign * departure > DEPARTURE):
            if t[last] - t[first] >= 8.0:
                rising = float(t[first])
                events.append(Event(kind, rising, float(t[last]), _cause(kind, rising, moves)))
    return events


def _stalls(t: FloatArray, rate: FloatArray, moves: Sequence[Move]) -> list[Event]:
    return [
        Event(later("stall"), float(t[first]), float(t[last]), _cause("stall", float(t[first]), moves))
        for first, last in _runs(rate < STALL_RATE)
        if t[last] - t[first] >= STALL_SECONDS
    ]


def _runs(hits: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], hits.astype(int), [0]])))
    return [(int(start), int(end) - 1) for start, end in zip(edges[::2], edges[1::2], strict=True)]


def _cause(kind: str, start: float, moves: Sequence[Move]) -> str | None:
    """The latest move that could have done it, and how long before; the beans' own doing if there is none."""
    wants_more = kind == "flick"
    for index in range(len(moves) - 1, -1, -1):
        move = moves[index]
        before = start - move.t
        if not 0.0 <= before <= 75.0:
            continue
        earlier = next((m.to for m in reversed(moves[:index]) if m.control == move.control), None)
        if earlier is None or usual_role(move.control) is Role.MOTION:
            continue
        more_heat = (move.to > earlier) == (usual_role(move.control) is Role.HEAT)
        # More air may warm first and cool later, so it is named for either; gas only for the way it pushes.
        if usual_role(move.control) is Role.AIRFLOW or more_heat == wants_more:
            return tr("{} {:g} to {:g}, {:.0f} s before", move.control.words, earlier, move.to, before)
    return tr("no move in the minute before: the beans' own heat") if kind == "flick" else tr("no move in the minute before")
