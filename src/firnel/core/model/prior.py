"""A machine before its first log: the model of a drum of this heat, size and kind, as wide as ignorance is."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from firnel.core.model.drift import Drift
from firnel.core.model.identification import FittedMachine, prior_covariance, priors_of
from firnel.core.model.learning import FitReport, MachineModel
from firnel.core.model.level import RoastLevel
from firnel.core.model.thresholds import CRACK, YELLOW, Threshold


def prior_model(full_load: float, heats: Sequence[str]) -> MachineModel:
    """The model that answers before anything was logged.

    Parameters
    ----------
    full_load : useful load of the machine. [kg]
    heats : kind of each source of heat, the main one first.
    """
    priors = priors_of(full_load, heats)
    values = np.array([float(prior.inside(prior.mean)) for prior in priors])
    covariance = prior_covariance(priors)
    fitted = FittedMachine(priors, values, covariance, full_load, {}, {}, {})
    return MachineModel(
        fitted, Threshold(YELLOW), Threshold(CRACK), RoastLevel(), Drift(), FitReport((), 0.0, None),
        fitted.number("steel_over_probe"),
    )  # fmt: skip
