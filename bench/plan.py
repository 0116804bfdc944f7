"""Plans solved on a model of six batches, then roasted open-loop on the simulator, which has effects that the model lacks."""

import time
from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from report import Line

from firnel.app.demo_batches import LOTS, MACHINES, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.model.learning import MachineModel, traits_of
from firnel.core.model.lessons import learn
from firnel.core.model.logged import logged_batch
from firnel.core.model.solving import FORMS, MET_C, MET_S, How, Solved, solve
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import BatchRecord, Machine, MarkKind
from firnel.work.desk import machine_of_kind
from firnel.work.plan.planning import transferred

#: Each plan is roasted so often, so that the medians are steady.
ROASTS = 3
USED_LOTS = list(LOTS)[:4]


@dataclass
class Fitted:
    """A simulated machine, its model of six batches, and what it usually does."""

    machine: Machine
    model: MachineModel
    usual: Targets
    load_kg: float
    record: BatchRecord

    def green(self, lot: str) -> GreenTraits:
        """Of one of the lots."""
        return replace(traits_of(logged_batch(self.record, self.machine, LOTS[lot].lot)), lot=lot)


def fit(name: str, kind: str, rng: np.random.Generator) -> Fitted:
    machine = machine_of_kind(name, kind)
    base = next(recipe for recipe in RECIPES if recipe.machine == name)
    fitted_to = []
    for number, lot in enumerate((*USED_LOTS[:3], *USED_LOTS[:3]), start=1):
        record = roast_record(plan_of(replace(base, lot=lot), machine), TROUBLES[""], f"{number}", datetime.now(UTC), rng)
        fitted_to.append(logged_batch(record, machine, LOTS[lot].lot, number))
    model = learn(fitted_to, machine.useful_load_kg, machine.heat_kinds)  # as the application does
    drying = float(np.median([batch.yellow_t for batch in fitted_to]))
    browning = float(np.median([batch.first_crack_t for batch in fitted_to])) - drying
    reading = float(np.median([np.interp(b.first_crack_t, b.t, b.bean) for b in fitted_to]))
    usual = Targets(base.charge_c, round(1.03 * drying), round(0.97 * browning), 95.0, round(reading + 7.0, 1))
    return Fitted(replace(machine, first_crack_c=reading), model, usual, base.load_kg, record)


def roasted(solved: Solved, rng: np.random.Generator) -> dict[str, float]:
    """What came of a plan on the simulator: drying, browning, development [s], drop, rise [degC]."""
    record = roast_record(solved.plan, TROUBLES[""], "1", datetime.now(UTC), rng)
    came = {mark.kind: mark for mark in record.marks}
    charge, yellow, crack, drop = (came[k] for k in (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP))
    return {
        "crack_t": crack.t - charge.t,
        "browning_s": crack.t - yellow.t,
        "development_s": drop.t - crack.t,
        "drop_c": drop.bean or 0.0,
        "rise_c": (drop.bean or 0.0) - (crack.bean or 0.0),
    }


def run(folder: Path) -> list[Line]:
    rng = np.random.default_rng(31)
    fits = {name: fit(name, kind, rng) for name, kind in MACHINES.items()}
    seconds: dict[str, list[float]] = defaultdict(list)
    off: dict[str, list[float]] = defaultdict(list)
    solved_on: dict[tuple[str, str, str], Solved] = {}
    unmet = 0

    def timed(name: str, *given, **how) -> Solved:  # type: ignore[no-untyped-def]
        begun = time.perf_counter()
        solved = solve(*given, **how)
        seconds[name].append(time.perf_counter() - begun)
        return solved

    for name, one in fits.items():
        for lot in USED_LOTS:
            green = one.green(lot)
            for approach in FORMS:
                asked = Plan(f"{lot} {approach}", name, lot, one.load_kg, "filter", approach, one.usual)
                solved = timed("full", one.model, one.machine, asked, green, one.usual)
                solved_on[(name, lot, approach)] = solved
                edited = replace(solved.plan, targets=replace(one.usual, browning_s=(one.usual.browning_s or 0.0) + 10.0))
                timed("edit", one.model, one.machine, edited, green, one.usual, how=How.KEPT)
                timed("drag", one.model, one.machine, edited, green, one.usual, how=How.SKETCH)
                unmet += bool(solved.missed)
                expected = solved.roast.came()
                for _ in range(ROASTS):
                    came = roasted(solved, rng)
                    off["crack"].append(abs(came["crack_t"] - (solved.roast.marks[MarkKind.FIRST_CRACK] or 0.0)))
                    off["development"].append(abs(came["development_s"] - 95.0))
                    off["drop"].append(abs(came["drop_c"] - (expected["drop_c"] or 0.0)))
    _transfers(fits, solved_on, off, rng)
    print(f"  {len(seconds['full'])} plans, {unmet} with a target that the model cannot meet within {MET_S:.0f} s or {MET_C} K")
    middle = {name: float(np.median(values)) for name, values in off.items()}
    return [
        Line("solving a full plan, slowest", max(seconds["full"]), "s", 1.0),
        Line("solving again after one edit, slowest", max(seconds["edit"]), "s", 0.3),
        Line("sketch of a plan under a dragging hand, slowest", 1000 * max(seconds["drag"]), "ms", 100.0),
        Line("first crack roasted open-loop, median error", middle["crack"], "s", 15.0),
        Line("development, median error", middle["development"], "s", 8.0),
        Line("drop temperature, median error", middle["drop"], "degC", 2.0),
        Line("browning after a transfer from the 1 kg machine, median error", middle["to browning"], "s", 10.0),
        Line("development after a transfer, median error", middle["to development"], "s", 10.0),
        Line("rise from crack to drop after a transfer, median error", middle["to rise"], "degC", 1.5),
    ]


def _transfers(
    fits: dict[str, Fitted],
    solved_on: dict[tuple[str, str, str], Solved],
    off: dict[str, list[float]],
    rng: np.random.Generator,
) -> None:
    """Plans of the small electric machine taken to the gas machines: what both roasts came to."""
    source = next(one for one in fits.values() if one.machine.heat == "electric")
    for target in fits.values():
        if target is source:
            continue
        for lot in USED_LOTS:
            before = solved_on[(source.machine.name, lot, "times")]
            was = _mean_of(before, rng)
            wanted = replace(
                before.plan.targets.only(("charge_c", "drying_s")),
                browning_s=was["browning_s"], development_s=was["development_s"],
                drop_c=source.machine.first_crack_c + was["rise_c"],
            )  # fmt: skip
            moved, _ = transferred(wanted, source.machine, target.machine, target.usual)
            asked = Plan("moved", target.machine.name, lot, target.load_kg, "filter", "times", moved)
            came = _mean_of(solve(target.model, target.machine, asked, target.green(lot), target.usual), rng)
            for name in ("browning", "development"):
                off[f"to {name}"].append(abs(came[f"{name}_s"] - was[f"{name}_s"]))
            off["to rise"].append(abs(came["rise_c"] - was["rise_c"]))


def _mean_of(solved: Solved, rng: np.random.Generator) -> dict[str, float]:
    """A plan roasted six times: a transfer is judged by what the plan does, not by the luck of one batch."""
    came = [roasted(solved, rng) for _ in range(6)]
    return {name: float(np.mean([one[name] for one in came])) for name in came[0]}
