"""Trouble that the forecast shows before it comes: a mark that is not reached any more, stall, crash and flick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.guidance import Choice
from firnel.core.model.forecast import FORWARD_STEP
from firnel.core.model.foretelling import Forecast
from firnel.core.plan import PlanCurve
from firnel.core.usual import CRASH_FALL, FLICK_RISE, STALL_RATE
from firnel.core.vocabulary import MarkKind
from firnel.core.words import tr

#: So far is looked ahead. [s]
AHEAD_S = 100.0
#: Before so long after the charge heat that is off may be a soak that nobody planned: common practice, no published source. [s]
SOAKS_S = 120.0
#: Beans that still rise so fast in the last of what is looked ahead get there after it. [K/min], [s]
STILL_RISES, LAST_S = 2.0, 60.0
#: Unless the plan has had the mark for so long by then. [s]
FAR_LATE_S = 240.0
#: What the plan itself does is no trouble: told is only what goes beyond its own rate by so much. [K/min]
BEYOND_PLAN = 1.5


@dataclass(frozen=True)
class Coming:
    """Trouble that the forecast shows before it comes: kind (lost, stall, crash or flick), in how many seconds, a sentence.

    ``remedy`` is what ends it, if known, ``sure`` whether that can be promised, and ``never`` the mark that a batch does not
    reach which is lost; ``by_plan``, if it is the moves still planned that keep it from there.
    """

    kind: str
    in_s: float
    sentence: str
    remedy: Choice | None = None
    never: MarkKind | None = None
    sure: bool = True
    by_plan: bool = False


def lost_of(
    forecast: Forecast, cracked: bool, planned: bool, wanted: tuple[float | None, float | None] = (None, None)
) -> Coming | None:
    """That a batch does not reach yellow or first crack any more; None while it does, or may still be soaking.

    Parameters
    ----------
    forecast : as far ahead as any is made.
    cracked : whether first crack has come.
    planned : whether it has a plan, and the heat to come is in the forecast.
    wanted : when the plan has yellow and first crack, from charge. [s]
    """
    if cracked or forecast.first_crack is not None or (not planned and forecast.at < SOAKS_S):
        return None
    never = MarkKind.YELLOW if forecast.yellow is None else MarkKind.FIRST_CRACK
    due = wanted[0] if never is MarkKind.YELLOW else wanted[1]
    looked_to = forecast.fan_t[-1] if forecast.fan_t is not None else forecast.at
    long_due = due is not None and looked_to - due > FAR_LATE_S
    if forecast.fan is not None and forecast.fan_t is not None and not long_due:
        last = forecast.fan_t >= forecast.fan_t[-1] - LAST_S
        rises = float(forecast.fan[1][last][-1] - forecast.fan[1][last][0]) / max(float(np.ptp(forecast.fan_t[last])), 1.0)
        if 60.0 * rises > STILL_RISES:
            return None  # a large batch that takes longer than anybody looks ahead
    return Coming("lost", 0.0, tr("{} does not come like this", never.words), never=never)


def coming_of(
    forecast: Forecast,
    own: PlanCurve | None = None,
    stalls_only: bool = False,
    from_s: float = 0.0,
    turned: bool = True,
) -> tuple[Coming, ...]:
    """Stall, crash and flick as the forecast's middle has them in the next minutes, up to the drop.

    Parameters
    ----------
    forecast : of the batch; where it does not reach the next mark, what keeps it from there is a stall.
    own : the plan's own curve from charge on: its crash, its coast and its soak are meant.
    stalls_only : of a plan that is not judged by the shape of its rate.
    from_s : looked at only from so much ahead on. [s]
    turned : whether the probe has turned; before that it falls to meet the beans, and no rate says anything.
    """
    if forecast.fan is None or forecast.fan_t is None or not turned:
        return ()
    t, middle = forecast.fan_t, forecast.fan[1]
    begin = max(forecast.at, forecast.yellow.value) if forecast.yellow is not None else forecast.at
    end = min(forecast.at + AHEAD_S + from_s, forecast.drop_t.value if forecast.drop_t is not None else np.inf)
    part = (t >= max(begin, forecast.at + from_s)) & (t <= end)
    if part.sum() < 8:
        return ()
    ahead, rate = t[part], 60.0 * np.gradient(middle[part], t[part])
    planned = np.full(rate.size, np.nan) if own is None else np.interp(ahead, own.t, own.ror, left=np.nan, right=np.nan)
    found = []
    lowest = int(np.argmin(rate))
    meant = np.isfinite(planned[lowest]) and rate[lowest] > planned[lowest] - BEYOND_PLAN
    if rate[lowest] < STALL_RATE and not meant:
        in_s = float(ahead[int(np.argmax(rate < STALL_RATE))] - forecast.at)
        found.append(Coming("stall", in_s, tr("stall coming: the rate falls to {:.1f} K/min", rate[lowest])))
    if stalls_only or forecast.first_crack is None or forecast.yellow is None:
        return tuple(found)
    window = max(1, int(30.0 / FORWARD_STEP))
    falls = rate[:-window] - rate[window:]
    own_falls = np.nan_to_num(planned[:-window] - planned[window:])
    beyond = np.where(falls > np.maximum(own_falls, 0.0) + BEYOND_PLAN, falls, 0.0)
    if not found and falls.size and float(beyond.max()) > CRASH_FALL:
        at = int(np.argmax(beyond))
        sentence = tr("crash coming: the rate falls by {:.0f} K/min", falls[at])
        found.append(Coming("crash", float(ahead[at + window] - forecast.at), sentence))
    rises = np.where(-falls > np.maximum(-own_falls, 0.0) + BEYOND_PLAN * 0.5, -falls, 0.0)
    if rises.size and float(rises.max()) > FLICK_RISE and ahead[int(np.argmax(rises))] > forecast.first_crack.value - 60.0:
        at = int(np.argmax(rises))
        sentence = tr("flick coming: the rate turns up by {:.0f} K/min", rises[at])
        found.append(Coming("flick", float(ahead[at + window] - forecast.at), sentence))
    return tuple(found)
