"""A time axis of days and months, for lanes that go over weeks and years."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

import pyqtgraph as pg

from firnel.core.words import tr

DAY_S = 86400.0
#: Days between the ticks, the finest that leaves them so far apart. [days], [px]
STEPS, APART = (1, 2, 7, 14, 31, 92, 183, 365), 74.0


class DaysAxis(pg.AxisItem):
    """Shows seconds since 1970 as days, or as months where the days would crowd."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N803 - Qt-style names
        """Whole days at local midnight, or the firsts of months."""
        span = max(maxVal - minVal, DAY_S) / DAY_S
        step = next((step for step in STEPS if span / step <= max(size / APART, 1.0)), 365 * 5)
        day = datetime.fromtimestamp(minVal, UTC).astimezone().replace(hour=0, minute=0, second=0, microsecond=0)
        values: list[float] = []
        while day.timestamp() <= maxVal and len(values) < 400:
            if day.timestamp() >= minVal and (step < 31 or day.day == 1):
                values.append(day.timestamp())
            day = _onward(day, step)
        return [(step * DAY_S, values)]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        """``14 Aug``, or ``Aug 26`` from a month on."""
        return [when(value) if spacing < 31 * DAY_S else tr("{:%b %y}", _local(value)) for value in values]


def when(x: float) -> str:
    """The day of a place on the axis: ``14 Aug``."""
    return tr("{:%-d %b}", _local(x))


def _local(x: float) -> datetime:
    return datetime.fromtimestamp(x, UTC).astimezone()


def _onward(day: datetime, step: int) -> datetime:
    """So many days later, or from a month on the first of a later month."""
    if step < 31:
        return day + timedelta(days=step)
    months = day.year * 12 + day.month - 1 + max(round(step / 30.5), 1)
    return day.replace(year=months // 12, month=months % 12 + 1, day=1)
