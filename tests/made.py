"""Traces and readings of a machine with the usual three controls, made from columns."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from firnel.core.model.learning import MachineModel
from firnel.core.model.statements import FEWEST, Foretold, Statement
from firnel.core.vocabulary import USUAL_CONTROLS, Control, Quality, Trace
from firnel.devices.reading import Reading


def trace_of(columns: Iterable[np.ndarray], quality: np.ndarray) -> Trace:
    """A trace from t, bean, air, gas, airflow and drum in this order; a control with no figure is not in it."""
    t, bean, air, *settings = (np.asarray(column, float) for column in columns)
    known = {control: s for control, s in zip(USUAL_CONTROLS, settings, strict=True) if np.isfinite(s).any()}
    return Trace(t, bean, air, known, quality)


def reading(
    time: float, bean: float, air: float | None = None, gas: float | None = None, airflow: float | None = None,
    drum: float | None = None, quality: Quality = Quality.GOOD,
) -> Reading:  # fmt: skip
    """A reading with what is known of the three controls."""
    told = zip(USUAL_CONTROLS, (gas, airflow, drum), strict=True)
    return Reading(time, bean, air, {control: value for control, value in told if value is not None}, quality)


def trusted(model: MachineModel, *statements: Statement) -> MachineModel:
    """The model as if what it said of these had held in enough batches."""
    seen = tuple(Foretold(kind, f"{kind.name}-{number}", 1.0, 4.0) for kind in statements for number in range(FEWEST))
    return replace(model, score=model.score + seen)


def idled(model: MachineModel) -> MachineModel:
    """The model as if what idling told of its steel had held in enough batches."""
    return trusted(model, Statement.STEEL)


def gas_of(trace: Trace) -> np.ndarray:
    """The gas readings of a trace."""
    return trace.control(Control.GAS)
