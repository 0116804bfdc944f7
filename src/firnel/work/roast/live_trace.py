"""The readings of the running batch: arrays that grow, and the live rate beside them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from firnel.core.known_course import Course, CourseFilter
from firnel.core.rate_of_rise import Rate, RateOfRiseFilter
from firnel.core.vocabulary import Control, FloatArray, Quality, Trace
from firnel.devices.reading import Reading

_FIELDS = ("t", "bean", "air", "rate", "rate_sd")
#: Two courses that differ by less at this moment are one. [degC]
SAME_COURSE_C = 0.3
#: No beans read more. [degC]
MOST_C = 300.0
#: A rate that may be off by more than this says nothing: one standard deviation. [degC/min]
UNSURE_RATE = 6.0
_UNUSABLE = int(Quality.FROZEN | Quality.OUT_OF_RANGE)


class LiveTrace:
    """Readings in log time with the filter's rate; appending is cheap, reading gives views."""

    def __init__(self) -> None:
        self._table = np.empty((len(_FIELDS), 1024))
        self._controls: dict[Control, FloatArray] = {}
        self._quality = np.empty(1024, np.int64)
        self._count = 0
        self._filter = RateOfRiseFilter()
        self._course: Course | None = None
        self._on_course = CourseFilter()
        self._charge_t: float | None = None
        self._moves_t: list[float] = []
        self._stale = False  # a move was taken back since the rate was worked out
        self.level: float | None = None  #: filtered bean reading. [degC]

    def __len__(self) -> int:
        return self._count

    def column(self, name: str) -> FloatArray:
        """One column as a view, shape (n,): t, bean, air, rate, rate_sd, or a control by its key."""
        if name in _FIELDS:
            return self._table[_FIELDS.index(name), : self._count]
        series = self._controls.get(Control(name))
        return series[: self._count] if series is not None else np.full(self._count, np.nan)

    def row(self, index: int) -> tuple[float, float | None, float | None, dict[Control, float]]:
        """One reading: t, bean, air, and what is known of the controls."""
        bean, air = (None if np.isnan(value) else float(value) for value in self._table[1:3, index])
        controls = {control: float(series[index]) for control, series in self._controls.items() if np.isfinite(series[index])}
        return float(self._table[0, index]), bean, air, controls

    def readings_from(self, t: float) -> Iterator[Reading]:
        """The readings from a moment on, in log time."""
        for index in np.flatnonzero(self.column("t") >= t):
            yield Reading(*self.row(int(index)), self.quality_at(int(index)))

    def take_from(self, other: LiveTrace, t: float, earlier: float = 0.0) -> None:
        """Add what another trace has from a moment on, each reading so much earlier. [s]"""
        for one in other.readings_from(t):
            self.append(one.time - earlier, one.bean, one.air, one.controls, one.quality)

    def sound_bean(self) -> FloatArray:
        """Bean readings, shape (n,), without those that are no reading of beans. [degC]"""
        bean = self.column("bean").copy()
        bean[(self._quality[: self._count] & int(_UNUSABLE | Quality.SPIKE)) != 0] = np.nan
        bean[bean > MOST_C] = np.nan
        return bean

    def rate(self) -> FloatArray:
        """The live rate, shape (n,), where it says anything: not while it settles behind a gap. [degC/min]"""
        return np.where(self.column("rate_sd") <= UNSURE_RATE, self.column("rate"), np.nan)

    @property
    def rate_now(self) -> float | None:
        """The newest rate, where it says anything. [degC/min]"""
        rate, sd = self.latest("rate"), self.latest("rate_sd")
        return rate if sd is not None and sd <= UNSURE_RATE else None

    def append(
        self, t: float, bean: float | None, air: float | None, controls: Mapping[Control, float], quality: Quality
    ) -> None:
        """Add one reading. A time that does not go forward is left out."""
        if self._count and t <= self._table[0, self._count - 1]:
            return
        if self._count == self._table.shape[1]:
            self._table = np.concatenate([self._table, np.empty_like(self._table)], axis=1)
            self._controls = {
                control: np.concatenate([series, np.full(series.size, np.nan)]) for control, series in self._controls.items()
            }
            self._quality = np.concatenate([self._quality, np.empty_like(self._quality)])
        index = self._count
        self._table[:3, index] = [np.nan if value is None else value for value in (t, bean, air)]
        for control, value in controls.items():
            series = self._controls.get(control)
            if series is None:
                series = self._controls.setdefault(control, np.full(self._table.shape[1], np.nan))
            series[index] = value
        self._quality[index] = int(quality)
        self._count += 1
        self._rate_at(index)

    def expect_change(self, t: float) -> None:
        """A control was moved at ``t`` [s]."""
        self._moves_t.append(t)
        self._filter.expect_change(t)

    def forget_change(self, t: float) -> None:
        """The move at ``t`` was taken back [s]: the rate is worked out again without it."""
        if t in self._moves_t:
            self._moves_t.remove(t)
            self._stale = True

    def correct(self, control: Control, since: float, value: float | None) -> None:
        """A control truly stood at ``value`` from ``since`` on. [s]"""
        series = self._controls.get(control)
        if series is not None:
            series[: self._count][self._table[0, : self._count] >= since] = np.nan if value is None else value

    def strike(self, index: int) -> None:
        """A reading that was keyed wrong stands for nothing any more; `set_charge` works the rate out again."""
        self._table[1:3, index] = np.nan
        self._quality[index] |= int(Quality.OUT_OF_RANGE)
        self._stale = True

    def set_course(self, course: Course | None) -> None:
        """What the model makes of this batch, in log time and some way ahead; with it the rate wanders less.

        Where it says otherwise of what is past than it did, what the readings have over it is worked out again.
        """
        before, self._course = self._course, course
        if course is None or self.last_t is None:
            self._on_course = CourseFilter()
            return
        if before is not None and abs(before.at(self.last_t)[0] - course.at(self.last_t)[0]) < SAME_COURSE_C:
            return
        self._on_course = CourseFilter()
        t, bean = self.column("t"), self.sound_bean()
        for index in range(int(np.searchsorted(t, course.t[0])), self._count):
            rate, sd = self._table[3:5, index]
            said = Rate(float(t[index]), float(bean[index]), float(rate), float(sd))
            self._on_course.update(float(bean[index]), course, said)

    def set_charge(self, charge_t: float | None) -> None:
        """Begin the rate anew at the charge, and work it out again from there."""
        if charge_t == self._charge_t and not self._stale:
            return
        self._stale = False
        self._charge_t = charge_t
        self._filter = RateOfRiseFilter(charge_t)
        self.set_course(None)  # it hung on the charge
        start = 0 if charge_t is None else int(np.searchsorted(self.column("t"), charge_t))
        moves = [t for t in self._moves_t if charge_t is None or t >= charge_t]
        for index in range(start, self._count):
            while moves and moves[0] <= self._table[0, index]:
                self._filter.expect_change(moves.pop(0))
            self._rate_at(index)

    def _rate_at(self, index: int) -> None:
        good = not self._quality[index] & _UNUSABLE
        t, *read = (float(value) for value in self._table[:3, index])
        bean, air = read if good else (float("nan"), float("nan"))
        rate = self._filter.update(t, bean, air)
        if self._course is not None and np.isfinite(rate.level):
            rate = self._on_course.update(bean, self._course, rate)
        if rate.spike:
            self._quality[index] |= int(Quality.SPIKE)
        self._quality[max(index - rate.cleared, 0) : index] &= ~int(Quality.SPIKE)
        self.level = rate.level if np.isfinite(rate.level) else None
        known = np.isfinite(rate.level)
        self._table[3, index] = rate.c_per_min if known else np.nan
        self._table[4, index] = rate.sd if known else np.nan

    @property
    def last_t(self) -> float | None:
        """Log time of the newest reading. [s]"""
        return float(self._table[0, self._count - 1]) if self._count else None

    def latest(self, name: str) -> float | None:
        """The newest known value of a column."""
        column = self.column(name)
        known = np.flatnonzero(np.isfinite(column[-50:]))
        return float(column[-50:][known[-1]]) if known.size else None

    def bean_at(self, t: float) -> float | None:
        """Bean reading at ``t`` [degC]; the newest one if ``t`` is just past the end."""
        trace = self.trace()
        inside = trace.bean_at(t)
        return inside if inside is not None or self.last_t is None or t < self.last_t else self.latest("bean")

    def trace(self) -> Trace:
        """The readings as a core value (views, not copies)."""
        controls = {control: series[: self._count] for control, series in self._controls.items()}
        t, bean, air = self._table[:3, : self._count]
        return Trace(t, bean, air, controls, self._quality[: self._count])

    def quality_at(self, index: int) -> Quality:
        """The quality of one reading, as the filter left it."""
        return Quality(int(self._quality[index]))
