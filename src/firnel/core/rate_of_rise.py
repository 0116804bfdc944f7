r"""Rate of rise from probe readings: one state-space model, live as a filter, in review as a smoother.

The bean reading is a level :math:`T` with slope :math:`r` and slope change :math:`c`; the slope change is
pulled back to zero with time constant :math:`\tau` and driven by white noise (a Singer model [1]_). Its
spread is wide just after charge, when the probe falls into the load, and after a hand has moved the gas or
the air; it is narrow otherwise. The filter takes the real time stamps, so uneven sampling and dropouts need no repair.

Where air is read too, it leads: beans take up heat by what the air is hotter than they are, so the rate changes as that does,
some seconds before the bean probe tells. By how much is learned from the readings of the last minutes; what is left for the
slope change to explain is less then, and so is what noise can pass for.

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
from dataclasses import dataclass

import numpy as np

from firnel.core.rate_parts import REVIEWED, AirLead, ProbeNoise, RateTuning
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

__all__ = ["Rate", "RateCurve", "RateOfRiseFilter", "RateTuning", "live_rate_of_rise", "live_rates", "smooth_rate_of_rise"]

#: The probe reads the level and how far the thermometer has wandered.
READ = np.array([1.0, 0.0, 0.0, 1.0])


@dataclass(frozen=True)
class Rate:
    """One answer of the filter: what is read without its noise [degC], rate and its standard deviation [degC/min]."""

    t: float
    level: float
    c_per_min: float
    sd: float
    spike: bool = False


@dataclass(frozen=True)
class RateCurve:
    """Rates over a whole record, arrays of shape (n,): t [s], level [degC], rate and sd [degC/min]."""

    t: FloatArray
    level: FloatArray
    c_per_min: FloatArray
    sd: FloatArray


class RateOfRiseFilter:
    """The live filter: feed it readings as they come, read the rate of rise.

    Parameters
    ----------
    charge_t : time of the charge, which widens the expected slope change there; None before a charge. [s]
    tuning : expected liveliness.
    """

    def __init__(self, charge_t: float | None = None, tuning: RateTuning | None = None) -> None:
        self.tuning = tuning or RateTuning()
        self.charge_t = charge_t
        self._state = np.zeros(4)
        self._spread = np.zeros((4, 4))
        self._moved_t: list[float] = []
        self._t: float | None = None
        self._noise = ProbeNoise(self.tuning)
        self._air = AirLead(self.tuning)
        self._one_sided = 0.0
        self._held_back: list[tuple[float, float]] = []  #: times [s] and innovations [degC]
        self.transition = np.eye(4)  #: of the last step; the smoother reads these three
        self.predicted_state = self._state
        self.predicted_spread = self._spread

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
        if self._t is None:
            return self._start(t, bean)
        step = t - self._t
        if step < 0:
            raise ValueError(tr("time goes backwards: {:.3f} s after {:.3f} s.", t, self._t))
        self._predict(t, step)
        self._lead(t, step, air)
        spike = bool(np.isfinite(bean)) and step > 0 and self._correct(bean)
        return self._answer(spike)

    def expect_change(self, t: float) -> None:
        """Tell the filter that a control was moved at ``t`` [s]: the rate is about to change."""
        self._moved_t = [*self._moved_t[-3:], t]

    @property
    def state(self) -> FloatArray:
        """Level [degC], slope [degC/s], slope change [degC/s^2] and how far the thermometer has wandered [degC], shape (4,)."""
        return self._state

    @property
    def spread(self) -> FloatArray:
        """Covariance of the state, shape (4, 4)."""
        return self._spread

    def _start(self, t: float, bean: float) -> Rate:
        if not np.isfinite(bean):
            return Rate(t, float("nan"), 0.0, float("inf"))
        self._t = t
        self._state = np.array([bean, 0.0, 0.0, 0.0])
        self._spread = np.diag([self._noise.own, 4.0, 0.02, self._noise.wander])
        self.predicted_state, self.predicted_spread = self._state, self._spread
        return self._answer(False)

    def _curvature(self, t: float) -> float:
        tuning = self.tuning
        calm, at_move = (
            (tuning.led_curvature, tuning.led_at_move) if self._air.leads else (tuning.curvature, tuning.curvature_at_move)
        )
        spread = calm + tuning.curvature * tuning.liveliness * min(abs(self._one_sided), 3.0) ** 2 / 3.0
        spread += tuning.curvature_at_charge * self._fall(t)
        for moved_t in self._moved_t:
            if t >= moved_t:
                spread += at_move * float(np.exp(-(t - moved_t) / tuning.move_decay))
        return spread

    def _memory(self, t: float) -> float:
        tuning = self.tuning
        return tuning.memory + (tuning.memory_at_charge - tuning.memory) * self._fall(t)

    def _fall(self, t: float) -> float:
        """How much of the fall into the load is still to be reckoned with: 1 at the charge, fading."""
        if self.charge_t is None or t < self.charge_t:
            return 0.0
        return float(np.exp(-(t - self.charge_t) / self.tuning.charge_decay))

    def _predict(self, t: float, step: float) -> None:
        memory = self._memory(t)
        decay = float(np.exp(-step / memory))
        gain = memory * (1.0 - decay)
        sink = float(np.exp(-step / self.tuning.decline))
        self.transition = np.zeros((4, 4))
        self.transition[:3, :3] = [[1.0, step, step * step / 2.0], [0.0, sink, gain], [0.0, 0.0, decay]]
        self.transition[3, 3] = keeps = float(np.exp(-step / self.tuning.wander_memory))
        # White noise that keeps the slope change at its spread, integrated over the step.
        power = 2.0 * self._curvature(t) ** 2 / memory
        s2, s3 = step * step, step**3
        grown = np.zeros((4, 4))
        grown[:3, :3] = [[s3 * s2 / 20, s2 * s2 / 8, s3 / 6], [s2 * s2 / 8, s3 / 3, s2 / 2], [s3 / 6, s2 / 2, step]]
        grown *= power
        grown[3, 3] = self._noise.wander * (1.0 - keeps * keeps)
        self._state = self.transition @ self._state
        self._spread = self.transition @ self._spread @ self.transition.T + grown
        self.predicted_state, self.predicted_spread = self._state, self._spread
        self._t = t

    def _lead(self, t: float, step: float, air: float) -> None:
        """The slope changes with the air."""
        since_charge = -float("inf") if self.charge_t is None else t - self.charge_t
        change = self._air.change(t, air, float(self._state[0]), float(self._state[1]), since_charge)
        self._state = self._state + np.array([0.5 * step * change, change, 0.0, 0.0])
        self.predicted_state = self._state

    def _correct(self, bean: float) -> bool:
        """Take the reading in; True if it was held back as a spike."""
        innovation = bean - float(READ @ self._state)
        variance = READ @ self._spread @ READ + self._noise.own
        normal = innovation / np.sqrt(variance)
        if abs(normal) > self.tuning.gate:
            if not self._is_truth(innovation):
                return True
            self._spread = self._spread + np.diag([innovation**2, 0.05, 1e-4, 0.0])
            variance = READ @ self._spread @ READ + self._noise.own
        self._held_back = []
        self._one_sided = 0.8 * self._one_sided + 0.2 * float(np.clip(normal, -4, 4)) if variance else 0.0
        self._noise.learn(float(self._t or 0.0), bean, self._wander_share())
        gain = self._spread @ READ / variance
        self._state = self._state + gain * innovation
        spread = self._spread - np.outer(gain, READ @ self._spread)
        self._spread = 0.5 * (spread + spread.T)
        return False

    def _wander_share(self) -> float:
        """Nought so soon after a charge that the curve itself bends as much."""
        smooth = self.charge_t is None or float(self._t or 0.0) > self.charge_t + self.tuning.wander_from
        return (self.tuning.led_wander if self._air.leads else self.tuning.wander_share) if smooth else 0.0

    def _is_truth(self, innovation: float) -> bool:
        """Whether a reading far off is one of several that tell the same: a loose wire throws them to and fro."""
        held, tuning, now = self._held_back, self.tuning, float(self._t or 0.0)
        if held and innovation * held[0][1] < 0.0:
            held.clear()
        if len(held) >= tuning.alike and (abs(held[0][1]) <= tuning.leap or now - held[0][0] >= tuning.stays):
            return True
        held.append((now, innovation))
        return False

    def _answer(self, spike: bool) -> Rate:
        sd = 60.0 * float(np.sqrt(max(self._spread[1, 1], 0.0)))
        return Rate(float(self._t or 0.0), float(READ @ self._state), 60.0 * float(self._state[1]), sd, spike)


class _Ahead:
    """Hands the moves of a finished record to a filter as their time comes."""

    def __init__(self, moves_t: Sequence[float]) -> None:
        self._left = deque(sorted(moves_t))

    def tell(self, rate_filter: RateOfRiseFilter, t: float) -> None:
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
    rate_filter, ahead = RateOfRiseFilter(charge_t, tuning or REVIEWED), _Ahead(moves_t)
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
