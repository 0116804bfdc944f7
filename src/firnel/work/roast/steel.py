"""How soaked the steel is while the machine idles, and what that does to the plan that is to be charged."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from firnel.core.model.constants import IdleState, heat_at
from firnel.core.model.identification import first_readings, steel_from_idling
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LONGEST_IDLE_S, UNUSABLE, LoggedBatch, UnusableLogError, logged_batch
from firnel.core.model.planned import run_plan
from firnel.core.model.score import untold
from firnel.core.model.simulation import idle
from firnel.core.model.statements import Statement
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Plan
from firnel.core.usual import READY_C
from firnel.core.vocabulary import BatchRecord, FloatArray, Machine, Mark, MarkKind, Trace

#: The empty machine is looked ahead this far, in these steps. [s]
AHEAD_S, AHEAD_STEP = 1800.0, 4.0
#: A charge reading is not moved further than this to make up for the steel. [K]
MOST_MOVED_C = 12.0


@dataclass(frozen=True)
class SteelEstimate:
    """Temperature of the drum steel now, its standard deviation, and the steel to come if no control is moved. [degC]

    ``ahead`` has one value for each `AHEAD_STEP`, beginning now.
    """

    steel_c: float
    sd_c: float
    ahead: FloatArray


@dataclass(frozen=True)
class Readiness:
    """The steel against a plan: what the plan assumes [degC], and what charging now would do.

    ``drying_s`` is how much longer drying would run [s], ``charge_c`` the charge reading that makes up for it [degC],
    ``ready_in_s`` when the steel comes near enough as the controls stand; None where it does not.
    """

    steel: SteelEstimate
    wanted_c: float
    drying_s: float | None = None
    charge_c: float | None = None
    ready_in_s: float | None = None

    @property
    def off_c(self) -> float:
        """Steel above what the plan assumes; negative where it is colder. [K]"""
        return self.steel.steel_c - self.wanted_c

    @property
    def ready(self) -> bool:
        """Whether the steel is near enough."""
        return abs(self.off_c) <= READY_C


def steel_now(model: MachineModel, machine: Machine, trace: Trace) -> SteelEstimate | None:
    """The steel at the end of a record of idling; None while the record is too short to say.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    trace : of the empty machine, up to now.
    """
    if untold(model, Statement.STEEL):
        return None  # hardly any idling of this machine was ever logged, or what it told did not hold
    good = np.isfinite(trace.bean) & (trace.quality & UNUSABLE == 0)
    recent = good & (trace.t >= trace.t[-1] - LONGEST_IDLE_S) if trace.t.size else np.zeros(0, bool)
    if recent.sum() < 5:
        return None
    part = trace.part(recent)
    # As if the load fell in at the last reading: what lies before it is idling.
    charge = Mark(MarkKind.CHARGE, float(part.t[-1]), part.bean_at(float(part.t[-1])))
    record = BatchRecord("", "", machine.name, datetime.now(UTC), part, (charge,), load_kg=machine.useful_load_kg)
    try:
        batch = logged_batch(record, machine, until=charge.t)
    except UnusableLogError:
        return None  # no gas or no bean reading: nothing to go by
    if batch.idling is None:
        return None
    steel, sd = steel_from_idling(model.fitted, batch)
    made = _ahead(model, batch, steel)
    return SteelEstimate(float(made[0]), sd * model.widths.steel, made)


def _ahead(model: MachineModel, batch: LoggedBatch, steel: float) -> FloatArray:
    """The steel from now on, the controls left as they are."""
    constants, idling = model.fitted.constants, batch.idling
    if idling is None:
        return np.array([steel])
    bean, air = (np.full(1, reading) for reading in first_readings(batch))
    heat = heat_at(constants, idling.hands.heat[:1])
    now = idle(constants, batch.room_c, IdleState(np.array([steel]), bean, air, heat), idling.hands, batch.step).end
    held = idling.hands.held(-1, int(AHEAD_S / AHEAD_STEP))
    return np.asarray(idle(constants, batch.room_c, now, held, AHEAD_STEP).steel[:, 0])


def readiness(model: MachineModel, machine: Machine, plan: Plan, green: GreenTraits, steel: SteelEstimate) -> Readiness:
    """The steel against a plan, and the charge reading that makes up for what is missing.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    plan : that is to be charged; without a load or an end only the steel is judged.
    green : of its lot.
    steel : as it is now.
    """
    charge_c = plan.targets.charge_c if plan.targets.charge_c is not None else 200.0
    wanted = charge_c + model.steel_over_charge_c + plan.drum_c
    found = Readiness(steel, wanted, ready_in_s=_ready_in(steel, wanted))
    if not plan.load_kg or (plan.targets.development_s is None and plan.targets.drop_c is None):
        return found

    def drying(charge: float) -> float | None:
        tried = replace(plan, targets=replace(plan.targets, charge_c=charge))
        # To come to a hotter reading the steel is heated too: it stays as far off the reading as it is.
        return run_plan(model, machine, tried, green, steel.steel_c + charge - charge_c).marks[MarkKind.YELLOW]

    usual = run_plan(model, machine, plan, green).marks[MarkKind.YELLOW]
    now, hotter = drying(charge_c), drying(charge_c + 4.0)
    if usual is None or now is None or hotter is None:
        return found
    by_degree = (hotter - now) / 4.0
    longer = now - usual
    moved = float(np.clip(-longer / by_degree, -MOST_MOVED_C, MOST_MOVED_C)) if by_degree < -0.05 else 0.0
    return replace(found, drying_s=longer, charge_c=charge_c + moved if abs(moved) >= 1.0 else None)


def _ready_in(steel: SteelEstimate, wanted: float) -> float | None:
    near = np.flatnonzero(np.abs(steel.ahead - wanted) <= READY_C)
    return AHEAD_STEP * float(near[0]) if near.size else None
