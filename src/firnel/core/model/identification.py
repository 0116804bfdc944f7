"""The machine's constants from its own logs: all batches at once, with priors, robustly, and with uncertainties.

Shared by all batches are the constants of the machine and how its steel stands to the probes at charge; each batch has
a steel of its own, each lot a heat uptake and own heat of its own. The Jacobian is one ensemble run: each member is one
batch with one number a little off.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from firnel.core.model.constants import Hands, LoadState, MachineConstants, StartState
from firnel.core.model.logged import USUAL_DENSITY, LoggedBatch
from firnel.core.model.simulation import STEP, Simulated, simulate
from firnel.core.vocabulary import FloatArray

IndexArray = NDArray[np.int64]


@dataclass(frozen=True)
class Prior:
    """Where a number is expected: on the logarithm, on the logit of a share, or straight."""

    name: str
    mean: float
    sd: float  #: on the scale of the fit
    scale: str = "log"  #: ``log``, ``logit`` or ``straight``
    unit: str = ""

    def inside(self, value: float | FloatArray) -> FloatArray:
        """From the number to the scale of the fit."""
        value = np.asarray(value, float)
        if self.scale == "log":
            return np.asarray(np.log(value))
        return np.asarray(np.log(value / (1.0 - value))) if self.scale == "logit" else value

    def outside(self, value: FloatArray) -> FloatArray:
        """Back to the number."""
        if self.scale == "log":
            return np.asarray(np.exp(value))
        return np.asarray(1.0 / (1.0 + np.exp(-value))) if self.scale == "logit" else value

    def outside_sd(self, value: float, sd: float) -> float:
        """Spread of the number, from that on the scale of the fit."""
        number = float(self.outside(np.asarray(value)))
        if self.scale == "log":
            return number * sd
        return number * (1.0 - number) * sd if self.scale == "logit" else sd


#: What a drum roaster is like before it has been heard of: orders of magnitude for each kilogram of its useful load.
#: From memory of such machines, no published source; wide on purpose.
PER_KG = {"power": 3.0, "steel_capacity": 5.0, "steel_air": 0.012, "steel_loss": 0.0015, "air_flow": 0.008}


def priors_of(full_load: float, heat: str) -> tuple[Prior, ...]:
    """Priors of the machine's constants, of the start of its steel, and of what density does.

    Parameters
    ----------
    full_load : useful load of the machine. [kg]
    heat : ``gas`` or ``electric``.
    """
    electric = heat == "electric"
    return (
        Prior("power", PER_KG["power"] * full_load, 0.4, unit="kW"),
        Prior("steel_share", 0.4, 0.6, "logit"),
        Prior("heat_lag", 45.0 if electric else 12.0, 0.5, unit="s"),
        Prior("steel_capacity", PER_KG["steel_capacity"] * full_load, 0.5, unit="kJ/K"),
        Prior("steel_air", PER_KG["steel_air"] * full_load, 0.5, unit="kW/K"),
        Prior("steel_loss", PER_KG["steel_loss"] * full_load, 0.6, unit="kW/K"),
        Prior("air_flow", PER_KG["air_flow"] * full_load, 0.4, unit="kg/s"),
        Prior("air_leak", 0.2, 0.5),
        Prior("bean_air", 0.0085, 0.3, unit="kW/(K kg)"),
        Prior("bean_steel", 0.0040, 0.4, unit="kW/(K kg)"),
        Prior("probe_lag", 18.0, 0.5, unit="s"),
        Prior("probe_pull", 0.05, 0.5),
        Prior("bare_pull", 0.15, 0.6),
        Prior("air_probe_lag", 12.0, 0.5, unit="s"),
        Prior("air_probe_steel", 0.1, 1.0, "logit"),
        Prior("evaporation", 0.9, 0.35),
        Prior("own_heat", 0.5, 0.4),
        Prior("own_heat_k", 5500.0, 400.0, "straight", "K"),
        Prior("load_exponent", 0.9, 0.15, "straight"),
        Prior("air_exponent", 1.0, 0.25, "straight"),
        Prior("draft_exponent", 0.7, 0.12, "straight"),
        Prior("steel_over_probe", 5.0, 12.0, "straight", "degC"),
        Prior("steel_by_air", 0.4, 0.4, "straight"),
        Prior("steel_first_batch", 0.0, 6.0, "straight", "degC"),
        Prior("heat_before", 0.35, 0.8, "logit"),
        Prior("uptake_by_density", 0.0, 0.04, "straight", "per 50 g/L"),
    )


CONSTANT_NAMES = tuple(prior.name for prior in priors_of(1.0, "gas"))[:21]
#: Spread of what a batch or a lot has of its own: steel [degC], uptake and own heat (logarithms).
BATCH_STEEL_SD, LOT_UPTAKE_SD, LOT_OWN_HEAT_SD = 8.0, 0.05, 0.12
#: Readings are compared this often: closer ones err together. [s]
EVERY_S = 10.0
#: Expected misfit of bean and air probe late in a roast; larger in the first minute and a half, where the load falls in. [degC]
BEAN_MISFIT, AIR_MISFIT = 1.2, 4.0


@dataclass(frozen=True)
class FittedMachine:
    """The result: numbers on the scale of the fit, their covariance, and what each batch and lot has of its own."""

    priors: tuple[Prior, ...]
    values: FloatArray  #: shape (k,), on the scale of the fit
    covariance: FloatArray  #: shape (k, k)
    full_load: float
    steel: dict[str, float]  #: steel at charge over what the probes let expect, by batch [degC]
    uptake: dict[str, tuple[float, float]]  #: logarithm and its sd, by lot
    own_heat: dict[str, tuple[float, float]]

    def number(self, name: str) -> float:
        """One shared number in its own unit."""
        index = self._index(name)
        return float(self.priors[index].outside(self.values[index : index + 1])[0])

    def spread(self, name: str) -> float:
        """Its standard deviation."""
        index = self._index(name)
        return self.priors[index].outside_sd(float(self.values[index]), float(np.sqrt(self.covariance[index, index])))

    def _index(self, name: str) -> int:
        return next(index for index, prior in enumerate(self.priors) if prior.name == name)

    @property
    def constants(self) -> MachineConstants:
        """The machine's constants, one number each."""
        return constants_of(self.priors, self.values[None, :], self.full_load)

    def draw(self, members: int, rng: np.random.Generator) -> FloatArray:
        """Members drawn from the fit, on its scale, shape (members, k)."""
        root = np.linalg.cholesky(self.covariance + 1e-12 * np.eye(self.values.size))
        return np.asarray(self.values + rng.standard_normal((members, self.values.size)) @ root.T)


def constants_of(priors: Sequence[Prior], rows: FloatArray, full_load: float) -> MachineConstants:
    """Constants, each of shape (m,), from rows on the scale of the fit, shape (m, k)."""
    columns = {prior.name: prior.outside(rows[:, index]) for index, prior in enumerate(priors)}
    return MachineConstants(**{name: columns[name] for name in CONSTANT_NAMES}, full_load=full_load)


def expected_steel(priors: Sequence[Prior], rows: FloatArray, batch: LoggedBatch) -> FloatArray:
    """Steel at charge as the probes let expect it, shape (m,). [degC]"""
    over = 0.0 if np.isnan(batch.air_at_charge) else batch.air_at_charge - batch.bean_at_charge
    steel = batch.bean_at_charge + _column(priors, rows, "steel_over_probe") + over * _column(priors, rows, "steel_by_air")
    return steel + _column(priors, rows, "steel_first_batch") if batch.batch_of_day == 1 else steel


def expected_uptake(priors: Sequence[Prior], rows: FloatArray, density: float) -> FloatArray:
    """Logarithm of the heat uptake that the density lets expect, shape (m,)."""
    return np.asarray(_column(priors, rows, "uptake_by_density") * (density - USUAL_DENSITY) / 50.0)


def _column(priors: Sequence[Prior], rows: FloatArray, name: str) -> FloatArray:
    """One shared number of all rows, in its own unit, shape (m,)."""
    index = next(i for i, prior in enumerate(priors) if prior.name == name)
    return priors[index].outside(rows[:, index])


class _Problem:
    """The numbers in one vector: shared ones, then the steel of each batch, then uptake and own heat of each lot."""

    def __init__(self, batches: Sequence[LoggedBatch], priors: tuple[Prior, ...], full_load: float) -> None:
        self.batches, self.priors, self.full_load = tuple(batches), priors, full_load
        self.lots = tuple(dict.fromkeys(batch.lot or batch.label for batch in batches))
        self.lot_of = np.array([self.lots.index(batch.lot or batch.label) for batch in batches])
        self.shared, count = len(priors), len(batches)
        self.size = self.shared + count + 2 * len(self.lots)
        self.steel_at = self.shared + np.arange(count)
        self.uptake_at = self.shared + count + np.arange(len(self.lots))
        self.own_at = self.uptake_at + len(self.lots)
        means = [float(prior.inside(prior.mean)) for prior in priors]
        self.mean = np.array(means + [0.0] * (self.size - self.shared))
        self.sd = np.array(
            [prior.sd for prior in priors]
            + [BATCH_STEEL_SD] * count
            + [LOT_UPTAKE_SD] * len(self.lots)
            + [LOT_OWN_HEAT_SD] * len(self.lots)
        )
        self.steps = max(len(batch.hands) for batch in batches)
        self.hands = Hands(*(self._stacked(name) for name in ("heat", "air", "drum")))
        self.every = max(1, round(EVERY_S / STEP))
        self._observe()

    def _stacked(self, name: str) -> FloatArray:
        """One control of all batches, shape (steps, batches); the last setting is held behind a batch's end."""
        columns = [getattr(batch.hands, name) for batch in self.batches]
        return np.stack([np.pad(column, (0, self.steps - column.size), mode="edge") for column in columns], axis=1)

    def _observe(self) -> None:
        at = np.arange(self.every, self.steps + 1, self.every)
        self.at = at
        early = at * STEP < 90.0
        shape = (at.size, len(self.batches))
        self.observed = np.full((2, *shape), np.nan)
        for index, batch in enumerate(self.batches):
            inside = at[at < batch.bean.size]
            self.observed[0, : inside.size, index] = batch.bean[inside]
            self.observed[1, : inside.size, index] = batch.air[inside]
        misfit = np.stack([np.where(early, 4.0 * sigma, sigma) for sigma in (BEAN_MISFIT, AIR_MISFIT)])
        self.misfit = np.broadcast_to(misfit[:, :, None], self.observed.shape)
        self.known = np.isfinite(self.observed)

    def run(self, rows: FloatArray, which: IndexArray) -> Simulated:
        """Simulate members: row of numbers and batch for each."""
        shared = rows[:, : self.shared]
        members = np.arange(which.size)
        of_batches = [[b.load_kg, b.moisture, b.room_c, b.bean_at_charge, b.air_at_charge, b.heat_before] for b in self.batches]
        load_kg, moisture, room, bean, air, heat = np.array(of_batches)[which].T
        heat = np.where(np.isnan(heat), _column(self.priors, shared, "heat_before"), heat)
        steel = np.empty(which.size)
        uptake = np.empty(which.size)
        for index, batch in enumerate(self.batches):
            own = which == index
            steel[own] = expected_steel(self.priors, shared[own], batch)
            uptake[own] = expected_uptake(self.priors, shared[own], batch.density)
        steel = steel + rows[members, self.steel_at[which]]
        lots = self.lot_of[which]
        load = LoadState(
            load_kg,
            moisture,
            green_c=room,
            uptake=np.exp(uptake + rows[members, self.uptake_at[lots]]),
            own_heat=np.exp(rows[members, self.own_at[lots]]),
        )
        start = StartState(steel, bean, np.where(np.isnan(air), bean, air), room, heat)
        constants = constants_of(self.priors, shared, self.full_load)
        hands = Hands(*(part[:, which] for part in (self.hands.heat, self.hands.air, self.hands.drum)))
        return simulate(constants, load, start, hands, STEP, which.size)

    def _compared(self, simulated: Simulated) -> FloatArray:
        return np.stack([simulated.bean_probe[self.at], simulated.air_probe[self.at]])

    def residuals(self, vector: FloatArray) -> FloatArray:
        """Misfit of all readings, then distance from the priors, all in standard deviations."""
        which = np.arange(len(self.batches))
        compared = self._compared(self.run(np.tile(vector, (which.size, 1)), which))
        off = (compared - self.observed) / self.misfit
        return np.concatenate([off[self.known], (vector - self.mean) / self.sd])

    def jacobian(self, vector: FloatArray) -> FloatArray:
        """Derivative of the residuals, from one ensemble run."""
        count = len(self.batches)
        small = 0.02 * self.sd
        columns, which = [], []
        for parameter in range(self.size):
            touched = self._touched(parameter)
            columns += [parameter] * touched.size
            which += touched.tolist()
        rows = np.tile(vector, (count + len(columns), 1))
        rows[count + np.arange(len(columns)), columns] += small[columns]
        batch = np.concatenate([np.arange(count), np.array(which)])
        compared = self._compared(self.run(rows, batch))
        out = np.zeros((2, self.at.size, count, self.size))
        for member, (parameter, index) in enumerate(zip(columns, which, strict=True), start=count):
            change = (compared[:, :, member] - compared[:, :, index]) / small[parameter]
            out[:, :, index, parameter] = change / self.misfit[:, :, index]
        return np.vstack([out[self.known], np.diag(1.0 / self.sd)])

    def _touched(self, parameter: int) -> IndexArray:
        """The batches that a number bears on."""
        if parameter < self.shared:
            return np.arange(len(self.batches))
        if parameter < self.uptake_at[0]:
            return np.array([parameter - self.shared])
        return np.flatnonzero(self.lot_of == (parameter - self.uptake_at[0]) % len(self.lots))


class FitCancelledError(Exception):
    """The fit was cancelled."""


def identify(
    batches: Sequence[LoggedBatch],
    full_load: float,
    heat: str,
    begin: FittedMachine | None = None,
    progress: Callable[[int], bool] | None = None,
    most: int = 40,
) -> FittedMachine:
    """Fit the machine's constants to logged batches.

    Parameters
    ----------
    batches : two or more, of one machine.
    full_load : useful load of the machine. [kg]
    heat : ``gas`` or ``electric``.
    begin : an earlier fit to begin from.
    progress : told the number of the evaluation; answers False to cancel.
    most : evaluations at most.

    Raises
    ------
    ValueError : if there are fewer than two batches.
    FitCancelledError : if ``progress`` says so.
    """
    from scipy.optimize import least_squares

    if len(batches) < 2:
        raise ValueError(f"a fit needs at least two logged batches; there {'is one' if batches else 'are none'}.")
    problem = _Problem(batches, priors_of(full_load, heat), full_load)
    vector = problem.mean.copy()
    if begin is not None:
        vector[: problem.shared] = begin.values
        for index, lot in enumerate(problem.lots):
            vector[problem.uptake_at[index]] = begin.uptake.get(lot, (0.0, 0.0))[0]
            vector[problem.own_at[index]] = begin.own_heat.get(lot, (0.0, 0.0))[0]
        for index, batch in enumerate(batches):
            vector[problem.steel_at[index]] = begin.steel.get(batch.label, 0.0)
    calls = 0

    def residuals(numbers: FloatArray) -> FloatArray:
        nonlocal calls
        calls += 1
        if progress is not None and not progress(calls):
            raise FitCancelledError
        return problem.residuals(problem.mean + problem.sd * numbers)

    # In standard deviations of the priors: the numbers are of all sizes, and the step of the solver is one length.
    begun = np.clip((vector - problem.mean) / problem.sd, -4.9, 4.9)
    fit = least_squares(
        residuals, begun, lambda numbers: problem.jacobian(problem.mean + problem.sd * numbers) * problem.sd,
        bounds=(-5.0, 5.0), loss="soft_l1", f_scale=2.0, ftol=3e-4, xtol=1e-5, gtol=1e-4, max_nfev=most,
    )  # fmt: skip
    return _result(problem, problem.mean + problem.sd * fit.x)


def _result(problem: _Problem, vector: FloatArray) -> FittedMachine:
    jacobian, residuals = problem.jacobian(vector), problem.residuals(vector)
    data = residuals.size - problem.size
    # Misfit beyond what was expected widens all that was learned from it; robustly, by the median.
    wider = max(1.0, float(np.median(np.abs(residuals[:data]))) / 0.6745)
    information = (jacobian[:data].T @ jacobian[:data]) / wider**2 + np.diag(1.0 / problem.sd**2)
    covariance = np.asarray(np.linalg.inv(information), np.float64)
    spread = np.sqrt(np.diag(covariance))

    def by_lot(at: IndexArray) -> dict[str, tuple[float, float]]:
        return {lot: (float(vector[i]), float(spread[i])) for lot, i in zip(problem.lots, at, strict=True)}

    shared = problem.shared
    return FittedMachine(
        problem.priors, vector[:shared], covariance[:shared, :shared], problem.full_load,
        {batch.label: float(vector[i]) for batch, i in zip(problem.batches, problem.steel_at, strict=True)},
        by_lot(problem.uptake_at), by_lot(problem.own_at),
    )  # fmt: skip


def modelled(fitted: FittedMachine, batch: LoggedBatch, known: bool = True) -> Simulated:
    """A logged batch as the model makes it from its charge state and moves.

    Parameters
    ----------
    fitted : of the machine.
    batch : to be made again.
    known : whether the steel that the fit found for this very batch may be used.
    """
    row = fitted.values[None, :]
    steel = float(expected_steel(fitted.priors, row, batch)[0]) + (fitted.steel.get(batch.label, 0.0) if known else 0.0)
    uptake = float(expected_uptake(fitted.priors, row, batch.density)[0]) + fitted.uptake.get(batch.lot, (0.0, 0.0))[0]
    load = LoadState(
        batch.load_kg, batch.moisture, green_c=batch.room_c, uptake=float(np.exp(uptake)),
        own_heat=float(np.exp(fitted.own_heat.get(batch.lot, (0.0, 0.0))[0])),
    )  # fmt: skip
    air = batch.bean_at_charge if np.isnan(batch.air_at_charge) else batch.air_at_charge
    heat = fitted.number("heat_before") if np.isnan(batch.heat_before) else batch.heat_before
    start = StartState(steel, batch.bean_at_charge, air, batch.room_c, heat)
    return simulate(fitted.constants, load, start, batch.hands, batch.step)
