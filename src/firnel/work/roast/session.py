"""Running one batch: readings, marks and moves come in, the journal writes them, the view is told.

Not for several threads: whoever owns the session calls it from one thread (in the window the GUI thread)
and brings readings over from the driver's thread.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import numpy as np

from firnel.core.vocabulary import (
    Control,
    Found,
    Machine,
    Mark,
    MarkKind,
    Move,
    Quality,
)
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.store.journal import Journal
from firnel.store.library import Library
from firnel.store.spill import Spill
from firnel.work.bench.results import Results, check_results
from firnel.work.roast.advising import Advising
from firnel.work.roast.batch_state import Around, BatchOrder
from firnel.work.roast.charge_watch import ChargeWatch
from firnel.work.roast.hand_history import HandHistory
from firnel.work.roast.hand_keys import HandKeys
from firnel.work.roast.live_trace import LiveTrace

__all__ = ["Around", "BatchOrder", "RoastSession"]

#: Readings kept while no batch is prepared, so that a forgotten key loses nothing. [s]
IDLE_MEMORY_S = 900.0
#: Recording ends so long after the drop. [s]
AFTER_DROP_S = 300.0
#: A batch that is done with waits so long to hear that it is written; then it is told that it is not yet. [s]
PATIENCE_S = 2.0


def _at_once(call: Callable[[], None]) -> None:
    call()


class RoastSession(HandKeys):
    """The running batch: begun, fed with readings, and ended.

    Parameters
    ----------
    library : that the batch is kept in.
    clock : that stamps readings and keys.
    on_change : called after anything that the view should show.
    post : brings calls from the journal's thread over to the owner's.
    spill : where the batch is kept while the library refuses.
    """

    def __init__(
        self,
        library: Library,
        clock: Clock,
        on_change: Callable[[], None] = lambda: None,
        post: Callable[[Callable[[], None]], None] = _at_once,
        spill: Spill | None = None,
    ) -> None:
        super().__init__(clock, on_change)
        self.library, self._post, self._spill = library, post, spill
        self._last_id: int | None = None
        self._shelved: list[Journal] = []  # of batches that are done with, while the library still refuses them

    # Beginning and ending

    def prepare(self, order: BatchOrder) -> str:
        """Begin the record of a batch; it waits for its charge. Returns its label.

        Raises
        ------
        ValueError : if a batch is being roasted, or the load is not one.
        """
        if self.roasting:
            raise ValueError(f"Batch {self.label} is in the drum: drop it first.")
        if order.load_kg is not None and not (order.load_kg > 0 and math.isfinite(order.load_kg)):
            raise ValueError(f"A load of {order.load_kg:g} kg cannot be roasted.")
        self.close()
        self._begin(order, keep_s=0.0)
        self.message = ""
        self._changed()
        return self.label

    def resume(self, key: int) -> None:
        """Go on with a batch that was being recorded when Firnel ended.

        Raises
        ------
        LibraryError : if another Firnel records it.
        """
        self.close()
        self._journal = self._new_journal(key)
        record = self.library.batch(key)
        machine = next((machine for machine in self.library.machines() if machine.id == record.machine_id), None)
        lot = next((lot for lot in self.library.lots() if lot.id == record.lot_id), None)
        plan = self.library.plan_book.used_by(key)
        self.order = BatchOrder(lot, machine, plan, record.load_kg, record.operator)
        self.machine = self.machine or machine
        last_t, last_wall, rate = self.library.journal_state(key)
        away = max(self.clock.wall().timestamp() - last_wall, 0.0) * rate
        self._start = self.clock.now() - (last_t + away)
        self.run, self.trace, self._advising, self._watch = self.run + 1, LiveTrace(), Advising(), ChargeWatch()
        self._hands = HandHistory(held=self._hands.held)
        for mark in record.marks:
            self._hands.set("marks", mark.kind, mark)
        for note in record.notes:
            self._hands.add("notes", note)
        for move in record.moves:
            self._hands.add("moves", move)
            self.trace.expect_change(move.t)
            self._match(move)
            if not self._reported(move.control):
                self._hands.set("held", move.control, move.to)
        trace = record.trace
        columns = (trace.t, trace.bean, trace.air, trace.gas, trace.airflow, trace.drum)
        for *row, quality in zip(*columns, trace.quality, strict=True):
            self.trace.append(tuple(None if np.isnan(value) else float(value) for value in row), Quality(int(quality)))
        self._rate_from_charge()
        self.message = f"Batch {self.label} goes on; {away / rate:.0f} s of readings are missing."
        self._changed()

    def close(self) -> bool:
        """End the record of this batch, however far it is. False if the library still refuses what is left."""
        if self._journal is None:
            return True
        if MarkKind.CHARGE not in self._hands.marks:
            self._journal.status("discarded")  # nothing was roasted
        elif MarkKind.DROP not in self._hands.marks:
            self._journal.status("dropped")
        return self._shelve()

    def flush(self) -> bool:
        """Wait until what has come in is in the library; False if that takes too long."""
        return self._journal is None or self._journal.flush()

    @property
    def last_id(self) -> int | None:
        """Id of the batch that runs, or ran last; None where the library has none of it."""
        return self._journal.key if self._journal is not None else self._last_id

    def _shelve(self) -> bool:
        """The batch is done with: its journal writes on until all is in the library."""
        journal, self._journal = self._journal, None
        if journal is None:
            return True
        written = journal.close(PATIENCE_S)
        self._last_id = journal.key
        if written:
            return True
        self._shelved = [*(one for one in self._shelved if one.waits), journal]
        return False

    def leave(self) -> str:
        """The program ends: the batch stays as it stands, to be gone on with at the next start.

        Returns
        -------
        What is not in the library, and where it is kept, as a sentence; empty where all is written.
        """
        if self._journal is not None and not self.roasting:
            self.close()
        open_ones = [*self._shelved, *([self._journal] if self._journal is not None else [])]
        self._journal, self._shelved = None, []
        kept = [journal.leave() for journal in open_ones]
        waiting = [journal for journal in open_ones if journal.waits]
        if not waiting:
            return ""
        labels = ", ".join(journal.label or "that has no number yet" for journal in waiting)
        if not all(kept) or self._spill is None:
            return f"Part of batch {labels} could not be written anywhere, and is lost: is every disk full?"
        where = f"It is kept in {self._spill.folder}, and brought in at the next start."
        return f"Part of batch {labels} is not in the library. {where}"

    def weigh(self, results: Results) -> None:
        """Write scale, colour and remark of the dropped batch, and close it.

        Raises
        ------
        ValueError : if the figures cannot be; nothing is written then.
        """
        if self._journal is None or self.phase != "cooling":
            raise ValueError("There is no batch to weigh.")
        check_results(self.order.load_kg, results)
        label = self.label
        self._journal.results(results.columns)
        self._journal.status("done")
        written = self._shelve()
        self.message = (
            f"Batch {label} is saved."
            if written
            else f"Batch {label} is kept, but not in the library yet: leave Firnel open until that is told."
        )
        self._changed()

    # What comes in

    def take_reading(self, reading: Reading) -> None:
        """A reading from the machine, or keyed in."""
        t = self.log_time(reading.time)
        self._follow_controls(reading, t)
        if self.phase == "cooling" and t > self._hands.marks[MarkKind.DROP].t + AFTER_DROP_S:
            self._changed()
            return
        values = tuple(
            value if (value := reading.control(control)) is not None else self._hands.held.get(control) for control in Control
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
        row = [float(self.trace.column(name)[index]) for name in ("t", "bean", "air", "gas", "airflow", "drum")]
        self._journal.reading((*row, int(self.trace.quality_at(index))))  # type: ignore[arg-type]  # six values

    def _follow_controls(self, reading: Reading, t: float) -> None:
        """Moves that the machine reports need no key."""
        for control in Control:
            value = reading.control(control)
            if value is None or not math.isfinite(value):
                continue
            known = self._hands.held.get(control)
            self._hands.set("held", control, value)
            if known is None or abs(value - known) < 0.5 * self._step(control):
                continue
            if self.recording and self.phase != "cooling":
                self._add_move(Move(control, t, value, Found.MACHINE))

    def _look_for_charge(self) -> None:
        """The key may have been forgotten: a plunge of the probe is a charge."""
        if MarkKind.CHARGE in self._hands.marks or (charge_t := self._watch.charge(self.trace)) is None:
            return
        if not self.recording:
            shift = self._begin(BatchOrder(machine=self.machine, operator=self.order.operator), keep_s=60.0)
            charge_t -= shift
            self.message = (
                f"The beans fell in without a prepared batch: recorded as {self.label}. Name its lot when it is weighed."
            )
        else:
            self.message = "Charge found from the curve."
        self._set_mark(Mark(MarkKind.CHARGE, charge_t, self.trace.bean_at(charge_t), Found.CURVE))

    def _look_for_turning(self) -> None:
        charge = self._hands.marks.get(MarkKind.CHARGE)
        if charge is None or MarkKind.TURNING in self._hands.marks:
            return
        turning_t = self._watch.turning(self.trace, charge.t)
        if turning_t is not None:
            self._set_mark(Mark(MarkKind.TURNING, turning_t, self.trace.bean_at(turning_t), Found.CURVE))

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

    def _begin(self, order: BatchOrder, keep_s: float) -> float:
        """Begin a record, with the readings of the last seconds in it. Returns by how much log time has moved. [s]"""
        now = self.clock.now()
        kept, old = LiveTrace(), self.trace
        shift = now - keep_s - self._start
        for index in range(len(old)) if keep_s else ():
            t = float(old.column("t")[index]) - shift
            if t >= 0:
                row = (t, *(float(old.column(name)[index]) for name in ("bean", "air", "gas", "airflow", "drum")))
                kept.append(tuple(None if np.isnan(value) else value for value in row), old.quality_at(index))
        self._start = now - keep_s
        self.trace, self.order, self.run = kept, order, self.run + 1
        self._hands, self._watch, self._advising = HandHistory(held=self._hands.held), ChargeWatch(), Advising()
        if order.machine is not None and order.machine != self.machine:
            self.machine = order.machine
        if order.plan is not None:
            for control, value in order.plan.start.items():
                if control not in self._hands.held:
                    self._hands.set("held", control, value)
        started = self.clock.wall() - timedelta(seconds=keep_s / self.clock.rate)
        plan = order.plan
        row_values: dict[str, Any] = {
            "lot_id": order.lot.id if order.lot else None, "machine_id": order.machine.id if order.machine else None,
            "plan_id": plan.id if plan else None, "plan_version": plan.version if plan and plan.id is not None else None,
            "load_kg": order.load_kg, "started": started, "status": "ready", "operator": order.operator,
            "waiting_id": order.waiting_id, "clock_rate": self.clock.rate,
        }  # fmt: skip
        self._journal = self._new_journal(row_values)
        for index in range(len(kept)):
            self._write_reading(index)
        return shift

    def _new_journal(self, batch: int | dict[str, Any]) -> Journal:
        return Journal(self.library, batch, lambda: self.clock.rate, self._trouble_later, self._spill)

    def _trouble_later(self, sentence: str | None) -> None:
        """Called from the journal's thread."""
        self._post(lambda: self.report_trouble(sentence))

    def report_trouble(self, sentence: str | None) -> None:
        """The journal cannot write, or can again."""
        self.trouble = sentence
        if sentence is None and self._shelved:
            self._shelved = [journal for journal in self._shelved if journal.waits]
            if not self._shelved:
                self.message = "All is in the library now."
        self._changed()

    def _forget_old(self) -> None:
        """While idle, keep a quarter of an hour and no more."""
        if (self.trace.last_t or 0.0) - float(self.trace.column("t")[0]) < 2.0 * IDLE_MEMORY_S:
            return
        old, keep_from = self.trace, (self.trace.last_t or 0.0) - IDLE_MEMORY_S
        self.trace = LiveTrace()
        for index in np.flatnonzero(old.column("t") >= keep_from):
            row = tuple(float(old.column(name)[index]) for name in ("t", "bean", "air", "gas", "airflow", "drum"))
            self.trace.append(tuple(None if np.isnan(value) else value for value in row), old.quality_at(int(index)))
