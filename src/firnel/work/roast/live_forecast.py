"""The running batch looked ahead at every reading: forecast, landing, advice, trouble coming; on any one thread at a time."""

from __future__ import annotations

import logging
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from firnel.core.ending import NEAR_END_S, moved_end, moved_rule
from firnel.core.known_course import Course
from firnel.core.landing import AirLine, landing_of
from firnel.core.machine.capacity import bares_probe
from firnel.core.model.following import Follower
from firnel.core.model.foretelling import Forecast, Marks
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch, UnusableLogError, logged_batch
from firnel.core.model.statements import FEWEST
from firnel.core.plan import shifted_curve
from firnel.core.vocabulary import BatchRecord, Machine, MarkKind, Role
from firnel.core.words import tr
from firnel.work.machines.forecasting import SEED, curve_record
from firnel.work.roast.guided import Guidance
from firnel.work.roast.judging import Judge
from firnel.work.roast.look import MARGIN_S, Look, came_of, drop_rule, marks_of
from firnel.work.roast.passed_marks import PassedMarks
from firnel.work.roast.steps import Ask, due_in

log = logging.getLogger(__name__)

#: Without a model the curve is looked at this far back; a batch that lasts longer than this is none. [s]
RECENT_S, LONGEST_S = 240.0, 3600.0
#: The model's course is carried on so far: until the next forecast at least. [s]
COURSE_AHEAD_S = 60.0


class LiveForecast:
    """Looks ahead for one batch.

    Parameters
    ----------
    model : of the machine; without one the curve is carried on, and nothing is advised.
    """

    def __init__(self, model: MachineModel | None) -> None:
        self._model = model
        self._judge = Judge(model) if model is not None else None
        self._follower = Follower(model, SEED) if model is not None else None
        self._expected: dict[MarkKind, float] = {}
        self._moved_s = 0.0  # by how much the end was moved last
        self._passed = PassedMarks()

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
            load_kg=ask.load_kg, room_c=ask.room_c,
        )  # fmt: skip
        why = ""
        if self._model is not None and self._judge is not None and self._follower is not None:
            try:
                batch = logged_batch(record, ask.machine, ask.lot, until=ask.now, usual=self._model.usual_load(ask.machine))
                if len(batch.hands) < 4:
                    return None
                ensemble, known = self._follower.follow(batch)
                look = Look(ask, charge.t, batch, ensemble, self._assumed(ask, charge.t, known), drop_rule(ask.plan))
                guidance = self._ended(look, self._guided(look, self._judge))
                return replace(guidance, course=self._course(batch, charge.t))
            except UnusableLogError as error:
                why = str(error)
            except (ArithmeticError, ValueError, np.linalg.LinAlgError) as error:
                log.exception("The model could not follow batch %s at %.0f s; the curve goes on.", ask.label, ask.now)
                self._follower = Follower(self._model, SEED)  # begun anew from what is recorded
                why = tr("the model could not follow it: {}", error)
        forecast = curve_record(record, ask.machine, ask.now - charge.t, drop_rule(ask.plan), RECENT_S)
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

    def _told(self, ask: Ask, zero: float, forecast: Forecast) -> Guidance:
        self._expected = marks_of(forecast, zero)
        came = came_of(ask, zero)
        landing = landing_of(ask.plan, forecast, came, self._line(ask, zero)) if ask.plan is not None else None
        return Guidance(ask.now, forecast, dict(self._expected), landing)

    def _line(self, ask: Ask, zero: float) -> AirLine | None:
        """The air line of a plan that is led by it, where the machine has an air probe."""
        plan = ask.plan
        if plan is None or plan.approach != "air-led" or not np.isfinite(ask.trace.air[-30:]).any():
            return None
        curve = shifted_curve(plan, ask.marks, ask.now, self._expected)
        return AirLine(curve.t - zero, curve.air) if curve is not None and curve.t.size else None

    def _guided(self, look: Look, judge: Judge) -> Guidance:
        foretold = look.foretold(self._expected, judge.hardly)
        guidance = self._told(look.ask, look.zero, foretold.forecast)
        passed = self._passed.look(look.ask, look.ensemble, foretold.forecast)
        return judge.judged(look, foretold, replace(guidance, passed=passed), self._line(look.ask, look.zero))

    def _ended(self, look: Look, guidance: Guidance) -> Guidance:
        """The end moved a little, inside its tolerance, where that lands the batch in the box."""
        ask, crack, before = look.ask, look.came.get(MarkKind.FIRST_CRACK), guidance.forecast
        plan = ask.plan
        if plan is None or crack is None or MarkKind.FIRST_CRACK in ask.assumed or bares_probe(ask.machine, ask.load_kg):
            return guidance
        by_s = self._moved_s = moved_end(plan, before, crack, self._moved_s)
        if not by_s:
            return guidance
        due, rule = due_in(ask, guidance.marks), moved_rule(look.rule, before, by_s)
        told = self._told(ask, look.zero, look.forecast(due, NEAR_END_S + MARGIN_S, rule))
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
