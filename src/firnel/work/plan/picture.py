"""What the Plan view shows of one plan, in display units."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.outlook import Outlook
from firnel.core.model.solving import Solved
from firnel.core.plan import TARGET_WORDS, Plan, due_moves
from firnel.core.units import Units, clock
from firnel.core.vocabulary import FloatArray, Machine, Mark, MarkKind, word_of
from firnel.core.words import tr
from firnel.work.plan.words import APPROACHES, target_text, tolerance_text
from firnel.work.roast.move_words import control_text, move_sentence, when_sentence
from firnel.work.roast.picture import ROLES, RibbonPicture

#: Before this the rate of rise says nothing yet. [s]
TURNED_S = 100.0
#: A small curve is drawn through so many points.
COURSE_POINTS = 20
#: What stands on the curve; a doubt of the whole machine is told beside it.
TROUBLE_WORDS = {"stall": tr("stalls"), "runaway": tr("runs away"), "scorch": tr("may scorch"), "unseen": tr("never logged"),
                 "guess": tr("never logged")}  # fmt: skip


@dataclass(frozen=True)
class PlanPicture:
    """One plan drawn and said; curves over seconds from charge."""

    made_for: str
    targets: tuple[tuple[str, str], ...]
    gives: tuple[tuple[str, str], ...]  #: what this should give, with its 80 % interval
    moves: tuple[tuple[str, str, str], ...]
    move_order: tuple[int, ...]  #: which of the plan's moves each row is
    t: FloatArray
    bean: FloatArray
    air: FloatArray
    low: FloatArray
    high: FloatArray
    rate: FloatArray
    fan_t: FloatArray
    fan: FloatArray  #: 10 and 90 % of the bean probe, shape (2, n)
    stage_ends: tuple[float, ...]
    stage_names: tuple[str, ...]
    troubles: tuple[tuple[float, str], ...]
    end: float
    levels: tuple[float, float]
    rate_top: float
    rate_unit: str
    ribbons: tuple[RibbonPicture, ...]
    start: str = ""  #: the settings at charge, in a line
    only_usual: tuple[bool, ...] = ()  #: stages of which the plan says nothing: shown as is usual


def plan_picture(
    plan: Plan, machine: Machine | None, units: Units, solved: Solved | None = None, sure: Outlook | None = None
) -> PlanPicture:
    """The picture of a plan; with what the solver and the outlook say of it, where there is that."""
    targets, usual = plan.targets, tuple(seconds is None and plan.course is None for seconds in plan.stages)
    plan = with_usual(plan)
    lengths = [seconds for seconds in plan.stages if seconds]
    ends = tuple(float(end) for end in np.cumsum(lengths))
    end = ends[-1] if ends else 720.0
    curve, empty = plan.curve, np.empty(0)

    def shown(celsius: FloatArray) -> FloatArray:
        return celsius * units.show_difference(1.0) + units.show(0.0, "°C")

    bean = shown(curve.bean) if curve else empty
    air = shown(curve.air) if curve else empty
    rate = np.where(curve.t > TURNED_S, curve.ror, np.nan) * units.show_difference(1.0) if curve else empty
    tolerance = units.show_difference(plan.tolerance("drop_c"))
    levels = (units.show(60.0, "°C"), units.show(240.0, "°C"))
    if curve is not None:
        levels = (float(np.min(bean)) - 8.0, max(float(np.max(bean)), float(np.max(air))) + 4.0)
    due = due_moves(plan, (Mark(MarkKind.CHARGE, 0.0),), 0.0)
    moves = tuple((move_sentence(entry, units, machine), when_sentence(entry.move, units), clock(entry.due_t)) for entry in due)
    rows = (
        (tr("Charge"), units.text(targets.charge_c, "°C", 0)),
        (
            tr("Drying · browning · development"),
            " · ".join(clock(s) for s in (targets.drying_s, targets.browning_s, targets.development_s)),
        ),
        (tr("Drop"), f"{units.text(targets.drop_c, '°C', 1)} {tolerance_text('drop_c', plan.tolerance('drop_c'), units)}"),
    )
    names = tuple(
        f"{word} {target_text('drop_c', float(np.interp(at, curve.t, curve.bean)), units)}" if curve is not None else word
        for word, at in zip((tr("yellow"), tr("first crack"), tr("drop")), ends, strict=False)
    )
    load = f", {units.text(plan.load_kg, 'kg')}" if plan.load_kg else ""
    approach = APPROACHES.get(plan.approach, plan.approach)
    made_for = tr(
        "{} on {}{} · {} · {}", plan.lot or tr("any lot"), plan.machine or tr("any machine"), load, tr(plan.purpose), approach
    )
    return PlanPicture(
        made_for, rows, _gives(solved, sure, units), moves, tuple(entry.index for entry in due),
        curve.t if curve else empty, bean, air, bean - tolerance, bean + tolerance, rate,
        sure.t if sure else empty, shown(sure.fan[[0, 2]]) if sure else np.empty((2, 0)), ends, names,
        tuple((one.t, TROUBLE_WORDS[one.kind]) for one in (solved.troubles if solved else ()) if one.kind in TROUBLE_WORDS),
        end, levels, _rate_top(rate, units), tr("{}/min", units.temperature), _ribbons(plan, machine, units, end),
        start_words(plan, machine, units), usual,
    )  # fmt: skip


def stages_text(plan: Plan) -> str:
    """Drying, browning and development as the plan expects them, or as is usual: ``4:42 · 6:08 · 1:40``."""
    return " · ".join(clock(seconds) for seconds in plan.usual_stages)


def drop_text(plan: Plan, units: Units) -> str:
    """What the bean probe reads where the plan ends: as it was solved, or as is asked before that: ``211.2 °C``."""
    curve, reads = plan.curve, plan.targets.drop_c
    if plan.course is not None and curve is not None and curve.t.size:
        reads = float(np.interp(sum(plan.usual_stages), curve.t, curve.bean))
    return target_text("drop_c", reads, units)


def course_points(plan: Plan) -> tuple[tuple[float, float], ...]:
    """The planned bean probe at some moments until the drop, for a small curve; none before a plan was solved. [s], [degC]"""
    curve, end = plan.curve, sum(plan.usual_stages)
    if curve is None or not curve.t.size:
        return ()
    moments = np.linspace(0.0, min(end, float(curve.t[-1])), COURSE_POINTS)
    return tuple((float(t), float(bean)) for t, bean in zip(moments, np.interp(moments, curve.t, curve.bean), strict=True))


def with_usual(plan: Plan) -> Plan:
    """The plan with stages of which it says nothing as long as is usual: so that what hangs on them has a place."""
    if plan.course is not None:
        return plan
    drying, browning, development = plan.usual_stages
    return replace(plan, targets=replace(plan.targets, drying_s=drying, browning_s=browning, development_s=development))


def start_words(plan: Plan, machine: Machine | None, units: Units) -> str:
    """The settings at charge: ``At charge: hot air 82 %, radiant 70 %``; empty where the plan names none."""
    order = [*(control for control in (machine.controls if machine else ()) if control in plan.start)]
    order += [control for control in plan.start if control not in order]
    told = [
        f"{word_of(control, machine)} "
        f"{control_text(control, plan.start[control], machine.controls.get(control) if machine else None, units)}"
        for control in order
    ]
    return tr("At charge: {}", ", ".join(told)) if told else ""


def _rate_top(rate: FloatArray, units: Units) -> float:
    """As high as the rate goes, and never lower than usual ones."""
    known = rate[np.isfinite(rate)]
    return max(1.08 * float(known.max()) if known.size else 0.0, units.show_difference(18.0))


def _gives(solved: Solved | None, sure: Outlook | None, units: Units) -> tuple[tuple[str, str], ...]:
    """What the roast should give, each with half its 80 % interval where that is known; named beside it what else was asked."""
    if solved is None:
        return ()
    came, wanted = solved.roast.came(), solved.plan.wanted

    def row(name: str) -> tuple[str, str]:
        value, word = target_text(name, came[name], units), TARGET_WORDS[name]
        if name in wanted.asked and (asked := target_text(name, getattr(wanted, name), units)) != value:
            word = tr("{}, asked {}", word, asked)
        within = sure.of.get(name) if sure is not None else None
        if name in ("loss", "colour") and within is None:
            return word, "–" if sure is None else tr("not told yet")
        if within is None or within.low is None or within.high is None:
            return word, value
        spread = tolerance_text(name, 0.5 * (within.high - within.low), units)
        unit = spread.partition(" ")[2]
        return word, f"{value.removesuffix(f' {unit}') if unit else value} {spread}"

    open_end = "development_s" if solved.plan.drop_rules else "drop_c"  # the other is where the hand drops
    return tuple(row(name) for name in ("drying_s", "browning_s", open_end, "rise_c", "loss", "colour"))


def _ribbons(plan: Plan, machine: Machine | None, units: Units, end: float) -> tuple[RibbonPicture, ...]:
    if machine is None:
        return ()
    due = due_moves(plan, (Mark(MarkKind.CHARGE, 0.0),), 0.0)
    ribbons = []
    for control, scale in machine.controls.items():
        steps = [(0.0, plan.start[control])] if control in plan.start else []
        steps += [(e.due_t, e.move.to) for e in due if e.move.control == control and e.due_t is not None]
        stops = [*(t for t, _ in steps[1:]), end][: len(steps)]
        spans = tuple((t, stop, value) for (t, value), stop in zip(steps, stops, strict=True) if stop > t)
        name = machine.word(control)
        unit = units.shown_unit(scale.unit)
        digits = scale.digits(*(value for _, value in steps)) if unit == scale.unit else 2
        ribbons.append(
            RibbonPicture(
                name, unit, ROLES[machine.role(control)], scale.high, digits, units.show_difference(1.0, scale.unit), spans
            )
        )
    return tuple(ribbons)
