"""Running one batch: readings, marks and moves come in, the journal writes them, the view is told.

Not for several threads: whoever owns the session calls it from one thread (in the window the GUI thread)
and brings readings over from the driver's thread.
"""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import timedelta
from typing import Any

from firnel.core.settling import Became, Settled
from firnel.core.units import clock
from firnel.core.vocabulary import (
    Found,
    Machine,
    Mark,
    MarkKind,
    Move,
    Note,
    Quality,
)
from firnel.core.words import later, tr
from firnel.devices.reading import Reading
from firnel.work.bench.results import Results, check_results, missing_of
from firnel.work.plan.whose import lot_of, machine_of
from firnel.work.roast.advising import Advising
from firnel.work.roast.batch_order import Around, BatchOrder
from firnel.work.roast.batch_state import CRACK_RULE
from firnel.work.roast.charge_watch import ChargeWatch
from firnel.work.roast.charging import Charging
from firnel.work.roast.danger import past_limit
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.mark_watch import TAKEN_S, MarkWatch
from firnel.work.roast.plan_thread import SETTLED_NOTE, read_advised, read_note
from firnel.work.roast.probe_mistakes import misread

__all__ = ["Around", "BatchOrder", "RoastSession"]

#: Readings kept while no batch is prepared, so that a forgotten key loses nothing. [s]
IDLE_MEMORY_S = 900.0
#: Of it belongs to the next batch what a fit looks at. [s]
IDLE_KEPT_S = 180.0
#: Recording ends so long after the drop. [s]
AFTER_DROP_S, UNSEEN_DROP_S = 300.0, 1800.0
#: A reading keyed sooner after the last than this share of the usual pause is meant in its place.
REPLACED_SHARE = 0.4
#: So long after a drop the last beans are out and the door is shut: the drum idles. [s]
EMPTIED_S = 45.0
ABANDONED = "ended otherwise"


def check_load(load_kg: float | None) -> None:
    """Refuse a load that cannot be roasted.

    Raises
    ------
    ValueError : saying so.
    """
    if load_kg is not None and not (load_kg > 0 and math.isfinite(load_kg)):
        raise ValueError(tr("A load of {:g} kg cannot be roasted.", load_kg))


def _row_of(order: BatchOrder) -> dict[str, Any]:
    """What the row of a batch says of its order."""
    plan = order.plan
    return {
        "lot_id": order.lot.id if order.lot else None, "machine_id": order.machine.id if order.machine else None,
        "plan_id": plan.id if plan else None, "plan_version": plan.version if plan and plan.id is not None else None,
        "load_kg": order.load_kg, "operator": order.operator, "waiting_id": order.waiting_id,
    }  # fmt: skip


class RoastSession(Charging):
    """The running batch: begun, fed with readings, and ended.

    Parameters
    ----------
    library : that the batch is kept in.
    clock : that stamps readings and keys.
    on_change : called after anything that the view should show.
    post : brings calls from the journal's thread over to the owner's.
    spill : where the batch is kept while the library refuses.
    """

    # Beginning and ending

    def prepare(self, order: BatchOrder) -> str:
        """Begin the record of a batch; it waits for its charge. Returns its label.

        Raises
        ------
        ValueError : if a batch is being roasted, or the load is not one.
        """
        if self.roasting:
            raise ValueError(tr("Batch {} is in the drum: drop it first.", self.label))
        check_load(order.load_kg)
        keep_s = self._watched_s(order.machine)
        self.close()
        self._begin(order, keep_s)
        self.message = ""
        self._changed()
        return self.label

    def amend(self, order: BatchOrder) -> str:
        """Correct lot or load of the batch that is prepared; its number stays. Returns its label.

        Raises
        ------
        ValueError : if none is prepared, or the load is not one.
        """
        if self._journal is None or self.phase != "ready":
            raise ValueError(tr("No batch is prepared."))
        check_load(order.load_kg)
        self.order = replace(self.order, lot=order.lot, load_kg=order.load_kg)
        self._journal.results({"lot_id": order.lot.id if order.lot else None, "load_kg": order.load_kg})
        self.say(tr("Batch {} has been corrected; it keeps its number.", self.label))
        return self.label

    @property
    def unnamed(self) -> bool:
        """Whether beans are in the drum of which nobody has said what they are."""
        return self.roasting and self.order.plan is None and self.order.lot is None

    def name(self, order: BatchOrder) -> str:
        """Say what is in the drum, of a batch charged without being prepared, or by another order: its number and record stay.

        Raises
        ------
        ValueError : if nothing is, or the load is not one.
        """
        if self._journal is None or not self.roasting:
            raise ValueError(tr("No batch is running."))
        check_load(order.load_kg)
        if order.lot is None and order.plan is None:
            raise ValueError(tr("Choose a plan or a lot: nothing else says what it is."))
        plans = [one.plan.id if one.plan is not None else None for one in (self.order, order)]
        other = plans[0] != plans[1] or plans[0] is None
        self.order = replace(order, machine=order.machine or self.order.machine)
        if order.machine is not None and order.machine != self.machine:
            self.machine = order.machine
        self._hold_start(order)
        self._journal.results(_row_of(self.order))
        if other:
            for table in ("settled", "advised"):  # of another plan's moves
                for index in list(self._hands.settled if table == "settled" else self._hands.advised):
                    self._hands.set(table, index, None)
        for move in self.moves:
            self._match(move)
        self._advising = Advising()
        self._write_hands()
        self.say(tr("Batch {} has its order now; what was recorded stays.", self.label))
        return self.label

    def resume(self, key: int, by_word: bool = False) -> None:
        """Go on with a batch that was being recorded when Firnel ended.

        Parameters
        ----------
        by_word : a person says so, of a batch whose station has fallen silent.

        Raises
        ------
        LibraryError : if another Firnel records it.
        """
        watched, since = (LiveTrace() if self.recording else self.trace), self._start
        self.close()
        self._journal = self._new_journal(key, by_word)
        record = self.library.batch(key)
        machine, lot = machine_of(self.library, record), lot_of(self.library, record)
        plan = self.library.plan_book.used_by(key)
        self.order = BatchOrder(lot, machine, plan, record.load_kg, record.operator)
        same = self.machine is None or machine is None or self.machine.id == machine.id
        self.machine = self.machine or machine
        last_t, last_wall, rate = self.library.journal_state(key)
        away = max(self.clock.wall().timestamp() - last_wall, 0.0) * rate
        self._start = self.clock.now() - (last_t + away)
        self.run, self.trace, self._advising, self._watch = self.run + 1, LiveTrace(), Advising(), ChargeWatch()
        self._hands, self._found, self._left_hot_t = self._new_hands(self._hands.held), MarkWatch(), None
        for mark in record.marks:
            self._hands.set("marks", mark.kind, mark)
        settled = {}
        for note in record.notes:
            if (told := read_note(note)) is not None:
                settled[told[0]] = Settled(told[1], note.t)
            elif plan is not None and (advised := read_advised(note, plan)) is not None:
                self._hands.set("advised", *advised)
            elif note.kind not in (SETTLED_NOTE, CRACK_RULE):
                self._hands.add("notes", note)
        for move in record.moves:
            self._hands.add("moves", move)
            self.trace.expect_change(move.t)
            self._match(move)
            if not self._reported(move.control):
                self._hands.set("held", move.control, move.to)
        for index, one in settled.items():
            if index not in self._hands.settled and one.became is Became.LET_GO:
                self._hands.set("settled", index, one)
        for t, *read, controls, quality in record.trace.rows:
            bean, air = (None if math.isnan(value) else value for value in read)
            self.trace.append(t, bean, air, controls, Quality(quality))
        self._rate_from_charge()
        missing = min(away, self._take_watched(watched, since, last_t) if same else away) / rate
        self.message = tr("Batch {} goes on; {:.0f} s of readings are missing.", self.label, missing)
        self._changed()

    def _take_watched(self, watched: LiveTrace, since: float, last_t: float) -> float:
        """Take in what came before a batch was gone on with. Returns how long nothing was read before that. [s]"""
        for control in self.machine.controls if self.machine is not None else ():
            if self._reported(control):  # as it stood when the record broke off: what was moved since is a move
                self._hands.set("held", control, self.trace.latest(control))
        gap = math.inf
        for read in watched.readings_from(self._start - since + last_t):
            gap = min(gap, read.time + since - self._start - last_t)
            self._take_in(replace(read, time=since + read.time))
        return gap

    def abandon(self, why: str, word: str = "") -> None:
        """The batch ends otherwise: kept as what it was, and left out of charts and fits.

        Parameters
        ----------
        why : heat off, out of the drum, fire, or something else.
        word : what the roaster adds.
        """
        if self._journal is None:
            self.say(tr("No batch is running."))
            return
        label, phase = self.label, self.phase
        if phase == "cooling":
            self.say(tr("The batch is dropped already: weigh it with {weigh}, or leave it."))
            return
        if phase == "ready":
            self.close()
            self.say(tr("Batch {} is not roasted; nothing is kept of it.", label))
            return
        self._hands.add("notes", Note(self.now(), ABANDONED, f"{why}: {word}" if word else why))
        self._take_found()
        self._journal.results({"left_out": tr("ended otherwise: {}{}", why, f", {word}" if word else "")[:200]})
        self._journal.status("done")
        self._left_hot_t = self.clock.now()
        written = self._shelve()
        kept = (
            tr("It is kept as what it was, out of charts and fits.")
            if written
            else tr("It is kept, but not in the library yet.")
        )
        self.say(tr("Batch {} ended: {}. {}", label, why, kept))

    def weigh(self, results: Results) -> None:
        """Write scale, colour and remark of the dropped batch, and close it.

        Raises
        ------
        ValueError : if the figures cannot be; nothing is written then.
        """
        if self._journal is None or self.phase != "cooling":
            raise ValueError(tr("There is no batch to weigh."))
        check_results(self.order.load_kg, results)
        label = self.label
        self._journal.results(results.columns)
        if results.complete:
            self._journal.status("done")
        waits = "" if results.complete else tr(" It stays due on the bench: {}.", missing_of(results))
        written = self._shelve()
        self.message = (
            tr("Batch {} is saved.{}", label, waits)
            if written
            else tr("Batch {} is kept, but not in the library yet: leave Firnel open until it says so.", label)
        )
        self._changed()

    # What comes in

    def take_reading(self, reading: Reading) -> None:
        """A reading from the machine, or keyed in."""
        self._take_in(reading)
        if not self.recording:
            self._forget_old()
        self._look_for_charge()
        self._look_for_other_beans()
        self._look_for_turning()
        self.look_for_marks()
        self.past_limit = past_limit(self)
        self._changed()

    def _take_in(self, reading: Reading) -> None:
        t = self.log_time(reading.time)
        self._follow_controls(reading, t)
        # A drop that nobody has told may be none: its record goes on.
        after = UNSEEN_DROP_S if self.dropped_unseen else AFTER_DROP_S
        over = self.phase == "cooling" and t > self._hands.marks[MarkKind.DROP].t + after
        controls = {**self._hands.held, **reading.controls}
        if reading.quality & Quality.HAND:
            self._replace_keyed(t)
            self._keyed_t = reading.time
        before = len(self.trace)
        self.trace.append(t, reading.bean, reading.air, controls, reading.quality)
        if len(self.trace) > before and not over:  # what comes after the record is only watched, for the next charge
            self._write_reading(before)

    def _replace_keyed(self, t: float) -> None:
        """A reading keyed so soon after the last one is meant in its place; the old one is kept as a note."""
        index = len(self.trace) - 1
        if index < 0 or not self.trace.quality_at(index) & Quality.HAND or self.trace.quality_at(index) & Quality.OUT_OF_RANGE:
            return
        last, value = float(self.trace.column("t")[index]), float(self.trace.column("bean")[index])
        if t - last < REPLACED_SHARE * self.around.hand_every_s:
            self._strike_reading(index)
            if self.recording:
                self.keep_note(Note(last, later("reading replaced"), tr("{:.1f} °C", value)))

    def look_for_marks(self) -> None:
        """After each reading, and as time goes by: marks that nobody has set."""
        if not self.roasting or misread(self):
            return
        self._found.look(self)
        dropped = self._found.offers.get(MarkKind.DROP)
        if dropped is not None and self.now() - dropped.since > TAKEN_S:
            told = clock(self.now() - dropped.mark.t)
            self._take_found()
            self.message = tr("The drop was found in the readings, {} ago; nobody has told it.", told)

    def _follow_controls(self, reading: Reading, t: float) -> None:
        """Moves that the machine reports need no key."""
        for control, value in reading.controls.items():
            if not math.isfinite(value):
                continue
            known = self._hands.held.get(control)
            self._hands.set("held", control, value)
            if known is None or abs(value - known) < 0.5 * self._step(control):
                continue
            if self.recording and self.phase != "cooling":
                self._add_move(Move(control, t, value, Found.MACHINE))

    def set_machine(self, machine: Machine | None) -> None:
        """Whose readings these are."""
        self.machine = machine
        for control in list(self._hands.held):
            self._hands.set("held", control, None)

    def find(self, mark: Mark) -> bool:
        """Set a mark that was found in the readings; False where it contradicts the others."""
        if self._contradiction(mark):
            return False
        self._set_mark(mark)
        return True

    # Inside

    def _watched_s(self, machine: Machine | None) -> float:
        """How much of what was read of the empty drum belongs to the batch that comes: it tells the steel. [s]"""
        watched, marks = self.trace.column("t"), self._hands.marks
        other = machine is not None and self.machine is not None and machine.id != self.machine.id
        if other or not watched.size or (MarkKind.CHARGE in marks and MarkKind.DROP not in marks):
            return 0.0
        emptied = marks[MarkKind.DROP].t + EMPTIED_S if MarkKind.DROP in marks else -math.inf
        since = max(float(watched[0]), self.now() - IDLE_KEPT_S, emptied)
        return max(self.now() - since, 0.0)

    def _begin(self, order: BatchOrder, keep_s: float) -> float:
        """Begin a record, with the readings of the last seconds in it. Returns by how much log time has moved. [s]"""
        now = self.clock.now()
        kept, old = LiveTrace(), self.trace
        shift = now - keep_s - self._start
        if keep_s:
            kept.take_from(old, shift, earlier=shift)
        self._start = now - keep_s
        self.trace, self.order, self.run = kept, order, self.run + 1
        self._hands, self._watch, self._advising = self._new_hands(self._hands.held), ChargeWatch(), Advising()
        self._found, self._left_hot_t, self._asked, self._press, self._picked = MarkWatch(), None, None, None, None
        if order.machine is not None and order.machine != self.machine:
            self.machine = order.machine
        self._hold_start(order)
        started = self.clock.wall() - timedelta(seconds=keep_s / self.clock.rate)
        self._journal = self._new_journal(
            _row_of(order) | {"started": started, "status": "ready", "clock_rate": self.clock.rate}
        )
        for index in range(len(kept)):
            self._write_reading(index)
        return shift

    def _hold_start(self, order: BatchOrder) -> None:
        """Of a control that nobody has told of it is taken that it stands as the plan begins."""
        for control, value in order.plan.start.items() if order.plan is not None else ():
            if control not in self._hands.held:
                self._hands.set("held", control, value)

    def _forget_old(self) -> None:
        """While idle, keep a quarter of an hour and no more."""
        if (self.trace.last_t or 0.0) - float(self.trace.column("t")[0]) < 2.0 * IDLE_MEMORY_S:
            return
        old, keep_from = self.trace, (self.trace.last_t or 0.0) - IDLE_MEMORY_S
        self.trace = LiveTrace()
        self.trace.take_from(old, keep_from)
