"""A machine before its first log: the model of a drum of this heat, size and kind, as wide as ignorance is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from firnel.core.model.drift import Drift
from firnel.core.model.identification import FittedMachine, prior_covariance, priors_of
from firnel.core.model.learning import FitReport, MachineModel
from firnel.core.model.level import RoastLevel
from firnel.core.model.thresholds import CRACK, YELLOW, Habit, Threshold

#: The probe of such a drum reads so much more than its beans have at yellow and at first crack, as hot air pulls it up: the
#: middle of what these models make of ten plans. Who has roasted on a machine knows its readings within so much. [K]
PULLED_YELLOW_K, PULLED_CRACK_K, TOLD_SD_K = 4.0, 3.0, 2.5


def prior_model(
    full_load: float, heats: Sequence[str], yellow_c: float | None = None, first_crack_c: float | None = None
) -> MachineModel:
    """The model that answers before anything was logged.

    Parameters
    ----------
    full_load : useful load of the machine. [kg]
    heats : kind of each source of heat, the main one first.
    yellow_c, first_crack_c : what the bean probe reads at the marks, where the roaster has told. [degC]
    """
    priors = priors_of(full_load, heats)
    values = np.array([float(prior.inside(prior.mean)) for prior in priors])
    covariance = prior_covariance(priors)
    fitted = FittedMachine(priors, values, covariance, full_load, {}, {}, {})
    return MachineModel(
        fitted, Threshold(_told(YELLOW, yellow_c, PULLED_YELLOW_K)), Threshold(_told(CRACK, first_crack_c, PULLED_CRACK_K)),
        RoastLevel(), Drift(), FitReport((), 0.0, None), fitted.number("steel_over_probe"),
    )  # fmt: skip


def _told(habit: Habit, reading_c: float | None, pulled_k: float) -> Habit:
    """What is expected of a mark where its reading was told. [degC]"""
    return habit if reading_c is None else replace(habit, usual_c=reading_c - pulled_k, machine_sd=TOLD_SD_K)
