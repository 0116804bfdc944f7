"""What brings a landing back: one step, of heat or of what else was moved in this house, or two that belong together."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from firnel.core.guidance import (
    NO_OTHER_CHANCE,
    Advice,
    Choice,
    advise,
    further_steps,
    may_advise,
    steps_wanted,
    steps_within,
)
from firnel.core.landing import AirLine, Landing
from firnel.core.plan import DueMove, Plan
from firnel.core.vocabulary import Control, MarkKind, Role
from firnel.work.roast.reach import Reach
from firnel.work.roast.steps import Ask, Step, made_up, step_of
from firnel.work.roast.two_moves import TwoMoves, only_stages

#: Where two moves were sought and none found, they are not sought again so soon. [s]
AGAIN_S = 8.0
#: The end of a batch that comes hot begins so long before its first crack: the heat may go below what was logged, or out, where
#: first crack then comes no later than this behind what is expected, or behind the plan where it comes too soon, and this
#: share of what is hot is left. [s]
ENDS_S, LATER_S, HOT_LEFT = 75.0, 10.0, 0.35


@dataclass(frozen=True)
class Sight:
    """What the search goes by at one moment.

    Parameters
    ----------
    ask, due, plan : what is known of the batch, the moves still to come, and what is wanted.
    landing : as expected without a step.
    near : the main heat one step less and one more, and what would come of each.
    made : what would come of a step of a control.
    came : marks that have come, from charge. [s]
    expected : when marks that have not come are expected, in log time. [s]
    zero : log time of the charge. [s]
    line : of an air-led plan.
    may_heat : whether more heat may be asked for in development.
    ends : as `ends_hot` says; ``near`` goes by it.
    """

    ask: Ask
    due: tuple[DueMove, ...]
    plan: Plan
    landing: Landing
    near: Sequence[tuple[int, Choice]]
    made: Callable[[Step, Control], Choice]
    came: Mapping[MarkKind, float]
    expected: Mapping[MarkKind, float]
    zero: float
    line: AirLine | None = None
    may_heat: bool = True
    ends: bool = False


def ends_hot(ask: Ask, landing: Landing, crack_t: float | None) -> bool:
    """Whether first crack is near, expected at ``crack_t`` (log time, s), and the drop comes hot behind it.

    What is done at first crack shows too late then: steel and probe lag.
    """
    if crack_t is None or crack_t - ask.now > ENDS_S or any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks):
        return False
    return any(off.name == "drop_c" and off.too_much and off.outside for off in landing.off)


class AdviceSearch:
    """Of one batch.

    Parameters
    ----------
    reach : what may be advised on its machine.
    sparing : of a machine that is hardly known: the main heat alone, and short ways.
    """

    def __init__(self, reach: Reach, sparing: bool = False) -> None:
        self._reach, self._sparing = reach, sparing
        self._two_again_t = float("-inf")

    def advice(self, sight: Sight) -> Advice | None:
        """What helps most; None where nothing does."""
        machine = sight.ask.machine
        further = () if self._sparing else self._reach.further(machine)
        for control in (machine.main_heat, *further):
            advice = self._one_step(sight, control)
            if advice is not None:
                return advice
        return self._two_moves(sight) if sight.line is None and not self._sparing else None

    def _one_step(self, sight: Sight, control: Control) -> Advice | None:
        ask, landing, machine, near = sight.ask, sight.landing, sight.ask.machine, sight.near
        if machine.role(control) is Role.HEAT and machine.kind_of(control) != "gas":
            landing = landing.whole_if_hot()
        if control != machine.main_heat:
            steps = ((by, step_of(ask, sight.due, by, control)) for by in (-1, 1))
            near = [(by, sight.made(step, control)) for by, step in steps if step is not None]
        ends = sight.ends and control == machine.main_heat
        bounds = logged = self._reach.bounds(machine, control, MarkKind.FIRST_CRACK in sight.came)
        if ends:
            bounds = (0.0, bounds[1])
        wanted = self._wanted(sight, landing, near, control, bounds)
        choices = [choice for _, choice in near]
        steps = ((by, step_of(ask, sight.due, by, control, ends)) for by in further_steps(wanted))
        choices += [sight.made(step, control) for _, step in steps if step is not None]
        choices += [sight.made(step, control) for step in made_up(ask, sight.due, sight.expected, control)]
        urgent = any(off.kind == "development" and off.in_tolerances > NO_OTHER_CHANCE for off in landing.off)
        if ends:
            choices = [one for one in choices if one.to >= min(logged[0], one.setting) or _in_time(sight, one)]
        allowed = _allowed(ask, choices, bounds, urgent)
        if MarkKind.FIRST_CRACK in sight.came and not sight.may_heat:
            allowed = [choice for choice in allowed if choice.to < choice.setting]
        return advise(sight.plan, landing, allowed, sight.came, sight.line, self._sparing)

    def _two_moves(self, sight: Sight) -> Advice | None:
        """Where no step helps a stage without spoiling the end: heat now, and at first crack what lands it all the same."""
        ask, heat, stages = sight.ask, sight.ask.machine.main_heat, only_stages(sight.landing)
        given = ask.given
        followed = given is not None and any(move.t >= given.t for move in ask.moves)
        resting = given is not None and followed and not may_advise(ask.now - given.t, sight.came)
        if MarkKind.FIRST_CRACK in sight.came or resting or ask.now < self._two_again_t:
            return None
        bounds = self._reach.bounds(ask.machine, heat, cracked=False)
        wanted = self._wanted(sight, stages, sight.near, heat, bounds)
        if not wanted:
            return None
        sought = TwoMoves(
            ask, sight.due, sight.plan, lambda step: sight.made(step, heat), self._reach.most_late(heat), sight.came, sight.zero
        )
        choices = sought.choices([by for by in dict.fromkeys((wanted, round(0.5 * wanted))) if by])
        advice = advise(sight.plan, stages, _allowed(ask, choices, bounds), sight.came)
        if advice is None:
            self._two_again_t = ask.now + AGAIN_S
        return advice

    def _wanted(
        self,
        sight: Sight,
        landing: Landing,
        near: Sequence[tuple[int, Choice]],
        control: Control,
        bounds: tuple[float, float],
    ) -> int:
        """How many steps would do, by what one does, as far as they stay within bounds."""
        if not near:
            return 0
        scale, coasts = sight.ask.machine.controls[control], control in sight.ask.machine.of(Role.HEAT)
        ghosts = [(by, choice.forecast) for by, choice in near]
        wanted = steps_wanted(sight.plan, landing, ghosts, sight.came, scale, sight.line, coasts, self._sparing)
        return steps_within(wanted, near[0][1].setting, bounds, scale)


def _in_time(sight: Sight, choice: Choice) -> bool:
    """Whether first crack is still sure to come, hardly later, and the drop no colder than it should be: else it waits."""
    told, drop, wanted = choice.forecast.first_crack, choice.forecast.drop_c, sight.plan.targets.drop_c
    expected = sight.expected.get(MarkKind.FIRST_CRACK)
    if told is None or told.high is None or drop is None or wanted is None or expected is None or sight.landing.drop_c is None:
        return False
    soon = next((-off.by for off in sight.landing.off if off.name == "browning_s"), 0.0)
    hot = HOT_LEFT * (sight.landing.drop_c - wanted)
    return told.value + sight.zero - expected <= max(soon, 0.0) + LATER_S and drop.value - wanted >= hot


def _allowed(ask: Ask, choices: Iterable[Choice], bounds: tuple[float, float], urgent: bool = False) -> list[Choice]:
    """Those within bounds, and none that takes back what was just advised, unless it is urgent."""
    least, most = bounds
    inside = [one for one in choices if min(least, one.setting) <= one.to <= max(most, one.setting)]
    given = ask.given
    return inside if given is None or urgent else [one for one in inside if given.bound(one.control, one.to, ask.now) == one.to]
