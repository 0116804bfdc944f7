"""Running one batch: readings, marks and moves come in, the journal writes them, the view is told.

Not for several threads: whoever owns the session calls it from one thread (in the window the GUI thread)
and brings readings over from the driver's thread.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import TYPE_CHECKING

import numpy as np

from firnel.core.mark_finding import CHARGE_FALL_C, CHARGE_WINDOW_S, find_charge, find_turning
from firnel.core.plan import DueMove, Plan, due_moves, expected_marks, match_planned_move
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.vocabulary import (
    EXPECTED_MARKS,
    BatchRecord,
    Control,
    Found,
    Lot,
    Machine,
    Mark,
    MarkKind,
    Move,
    Note,
    Quality,
)
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.store.journal import Journal
from firnel.store.library import BatchFilter, Library
from firnel.work.roast.live_trace import LiveTrace

if TYPE_CHECKING:
    from firnel.core.guidance import Advice
    from firnel.work.roast.live_forecast import Guidance
    from firnel.work.roast.steel import Readiness, SteelEstimate

#: A knob turned on within this time is one move. [s]
ONE_MOVE_S = 4.0
#: Readings kept while no batch is prepared, so that a forgotten key loses nothing. [s]
IDLE_MEMORY_S = 900.0
#: A forecast older than this is not gone by any more; advice stands at least this long. [s]
FORECAST_HOLDS_S, ADVICE_HOLDS_S = 30.0, 8.0
#: A machine that has stood for longer begins its day anew. [s]
DAY_S = 3.0 * 3600.0
#: Recording ends so long after the drop. [s]
AFTER_DROP_S = 300.0


@dataclass(frozen=True)
class BatchOrder:
    """What is to be roasted: any of it may be unknown when the charge comes unannounced."""

    lot: Lot | None = None
    machine: Machine | None = None
    plan: Plan | None = None
    load_kg: float | None = None


@dataclass
class _Hands:
    """What undo gives back."""

    marks: dict[MarkKind, Mark] = field(default_factory=dict)
    moves: list[Move] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    done: dict[int, float] = field(default_factory=dict)
    otherwise: dict[int, float] = field(default_factory=dict)  #: planned moves that are to go elsewhere, by advice taken
    last: MarkKind | None = None

    def copy(self) -> _Hands:
        return _Hands(dict(self.marks), list(self.moves), list(self.notes), dict(self.done), dict(self.otherwise), self.last)


class RoastSession:
    """The running batch.

    Parameters
    ----------
    library : that the batch is kept in.
    clock : that stamps readings and keys.
    on_change : called after anything that the view should show.
    """

    def __init__(self, library: Library, clock: Clock, on_change: Callable[[], None] = lambda: None) -> None:
        self.library, self.clock, self._on_change = library, clock, on_change
        self.machine: Machine | None = None
        self.order = BatchOrder()
        self.batch_id: int | None = None
        self.label = ""
        self.trace = LiveTrace()
        self.steel: SteelEstimate | None = None  #: of the idling machine; the desk keeps it up to date
        self.readiness: Readiness | None = None  #: of the steel for this plan, likewise
        self.rested_s: float | None = (
            None  #: since the machine's last drop, when the batch was prepared; None for the day's first
        )
        self.reference: BatchRecord | None = None  #: that this batch is to be like; the desk finds it
        self.operator = ""  #: who roasts
        self.lead_s = 0.0  #: the drop is called this long before, for the hand and the door; the desk learns it
        self.hand_every_s = 30.0  #: between two readings by hand
        self.guidance: Guidance | None = None  #: of the running batch; the desk keeps it up to date
        self.advice: Advice | None = None
        self.advices = 0  #: how many were given in this batch
        self._advised_t = float("-inf")
        self.trouble: str | None = None
        self.message: str = ""
        self._start = clock.now()
        self._hands = _Hands()
        self._past: list[_Hands] = []
        self._held: dict[Control, float] = {}
        self._journal: Journal | None = None
        self._lowest: float | None = None

    # What is going on

    @property
    def recording(self) -> bool:
        """Whether a batch is prepared or running."""
        return self._journal is not None

    @property
    def marks(self) -> dict[MarkKind, Mark]:
        """The marks so far."""
        return self._hands.marks

    @property
    def moves(self) -> tuple[Move, ...]:
        """The moves so far."""
        return tuple(self._hands.moves)

    @property
    def notes(self) -> tuple[Note, ...]:
        """The notes so far."""
        return tuple(self._hands.notes)

    @property
    def held(self) -> dict[Control, float]:
        """How the controls stand, as far as known."""
        return dict(self._held)

    @property
    def phase(self) -> str:
        """idle, ready, drying, browning, development or cooling."""
        if not self.recording:
            return "idle"
        order = ((MarkKind.DROP, "cooling"), (MarkKind.FIRST_CRACK, "development"), (MarkKind.YELLOW, "browning"))
        for kind, name in (*order, (MarkKind.CHARGE, "drying")):
            if kind in self.marks:
                return name
        return "ready"

    def now(self) -> float:
        """Log time. [s]"""
        return self.clock.now() - self._start

    def log_time(self, clock_time: float) -> float:
        """Log time of a clock time. [s]"""
        return clock_time - self._start

    def next_expected(self) -> MarkKind | None:
        """The mark that one key sets next."""
        if not self.recording:
            return None
        return next((kind for kind in EXPECTED_MARKS if kind not in self.marks), None)

    def expected(self) -> dict[MarkKind, float]:
        """When each mark came or is expected by the plan, in log time. [s]"""
        if self.order.plan is None:
            return {kind: mark.t for kind, mark in self.marks.items()}
        return expected_marks(self.order.plan, self.marks.values(), self.now(), self.told)

    @property
    def told(self) -> Mapping[MarkKind, float] | None:
        """When the machine's model expects the marks to come, in log time; None while it does not say. [s]"""
        guidance = self.guidance
        if guidance is None or guidance.forecast.basis != "model" or self.now() - guidance.at > FORECAST_HOLDS_S:
            return None
        return guidance.marks

    @property
    def done(self) -> Mapping[int, float]:
        """When planned moves were made, by their place in the plan. [s]"""
        return dict(self._hands.done)

    def due(self) -> tuple[DueMove, ...]:
        """The plan's moves with the moments at which they fall due, as advice that was taken has changed them."""
        plan = self.adjusted_plan
        if plan is None:
            return ()
        return due_moves(plan, self.marks.values(), self.now(), self._hands.done, self.told)

    @property
    def adjusted_plan(self) -> Plan | None:
        """The plan with the moves that advice taken has changed."""
        plan, otherwise = self.order.plan, self._hands.otherwise
        if plan is None or not otherwise:
            return plan
        moves = tuple(replace(move, to=otherwise.get(index, move.to)) for index, move in enumerate(plan.moves))
        return replace(plan, moves=moves)

    def take_guidance(self, guidance: Guidance | None) -> None:
        """What was worked out ahead. Advice stands for a while, so that it can be read, and is not changed every moment."""
        if guidance is None and self.guidance is None and self.advice is None:
            return
        from firnel.core.guidance import may_advise  # not wanted before a batch is looked ahead

        self.guidance = guidance
        offered = guidance.advice if guidance is not None else None
        since = self.now() - self._advised_t
        if offered is None:
            if since > ADVICE_HOLDS_S:
                self.advice = None
        elif may_advise(since, self.marks):
            same = self.advice is not None and self.advice.choice.to == offered.choice.to
            self.advice = offered
            if not same:
                self._advised_t = self.now()
                self.advices += 1
        self._changed()

    def take_advice(self, at: float) -> None:
        """Do as advised: a planned move is to go elsewhere, or a step is made now (and noted, where nobody reports it)."""
        advice = self.advice
        if advice is None:
            self.say("There is no advice to take.")
            return
        choice = advice.choice
        scale = self.machine.controls.get(choice.control) if self.machine else None
        if choice.move is not None:
            self._remember()
            self._hands.otherwise[choice.move] = choice.to
        elif scale is None or not scale.reported:
            self.set_control(choice.control, choice.to, at)
        else:
            self.say(f"Set the {choice.control.value} at the machine: it is seen from there.")
            return
        self.advice = None
        self.say("Taken.")

    # Beginning and ending

    def prepare(self, order: BatchOrder) -> str:
        """Begin the record of a batch; it waits for its charge. Returns its label.

        Raises
        ------
        ValueError : if a batch is being roasted, or the load is not one.
        """
        if self.phase in ("drying", "browning", "development"):
            raise ValueError(f"Batch {self.label} is in the drum: drop it first.")
        if order.load_kg is not None and order.load_kg <= 0:
            raise ValueError(f"A load of {order.load_kg:g} kg cannot be roasted.")
        self.close()
        self._begin(order, keep_s=0.0)
        self.rested_s = self._rested()
        self.message = ""
        self._changed()
        return self.label

    def resume(self, key: int) -> None:
        """Go on with a batch that was being recorded when Firnel ended."""
        record = self.library.batch(key)
        machines = {machine.name: machine for machine in self.library.machines()}
        lots = {lot.name: lot for lot in self.library.lots()}
        plan = next((plan for plan in self.library.plans() if plan.name == record.plan), None)
        self.order = BatchOrder(lots.get(record.lot), machines.get(record.machine), plan, record.load_kg)
        self.machine = self.machine or self.order.machine
        last_t, last_wall, rate = self.library.journal_state(key)
        away = max(self.clock.wall().timestamp() - last_wall, 0.0) * rate
        self._start = self.clock.now() - (last_t + away)
        self.batch_id, self.label, self.trace = key, record.label, LiveTrace()
        columns = (
            record.trace.t,
            record.trace.bean,
            record.trace.air,
            record.trace.gas,
            record.trace.airflow,
            record.trace.drum,
        )
        self._hands = _Hands({mark.kind: mark for mark in record.marks}, list(record.moves), list(record.notes))
        for move in record.moves:
            self.trace.expect_change(move.t)
            self._match(move)
        for *row, quality in zip(*columns, record.trace.quality, strict=True):
            self.trace.append(tuple(None if np.isnan(value) else float(value) for value in row), Quality(int(quality)))
        self._rate_from_charge()
        self._past = []
        self._open_journal()
        self.message = f"Batch {self.label} goes on; {away / rate:.0f} s of readings are missing."
        self._changed()

    def close(self) -> bool:
        """End the record of this batch, however far it is. False if the disk still refuses what is left."""
        if self._journal is None:
            return True
        if MarkKind.CHARGE not in self.marks:
            self._journal.status("discarded")  # nothing was roasted
        elif MarkKind.DROP not in self.marks:
            self._journal.status("dropped")
        written = self._journal.close()
        self._journal = None
        return written

    def stop_for_exit(self) -> bool:
        """Leave the batch as it stands, to be gone on with at the next start."""
        if self._journal is None:
            return True
        if self.phase in ("ready", "cooling"):
            return self.close()
        written = self._journal.close()
        self._journal = None
        return written

    def weigh(self, roasted_kg: float | None, colour_whole: float | None, colour_ground: float | None, remark: str) -> None:
        """Write scale, colour and remark of the dropped batch, and close it.

        Raises
        ------
        ValueError : if the figures cannot be; nothing is written then.
        """
        if self.batch_id is None:
            raise ValueError("There is no batch to weigh.")
        check_results(self.order.load_kg, roasted_kg, colour_whole, colour_ground)
        self.close()
        self.library.set_results(self.batch_id, roasted_kg, colour_whole, colour_ground, remark, status="done")
        self.message = f"Batch {self.label} is saved."
        self.batch_id = None
        self._changed()

    # What comes in

    def take_reading(self, reading: Reading) -> None:
        """A reading from the machine, or keyed in."""
        self._follow_controls(reading)
        t = self.log_time(reading.time)
        if self.phase == "cooling" and t > self.marks[MarkKind.DROP].t + AFTER_DROP_S:
            self._changed()
            return
        values = tuple(
            reading.control(control) if reading.control(control) is not None else self._held.get(control) for control in Control
        )
        before = len(self.trace)
        self.trace.append((t, reading.bean, reading.air, *values), reading.quality)
        if len(self.trace) > before:
            self._write_reading(before)
        if not self.recording:
            self._forget_old()
        self._look_for_charge()
        self._look_for_turning()
        self._changed()

    def _write_reading(self, index: int) -> None:
        if self._journal is None:
            return
        names = ("t", "bean", "air", "gas", "airflow", "drum")
        row = [float(self.trace.column(name)[index]) for name in names]
        known = [None if np.isnan(value) else value for value in row[1:]]
        self._journal.reading((row[0], *known, int(self.trace.quality_at(index))))  # type: ignore[arg-type]  # six values

    def _follow_controls(self, reading: Reading) -> None:
        """Moves that the machine reports need no key."""
        t = self.log_time(reading.time)
        for control in Control:
            value = reading.control(control)
            if value is None:
                continue
            known = self._held.get(control)
            self._held[control] = value
            step = self._step(control)
            if known is None or abs(value - known) < 0.5 * step:
                continue
            if self.recording and self.phase != "cooling":
                self._add_move(Move(control, t, value, Found.MACHINE))

    def _step(self, control: Control) -> float:
        scale = self.machine.controls.get(control) if self.machine else None
        return scale.step if scale else 0.1

    def _add_move(self, move: Move) -> None:
        """Note a move; a knob still being turned is the same move, stamped at its beginning."""
        moves = self._hands.moves
        last = next((m for m in reversed(moves) if m.control is move.control), None)
        if last is not None and last.found is move.found and move.t - last.t <= ONE_MOVE_S:
            moves[moves.index(last)] = replace(last, to=move.to)
            move = replace(last, to=move.to)
        else:
            moves.append(move)
            if move.control is not Control.DRUM:
                self.trace.expect_change(move.t)
        if self.advice is not None and self.advice.choice.control is move.control and self.advice.choice.move is None:
            self.advice = None  # a hand has moved: what comes of it is looked at first
        self._match(move)
        self._write_hands()

    def _match(self, move: Move) -> None:
        if self.order.plan is None:
            return
        plan = self.adjusted_plan or self.order.plan
        due = due_moves(plan, self.marks.values(), move.t, self._hands.done, self.told)
        index = match_planned_move(plan, due, move.control, move.to, move.t)
        if index is None:  # a hand that misses by a step has still made the move
            index = match_planned_move(plan, due, move.control, move.to, move.t, 20.0, 1.5 * self._step(move.control))
        if index is not None:
            self._hands.done[index] = move.t

    def _look_for_charge(self) -> None:
        """The key may have been forgotten: a plunge of the probe is a charge."""
        if MarkKind.CHARGE in self.marks or len(self.trace) < 6:
            return
        t, bean = self.trace.column("t"), self.trace.column("bean")
        start = int(np.searchsorted(t, t[-1] - CHARGE_WINDOW_S))
        recent = bean[start:]
        if not np.isfinite(recent).any() or np.nanmax(recent) - recent[-1] < CHARGE_FALL_C:
            return
        first = int(np.searchsorted(t, t[-1] - 120.0))
        charge_t = find_charge(t[first:], bean[first:])
        if charge_t is None:
            return
        if not self.recording:
            self._begin(BatchOrder(machine=self.machine), keep_s=60.0)
            charge_t = charge_t - self._shift
            self.message = (
                f"The beans fell in without a prepared batch: recorded as {self.label}. Name its lot when it is weighed."
            )
        else:
            self.message = "Charge found from the curve."
        self._remember()
        self._set_mark(Mark(MarkKind.CHARGE, charge_t, self.trace.bean_at(charge_t), Found.CURVE))

    def _look_for_turning(self) -> None:
        charge = self.marks.get(MarkKind.CHARGE)
        if charge is None or MarkKind.TURNING in self.marks or self.trace.level is None:
            return
        since = (self.trace.last_t or 0.0) - charge.t
        if since < 20.0:
            self._lowest = None
            return
        self._lowest = min(self._lowest or self.trace.level, self.trace.level)
        if since > 300.0 or self.trace.level < self._lowest + 0.8:
            return
        turning_t = find_turning(self.trace.column("t"), self.trace.column("bean"), charge.t)
        if turning_t is not None:
            self._set_mark(Mark(MarkKind.TURNING, turning_t, self.trace.bean_at(turning_t), Found.CURVE))

    # What the hands do

    def mark_next(self, at: float) -> Mark | None:
        """Set the next expected mark, at the clock time of the key-down [s]; None if none is expected."""
        kind = self.next_expected()
        return self.mark(kind, at) if kind is not None else None

    def find(self, mark: Mark) -> bool:
        """Set a mark that was found in the readings; False where it contradicts the others."""
        try:
            check_mark_order([*(m for m in self.marks.values() if m.kind is not mark.kind), mark])
        except MarkOrderError:
            return False
        self._remember()
        self._set_mark(mark)
        return True

    def mark(self, kind: MarkKind, at: float) -> Mark | None:
        """Set a mark at a clock time [s]; None (and a message) where it contradicts the others."""
        t = self.log_time(at)
        mark = Mark(kind, t, self.trace.bean_at(t), Found.KEY)
        try:
            check_mark_order([*(m for m in self.marks.values() if m.kind is not kind), mark])
        except MarkOrderError as error:
            self.say(str(error))
            return None
        self._remember()
        self._set_mark(mark)
        self.say("")
        return mark

    def nudge(self, seconds: float) -> None:
        """Move the last mark by some seconds."""
        kind = self._hands.last
        if kind is None or kind not in self.marks:
            self.say("There is no mark to nudge yet.")
            return
        mark = self.marks[kind]
        moved = replace(mark, t=mark.t + seconds, bean=self.trace.bean_at(mark.t + seconds))
        if moved.t > self.now():
            self.say("A mark cannot lie in the future.")
            return
        try:
            check_mark_order([*(m for m in self.marks.values() if m.kind is not kind), moved])
        except MarkOrderError as error:
            self.say(str(error))
            return
        self._remember()
        self._set_mark(moved)

    def undo(self) -> None:
        """Take back the last key."""
        if not self._past:
            self.say("Nothing to undo.")
            return
        self._hands = self._past.pop()
        self._held |= {move.control: move.to for move in self._hands.moves if move.found is Found.KEY}
        self._rate_from_charge()
        self._lowest = None
        self._write_hands()
        self._write_marks()
        self.say("Taken back.")

    def step_control(self, control: Control, steps: int, at: float) -> None:
        """Move a control by steps of its own scale, for a machine that does not report it."""
        scale = self.machine.controls.get(control) if self.machine else None
        if scale is None:
            self.say(f"This machine has no {control.value} to set.")
            return
        if scale.reported:
            self.say(f"The machine reports its {control.value} itself: move it there.")
            return
        current = self._held.get(control, scale.low)
        self.set_control(control, scale.nearest(current + steps * scale.step), at)

    def set_control(self, control: Control, value: float, at: float) -> None:
        """Note that a control was set to a value at a clock time. [s]"""
        if self.recording:
            self._remember()
            self._add_move(Move(control, self.log_time(at), value, Found.KEY))
        self._held[control] = value
        self.say("")

    def confirm_move(self, at: float) -> None:
        """Tick off the next planned move: done now. Where the machine does not report it, it is noted as made."""
        waiting = next((entry for entry in self.due() if entry.done_t is None), None)
        if waiting is None:
            self.say("No planned move is waiting.")
            return
        move, scale = waiting.move, self.machine.controls.get(waiting.move.control) if self.machine else None
        self._remember()
        self._hands.done[waiting.index] = self.log_time(at)
        if scale is None or not scale.reported:
            self._add_move(Move(move.control, self.log_time(at), move.to, Found.KEY))
            self._held[move.control] = move.to
        self.say("")

    def note(self, kind: str, text: str, at: float, said: str | None = None) -> None:
        """A word from the trier, a remark, or something ticked; ``said`` is told in place of the usual words."""
        if not self.recording:
            self.say("No batch is running: nothing to note it on.")
            return
        self._remember()
        self._hands.notes.append(Note(self.log_time(at), kind, text))
        self._write_hands()
        self.say(f"Noted: {kind} {text}." if said is None else said)

    def keep_note(self, note: Note) -> None:
        """Something that no hand noted, and no undo takes back for long."""
        self._hands.notes.append(note)
        self._write_hands()

    def dismiss(self) -> None:
        """The planned move that was missed is not to be made any more."""
        waiting = next((entry for entry in self.due() if entry.done_t is None), None)
        if waiting is None or waiting.due_t is None or waiting.due_t > self.now():
            self.say("No move is overdue.")
            return
        self._remember()
        self._hands.done[waiting.index] = self.now()
        self.say("Let go: it is not waited for any more.")

    def set_machine(self, machine: Machine | None) -> None:
        """Whose readings these are."""
        self.machine = machine
        self._held = {}

    def report_trouble(self, sentence: str | None) -> None:
        """The journal cannot write, or can again."""
        self.trouble = sentence
        self._changed()

    # Inside

    def _begin(self, order: BatchOrder, keep_s: float) -> None:
        now = self.clock.now()
        kept = LiveTrace()
        old, origin = self.trace, self._start
        self._shift = now - keep_s - origin
        for index in range(len(old)) if keep_s else ():
            t = float(old.column("t")[index]) - self._shift
            if t >= 0:
                row = (t, *(float(old.column(name)[index]) for name in ("bean", "air", "gas", "airflow", "drum")))
                kept.append(tuple(None if np.isnan(value) else value for value in row), old.quality_at(index))
        self._start = now - keep_s
        self.trace, self.order = kept, order
        self._hands, self._past, self._lowest = _Hands(), [], None
        self.guidance, self.advice, self.advices, self._advised_t = None, None, 0, float("-inf")
        if order.machine is not None and order.machine != self.machine:
            self.machine = order.machine
        if order.plan is not None:
            for control, value in order.plan.start.items():
                self._held.setdefault(control, value)
        started = self.clock.wall() - timedelta(seconds=keep_s / self.clock.rate)
        self.batch_id, self.label = self.library.new_batch(
            order.lot.id if order.lot else None,
            order.machine.id if order.machine else None,
            order.plan.id if order.plan else None,
            order.load_kg,
            started,
            operator=self.operator,
        )
        self._open_journal()
        for index in range(len(kept)):
            self._write_reading(index)

    def _rested(self) -> float | None:
        """How long ago this machine was dropped last, if that was today's work. [s]"""
        if self.machine is None or self.machine.id is None:
            return None
        wanted = BatchFilter(machine_id=self.machine.id, statuses=("done", "dropped"))
        last = next(iter(self.library.batch_lines(wanted, limit=1)), None)
        if last is None:
            return None
        ended = last.started + timedelta(seconds=last.total_s or 0.0)
        rested = (self.clock.wall() - ended).total_seconds()
        return max(rested, 0.0) if rested < DAY_S else None

    def _open_journal(self) -> None:
        if self.batch_id is not None:
            self._journal = Journal(self.library, self.batch_id, lambda: self.clock.rate, self.report_trouble_later)

    def report_trouble_later(self, sentence: str | None) -> None:
        """Called from the journal's thread; the window replaces this by a hop to its own thread."""
        self.trouble = sentence

    def _forget_old(self) -> None:
        """While idle, keep a quarter of an hour and no more."""
        if (self.trace.last_t or 0.0) - float(self.trace.column("t")[0]) < 2.0 * IDLE_MEMORY_S:
            return
        old, keep_from = self.trace, (self.trace.last_t or 0.0) - IDLE_MEMORY_S
        self.trace = LiveTrace()
        for index in np.flatnonzero(old.column("t") >= keep_from):
            row = tuple(float(old.column(name)[index]) for name in ("t", "bean", "air", "gas", "airflow", "drum"))
            self.trace.append(tuple(None if np.isnan(value) else value for value in row), old.quality_at(int(index)))

    def _set_mark(self, mark: Mark) -> None:
        self._hands.marks[mark.kind] = mark
        if mark.kind is not MarkKind.TURNING:
            self._hands.last = mark.kind
        if mark.kind is MarkKind.CHARGE:
            self._hands.marks.pop(MarkKind.TURNING, None)
            self._lowest = None
            self._rate_from_charge()
        self._write_marks()

    def _rate_from_charge(self) -> None:
        charge = self.marks.get(MarkKind.CHARGE)
        self.trace.set_charge(charge.t if charge else None)

    def _write_marks(self) -> None:
        if self._journal is not None:
            self._journal.marks(sorted(self.marks.values(), key=lambda mark: mark.t))
            status = {"ready": "ready", "cooling": "dropped"}.get(self.phase, "roasting")
            self._journal.status(status)
        self._changed()

    def _write_hands(self) -> None:
        if self._journal is not None:
            self._journal.moves_and_notes(self._hands.moves, self._hands.notes)
        self._changed()

    def _remember(self) -> None:
        self._past = [*self._past[-49:], self._hands.copy()]

    def say(self, message: str) -> None:
        """Tell something in the foot of the view."""
        self.message = message
        self._changed()

    def _changed(self) -> None:
        self._on_change()


def check_results(
    load_kg: float | None, roasted_kg: float | None, colour_whole: float | None, colour_ground: float | None
) -> None:
    """Refuse figures that no batch can have.

    Raises
    ------
    ValueError : naming the figure, what was expected and what was given.
    """
    if roasted_kg is not None and roasted_kg <= 0:
        raise ValueError(f"A roasted weight of {roasted_kg:g} kg cannot be: it must be above zero.")
    if roasted_kg is not None and load_kg is not None and roasted_kg >= load_kg:
        raise ValueError(
            f"Roasted {roasted_kg:.3f} kg is not less than the green load of {load_kg:.3f} kg: check the scale and the load."
        )
    for name, value in (("whole", colour_whole), ("ground", colour_ground)):
        if value is not None and not 0 <= value <= 100:
            raise ValueError(f"Colour {name} is {value:g}; the index runs from 0 to 100.")
