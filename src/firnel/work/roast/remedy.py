"""What ends a stall: the fewest steps of heat, and where first crack is out of reach, what reaches it again."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from firnel.core.guidance import Choice
from firnel.core.plan import PlanCurve
from firnel.core.vocabulary import MarkKind
from firnel.work.roast.coming import Coming, coming_of
from firnel.work.roast.steps import Ask, Step, made_up, stands, step_of

#: So many steps more are tried against a stall, then these shares of the scale where its steps are fine; it has ended when none
#: is foreseen from so far ahead on. [s]
AGAINST_STALL, AGAINST_STALL_SHARES, LEAST_AHEAD_S = (1, 2, 4, 8), (0.15, 0.3, 0.5), 60.0
#: A lost batch is not brought back by less than this share of the scale, however near the border the forecast stands.
LEAST_BACK = 0.05
#: Where no step gets a lost batch there, heat goes up by this share of its scale at once.
AT_ONCE = 0.3


def against(
    coming: Coming,
    ask: Ask,
    made: Callable[[Step], Choice],
    own: PlanCurve | None,
    spoils: Callable[[Choice], bool],
    lost: bool,
    most: float,
    least: float = 0.0,
) -> Coming:
    """A stall with the fewest steps of heat that end it, if any do without spoiling the landing.

    Parameters
    ----------
    coming : the trouble; what is no stall is answered as it is.
    ask : what is known of the batch.
    made : what a step would give.
    own : the plan's own curve from charge on.
    spoils : whether a choice would spoil the landing.
    lost : whether first crack is not reached any more: then steps that get there again, if none end the stall sooner.
    most : the highest setting that was logged from yellow on, as far as which steps are tried; infinite where none was.
    least : no shorter way than this share of the scale is told.
    """
    if coming.kind not in ("stall", "lost"):
        return coming
    scale, rescue, best = ask.machine.controls[ask.machine.main_heat], None, None
    further = [round(share * (scale.high - scale.low) / scale.step) for share in AGAINST_STALL_SHARES]
    one = step_of(ask, (), 1)
    if one is not None and np.isfinite(most):
        further.append(round((most - one.setting) / scale.step))
    for by in (*AGAINST_STALL, *sorted(steps for steps in further if steps > AGAINST_STALL[-1])):
        step = step_of(ask, (), by)
        if step is None:
            break
        if step.to - step.setting < least * (scale.high - scale.low):
            continue
        choice = made(step)
        if not any(one.kind == "stall" for one in coming_of(choice.forecast, own, True, LEAST_AHEAD_S)):
            if not spoils(choice):
                return replace(coming, remedy=choice)
            if not lost:
                return coming
        if lost and rescue is None and choice.forecast.first_crack is not None:
            rescue = choice
        if step.to - step.setting <= AT_ONCE * (scale.high - scale.low):
            best = choice
    # Where none of them gets there, as much as can be watched is the way there: the next look goes on from it.
    rescue = best if rescue is None and lost and coming.kind == "lost" else rescue
    return coming if rescue is None else replace(coming, remedy=rescue)


def rescue(
    coming: Coming,
    ask: Ask,
    made: Callable[[Step], Choice],
    own: PlanCurve | None,
    expected: Mapping[MarkKind, float],
    most: float,
    least: float = 0.0,
) -> Coming:
    """A batch that is lost with the heat that gets it there: the plan's own by now, else the fewest steps that do.

    Moves still to come are left out: the marks that they hang on come when the heat is back, and nobody knows yet when. Where
    the heat as it stands gets there without them, it is they that are to be made smaller.

    Parameters
    ----------
    coming : that it is lost.
    ask, made, own, most, least : as in `against`.
    expected : as in `made_up`.
    """
    scale = ask.machine.controls[ask.machine.main_heat]
    setting, least = stands(ask, ask.machine.main_heat), max(least, LEAST_BACK)
    if setting is not None and made(Step(setting, setting, None, ())).forecast.first_crack is not None:
        return replace(coming, by_plan=True)
    for step in made_up(ask, (), expected, ask.machine.main_heat):
        further = step.to > step.setting + least * (scale.high - scale.low)
        if further and (choice := made(step)).forecast.first_crack is not None:
            return replace(coming, remedy=choice)
    return against(coming, ask, made, own, lambda choice: choice.forecast.first_crack is None, True, most, least)
