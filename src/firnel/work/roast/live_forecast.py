"""The running batch looked ahead at every reading: forecast, landing, advice, trouble coming; on any one thread at a time."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from firnel.core.ending import NEAR_END_S, moved_end, moved_rule
from firnel.core.guidance import Advice, Choice, overshoots
from firnel.core.known_course import Course
from firnel.core.landing import AirLine, Landing, Off, landing_of
from firnel.core.machine.capacity import bares_probe
from firnel.core.model.following import Follower
from firnel.core.model.forecast import Forecaster
from firnel.core.model.foretelling import DropRule, Forecast, Marks
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch, UnusableLogError, logged_batch
from firnel.core.model.replay import HORIZON_S
from firnel.core.model.score import muted, sparing
from firnel.core.model.statements import FEWEST
from firnel.core.plan import DueMove, Plan, PlanCurve, shifted_curve
from firnel.core.vocabulary import BatchRecord, Control, Machine, MarkKind, Role
from firnel.core.words import tr
from firnel.work.machines.forecasting import SEED, curve_record
from firnel.work.roast.advice_search import AdviceSearch, Sight
from firnel.work.roast.coming import Coming, coming_of, lost_of
from firnel.work.roast.hardly_known import LEAST_WAY, NEAR_CRACK_S, as_foretold, gets_nowhere, shown
from firnel.work.roast.passed_marks import PassedMarks
from firnel.work.roast.reach import Reach
from firnel.work.roast.remedy import against, rescue
from firnel.work.roast.steps import Ask, Step, ahead_of, due_in, stands, step_of, without_hung

log = logging.getLogger(__name__)

#: No advice before this much of the roast is known, and none so shortly after a hand moved: its effect is not seen yet. [s]
ADVISE_FROM_S, ADVISE_AFTER_S = 120.0, 12.0
#: Unless the batch has surely lost its way. [s]
ADVISE_ASTRAY_S = 60.0
#: A step shows at the probe no sooner than this. [s]
SHOWS_AFTER_S = 25.0
#: Where nobody has marked the turn, a lowest reading that lies so far back was it. [s]
TURNED_S = 20.0
#: Without a model the curve is looked at this far back; a batch that lasts longer than this is none. [s]
RECENT_S, LONGEST_S = 240.0, 3600.0
#: The forecast runs this far beyond the drop as it was last expected. [s]
MARGIN_S = 120.0
#: The model's course is carried on so far: until the next forecast at least. [s]
COURSE_AHEAD_S = 60.0
#: The end of a batch begins so long before its first crack: what the rate does from there on shows in the landing. [s]
ABOUT_CRACK_S = 30.0


@dataclass(frozen=True)
class Ghost:
    """Where the batch would land with another step: name, development [s], drop [degC]."""

    name: str
    development_s: float
    drop_c: float


@dataclass(frozen=True)
class Guidance:
    """What was worked out at ``at`` [s of log time]; ``marks`` are expected in log time too."""

    at: float
    forecast: Forecast
    marks: Mapping[MarkKind, float]
    landing: Landing | None = None
    moved_s: float = 0.0  #: by how much the drop is moved from the leading target's moment, so that it lands in the box [s]
    ghosts: tuple[Ghost, ...] = ()
    advice: Advice | None = None
    too_late: bool = False
    coming: tuple[Coming, ...] = ()
    why: str = ""
    muted: str = ""  #: why nothing is advised on this machine, and what earns it
    tried: bool = False  #: whether steps were tried against what is missed
    #: marks not set that members are past: when half of them were (log time), half the 80 % interval [s], and what share is
    passed: Mapping[MarkKind, tuple[float, float, float]] = field(default_factory=dict)
    course: Course | None = None  #: what a model that was fitted makes of the batch from its load and moves alone, in log time


class LiveForecast:
    """Looks ahead for one batch.

    Parameters
    ----------
    model : of the machine; without one the curve is carried on, and nothing is advised.
    """

    def __init__(self, model: MachineModel | None) -> None:
        self._model = model
        self._muted = tuple(muted(model, cracked) if model is not None else "" for cracked in (False, True))
        self._sparing, self._reach = model is not None and sparing(model), Reach(model)
        self._hardly = model is None or model.batches < FEWEST
        self._fresh = model is None or model.batches == 0
        self._least = LEAST_WAY if self._hardly else 0.0
        self._search = AdviceSearch(self._reach, self._hardly)
        self._follower = Follower(model, SEED) if model is not None else None
        self._expected: dict[MarkKind, float] = {}
        self._passed = PassedMarks()
        self._two_again_t = float("-inf")  # when two moves are looked for again, where there were none

    def answer(self, ask: Ask) -> Guidance | None:
        """The guidance for what is known; None while too little is known."""
        if not any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks):
            ask = replace(ask, machine=self._as_it_burns(ask.machine))
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
                marks = self._assumed(ask, charge.t, known)
                guidance = self._guided(ask, charge.t, batch, ensemble, marks, rule)
                guidance = self._ended(ask, charge.t, batch, ensemble, marks, rule, guidance)
                return replace(guidance, course=self._course(batch, charge.t))
            except UnusableLogError as error:
                why = str(error)
            except (ArithmeticError, ValueError, np.linalg.LinAlgError) as error:
                log.exception("The model could not follow batch %s at %.0f s; the curve goes on.", ask.label, ask.now)
                self._follower = Follower(self._model, SEED)  # begun anew from what is recorded
                why = tr("the model could not follow it: {}", error)
        forecast = curve_record(record, ask.machine, ask.now - charge.t, rule, RECENT_S)
        return replace(self._told(ask, charge.t, forecast), why=why) if forecast is not None else None

    def _as_it_burns(self, machine: Machine) -> Machine:
        """With the least that its burners were logged at, where nobody told it: below it a step may put the fire out.

        That is for before first crack; from there on a batch that comes hot is the worse mistake, and a coast is none.
        """
        model = self._model
        if model is None:
            return machine
        controls = {
            control: replace(scale, least=model.burns_from(machine, control)) if machine.role(control) is Role.HEAT else scale
            for control, scale in machine.controls.items()
        }
        return replace(machine, controls=controls)

    def _knows_heat(self, ask: Ask, forecast: Forecast) -> bool:
        """Whether it can be said what the heat comes to.

        On a machine that has hardly been logged only of heat that is off, or where it plainly gets nowhere.
        """
        if not self._hardly or gets_nowhere(ask, forecast):
            return True
        heats = {control: stands(ask, control) for control in ask.machine.of(Role.HEAT)}
        return all(at is not None and at <= ask.machine.controls[control].low for control, at in heats.items())

    def _speaks_of(self, off: Off, since_s: float) -> bool:
        """Whether a target that is missed is spoken of although advice is muted: silence while a batch is lost hurts more."""
        return off.surely and self._sparing and (not self._hardly or shown(off, since_s, self._fresh))

    def _course(self, batch: LoggedBatch, zero: float) -> Course | None:
        """The batch by its load and moves alone, and some way ahead as the controls stand; None of a machine hardly known."""
        if self._model is None or self._model.batches < FEWEST:
            return None
        further = round(COURSE_AHEAD_S / batch.step)
        hands = batch.hands.mapped(lambda column: np.pad(column, (0, further), mode="edge"))
        made = modelled(self._model.fitted, replace(batch, hands=hands), known=False)
        return Course(made.t + zero, made.bean_probe[:, 0])

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

    def _foretold(
        self, ask: Ask, zero: float, batch: LoggedBatch, ensemble: Forecaster, known: Marks, rule: DropRule
    ) -> tuple[Forecast, tuple[DueMove, ...], float]:
        """The forecast, the moves to come that it reckons with, and how far it looks. [s]"""

        def with_moves(due: tuple[DueMove, ...], until: float) -> Forecast:
            return ensemble.forecast(ahead_of(ask, batch, ensemble.t, zero, due, until), rule, known)

        due, end = due_in(ask, self._expected), self._expected.get(MarkKind.DROP)
        # A drop that is long overdue is still looked ahead from: nothing ends because time went by.
        until = HORIZON_S if end is None else max(end - ask.now, 0.0) + MARGIN_S
        forecast, free = with_moves(due, until), without_hung(ask, due)
        cracked = MarkKind.FIRST_CRACK in _came(ask, zero)
        if cracked or forecast.first_crack is not None or len(free) == len(due):
            return forecast, due, until
        # Nobody knows when moves fall due whose marks do not come: they must not be what keeps them from coming.
        forecast = with_moves(free, HORIZON_S)
        if forecast.first_crack is None:
            return forecast, free, HORIZON_S
        due = due_in(ask, _marks_of(forecast, zero))
        again = with_moves(due, HORIZON_S)
        if self._hardly and again.first_crack is None:  # what a planned cut does is as little known as what the heat does now
            return forecast, free, HORIZON_S
        return again, due, HORIZON_S

    def _trouble(
        self, ask: Ask, zero: float, forecast: Forecast, landing: Landing | None, own: PlanCurve | None
    ) -> tuple[Coming, ...]:
        """Stall, crash and flick that are to be told."""
        air_led = ask.plan is not None and ask.plan.approach == "air-led"
        told = coming_of(forecast, own, air_led, turned=_turned(ask, zero))
        cracked = MarkKind.FIRST_CRACK in _came(ask, zero)
        crack_t = np.inf if forecast.first_crack is None else forecast.first_crack.value
        if landing is not None and not landing.cold and (cracked or np.isfinite(crack_t)):
            # The end of a batch that lands is as flat as its plan wants it: heat against that would land it hot.
            since = 0.0 if cracked else crack_t - ABOUT_CRACK_S
            told = tuple(one for one in told if one.kind != "stall" or forecast.at + one.in_s < since)
        near = cracked or crack_t - forecast.at < NEAR_CRACK_S
        if near and self._hardly and not as_foretold(ask, forecast):
            told = tuple(one for one in told if one.kind != "stall")
        return told

    def _guided(
        self, ask: Ask, zero: float, batch: LoggedBatch, ensemble: Forecaster, known: Marks, rule: DropRule
    ) -> Guidance:
        forecast, due, until = self._foretold(ask, zero, batch, ensemble, known, rule)
        cracked = MarkKind.FIRST_CRACK in _came(ask, zero)
        guidance = replace(self._told(ask, zero, forecast), passed=self._passed.look(ask, ensemble, forecast))
        own = self._own(ask, zero)
        told = self._trouble(ask, zero, forecast, guidance.landing, own)
        heats = ask.machine.of(Role.HEAT)
        # A move that hangs on the turn, or on a reading, has no moment yet: then the heat may be off as it is meant to be.
        told_of = ask.plan is not None and not any(e.due_t is None and e.move.control in heats for e in due)
        never = (
            lost_of(forecast, cracked, told_of, _wanted(ask.plan))
            if until >= HORIZON_S and self._knows_heat(ask, forecast)
            else None
        )
        if never is not None:
            told = (never, *(one for one in told if one.kind != "stall"))  # of the two it is the louder news
        guidance = replace(guidance, coming=told)

        def made(step: Step, control: Control = ask.machine.main_heat) -> Choice:
            ahead = ahead_of(ask, batch, ensemble.t, zero, step.due, until)
            return Choice(control, step.setting, step.to, ensemble.forecast(ahead, rule, known), step.move, step.then)

        if never is not None:
            most = self._reach.most_late(ask.machine.main_heat)
            never = rescue(replace(never, sure=not self._hardly), ask, made, own, self._expected, most, self._least)
            guidance = replace(guidance, coming=(never, *guidance.coming[1:]))
        if any(coming.kind == "stall" for coming in guidance.coming):

            def spoils(choice: Choice) -> bool:
                plan, landing = ask.plan, guidance.landing
                return plan is not None and landing is not None and overshoots(plan, landing, choice, _came(ask, zero))

            lost, most = not cracked and forecast.first_crack is None, self._reach.most_late(ask.machine.main_heat)
            told = tuple(
                against(replace(one, sure=not self._hardly), ask, made, own, spoils, lost, most, self._least)
                for one in guidance.coming
            )
            guidance = replace(guidance, coming=told)
        landing = guidance.landing
        if ask.plan is None or landing is None:
            return guidance
        near = [(by, made(step)) for by in (-1, 1) if (step := step_of(ask, due, by)) is not None]
        guidance = replace(guidance, ghosts=_ghosts(forecast, [choice for _, choice in near]))
        last_move = max((move.t for move in ask.moves if ask.machine.role(move.control) is not Role.MOTION), default=zero)
        lost_way = any(off.astray and off.surely and not off.waits for off in landing.off)
        since = ADVISE_ASTRAY_S if lost_way else ADVISE_FROM_S
        settled = ask.now - last_move >= ADVISE_AFTER_S and ask.now - zero >= since
        if self._hardly:
            guidance = replace(guidance, muted=self._muted[cracked])
        if not settled or landing.clear or (self._hardly and never is not None):
            return guidance
        if self._muted[cracked]:
            spoken = tuple(off for off in landing.off if self._speaks_of(off, ask.now - zero))
            if not spoken:
                return replace(guidance, muted=self._muted[cracked])
            landing = replace(landing, off=spoken) if self._hardly else landing
        sight = Sight(
            ask, due, ask.plan, landing, near, made, _came(ask, zero), self._expected, zero, self._line(ask, zero),
            may_heat=not self._hardly or as_foretold(ask, forecast),
        )  # fmt: skip
        advice = self._search.advice(sight)
        if self._muted[cracked] and advice is not None and not advice.off.surely:
            advice = None
        advice = replace(advice, sure=False) if advice is not None and self._hardly else advice
        end = forecast.drop_t.value + zero if forecast.drop_t is not None else ask.now + HORIZON_S
        late = advice is None and end - ask.now < SHOWS_AFTER_S
        told = tuple(_as_far_as(one, advice) for one in guidance.coming)
        return replace(guidance, advice=advice, too_late=late, tried=True, coming=told)

    def _ended(
        self,
        ask: Ask,
        zero: float,
        batch: LoggedBatch,
        ensemble: Forecaster,
        known: Marks,
        rule: DropRule,
        guidance: Guidance,
    ) -> Guidance:
        """The end moved a little, inside its tolerance, where that lands the batch in the box."""
        crack, plan = _came(ask, zero).get(MarkKind.FIRST_CRACK), ask.plan
        if plan is None or crack is None or MarkKind.FIRST_CRACK in ask.assumed or bares_probe(ask.machine, ask.load_kg):
            return guidance
        before = guidance.forecast
        by_s = moved_end(plan, before, crack)
        if not by_s:
            return guidance
        hands = ahead_of(ask, batch, ensemble.t, zero, due_in(ask, guidance.marks), NEAR_END_S + MARGIN_S)
        told = self._told(ask, zero, ensemble.forecast(hands, moved_rule(rule, before, by_s), known))
        # So late the moment of the drop is the better hand: where it lands the batch, heat is not asked for too.
        lands = told.landing is not None and told.landing.inside
        advice = None if lands else guidance.advice
        return replace(
            guidance,
            forecast=told.forecast,
            marks=told.marks,
            landing=told.landing,
            advice=advice,
            too_late=False,
            moved_s=by_s,
        )


def _as_far_as(coming: Coming, advice: Advice | None) -> Coming:
    """A remedy that goes as far as the advice does, where that goes further the same way: two steps must not be asked for."""
    remedy = coming.remedy
    if remedy is None or advice is None or advice.choice.move is not None or advice.choice.control != remedy.control:
        return coming
    further = (advice.choice.to - remedy.to) * (remedy.to - remedy.setting) > 0.0
    return replace(coming, remedy=advice.choice) if further else coming


def drop_rule(plan: Plan | None, usual_s: float = 95.0) -> DropRule:
    """When a batch of this plan is to be dropped; after a usual development without one."""
    if plan is None:
        return DropRule(usual_s)
    if plan.drop_rules:
        return DropRule(None, plan.targets.drop_c)
    return DropRule(plan.targets.development_s or plan.stages[2] or usual_s)


def _wanted(plan: Plan | None) -> tuple[float | None, float | None]:
    """When a plan has yellow and first crack, from charge. [s]"""
    drying, browning, _ = plan.stages if plan is not None else (None, None, None)
    return drying, drying + browning if drying is not None and browning is not None else None


def _turned(ask: Ask, zero: float) -> bool:
    """Whether the probe has turned: by a mark, or as its lowest reading lies some way back."""
    if any(mark.kind is not MarkKind.CHARGE for mark in ask.marks):
        return True
    since = (ask.trace.t >= zero) & np.isfinite(ask.trace.bean)
    t, bean = ask.trace.t[since], ask.trace.bean[since]
    return bool(t.size and ask.now - t[int(np.argmin(bean))] >= TURNED_S)


def _came(ask: Ask, zero: float) -> dict[MarkKind, float]:
    return {mark.kind: mark.t - zero for mark in ask.marks}


def _marks_of(forecast: Forecast, zero: float) -> dict[MarkKind, float]:
    """When marks are expected, in log time. [s]"""
    told = ((MarkKind.YELLOW, forecast.yellow), (MarkKind.FIRST_CRACK, forecast.first_crack), (MarkKind.DROP, forecast.drop_t))
    return {kind: interval.value + zero for kind, interval in told if interval is not None}


def _ghosts(planned: Forecast, choices: list[Choice]) -> tuple[Ghost, ...]:
    found = []
    named = [("as planned", planned)]
    named += [("one step less" if choice.to < choice.setting else "one step more", choice.forecast) for choice in choices]
    for name, forecast in named:
        if forecast.development_s is not None and forecast.drop_c is not None:
            found.append(Ghost(name, forecast.development_s.value, forecast.drop_c.value))
    return tuple(found)
