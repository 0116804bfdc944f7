"""What the Plan view shows of one plan, in display units."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.plan import Plan, due_moves
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, FloatArray, Machine, Mark, MarkKind
from firnel.work.cue import move_sentence, when_sentence
from firnel.work.roast_picture import ROLES, RibbonPicture


@dataclass(frozen=True)
class PlanPicture:
    """One plan drawn and said; curves over seconds from charge."""

    made_for: str
    targets: tuple[tuple[str, str], ...]
    moves: tuple[tuple[str, str, str], ...]
    move_order: tuple[int, ...]  #: which of the plan's moves each row is
    t: FloatArray
    bean: FloatArray
    air: FloatArray
    low: FloatArray
    high: FloatArray
    stage_ends: tuple[float, ...]
    end: float
    levels: tuple[float, float]
    ribbons: tuple[RibbonPicture, ...]


def plan_picture(plan: Plan, machine: Machine | None, units: Units) -> PlanPicture:
    """The picture of a plan."""
    targets = plan.targets
    lengths = [seconds for seconds in (targets.drying_s, targets.browning_s, targets.development_s) if seconds]
    ends = tuple(float(end) for end in np.cumsum(lengths))
    end = ends[-1] if ends else 720.0
    curve, empty = plan.curve, np.empty(0)

    def shown(celsius: FloatArray) -> FloatArray:
        return celsius * units.show_difference(1.0) + units.show(0.0, "°C")

    bean = shown(curve.bean) if curve else empty
    air = shown(curve.air) if curve else empty
    tolerance = units.show_difference(plan.tolerance_c)
    levels = (units.show(60.0, "°C"), units.show(240.0, "°C"))
    if curve is not None:
        levels = (float(np.min(bean)) - 8.0, max(float(np.max(bean)), float(np.max(air))) + 8.0)
    due = due_moves(plan, (Mark(MarkKind.CHARGE, 0.0),), 0.0)
    moves = tuple((move_sentence(entry, units, machine), when_sentence(entry.move, units), clock(entry.due_t)) for entry in due)
    tolerances = f"±{units.show_difference(plan.tolerance_c):.1f} {units.temperature}, ±{plan.tolerance_s:.0f} s"
    rows = (
        ("Charge", units.text(targets.charge_c, "°C", 0)),
        (
            "Drying · browning · development",
            " · ".join(clock(s) for s in (targets.drying_s, targets.browning_s, targets.development_s)),
        ),
        (
            "Drop",
            f"{units.text(targets.drop_c, '°C', 1)} · {tolerances}",
        ),
    )
    load = f", {units.text(plan.load_kg, 'kg')}" if plan.load_kg else ""
    made_for = f"{plan.lot or 'any lot'} on {plan.machine or 'any machine'}{load} · {plan.purpose} · {plan.approach}"
    return PlanPicture(
        made_for, rows, moves, tuple(entry.index for entry in due),
        curve.t if curve else empty, bean, air, bean - tolerance, bean + tolerance, ends, end, levels,
        _ribbons(plan, machine, units, end),
    )  # fmt: skip


def _ribbons(plan: Plan, machine: Machine | None, units: Units, end: float) -> tuple[RibbonPicture, ...]:
    if machine is None:
        return ()
    due = due_moves(plan, (Mark(MarkKind.CHARGE, 0.0),), 0.0)
    ribbons = []
    for control, scale in machine.controls.items():
        steps = [(0.0, plan.start[control])] if control in plan.start else []
        steps += [(e.due_t, e.move.to) for e in due if e.move.control is control and e.due_t is not None]
        stops = [*(t for t, _ in steps[1:]), end][: len(steps)]
        spans = tuple((t, stop, value) for (t, value), stop in zip(steps, stops, strict=True) if stop > t)
        name = "heat" if control is Control.GAS and machine.heat == "electric" else control.value
        unit = units.shown_unit(scale.unit)
        digits = (0 if scale.step >= 1 else 1) if unit == scale.unit else 2
        ribbons.append(
            RibbonPicture(name, unit, ROLES[control], scale.high, digits, units.show_difference(1.0, scale.unit), spans)
        )
    return tuple(ribbons)
