"""How good Firnel is on a machine's first days: after 0 to 12 batches, on the seven logged machines and the simulator's.

Each model is judged on the batches that come next, which it has not seen: the bean probe over a whole batch from charge
state and moves, first crack without any live data and 90 s ahead, and how often the 80 % intervals hold. Each machine is
left out of what is known of drums beforehand.
"""

import sys
import time
import warnings
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from other_machines import MACHINES as LOGGED
from other_machines import leave_out, logs_of
from report import Line

from firnel.app.demo_batches import KIND_OF, LOTS, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.model.foretelling import DropRule
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel, crack_error, misfit
from firnel.core.model.lessons import learn
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.model.prior import prior_model
from firnel.core.model.replay import as_made, forecast_at, read_at_drop
from firnel.core.vocabulary import Machine
from firnel.work.desk import machine_of_kind

AFTER = (0, 1, 2, 4, 8, 12)
#: So many of the next batches judge each model.
JUDGED = 6


@dataclass
class Step:
    """What one model was worth: RMS [degC], first crack without live data and 90 s ahead [s], which intervals held, fit [s]."""

    rms: list[float]
    blind: list[float]
    ahead: list[float]
    held: list[bool]
    seconds: float = 0.0
    common: "Step | None" = None


def simulated(name: str) -> tuple[Machine, list[LoggedBatch]]:
    """Sixteen batches of a simulated machine: five lots, other loads, warmer and cooler hands, cold first batches."""
    rng = np.random.default_rng(5)
    machine = machine_of_kind(name, KIND_OF[name])
    base = next(recipe for recipe in RECIPES if recipe.machine == name)
    lots = list(LOTS)[:5]
    plans = {lot: plan_of(replace(base, lot=lot), machine) for lot in lots}
    batches = []
    for number in range(16):
        plan = plans[lots[number % 5]]
        warmer = float(rng.uniform(0.88, 1.12))
        scale = machine.controls
        moves = tuple(replace(move, to=scale[move.control].nearest(move.to * warmer)) for move in plan.moves)
        plan = replace(plan, moves=moves, load_kg=base.load_kg * float(rng.choice([1.0, 0.9, 0.8])))
        of_day = number % 4 + 1
        record = roast_record(plan, TROUBLES["cold" if of_day == 1 else ""], f"{name}-{number}", datetime.now(UTC), rng)
        batches.append(logged_batch(record, machine, LOTS[plan.lot].lot, of_day))
    return machine, batches


def judged(model: MachineModel, batches: list[LoggedBatch]) -> Step:
    """The model on batches that it has not seen."""
    step, rng = Step([], [], [], []), np.random.default_rng(3)
    for batch in batches:
        step.rms.append(misfit(modelled(model.fitted, batch, known=False), batch)[0])
        error = crack_error(model, batch)
        step.blind.append(abs(error) if error is not None else 600.0)
        crack, drop = batch.first_crack_t, batch.drop_t
        if crack is None or drop is None:
            continue
        rule = DropRule(development_s=drop - crack)
        for before in (90.0, 180.0):
            at = crack - before
            told = forecast_at(model, batch, at, as_made(batch, at), rule, rng)
            if before == 90.0:
                step.ahead.append(abs(told.first_crack.value - crack) if told.first_crack else 600.0)
            interval = told.first_crack
            step.held.append(interval is not None and (interval.low or 0.0) <= crack <= (interval.high or 9e9))
        landing = forecast_at(model, batch, crack, as_made(batch, crack), rule, rng)
        end_c = read_at_drop(batch)
        if landing.drop_c is not None:
            step.held.append((landing.drop_c.low or 0.0) <= end_c <= (landing.drop_c.high or 999.0))
    return step


def machine_runs(name: str) -> tuple[str, dict[int, Step]]:
    """One machine through its first days."""
    warnings.simplefilter("ignore")
    leave_out(name)
    machine, batches = (LOGGED[name], list(logs_of(name))) if name in LOGGED else simulated(name)
    found = {}
    for count in AFTER:
        if count + 2 > len(batches):
            continue
        begun = time.perf_counter()
        known = batches[:count]
        model = learn(known, machine.useful_load_kg, machine.heat_kinds) if known else None
        seconds = time.perf_counter() - begun
        model = model or prior_model(machine.useful_load_kg, machine.heat_kinds)
        found[count] = judged(model, batches[count : count + JUDGED])
        found[count].seconds = seconds
        # Against each other the models are held on the same batches, which none of them has seen.
        found[count].common = judged(model, batches[AFTER[-1] : AFTER[-1] + JUDGED])
    return name, found


def medians(steps: list[Step]) -> tuple[float, float, float, float]:
    """Over all batches of all machines: RMS [degC], first crack blind and 90 s ahead [s], share of intervals that held."""
    rms, blind, ahead, held = (
        np.concatenate([getattr(step, name) for step in steps]) for name in ("rms", "blind", "ahead", "held")
    )
    return float(np.median(rms)), float(np.median(blind)), float(np.median(ahead)), float(np.mean(held))


def run(_folder: Path, names: tuple[str, ...] = (*LOGGED, *KIND_OF)) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        runs = dict(pool.map(machine_runs, names))
    for name, found in runs.items():
        for count, step in found.items():
            rms, blind, ahead, held = medians([step])
            told = f"bean {rms:4.1f} K, first crack {blind:3.0f} s blind, {ahead:4.1f} s 90 s ahead"
            print(f"  {name:12s} after {count:2d}: {told}, held {100 * held:3.0f} %, fit {step.seconds:.0f} s")
    lines = []
    common = {}
    for sort, group in (("logged", LOGGED), ("simulated", KIND_OF)):
        for count in AFTER:
            steps = [found[count] for name, found in runs.items() if name in group and count in found]
            if not steps:
                continue
            rms, blind, ahead, held = medians(steps)
            common[sort, count] = medians([step.common for step in steps if step.common is not None])
            told = f"bean {rms:.1f} K, first crack {blind:.0f} s blind, {ahead:.1f} s 90 s ahead, held {100 * held:.0f} %"
            rms, blind, ahead, _ = common[sort, count]
            print(f"  {sort} after {count:2d}: {told}; on the last {JUDGED}: {rms:.1f} K, {blind:.0f} s, {ahead:.1f} s")
            lines.append(Line(f"{sort}, after {count}: 80 % intervals, off 80 by", abs(100 * held - 80), "points", 5.0))
        if (sort, 12) in common and (sort, 4) in common:
            for what, place in (("bean", 0), ("first crack without live data", 1), ("90 s ahead", 2)):
                ratio = common[sort, 4][place] / common[sort, 12][place]
                lines.append(Line(f"{sort}, {what}: after 4 batches", ratio, "times", 1.3, "after 12"))
    slowest = max(step.seconds for found in runs.values() for step in found.values())
    return [*lines, Line("slowest fit", slowest, "s", 60.0)]


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]) or (*LOGGED, *KIND_OF))
