"""The running batch looked ahead at every reading: forecast, landing, advice, trouble coming; on any one thread at a time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from firnel.core.guidance import Advice, AirLine, Choice, Landing, advise, landing_of, steps_wanted
from firnel.core.model.constants import Hands, control_share
from firnel.core.model.following import Follower
from firnel.core.model.forecast import FORWARD_STEP, DropRule, Forecast, Forecaster, Marks
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch, UnusableLogError, logged_batch
from firnel.core.model.replay import HORIZON_S
from firnel.core.plan import Anchor, DueMove, Plan, PlannedMove, due_moves, shifted_curve
from firnel.core.usual import CRASH_FALL, FLICK_RISE, STALL_RATE
from firnel.core.vocabulary import BatchRecord, Control, ControlScale, FloatArray, Lot, Machine, Mark, MarkKind, Move, Trace
from firnel.work.machines.forecasting import SEED, curve_record

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


@dataclass(frozen=True)
class Ask:
    """What is known of the running batch at one moment; times in log time. [s]"""

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
    """Trouble that the forecast shows before it comes: kind, in how many seconds, and a sentence."""

    kind: str
    in_s: float
    sentence: str


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


class LiveForecast:
    """Looks ahead for one batch.

    Parameters
    ----------
    model : of the machine; without one the curve is carried on, and nothing is advised.
    """

    def __init__(self, model: MachineModel | None) -> None:
        self._model = model
        self._follower = Follower(model, SEED) if model is not None else None
        self._expected: dict[MarkKind, float] = {}

    def answer(self, ask: Ask) -> Guidance | None:
        """The guidance for what is known; None while too little is known."""
        charge = next((mark for mark in ask.marks if mark.kind is MarkKind.CHARGE), None)
        if charge is None or any(mark.kind is MarkKind.DROP for mark in ask.marks) or ask.now - charge.t > LONGEST_S:
            return None
        record = BatchRecord(
            ask.label, ask.lot.name if ask.lot else "", ask.machine.name, datetime.now(UTC), ask.trace, ask.marks, ask.moves,
            load_kg=ask.load_kg or ask.machine.useful_load_kg, room_c=ask.room_c,
        )  # fmt: skip
        rule = drop_rule(ask.plan)
        if self._model is None or self._follower is None:
            forecast = curve_record(record, ask.machine, ask.now - charge.t, rule, RECENT_S)
            return self._told(ask, charge.t, forecast) if forecast is not None else None
        try:
            batch = logged_batch(record, ask.machine, ask.lot, until=ask.now)
        except UnusableLogError as error:
            forecast = curve_record(record, ask.machine, ask.now - charge.t, rule, RECENT_S)
            return replace(self._told(ask, charge.t, forecast), why=str(error)) if forecast is not None else None
        if len(batch.hands) < 4:
            return None
        ensemble, known = self._follower.follow(batch)
        return self._guided(ask, charge.t, batch, ensemble, known, rule)

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
        until = HORIZON_S if end is None else end - ask.now + MARGIN_S
        hands = _ahead(ask, batch, ensemble.t, zero, due, until)
        forecast = ensemble.forecast(hands, rule, known)
        guidance = replace(self._told(ask, zero, forecast), coming=coming_of(forecast, ask.plan))
        if ask.plan is None or guidance.landing is None:
            return guidance

        def made(step: Step) -> Choice:
            ahead = _ahead(ask, batch, ensemble.t, zero, step.due, until)
            return Choice(Control.GAS, step.setting, step.to, ensemble.forecast(ahead, rule, known), step.move)

        came = _came(ask, zero)
        near = [(by, made(step)) for by in (-1, 1) if (step := step_of(ask, due, by)) is not None]
        guidance = replace(guidance, ghosts=_ghosts(forecast, [choice for _, choice in near]))
        last_move = max((move.t for move in ask.moves if move.control is not Control.DRUM), default=zero)
        settled = ask.now - last_move >= ADVISE_AFTER_S and ask.now - zero >= ADVISE_FROM_S
        if not settled or not near or guidance.landing is None or guidance.landing.clear:
            return guidance
        scale = ask.machine.controls[Control.GAS]
        line = self._line(ask, zero)
        wanted = steps_wanted(ask.plan, guidance.landing, [(by, choice.forecast) for by, choice in near], came, scale, line)
        choices = [choice for _, choice in near]
        if abs(wanted) > 1 and (step := step_of(ask, due, wanted)) is not None:
            choices.append(made(step))
        advice = advise(ask.plan, guidance.landing, choices, came, line)
        end = forecast.drop_t.value + zero if forecast.drop_t is not None else ask.now + HORIZON_S
        return replace(guidance, advice=advice, too_late=advice is None and end - ask.now < SHOWS_AFTER_S)


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
    moved = {control: max((m.t for m in ask.moves if m.control is control), default=float("-inf")) for control in Control}
    return tuple(
        entry
        for entry in due_moves(ask.plan, ask.marks, ask.now, ask.done, expected)
        if entry.done_t is None
        and (entry.due_t is None or (entry.due_t > ask.now - MISSED_S and entry.due_t > moved[entry.move.control]))
    )


def step_of(ask: Ask, due: tuple[DueMove, ...], by: int) -> Step | None:
    """The heat some steps otherwise: at once, or in the planned move if one falls due soon; None outside its range."""
    scale = ask.machine.controls.get(Control.GAS)
    if scale is None:
        return None
    soon = next((e for e in due if e.move.control is Control.GAS and e.due_t is not None), None)
    if soon is not None and soon.due_t is not None and soon.due_t - ask.now > NEXT_MOVE_S:
        soon = None
    base = soon.move.to if soon is not None else _setting(ask.trace.control(Control.GAS), ask.moves, Control.GAS)
    if base is None:
        return None
    to = scale.nearest(base + by * scale.step)
    if by < 0 and to < scale.least:
        # Below its least the burner is put out, and that is a coast: only for the end.
        cracked = any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks)
        to = scale.least if base > scale.least else (scale.low if cracked else base)
    if abs(to - base) < 0.5 * scale.step:
        return None
    if soon is None:
        return Step(base, to, None, (DueMove(PlannedMove(Control.GAS, to, Anchor.TIME), -1, ask.now, base), *due))
    other = tuple(replace(entry, move=replace(entry.move, to=to)) if entry is soon else entry for entry in due)
    return Step(base, to, soon.index, other)


def _setting(column: FloatArray, moves: tuple[Move, ...], control: Control) -> float | None:
    """How a control stands: as the machine reports it, else as it was moved last."""
    known = column[np.isfinite(column)]
    if known.size:
        return float(known[-1])
    made = [move.to for move in moves if move.control is control]
    return made[-1] if made else None


def _ahead(ask: Ask, batch: LoggedBatch, at: float, zero: float, due: tuple[DueMove, ...], until: float = HORIZON_S) -> Hands:
    """The controls from ``at`` on in forecast steps, ``until`` seconds on: as they stand, and the moves to come in time."""
    count = int(min(until, HORIZON_S) / FORWARD_STEP)
    t = at + FORWARD_STEP * np.arange(count)
    last = len(batch.hands) - 1
    columns = {
        Control.GAS: np.full(count, float(batch.hands.heat[last])),
        Control.AIRFLOW: np.full(count, float(batch.hands.air[last])),
        Control.DRUM: np.full(count, float(batch.hands.drum[last])),
    }
    for entry in sorted((e for e in due if e.due_t is not None), key=lambda e: e.due_t or 0.0):
        scale: ControlScale | None = ask.machine.controls.get(entry.move.control)
        if scale is None or entry.due_t is None:
            continue
        share = control_share(entry.move.control, np.array([entry.move.to]), scale, ask.machine.heat)
        columns[entry.move.control][t >= max(entry.due_t - zero, at) - 0.5 * FORWARD_STEP] = share[0]
    return Hands(columns[Control.GAS], columns[Control.AIRFLOW], columns[Control.DRUM])


def _ghosts(planned: Forecast, choices: list[Choice]) -> tuple[Ghost, ...]:
    found = []
    named = [("as planned", planned)]
    named += [("one step less" if choice.to < choice.setting else "one step more", choice.forecast) for choice in choices]
    for name, forecast in named:
        if forecast.development_s is not None and forecast.drop_c is not None:
            found.append(Ghost(name, forecast.development_s.value, forecast.drop_c.value))
    return tuple(found)


def coming_of(forecast: Forecast, plan: Plan | None = None) -> tuple[Coming, ...]:
    """Stall, crash and flick as the forecast's middle has them in the next minutes, up to the drop.

    An air-led plan is not judged by the shape of its rate: of it only a stall is told.
    """
    if forecast.fan is None or forecast.fan_t is None or forecast.first_crack is None or forecast.yellow is None:
        return ()
    t, middle = forecast.fan_t, forecast.fan[1]
    end = min(forecast.at + AHEAD_S, forecast.drop_t.value if forecast.drop_t is not None else forecast.at + AHEAD_S)
    part = (t >= max(forecast.at, forecast.yellow.value)) & (t <= end)
    if part.sum() < 8:
        return ()
    ahead, rate = t[part], 60.0 * np.gradient(middle[part], t[part])
    found = []
    lowest = int(np.argmin(rate))
    if rate[lowest] < STALL_RATE:
        in_s = float(ahead[lowest] - forecast.at)
        found.append(Coming("stall", in_s, f"stall coming: the rate falls to {rate[lowest]:.1f} K/min"))
    if plan is not None and plan.approach == "air-led":
        return tuple(found)
    window = max(1, int(30.0 / FORWARD_STEP))
    falls = rate[:-window] - rate[window:]
    if not found and falls.size and float(falls.max()) > CRASH_FALL:
        at = int(np.argmax(falls))
        sentence = f"crash coming: the rate falls by {falls[at]:.0f} K/min"
        found.append(Coming("crash", float(ahead[at + window] - forecast.at), sentence))
    rises = rate[window:] - rate[:-window]
    if rises.size and float(rises.max()) > FLICK_RISE and ahead[int(np.argmax(rises))] > forecast.first_crack.value - 60.0:
        at = int(np.argmax(rises))
        found.append(
            Coming(
                "flick", float(ahead[at + window] - forecast.at), f"flick coming: the rate turns up by {rises[at]:.0f} K/min"
            )
        )
    return tuple(found)
