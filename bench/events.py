"""Flick and crash found in noisy batches, against what the same finder says of the simulator's noise-free probe."""

from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from report import Line

from firnel.app.demo_batches import MACHINES, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.events import find_events
from firnel.core.rate_of_rise import RateCurve
from firnel.core.vocabulary import BatchRecord, MarkKind
from firnel.work.desk import machine_of_kind
from firnel.work.review.records import sheet_of

FAULTS = ("flick", "crash")
PER_KIND = 3


def truly(record: BatchRecord) -> dict[str, float]:
    """When each fault begins on a curve without noise: the record's, smoothed far beyond what noise leaves."""
    t, bean = record.trace.t, record.trace.bean
    kernel = np.hanning(21)
    smooth = np.convolve(np.pad(bean, 10, mode="edge"), kernel / kernel.sum(), mode="valid")
    drop = next(mark.t for mark in record.marks if mark.kind is MarkKind.DROP)
    until = int(np.searchsorted(t, drop - 10.0))
    rate = RateCurve(t[:until], smooth[:until], 60.0 * np.gradient(smooth, t)[:until], np.zeros(until))
    return {event.kind: event.start for event in find_events(record.trace, rate, record.marks, record.moves)}


def run(folder: Path) -> list[Line]:
    rng = np.random.default_rng(21)
    late: list[float] = []
    missed = false = quiet = 0
    for recipe in (one for one in RECIPES if one.machine in MACHINES):  # whose troubles are of its one heat
        plan = plan_of(recipe, machine_of_kind(recipe.machine, MACHINES[recipe.machine]))
        for fault in (*FAULTS, ""):
            for _ in range(PER_KIND):
                record = roast_record(plan, TROUBLES[fault], "1", datetime.now(UTC), rng)
                found = {event.kind: event.start for event in sheet_of(record).events}
                truth = truly(record)
                quiet += not fault
                false += not fault and any(kind in found and kind not in truth for kind in FAULTS)
                if fault in truth:
                    missed += fault not in found
                    late += [abs(found[fault] - truth[fault])] if fault in found else []
    print(f"  {len(late)} faults found, {missed} missed; {false} false alarms in {quiet} quiet batches")
    return [
        Line("flick and crash, found within", float(np.percentile(late, 90)) if late else float("inf"), "s", 15.0),
        Line("flick and crash missed", missed / max(missed + len(late), 1), "of all", 0.1),
        Line("false alarms", false / quiet, "a batch", 0.1),
    ]
