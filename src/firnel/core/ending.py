"""The moment of the drop: where development and drop temperature part, the one that lands both in the box if there is one."""

from __future__ import annotations

import numpy as np

from firnel.core.crossing import crossing
from firnel.core.model.foretelling import DropRule, Forecast
from firnel.core.plan import Plan
from firnel.core.vocabulary import FloatArray

#: Only near its end is a batch ended earlier or later: before that, heat is the better hand. [s]
NEAR_END_S = 30.0
#: The target that leads gives away at most this share of its tolerance, and the other is brought within that share of its own:
#: time is kept to the second, and the reading comes a quarter of a usual tolerance off what is said of it so late.
GIVES, ASKS = 0.8, 0.6
#: Of a time that leads so much is left to a hand, which comes late and hardly early. Common practice, no published source. [s]
HAND_LATE_S = 1.0
#: Moments are weighed this far apart, and the last each way. [s]
EVERY_S = 0.5
#: A drop that surely comes hotter than wanted by more than the whole usual rise from first crack to drop, and by so many
#: tolerances, is not waited for as a clock has it. [K] But no development is cut below the shortest usual one. [s] Common
#: practice, no published source.
FAR_HOT_K, FAR_HOT, LEAST_S = 8.0, 2.0, 60.0


def moved_end(plan: Plan, forecast: Forecast, crack_t: float, before_s: float = 0.0) -> float:
    """By how much the drop is to be moved from the moment that the leading target gives; negative is earlier. [s]

    The target that leads gives way inside its own tolerance, but for what a hand needs, as little as brings the other one
    safely into its own. Where no such moment is expected to, the nearest is taken as long as the 80 % interval leaves the box
    open; where it does not, the leading target keeps its own, unless the drop would come far too hot. Common practice, no
    published source.

    Parameters
    ----------
    plan : with its targets, tolerances and what wins.
    forecast : of a batch that has cracked, by the rule of the plan.
    crack_t : first crack, from charge. [s]
    before_s : by how much it was moved last: what was cut far stays cut as long as the drop is expected far too hot. [s]
    """
    targets, end, t, fan = plan.targets, forecast.drop_t, forecast.fan_t, forecast.fan
    if targets.development_s is None or targets.drop_c is None or end is None or t is None or fan is None:
        return 0.0
    hottest = targets.drop_c + max(FAR_HOT_K, FAR_HOT * plan.tolerance("drop_c"))
    was_cut = before_s < -plan.tolerance("development_s")
    if not plan.drop_rules and np.interp(end.value, t, fan[1 if was_cut else 0]) > hottest:
        reaches = float(crossing(t, fan[1][:, None], np.array([hottest]))[0])
        there = max(reaches, forecast.at, crack_t + LEAST_S)
        if there < end.value and (was_cut or there - forecast.at <= NEAR_END_S):
            return there - end.value
    if not 0.0 < end.value - forecast.at <= NEAR_END_S:
        return 0.0
    seconds, kelvin = plan.tolerance("development_s"), plan.tolerance("drop_c")
    late = min(GIVES * seconds, max(seconds - HAND_LATE_S, 0.0))
    moments = end.value + (_ways(NEAR_END_S, NEAR_END_S) if plan.drop_rules else _ways(GIVES * seconds, late))
    moments = moments[(moments >= forecast.at) & (moments <= t[-1])]
    by_time = np.abs(moments - crack_t - targets.development_s) / seconds
    low, middle, high = (np.interp(moments, t, row) for row in fan)
    by_heat = np.abs(middle - targets.drop_c) / kelvin
    at_best = np.maximum(by_time, by_heat - 0.5 * (high - low) / kelvin)
    if not moments.size:
        return 0.0
    leads, other = (by_heat, by_time) if plan.drop_rules else (by_time, by_heat)
    worst, moved = np.maximum(leads, other), np.abs(moments - end.value)
    if other[np.argmin(moved)] <= ASKS or at_best.min() > 1.0:
        return 0.0
    inside = np.flatnonzero((other <= ASKS) & (leads <= GIVES))
    best = inside[np.argmin(moved[inside])] if inside.size else np.argmin(np.where(leads <= 1.0, worst, np.inf))
    return float(moments[best] - end.value)


def _ways(early: float, late: float) -> FloatArray:
    """From so much earlier to so much later, both among them, and not moved at all. [s]"""
    return np.union1d(np.arange(0.0, -early, -EVERY_S), np.append(np.arange(0.0, late, EVERY_S), (-early, late)))


def moved_rule(rule: DropRule, forecast: Forecast, by_s: float) -> DropRule:
    """The rule by which a batch is dropped whose end was moved by so much. [s]"""
    if not by_s:
        return rule
    if rule.development_s is not None:
        return DropRule(rule.development_s + by_s)
    if forecast.drop_t is None or forecast.fan_t is None or forecast.fan is None:
        return rule
    return DropRule(None, float(np.interp(forecast.drop_t.value + by_s, forecast.fan_t, forecast.fan[1])))
