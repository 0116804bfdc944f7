"""Whether a step of a hand would bring a batch back to its plan, which, and how far.

The thresholds are common practice, no published source: advice that comes too often is not heard.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.landing import AirLine, Landing, Off, expected_off
from firnel.core.model.foretelling import Forecast
from firnel.core.plan import Plan, PlannedMove
from firnel.core.vocabulary import Control, ControlScale, Mark, MarkKind

#: A move must take away at least this share of what is off, or bring it into the box. In development, where there is no other
#: chance, so much less is enough, as long as it is this share of a tolerance.
WORTH, WORTH_LATE, LEAST_LATE = 0.4, 0.1, 0.25
#: What would be missed by so many tolerances before first crack is worth a move that takes away less of it: after a missed or
#: a stray move no single one makes all good.
FAR, WORTH_FAR = {"stage": 6.0, "end": 2.5}, 0.25
#: What comes of a single step is none where it is less than this. [tolerances]
LEAST_GAIN = 1e-3
#: Nor are steps tried of which all together come to less than this. [tolerances]
HOPELESS = 0.1
#: A hand is never told to go further than this at once: steps of the gauge, or a share of its range where that is more.
MOST_STEPS, MOST_SHARE = 5, 0.15
#: Twice that where the end would be missed by far, once it has cracked: half of a way would not be worth its while. Heat may be
#: put out then: a coast is common practice, no published source.
MOST_AT_THE_END = 2
#: From one advice to the next, what came of the first is looked at: before first crack, and in development. [s]
PAUSE_S, LAST_PAUSE_S = 45.0, 18.0
#: In a long development longer, by so much of what is left of it: a step has all of that to work.
PAUSE_OF_LEFT = 0.3
#: So soon after an advice, no other takes it back: what has come of it is not seen yet. [s]
BACK_S = 90.0
#: Unless the end would be missed by so many tolerances otherwise, once it has cracked.
NO_OTHER_CHANCE = 1.5
#: A step must not put another target further out than it was, beyond this much of its tolerance.
SPOILS = 0.35
#: More than that where the step is for a stage: until the end, and in browning, there is time to mend it. [tolerances] What it
#: does to the end, all the less the nearer first crack is than this. [s]
MENDABLE, MENDABLE_STAGE, MENDS_S = 1.5, 3.0, 420.0


@dataclass(frozen=True)
class Then:
    """The later move that belongs to a step of the same control: without it the step would help a stage and spoil the end.

    ``index`` is the place of the planned move that is to go there, None where the plan has none and this one joins it.
    """

    move: PlannedMove
    index: int | None = None


@dataclass(frozen=True)
class Choice:
    """One thing a hand could do: which control, from which setting to which, and what would come of it.

    ``move`` is the place of the planned move that would be made so, None for a step at once. ``then`` is what has to follow.
    """

    control: Control
    setting: float
    to: float
    forecast: Forecast
    move: int | None = None
    then: Then | None = None


@dataclass(frozen=True)
class Advice:
    """The move that helps: of which control, from and to, for which target, off by how much without it and with it.

    ``sure`` is whether that can be promised: not before the machine's answer was seen.
    """

    choice: Choice
    off: Off
    becomes: float
    sure: bool = True


@dataclass(frozen=True)
class Given:
    """An advice as it was given: when [log time, s], which control from which setting to which, and what is to follow."""

    t: float
    control: Control
    setting: float
    to: float
    then: Then | None = None

    @classmethod
    def of(cls, choice: Choice, t: float) -> Given:
        """Of a choice that is advised now. [s]"""
        return cls(t, choice.control, choice.setting, choice.to, choice.then)

    def answered_by(self, control: Control, to: float) -> bool:
        """Whether a hand that sets a control so has done what was advised, or at least half of the way to it."""
        way = self.to - self.setting
        return control == self.control and 0.5 <= (to - self.setting) / way <= 1.5 if way else False

    def bound(self, control: Control, to: float, now: float) -> float:
        """The setting that may be advised instead of ``to``: as far back as this advice wanted it, and no further."""
        way = self.to - self.setting
        back = control == self.control and now - self.t < BACK_S and (to - self.to) * way < 0.0
        return self.to if back else to


def steps_wanted(
    plan: Plan,
    landing: Landing,
    ghosts: Sequence[tuple[int, Forecast]],
    came: Mapping[MarkKind, float],
    scale: ControlScale,
    line: AirLine | None = None,
    coasts: bool = False,
    sparing: bool = False,
) -> int:
    """How many steps of the gauge would bring the worst miss back, by what one step does; 0 where nothing is missed.

    Parameters
    ----------
    plan, landing, came, line : as in `advise`.
    ghosts : steps and what would come of them: one less, one more.
    scale : of the control that is stepped.
    coasts : whether the control may be put out for the end of a batch that comes far too hot.
    sparing : on a machine that is hardly known, where no way is gone at once that is longer than what it does can be watched.
    """
    whole = round((scale.high - scale.low) / scale.step)
    most = max(MOST_STEPS, round(MOST_SHARE * whole))
    missed = sorted((off for off in landing.off if off.outside), key=lambda off: -_weight(plan, off))
    for off in missed:
        for steps, forecast in ghosts:
            mine = next((other for other in expected_off(plan, forecast, came, line) if other.name == off.name), None)
            gained = 0.0 if mine is None else (abs(off.by) - abs(mine.by) if mine.by * off.by > 0 else abs(off.by))
            if gained > LEAST_GAIN * off.tolerance:
                furthest = most
                if off.kind == "development" and off.in_tolerances > NO_OTHER_CHANCE:
                    furthest = whole if coasts and steps < 0 else MOST_AT_THE_END * most
                elif off.astray and not sparing:
                    furthest = whole
                wanted = max(1, min(round((1.0 - off.leaves) * abs(off.by) / gained), furthest))
                if wanted * gained > HOPELESS * off.tolerance:
                    return steps * wanted
    return 0


def steps_within(wanted: int, setting: float, bounds: tuple[float, float], scale: ControlScale) -> int:
    """So many of the steps that are wanted as stay within bounds; none where the control stands beyond them already."""
    least, most = max(bounds[0], scale.low), min(bounds[1], scale.high)
    up = max(int((most - setting) / scale.step + 1e-9), 0)
    down = max(int((setting - least) / scale.step + 1e-9), 0)
    return max(min(wanted, up), -down)


def further_steps(wanted: int) -> tuple[int, ...]:
    """What is tried beside a single step either way: all that is wanted, and half of it, which may spoil nothing else."""
    return tuple(sorted({wanted, round(0.5 * wanted)} - {-1, 0, 1}))


def advise(
    plan: Plan,
    landing: Landing,
    choices: Sequence[Choice],
    came: Mapping[MarkKind, float],
    line: AirLine | None = None,
    sparing: bool = False,
) -> Advice | None:
    """The choice that helps most; None where nothing is missed, or no move is worth it.

    Parameters
    ----------
    plan : with its targets, tolerances and what wins.
    landing : as expected without a choice.
    choices : what a hand could do.
    came : marks that have come, from charge. [s]
    line : of an air-led plan.
    sparing : as in `steps_wanted`: of a short way less is enough.
    """
    missed = sorted((off for off in landing.off if off.outside), key=lambda off: -_weight(plan, off))
    for off in missed:
        best: Advice | None = None
        for choice in choices:
            if landing.drop_c is not None and choice.forecast.drop_c is None:
                continue  # it does not get there any more
            after = {other.name: other for other in expected_off(plan, choice.forecast, came, line)}
            mine = after.get(off.name)
            if mine is None or _spoils(landing.off, after, off, choice.forecast):
                continue
            gained, rest = abs(off.by) - abs(mine.by), off.leaves * off.by
            worth = WORTH_FAR if off.in_tolerances >= FAR.get(off.kind, np.inf) else WORTH
            worth = WORTH_LATE if sparing and off.astray else worth
            helps = gained >= worth * abs(off.by) or (abs(mine.by) <= off.tolerance and gained > 0.25 * off.tolerance)
            late = max(WORTH_LATE * abs(off.by), LEAST_LATE * off.tolerance)
            helps = helps or (off.kind == "development" and gained >= late)
            if helps and (best is None or abs(mine.by - rest) < abs(best.becomes - rest)):
                best = Advice(choice, off, mine.by)
        if best is not None:
            return best
    return None


def _weight(plan: Plan, off: Off) -> float:
    return off.in_tolerances * (2.0 if off.name == plan.wins else 1.0)


def overshoots(plan: Plan, landing: Landing, choice: Choice, came: Mapping[MarkKind, float]) -> bool:
    """Whether a move against a stall would put the end clearly further out than it is: two sentences must not disagree."""
    after = {other.name: other for other in expected_off(plan, choice.forecast, came) if other.kind != "stage"}
    before = [off for off in landing.off if off.kind != "stage"]
    return any(after[off.name].in_tolerances > max(1.0, off.in_tolerances) + SPOILS for off in before if off.name in after)


def _spoils(before: Sequence[Off], after: Mapping[str, Off], spare: Off, forecast: Forecast) -> bool:
    """Whether a step puts another target clearly further out than it was; what a stage does to later ones is mended there."""
    left_s = forecast.first_crack.value - forecast.at if forecast.first_crack is not None else 0.0
    for off in before:
        later = after.get(off.name)
        if off.name == spare.name or later is None:
            continue
        mendable = 0.0
        if spare.kind == "stage" and off.kind == "end":
            mendable = MENDABLE * min(max(left_s / MENDS_S, 0.0), 1.0)
        elif (spare.name, off.name) == ("drying_s", "browning_s"):
            mendable = MENDABLE_STAGE
        if later.in_tolerances > max(1.0, off.in_tolerances) + SPOILS + mendable:
            return True
    return False


def may_advise(
    since_s: float, came: Mapping[MarkKind, float] | Mapping[MarkKind, Mark], sooner: bool = False, left_s: float = 0.0
) -> bool:
    """Whether another advice may be given.

    Parameters
    ----------
    since_s : so long after the last one. [s]
    came : the marks that have come.
    sooner : nothing came of the last one.
    left_s : until the drop, as it is expected. [s]
    """
    if sooner:
        return since_s > LAST_PAUSE_S
    return since_s > (min(max(PAUSE_OF_LEFT * left_s, LAST_PAUSE_S), PAUSE_S) if MarkKind.FIRST_CRACK in came else PAUSE_S)
