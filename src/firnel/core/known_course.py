r"""Rate of rise where a model knows the course: its own rate, and what the readings say of the difference.

A thermometer that wanders by tenths of a degree over some seconds looks like a rate of a degree or two a minute, and no filter
of its readings alone can tell the two apart within seven seconds. A model that knows the moves can: it has turned the curve
already when the hand has. What the reading has over the model's course is a level with a slope that is drawn back to nought
(Ornstein and Uhlenbeck [1]_); its spread grows while the readings keep to one side of what was expected.

References
----------
.. [1] G. E. Uhlenbeck, L. S. Ornstein, "On the theory of the Brownian motion", Physical Review 36 (1930) 823-841.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.rate_of_rise import Rate, live_rates
from firnel.core.vocabulary import FloatArray


@dataclass(frozen=True)
class CourseTuning:
    """What the readings are expected to do about the course. Chosen by bench/rate_of_rise.py, on logged and drawn machines."""

    slope: float = 0.035  #: spread of what the model's rate is off by. [degC/s]
    memory: float = 20.0  #: time constant with which it changes. [s]
    wander: float = 0.6  #: spread of the readings of one second, their wandering in it. [degC]
    liveliness: float = 6.0  #: by how much one-sided innovations widen the spread.
    gate: float = 4.0  #: innovations beyond this many standard deviations count as if so many.
    begins: float = 45.0  #: from the charge: before that the fall into the load is no course. [s]
    #: while the model's rate needs so little correction it is gone by, and from so much on no more [degC/min]; over so long [s]
    believed: tuple[float, float] = (2.0, 5.0)
    looked_back: float = 60.0


@dataclass(frozen=True)
class Course:
    """The model's bean probe from the charge on, ahead of now too, at ``t`` [s], ``bean`` [degC]; shape (n,), evenly spaced."""

    t: FloatArray
    bean: FloatArray

    def at(self, t: float) -> tuple[float, float]:
        """Reading [degC] and rate [degC/min] at a moment; NaN outside."""
        step = self.t[1] - self.t[0]
        place = (t - self.t[0]) / step
        if not 0.0 <= place <= self.t.size - 1:
            return float("nan"), float("nan")
        index = min(int(place), self.t.size - 2)
        part, (low, here, there, high) = place - index, self.bean[np.clip(np.arange(index - 1, index + 3), 0, self.t.size - 1)]
        # The rate goes from one moment's to the next one's: no steps in it.
        before, behind = (there - low) / (2.0 if index > 0 else 1.0), (high - here) / (2.0 if index + 2 < self.t.size else 1.0)
        return float(here + part * (there - here)), float(60.0 * (before + part * (behind - before)) / step)


class CourseFilter:
    """Follows what the readings have over a course.

    Parameters
    ----------
    tuning : what is expected of them.
    """

    def __init__(self, tuning: CourseTuning | None = None) -> None:
        self.tuning = tuning or CourseTuning()
        self._t: float | None = None
        self._level, self._slope = 0.0, 0.0
        self._p00, self._p01, self._p11 = 0.0, 0.0, 0.0
        self._one_sided, self._corrected = 0.0, 0.0

    def update(self, bean: float, course: Course, alone: Rate) -> Rate:
        """Take a reading; the rate at that moment, with the spread that the readings alone leave it.

        Parameters
        ----------
        bean : the reading; NaN counts as not read. [degC]
        course : as it is known now.
        alone : what the readings alone say of this moment; it counts where the model is far off.
        """
        t = alone.t
        expected, rate = course.at(t)
        if not np.isfinite(expected) or t < course.t[0] + self.tuning.begins:
            return alone
        sound = np.isfinite(bean) and not alone.spike
        if self._t is None:
            if sound:
                self._t, self._level = t, bean - expected
                self._p00, self._p11 = self.tuning.wander**2, self.tuning.slope**2
            return alone
        step, self._t = t - self._t, t
        self._predict(step)
        if sound and step > 0.0:
            self._correct(bean - expected, max(step, 0.25))
        low, high = self.tuning.believed
        part = float(np.clip((high - np.sqrt(self._corrected)) / (high - low), 0.0, 1.0))
        told = part * (rate + 60.0 * self._slope) + (1.0 - part) * alone.c_per_min
        return replace(alone, c_per_min=told)  # its doubt is that of the readings alone: it is never larger

    def _predict(self, step: float) -> None:
        tuning = self.tuning
        decay = float(np.exp(-step / tuning.memory))
        gain = tuning.memory * (1.0 - decay)
        wide = tuning.slope * (1.0 + tuning.liveliness * self._one_sided**2)
        grown = wide**2 * (1.0 - decay**2)
        self._level += gain * self._slope
        self._slope *= decay
        p00 = self._p00 + 2.0 * gain * self._p01 + gain**2 * self._p11 + grown * step**2 / 3.0
        self._p01 = decay * (self._p01 + gain * self._p11) + grown * step / 2.0
        self._p00, self._p11 = p00, decay**2 * self._p11 + grown
        share = float(np.exp(-step / tuning.looked_back))
        self._corrected = share * self._corrected + (1.0 - share) * (60.0 * self._slope) ** 2

    def _correct(self, over: float, step: float) -> None:
        variance = self._p00 + self.tuning.wander**2 / step
        sd = float(np.sqrt(variance))
        off = float(np.clip((over - self._level) / sd, -self.tuning.gate, self.tuning.gate))
        keep = float(np.exp(-step / 6.0))
        self._one_sided = keep * self._one_sided + (1.0 - keep) * off
        gain, gain_slope = self._p00 / variance, self._p01 / variance
        self._level += gain * off * sd
        self._slope += gain_slope * off * sd
        self._p11 -= gain_slope * self._p01
        self._p01 *= 1.0 - gain
        self._p00 *= 1.0 - gain


def live_rate_on_course(
    t: FloatArray, bean: FloatArray, charge_t: float, moves_t: Sequence[float], course: Course, air: FloatArray | None = None
) -> FloatArray:
    """What was said live at each reading of a finished record, shape (n,). [degC/min]

    Parameters
    ----------
    t, bean, charge_t, moves_t, air : as in `live_rate_of_rise`.
    course : in the same time as ``t``.
    """
    rate_filter = CourseFilter()
    alone = live_rates(t, bean, charge_t, moves_t, None, air)
    return np.array(
        [rate_filter.update(float(reading), course, one).c_per_min for reading, one in zip(bean, alone, strict=True)]
    )
