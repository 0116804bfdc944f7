"""One filter of a bean curve: level, slope and slope change, and how far the thermometer has wandered.

What it follows is told in `firnel.core.rate_of_rise`, which runs one by the beans alone and one led by the air.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.rate_parts import AirLead, ProbeNoise, RateTuning
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: The probe reads the level and how far the thermometer has wandered.
READ = np.array([1.0, 0.0, 0.0, 1.0])


@dataclass(frozen=True)
class Rate:
    """One answer of the filter: what is read without its noise [degC], rate and its standard deviation [degC/min].

    ``cleared`` readings just before it, which were held back as spikes, turned out to be none.
    """

    t: float
    level: float
    c_per_min: float
    sd: float
    spike: bool = False
    cleared: int = 0


class CurveFilter:
    """Feed it readings as they come, read the rate of rise: by the beans alone, or led by the air where that is given too.

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
        self.air = AirLead(self.tuning)
        self._one_sided = 0.0
        self._held_back: list[tuple[float, float]] = []  #: times [s] and innovations [degC]
        self._cleared = 0
        self.transition = np.eye(4)  #: of the last step; the smoother reads these three
        self.predicted_state = self._state
        self.predicted_spread = self._spread

    def update(self, t: float, bean: float, air: float = float("nan")) -> Rate:
        """Take one reading and answer with the rate as known then, as `firnel.core.rate_of_rise.RateOfRiseFilter.update`."""
        self._cleared = 0
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
            (tuning.led_curvature, tuning.led_at_move) if self.air.leads else (tuning.curvature, tuning.curvature_at_move)
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
        change = self.air.change(t, air, float(self._state[0]), float(self._state[1]), since_charge)
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
            self._cleared = len(self._held_back)
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
        return (self.tuning.led_wander if self.air.leads else self.tuning.wander_share) if smooth else 0.0

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
        return Rate(float(self._t or 0.0), float(READ @ self._state), 60.0 * float(self._state[1]), sd, spike, self._cleared)
