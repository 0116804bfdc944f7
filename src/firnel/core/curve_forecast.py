"""The forecast without a model: the filtered curve carried on, with an uncertainty that grows as it should."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from firnel.core.model.foretelling import DropRule, Forecast, Interval, Marks
from firnel.core.rate_of_rise import RateOfRiseFilter
from firnel.core.vocabulary import FloatArray

#: The rate of rise sinks with this time constant if nothing happens; common practice of falling rates, no published source. [s]
SINKS_S = 700.0
#: How far the rate may be off its trend a minute ahead, as a share; spread of a mark's reading on one machine, over lots and
#: loads: so that eight in ten hold on the logged machines (bench/by_curve.py). [-], [degC]
RATE_WANDERS, MARK_SD = 0.18, 3.5
HORIZON_S = 900.0
#: How fast the beans rose when they passed a reading is taken from so long before and behind it; no slower. [s], [degC/s]
SLOPE_S, LEAST_SLOPE = 30.0, 0.03
Z80 = 1.2816  #: of a normal, for 80 % in the middle


def curve_forecast(
    t: FloatArray,
    bean: FloatArray,
    moves_t: Sequence[float],
    rule: DropRule,
    marks: Marks,
    yellow_c: float,
    crack_c: float,
    heard: bool = True,
    air: FloatArray | None = None,
) -> Forecast:
    """Carry the live rate of rise on.

    Parameters
    ----------
    t : times from charge up to now, shape (n,). [s]
    bean : readings, shape (n,); NaN where not read. [degC]
    moves_t : when gas or air was moved. [s]
    rule : when the batch is to be dropped.
    marks : that have come.
    yellow_c, crack_c : bean readings at yellow and first crack on this machine. [degC]
    heard : whether a hand sets marks; where none does, what the beans are past has come when they read so.
    air : readings of the air, shape (n,), which lead the rate; NaN where not read. [degC]
    """
    rate = RateOfRiseFilter(0.0)
    moves = sorted(moves_t)
    for moment, reading, over in zip(t, bean, np.full(t.size, np.nan) if air is None else air, strict=True):
        while moves and moves[0] <= moment:
            rate.expect_change(moves.pop(0))
        rate.update(float(moment), float(reading), float(over))
    now = float(t[-1])
    ahead = np.arange(0.0, HORIZON_S, 1.0)
    level, slope = float(rate.state[0]), float(rate.state[1])
    curve = level + slope * SINKS_S * -np.expm1(-ahead / SINKS_S)
    wandered = RATE_WANDERS * slope * ahead * np.sqrt(ahead / 60.0)
    sd = np.sqrt(rate.spread[0, 0] + rate.spread[1, 1] * ahead**2 + wandered**2 + MARK_SD**2)
    fan = np.stack([curve - Z80 * sd, curve, curve + Z80 * sd])
    turned = slope > 0.0

    def comes(mark_t: float | None, reading: float) -> Interval | None:
        if mark_t is not None:
            return Interval(mark_t, mark_t, mark_t)
        if not heard and (past := _passed(t, bean, reading)) is not None:
            return past
        middle = _reaches(ahead, curve, reading) if turned else None
        if middle is None:
            return None
        late, early = _reaches(ahead, fan[0], reading), _reaches(ahead, fan[2], reading)
        return Interval(now + middle, now + (early or 0.0), now + late if late is not None else None)

    yellow, crack = comes(marks.yellow_t, yellow_c), comes(marks.first_crack_t, crack_c)
    drop = _drop(crack, rule, now, ahead, fan)
    if drop is None or crack is None:
        return Forecast(now, "curve", yellow, crack, fan_t=now + ahead, fan=fan)
    drop_t, drop_c = drop
    length = drop_t.value - crack.value
    development = (
        Interval(length, length, length) if rule.development_s is not None else Interval(length, *_apart(drop_t, crack))
    )
    return Forecast(now, "curve", yellow, crack, drop_t, drop_c, development, now + ahead, fan)


def _drop(
    crack: Interval | None, rule: DropRule, now: float, ahead: FloatArray, fan: FloatArray
) -> tuple[Interval, Interval] | None:
    if crack is None:
        return None
    if rule.development_s is not None:
        late = max(crack.high + rule.development_s, now) if crack.high is not None else None
        soon = max((crack.low or now) + rule.development_s, now)
        when = Interval(max(crack.value + rule.development_s, now), soon, late)
        low, middle, high = (float(np.interp(when.value - now, ahead, line)) for line in fan)
        return when, Interval(middle, low, high)
    if rule.drop_c is None:
        return None
    times = [_reaches(ahead, line, rule.drop_c) for line in (fan[2], fan[1], fan[0])]
    if times[1] is None:
        return None
    late = now + times[2] if times[2] is not None else None
    return Interval(now + times[1], now + (times[0] or 0.0), late), Interval(rule.drop_c, rule.drop_c, rule.drop_c)


def _apart(drop: Interval, crack: Interval) -> tuple[float | None, float | None]:
    low = max(drop.low - crack.value, 0.0) if drop.low is not None else None
    return low, drop.high - crack.value if drop.high is not None else None


def _passed(t: FloatArray, bean: FloatArray, reading: float) -> Interval | None:
    """When the beans rose past a reading that they are above since; None where they are not. [s]"""
    t, bean = t[np.isfinite(bean)], bean[np.isfinite(bean)]
    below = np.flatnonzero(bean < reading)
    if not below.size or below[-1] == bean.size - 1:
        return None
    at = float(t[below[-1] + 1])
    near = np.abs(t - at) <= SLOPE_S
    slope = max(float(np.polyfit(t[near] - at, bean[near], 1)[0]), LEAST_SLOPE) if near.sum() > 1 else LEAST_SLOPE
    return Interval(at, at - Z80 * MARK_SD / slope, at + Z80 * MARK_SD / slope)


def _reaches(ahead: FloatArray, line: FloatArray, level: float) -> float | None:
    above = np.flatnonzero(line >= level)
    return float(ahead[above[0]]) if above.size else None
