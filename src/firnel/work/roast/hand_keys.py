"""What the hand can do in a batch: marks, moves, notes, advice taken, and the way back."""

from __future__ import annotations

import math
from dataclasses import replace

from firnel.core.vocabulary import Control, Found, Mark, MarkKind, Move, Note
from firnel.work.roast.batch_state import BatchState


class HandKeys(BatchState):
    """The running batch with the keys of the roaster's hand."""

    def mark_next(self, at: float) -> Mark | None:
        """Set the next expected mark, at the clock time of the key-down [s]; None if none is expected."""
        kind = self.next_expected()
        return self.mark(kind, at) if kind is not None else None

    def mark(self, kind: MarkKind, at: float) -> Mark | None:
        """Set a mark at a clock time [s]; None (and a message) where it contradicts the others."""
        if not self.recording:
            self.say("No batch is running: nothing to mark.")
            return None
        t = self.log_time(at)
        mark = Mark(kind, t, self.trace.bean_at(t), Found.KEY)
        if wrong := self._contradiction(mark):
            self.say(wrong)
            return None
        with self._hands.by_hand():
            self._set_mark(mark)
        self.say("")
        return mark

    def nudge(self, seconds: float) -> None:
        """Move the last mark by some seconds."""
        own = [mark for mark in self._hands.marks.values() if mark.kind is not MarkKind.TURNING]
        if not own:
            self.say("There is no mark to nudge yet.")
            return
        last = max(own, key=lambda mark: mark.t)
        moved = replace(last, t=last.t + seconds, bean=self.trace.bean_at(last.t + seconds))
        if moved.t > self.now():
            self.say("A mark cannot lie in the future.")
            return
        if wrong := self._contradiction(moved):
            self.say(wrong)
            return
        with self._hands.by_hand():
            self._set_mark(moved)

    def undo(self) -> None:
        """Take back the last key, everywhere: what the machine reported stays."""
        undone = self._hands.undo()
        if not undone:
            self.say("Nothing to undo.")
            return
        if MarkKind.CHARGE not in self._hands.marks:
            self._hands.set("marks", MarkKind.TURNING, None)
        for change in undone:
            if change.table == "moves" and change.before is None:
                self._take_back_move(change.after)
            elif change.table == "moves":
                self._correct(change.after.control, change.after.t)
        self._rate_from_charge()
        self._watch.forget()
        self._write_hands()
        self._write_marks()
        self.say("Taken back.")

    def _take_back_move(self, move: Move) -> None:
        if move.control is not Control.DRUM:
            self.trace.forget_change(move.t)
        self._correct(move.control, move.t)

    def _correct(self, control: Control, since: float) -> None:
        """The readings since then carry a setting that never was."""
        value = self._hands.held.get(control)
        self.trace.correct(control.value, since, value)
        if self._journal is not None:
            self._journal.correct(control, since, value)

    def step_control(self, control: Control, steps: int, at: float) -> None:
        """Move a control by steps of its own scale, for a machine that does not report it."""
        scale = self.machine.controls.get(control) if self.machine else None
        if scale is None:
            self.say(f"This machine has no {control.value} to set.")
            return
        if scale.reported:
            self.say(f"The machine reports its {control.value} itself: move it there.")
            return
        current = self._hands.held.get(control, scale.low)
        self.set_control(control, scale.nearest(current + steps * scale.step), at)

    def set_control(self, control: Control, value: float, at: float) -> None:
        """Note that a control was set to a value at a clock time. [s]"""
        if not math.isfinite(value):
            self.say(f"{value} is no setting of the {control.value}.")
            return
        with self._hands.by_hand():
            if self.recording:
                self._add_move(Move(control, self.log_time(at), value, Found.KEY))
            self._hands.set("held", control, value)
        self.say("")

    def confirm_move(self, at: float) -> None:
        """Tick off the next planned move: done now. Where the machine does not report it, it is noted as made."""
        waiting = next((entry for entry in self.due() if entry.done_t is None), None)
        if waiting is None:
            self.say("No planned move is waiting.")
            return
        move = waiting.move
        with self._hands.by_hand():
            self._hands.set("done", waiting.index, self.log_time(at))
            if not self._reported(move.control):
                self._add_move(Move(move.control, self.log_time(at), move.to, Found.KEY))
                self._hands.set("held", move.control, move.to)
        self.say("")

    def note(self, kind: str, text: str, at: float, said: str | None = None) -> None:
        """A word from the trier, a remark, or something ticked; ``said`` is told in place of the usual words."""
        if not self.recording:
            self.say("No batch is running: nothing to note it on.")
            return
        with self._hands.by_hand():
            self._hands.add("notes", Note(self.log_time(at), kind, text))
        self._write_hands()
        self.say(f"Noted: {kind} {text}." if said is None else said)

    def keep_note(self, note: Note) -> None:
        """Something that no hand noted, and no undo takes back."""
        self._hands.add("notes", note)
        self._write_hands()

    def dismiss(self) -> None:
        """The planned move that was missed is not to be made any more."""
        waiting = next((entry for entry in self.due() if entry.done_t is None), None)
        if waiting is None or waiting.due_t is None or waiting.due_t > self.now():
            self.say("No move is overdue.")
            return
        with self._hands.by_hand():
            self._hands.set("done", waiting.index, self.now())
        self.say("Let go: it is not waited for any more.")

    def take_advice(self, at: float) -> None:
        """Do as advised: a planned move is to go elsewhere, or a step is made now (and noted, where nobody reports it)."""
        advice = self.advice
        if advice is None:
            self.say("There is no advice to take.")
            return
        choice = advice.choice
        if choice.move is not None:
            with self._hands.by_hand():
                self._hands.set("otherwise", choice.move, choice.to)
        elif not self._reported(choice.control):
            self.set_control(choice.control, choice.to, at)
        else:
            self.say(f"Set the {choice.control.value} at the machine: it is seen from there.")
            return
        self._advising.taken()
        self.say("Taken.")
