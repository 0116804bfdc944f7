"""The readings of the running batch: arrays that grow, and the live rate beside them."""

from __future__ import annotations

import numpy as np

from firnel.core.rate_of_rise import RateOfRiseFilter
from firnel.core.vocabulary import FloatArray, Quality, Trace

_FIELDS = ("t", "bean", "air", "gas", "airflow", "drum", "rate", "rate_sd")
_UNUSABLE = int(Quality.FROZEN | Quality.OUT_OF_RANGE)


class LiveTrace:
    """Readings in log time with the filter's rate; appending is cheap, reading gives views."""

    def __init__(self) -> None:
        self._table = np.empty((len(_FIELDS), 1024))
        self._quality = np.empty(1024, np.int64)
        self._count = 0
        self._filter = RateOfRiseFilter()
        self._charge_t: float | None = None
        self._moves_t: list[float] = []
        self._stale = False  # a move was taken back since the rate was worked out
        self.level: float | None = None  #: filtered bean reading. [degC]

    def __len__(self) -> int:
        return self._count

    def column(self, name: str) -> FloatArray:
        """One column as a view, shape (n,): t, bean, air, gas, airflow, drum, rate or rate_sd."""
        return self._table[_FIELDS.index(name), : self._count]

    def append(self, row: tuple[float | None, ...], quality: Quality) -> None:
        """Add one reading: t, bean, air, gas, airflow, drum. A time that does not go forward is left out."""
        t = row[0]
        if t is None or (self._count and t <= self._table[0, self._count - 1]):
            return
        if self._count == self._table.shape[1]:
            self._table = np.concatenate([self._table, np.empty_like(self._table)], axis=1)
            self._quality = np.concatenate([self._quality, np.empty_like(self._quality)])
        index = self._count
        self._table[:6, index] = [np.nan if value is None else value for value in row]
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

    def correct(self, name: str, since: float, value: float | None) -> None:
        """A control truly stood at ``value`` from ``since`` on. [s]"""
        rows = self._table[0, : self._count] >= since
        self._table[_FIELDS.index(name), : self._count][rows] = np.nan if value is None else value

    def set_charge(self, charge_t: float | None) -> None:
        """Begin the rate anew at the charge, and work it out again from there."""
        if charge_t == self._charge_t and not self._stale:
            return
        self._stale = False
        self._charge_t = charge_t
        self._filter = RateOfRiseFilter(charge_t)
        start = 0 if charge_t is None else int(np.searchsorted(self.column("t"), charge_t))
        moves = [t for t in self._moves_t if charge_t is None or t >= charge_t]
        for index in range(start, self._count):
            while moves and moves[0] <= self._table[0, index]:
                self._filter.expect_change(moves.pop(0))
            self._rate_at(index)

    def _rate_at(self, index: int) -> None:
        good = not self._quality[index] & _UNUSABLE
        rate = self._filter.update(float(self._table[0, index]), float(self._table[1, index]) if good else float("nan"))
        if rate.spike:
            self._quality[index] |= int(Quality.SPIKE)
        self.level = rate.level if np.isfinite(rate.level) else None
        known = np.isfinite(rate.level)
        self._table[6, index] = rate.c_per_min if known else np.nan
        self._table[7, index] = rate.sd if known else np.nan

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
        columns = (self.column(name) for name in _FIELDS[:6])
        return Trace.from_columns(columns, self._quality[: self._count])

    def quality_at(self, index: int) -> Quality:
        """The quality of one reading, as the filter left it."""
        return Quality(int(self._quality[index]))
