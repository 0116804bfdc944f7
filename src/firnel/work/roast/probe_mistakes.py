"""Readings that cannot be what they are taken for: a charge that does not show, other degrees, bean and air exchanged."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from firnel.core import mark_finding
from firnel.core.vocabulary import Found, MarkKind

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState

#: No empty drum is so hot in degrees Celsius, and every one is in Fahrenheit, nor hotter than this. [degC]
NO_DRUM_C, NO_READING_C = 295.0, 560.0
#: What was read so long before the charge, or lately, says so, if that was so often. [s], [readings]
BEFORE_S, READINGS = 25.0, 8


def misread(batch: BatchState) -> bool:
    """Whether the readings cannot be those of these beans since this charge: nothing is found in them or foretold."""
    return charge_doubted(batch) or in_fahrenheit(batch) or exchanged(batch)


def charge_doubted(batch: BatchState) -> bool:
    """Whether the charge was marked and nothing of it shows: the beans are not in yet, or were before anything was read."""
    charge = batch.marks.get(MarkKind.CHARGE)
    asks = batch.roasting and charge is not None and charge.found is Found.KEY
    return asks and MarkKind.TURNING not in batch.marks and batch.charge_shows is False


def rises_since(batch: BatchState) -> float | None:
    """Since when the bean probe rises with its beans, in log time: from the turn on; None before. [s]

    Of beans that were in before it was read, from its first reading on.
    """
    charge, turning = batch.marks.get(MarkKind.CHARGE), batch.marks.get(MarkKind.TURNING)
    if turning is not None or charge is None:
        return None if turning is None else turning.t
    told = charge.found is Found.GIVEN and len(batch.trace) and batch.charge_shows is False
    return max(charge.t, float(batch.trace.column("t")[0])) if told else None


def in_fahrenheit(batch: BatchState) -> bool:
    """Whether the bean probe is read in degrees Fahrenheit: before its charge, or now, it reads what no empty drum does."""
    charge = batch.marks.get(MarkKind.CHARGE)
    end = charge.t if charge is not None else batch.trace.last_t
    if end is None:
        return False
    t, bean = batch.trace.column("t"), batch.trace.column("bean")
    read = bean[slice(*np.searchsorted(t, (end - BEFORE_S, end + 1e-6)))]
    read = read[np.isfinite(read)]
    return read.size >= READINGS and bool(np.all(read > NO_DRUM_C) and np.all(read < NO_READING_C))


def exchanged(batch: BatchState) -> bool:
    """Whether bean and air probe stand for each other."""
    charge, trace = batch.marks.get(MarkKind.CHARGE), batch.trace
    if charge is None or not batch.recording:
        return False
    return mark_finding.exchanged(trace.column("t"), trace.column("bean"), trace.column("air"), charge.t)
