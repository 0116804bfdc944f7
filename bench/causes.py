"""Batches with one planted cause against a clean reference, on the simulator: is it ranked first, and none for clean ones?"""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from made import trace_of
from plan import Fitted, fit
from report import Line

from firnel.app.demo_batches import LOTS, MACHINES, RECIPES, plan_of
from firnel.core.model.causes import likely_causes
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.plan import Plan
from firnel.core.vocabulary import USUAL_CONTROLS, BatchRecord, Control, Mark, MarkKind
from firnel.devices.simulator.auto_hand import AutomaticHand, HandHabits
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster

#: Each is planted so often on each machine, with amounts drawn from these ranges and either sign.
TIMES = 8
PLANTED = {"steel": (14.0, 26.0), "gas": (1.0, 2.0), "load": (0.06, 0.12), "probe": (2.5, 4.5), "fan": (0.15, 0.30)}
PLANTED |= {"none": (0.0, 0.0)}


def roasted(plan: Plan, kind: str, rng: np.random.Generator, cause: str, amount: float) -> BatchRecord:
    """One batch with a cause behind it; the record tells only what the machine reports and the label says."""
    made = KINDS[kind]
    if cause == "fan":
        made = replace(made, air_kg_s=made.air_kg_s * (1.0 - abs(amount)))
    charge_c = plan.targets.charge_c or 200.0
    roaster = DrumRoaster(made, rng, room_c=22.0, steel_c=charge_c + 8.0 + (amount if cause == "steel" else 0.0))
    roaster.bean_probe_c = charge_c + 3.0
    mass = (plan.load_kg or 1.0) * (1.0 + (amount if cause == "load" else 0.0))
    load = replace(LOTS[plan.lot].load, mass_kg=mass)
    hand = AutomaticHand(plan, load, HandHabits(delay_s=1.5, charge_wait_s=40.0), rng)
    rows, offset = [], amount if cause == "probe" else 0.0
    scale = made.controls[Control.GAS]
    slip_at, slipped, held = float(rng.uniform(60.0, 150.0)), 0.0, 0.0
    while roaster.t < 1500.0:
        bean, air = roaster.read()
        rows.append((roaster.t, bean + offset, air, *(roaster.settings[c] for c in USUAL_CONTROLS)))
        if MarkKind.DROP in hand.marks and roaster.t > hand.marks[MarkKind.DROP].t + 10.0:
            break
        yellow = hand.marks.get(MarkKind.YELLOW)
        due = cause == "gas" and yellow is not None and yellow.t + slip_at <= roaster.t
        if due and not slipped:
            slipped = roaster.t
            steps = round(max(2.0, 0.06 * scale.high / scale.step) * abs(amount)) * np.sign(amount)
            roaster.set(Control.GAS, roaster.settings[Control.GAS] + steps * scale.step)
            held = roaster.settings[Control.GAS] - steps * scale.step
        if slipped and slipped > 0 and roaster.t > slipped + 80.0:
            roaster.set(Control.GAS, held)
            slipped = -1.0
        for _ in range(2):
            roaster.step(0.5)
            hand.step(roaster)
    table = np.array(rows)
    trace = trace_of((table[:, index] for index in range(6)), np.zeros(len(table), np.int64))
    marks = tuple(Mark(mark.kind, mark.t, trace.bean_at(mark.t)) for mark in hand.marks.values())
    tray = roaster.dropped
    weight = round(tray.mass_kg, 3) if tray is not None else None
    return BatchRecord("b", plan.lot, plan.machine, datetime.now(UTC), trace, marks, load_kg=plan.load_kg,
                       roasted_kg=weight, room_c=22.0)  # fmt: skip


def logged(record: BatchRecord, one: Fitted) -> LoggedBatch:
    """On the model's grid."""
    return logged_batch(record, one.machine, LOTS[record.lot].lot)


def machine_runs(name_kind: tuple[str, str]) -> list[tuple[str, float, tuple[tuple[str, float, float], ...]]]:
    """All planted batches of one machine: the true cause, and the candidates as they were ranked."""
    name, kind = name_kind
    rng = np.random.default_rng(17)
    one = fit(name, kind, np.random.default_rng(31))
    recipe = next(recipe for recipe in RECIPES if recipe.machine == name)
    plan = plan_of(recipe, one.machine)
    found = []
    for cause, (low, high) in PLANTED.items():
        for _ in range(TIMES):
            reference = logged(roasted(plan, kind, rng, "none", 0.0), one)
            amount = float(rng.uniform(low, high)) * (-1.0 if cause in ("steel", "fan") else float(rng.choice([-1.0, 1.0])))
            batch = logged(roasted(plan, kind, rng, cause, amount), one)
            ranked = likely_causes(one.model, batch, reference)
            found.append((cause, amount, tuple((c.kind, c.amount, c.confidence) for c in ranked)))
    return found


def run(folder: Path) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = [entry for runs in pool.map(machine_runs, MACHINES.items()) for entry in runs]
    right: dict[str, list[bool]] = {}
    for cause, _, ranked in found:
        right.setdefault(cause, []).append(ranked[0][0] == cause)
    print("  ranked first: " + ", ".join(f"{cause} {100 * np.mean(hits):.0f} %" for cause, hits in right.items()))
    planted = [hit for cause, hits in right.items() if cause != "none" for hit in hits]
    return [
        Line("planted causes not ranked first", 100.0 * (1.0 - float(np.mean(planted))), "%", 20.0),
        Line("clean batches that were given a cause", 100.0 * (1.0 - float(np.mean(right["none"]))), "%", 20.0),
    ]
