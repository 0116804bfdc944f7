"""The running batch looked ahead at every reading: forecast, landing, advice, trouble coming; on any one thread at a time."""

from __future__ import annotations

import logging
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from firnel.core.guidance import (
    NO_OTHER_CHANCE,
    Advice,
    AirLine,
    Choice,
    Given,
    Landing,
    advise,
    landing_of,
    overshoots,
    steps_wanted,
)
from firnel.core.model.constants import Hands
from firnel.core.model.following import Follower
from firnel.core.model.forecast import FORWARD_STEP, DropRule, Forecast, Forecaster, Marks
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch, UnusableLogError, logged_batch
from firnel.core.model.replay import HORIZON_S, hands_ahead
from firnel.core.model.score import muted
from firnel.core.plan import Anchor, DueMove, Plan, PlanCurve, PlannedMove, due_moves, shifted_curve
from firnel.core.settling import passed, with_settled
from firnel.core.usual import CRASH_FALL, FLICK_RISE, STALL_RATE
from firnel.core.vocabulary import BatchRecord, Control, FloatArray, Lot, Machine, Mark, MarkKind, Move, Role, Trace
from firnel.work.machines.forecasting import SEED, curve_record

log = logging.getLogger(__name__)

#: No advice before this much of the roast is known, and none so shortly after a hand moved: its effect is not seen yet. [s]
ADVISE_FROM_S, ADVISE_AFTER_S = 120.0, 12.0
#: A planned move that falls due within this may be advised one step otherwise. [s]
NEXT_MOVE_S = 60.0
#: A step shows at the probe no sooner than this. [s]
SHOWS_AFTER_S = 25.0
#: A planned move that is overdue by more than this is no longer expected to be made. [s]
MISSED_S = 45.0
#: Without a model the curve is looked at this far back; a batch that lasts longer than this is none. [s]
RECENT_S, LONGEST_S = 240.0, 3600.0
#: The forecast runs this far beyond the drop as it was last expected. [s]
MARGIN_S = 120.0
AHEAD_S = 100.0
#: What the plan itself does is no trouble: told is only what goes beyond its own rate by so much. [K/min]
BEYOND_PLAN = 1.5
#: So many steps more are tried against a stall; it has ended when none is foreseen from so far ahead on. [s]
AGAINST_STALL, LEAST_AHEAD_S = (1, 2, 4, 8), 60.0
#: Half the 80 % interval of a mark whose coming was not watched. [s]
LEAST_DOUBT_S = 15.0


@dataclass(frozen=True)
class Ask:
    """What is known of the running batch at one moment; times in log time. [s]

    ``assumed`` are marks that were only found, each with half its 80 % interval: they count, but teach the ensemble nothing.
    ``held`` is how the controls stand, ``given`` the advice that was given last.
    """

    label: str
    now: float
    trace: Trace
    marks: tuple[Mark, ...]
    moves: tuple[Move, ...]
    done: Mapping[int, float]
    machine: Machine
    plan: Plan | None
    lot: Lot | None
    load_kg: float | None
    room_c: float | None = None
    assumed: Mapping[MarkKind, float] = field(default_factory=dict)
    held: Mapping[Control, float] = field(default_factory=dict)
    given: Given | None = None


@dataclass(frozen=True)
class Step:
    """From which setting to which, in which planned move (None: at once), and the moves that follow then."""

    setting: float
    to: float
    move: int | None
    due: tuple[DueMove, ...]


@dataclass(frozen=True)
class Ghost:
    """Where the batch would land with another step: name, development [s], drop [degC]."""

    name: str
    development_s: float
    drop_c: float


@dataclass(frozen=True)
class Coming:
    """Trouble that the forecast shows before it comes: kind, in how many seconds, a sentence, and what ends it if known."""

    kind: str
    in_s: float
    sentence: str
    remedy: Choice | None = None


@dataclass(frozen=True)
class Guidance:
    """What was worked out at ``at`` [s of log time]; ``marks`` are expected in log time too."""

    at: float
    forecast: Forecast
    marks: Mapping[MarkKind, float]
    landing: Landing | None = None
    ghosts: tuple[Ghost, ...] = ()
    advice: Advice | None = None
    too_late: bool = False
    coming: tuple[Coming, ...] = ()
    why: str = ""
    muted: str = ""  #: why nothing is advised on this machine, and what earns it
    tried: bool = False  #: whether steps were tried against what is missed
    #: marks not set that members are past: when half of them were (log time), half the 80 % interval [s], and what share is
    passed: Mapping[MarkKind, tuple[float, float, float]] = field(default_factory=dict)


class LiveForecast:
    """Looks ahead for one batch.

    Parameters
    ----------
    model : of the machine; without one the curve is carried on, and nothing is advised.
    """

    def __init__(self, model: MachineModel | None) -> None:
        self._model = model
        self._muted = muted(model) if model is not None else ""
        self._follower = Follower(model, SEED) if model is not None else None
        self._expected: dict[MarkKind, float] = {}
        self._half: dict[MarkKind, float] = {}  # when half of the members were past a mark that is not set
        self._doubt: dict[MarkKind, float] = {}
        self._last_share: dict[MarkKind, tuple[float, float]] = {}

    def answer(self, ask: Ask) -> Guidance | None:
        """The guidance for what is known; None while too little is known."""
        charge = next((mark for mark in ask.marks if mark.kind is MarkKind.CHARGE), None)
        if charge is None or any(mark.kind is MarkKind.DROP for mark in ask.marks) or ask.now - charge.t > LONGEST_S:
            return None
        surely = tuple(mark for mark in ask.marks if mark.kind not in ask.assumed)
        record = BatchRecord(
            ask.label, ask.lot.name if ask.lot else "", ask.machine.name, datetime.now(UTC), ask.trace, surely, ask.moves,
            load_kg=ask.load_kg or ask.machine.useful_load_kg, room_c=ask.room_c,
        )  # fmt: skip
        rule = drop_rule(ask.plan)
        why = ""
        if self._model is not None and self._follower is not None:
            try:
                batch = logged_batch(record, ask.machine, ask.lot, until=ask.now)
                if len(batch.hands) < 4:
                    return None
                ensemble, known = self._follower.follow(batch)
                return self._guided(ask, charge.t, batch, ensemble, self._assumed(ask, charge.t, known), rule)
            except UnusableLogError as error:
                why = str(error)
            except (ArithmeticError, ValueError, np.linalg.LinAlgError) as error:
                log.exception("The model could not follow batch %s at %.0f s; the curve goes on.", ask.label, ask.now)
                self._follower = Follower(self._model, SEED)  # begun anew from what is recorded
                why = f"the model could not follow it: {error}"
        forecast = curve_record(record, ask.machine, ask.now - charge.t, rule, RECENT_S)
        return replace(self._told(ask, charge.t, forecast), why=why) if forecast is not None else None

    @staticmethod
    def _assumed(ask: Ask, zero: float, known: Marks) -> Marks:
        """The marks that count, those that were only found among them."""
        found = {mark.kind: mark.t - zero for mark in ask.marks if mark.kind in ask.assumed}
        if MarkKind.YELLOW in found and known.yellow_t is None:
            known = replace(known, yellow_t=found[MarkKind.YELLOW])
        if MarkKind.FIRST_CRACK in found and known.first_crack_t is None:
            doubt = ask.assumed[MarkKind.FIRST_CRACK]
            known = replace(known, first_crack_t=found[MarkKind.FIRST_CRACK], first_crack_doubt_s=doubt)
        return known

    def _passed(self, ask: Ask, ensemble: Forecaster, forecast: Forecast) -> dict[MarkKind, tuple[float, float, float]]:
        """The marks that nobody has set and that members are past: since when, how surely, and what share."""
        found = {}
        told = (forecast.yellow, forecast.first_crack)
        came = {mark.kind for mark in ask.marks} - set(ask.assumed)
        for kind, share, expected in zip((MarkKind.YELLOW, MarkKind.FIRST_CRACK), ensemble.shares_past(), told, strict=True):
            if kind in came:
                continue
            if share < 0.3:
                self._half.pop(kind, None)
                if expected is not None and expected.low is not None and expected.high is not None:
                    self._doubt[kind] = 0.5 * (expected.high - expected.low)
            elif share >= 0.5:
                before_t, before = self._last_share.get(kind, (ask.now, share))
                # Between two forecasts it rose by a straight line.
                part = (0.5 - before) / (share - before) if share > before and before < 0.5 else 1.0
                half = self._half.setdefault(kind, before_t + part * (ask.now - before_t))
                found[kind] = (half, self._doubt.get(kind, LEAST_DOUBT_S), share)
            self._last_share[kind] = (ask.now, share)
        return found

    def _own(self, ask: Ask, zero: float) -> PlanCurve | None:
        """The plan's curve from charge on, moved with its marks."""
        curve = shifted_curve(ask.plan, ask.marks, ask.now, self._expected) if ask.plan is not None else None
        return replace(curve, t=curve.t - zero) if curve is not None and curve.t.size > 4 else None

    def _told(self, ask: Ask, zero: float, forecast: Forecast) -> Guidance:
        self._expected = _marks_of(forecast, zero)
        came = _came(ask, zero)
        landing = landing_of(ask.plan, forecast, came, self._line(ask, zero)) if ask.plan is not None else None
        return Guidance(ask.now, forecast, dict(self._expected), landing)

    def _line(self, ask: Ask, zero: float) -> AirLine | None:
        """The air line of a plan that is led by it, where the machine has an air probe."""
        plan = ask.plan
        if plan is None or plan.approach != "air-led" or not np.isfinite(ask.trace.air[-30:]).any():
            return None
        curve = shifted_curve(plan, ask.marks, ask.now, self._expected)
        return AirLine(curve.t - zero, curve.air) if curve is not None and curve.t.size else None

    def _guided(
        self, ask: Ask, zero: float, batch: LoggedBatch, ensemble: Forecaster, known: Marks, rule: DropRule
    ) -> Guidance:
        due = _due(ask, self._expected)
        end = self._expected.get(MarkKind.DROP)
        # A drop that is long overdue is still looked ahead from: nothing ends because time went by.
        until = HORIZON_S if end is None else max(end - ask.now, 0.0) + MARGIN_S
        hands = _ahead(ask, batch, ensemble.t, zero, due, until)
        forecast = ensemble.forecast(hands, rule, known)
        guidance = replace(self._told(ask, zero, forecast), passed=self._passed(ask, ensemble, forecast))
        air_led = ask.plan is not None and ask.plan.approach == "air-led"
        own = self._own(ask, zero)
        guidance = replace(guidance, coming=coming_of(forecast, own, air_led))

        def made(step: Step) -> Choice:
            ahead = _ahead(ask, batch, ensemble.t, zero, step.due, until)
            return Choice(ask.machine.main_heat, step.setting, step.to, ensemble.forecast(ahead, rule, known), step.move)

        if any(coming.kind == "stall" for coming in guidance.coming):

            def spoils(choice: Choice) -> bool:
                plan, landing = ask.plan, guidance.landing
                return plan is not None and landing is not None and overshoots(plan, landing, choice, _came(ask, zero))

            told = tuple(self._against(one, ask, made, own, spoils) for one in guidance.coming)
            guidance = replace(guidance, coming=told)
        if ask.plan is None or guidance.landing is None:
            return guidance
        came = _came(ask, zero)
        near = [(by, made(step)) for by in (-1, 1) if (step := step_of(ask, due, by)) is not None]
        guidance = replace(guidance, ghosts=_ghosts(forecast, [choice for _, choice in near]))
        last_move = max((move.t for move in ask.moves if ask.machine.role(move.control) is not Role.MOTION), default=zero)
        settled = ask.now - last_move >= ADVISE_AFTER_S and ask.now - zero >= ADVISE_FROM_S
        if not settled or not near or guidance.landing is None or guidance.landing.clear:
            return guidance
        if self._muted:
            return replace(guidance, muted=self._muted)
        scale = ask.machine.controls[ask.machine.main_heat]
        line = self._line(ask, zero)
        wanted = steps_wanted(ask.plan, guidance.landing, [(by, choice.forecast) for by, choice in near], came, scale, line)
        choices = [choice for _, choice in near]
        if abs(wanted) > 1 and (step := step_of(ask, due, wanted)) is not None:
            choices.append(made(step))
        urgent = any(off.kind == "development" and off.in_tolerances > NO_OTHER_CHANCE for off in guidance.landing.off)
        if ask.given is not None and not urgent:
            choices = [one for one in choices if ask.given.bound(one.control, one.to, ask.now) == one.to]
        advice = advise(ask.plan, guidance.landing, choices, came, line)
        end = forecast.drop_t.value + zero if forecast.drop_t is not None else ask.now + HORIZON_S
        late = advice is None and end - ask.now < SHOWS_AFTER_S
        return replace(guidance, advice=advice, too_late=late, tried=True)

    @staticmethod
    def _against(
        coming: Coming,
        ask: Ask,
        made: Callable[[Step], Choice],
        own: PlanCurve | None,
        spoils: Callable[[Choice], bool],
    ) -> Coming:
        """A stall with the fewest steps of heat that end it, if any does without spoiling the landing."""
        if coming.kind != "stall":
            return coming
        for by in AGAINST_STALL:
            step = step_of(ask, (), by)
            if step is None:
                return coming
            choice = made(step)
            if not any(one.kind == "stall" for one in coming_of(choice.forecast, own, True, LEAST_AHEAD_S)):
                return coming if spoils(choice) else replace(coming, remedy=choice)
        return coming


def drop_rule(plan: Plan | None, usual_s: float = 95.0) -> DropRule:
    """When a batch of this plan is to be dropped; after a usual development without one."""
    if plan is None:
        return DropRule(usual_s)
    if plan.drop_rules:
        return DropRule(None, plan.targets.drop_c)
    return DropRule(plan.targets.development_s or plan.stages[2] or usual_s)


def _came(ask: Ask, zero: float) -> dict[MarkKind, float]:
    return {mark.kind: mark.t - zero for mark in ask.marks}


def _marks_of(forecast: Forecast, zero: float) -> dict[MarkKind, float]:
    """When marks are expected, in log time. [s]"""
    told = ((MarkKind.YELLOW, forecast.yellow), (MarkKind.FIRST_CRACK, forecast.first_crack), (MarkKind.DROP, forecast.drop_t))
    return {kind: interval.value + zero for kind, interval in told if interval is not None}


def _due(ask: Ask, expected: Mapping[MarkKind, float]) -> tuple[DueMove, ...]:
    """The plan's moves that are still to be reckoned with: not one long missed, nor one that the hand has gone past."""
    if ask.plan is None:
        return ()
    due = due_moves(ask.plan, ask.marks, ask.now, ask.done, expected, ask.held)
    steps = {control: scale.step for control, scale in ask.machine.controls.items()}
    due = with_settled(due, passed(due, {mark.kind: mark.t for mark in ask.marks}, ask.now, ask.held, steps))
    moved: dict[Control, float] = defaultdict(lambda: float("-inf"))
    for move in ask.moves:
        moved[move.control] = max(moved[move.control], move.t)
    return tuple(
        entry
        for entry in due
        if entry.done_t is None and (entry.due_t is None or entry.due_t > max(ask.now - MISSED_S, moved[entry.move.control]))
    )


def step_of(ask: Ask, due: tuple[DueMove, ...], by: int) -> Step | None:
    """The heat some steps otherwise: at once, or in the planned move if one falls due soon; None outside its range."""
    heat = ask.machine.main_heat
    scale = ask.machine.controls.get(heat)
    if scale is None:
        return None
    soon = next((e for e in due if e.move.control == heat and e.due_t is not None), None)
    if soon is not None and soon.due_t is not None and soon.due_t - ask.now > NEXT_MOVE_S:
        soon = None
    base = soon.move.to if soon is not None else _setting(ask.trace.control(heat), ask.moves, heat)
    if base is None:
        return None
    to = scale.nearest(base + by * scale.step)
    if by > 0 and to < scale.least:
        to = scale.least  # from off the way back begins where the burner burns
    if by < 0 and to < scale.least:
        # Below its least the burner is put out, and that is a coast: only for the end.
        cracked = any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks)
        to = scale.least if base > scale.least else (scale.low if cracked else base)
    if abs(to - base) < 0.5 * scale.step:
        return None
    if soon is None:
        return Step(base, to, None, (DueMove(PlannedMove(heat, to, Anchor.TIME), -1, ask.now, base), *due))
    other = tuple(replace(entry, move=replace(entry.move, to=to)) if entry is soon else entry for entry in due)
    return Step(base, to, soon.index, other)


def _setting(column: FloatArray, moves: tuple[Move, ...], control: Control) -> float | None:
    """How a control stands: as the machine reports it, else as it was moved last."""
    known = column[np.isfinite(column)]
    if known.size:
        return float(known[-1])
    made = [move.to for move in moves if move.control == control]
    return made[-1] if made else None


def _ahead(ask: Ask, batch: LoggedBatch, at: float, zero: float, due: tuple[DueMove, ...], until: float = HORIZON_S) -> Hands:
    """The controls from ``at`` on in forecast steps, ``until`` seconds on: as they stand, and the moves to come in time."""
    count = int(min(until, HORIZON_S) / FORWARD_STEP)
    t = at + FORWARD_STEP * np.arange(count)
    moves = [(max(e.due_t - zero, at), e.move.control, e.move.to) for e in due if e.due_t is not None]
    return hands_ahead(ask.machine, batch, len(batch.hands) - 1, t, moves)


def _ghosts(planned: Forecast, choices: list[Choice]) -> tuple[Ghost, ...]:
    found = []
    named = [("as planned", planned)]
    named += [("one step less" if choice.to < choice.setting else "one step more", choice.forecast) for choice in choices]
    for name, forecast in named:
        if forecast.development_s is not None and forecast.drop_c is not None:
            found.append(Ghost(name, forecast.development_s.value, forecast.drop_c.value))
    return tuple(found)


def coming_of(
    forecast: Forecast, own: PlanCurve | None = None, stalls_only: bool = False, from_s: float = 0.0
) -> tuple[Coming, ...]:
    """Stall, crash and flick as the forecast's middle has them in the next minutes, up to the drop.

    Parameters
    ----------
    forecast : of the batch; where it does not reach the next mark, what keeps it from there is a stall.
    own : the plan's own curve from charge on: its crash, its coast and its soak are meant.
    stalls_only : of a plan that is not judged by the shape of its rate.
    from_s : looked at only from so much ahead on. [s]
    """
    if forecast.fan is None or forecast.fan_t is None:
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
        found.append(Coming("stall", in_s, f"stall coming: the rate falls to {rate[lowest]:.1f} K/min"))
    if stalls_only or forecast.first_crack is None or forecast.yellow is None:
        return tuple(found)
    window = max(1, int(30.0 / FORWARD_STEP))
    falls = rate[:-window] - rate[window:]
    own_falls = np.nan_to_num(planned[:-window] - planned[window:])
    beyond = np.where(falls > np.maximum(own_falls, 0.0) + BEYOND_PLAN, falls, 0.0)
    if not found and falls.size and float(beyond.max()) > CRASH_FALL:
        at = int(np.argmax(beyond))
        sentence = f"crash coming: the rate falls by {falls[at]:.0f} K/min"
        found.append(Coming("crash", float(ahead[at + window] - forecast.at), sentence))
    rises = np.where(-falls > np.maximum(-own_falls, 0.0) + BEYOND_PLAN * 0.5, -falls, 0.0)
    if rises.size and float(rises.max()) > FLICK_RISE and ahead[int(np.argmax(rises))] > forecast.first_crack.value - 60.0:
        at = int(np.argmax(rises))
        sentence = f"flick coming: the rate turns up by {rises[at]:.0f} K/min"
        found.append(Coming("flick", float(ahead[at + window] - forecast.at), sentence))
    return tuple(found)
