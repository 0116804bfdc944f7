"""Charge, turning and drop found from the curve alone, on simulated logs and on logs of machines that the simulator is not."""

import csv
import math
from pathlib import Path

import numpy as np
from report import Line

from firnel.app.demo_batches import KIND_OF, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.mark_finding import charge_shows, find_charge, find_drop, find_turning
from firnel.core.vocabulary import Control, MarkKind, Quality
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad
from firnel.work.desk import machine_of_kind
from firnel.work.roast.charge_watch import ChargeWatch
from firnel.work.roast.charging import EARLY_KEY_S
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.mark_watch import LOOKS, curve_break

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


def left_on(kind: str, share: float, seed: int) -> tuple[float, float]:
    """A simulated drum that is emptied with so much of its heat left on: the log alone, and while it roasts, off by. [s]"""
    drum = DrumRoaster(KINDS[kind], np.random.default_rng(seed), steel_c=208.0)
    scales, rows = drum.kind.controls, []
    heat = next(control for control in scales if control not in (Control.AIRFLOW, Control.DRUM))

    def go_on(seconds: int) -> None:
        for _ in range(seconds):
            drum.step(1.0)
            rows.append((len(rows) + 1.0, *drum.read()))

    drum.set(Control.AIRFLOW, 0.4 * scales[Control.AIRFLOW].high)
    drum.set(heat, 0.65 * scales[heat].high)
    go_on(60)
    charge_t = rows[-1][0]
    drum.charge(GreenLoad(drum.kind.load_kg))
    go_on(180)
    while rows[-1][1] < 212.0 and len(rows) < 1500:
        go_on(1)
    crack_t = rows[-40][0]
    drum.set(heat, share * scales[heat].high)
    go_on(15)
    drop_t = rows[-1][0]
    drum.drop()
    seen: list[float] = []
    for _ in range(60):
        go_on(2)
        t, bean, air = np.array(rows).T
        broke = curve_break(t, bean, crack_t, ()) if len(seen) < LOOKS else None
        seen = seen if len(seen) >= LOOKS else [*seen, broke] if broke is not None else []
    alone = find_drop(t, bean, charge_t, air)
    return abs((alone or math.inf) - drop_t), abs((seen[-1] if len(seen) >= LOOKS else math.inf) - drop_t)


def keyed_early(t: np.ndarray, bean: np.ndarray, charge_t: float, rng: np.random.Generator) -> float:
    """An empty drum that idles as hot as it was charged, and a key long before the beans: the charge is moved, off by. [s]"""
    apart = float(np.median(np.diff(t)))
    level = float(np.interp(charge_t, t, bean))
    begun = t >= charge_t - 2.0 * apart
    before = np.arange(t[begun][0] - 240.0, t[begun][0] - 0.5 * apart, apart)
    t, bean = np.append(before, t[begun]), np.append(level + 0.4 * rng.standard_normal(before.size), bean[begun])
    key_t = charge_t - float(rng.uniform(20.0, 150.0))
    trace, watch = LiveTrace(), ChargeWatch()
    for now, read in zip(t, bean, strict=True):
        trace.append(float(now), float(read), None, {}, Quality.GOOD)
        moved = watch.charge(trace)
        if now > key_t and moved is not None and moved >= key_t + EARLY_KEY_S:
            return abs(moved - charge_t)
    return math.inf


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
    off_charge, shown = [], []
    with (LOGS / "batches.csv").open() as file:
        for row in csv.DictReader(file):
            with (LOGS / f"{row['file']}.csv").open() as log:
                rows = list(csv.DictReader(log))
            t, bean, air = (np.array([float(r[key]) for r in rows]) for key in ("time_s", "bean_c", "air_c"))
            off[MarkKind.DROP].append(abs((find_drop(t, bean, float(row["charge_s"]), air) or 999) - float(row["drop_s"])))
            off_charge.append(keyed_early(t, bean, float(row["charge_s"]), rng))
            shown.append(charge_shows(t, bean, float(row["charge_s"])) is True)
    hot = [left_on(kind, heat, seed) for kind in KINDS for heat in (0.35, 0.7, 1.0) for seed in (1, 2)]
    roasting, alone = (np.array([one[by] for one in hot]) for by in (1, 0))
    share = {kind: float(np.percentile(values, 95)) for kind, values in off.items()}
    return [
        Line("charge, 95 % of messy logs within", share[MarkKind.CHARGE], "s", 3.0),
        Line("turning, 95 % of messy logs within", share[MarkKind.TURNING], "s", 5.0),
        Line("drop, 95 % of other machines' logs within", share[MarkKind.DROP], "s", 3.0),
        Line("other machines' logs whose charge does not show", float(np.mean(np.logical_not(shown))), "share", 0.0),
        Line("charge keyed 20 to 150 s too early, 95 % moved to within", float(np.percentile(off_charge, 95)), "s", 3.0),
        Line(
            "drop with the heat left on, while roasting, 90 % within",
            float(np.percentile(roasting, 90)),
            "s",
            5.0,
        ),
        Line("the same by the log alone, 80 % within", float(np.percentile(alone, 80)), "s", 5.0),
    ]
