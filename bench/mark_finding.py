"""Charge, turning and drop found from the curve alone, on simulated logs and on logs of machines that the simulator is not."""

import csv
from pathlib import Path

import numpy as np
from report import Line

from firnel.app.demo_batches import KIND_OF, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.mark_finding import find_charge, find_drop, find_turning
from firnel.core.vocabulary import MarkKind
from firnel.work.desk import machine_of_kind

LOGS = Path(__file__).parents[1] / "tests" / "logs"


def messy(t: np.ndarray, *columns: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, ...]:
    """Noise, lone spikes, a gap and uneven sampling."""
    keep = np.sort(rng.choice(t.size, int(0.8 * t.size), replace=False))
    start = rng.uniform(t[0] + 200, t[-1] - 60)
    keep = keep[(t[keep] < start) | (t[keep] > start + 8)]
    result = []
    for column in columns:
        noisy = column[keep] + 0.4 * rng.standard_normal(keep.size)
        noisy[rng.choice(keep.size, 3)] += rng.choice([-80.0, 120.0], 3)
        result.append(noisy)
    return (t[keep], *result)


def run(folder: Path) -> list[Line]:
    from datetime import UTC, datetime

    rng = np.random.default_rng(5)
    off: dict[MarkKind, list[float]] = {MarkKind.CHARGE: [], MarkKind.TURNING: [], MarkKind.DROP: []}
    for recipe in RECIPES:
        plan = plan_of(recipe, machine_of_kind(recipe.machine, KIND_OF[recipe.machine]))
        for _ in range(6):
            record = roast_record(plan, TROUBLES[""], "1", datetime.now(UTC), rng)
            t, bean, air = messy(record.trace.t, record.trace.bean, record.trace.air, rng=rng)
            charge = find_charge(t, bean)
            off[MarkKind.CHARGE].append(abs((charge or 999) - record.mark(MarkKind.CHARGE).t))
            turning = find_turning(t, bean, charge or 0.0)
            off[MarkKind.TURNING].append(abs((turning or 999) - record.mark(MarkKind.TURNING).t))
    with (LOGS / "batches.csv").open() as file:
        for row in csv.DictReader(file):
            with (LOGS / f"{row['file']}.csv").open() as log:
                rows = list(csv.DictReader(log))
            t, bean, air = (np.array([float(r[key]) for r in rows]) for key in ("time_s", "bean_c", "air_c"))
            off[MarkKind.DROP].append(abs((find_drop(t, bean, float(row["charge_s"]), air) or 999) - float(row["drop_s"])))
    share = {kind: float(np.percentile(values, 95)) for kind, values in off.items()}
    return [
        Line("charge, 95 % of messy logs within", share[MarkKind.CHARGE], "s", 3.0),
        Line("turning, 95 % of messy logs within", share[MarkKind.TURNING], "s", 5.0),
        Line("drop, 95 % of other machines' logs within", share[MarkKind.DROP], "s", 3.0),
    ]
