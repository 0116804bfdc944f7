"""What was learned of a machine on one scale of a control, told on another: a log has shown that its gauge goes further.

The constants count in shares of a scale. With another end every share is another number, and nothing else is: the same
settings have to give the same heat, flow and stirring as before.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from firnel.core.model.constants import control_share
from firnel.core.model.document import scales_of
from firnel.core.model.identification import FittedMachine, Prior
from firnel.core.model.learning import MachineModel
from firnel.core.vocabulary import Control, FloatArray, Machine, Role

#: Step of a slope on the scale of the fit. [1]
NUDGE = 1e-5


def rescaled(model: MachineModel, machine: Machine, scales: Mapping[str, list[Any]]) -> MachineModel | None:
    """The model on the machine's present scales; None where more than the ends of scales has changed.

    Parameters
    ----------
    model : as it was learned.
    machine : with its present scales.
    scales : those it was learned on, as `firnel.core.model.document.scales_of` tells them.
    """
    now = scales_of(machine)
    if scales == now:
        return model
    if {control: told[1:] for control, told in scales.items()} != {control: told[1:] for control, told in now.items()}:
        return None
    ends = {control: replace(scale, high=float(scales[str(control)][0])) for control, scale in machine.controls.items()}
    before = replace(machine, controls=ends)
    grown = {control: _grown(before, machine, control) for control in machine.controls}
    fitted = _fit_on(model.fitted, machine, grown)
    heat = machine.of(Role.HEAT)
    at_charge = tuple(share / grown[control] for share, control in zip(model.heat_at_charge, heat, strict=False))
    return replace(model, fitted=fitted, heat_at_charge=at_charge)


def _grown(before: Machine, machine: Machine, control: Control) -> float:
    """How many times the present share of a setting was its share before."""
    setting = np.array([0.5 * min(before.controls[control].high, machine.controls[control].high)])
    return float(control_share(before, control, setting)[0] / control_share(machine, control, setting)[0])


def _fit_on(fitted: FittedMachine, machine: Machine, grown: Mapping[Control, float]) -> FittedMachine:
    """The fit on other scales: values, covariance and what lots lean on, to first order of what is not known."""
    values = _moved(fitted.priors, fitted.values, machine, grown)
    nudged = fitted.values + NUDGE * np.eye(fitted.values.size)
    slopes = np.stack([_moved(fitted.priors, row, machine, grown) - values for row in nudged], axis=1) / NUDGE
    back = np.linalg.inv(slopes)
    return replace(
        fitted,
        values=values,
        covariance=slopes @ fitted.covariance @ slopes.T,
        together={lot: (leans @ back, root) for lot, (leans, root) in fitted.together.items()},
    )


def _moved(priors: tuple[Prior, ...], row: FloatArray, machine: Machine, grown: Mapping[Control, float]) -> FloatArray:
    """The numbers that give the same on the present scales, shape (k,), on the scale of the fit."""
    number = {prior.name: float(prior.outside(row[index])) for index, prior in enumerate(priors)}
    for index, control in enumerate(machine.of(Role.HEAT)):
        of = f"_{index + 1}" if index else ""
        number[f"power{of}"] *= grown[control] ** number[f"heat_exponent{of}"]
        if not index:
            number["heat_before"] = min(number["heat_before"] / grown[control], 0.99)
    flow = float(np.prod([grown[control] for control in machine.of(Role.AIRFLOW)])) ** number["air_exponent"]
    leak = number["air_leak"]
    number["air_flow"] *= flow
    number["air_leak"] = leak / flow
    number["bean_air"] *= ((flow + leak) / (1.0 + leak)) ** number["draft_exponent"]
    for control in machine.of(Role.MOTION)[:1]:
        number["bean_steel"] *= np.sqrt(grown[control])
    return np.array([float(prior.inside(number[prior.name])) for prior in priors])
