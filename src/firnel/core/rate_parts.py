"""What the filter of the rate of rise goes by: how lively curves are, what a thermometer adds, what the air foretells."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np

from firnel.core.vocabulary import FloatArray

#: No thermometer is thought better than this [degC], nor to wander less [degC2]: the smoother divides by it.
LEAST_NOISE_C, LEAST_WANDER = 0.02, 1e-6


@dataclass(frozen=True)
class RateTuning:
    """How lively the curve is expected to be. Chosen by bench/rate_of_rise.py, on simulated, drawn and logged roasts."""

    curvature: float = 0.0010  #: spread of the slope change late in a roast. [degC/s^2]
    curvature_at_charge: float = 0.40  #: the same in the moment of charge. [degC/s^2]
    charge_decay: float = 21.0  #: time constant from the one to the other. [s]
    curvature_at_move: float = 0.0007  #: added in the moment in which a control was moved. [degC/s^2]
    move_decay: float = 5.0  #: time constant with which that fades. [s]
    memory: float = 25.0  #: time constant that pulls the slope change to zero. [s]
    memory_at_charge: float = 12.0  #: the same in the moment of charge: the fall of the load begins at once and stays. [s]
    decline: float = 300.0  #: time constant with which a rising rate sinks if nothing else happens. [s]
    wander_memory: float = 16.0  #: time constant with which the thermometer's wandering is forgotten. [s]
    wander_apart: float = 9.0  #: readings so far apart tell how far it wanders. [s]
    wander_share: float = 0.19  #: of what they differ by, beyond the noise; the rest is the curve's own.
    wander_from: float = 90.0  #: after the charge: before that the curve bends more than that. [s]
    #: where the air leads: ``curvature`` and ``curvature_at_move`` [degC/s^2], and ``wander_share``.
    led_curvature: float = 0.0009
    led_at_move: float = 0.0002
    led_wander: float = 0.3
    air_memory: float = 1.5  #: time constant with which the air's noise is smoothed. [s]
    air_leap: float = 20.0  #: air that is suddenly so far off is believed only when it stays. [degC]
    air_least: float = 5.0  #: air that is no more than this above the beans leads nowhere. [degC]
    air_learned: float = 90.0  #: time constant with which it is learned what the rate has of it. [s]
    air_before: float = 8.0  #: the rate is known so long after the air. [s]
    air_from: float = 45.0  #: after the charge it is learned from here on, and leads after as long again. [s]
    air_judged: float = 15.0  #: what the two rates foretold so long ago is held against what came. [s]
    air_trusted: float = 60.0  #: time constant with which what came of it is remembered. [s]
    #: of the error by the beans alone: so far off the air is still believed, and so far off no more.
    air_sound: float = 1.0
    air_useless: float = 1.07
    noise: float = 0.25  #: first guess of the probe noise, one standard deviation. [degC]
    gate: float = 6.0  #: innovations beyond this many standard deviations are held back as spikes.
    alike: int = 3  #: so many in a row to the same side are no spikes but the truth.
    leap: float = 15.0  #: one that begins with more than this at once is believed only when it stays. [degC]
    stays: float = 10.0  #: so long. [s]
    liveliness: float = 1.0  #: by how much a run of one-sided innovations widens the spread.


#: What comes after tells wandering and curve apart: in review the curve may be held to bend less.
REVIEWED = RateTuning(curvature=0.0004, memory=12.0, wander_share=0.0)


class ProbeNoise:
    """What is read over a smooth curve, learned from the readings: variance of each for itself, and of wandering. [degC2]"""

    def __init__(self, tuning: RateTuning) -> None:
        self._tuning = tuning
        self.own, self.wander = tuning.noise**2, LEAST_WANDER
        self._near = self._far = self.own  # what third differences of neighbours and of readings further apart come to
        self._read: deque[tuple[float, float]] = deque()

    def learn(self, t: float, bean: float, share: float) -> None:
        """Take in a reading; of what readings far apart differ by beyond the noise ``share`` is wandering."""
        read = self._read
        read.append((t, bean))
        while read[0][0] < t - 3.0 * (self._tuning.wander_apart + 1.0):
            read.popleft()
        if len(read) < 4:
            return
        self._near = self._learned(self._near, self._third(1), 0.03)
        apart = (t - read[0][0]) / (len(read) - 1)
        every = round(self._tuning.wander_apart / apart) if apart > 0.0 else 0
        if share and every > 1 and len(read) > 3 * every:
            self._far = self._learned(self._far, self._third(every), 0.02)
            near, far = self._seen_of_wander(apart), self._seen_of_wander(every * apart)
            self.wander = max(share * (self._far - self._near) / (far - near), LEAST_WANDER)
            self.own = max(self._near - near * self.wander, LEAST_NOISE_C**2)
        else:
            self.own = self._near

    @staticmethod
    def _learned(known: float, seen: float, share: float) -> float:
        """A variance with a share of what was seen now, of which one leap is not believed."""
        return max(known + share * (min(seen, 9.0 * known) - known), LEAST_NOISE_C**2)

    def _third(self, every: int) -> float:
        """The third difference of readings so many apart, squared, over what a noise of variance one has: 1 + 9 + 9 + 1."""
        a, b, c, d = (self._read[-1 - every * back][1] for back in range(4))
        return (a - 3.0 * b + 3.0 * c - d) ** 2 / 20.0

    def _seen_of_wander(self, apart: float) -> float:
        """What share of the wandering's variance third differences of readings so far apart have, in the same measure."""
        kept = float(np.exp(-apart / self._tuning.wander_memory))
        return (20.0 - 30.0 * kept + 12.0 * kept**2 - 2.0 * kept**3) / 20.0


class AirLead:
    """What the air over the beans makes of their rate."""

    def __init__(self, tuning: RateTuning) -> None:
        self._tuning = tuning
        self._begun = self._t = self._air = float("nan")
        self._over: deque[tuple[float, float]] = deque()  #: air over beans [degC], as long ago as the rate lags
        self._rate_over = self._over_over = 0.0
        self._leapt = 0
        self.leads = False

    def change(self, t: float, air: float, level: float, slope: float, since_charge: float) -> float:
        """Take in a reading of the air; by how much the slope has changed with it since the last. [degC/s]

        Parameters
        ----------
        t : of the reading. [s]
        air : NaN counts as not read. [degC]
        level, slope : of the beans, as they were known before. [degC], [degC/s]
        since_charge : how long ago that was. [s]
        """
        tuning, step = self._tuning, t - self._t
        if not np.isfinite(air) or since_charge < tuning.air_from:
            if not step < tuning.air_before:  # what changes meanwhile, the beans tell
                self.leads = False
                self._over.clear()
            return 0.0
        if not np.isfinite(step):
            self._begun, self._t, self._air = t, t, air
            return 0.0
        if step <= 0.0 or self._leaps(air):
            return 0.0
        self._t, before = t, self._over[-1][1] if self._over else None
        self._air += (air - self._air) * (1.0 - float(np.exp(-step / tuning.air_memory)))
        over = self._air - level
        self._over.append((t, over))
        while len(self._over) > 2 and self._over[1][0] <= t - tuning.air_before:
            self._over.popleft()
        share, then = 1.0 - float(np.exp(-step / tuning.air_learned)), self._over[0][1]
        self._rate_over += share * (then * slope - self._rate_over)
        self._over_over += share * (then * then - self._over_over)
        known = t - self._begun > tuning.air_from and self._rate_over > 0.0
        self.leads = known and before is not None and over > tuning.air_least
        return self._rate_over / self._over_over * (over - before) if self.leads and before is not None else 0.0

    def _leaps(self, air: float) -> bool:
        """Whether it is suddenly far off; where it stays so, it is followed from there."""
        self._leapt = self._leapt + 1 if abs(air - self._air) > self._tuning.air_leap else 0
        if self._leapt > self._tuning.alike:
            self._air, self._leapt = air, 0
            self._over.clear()
        return self._leapt > 0


class AirTrust:
    """How far the air is to be believed: by what the led rate foretold against what the beans alone did."""

    def __init__(self, tuning: RateTuning) -> None:
        self._tuning = tuning
        self._foretold: deque[tuple[float, float, float, float]] = deque()  #: when [s], level [degC], both slopes [degC/s]
        self._alone = self._led = 0.0  #: mean squares of what they were off by [degC2]
        self._heard_s = 0.0
        self._t = float("nan")
        self.share = 1.0

    def learn(self, t: float, alone: FloatArray, led: FloatArray, leads: bool) -> None:
        """Take in the states of both filters, shape (4,), behind a reading; ``leads``: whether they differ by the air."""
        tuning, step = self._tuning, t - self._t
        self._t = t
        if leads:
            self._foretold.append((t, float(alone[0]), float(alone[1]), float(led[1])))
        if not self._foretold or t - self._foretold[0][0] < tuning.air_judged:
            return
        while len(self._foretold) > 1 and t - self._foretold[1][0] >= tuning.air_judged:
            self._foretold.popleft()
        then, level, *slopes = self._foretold.popleft()
        off_alone, off_led = ((float(alone[0]) - level - slope * (t - then)) ** 2 for slope in slopes)
        self._heard_s += step
        share = 1.0 - float(np.exp(-step / tuning.air_trusted))
        self._alone += share * (off_alone - self._alone)
        self._led += share * (off_led - self._led)
        if self._heard_s > tuning.air_judged and self._alone > 0.0:
            worse = float(np.sqrt(self._led / self._alone))
            self.share = float(np.clip((tuning.air_useless - worse) / (tuning.air_useless - tuning.air_sound), 0.0, 1.0))
