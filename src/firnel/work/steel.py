"""How soaked the steel is while the machine idles, from the last minutes of both probes and the machine's model."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from firnel.core.model.identification import steel_at_charge, steel_from_idling
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LONGEST_IDLE_S, UnusableLogError, logged_batch
from firnel.core.vocabulary import BatchRecord, Machine, Mark, MarkKind, Trace


@dataclass(frozen=True)
class SteelEstimate:
    """Temperature of the drum steel now, and its standard deviation. [degC]"""

    steel_c: float
    sd_c: float


def steel_now(model: MachineModel, machine: Machine, trace: Trace) -> SteelEstimate | None:
    """The steel at the end of a record of idling; None while the record is too short to say.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    trace : of the empty machine, up to now.
    """
    recent = trace.t >= (trace.t[-1] - LONGEST_IDLE_S) if trace.t.size else np.zeros(0, bool)
    if recent.sum() < 5:
        return None
    columns = (trace.t, trace.bean, trace.air, trace.gas, trace.airflow, trace.drum)
    part = Trace.from_columns((column[recent] for column in columns), trace.quality[recent])
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
    now = steel_at_charge(model.fitted.constants, batch, np.array([steel]))
    return SteelEstimate(float(now[0]), sd)
