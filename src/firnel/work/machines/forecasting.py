"""What a machine's model says of a batch or a plan: forecasts of any second, and plans run on it; as documents too."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from firnel.core.curve_forecast import curve_forecast
from firnel.core.model.constants import Hands
from firnel.core.model.forecast import FORWARD_STEP
from firnel.core.model.foretelling import DropRule, Forecast, Interval, Marks
from firnel.core.model.learning import MachineModel, unaware_of
from firnel.core.model.logged import LoggedBatch, UnusableLogError, untold_of
from firnel.core.model.planned import PlannedRoast, run_plan
from firnel.core.model.probe_shift import since_read
from firnel.core.model.replay import HORIZON_S, LISTENED, forecast_at, hands_ahead, held
from firnel.core.model.score import untold
from firnel.core.model.statements import Statement
from firnel.core.model.thresholds import GreenTraits, mixed_of
from firnel.core.model.widths import HALF_80
from firnel.core.plan import Plan, due_moves
from firnel.core.vocabulary import BatchRecord, Lot, Machine, MarkKind, Role, usual_role
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.work.machines.knowledge import CannotKnowError, batch_lines_of, logged, model_of
from firnel.work.plan.whose import plan_of

#: How a member of an ensemble is drawn: always the same, so that a forecast can be made again.
SEED = 20261


def forecast_record(library: Library, record: BatchRecord, machine: Machine | None, at: float) -> tuple[Forecast, str]:
    """The forecast of a recorded batch at ``at`` [s from charge], with only what was known then; and a word on its basis.

    The moves to come are the plan's, if the batch has one; else all controls are held.

    Raises
    ------
    CannotKnowError : if there is no charge, or no reading by then.
    """
    if record.mark(MarkKind.CHARGE) is None:
        raise CannotKnowError(tr("batch {} has no charge: a forecast counts from it.", record.label))
    zero = record.charge_t
    if at < 0 or not (record.trace.t <= zero + at).any() or zero + at < float(record.trace.t[0]):
        raise CannotKnowError(tr("nothing was read {:g} s after the charge.", at))
    plan = plan_of(library, record)
    model, why = model_of(library, machine) if machine is not None else (None, tr("the machine is not known."))
    rule = _drop_rule(library, record, machine, plan)
    unmarked = [kind for kind in LISTENED if record.mark(kind) is None]
    if model is not None and machine is not None:
        try:
            batch = logged(library, machine, record, until=zero + at, usual=model.usual_load(machine))
            if len(batch.hands) == 0:
                raise UnusableLogError(tr("batch {} has nothing after its charge yet.", record.label))
            if batch.label in model.report.batches:
                model = unaware_of(model, batch.label, batch.lot)
                why += tr("; its constants were fitted with this batch among others")
            if batch.load_doubt:
                apart = 100.0 * HALF_80 * batch.load_doubt
                why += tr("; nobody told its load: {:.3g} kg is taken, give or take {:.0f} %", batch.load_kg, apart)
            ahead = held(batch, at) if plan is None else planned_ahead(plan, machine, record, batch, at)
            # A bean probe that was moved since: the model knows the present one.
            by = since_read(batch, model.report.shifts)
            rule = replace(rule, drop_c=rule.drop_c + by if rule.drop_c is not None else None)
            rng = np.random.default_rng(SEED)
            forecast = forecast_at(model, batch.reading_more(by), at, ahead, rule, rng, unmarked=unmarked)
            return forecast.reading_more(-by), _with_found(why, forecast, unmarked)
        except UnusableLogError as error:
            why = str(error)
    by_curve = curve_record(record, machine, at, rule, heard=len(unmarked) < len(LISTENED))
    if by_curve is None:
        raise CannotKnowError(tr("there are hardly any bean readings in the {:g} s after the charge.", at))
    return by_curve, _with_found(why, by_curve, unmarked)


def _with_found(why: str, forecast: Forecast, unmarked: Collection[MarkKind]) -> str:
    """The word on the basis, and which marks that nobody has set have come by the readings."""
    told = zip(LISTENED, (forecast.yellow, forecast.first_crack), strict=True)
    found = [kind.words for kind, when in told if kind in unmarked and when is not None and when.value < forecast.at - 1.0]
    if not found:
        return why
    return why.removesuffix(".") + tr("; nobody marked {}: taken as found in the readings", tr(" and ").join(found))


def _drop_rule(library: Library, record: BatchRecord, machine: Machine | None, plan: Plan | None) -> DropRule:
    """When it is to be dropped: as the plan says, else after the development time that is usual on the machine."""
    if plan is not None and plan.drop_rules:
        return DropRule(None, plan.targets.drop_c)
    if plan is not None and plan.targets.development_s is not None:
        return DropRule(plan.targets.development_s)
    past = (
        [line.development_s for line in batch_lines_of(library, machine) if line.id != record.id] if machine is not None else []
    )
    known = [seconds for seconds in past if seconds is not None]
    return DropRule(float(np.median(known)) if known else 100.0)


def planned_ahead(plan: Plan, machine: Machine, record: BatchRecord, batch: LoggedBatch, at: float) -> Hands:
    """The controls as they are at ``at``, and the plan's moves that fall due after it, in forecast steps."""
    zero = record.charge_t
    marks = [mark for mark in record.marks if mark.t <= zero + at]
    t = at + FORWARD_STEP * np.arange(int(HORIZON_S / FORWARD_STEP))
    moves = [
        (entry.due_t - zero, entry.move.control, entry.move.to)
        for entry in due_moves(plan, marks, zero + at)
        if entry.due_t is not None and entry.due_t > zero + at
    ]
    return hands_ahead(machine, batch, min(int(at / batch.step), len(batch.hands) - 1), t, moves)


def curve_record(
    record: BatchRecord, machine: Machine | None, at: float, rule: DropRule, recent_s: float = np.inf, heard: bool = True
) -> Forecast | None:
    """The forecast of a batch at ``at`` [s from charge] from its curve alone; None while there are hardly any readings.

    ``recent_s`` bounds how far back is looked, where it is asked at every reading [s]; ``heard`` is whether a hand sets marks.
    """
    zero, trace = record.charge_t, record.trace
    part = (trace.t >= zero + max(at - recent_s, 0.0)) & (trace.t <= zero + at) & np.isfinite(trace.bean)
    if part.sum() < 3:
        return None

    def came(kind: MarkKind) -> float | None:
        mark = record.mark(kind)
        return mark.t - zero if mark is not None and mark.t <= zero + at else None

    moves = [move.t - zero for move in record.moves if usual_role(move.control) is not Role.MOTION and move.t <= zero + at]
    yellow_c, crack_c = (machine.yellow_c, machine.first_crack_c) if machine is not None else (155.0, 198.0)
    return curve_forecast(
        trace.t[part] - zero, trace.bean[part], moves, rule, Marks(came(MarkKind.YELLOW), came(MarkKind.FIRST_CRACK)),
        yellow_c, crack_c, heard, trace.air[part],
    )  # fmt: skip


def forecast_document(forecast: Forecast, why: str) -> dict[str, Any]:
    """The document of ``firnel forecast --json``."""

    def told(interval: Interval | None) -> dict[str, float | None] | None:
        return None if interval is None else {"t": interval.value, "lo80": interval.low, "hi80": interval.high}

    def value(interval: Interval | None) -> dict[str, float | None] | None:
        return None if interval is None else {"value": interval.value, "lo80": interval.low, "hi80": interval.high}

    drop_t, drop_c = forecast.drop_t, forecast.drop_c
    drop = None
    if drop_t is not None:
        drop = (told(drop_t) or {}) | {
            "bean": drop_c.value if drop_c else None,
            "bean_lo80": drop_c.low if drop_c else None,
            "bean_hi80": drop_c.high if drop_c else None,
        }
    return {
        "at": forecast.at,
        "basis": forecast.basis,
        "why": why,
        "yellow": told(forecast.yellow),
        "first_crack": told(forecast.first_crack),
        "drop": drop,
        "landing": {"development_s": value(forecast.development_s), "drop_c": value(drop_c)},
    }


def simulate_plan(
    library: Library, machine: Machine, plan: Plan, steel_c: float | None = None, room_c: float | None = None
) -> PlannedRoast:
    """A plan as the machine's model runs it.

    Raises
    ------
    PlanCannotRunError : if the plan lacks something.
    """
    model, _ = model_of(library, machine)
    return run_plan(model, machine, plan, green_of(library, plan.lot), steel_c, room_c)


def green_of(library: Library, name: str) -> GreenTraits:
    """The traits of a lot by its name; usual ones where it is not in the library, or not measured."""
    return traits_of(next((lot for lot in library.lots() if lot.name == name), Lot(name)))


def traits_of(lot: Lot | None) -> GreenTraits:
    """The traits of a lot; usual ones where it is not known, or not measured."""
    known = lot or Lot("")
    usual = GreenTraits(known.name)
    density, moisture = known.density_g_per_l or usual.density, known.moisture or usual.moisture
    return GreenTraits(known.name, density, moisture, known.process, mixed_of(lot), untold_of(lot))


def level_told(model: MachineModel, roast: PlannedRoast) -> dict[str, float | None]:
    """Loss and colour that a plan should give, None where no batch has shown yet what they come to here."""
    kinds = {"loss": Statement.LOSS, "colour": Statement.COLOUR}
    return {name: None if untold(model, kind) else float(getattr(roast, name)) for name, kind in kinds.items()}


def level_words(told: Mapping[str, float | None]) -> str:
    """The same in words: ``loss 14.2 %, colour not told yet``."""
    loss, colour = told["loss"], told["colour"]
    return (
        f"loss {'not told yet' if loss is None else f'{100 * loss:.1f} %'}, "
        f"colour {'not told yet' if colour is None else f'{colour:.0f}'}"
    )


def simulate_document(model: MachineModel, roast: PlannedRoast) -> dict[str, Any]:
    """The document of ``firnel simulate --json``."""
    made = roast.simulated

    def bean_at(t: float) -> float:
        return round(float(np.interp(t, made.t, made.bean_probe[:, 0])), 2)

    marks = {kind.value: {"t": round(t, 1), "bean": bean_at(t)} if t is not None else None for kind, t in roast.marks.items()}
    when = roast.marks
    yellow, crack, drop = (when[kind] for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP))
    return {
        "marks": marks,
        "stages": {
            "drying": yellow,
            "browning": crack - yellow if crack is not None and yellow is not None else None,
            "development": drop - crack if drop is not None and crack is not None else None,
            "total": drop,
        },
        **level_told(model, roast),
        "moves_expected_t": [round(t, 1) if t is not None else None for t in roast.expected_t],
        "curve": {
            "t": made.t.tolist(),
            "bean": made.bean_probe[:, 0].round(3).tolist(),
            "air": made.air_probe[:, 0].round(3).tolist(),
            "ror": made.rate()[:, 0].round(3).tolist(),
        },
    }
