"""From a candidate to the best one: by slopes while levels are free, then among the steps that a hand can set."""

from __future__ import annotations

import numpy as np

from firnel.core.model.candidates import Candidates, first_above
from firnel.core.model.plan_form import MOST_SHIFTS
from firnel.core.vocabulary import FloatArray

#: A move that is kept is shifted by so many steps at most.
KEPT_SHIFTS = 3
#: Between these a free charge temperature lies. [degC]
CHARGE_RANGE = (120.0, 250.0)
#: Heat added before a move to see what its moment is worth, as a share; how many candidates are run after a search by slopes.
PULSE, VERIFIED = 0.05, 32


def _softness(problem: Candidates) -> FloatArray:
    """How softly each open entry is held to what it began with, shape (k,)."""
    heats = problem.heats
    return np.concatenate([np.full(heats, 0.6), np.full(problem.first.size - heats, 1e3)])


def _bounds(problem: Candidates) -> FloatArray:
    """Least and most of each open entry, shape (2, k)."""
    bounds = np.tile(np.array([[min(problem.lowest, 0.99)], [1.0]]), problem.first.size)
    if problem.charge_open:
        bounds[:, problem.heats] = CHARGE_RANGE
    if problem.development_open:
        bounds[:, -1] = (10.0, 600.0)
    return bounds


def _small(problem: Candidates) -> FloatArray:
    """Differences by which slopes are taken, shape (k,)."""
    heats = problem.heats
    return np.concatenate([np.full(heats, 0.01), np.ones(problem.first.size - heats)])


def _slopes(problem: Candidates, row: FloatArray) -> tuple[FloatArray, FloatArray]:
    """How far a candidate is off, shape (n,), and the slopes of that, shape (n, k): one ensemble run."""
    small = _small(problem)
    rows = np.vstack([row, row + np.diag(small)])
    made = problem.off(rows, problem.run(rows))
    slopes = (made[:, 1:] - made[:, :1]) / small
    if made[-1, 0] == 0.0:  # level heat is not turned up, and may be turned down: the slope there is of one side only
        slopes[-1] = 0.0
    return made[:, 0], slopes


def leap(problem: Candidates, row: FloatArray) -> FloatArray:
    """One step of Gauss and Newton, held inside the bounds: enough where little has changed; shape (k,)."""
    if row.size == 0:
        return row
    off, slopes = _slopes(problem, row)
    soft = _softness(problem)
    matrix = np.vstack([slopes, np.diag(1.0 / soft)])
    step, *_ = np.linalg.lstsq(matrix, -np.concatenate([off, (row - problem.first) / soft]), rcond=None)
    bounds = _bounds(problem)
    return np.asarray(np.clip(row + step, bounds[0], bounds[1]))


def descend(problem: Candidates, begin: FloatArray, most: int = 14) -> FloatArray:
    """The open entries by least squares; shape (k,)."""
    if begin.size == 0:
        return begin
    from scipy.optimize import least_squares

    first, soft, bounds = problem.first, _softness(problem), _bounds(problem)
    kept: dict[bytes, tuple[FloatArray, FloatArray]] = {}

    def known(row: FloatArray) -> tuple[FloatArray, FloatArray]:
        key = row.tobytes()
        if key not in kept:
            kept[key] = _slopes(problem, row)
        return kept[key]

    begun = np.clip(begin, bounds[0] + 1e-6, bounds[1] - 1e-6)
    fit = least_squares(
        lambda row: np.concatenate([known(row)[0], (row - first) / soft]),
        begun,
        lambda row: np.vstack([known(row)[1], np.diag(1.0 / soft)]),
        bounds=(bounds[0], bounds[1]), x_scale=_small(problem) * 10.0, ftol=1e-4, xtol=1e-4, gtol=1e-4, max_nfev=most,
    )  # fmt: skip
    return np.asarray(fit.x)


def settle(problem: Candidates, row: FloatArray) -> bool:
    """Let the marks of free stages stand where a candidate has them; whether that moved them."""
    made = problem.run(row[None, :])
    yellow, crack = (float(first_above(made.t, made.bean, level)[0]) for level in problem.levels_c)
    development = float(problem.development_of(row[None, :])[0])
    got = (yellow, max(crack - yellow, 30.0), development)
    aimed = (problem.drying, problem.browning, problem.development)
    problem.drying, problem.browning, problem.development = (
        aim if fixed else come for aim, come, fixed in zip(aimed, got, problem.times.fixed, strict=True)
    )
    problem.crack = problem.drying + problem.browning
    problem.end = problem.crack + problem.development
    return abs(problem.crack - sum(aimed[:2])) > 2.0 or abs(problem.drying - aimed[0]) > 2.0


def on_steps(problem: Candidates, row: FloatArray, shifts: FloatArray, rounds: int) -> tuple[FloatArray, FloatArray]:
    """A candidate on the steps of the gauge, whole degrees and seconds, and its shifts: the best near ``row``.

    Around where it stands the roast is taken as linear in levels and in heat given for some seconds more, which one
    ensemble run tells; many steps are searched on that, and the best of them are run.
    """
    shares = problem.shares()
    at = np.array([float(np.argmin(np.abs(shares - level))) for level in row[: problem.heats]])
    best = np.concatenate([shares[at.astype(int)], np.round(row[problem.heats :])])
    for _ in range(rounds):
        rows, moved = _search(problem, best, shifts)
        costs = problem.cost(rows, moved)
        lowest = int(np.argmin(costs))
        done = bool(np.array_equal(rows[lowest], best) and np.array_equal(moved[lowest], shifts))
        best, shifts = rows[lowest], moved[lowest]
        if done:
            break
    return best, shifts


def _search(problem: Candidates, row: FloatArray, shifts: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The candidates that are best by slopes, ``row`` itself first; rows of shape (m, k), shifts of shape (m, moves)."""
    shares, heats, moves = problem.shares(), problem.heats, len(problem.form)
    at = np.array([int(np.argmin(np.abs(shares - level))) for level in row[:heats]])
    small = _small(problem)
    rows = np.vstack([row, row + np.diag(small), np.tile(row, (moves, 1))])
    pulses = np.zeros((len(rows), moves))
    pulses[1 + row.size :] = PULSE * np.eye(moves)
    off = problem.off(rows, problem.run(rows, np.tile(shifts, (len(rows), 1)), pulses))
    by_entry = (off[:, 1 : 1 + row.size] - off[:, :1]) / small
    by_pulse = (off[:, 1 + row.size :] - off[:, :1]) / PULSE
    rng = np.random.default_rng(len(shares))
    most = KEPT_SHIFTS if problem.kept else MOST_SHIFTS
    open_moves = np.isin(np.arange(moves), problem.movable)
    earliest, latest = problem.form_of.earliest(most), problem.form_of.latest(most)

    def drawn(around: FloatArray, times: int, spread: int) -> FloatArray:
        """Steps drawn about each of some, ``times`` for each."""
        steps = rng.integers(-spread, spread + 1, (times * len(around), row.size + moves)).astype(np.float64)
        return np.repeat(around, times, axis=0) + steps

    def judged(steps: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        chosen = np.clip(at + steps[:, :heats].astype(int), 0, shares.size - 1)
        tried = np.hstack([shares[chosen], row[heats:] + steps[:, heats : row.size]])
        later = np.clip(shifts + steps[:, row.size :], -earliest, latest) * open_moves
        before, after = problem.levels_around(tried)
        # Each move made later gives the difference of its levels for that much longer.
        given = (before - after) * (later - shifts)
        guess = off[:, :1] + by_entry @ (tried - row).T + by_pulse @ given.T
        guess[-1] = problem.rising(tried)
        return tried, later, np.sum(guess**2, axis=0) + 0.02 * np.sum(later**2, axis=1) + problem.barred(tried)

    none = np.zeros((1, row.size + moves))
    steps = np.vstack([none, drawn(none, 2500, 1), drawn(none, 2500, 2)])
    for _ in range(2):
        leading = steps[np.argsort(judged(steps)[2])[:60]]
        steps = np.vstack([leading, drawn(leading, 40, 1)])
    tried, later, costs = judged(steps)
    order = np.argsort(costs)[: VERIFIED - 1]
    return np.vstack([row, tried[order]]), np.vstack([shifts, later[order]])
