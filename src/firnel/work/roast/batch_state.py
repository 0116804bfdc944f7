"""A batch as it stands: its order, its readings, what the hand did, and what falls due next."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from firnel.core.plan import DueMove, Plan, due_moves, expected_marks
from firnel.core.settling import Advised, Became, Settled, as_advised, settled_by
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.vocabulary import (
    EXPECTED_MARKS,
    Control,
    Found,
    Machine,
    Mark,
    MarkKind,
    Move,
    Note,
    Role,
    usual_role,
)
from firnel.devices.clock import Clock
from firnel.store.journal import Journal
from firnel.work.roast.advising import Advising
from firnel.work.roast.batch_order import Around, BatchOrder
from firnel.work.roast.charge_watch import ChargeWatch
from firnel.work.roast.hand_history import HandHistory
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.mark_watch import FoundMark, MarkWatch
from firnel.work.roast.plan_thread import due_of, plan_notes
from firnel.work.roast.readings_watch import sound

if TYPE_CHECKING:
    from firnel.core.guidance import Advice, Given, Then
    from firnel.core.landing import Landing, Off, Place
    from firnel.work.roast.guided import Guidance

#: A knob turned on within this time is one move. [s]
ONE_MOVE_S = 4.0
#: What a move settles, and may settle otherwise while the knob is still being turned.
BY_MOVING = (Became.MADE, Became.OTHERWISE, Became.PASSED)
#: A hand that goes so long after an advice where it pointed has taken it. [s]
TAKEN_S = 60.0
#: A charge that is nudged by less leaves the turn where it was. [s]
SAME_CHARGE_S = 20.0
#: After a batch was ended otherwise its beans may be in the drum for so long. [s]
LEFT_HOT_S = 900.0
#: For so long a key was pressed just now. [s]
JUST_S = 30.0
CRACK_RULE = "first crack by"


class BatchState:
    """What is known of the running batch. Its session alone writes it.

    Parameters
    ----------
    clock : that stamps readings and keys.
    on_change : called after anything that the view should show.
    """

    def __init__(self, clock: Clock, on_change: Callable[[], None]) -> None:
        self.clock, self._on_change = clock, on_change
        self.machine: Machine | None = None
        self.order = BatchOrder()
        self.run = 0  #: counts the batches of this session: what was asked for one is not taken for another
        self.trace = LiveTrace()
        self.around = Around()
        self.trouble: str | None = None
        self.message: str = ""
        self._start = clock.now()
        self._advising = Advising()
        self._hands = self._new_hands()
        self._watch = ChargeWatch()
        self._found = MarkWatch()
        self._left_hot_t: float | None = None
        self.past_limit: str | None = None  #: which probe is past the machine's limit with beans in the drum
        self._journal: Journal | None = None

    # What is going on

    @property
    def recording(self) -> bool:
        """Whether a batch is prepared or running."""
        return self._journal is not None

    @property
    def batch_id(self) -> int | None:
        """Id of the batch; None where none is recorded, or the library has not taken it yet."""
        return self._journal.key if self._journal is not None else None

    @property
    def label(self) -> str:
        """The batch's number; a dash while the library has not given it one."""
        return (self._journal.label or "–") if self._journal is not None else ""

    @property
    def just_pressed(self) -> bool:
        """Whether a key was pressed just now that can be taken back."""
        return self.recording and self.clock.now() - self._hands.last_t < JUST_S

    @property
    def marks(self) -> dict[MarkKind, Mark]:
        """The marks so far."""
        return dict(self._hands.marks)

    @property
    def offers(self) -> dict[MarkKind, FoundMark]:
        """Marks that were found and that no hand has taken, while the beans are in."""
        return {kind: one for kind, one in self._found.offers.items() if kind not in self._hands.marks} if self.roasting else {}

    @property
    def reckoned(self) -> dict[MarkKind, Mark]:
        """The marks that are gone by: those that are set, and yellow and first crack where they were found meanwhile."""
        found: dict[MarkKind, Mark] = {k: one.mark for k, one in self._found.offers.items() if k is not MarkKind.DROP}
        return {**found, **self._hands.marks}

    @property
    def moves(self) -> tuple[Move, ...]:
        """The moves so far."""
        return tuple(self._hands.move_list())

    @property
    def notes(self) -> tuple[Note, ...]:
        """The notes so far."""
        return tuple(self._hands.note_list())

    @property
    def held(self) -> dict[Control, float]:
        """How the controls stand, as far as known."""
        return dict(self._hands.held)

    @property
    def guidance(self) -> Guidance | None:
        """What was last worked out ahead."""
        return self._advising.guidance

    @property
    def advice(self) -> Advice | None:
        """The advice that stands."""
        return self._advising.advice

    @property
    def advices(self) -> int:
        """How many were given in this batch."""
        return self._advising.given

    @property
    def last_given(self) -> Given | None:
        """The advice that was given last, in log time."""
        return self._advising.last

    @property
    def place(self) -> Place | None:
        """The one judgement of where it will land; None while nothing says."""
        return self._advising.place

    @property
    def helpless(self) -> bool:
        """Whether no step helps an end that is off; not said before it has been so for a while."""
        return self._advising.helpless

    @property
    def landing(self) -> Landing | None:
        """The landing that was judged."""
        return self._advising.landing

    @property
    def silent(self) -> Off | None:
        """What is expected where advice on it was ignored."""
        return self._advising.silent

    @property
    def phase(self) -> str:
        """idle, ready, drying, browning, development or cooling."""
        if not self.recording:
            return "idle"
        order = ((MarkKind.DROP, "cooling"), (MarkKind.FIRST_CRACK, "development"), (MarkKind.YELLOW, "browning"))
        came = self.reckoned
        for kind, name in (*order, (MarkKind.CHARGE, "drying")):
            if kind in came:
                return name
        return "ready"

    @property
    def left_hot(self) -> bool:
        """Whether a batch was ended otherwise a short while ago: its beans may still be in the drum."""
        return self._left_hot_t is not None and 0.0 <= self.clock.now() - self._left_hot_t < LEFT_HOT_S and not self.recording

    @property
    def dropped_unseen(self) -> bool:
        """Whether the drop was only found in the readings: nobody has said that the drum is empty."""
        drop = self._hands.marks.get(MarkKind.DROP)
        return self.recording and drop is not None and drop.found is Found.CURVE

    @property
    def roasting(self) -> bool:
        """Whether beans are in the drum."""
        return self.phase in ("drying", "browning", "development")

    @property
    def charge_shows(self) -> bool | None:
        """Whether the probe fell when the beans are said to have fallen in; None where nothing says."""
        charge = self._hands.marks.get(MarkKind.CHARGE)
        return None if charge is None or not self.recording else self._watch.shows(self.trace, charge.t)

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
        return next((kind for kind in EXPECTED_MARKS if kind not in self._hands.marks), None)

    def expected(self) -> dict[MarkKind, float]:
        """When each mark came or is expected by the plan, in log time. [s]"""
        if self.order.plan is None:
            return {kind: mark.t for kind, mark in self._hands.marks.items()}
        expected = expected_marks(self.order.plan, self.reckoned.values(), self.now(), self.foreseen)
        if MarkKind.DROP in expected and MarkKind.DROP not in self.reckoned and not self.order.plan.drop_rules:
            expected[MarkKind.DROP] += self.end_moved_s  # where temperature rules the forecast has it moved already
        never = self.out_of_reach
        return {kind: t for kind, t in expected.items() if kind not in never}

    @property
    def out_of_reach(self) -> tuple[MarkKind, ...]:
        """The marks that do not come as the hands stand, in order."""
        return tuple(kind for kind in self._advising.out_of_reach(self.now()) if kind not in self.reckoned)

    @property
    def end_moved_s(self) -> float:
        """By how much the drop is moved off the leading target's moment, so that it lands in the box; below 0 earlier. [s]"""
        fresh = self.foreseen is not None and MarkKind.FIRST_CRACK in self.reckoned
        return self._advising.moved_s if fresh else 0.0

    @property
    def foreseen(self) -> Mapping[MarkKind, float] | None:
        """When the machine's model expects the marks to come, in log time; None while it does not say. [s]"""
        return self._advising.expected(self.now())

    def reckons_with(self, guidance: Guidance) -> bool:
        """Whether what was worked out is fresh enough to be gone by."""
        return self._advising.holds(guidance, self.now())

    @property
    def settled(self) -> Mapping[int, Settled]:
        """What the hand made of planned moves, by their place in the plan."""
        return dict(self._hands.settled)

    @property
    def done(self) -> Mapping[int, float]:
        """When the hand settled planned moves, by their place in the plan. [s]"""
        return {index: one.t for index, one in self._hands.settled.items()}

    def due(self) -> tuple[DueMove, ...]:
        """The plan's moves with the moments at which they fall due, as advice that was taken has changed them."""
        return due_of(self)

    @property
    def adjusted_plan(self) -> Plan | None:
        """The plan with the moves that advice taken has changed."""
        plan, advised = self.order.plan, self._hands.advised
        return plan if plan is None or not advised else as_advised(plan, advised)

    @property
    def advised(self) -> Mapping[int, Advised]:
        """What advice that was taken has made of planned moves, by their place; behind them those that joined the plan."""
        return dict(self._hands.advised)

    # What changes it

    def take_guidance(self, guidance: Guidance | None) -> None:
        """What was worked out ahead."""
        if guidance is not None:  # where nothing could be worked out the last course still reaches some way
            self.trace.set_course(guidance.course)
        if self._advising.take(guidance, self.now(), self.reckoned, sound(self)):
            if (end := self.expected().get(MarkKind.DROP)) is not None:
                self._advising.move_end(end - self.around.lead_s - self.now())
            self._found.look(self)
            self._changed()

    def take_around(self, around: Around) -> None:
        """What the desk has found out around the batch."""
        self.around = around
        self._changed()

    def _new_hands(self, held: dict[Control, float] | None = None) -> HandHistory:
        return HandHistory(held=held or {}, now=self.clock.now)

    def _reported(self, control: Control) -> bool:
        scale = self.machine.controls.get(control) if self.machine else None
        return scale is not None and scale.reported

    def _step(self, control: Control) -> float:
        scale = self.machine.controls.get(control) if self.machine else None
        return scale.step if scale else 0.1

    def _add_move(self, move: Move) -> None:
        """Note a move; a knob still being turned is the same move, stamped at its beginning."""
        own = [(number, known) for number, known in self._hands.moves.items() if known.control == move.control]
        number, last = max(own, key=lambda entry: entry[1].t, default=(0, None))
        charge = self._hands.marks.get(MarkKind.CHARGE)
        parted = charge is not None and last is not None and last.t < charge.t <= move.t  # one for the drum, one for the beans
        if last is not None and last.found is move.found and move.t - last.t <= ONE_MOVE_S and not parted:
            move = replace(last, to=move.to)
            self._hands.set("moves", number, move)
        else:
            self._hands.add("moves", move)
            if usual_role(move.control) is not Role.MOTION:
                self.trace.expect_change(move.t)
        self._match(move)
        given = self._advising.last
        if given is not None and move.t - given.t <= TAKEN_S and given.answered_by(move.control, move.to):
            self._adopt(given.then)
        self._advising.hand_moved(move.control, self._hands.settled)
        self._write_hands()

    def _match(self, move: Move) -> None:
        """What the move settles of the plan; heating up for the charge settles nothing."""
        plan, charge = self.adjusted_plan, self._hands.marks.get(MarkKind.CHARGE)
        if plan is None or charge is None or move.t < charge.t:
            return
        # A knob that is still being turned is one move: what it settled on the way is settled anew.
        for index in [index for index, one in self._hands.settled.items() if one.t == move.t and one.became in BY_MOVING]:
            if plan.moves[index].control == move.control:
                self._hands.set("settled", index, None)
        before = [known for known in self._hands.moves.values() if known.control == move.control and known.t < move.t]
        stood = {move.control: max(before, key=lambda known: known.t).to} if before else {}
        due = due_moves(plan, self.reckoned.values(), move.t, self.done, self.foreseen, stood)
        for index, one in settled_by(due, move.control, move.to, move.t, self._step(move.control)).items():
            self._hands.set("settled", index, one)

    def _adopt(self, then: Then | None) -> None:
        """The later move that belongs to a step that was made: the planned one goes there, or it joins the plan."""
        plan, charge = self.order.plan, self._hands.marks.get(MarkKind.CHARGE)
        if then is None or plan is None or charge is None:
            return
        index = then.index if then.index is not None else len(plan.moves)
        before = self._hands.advised.get(index)
        if before is None or before.move != then.move:
            self._hands.set("advised", index, Advised(self.now(), then.move))

    def _contradiction(self, mark: Mark, others: Iterable[Mark] | None = None) -> str:
        others = self._hands.marks.values() if others is None else others
        try:
            check_mark_order([*(m for m in others if m.kind is not mark.kind), mark])
        except MarkOrderError as error:
            return str(error)
        return ""

    def _set_mark(self, mark: Mark) -> None:
        before = self._hands.marks.get(MarkKind.CHARGE)
        self._hands.set("marks", mark.kind, mark)
        if mark.kind is MarkKind.CHARGE:
            if before is None or abs(before.t - mark.t) > SAME_CHARGE_S:
                self._hands.set("marks", MarkKind.TURNING, None)
            self._watch.forget()
            self._rate_from_charge()
        self._write_marks()

    def _rate_from_charge(self) -> None:
        charge = self._hands.marks.get(MarkKind.CHARGE)
        self.trace.set_charge(charge.t if charge else None)

    def _write_marks(self) -> None:
        if self._journal is not None:
            self._journal.marks(sorted(self._hands.marks.values(), key=lambda mark: mark.t))
            self._journal.status({"ready": "ready", "cooling": "dropped"}.get(self.phase, "roasting"))
        self._write_hands()

    def _write_hands(self) -> None:
        if self._journal is not None:
            self._journal.moves_and_notes(self._hands.move_list(), self._all_notes())
        self._changed()

    def _all_notes(self) -> list[Note]:
        """The hand's notes, and what follows from the rest: what became of the plan, and which pop was first crack."""
        notes = [*self._hands.note_list(), *plan_notes(self)]
        crack = self._hands.marks.get(MarkKind.FIRST_CRACK)
        if crack is not None and self.around.crack_rule:
            notes.append(Note(crack.t, CRACK_RULE, self.around.crack_rule))
        return sorted(notes, key=lambda note: note.t)

    def say(self, message: str) -> None:
        """Tell something in the foot of the view."""
        self.message = message
        self._changed()

    def _changed(self) -> None:
        self._on_change()
