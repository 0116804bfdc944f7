"""Whether the readings can be gone by: they come, on time, and the probe is neither frozen, broken nor jumping."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from firnel.core.units import clock
from firnel.core.vocabulary import MarkKind, Quality
from firnel.core.words import tr
from firnel.work.roast.probe_mistakes import exchanged, in_fahrenheit

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState

#: Without a reading for this long there is a gap; this many bad ones in a row are a bad probe. [s], [readings]
GAP_S, BAD_READINGS = 6.0, 5
#: Thrown to and fro are so many of the last; three in one direction may be the truth, which is seen at the next. [readings]
THROWN, THROWN_OF = 4, 6
#: Of this many readings the last few are compared with all: this much slower, and slower than that, they come late. [s]
LATE_OF, LATE_READINGS, LATE_TIMES, LATE_S = 60, 6, 2.0, 2.5
#: So long after the charge the probe plunges, and what it reads is not judged. [s]
PLUNGE_S = 40.0
#: After a gap or a bad probe so many sound readings are waited for before anything is foretold from them again.
SOUND_AGAIN = 6


def probe_trouble(batch: BatchState) -> str:
    """What is wrong with the bean probe, as a sentence; empty where nothing is."""
    if in_fahrenheit(batch):
        return tr("Are these degrees Fahrenheit? See Machines, Link.")
    if exchanged(batch):
        return tr("Bean and air probe exchanged? See Machines, Link.")
    last = _last(batch, BAD_READINGS)
    if len(last) == BAD_READINGS and all(quality & Quality.FROZEN for quality in last):
        return tr("Bean probe frozen at one figure: check it.")
    if len(last) == BAD_READINGS and all(quality & Quality.OUT_OF_RANGE for quality in last):
        return tr("Bean probe broken? Drive by time, colour and sound.")
    if sum(bool(quality & Quality.SPIKE) for quality in _last(batch, THROWN_OF)) >= THROWN:
        return tr("Bean probe jumps: its wire or seat may be loose.")
    return ""


def link_trouble(batch: BatchState) -> str:
    """Readings that do not come, or come more seldom than they did."""
    trace, now = batch.trace, batch.now()
    if trace.last_t is None:
        return ""
    silent = now - trace.last_t
    if trace.quality_at(len(trace) - 1) & Quality.HAND:
        if silent < batch.around.hand_every_s:
            return ""
        return tr("A reading is due, the last is {} old.", clock(silent))
    if silent > _gap_s(batch):
        return tr("No reading for {}: the clock and the keys go on.", clock(silent))
    between = np.diff(trace.column("t")[-LATE_OF:])
    if between.size < LATE_OF - 1:
        return ""
    usual, lately = float(np.median(between)), float(np.median(between[-LATE_READINGS:]))
    if lately > LATE_TIMES * usual and lately > LATE_S:
        return tr("Readings come every {:.0f} s, not {:.0f} s: a slow link.", lately, usual)
    return ""


def comes(batch: BatchState) -> bool:
    """Whether readings come, from a probe that is whole: what they say may be sudden."""
    last_t = batch.trace.last_t
    return last_t is not None and not probe_trouble(batch) and batch.now() - last_t <= _gap_s(batch)


def sound(batch: BatchState) -> bool:
    """Whether something may be foretold from the readings: no gap, and no bad one among the last."""
    trace = batch.trace
    if trace.last_t is None or probe_trouble(batch):
        return False
    last = _last(batch, SOUND_AGAIN)
    if any(quality & Quality.HAND for quality in last):
        return True
    if batch.now() - trace.last_t > _gap_s(batch) or any(quality & ~Quality.HAND for quality in last):
        return False
    between = np.diff(trace.column("t")[-SOUND_AGAIN:])
    return not (between > _gap_s(batch)).any()


def _gap_s(batch: BatchState) -> float:
    return GAP_S * max(1.0, 0.5 * batch.clock.rate)


def _last(batch: BatchState, count: int) -> list[Quality]:
    charge = batch.marks.get(MarkKind.CHARGE)
    if charge is not None and batch.now() - charge.t < PLUNGE_S:
        return []
    length = len(batch.trace)
    return [batch.trace.quality_at(index) for index in range(max(length - count, 0), length)]
