"""The model on batches that it was not fitted to: the simulator's, with effects the model lacks, and two other machines' logs.

Baseline of the live forecast is the straight line through the last 30 s of the bean probe, to the machine's median reading at
first crack; all with the moves that were made, as a plan that is kept to would say.
"""

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from other_machines import MACHINES as OTHERS
from other_machines import leave_out, logs_of
from report import Line

from firnel.app.demo_batches import LOTS, MACHINES, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.model.constants import Hands, LoadState, StartState
from firnel.core.model.forecast import FORWARD_STEP
from firnel.core.model.foretelling import DropRule, Forecast, Marks
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel, crack_error, misfit
from firnel.core.model.lessons import learn
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.model.replay import as_made, forecast_at, forecaster_at, read_at_drop
from firnel.core.model.simulation import simulate
from firnel.core.vocabulary import Machine
from firnel.work.desk import machine_of_kind

BEFORE_CRACK_S = 90.0


@dataclass
class Errors:
    """What was off, batch by batch."""

    known: list[float]
    new: list[float]
    line: list[float]
    landing_c: list[float]
    landing_s: list[float]
    held: list[bool]


def simulated_batches(name: str, rng: np.random.Generator) -> tuple[Machine, list[LoggedBatch], list[LoggedBatch]]:
    """Ten batches of four lots to fit, and twelve to judge: six of three known lots, six of three new ones."""
    machine = machine_of_kind(name, MACHINES[name])
    base = next(recipe for recipe in RECIPES if recipe.machine == name)
    lots = list(LOTS)
    plans = {}
    for lot in lots[:7]:
        soft = (LOTS[lot].lot.density_g_per_l or 720.0) < 700.0
        plans[lot] = plan_of(replace(base, lot=lot, charge_c=base.charge_c - (6.0 if soft else 0.0)), machine)

    def roast(lot: str, number: int) -> LoggedBatch:
        plan = plans[lot]
        warmer = float(rng.uniform(0.88, 1.12))
        scale = machine.controls
        moves = tuple(replace(move, to=scale[move.control].nearest(move.to * warmer)) for move in plan.moves)
        plan = replace(plan, moves=moves, load_kg=base.load_kg * float(rng.choice([1.0, 0.9, 0.8])))
        trouble = TROUBLES["cold"] if number == 1 else TROUBLES[""]
        record = roast_record(plan, trouble, f"{lot}-{number}", datetime.now(UTC), rng)
        return logged_batch(record, machine, LOTS[lot].lot, number)

    fitted = [roast(lot, number) for number in (1, 2, 3) for lot in lots[:3]] + [roast(lots[3], 2)]
    judged = [roast(lot, number) for number in (2, 3) for lot in (*lots[:3], *lots[4:7])]
    return machine, fitted, judged


def straight_line(batch: LoggedBatch, at: float, crack_reading: float) -> float:
    """When the line through the last 30 s reaches the machine's median crack reading. [s]"""
    near = (batch.t > at - 30.0) & (batch.t <= at) & np.isfinite(batch.bean)
    slope, level = np.polyfit(batch.t[near] - at, batch.bean[near], 1)
    return at + (crack_reading - level) / slope if slope > 0 else float("inf")


def judge(model: MachineModel, fitted: Sequence[LoggedBatch], judged: Sequence[LoggedBatch]) -> Errors:
    """Live forecasts of the judged batches."""
    rng = np.random.default_rng(8)
    errors = Errors([], [], [], [], [], [])
    reading = float(np.median([np.interp(b.first_crack_t, b.t, b.bean) for b in fitted if b.first_crack_t]))
    seen = [batch.lot for batch in fitted]
    for batch in judged:
        crack, drop = batch.first_crack_t, batch.drop_t
        if crack is None or drop is None:
            continue
        by_time = DropRule(development_s=drop - crack)
        at = crack - BEFORE_CRACK_S
        early = forecast_at(model, batch, at, as_made(batch, at), by_time, rng)
        off = abs(early.first_crack.value - crack) if early.first_crack else 900.0
        (errors.known if seen.count(batch.lot) >= 3 else errors.new).append(off)
        errors.line.append(abs(straight_line(batch, at, reading) - crack))
        errors.held.append(_holds(early, crack))
        end_c = read_at_drop(batch)
        landing = forecast_at(model, batch, crack, as_made(batch, crack), by_time, rng)
        if landing.drop_c is not None:
            errors.landing_c.append(abs(landing.drop_c.value - end_c))
            errors.held.append((landing.drop_c.low or 0.0) <= end_c <= (landing.drop_c.high or 999.0))
        timed = forecast_at(model, batch, crack, as_made(batch, crack), DropRule(drop_c=end_c), rng)
        errors.landing_s.append(abs(timed.drop_t.value - drop) if timed.drop_t else 900.0)
    return errors


def _holds(forecast: Forecast, truth: float) -> bool:
    crack = forecast.first_crack
    return crack is not None and (crack.low or 0.0) <= truth <= (crack.high or 9999.0)


def report(name: str, machine: Machine, fitted: Sequence[LoggedBatch], judged: Sequence[LoggedBatch]) -> list[Line]:
    """Fit, judge, and print the lines of one machine."""
    begun = time.perf_counter()
    leave_out(machine.name)
    model = learn(fitted, machine.useful_load_kg, machine.heat_kinds)
    seconds = time.perf_counter() - begun
    rms = [misfit(modelled(model.fitted, batch, known=False), batch)[0] for batch in judged]
    cracks = [abs(error) for batch in judged if (error := crack_error(model, batch)) is not None]
    errors = judge(model, fitted, judged)
    live = [*errors.known, *errors.new]
    held = float(np.mean(errors.held))
    lines = [
        Line(f"{name}: fit of {len(fitted)} batches", seconds, "s", 60.0),
        Line(
            f"{name}: bean probe over a whole batch from charge state and moves, RMS, median",
            float(np.median(rms)),
            "degC",
            3.0,
        ),
        Line(f"{name}: first crack without live data, median error", float(np.median(cracks)), "s", 15.0),
        Line(
            f"{name}: first crack 90 s before, lots new to the machine, median error", float(np.median(errors.new)), "s", 15.0
        ),
        Line(
            f"{name}: first crack 90 s before, all lots",
            float(np.median(live) / np.median(errors.line)),
            "times",
            1 / 3,
            f"straight line; {np.median(errors.line):.1f} s",
        ),
        Line(
            f"{name}: drop temperature from the start of development, median error",
            float(np.median(errors.landing_c)),
            "degC",
            0.8,
        ),
        Line(
            f"{name}: drop time at a given temperature from there, median error", float(np.median(errors.landing_s)), "s", 4.0
        ),
        Line(f"{name}: 80 % intervals hold {100 * held:.0f} %; off 80 by", 100 * abs(held - 0.8), "points", 10.0),
    ]
    if errors.known:
        lines.append(
            Line(
                f"{name}: first crack 90 s before, lots with three batches, median error",
                float(np.median(errors.known)),
                "s",
                8.0,
            )
        )
    return lines


def speed(model: MachineModel, batch: LoggedBatch) -> list[Line]:
    """How long one forecast and one simulation take."""
    steady = Hands(np.full(360, 0.7), np.full(360, 0.5), np.ones(360))
    load, start = LoadState(model.fitted.full_load), StartState(210.0, 200.0, 205.0)
    alone = _best(lambda: simulate(model.fitted.constants, load, start, steady))
    ensemble = forecaster_at(model, batch, 20.0, np.random.default_rng(1))
    ahead = as_made(batch, 20.0, 720.0)
    rule = DropRule(development_s=90.0)
    forecast = _best(lambda: ensemble.forecast(ahead, rule, Marks()))
    return [
        Line("12 min simulation of one member", 1000 * alone, "ms", 10.0),
        Line(
            f"forecast of {ensemble.members} members to drop ({len(ahead) * FORWARD_STEP:.0f} s ahead)",
            1000 * forecast,
            "ms",
            50.0,
        ),
    ]


def _best(call) -> float:  # type: ignore[no-untyped-def]
    taken = []
    for _ in range(7):
        begun = time.perf_counter()
        call()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def run(folder: Path) -> list[Line]:
    lines = []
    rng = np.random.default_rng(11)
    for name in MACHINES:
        machine, fitted, judged = simulated_batches(name, rng)
        lines += report(name, machine, fitted, judged)
    for name, machine in OTHERS.items():
        batches = logs_of(name)
        lines += report(name, machine, batches[:8], batches[8:])
    leave_out(name)
    model = learn(batches[:8], machine.useful_load_kg, machine.heat_kinds)
    return lines + speed(model, batches[9])
