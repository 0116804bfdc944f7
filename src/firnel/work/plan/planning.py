"""Planning: targets with a sensible start, the solver, the plan as a document, and where a plan can come from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Any

import numpy as np

from firnel.core.anchoring import cleaned_moves
from firnel.core.model.learning import MachineModel
from firnel.core.model.outlook import Outlook, outlook
from firnel.core.model.solving import FORMS, CannotSolveError, How, Solved, sensitivity, solve
from firnel.core.model.troubles import Trouble
from firnel.core.plan import Plan, PlanCurve, PlannedMove, Targets
from firnel.core.plan_document import plan_to_document
from firnel.core.stages import stages_of
from firnel.core.usual import BROWNING_S, DRYING_S, USUAL_STAGES
from firnel.core.vocabulary import Control, Lot, Machine, MarkKind
from firnel.core.words import later, tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.green.intake import lot_sheet
from firnel.work.machines.forecasting import SEED, green_of
from firnel.work.machines.knowledge import ROUGH, model_of
from firnel.work.plan.whose import lot_of, machine_of

__all__ = [
    "DEVELOPMENT_S",
    "FORMS",
    "CannotSolveError",
    "How",
    "Solved",
    "for_lot",
    "outlook_of",
    "plan_of_batch",
    "sensible_start",
    "solve_plan",
    "solved_document",
    "targets_of_batch",
    "transferred",
    "unseen_width",
    "weigh_moves",
]

#: Rise from first crack to drop by purpose, common practice, no published source. [degC]
RISE_C = {"filter": 6.0, "espresso": 10.0, "milk": 13.0, "cupping": 5.0, "dark": 22.0}
#: Drying and browning go with these powers of the load: common practice, no published source; how sure that is, and how much
#: the length of a stage differs from batch to batch (logarithm).
DRYING_BY_LOAD, BROWNING_BY_LOAD, POWER_SD, STAGE_SD = 0.45, 0.30, 0.25, 0.08
#: Development time by purpose, common practice, no published source. [s]
DEVELOPMENT_S = {
    later("filter"): 90.0, later("espresso"): 115.0, later("milk"): 125.0, later("cupping"): 80.0, later("dark"): 150.0
}  # fmt: skip


def sensible_start(
    library: Library,
    machine: Machine,
    lot: Lot | None,
    purpose: str,
    today: date | None = None,
    load_kg: float | None = None,
) -> tuple[Targets, tuple[str, ...]]:
    """Targets to begin with, and why: the machine's usual stages at this load, the lot's handling as of ``today``, the purpose.

    ``load_kg`` is the useful one if None.
    """
    load_kg = load_kg or machine.useful_load_kg
    lines = library.batch_lines(BatchFilter(machine_id=machine.id, statuses=("done", "dropped"), counting=True), limit=60)
    own = [line for line in lines if lot is not None and line.lot_id == lot.id]
    basis = own if len(own) >= 2 else lines
    said = []

    full = machine.useful_load_kg or load_kg
    drying, browning = (
        usual_stage(
            [(line.load_kg or full, value) for line in basis if (value := getattr(line, name)) is not None],
            load_kg,
            full,
            usual,
            by_load,
        )
        for name, usual, by_load in (("drying_s", DRYING_S, DRYING_BY_LOAD), ("browning_s", BROWNING_S, BROWNING_BY_LOAD))
    )
    if basis:
        whose = tr("{} batches of this lot", len(own)) if basis is own else tr("{} batches on {}", len(lines), machine.name)
        said.append(tr("Drying and browning as in {}, for {:g} kg.", whose, load_kg))
    charge_c = None
    if lot is not None:
        advice = lot_sheet(library, lot, machine, today or date.today()).handling
        if advice is not None:
            charge_c = float(round(advice.charge_c))
            said.append(
                tr(
                    "Charge by the lot's handling: {}.",
                    "; ".join(reason.words for reason in advice.reasons) or tr("as usual"),
                )
            )
            if basis is not own and abs(advice.early_heat - 1.0) >= 0.01:
                drying = float(round(drying / advice.early_heat))
                side = tr("less") if advice.early_heat < 1.0 else tr("more")
                said.append(tr("Drying by {:.0f} % {} early heat.", 100 * abs(advice.early_heat - 1.0), side))
    development, rise = DEVELOPMENT_S.get(purpose, USUAL_STAGES[2]), RISE_C.get(purpose, 7.0)
    said.append(tr("Development and end for {}: {:.0f} K above first crack.", purpose, rise))
    drop_c = round(crack_of(library, machine, lot) + rise, 1)
    return Targets(charge_c, drying, browning, development, drop_c), tuple(said)


def usual_load(library: Library, machine: Machine, lot: Lot | None, today: date) -> float:
    """What is charged of a lot: the machine's useful load, or what its handling makes of that. [kg]"""
    advice = lot_sheet(library, lot, machine, today).handling if lot is not None else None
    return advice.load_kg if advice is not None else machine.useful_load_kg


def usual_stage(seen: Sequence[tuple[float, float]], load_kg: float, full_kg: float, usual_s: float, by_load: float) -> float:
    """How long a stage usually takes at a load, from what was seen at which loads; to the second.

    A stage goes with a power of the load, by which is common practice (no published source) where the batches are too few or
    too alike to tell.

    Parameters
    ----------
    seen : load [kg] and length [s] of each batch.
    load_kg, full_kg : that is asked for, and the machine's useful one.
    usual_s : at the useful load, before anything was seen.
    by_load : the power.
    """
    if not seen:
        return float(round(usual_s * (load_kg / full_kg) ** by_load))
    logs = np.log([load for load, _ in seen]), np.log([length for _, length in seen])
    middle = [float(np.median(column)) for column in logs]
    about = [column - centre for column, centre in zip(logs, middle, strict=True)]
    weight = POWER_SD**-2 / STAGE_SD**-2
    power = (float(about[0] @ about[1]) + weight * by_load) / (float(about[0] @ about[0]) + weight)
    return float(round(np.exp(middle[1] + power * (np.log(load_kg) - middle[0]))))


def crack_of(library: Library, machine: Machine, lot: Lot | None) -> float:
    """What the bean probe reads at first crack of this lot: the machine's own, moved by the lot's traits and batches. [degC]"""
    if lot is None:
        return machine.first_crack_c
    model, _ = model_of(library, machine)
    if not model.batches:
        return machine.first_crack_c
    if not model.crack.seen:
        return machine.first_crack_c
    middle = float(np.median(model.crack.seen))
    return machine.first_crack_c + model.crack.expect(green_of(library, lot.name))[0] - middle


def targets_of_batch(library: Library, reference: str) -> tuple[Targets, str]:
    """Targets from a past batch, and the lot it was of.

    Raises
    ------
    NotInLibraryError : if there is no such batch.
    CannotSolveError : if its marks are not complete.
    """
    record = library.batch(library.find_batch(reference))
    stages = stages_of(record.marks)
    charge, drop = record.mark(MarkKind.CHARGE), record.mark(MarkKind.DROP)
    if stages.drying is None or stages.browning is None or stages.development is None or charge is None or drop is None:
        raise CannotSolveError(
            tr("batch {} lacks a mark: a plan needs charge, yellow, first crack and drop of it.", record.label)
        )
    return Targets(
        charge.bean, stages.drying.seconds, stages.browning.seconds, stages.development.seconds, drop.bean
    ), record.lot  # fmt: skip


def transferred(targets: Targets, source: Machine, target: Machine, usual: Targets) -> tuple[Targets, str]:
    """Targets on another machine: what travels is browning, development, the rise from first crack to drop, loss and colour.

    Drying time and charge are the other machine's own; temperatures are mapped by both machines' first crack.

    Parameters
    ----------
    targets : on the machine ``source``.
    usual : of the machine ``target``.
    """
    rise = None if targets.drop_c is None else targets.drop_c - source.first_crack_c
    drop_c = usual.drop_c if rise is None else round(target.first_crack_c + rise, 1)
    travels = targets.only({*targets.asked} & {"browning_s", "development_s", "rise_c", "loss", "colour"})
    moved = replace(travels, charge_c=usual.charge_c, drying_s=usual.drying_s, drop_c=None if travels.rise_c else drop_c)
    told = tr("From {}: browning, development", source.name) + (
        tr(" and {:.1f} K from crack to drop", rise) if rise is not None else ""
    )
    return moved, tr("{} are kept; drying and charge are {}'s own.", told, target.name)


def plan_of_batch(library: Library, reference: str) -> Plan:
    """A plan that wants what a past batch was, by that batch's own moves: cleaned, few, and hung on its marks.

    Raises
    ------
    NotInLibraryError, CannotSolveError : as `targets_of_batch`.
    """
    record = library.batch(library.find_batch(reference))
    targets, lot = targets_of_batch(library, reference)
    machine = machine_of(library, record)
    start: dict[Control, float] = {}
    moves: tuple[PlannedMove, ...] = ()
    if machine is not None:
        kinds = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)
        charge, yellow, crack, drop = (mark.t for kind in kinds if (mark := record.mark(kind)) is not None)
        start, moves = cleaned_moves(record.moves, machine.controls, charge, yellow, crack, drop)
    name = tr("{} as {}", lot or record.machine, record.label)
    room = record.room_c if record.room_c is not None else 22.0
    return Plan(
        name, record.machine, lot, record.load_kg, targets=targets, start=start, moves=moves, room_c=room,
        lot_id=record.lot_id, machine_id=record.machine_id,
    )  # fmt: skip


def for_lot(library: Library, machine: Machine, plan: Plan, lot: Lot, today: date) -> tuple[Plan, str]:
    """A plan for another lot: its charge moved by what the handling of both lots differs in, and why."""
    own = lot_of(library, plan)
    advices = [lot_sheet(library, each, machine, today).handling if each is not None else None for each in (own, lot)]
    before, after = advices
    charge = plan.targets.charge_c
    if before is None or after is None or charge is None:
        return replace(plan, lot=lot.name, lot_id=lot.id), tr(
            "The targets of {}, for {}.", plan.lot or tr("the plan"), lot.name
        )
    by = round(after.charge_c - before.charge_c)
    moved = replace(plan, lot=lot.name, lot_id=lot.id, targets=replace(plan.targets, charge_c=charge + by))
    reasons = "; ".join(reason.words for reason in after.reasons) or tr("as usual")
    return moved, tr("Charge {:+.0f} K against {} by the handling of {}: {}.", by, plan.lot, lot.name, reasons)


def solve_plan(library: Library, machine: Machine, plan: Plan, usual: Targets | None = None, how: How = How.NEW) -> Solved:
    """Solve a plan on a machine's model; the result has its curve.

    Parameters
    ----------
    library, machine, plan : with the plan's lot and the machine's model.
    usual : what the machine usually does; found in the library if None.
    how : freely the moves are found.

    Raises
    ------
    CannotSolveError : if the targets contradict each other or the machine.
    """
    model, _ = model_of(library, machine)
    if usual is None:
        usual = sensible_start(library, machine, lot_of(library, plan), plan.purpose, load_kg=plan.load_kg)[0]
    solved = solve(model, machine, plan, green_of(library, plan.lot), usual, how=how)
    troubles = (*_doubts(model, machine), *solved.troubles)
    return replace(solved, plan=replace(solved.plan, curve=_curve(solved)), troubles=troubles)


def _doubts(model: MachineModel, machine: Machine) -> list[Trouble]:
    """Whether a plan on this model is hardly worth its paper."""
    off = model.report.held_out_rms_bean_c
    if off is None or (off <= ROUGH[0] and (model.report.held_out_crack_s or 0.0) <= ROUGH[1]):
        return []
    words = tr(
        "What is learned of {} was {:.1f} K off on batches it had not seen: hardly to be planned with yet.", machine.name, off
    )
    return [Trouble("doubt", 0.0, words)]


def outlook_of(library: Library, machine: Machine, solved: Solved) -> Outlook:
    """How surely a solved plan comes out as planned."""
    model, _ = model_of(library, machine)
    rng = np.random.default_rng(SEED)
    return outlook(model, machine, solved.plan, solved.roast, green_of(library, solved.plan.lot), rng)


def unseen_width(solved: Solved, sure: Outlook) -> str:
    """Where a plan begins as was never logged: how wide that leaves yellow; empty elsewhere."""
    drying = sure.of.get("drying_s")
    if drying is None or drying.low is None or not solved.never_logged:
        return ""
    half = drying.value - drying.low if drying.high is None else 0.5 * (drying.high - drying.low)
    return tr("Until it has been roasted once, yellow is foretold to ± {:.0f} s only.", half)


def _curve(solved: Solved) -> PlanCurve:
    made = solved.roast.simulated
    return PlanCurve(made.t, made.bean_probe[:, 0], made.air_probe[:, 0], made.rate()[:, 0])


def weigh_moves(library: Library, machine: Machine, plan: Plan) -> tuple[tuple[float, float], ...]:
    """What a step more, and five seconds late, in each move do to the drop temperature. [degC]"""
    model, _ = model_of(library, machine)
    return sensitivity(model, machine, plan, green_of(library, plan.lot))


def solved_document(solved: Solved, machine: Machine) -> dict[str, Any]:
    """The document of ``firnel plan solve --json``: a plan document and how it meets its targets."""
    document = plan_to_document(solved.plan)
    moves = []
    for move, told, expected in zip(solved.plan.moves, document["moves"], solved.roast.expected_t, strict=True):
        scale = machine.controls.get(move.control)
        moves.append(
            told | {"unit": scale.unit if scale else "", "expected_t": None if expected is None else round(expected, 1)}
        )
    curve = solved.plan.curve
    shown = {name: np.round(getattr(curve, name), 3).tolist() for name in ("t", "bean", "air", "ror")} if curve else None
    return document | {
        "moves": moves,
        "met": {name: {"wanted": wanted, "got": round(got, 2)} for name, (wanted, got) in solved.met.items()},
        "not_met": list(solved.not_met),
        "warnings": list(solved.warnings),
        "curve": shown,
    }
