"""Judging where a batch will land: against the plan's box, and whether one step of a hand would bring it back.

The thresholds are common practice, no published source: advice that comes too often is not heard.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from firnel.core.model.foretelling import Forecast, Interval
from firnel.core.plan import Plan
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Mark, MarkKind

#: A target counts as missed when it is off by this share of its tolerance and that share of half its 80 % interval. The clock
#: inside a stage is not chased for less than its own tolerance. In development there is no other chance, so less is let pass.
EDGES = {"stage": (1.2, 0.4), "end": (1.3, 0.5), "development": (0.75, 0.2)}
#: A move must take away at least this share of what is off, or bring it into the box. In development, where there is no other
#: chance, so much less is enough, as long as it is this share of a tolerance.
WORTH, WORTH_LATE, LEAST_LATE = 0.4, 0.1, 0.25
#: What would be missed by so many tolerances before first crack is worth a move that takes away less of it: after a missed or
#: a stray move no single one makes all good.
FAR, WORTH_FAR = {"stage": 6.0, "end": 2.5}, 0.25
#: So far off, a batch has gone astray: heat may be turned all of the way then.
ASTRAY = {"stage": 9.0, "end": 6.0}
#: What comes of a single step is none where it is less than this. [tolerances]
LEAST_GAIN = 1e-3
#: Nor are steps tried of which all together come to less than this. [tolerances]
HOPELESS = 0.1
#: This share of what is off in development is left to the next look: a part of it is doubt, a house's logs tell least of what
#: late moves come to, and one that went too far is seldom made good in time.
LEFT_OPEN = 0.35
#: A hand is never told to go further than this at once: steps of the gauge, or a share of its range where that is more.
MOST_STEPS, MOST_SHARE = 5, 0.15
#: Twice that where the end would be missed by far, once it has cracked: half of a way would not be worth its while. Heat may be
#: put out then: a coast is common practice, no published source.
MOST_AT_THE_END = 2
#: The air line is looked at this far ahead, and may be missed by this much; common practice, no published source. [s], [K]
AIR_FROM_S, AIR_TO_S, AIR_TOLERANCE_C = 25.0, 75.0, 4.0
#: From one advice to the next, what came of the first is looked at: before first crack, and in development. [s]
PAUSE_S, LAST_PAUSE_S = 45.0, 18.0
#: So soon after an advice, no other takes it back: what has come of it is not seen yet. [s]
BACK_S = 90.0
#: Unless the end would be missed by so many tolerances otherwise, once it has cracked.
NO_OTHER_CHANCE = 1.5
#: A step must not put another target further out than it was, beyond this much of its tolerance.
SPOILS = 0.35
#: More than that where the step is for a stage: until the end, and in browning, there is time to mend it. [tolerances] What it
#: does to the end, all the less the nearer first crack is than this. [s]
MENDABLE, MENDABLE_STAGE, MENDS_S = 1.5, 3.0, 420.0
#: A mark this near is not chased any more for its own sake: a step would show after it. [s]
NEAR_MARK_S = 60.0
#: Nor is browning while yellow is this near, or overdue: the mark tells more of it than all readings before. [s]
NEAR_NEWS_S = 30.0
#: Beyond this share of a tolerance the landing lies at the edge of the box.
EDGE_SHARE = 0.8


class Place(StrEnum):
    """Where the batch is expected to land: the one judgement that every sentence and picture goes by."""

    INSIDE = "in the box"
    EDGE = "at the edge of the box"
    OUTSIDE = "outside the box"


@dataclass(frozen=True)
class Off:
    """By how much a target is expected to be missed: in its own unit, in tolerances, and half its 80 % interval."""

    name: str
    by: float
    tolerance: float
    spread: float
    kind: str = "end"  #: stage, end, or development once first crack has come
    waits: bool = False  #: for news that is near: not spoken of until then, but not to be spoilt either

    @property
    def in_tolerances(self) -> float:
        """Absolute, in tolerances."""
        return abs(self.by) / self.tolerance

    @property
    def left_open(self) -> float:
        """What share of it a move is not meant to take away. [0..1]"""
        return LEFT_OPEN if self.kind == "development" else 0.0

    @property
    def surely(self) -> bool:
        """Whether it is missed even at the near end of the 80 % interval."""
        return abs(self.by) > self.tolerance + self.spread

    @property
    def astray(self) -> bool:
        """Whether it is so far off before first crack that small steps are none."""
        return self.in_tolerances >= ASTRAY.get(self.kind, np.inf)

    @property
    def outside(self) -> bool:
        """Whether it is missed beyond what the forecast leaves open."""
        if self.waits:
            return False
        edge, doubt = EDGES[self.kind]
        return abs(self.by) > edge * self.tolerance + doubt * self.spread


@dataclass(frozen=True)
class Choice:
    """One thing a hand could do: which control, from which setting to which, and what would come of it.

    ``move`` is the place of the planned move that would be made so, None for a step at once.
    """

    control: Control
    setting: float
    to: float
    forecast: Forecast
    move: int | None = None


@dataclass(frozen=True)
class Advice:
    """The move that helps: of which control, from and to, for which target, off by how much without it and with it."""

    choice: Choice
    off: Off
    becomes: float


@dataclass(frozen=True)
class Given:
    """An advice as it was given: when [log time, s], and which control from which setting to which."""

    t: float
    control: Control
    setting: float
    to: float

    def bound(self, control: Control, to: float, now: float) -> float:
        """The setting that may be advised instead of ``to``: as far back as this advice wanted it, and no further."""
        way = self.to - self.setting
        back = control == self.control and now - self.t < BACK_S and (to - self.to) * way < 0.0
        return self.to if back else to


@dataclass(frozen=True)
class Landing:
    """Where the batch is expected to land: development [s] and drop [degC], wanted with tolerances, and expected."""

    development_s: float | None
    drop_c: float | None
    wanted_s: float | None
    wanted_c: float | None
    tolerance_s: float
    tolerance_c: float
    off: tuple[Off, ...] = field(default=())

    @property
    def shares(self) -> tuple[float, ...]:
        """By how many tolerances development and drop are off, as far as both are wanted and expected."""
        pairs = (
            (self.development_s, self.wanted_s, self.tolerance_s),
            (self.drop_c, self.wanted_c, self.tolerance_c),
        )
        return tuple(abs(came - wanted) / by for came, wanted, by in pairs if came is not None and wanted is not None)

    @property
    def inside(self) -> bool:
        """Whether development and drop are expected in the box."""
        return max(self.shares, default=0.0) <= 1.0

    @property
    def cold(self) -> bool:
        """Whether the drop is expected below the box."""
        short = self.wanted_c is not None and self.drop_c is not None and self.wanted_c - self.drop_c > self.tolerance_c
        return short or self.drop_c is None

    @property
    def place(self) -> Place | None:
        """Where in the box, or out of it; None where nothing is expected."""
        if not self.shares:
            return None
        if not self.inside:
            return Place.OUTSIDE
        leaning = any(one.outside for one in self.off if one.kind != "stage")
        return Place.EDGE if leaning or max(self.shares) > EDGE_SHARE else Place.INSIDE

    @property
    def clear(self) -> bool:
        """Whether nothing at all is missed, the stages before included."""
        return not any(one.outside for one in self.off)


@dataclass(frozen=True)
class AirLine:
    """The plan's air probe, moved with its marks: times from charge [s] and readings [degC], shape (n,)."""

    t: FloatArray
    air: FloatArray

    def off(self, forecast: Forecast) -> Off | None:
        """By how much the air is expected to miss the line in the near future; None where either is not known there."""
        if forecast.air is None or forecast.fan_t is None:
            return None
        near = (forecast.fan_t >= forecast.at + AIR_FROM_S) & (forecast.fan_t <= forecast.at + AIR_TO_S)
        wanted = np.interp(forecast.fan_t[near], self.t, self.air, left=np.nan, right=np.nan)
        by = forecast.air[near] - wanted
        by = by[np.isfinite(by)]
        return Off("air_c", float(by.mean()), AIR_TOLERANCE_C, 0.0, "stage") if by.size else None


def expected_off(
    plan: Plan, forecast: Forecast, came: Mapping[MarkKind, float], line: AirLine | None = None
) -> tuple[Off, ...]:
    """What is expected to be missed of the plan's targets still to come.

    Parameters
    ----------
    plan : with its targets.
    forecast : of the batch.
    came : marks that have come, from charge. [s]
    line : of an air-led plan: up to first crack the air is coached, and the stages are its result.
    """
    targets, found = plan.targets, []

    def add(name: str, wanted: float | None, told: Interval | None, minus: Interval | float = 0.0, waits: bool = False) -> None:
        if wanted is None or told is None or told.low is None or told.high is None:
            return
        base = minus.value if isinstance(minus, Interval) else minus
        kind = "development" if MarkKind.FIRST_CRACK in came else "end"
        kind = "stage" if name in ("drying_s", "browning_s") else kind
        found.append(Off(name, told.value - base - wanted, plan.tolerance(name), 0.5 * (told.high - told.low), kind, waits))

    air = line.off(forecast) if line is not None and MarkKind.FIRST_CRACK not in came else None
    if air is not None:
        return (air,)
    if MarkKind.YELLOW not in came and _far(forecast, forecast.yellow):
        add("drying_s", plan.stages[0], forecast.yellow)
    known = MarkKind.YELLOW in came or forecast.yellow is not None
    if MarkKind.FIRST_CRACK not in came and known and _far(forecast, forecast.first_crack):
        yellow = came.get(MarkKind.YELLOW, forecast.yellow.value if forecast.yellow is not None else 0.0)
        near = MarkKind.YELLOW not in came and yellow - forecast.at < NEAR_NEWS_S
        add("browning_s", plan.stages[1], forecast.first_crack, yellow, near)
    add("drop_c", targets.drop_c, forecast.drop_c)
    add("development_s", targets.development_s, forecast.development_s)
    return tuple(found)


def _far(forecast: Forecast, told: Interval | None) -> bool:
    return told is not None and told.value - forecast.at > NEAR_MARK_S


def landing_of(plan: Plan, forecast: Forecast, came: Mapping[MarkKind, float], line: AirLine | None = None) -> Landing:
    """The landing, with what is off."""
    return Landing(
        forecast.development_s.value if forecast.development_s else None,
        forecast.drop_c.value if forecast.drop_c else None,
        plan.targets.development_s,
        plan.targets.drop_c,
        plan.tolerance("development_s"),
        plan.tolerance("drop_c"),
        expected_off(plan, forecast, came, line),
    )


def steps_wanted(
    plan: Plan,
    landing: Landing,
    ghosts: Sequence[tuple[int, Forecast]],
    came: Mapping[MarkKind, float],
    scale: ControlScale,
    line: AirLine | None = None,
    coasts: bool = False,
) -> int:
    """How many steps of the gauge would bring the worst miss back, by what one step does; 0 where nothing is missed.

    Parameters
    ----------
    plan, landing, came, line : as in `advise`.
    ghosts : steps and what would come of them: one less, one more.
    scale : of the control that is stepped.
    coasts : whether the control may be put out for the end of a batch that comes far too hot.
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
                elif off.astray:
                    furthest = whole
                wanted = max(1, min(round((1.0 - off.left_open) * abs(off.by) / gained), furthest))
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
    plan: Plan, landing: Landing, choices: Sequence[Choice], came: Mapping[MarkKind, float], line: AirLine | None = None
) -> Advice | None:
    """The choice that helps most; None where nothing is missed, or no move is worth it.

    Parameters
    ----------
    plan : with its targets, tolerances and what wins.
    landing : as expected without a choice.
    choices : what a hand could do.
    came : marks that have come, from charge. [s]
    line : of an air-led plan.
    """
    missed = sorted((off for off in landing.off if off.outside), key=lambda off: -_weight(plan, off))
    for off in missed:
        best: Advice | None = None
        for choice in choices:
            after = {other.name: other for other in expected_off(plan, choice.forecast, came, line)}
            mine = after.get(off.name)
            if mine is None or _spoils(landing.off, after, off, choice.forecast):
                continue
            gained, rest = abs(off.by) - abs(mine.by), off.left_open * off.by
            worth = WORTH_FAR if off.in_tolerances >= FAR.get(off.kind, np.inf) else WORTH
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


def may_advise(since_s: float, came: Mapping[MarkKind, float] | Mapping[MarkKind, Mark], sooner: bool = False) -> bool:
    """Whether another advice may be given, so long after the last one; ``sooner`` if nothing came of that."""
    return since_s > (LAST_PAUSE_S if sooner or MarkKind.FIRST_CRACK in came else PAUSE_S)
