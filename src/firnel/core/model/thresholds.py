"""Yellow and first crack as bean temperatures: what the machine, the process, the density and the lot let expect.

A mark is the machine's mean, plus what density, moisture, process and load usually do, plus the lot's own deviation, plus
the batch's. All are normal, so what is expected of a new batch follows in closed form: few marks lean on the
machine, many on the lot. How far lots and batches lie apart differs from house to house; it is weighed by the marks
themselves (a grid over both, each by its likelihood: Gelman et al., Bayesian Data Analysis, 5.4 and 11).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.green.blended import BlendedLot
from firnel.core.green.process import process_of
from firnel.core.model.logged import USUAL_DENSITY, USUAL_MOISTURE
from firnel.core.vocabulary import FloatArray, Lot


@dataclass(frozen=True)
class Habit:
    """How a mark goes with the green, on drums in general: what is expected of a machine before its own marks outweigh it.

    Effects are for 50 g/L of density, one point of moisture, dried with the fruit, and decaffeinated or hulled wet. [degC]
    """

    usual_c: float  #: where it comes on a machine of which nothing was seen
    machine_sd: float
    effects: tuple[float, float, float, float]
    effects_sd: tuple[float, float, float, float]
    lot_sd: float  #: of a lot around what its traits let expect, on the middle one of many houses
    batch_sd: float  #: of a batch around its lot, likewise
    by_load: tuple[float, float]  #: for e times the load, and its standard deviation over machines [degC]
    spreads: tuple[float, float] = (0.45, 0.35)  #: of the logarithms of both over the houses

    def beforehand(self) -> tuple[FloatArray, FloatArray]:
        """What is thought of the numbers of the regression before any mark: means (6,) and covariance (6, 6)."""
        means = np.array([self.usual_c, *self.effects, self.by_load[0]])
        return means, np.diag(np.square([self.machine_sd, *self.effects_sd, self.by_load[1]]))


#: From the marks of the logs in tests/logs on seven machines, which agree in them, and of two simulated ones; rounded. How
#: far lots lie apart, and what the load does, from the same logs and ten drawn machines.
CRACK = Habit(195.0, 7.0, (2.4, -0.2, -2.0, -3.0), (0.7, 0.5, 0.8, 1.5), 1.2, 0.6, (1.0, 3.0))
YELLOW = Habit(155.0, 5.0, (0.3, -0.5, -1.5, -3.5), (0.8, 1.0, 1.8, 2.8), 1.2, 1.1, (0.5, 3.0))
#: Where the spreads of lots and batches are looked at, in standard deviations of their logarithms.
GRID = np.linspace(-2.0, 2.0, 7)


@dataclass(frozen=True)
class GreenTraits:
    """What is known of the green that bears on its marks."""

    lot: str
    density: float = USUAL_DENSITY
    moisture: float = USUAL_MOISTURE
    process: str = ""
    mixed: tuple[float, ...] = ()  #: of blended green: standard deviation within it of each effect behind the first
    untold: tuple[float, ...] = ()  #: of green of which not all was told: likewise, over the lots that it may be

    def effects(self) -> FloatArray:
        """The row of the regression, shape (5,)."""
        known = process_of(self.process)
        return np.array(
            [1.0, (self.density - USUAL_DENSITY) / 50.0, (self.moisture - USUAL_MOISTURE) / 0.01, known.natural, known.altered],
            float,
        )

    def doubted(self, times: float) -> GreenTraits:
        """The same, with what was not told so many times as far off."""
        return replace(self, untold=tuple(times * sd for sd in self.untold))


def mixed_of(lot: Lot | None) -> tuple[float, ...]:
    """How far the parts of a blend lie apart, in the units of `GreenTraits.effects`; empty for a lot of one kind."""
    if not isinstance(lot, BlendedLot):
        return ()
    density, moisture, natural, altered = lot.apart(USUAL_DENSITY, USUAL_MOISTURE)
    return (density / 50.0, moisture / 0.01, natural, altered)


@dataclass(frozen=True)
class Threshold:
    """The bean temperature at which a mark comes: what has been seen so far.

    ``habit`` is expected before anything was seen; ``traits``, ``seen`` [degC], ``labels`` and ``loads`` [kg; None where it is
    not known, or of none] are the marked batches.
    """

    habit: Habit
    traits: tuple[GreenTraits, ...] = ()
    seen: tuple[float, ...] = ()
    labels: tuple[str, ...] = ()
    loads: tuple[float | None, ...] = ()

    def without(self, label: str) -> Threshold:
        """The same, had that batch not been marked: a forecast must not know its own batch's mark beforehand."""
        return self._only([index for index in range(len(self.seen)) if self.labels[index : index + 1] != (label,)])

    def without_lot(self, lot: str) -> Threshold:
        """The same, had no batch of that lot been marked."""
        return self._only([index for index, traits in enumerate(self.traits) if traits.lot != lot])

    def _only(self, kept: Sequence[int]) -> Threshold:
        traits, seen = tuple(self.traits[index] for index in kept), tuple(self.seen[index] for index in kept)
        labels = tuple(self.labels[index] for index in kept if index < len(self.labels))
        return Threshold(
            self.habit, traits, seen, labels, tuple(self.loads[index] for index in kept if index < len(self.loads))
        )

    @property
    def told(self) -> float:
        """Share of the marked batches of whose green all was told: how far intervals must be stretched is learned on them."""
        return float(np.mean([not any(traits.untold) for traits in self.traits])) if self.traits else 0.0

    def _loaded(self) -> tuple[FloatArray, float]:
        """Logarithms of the seen loads about their mean, nought where a load is not known, shape (n,); and that mean."""
        logs = np.array([np.log(load) if load else np.nan for load in (self.loads or (None,) * len(self.seen))], float)
        middle = float(np.nanmean(logs)) if np.isfinite(logs).any() else np.nan
        return np.nan_to_num(logs - middle), middle

    def expect(self, green: GreenTraits, load_kg: float | None = None) -> tuple[float, float]:
        """Mean and standard deviation for a batch to come of this green and load, the usual one where it is None. [degC]"""
        about, middle = self._loaded()
        off_usual = np.nan_to_num(np.log(load_kg) - middle) if load_kg else 0.0
        habit, row = self.habit, np.append(green.effects(), off_usual)
        prior, weight = habit.beforehand()
        # The parts of a blend crack each at their own: nobody hears the mean of them.
        apart = float(np.sum(np.square(np.multiply(habit.effects, green.mixed)))) if green.mixed else 0.0
        lot, batch, likely = (one.ravel() for one in _houses(habit))
        untold = self._untold(green)
        own = float(row @ weight @ row) + lot + batch + apart + untold  # of each house, as all below: shape (g,)
        if not self.traits:
            return float(row @ prior), float(np.sqrt(likely @ own))
        rows, covariance = self._together(about, weight, lot, batch)
        alike = np.array([traits.lot == green.lot for traits in self.traits], float)
        unsure = np.sqrt(untold * np.array([self._untold(traits) for traits in self.traits]))
        across = rows @ weight @ row + (lot[:, None] + unsure) * alike
        left = np.array(self.seen) - rows @ prior
        gain = np.linalg.solve(covariance, across[:, :, None])[:, :, 0]
        told = np.linalg.solve(covariance, np.broadcast_to(left[:, None], (lot.size, left.size, 1)))[:, :, 0]
        fits = np.log(likely) - 0.5 * (told @ left + np.linalg.slogdet(covariance)[1])
        share = np.exp(fits - fits.max())
        share /= share.sum()
        means = row @ prior + gain @ left
        variance = np.maximum(own - np.einsum("gi,gi->g", gain, across), batch + apart)
        mean = float(share @ means)
        return mean, float(np.sqrt(share @ (variance + np.square(means - mean))))

    def _together(
        self, about: FloatArray, weight: FloatArray, lot: FloatArray, batch: FloatArray
    ) -> tuple[FloatArray, FloatArray]:
        """Rows of the regression (n, 6), and how the seen marks go together in each of g houses (g, n, n). [degC^2]"""
        rows = np.column_stack([np.stack([traits.effects() for traits in self.traits]), about])
        same = np.array([[a.lot == b.lot for b in self.traits] for a in self.traits], float)
        untold = np.sqrt([self._untold(traits) for traits in self.traits])
        apart = (lot[:, None, None] + np.outer(untold, untold)) * same
        return rows, rows @ weight @ rows.T + apart + batch[:, None, None] * np.eye(len(rows))

    def _untold(self, green: GreenTraits) -> float:
        """Variance of a lot's mark for what nobody told of it. [K^2]"""
        return float(np.sum(np.square(np.multiply(self.habit.effects, green.untold)))) if green.untold else 0.0

    def likelihood(self, seen: FloatArray) -> FloatArray:
        """How likely the marks are had they been seen so, as a logarithm, shape (d,); ``seen`` of shape (d, n). [degC]"""
        prior, weight = self.habit.beforehand()
        lot, batch, likely = (one.ravel() for one in _houses(self.habit))
        rows, covariance = self._together(self._loaded()[0], weight, lot, batch)
        left = seen - rows @ prior
        told = np.einsum("dn,gnm,dm->dg", left, np.linalg.inv(covariance), left)
        each = np.log(likely) - 0.5 * (told + np.linalg.slogdet(covariance)[1])
        most = each.max(axis=1, keepdims=True)
        return np.asarray(most[:, 0] + np.log(np.sum(np.exp(each - most), axis=1)))


def _houses(habit: Habit) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Variances of lots and of batches in houses as they may be [K^2], and how likely each house is; shapes (7, 7)."""
    of_lots, of_batches = (
        np.square(sd * np.exp(spread * GRID)) for sd, spread in zip((habit.lot_sd, habit.batch_sd), habit.spreads, strict=True)
    )
    weight = np.exp(-0.5 * np.square(GRID))
    lots, batches = np.meshgrid(of_lots, of_batches)
    return lots, batches, np.outer(weight, weight) / weight.sum() ** 2


def threshold_from(
    habit: Habit,
    marks: Sequence[tuple[GreenTraits, float]],
    labels: Sequence[str] = (),
    loads: Sequence[float | None] = (),
) -> Threshold:
    """A threshold from marked batches: the green, and the bean temperature at the mark [degC]; their labels and loads [kg]."""
    traits, seen = tuple(traits for traits, _ in marks), tuple(float(seen) for _, seen in marks)
    return Threshold(habit, traits, seen, tuple(labels), tuple(loads))
