"""The fit of a machine's constants: all batches at once, robustly, and what it would have been without each of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from firnel.core.model.identification import FittedMachine, priors_of
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.problem import Problem
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: Misfit beyond this counts ever less. [spreads]
LOSS_SCALE = 2.0
#: A fit ends at this change of its cost: a first one, whose misfits are only looked at, and the second.
ROUGH, ENOUGH = 2e-3, 3e-4
#: No number is looked for further than this from what is thought of drums, and a fit begins a little within. [spreads]
FURTHEST, WITHIN = 8.0, 7.9
#: Leaving one batch out moves no number further than this. [spreads of what was thought beforehand]
MOST_STEP = 1.5
#: A bean probe that was moved is tried with this, and is thought to be so far off beforehand. [degC]
SHIFT_TRIED_C, SHIFT_SD_C = 0.5, 5.0


class FitCancelledError(Exception):
    """The fit was cancelled."""


def identify(
    batches: Sequence[LoggedBatch],
    full_load: float,
    heats: Sequence[str],
    begin: FittedMachine | None = None,
    progress: Callable[[int], bool] | None = None,
    most: int = 40,
) -> FittedMachine:
    """Fit the machine's constants to logged batches.

    Parameters
    ----------
    batches : one or more, of one machine.
    full_load : useful load of the machine. [kg]
    heats : kind of each source of heat, the main one first.
    begin : an earlier fit to begin from.
    progress : told the number of the evaluation; answers False to cancel.
    most : evaluations at most.

    Raises
    ------
    ValueError : if there are no batches.
    FitCancelledError : if ``progress`` says so.
    """
    from scipy.optimize import least_squares

    if not batches:
        raise ValueError(tr("a fit needs at least one logged batch; there are none."))
    problem = Problem(batches, priors_of(full_load, heats), full_load)
    vector = problem.vector_of(begin) if begin is not None else problem.mean.copy()
    upper = np.minimum((problem.most - problem.mean) / problem.sd, FURTHEST)
    calls = 0

    def residuals(numbers: FloatArray) -> FloatArray:
        nonlocal calls
        calls += 1
        if progress is not None and not progress(calls):
            raise FitCancelledError
        return problem.residuals(problem.mean + problem.sd * numbers)

    def fit(begin: FloatArray, near: float) -> FloatArray:
        # In standard deviations of the priors: the numbers are of all sizes, and the step of the solver is one length.
        found = least_squares(
            residuals, np.clip((begin - problem.mean) / problem.sd, -WITHIN, upper - (FURTHEST - WITHIN)),
            lambda numbers: problem.jacobian(problem.mean + problem.sd * numbers) * problem.sd,
            bounds=(-FURTHEST, upper), loss="soft_l1", f_scale=LOSS_SCALE, ftol=near, xtol=1e-5, gtol=1e-4, max_nfev=most,
        )  # fmt: skip
        return np.asarray(problem.mean + problem.sd * found.x)

    vector = fit(vector, ROUGH)
    problem.hear_less(vector)
    problem.learn_lasting(vector)
    vector = fit(vector, ENOUGH)
    return _result(problem, vector)


def _result(problem: Problem, vector: FloatArray) -> FittedMachine:
    jacobian, residuals = problem.jacobian(vector), problem.residuals(vector)
    data = residuals.size - problem.size
    # Misfit beyond what was expected widens all that was learned from it; robustly, by the median.
    wider = max(1.0, float(np.median(np.abs(residuals[:data]))) / 0.6745)
    seen = jacobian[:data]
    covariance = np.asarray(np.linalg.inv(seen.T @ seen / wider**2 + problem.information), np.float64)
    return replace(problem.machine(vector, covariance), without=_without(problem, vector, jacobian, residuals, wider))


def _without(
    problem: Problem, vector: FloatArray, jacobian: FloatArray, residuals: FloatArray, wider: float
) -> dict[str, FittedMachine]:
    """The fit had each batch not been there: one step of Newton away from the fit to all, with that batch's readings gone.

    The step goes down the slope of all that is left, priors too: the fit itself stops short of where that is nought, and what
    only this batch told of must go back to what was thought before.
    """
    data = residuals.size - problem.size
    weighted = jacobian / np.sqrt(1.0 + (residuals / LOSS_SCALE) ** 2)[:, None]
    whole, slope, owners, found = jacobian.T @ weighted, weighted.T @ residuals, problem.owners, {}
    for index, batch in enumerate(problem.batches):
        own = np.flatnonzero(owners == index)
        left = whole - jacobian[own].T @ weighted[own]
        step = -np.linalg.solve(left, slope - weighted[own].T @ residuals[own])
        step = np.clip(step, -MOST_STEP * problem.sd, MOST_STEP * problem.sd)
        others = np.delete(jacobian[:data], own, axis=0)
        covariance = np.asarray(np.linalg.inv(others.T @ others / wider**2 + problem.information), np.float64)
        machine = problem.machine(vector + step, covariance)
        steel = {label: value for label, value in machine.steel.items() if label != batch.label}
        found[batch.label] = replace(machine, steel=steel)
    return found


def curve_shifts(fitted: FittedMachine, batches: Sequence[LoggedBatch]) -> dict[int, tuple[float, float, float]]:
    """Had the bean probe been moved before a batch: by how much, its standard deviation, and how much less is left over.

    One step of Gauss and Newton from the fit, with the shift of the probe as one more number; what is left over is the sum of
    squares of the misfits, in spreads.

    Parameters
    ----------
    fitted : to these batches.
    batches : oldest first.

    Returns
    -------
    dict : by the place of the first batch that is read so, from the second on.
    """
    problem = Problem(batches, fitted.priors, fitted.full_load)
    vector = problem.vector_of(fitted)
    residuals, jacobian = problem.residuals(vector), problem.jacobian(vector)
    data = residuals.size - problem.size
    as_before = Problem([batch.reading_more(-SHIFT_TRIED_C) for batch in batches], fitted.priors, fitted.full_load)
    by_shift = (as_before.residuals(vector) - residuals)[:data] / SHIFT_TRIED_C
    weight = 1.0 / np.sqrt(1.0 + (residuals / LOSS_SCALE) ** 2)
    information, slope = jacobian.T @ (jacobian * weight[:, None]), jacobian.T @ (weight * residuals)
    stayed = float(slope @ np.linalg.solve(information, slope))
    owners, found = problem.owners, {}
    for first in range(1, len(batches)):
        column = np.append(np.where(owners >= first, by_shift, 0.0), np.zeros(problem.size))
        across, own = jacobian.T @ (weight * column), float(column @ (weight * column)) + SHIFT_SD_C**-2
        whole = np.block([[information, across[:, None]], [across[None, :], np.array([[own]])]])
        down = np.append(slope, column @ (weight * residuals))
        step = -np.linalg.solve(whole, down)
        sd = float(np.sqrt(np.linalg.inv(whole)[-1, -1]))
        found[first] = (float(step[-1]), sd, float(-down @ step) - stayed)
    return found
