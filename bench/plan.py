"""Plans solved on a model of six batches, then roasted open-loop on the simulator, which has effects that the model lacks."""

import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from report import Line

from firnel.app.demo_library import LOTS, MACHINES, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.model.fitting import identify
from firnel.core.model.learning import model_from, traits_of
from firnel.core.model.logged import logged_batch
from firnel.core.model.solving import FORMS, MET_C, MET_S, solve
from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import MarkKind
from firnel.work.desk import machine_of_kind


def run(folder: Path) -> list[Line]:
    rng = np.random.default_rng(31)
    seconds, crack_s, development_s, drop_c, unmet = [], [], [], [], 0
    for name, kind in MACHINES.items():
        machine = machine_of_kind(name, kind)
        base = next(recipe for recipe in RECIPES if recipe.machine == name)
        lots = list(LOTS)[:4]
        fitted_to = []
        for number, lot in enumerate((*lots[:3], *lots[:3]), start=1):
            plan = plan_of(replace(base, lot=lot), machine)
            record = roast_record(plan, TROUBLES[""], f"{number}", datetime.now(UTC), rng)
            fitted_to.append(logged_batch(record, machine, LOTS[lot].lot, number))
        model = model_from(identify(fitted_to, machine.useful_load_kg, machine.heat), fitted_to)
        drying = float(np.median([batch.yellow_t for batch in fitted_to]))
        browning = float(np.median([batch.first_crack_t for batch in fitted_to])) - drying
        reading = float(np.median([np.interp(b.first_crack_t, b.t, b.bean) for b in fitted_to]))
        for lot in lots:
            green = traits_of(logged_batch(record, machine, LOTS[lot].lot))
            green = replace(green, lot=lot)
            for approach in FORMS:
                wanted = Targets(base.charge_c, round(1.03 * drying), round(0.97 * browning), 95.0, round(reading + 7.0, 1))
                asked = Plan(f"{lot} {approach}", name, lot, base.load_kg, "filter", approach, wanted)
                begun = time.perf_counter()
                solved = solve(model, machine, asked, green, wanted)
                seconds.append(time.perf_counter() - begun)
                off = {key: abs(got - goal) for key, (goal, got) in solved.met.items()}
                unmet += any(value > (MET_C if key.endswith("_c") else MET_S) for key, value in off.items())
                record = roast_record(solved.plan, TROUBLES[""], "1", datetime.now(UTC), rng)
                came = {mark.kind: mark for mark in record.marks}
                charge, crack, drop = (came[k].t for k in (MarkKind.CHARGE, MarkKind.FIRST_CRACK, MarkKind.DROP))
                expected = solved.roast.marks[MarkKind.FIRST_CRACK] or 0.0
                crack_s.append(abs(crack - charge - expected))
                development_s.append(abs(drop - crack - 95.0))
                end = float(np.interp(solved.roast.drop_t or 0.0, *_probe(solved)))
                drop_c.append(abs((came[MarkKind.DROP].bean or 0.0) - end))
    print(f"  {len(seconds)} plans, {unmet} with a target that the model cannot meet")
    return [
        Line("solving a full plan, slowest", max(seconds), "s", 1.0),
        Line("first crack roasted open-loop, median error", float(np.median(crack_s)), "s", 15.0),
        Line("development, median error", float(np.median(development_s)), "s", 8.0),
        Line("drop temperature, median error", float(np.median(drop_c)), "degC", 2.0),
    ]


def _probe(solved) -> tuple[np.ndarray, np.ndarray]:  # type: ignore[no-untyped-def]
    made = solved.roast.simulated
    return made.t, made.bean_probe[:, 0]
