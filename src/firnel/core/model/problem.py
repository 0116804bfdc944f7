"""A fit as one problem of least squares: the numbers in one vector, the readings that they must meet, and the misfits.

The Jacobian is one ensemble run: each member is one batch with one number a little off. A misfit lasts: what a first fit leaves
tells how long on this machine, and a second one counts of each only what is news, after Cochrane and Orcutt [1]_.

References
----------
.. [1] D. Cochrane, G. H. Orcutt, "Application of least squares regression to relationships containing auto-correlated error
   terms", Journal of the American Statistical Association 44 (1949) 32-61.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from firnel.core.model.constants import STEP, Hands, IdleState, LoadState, StartState, heat_at
from firnel.core.model.identification import (
    AIR_MISFIT,
    BATCH_STEEL_SD,
    BEAN_MISFIT,
    EARLY,
    EARLY_AIR,
    EARLY_LEFT,
    EARLY_S,
    EVERY_S,
    IDLE_AIR_MISFIT,
    IDLE_BEAN_MISFIT,
    LOT_OWN_HEAT_SD,
    LOT_UPTAKE_SD,
    FittedMachine,
    Prior,
    column_of,
    constants_of,
    expected_steel,
    expected_uptake,
    first_readings,
    prior_covariance,
)
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.simulation import Idled, Simulated, carry_on, idle, start_state
from firnel.core.vocabulary import FloatArray

IndexArray = NDArray[np.int64]
#: Of a misfit no more than this is taken to last until the next comparison; that is learned from so many pairs at least.
MOST_LASTING, LEAST_PAIRS = 0.7, 30
#: Between readings that were keyed in, no further apart than this, a roast has no bends that they do not show. [s]
BETWEEN_S = 75.0
#: Misfits count up to so many robust spreads, where it is looked at how they last.
LASTING_WITHIN = 3.0


class Problem:
    """The numbers in one vector: shared ones, then the steel of each batch, then uptake and own heat of each lot."""

    def __init__(self, batches: Sequence[LoggedBatch], priors: tuple[Prior, ...], full_load: float) -> None:
        self.batches, self.priors, self.full_load = tuple(batches), priors, full_load
        self.lots = tuple(dict.fromkeys(batch.lot for batch in batches))
        self.lot_of = np.array([self.lots.index(batch.lot) for batch in batches])
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
        self.most = np.full(self.size, np.inf)  # no number is more than this
        self.most[: self.shared] = [prior.furthest for prior in priors]
        # What goes together in drums goes together here: the prior of the shared numbers is one of several dimensions.
        self.information = np.diag(1.0 / self.sd**2)
        self.information[: self.shared, : self.shared] = np.linalg.inv(prior_covariance(priors))
        self.white = np.linalg.cholesky(self.information).T
        self.steps = max(len(batch.hands) for batch in batches)
        heat, air, drum, *more = map(self._stacked, range(len(batches[0].hands.columns)))
        self.hands = Hands(heat, air, drum, tuple(more))
        self.every = max(1, round(EVERY_S / STEP))
        self._observe()
        self._observe_idling()

    def _stacked(self, index: int) -> FloatArray:
        """One control of all batches, shape (steps, batches); the last setting is held behind a batch's end."""
        columns = [batch.hands.columns[index] for batch in self.batches]
        return np.stack([np.pad(column, (0, self.steps - column.size), mode="edge") for column in columns], axis=1)

    def _observe(self) -> None:
        at = np.arange(self.every, self.steps + 1, self.every)
        self.at = at
        self.early = at * STEP < EARLY_S
        shape = (at.size, len(self.batches))
        self.observed = np.full((2, *shape), np.nan)
        for index, batch in enumerate(self.batches):
            inside = at[at < batch.bean.size]
            for probe, column in enumerate((batch.bean, batch.air)):
                read = _between(column) if batch.by_hand else column
                self.observed[probe, : inside.size, index] = read[inside]
        spreads = ((BEAN_MISFIT, EARLY), (AIR_MISFIT, EARLY_AIR))
        misfit = np.stack([np.where(self.early, early * sigma, sigma) for sigma, early in spreads])
        self.misfit = np.repeat(misfit[:, :, None], shape[1], axis=2)
        self.known = np.isfinite(self.observed)
        #: share of a misfit of bean and air probe that lasts until the next comparison
        self.lasting = np.zeros(2)

    def _observe_idling(self) -> None:
        """The empty machine before each charge, all ending together at the charge; batches without it never count."""
        count = len(self.batches)
        self.idle_steps = max((len(b.idling.hands) for b in self.batches if b.idling is not None), default=0)
        self.idles = np.array([batch.idling is not None for batch in self.batches])
        ones = np.ones((self.idle_steps, count))
        more = tuple(0.0 * ones for _ in self.batches[0].hands.more)
        self.idle_hands = Hands(0.0 * ones, 0.5 * ones, ones.copy(), more)
        self.idle_counts = 0.0 * ones
        readings = np.full((2, self.idle_steps + 1, count), np.nan)
        for index, batch in enumerate(self.batches):
            if batch.idling is None:
                continue
            hands, begin = batch.idling.hands, self.idle_steps - len(batch.idling.hands)
            for columns, own in zip(self.idle_hands.columns, hands.columns, strict=True):
                column = columns[:, index]
                column[begin:], column[:begin] = own, own[0]
            self.idle_counts[begin:, index] = 1.0
            readings[0, begin:, index], readings[1, begin:, index] = batch.idling.bean, batch.idling.air
            readings[:, begin, index] = np.nan  # the reading that it begins with is no news
        self.idle_at = np.arange(self.idle_steps, 0, -self.every)[::-1]
        self.idle_observed = readings[:, self.idle_at]
        self.idle_known = np.isfinite(self.idle_observed)
        misfit = np.array([IDLE_BEAN_MISFIT, IDLE_AIR_MISFIT])[:, None, None]
        self.idle_misfit = np.broadcast_to(misfit, self.idle_observed.shape)

    def run(self, rows: FloatArray, which: IndexArray) -> tuple[Idled | None, Simulated]:
        """Simulate members, row of numbers and batch for each: the empty machine where there is a log of it, then the roast."""
        shared = rows[:, : self.shared]
        members = np.arange(which.size)
        of_batches = [[b.load_kg, b.moisture, b.room_c, b.bean_at_charge, b.air_at_charge] for b in self.batches]
        load_kg, moisture, room, bean, air = np.array(of_batches)[which].T
        steel = np.empty(which.size)
        uptake = np.empty(which.size)
        for index, batch in enumerate(self.batches):
            own = which == index
            steel[own] = expected_steel(self.priors, shared[own], batch)
            uptake[own] = expected_uptake(self.priors, shared[own], batch.density)
        steel = steel + rows[members, self.steel_at[which]]
        constants = constants_of(self.priors, shared, self.full_load)
        idled = None
        if self.idle_steps:
            first = np.array([first_readings(batch) for batch in self.batches])[which]
            before = self.idle_hands.part((slice(None), which))
            begun = IdleState(steel, first[:, 0], first[:, 1], heat_at(constants, before.heat[0]))
            idled = idle(constants, room, begun, before, STEP, self.idle_counts[:, which])
            steel = idled.end.steel
        lots = self.lot_of[which]
        load = LoadState(
            load_kg,
            moisture,
            green_c=room,
            uptake=np.exp(uptake + rows[members, self.uptake_at[lots]]),
            own_heat=np.exp(rows[members, self.own_at[lots]]),
        )
        hands = self.hands.part((slice(None), which))
        heat = column_of(self.priors, shared, "heat_before")
        start = StartState(steel, bean, np.where(np.isnan(air), bean, air), room, heat, tuple(own[0] for own in hands.more))
        state = start_state(constants, load, start, which.size)
        if idled is not None:  # the burner goes on from where the empty machine had it
            known = self.idles[which]
            more = tuple(np.where(known, *both) for both in zip(idled.end.more, state.more, strict=True))
            state = replace(state, heat=np.where(known, idled.end.heat, state.heat), more=more)
        return idled, carry_on(constants, load, room, state, hands, STEP)

    def _compared(self, rows: FloatArray, which: IndexArray) -> tuple[FloatArray, FloatArray]:
        """What is compared with the readings, roasting and idling, each shape (2, moments, members)."""
        idled, simulated = self.run(rows, which)
        roasting = np.stack([simulated.bean_probe[self.at], simulated.air_probe[self.at]])
        if idled is None:
            return roasting, np.empty((2, 0, which.size))
        return roasting, np.stack([idled.bean_probe[self.idle_at], idled.air_probe[self.idle_at]])

    @property
    def owners(self) -> IndexArray:
        """The batch of each misfit, in the order of the residuals."""
        count = np.arange(len(self.batches))
        return np.concatenate([np.broadcast_to(count, known.shape)[known] for known in (self.known, self.idle_known)]).astype(
            np.int64
        )

    def machine(self, vector: FloatArray, covariance: FloatArray) -> FittedMachine:
        """The machine of a vector and its covariance."""
        spread = np.sqrt(np.diag(covariance))

        def by_lot(at: IndexArray) -> dict[str, tuple[float, float]]:
            return {lot: (float(vector[i]), float(spread[i])) for lot, i in zip(self.lots, at, strict=True)}

        shared = self.shared
        lots = zip(self.lots, self.uptake_at.tolist(), self.own_at.tolist(), strict=True)
        together = {lot: _leaning(covariance, shared, [uptake, own]) for lot, uptake, own in lots}
        return FittedMachine(
            self.priors, vector[:shared], np.asarray(covariance[:shared, :shared], np.float64), self.full_load,
            {batch.label: float(vector[i]) for batch, i in zip(self.batches, self.steel_at, strict=True)},
            by_lot(self.uptake_at), by_lot(self.own_at), tuple(self.misfit[0, self.early, 0].tolist()), together,
        )  # fmt: skip

    def vector_of(self, fitted: FittedMachine) -> FloatArray:
        """The vector of a machine; what it does not know is as thought beforehand."""
        vector = self.mean.copy()
        vector[: self.shared] = fitted.values
        for index, lot in enumerate(self.lots):
            vector[self.uptake_at[index]] = fitted.uptake.get(lot, (0.0, 0.0))[0]
            vector[self.own_at[index]] = fitted.own_heat.get(lot, (0.0, 0.0))[0]
        for index, batch in enumerate(self.batches):
            vector[self.steel_at[index]] = fitted.steel.get(batch.label, 0.0)
        return vector

    def residuals(self, vector: FloatArray) -> FloatArray:
        """Misfit of all readings, then distance from the priors, all in standard deviations."""
        which = np.arange(len(self.batches))
        roasting, idling = self._compared(np.tile(vector, (which.size, 1)), which)
        off = self._news((roasting - self.observed) / self.misfit)[self.known]
        off_idle = ((idling - self.idle_observed) / self.idle_misfit)[self.idle_known]
        return np.concatenate([off, off_idle, self.white @ (vector - self.mean)])

    def _news(self, off: FloatArray) -> FloatArray:
        """Of misfits, shape (2, moments, batches, …), what those just before let not expect, in spreads of that."""
        lasting = self.lasting.reshape(2, *(1,) * (off.ndim - 1))
        follows = self.known[:, 1:] & self.known[:, :-1]
        follows = follows.reshape(*follows.shape, *(1,) * (off.ndim - 3))
        news = (off[:, 1:] - lasting * off[:, :-1]) / np.sqrt(1.0 - lasting**2)
        return np.concatenate([off[:, :1], np.where(follows, news, off[:, 1:])], axis=1)

    def learn_lasting(self, vector: FloatArray) -> None:
        """Learn from what a fit leaves how much of a misfit lasts until the next comparison; the load has fallen in by then."""
        which = np.arange(len(self.batches))
        roasting, _ = self._compared(np.tile(vector, (which.size, 1)), which)
        for probe, off in enumerate(np.where(self.known, roasting - self.observed, np.nan)[:, ~self.early]):
            before, after = off[:-1].ravel(), off[1:].ravel()
            pair = np.isfinite(before) & np.isfinite(after)
            if np.count_nonzero(pair) < LEAST_PAIRS:
                continue
            most = LASTING_WITHIN * float(np.median(np.abs(off[np.isfinite(off)]))) / 0.6745
            before, after = (np.clip(one[pair], -most, most) for one in (before, after))
            own = 0.5 * float(before @ before + after @ after)
            self.lasting[probe] = np.clip(float(before @ after) / max(own, 1e-12), 0.0, MOST_LASTING)

    def hear_less(self, vector: FloatArray) -> None:
        """Make less of the bean probe while the load falls in, where these equations do not hold.

        A probe in a sheath goes on reading the empty drum for half a minute, which no lag of one stage does.
        """
        which = np.arange(len(self.batches))
        roasting, _ = self._compared(np.tile(vector, (which.size, 1)), which)
        off = np.abs(roasting[0, self.early] - self.observed[0, self.early])
        left = EARLY_LEFT * np.median(np.where(np.isfinite(off), off, 0.0), axis=1)
        self.misfit[0, self.early] = np.maximum(self.misfit[0, self.early], left[:, None])

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
        compared = self._compared(rows, np.concatenate([np.arange(count), np.array(which)]))
        kept = []
        for values, misfit, known in zip(compared, (self.misfit, self.idle_misfit), (self.known, self.idle_known), strict=True):
            out = np.zeros((*misfit.shape, self.size))
            for member, (parameter, index) in enumerate(zip(columns, which, strict=True), start=count):
                change = (values[:, :, member] - values[:, :, index]) / small[parameter]
                out[:, :, index, parameter] = change / misfit[:, :, index]
            kept.append((self._news(out) if known is self.known else out)[known])
        return np.vstack([*kept, self.white])

    def _touched(self, parameter: int) -> IndexArray:
        """The batches that a number bears on."""
        if parameter < self.shared:
            return np.arange(len(self.batches))
        if parameter < self.uptake_at[0]:
            return np.array([parameter - self.shared])
        return np.flatnonzero(self.lot_of == (parameter - self.uptake_at[0]) % len(self.lots))


def _between(column: FloatArray) -> FloatArray:
    """Few readings, shape (n + 1,), with what lies between those no further apart than `BETWEEN_S`: that is compared."""
    from scipy.interpolate import PchipInterpolator  # takes longer to load than all else here, and few logs need it

    known = np.flatnonzero(np.isfinite(column))
    if known.size < 2:
        return column
    at = np.arange(column.size)
    out = PchipInterpolator(known, column[known], extrapolate=False)(at)
    after = np.clip(np.searchsorted(known, at), 1, known.size - 1)
    return np.where((known[after] - known[after - 1]) * STEP <= BETWEEN_S, out, column)


def _leaning(covariance: FloatArray, shared: int, own: list[int]) -> tuple[FloatArray, FloatArray]:
    """How some numbers lean on the ``shared`` first ones, shape (j, shared), and a root of what is left of theirs, (j, j)."""
    across = covariance[:shared, own]
    leans = np.asarray(np.linalg.solve(covariance[:shared, :shared], across).T, np.float64)
    left = covariance[np.ix_(own, own)] - leans @ across
    return leans, np.asarray(np.linalg.cholesky(left + 1e-12 * np.eye(len(own))), np.float64)
