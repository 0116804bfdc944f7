"""A bean probe reads otherwise from some batch on: how much, and the batches before as it would have read them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from firnel.core.model.logged import LoggedBatch

#: Less than this is no shift. [degC]
LEAST_C = 0.75
#: How far a probe usually is off once it was moved. [degC]
USUAL_C = 5.0


@dataclass(frozen=True)
class ProbeShift:
    """From the batch ``label`` on, which began at ``since``, the bean probe reads ``by_c`` more. [degC]"""

    label: str
    by_c: float
    since: datetime | None = None


def as_read_now(batches: Sequence[LoggedBatch], shifts: Sequence[ProbeShift]) -> list[LoggedBatch]:
    """Batches, oldest first, as the present bean probe would have read them."""
    labels = [batch.label for batch in batches]
    read = list(batches)
    for shift in shifts:
        first = labels.index(shift.label) if shift.label in labels else None
        for index, batch in enumerate(read):
            if index < first if first is not None else _earlier(batch.started, shift.since):
                read[index] = batch.reading_more(shift.by_c)
    return read


def since_read(batch: LoggedBatch, shifts: Sequence[ProbeShift]) -> float:
    """By how much the present bean probe reads more than the one of a batch did. [degC]"""
    return sum(shift.by_c for shift in shifts if _earlier(batch.started, shift.since))


def _earlier(started: datetime | None, since: datetime | None) -> bool:
    return started is not None and since is not None and started < since


def joined(shifts: Sequence[ProbeShift], found: ProbeShift) -> tuple[ProbeShift, ...]:
    """Shifts with one more; what was thought of the same batch before is put right by it, down to none."""
    same = sum(shift.by_c for shift in shifts if shift.label == found.label)
    others = tuple(shift for shift in shifts if shift.label != found.label)
    whole = replace(found, by_c=found.by_c + same)
    return (*others, whole) if abs(whole.by_c) >= LEAST_C else others
