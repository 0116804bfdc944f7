r"""Rate of rise from probe readings: one state-space model, live as a filter, in review as a smoother.

The bean reading is a level :math:`T` with slope :math:`r` and slope change :math:`c`; the slope change is
pulled back to zero with time constant :math:`\tau` and driven by white noise (a Singer model [1]_). Its
spread is wide just after charge, when the probe falls into the load, and after a hand has moved the gas or
the air; it is narrow otherwise. The filter takes the real time stamps, so uneven sampling and dropouts need no repair.

Where air is read too, it leads: beans take up heat by what the air is hotter than they are, so the rate changes as that does,
some seconds before the bean probe tells. By how much is learned from the readings of the last minutes; what is left for the
slope change to explain is less then, and so is what noise can pass for. A second filter goes by the beans alone, and the air is
believed as far as the led one foretells them no worse.

What the thermometer reads over that is noise of two kinds: each reading's own, and a wandering that lasts some seconds, as
beans fall on it in heaps (a first-order autoregression, whose state is followed too). Both are measured from the readings as
they come, by what third differences of neighbours and of readings some seconds apart leave of a smooth curve.

References
----------
.. [1] R. A. Singer, "Estimating optimal tracking filter performance for manned maneuvering targets",
   IEEE Trans. Aerospace and Electronic Systems 6 (1970) 473-483.
.. [2] H. E. Rauch, F. Tung, C. T. Striebel, "Maximum likelihood estimates of linear dynamic systems",
   AIAA Journal 3 (1965) 1445-1450: the fixed-interval smoother.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass

import numpy as np

from firnel.core.curve_filter import CurveFilter, Rate
from firnel.core.rate_parts import REVIEWED, AirTrust, RateTuning
from firnel.core.vocabulary import FloatArray

__all__ = ["Rate", "RateCurve", "RateOfRiseFilter", "RateTuning", "live_rate_of_rise", "live_rates", "smooth_rate_of_rise"]


@dataclass(frozen=True)
class RateCurve:
    """Rates over a whole record, arrays of shape (n,): t [s], level [degC], rate and sd [degC/min]."""

    t: FloatArray
    level: FloatArray
    c_per_min: FloatArray
    sd: FloatArray


class RateOfRiseFilter:
    """The live filter: feed it readings as they come, read the rate of rise.

    Where the air is read, one filter goes by the beans alone and one is led by the air; what is told lies between the two, as
    far towards the led one as that has foretold the beans.

    Parameters
    ----------
    charge_t : time of the charge, which widens the expected slope change there; None before a charge. [s]
    tuning : expected liveliness.
    """

    def __init__(self, charge_t: float | None = None, tuning: RateTuning | None = None) -> None:
        self._alone = CurveFilter(charge_t, tuning)
        self._led: CurveFilter | None = None  #: from the first reading of the air on
        self._trust = AirTrust(self._alone.tuning)

    def update(self, t: float, bean: float, air: float = float("nan")) -> Rate:
        """Take one reading and answer with the rate as known at that moment.

        Parameters
        ----------
        t : time of the reading; must not go backwards. [s]
        bean, air : the readings; NaN counts as not read. [degC]

        Raises
        ------
        ValueError : if time goes backwards.
        """
        if self._led is None and np.isfinite(air):
            self._led = deepcopy(self._alone)
        alone = self._alone.update(t, bean)
        if self._led is None:
            return alone
        led = self._led.update(t, bean, air)
        if not np.isfinite(alone.sd):
            return alone
        self._trust.learn(t, self._alone.state, self._led.state, self._led.air.leads)
        pairs = (np.array([one.level, one.c_per_min, one.sd]) for one in (alone, led))
        level, rate, sd = (float(value) for value in self._mean(*pairs))
        return Rate(t, level, rate, sd, alone.spike, alone.cleared)

    def expect_change(self, t: float) -> None:
        """Tell the filter that a control was moved at ``t`` [s]: the rate is about to change."""
        for one in (self._alone, self._led):
            if one is not None:
                one.expect_change(t)

    @property
    def state(self) -> FloatArray:
        """Level [degC], slope [degC/s], slope change [degC/s^2] and how far the thermometer has wandered [degC], shape (4,)."""
        return self._alone.state if self._led is None else self._mean(self._alone.state, self._led.state)

    @property
    def spread(self) -> FloatArray:
        """Covariance of the state, shape (4, 4)."""
        return self._alone.spread if self._led is None else self._mean(self._alone.spread, self._led.spread)

    def _mean(self, alone: FloatArray, led: FloatArray) -> FloatArray:
        return alone + self._trust.share * (led - alone)


class _Ahead:
    """Hands the moves of a finished record to a filter as their time comes."""

    def __init__(self, moves_t: Sequence[float]) -> None:
        self._left = deque(sorted(moves_t))

    def tell(self, rate_filter: RateOfRiseFilter | CurveFilter, t: float) -> None:
        while self._left and self._left[0] <= t:
            rate_filter.expect_change(self._left.popleft())


def live_rate_of_rise(
    t: FloatArray,
    bean: FloatArray,
    charge_t: float | None = None,
    moves_t: Sequence[float] = (),
    tuning: RateTuning | None = None,
    air: FloatArray | None = None,
) -> RateCurve:
    """What the live filter said at each reading of a finished record.

    Parameters
    ----------
    t : times of the readings, shape (n,), not decreasing. [s]
    bean : readings, shape (n,); NaN where none was had. [degC]
    charge_t : time of the charge, or None. [s]
    moves_t : times at which gas or air was moved, rising. [s]
    air : readings of the air, shape (n,); NaN where none was had. [degC]
    """
    rates = live_rates(t, bean, charge_t, moves_t, tuning, air)
    return RateCurve(
        np.asarray(t, float),
        np.array([rate.level for rate in rates]),
        np.array([rate.c_per_min for rate in rates]),
        np.array([rate.sd for rate in rates]),
    )


def live_rates(
    t: FloatArray,
    bean: FloatArray,
    charge_t: float | None = None,
    moves_t: Sequence[float] = (),
    tuning: RateTuning | None = None,
    air: FloatArray | None = None,
) -> list[Rate]:
    """The same, answer by answer."""
    rate_filter, ahead = RateOfRiseFilter(charge_t, tuning), _Ahead(moves_t)
    rates = []
    for moment, value, over in zip(t, bean, np.full(len(t), np.nan) if air is None else air, strict=True):
        ahead.tell(rate_filter, float(moment))
        rates.append(rate_filter.update(float(moment), float(value), float(over)))
    return rates


def smooth_rate_of_rise(
    t: FloatArray,
    bean: FloatArray,
    charge_t: float | None = None,
    moves_t: Sequence[float] = (),
    tuning: RateTuning | None = None,
) -> RateCurve:
    """Rate of rise in review: the same model, smoothed over the whole record with what came after [2]_.

    Parameters and shapes as in `live_rate_of_rise`.
    """
    rate_filter, ahead = CurveFilter(charge_t, tuning or REVIEWED), _Ahead(moves_t)
    count = len(t)
    states, spreads = np.zeros((count, 4)), np.zeros((count, 4, 4))
    ahead_states, ahead_spreads, transitions = states.copy(), spreads.copy(), spreads.copy()
    for index in range(count):
        ahead.tell(rate_filter, float(t[index]))
        rate_filter.update(float(t[index]), float(bean[index]))
        states[index], spreads[index] = rate_filter.state, rate_filter.spread
        ahead_states[index], ahead_spreads[index] = rate_filter.predicted_state, rate_filter.predicted_spread
        transitions[index] = rate_filter.transition
    for index in range(count - 2, -1, -1):
        if not ahead_spreads[index + 1].any():
            continue  # not begun yet: the first readings were missing
        gain = np.linalg.solve(ahead_spreads[index + 1].T, transitions[index + 1] @ spreads[index].T).T
        states[index] = states[index] + gain @ (states[index + 1] - ahead_states[index + 1])
        spreads[index] = spreads[index] + gain @ (spreads[index + 1] - ahead_spreads[index + 1]) @ gain.T
    sd = 60.0 * np.sqrt(np.maximum(spreads[:, 1, 1], 0.0))
    return RateCurve(np.asarray(t, float), states[:, 0], 60.0 * states[:, 1], sd)
