"""What the hand can do in a batch: marks, moves, notes, advice taken, and the way back.

A key never does in silence what it may not have meant: a mark that cannot be yet is asked back in a word, Space says what it
took, and one key makes it the other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from firnel.core.mark_finding import find_charge, find_turning
from firnel.core.settling import Became, Settled
from firnel.core.vocabulary import (
    EXPECTED_MARKS,
    USUAL_CONTROLS,
    Control,
    Found,
    Mark,
    MarkKind,
    Move,
    Note,
    Quality,
    Role,
    usual_role,
    word_of,
)
from firnel.core.words import capital, tr
from firnel.work.roast.batch_state import BatchState
from firnel.work.roast.mark_doubts import Meant, doubt_of, means_space
from firnel.work.roast.mark_watch import levels_of, reached
from firnel.work.roast.plan_thread import is_late, next_move, pending

#: A key again within this time is one key; one that was asked back is meant within that. [s]
BOUNCE_S, ASKED_S = 0.8, 8.0
#: The other meaning of Space can be taken for so long. [s]
OTHER_S = 45.0
#: A mark that was picked for nudging stays picked for so long. [s]
PICKED_S = 20.0
LONE_POP = "outlier"
#: A reading by hand further than this from where the last ones point is asked back; typed again within that, it stands.
#: [K], [K/s], [s]; so long after the charge the probe plunges. [s]
DOUBT_C, DOUBT_RATE, DOUBTED_S, PLUNGING_S = 12.0, 0.35, 30.0, 120.0


@dataclass
class _Press:
    """The last Space: when, what it set, and what else it may have meant."""

    at: float
    mark: Mark
    other: Mark | None


class HandKeys(BatchState):
    """The running batch with the keys of the roaster's hand."""

    _asked: tuple[MarkKind, float] | None = None
    _press: _Press | None = None
    _picked: tuple[MarkKind, float] | None = None
    _keyed_t: float = float("-inf")
    _doubted: tuple[float, float] | None = None
    _chosen: Control | None = None

    # Marks

    def space(self, at: float) -> Mark | None:
        """The one key that marks: what it means at that clock time [s] is what the window says it means."""
        if not self.recording:
            self.say(tr("No batch is running: nothing to mark."))
            return None
        meant = means_space(self)
        if meant is None:
            self.say(tr("All marks are set."))
            return None
        if self._press is not None and abs(at - self._press.at) < BOUNCE_S:
            self.say(tr("Space once: {} is marked.", self._press.mark.kind.words))
            return None
        t = self.log_time(at)
        mark = self._mark_of(meant, t)
        set_mark = self._set_by_hand(mark, at)
        if set_mark is not None:
            other = Mark(meant.other, t, self.trace.bean_at(t), Found.KEY) if meant.other is not None else None
            if other is None and mark.t != t:
                other = replace(mark, t=t, bean=self.trace.bean_at(t), found=Found.KEY)
            self._press = _Press(at, set_mark, other)
            self.say(_took(meant, self.now() - mark.t))
        return set_mark

    def mark_next(self, at: float) -> Mark | None:
        """Set the next expected mark, at the clock time of the key-down [s]; None if none is expected."""
        kind = self.next_expected()
        return self.mark(kind, at) if kind is not None else None

    def mark(self, kind: MarkKind, at: float) -> Mark | None:
        """Set a mark at a clock time [s]; None (and a message) where it contradicts the others or is asked back."""
        if not self.recording:
            self.say(tr("No batch is running: nothing to mark."))
            return None
        t = self.log_time(at)
        mark = self._set_by_hand(Mark(kind, t, self.trace.bean_at(t), Found.KEY), at)
        if mark is not None:
            self.say("")
        return mark

    def other(self) -> None:
        """The last Space meant the other thing."""
        press = self._press
        if press is None or press.other is None or self.clock.now() - press.at > OTHER_S:
            self.say(tr("There is nothing that Space could have meant otherwise."))
            return
        wanted, first = press.other, press.mark
        rest = [m for m in self._hands.marks.values() if m.kind not in (first.kind, wanted.kind)]
        if wrong := self._contradiction(wanted, rest):
            self.say(wrong)
            return
        asked, now = self._asked, self.clock.now()
        again = asked is not None and asked[0] is wanted.kind and now - asked[1] <= ASKED_S
        if (doubt := doubt_of(self, wanted)) and not again:
            self._asked = (wanted.kind, now)
            self.say(tr("{} O again, if so.", doubt))
            return
        with self._hands.by_hand():
            self._hands.set("marks", first.kind, None)
            filled = self._hands.marks.get(wanted.kind)
            if filled is not None:
                self._hands.set("marks", wanted.kind, None)
            self._set_mark(wanted)
        self._press = _Press(press.at, wanted, first)
        ago = self.now() - wanted.t
        then = tr(", {:.0f} s ago", ago) if ago > 2 else ""
        self.say(tr("{} it was{}. O: {} after all.", capital(wanted.kind.words), then, first.kind.words))

    def _mark_of(self, meant: Meant, t: float) -> Mark:
        if meant.found is not None:
            return meant.found.mark
        return Mark(meant.kind, t, self.trace.bean_at(t), Found.KEY)

    def _set_by_hand(self, mark: Mark, at: float) -> Mark | None:
        """Set a mark that a hand wants, unless it contradicts the others, or cannot be yet and was not asked back already."""
        if wrong := self._contradiction(mark):
            self.say(wrong)
            return None
        asked = self._asked
        again = asked is not None and asked[0] is mark.kind and BOUNCE_S <= at - asked[1] <= ASKED_S
        if mark.kind in (MarkKind.FIRST_CRACK_END, MarkKind.SECOND_CRACK) and MarkKind.FIRST_CRACK not in self.reckoned:
            self.say(tr("{}? First crack is not marked yet: Space marks it.", capital(mark.kind.words)))
            return None
        doubt = doubt_of(self, mark)
        if doubt and not again:
            self._asked = (mark.kind, at) if asked is None or at - asked[1] >= BOUNCE_S else asked
            self.say(tr("{} Again, if so.", doubt))
            return None
        self._asked = None
        with self._hands.by_hand():
            self._fill_before(mark)
            self._set_mark(mark)
        return mark

    def _fill_before(self, mark: Mark) -> None:
        """Marks that this one presumes and nobody has set: taken as they were found, and never as set by a hand."""
        order = list(EXPECTED_MARKS)
        last = order.index(mark.kind) if mark.kind in order else order.index(MarkKind.DROP)
        for kind in order[1:last]:
            if kind in self._hands.marks or mark.kind is MarkKind.TURNING:
                continue
            offer = self._found.offers.get(kind)
            found = offer.mark if offer is not None else self._from_reading(kind)
            if found is not None and not self._contradiction(found, [*self._hands.marks.values(), mark]):
                self._hands.set("marks", kind, found)

    def _from_reading(self, kind: MarkKind) -> Mark | None:
        t = reached(self, levels_of(self, kind)[0])
        return Mark(kind, t, self.trace.bean_at(t), Found.CURVE) if t is not None else None

    def decline(self) -> bool:
        """The mark that stands offered has not come yet. False where none is offered."""
        meant = means_space(self)
        offers = self._found.offers
        kind = meant.kind if meant is not None and meant.kind in offers else next(reversed(offers), None)
        if kind is None or self.now() - offers[kind].since < BOUNCE_S:
            return False
        self._found.decline(kind, self.now())
        self.say(tr("{}: not yet. Space marks it when it comes.", capital(kind.words)))
        return True

    @property
    def picked(self) -> MarkKind | None:
        """The mark that a nudge moves: the one that was picked, else the last."""
        own = [mark for mark in self._hands.marks.values() if mark.kind is not MarkKind.TURNING]
        if not own:
            return None
        if self._picked is not None and self._picked[0] in self._hands.marks and self.clock.now() - self._picked[1] < PICKED_S:
            return self._picked[0]
        return max(own, key=lambda mark: mark.t).kind

    def pick(self) -> None:
        """Pick the mark before the one that is picked, and the last one after the first."""
        own = sorted((m for m in self._hands.marks.values() if m.kind is not MarkKind.TURNING), key=lambda m: m.t)
        kind = self.picked
        if kind is None:
            self.say(tr("There is no mark to pick yet."))
            return
        fresh = self._picked is None or self.clock.now() - self._picked[1] >= PICKED_S
        kinds = [mark.kind for mark in own]
        chosen = kinds[(kinds.index(kind) - (0 if fresh and len(kinds) == 1 else 1)) % len(kinds)]
        self._picked = (chosen, self.clock.now())
        self.say(tr("Picked: {}. , and . nudge it.", chosen.words))

    def nudge(self, seconds: float) -> None:
        """Move the picked mark, or the last, by some seconds."""
        kind = self.picked
        if kind is None:
            self.say(tr("There is no mark to nudge yet."))
            return
        known = self._hands.marks[kind]
        moved = replace(known, t=known.t + seconds, bean=self.trace.bean_at(known.t + seconds))
        if moved.t > self.now():
            self.say(tr("A mark cannot lie in the future."))
            return
        if wrong := self._contradiction(moved):
            self.say(wrong)
            return
        if self._picked is not None:
            self._picked = (self._picked[0], self.clock.now())
        with self._hands.by_hand():
            self._set_mark(moved)

    # The way back

    def undo(self) -> None:
        """Z: what stands offered is not so; else take back the last key, everywhere: what the machine reported stays."""
        if self.decline():
            return
        last = self._hands.last_t
        if self._drop_reading(last):
            return
        undone = self._hands.undo()
        if not undone:
            self.say(tr("Nothing to undo."))
            return
        self._press = None
        if MarkKind.CHARGE not in self._hands.marks:
            self._hands.set("marks", MarkKind.TURNING, None)
        for change in undone:
            if change.table == "moves" and change.before is None:
                self._take_back_move(change.after)
            elif change.table == "moves":
                self._correct(change.after.control, change.after.t)
        seen = self._charge_seen()
        self._rate_from_charge()
        self._watch.forget()
        self._found.look(self)
        self._write_hands()
        self._write_marks()
        self.say(
            tr("Taken back. The readings show the beans fall in: that stands as the charge.") if seen else tr("Taken back.")
        )

    def _charge_seen(self) -> bool:
        """A charge that was taken back, though the probe plunged: the beans are in the drum, whoever says so."""
        if MarkKind.CHARGE in self._hands.marks or not self.recording:
            return False
        charge_t = find_charge(self.trace.column("t"), self.trace.sound_bean())
        if charge_t is None:
            return False
        self._set_mark(Mark(MarkKind.CHARGE, charge_t, self.trace.bean_at(charge_t), Found.CURVE))
        turning_t = find_turning(self.trace.column("t"), self.trace.sound_bean(), charge_t)
        if turning_t is not None:
            self._set_mark(Mark(MarkKind.TURNING, turning_t, self.trace.bean_at(turning_t), Found.CURVE))
        return True

    def _drop_reading(self, since: float) -> bool:
        """The last reading by hand is taken back, where it is younger than every other key."""
        index = len(self.trace) - 1
        if index < 0 or not self.trace.quality_at(index) & Quality.HAND or self._keyed_t <= since:
            return False
        value = float(self.trace.column("bean")[index])
        self._strike_reading(index)
        self._keyed_t = self._last_keyed_t()
        self.say(tr("The reading of {:.0f} °C is taken back.", value))
        return True

    def doubt_reading(self, bean: float) -> str:
        """A question where a keyed reading lies far from its neighbours; empty where it may stand, or was typed again."""
        expected, spread = self._expected_reading()
        asked = self._doubted
        if expected is None or abs(bean - expected) <= spread:
            self._doubted = None
            return ""
        now = self.clock.now()
        if asked is not None and abs(asked[0] - bean) < 0.5 and now - asked[1] <= DOUBTED_S:
            self._doubted = None
            return ""
        self._doubted = (bean, now)
        return tr("{:.0f} °C? {:.0f} °C expected. Type it again, if so.", bean, expected)

    def _expected_reading(self) -> tuple[float | None, float]:
        """What the display should show now by the readings before, and by how much it may be otherwise. [degC]"""
        charge = self._hands.marks.get(MarkKind.CHARGE)
        t, bean = self.trace.column("t"), self.trace.column("bean")
        known = [i for i in range(len(t)) if math.isfinite(bean[i]) and (charge is None or t[i] >= charge.t)]
        if len(known) < 3 or charge is None or self.now() - charge.t < PLUNGING_S:
            return None, 0.0
        one, two = known[-2], known[-1]
        rate = (bean[two] - bean[one]) / max(t[two] - t[one], 1.0)
        ahead = self.now() - t[two]
        return float(bean[two] + rate * ahead), DOUBT_C + DOUBT_RATE * ahead

    def _strike_reading(self, index: int) -> None:
        """A reading by hand that was wrong: it stands for nothing any more, in the record too."""
        t = float(self.trace.column("t")[index])
        self.trace.strike(index)
        if self._journal is not None:
            self._journal.strike(t)
        self._rate_from_charge()

    def _last_keyed_t(self) -> float:
        bean = self.trace.column("bean")
        for index in range(len(self.trace) - 1, -1, -1):
            if self.trace.quality_at(index) & Quality.HAND and math.isfinite(bean[index]):
                return self.clock.now() - (self.now() - float(self.trace.column("t")[index]))
        return float("-inf")

    def _take_back_move(self, move: Move) -> None:
        if usual_role(move.control) is not Role.MOTION:
            self.trace.forget_change(move.t)
        self._correct(move.control, move.t)

    def _correct(self, control: Control, since: float) -> None:
        """The readings since then carry a setting that never was."""
        value = self._hands.held.get(control)
        self.trace.correct(control, since, value)
        if self._journal is not None:
            self._journal.correct(control, since, value)

    # Moves

    @property
    def chosen(self) -> Control:
        """The control that the arrows up and down move: the main heat until another is chosen."""
        own = self.machine.controls if self.machine is not None else {}
        return self._chosen if self._chosen is not None and self._chosen in own else self.main_of(Role.HEAT)

    def main_of(self, role: Role) -> Control:
        """The machine's main control of a role; the usual one where it has none."""
        usual = dict(zip(Role, USUAL_CONTROLS, strict=True))[role]
        return next(iter(self.machine.of(role)), usual) if self.machine is not None else usual

    def choose_control(self) -> None:
        """Choose the next control in the machine's own order, for the arrows up and down."""
        own = list(self.machine.controls) if self.machine is not None else []
        if not own:
            self.say(tr("No machine is known: it has no controls to choose from."))
            return
        at = own.index(self.chosen) if self.chosen in own else -1
        self._chosen = own[(at + 1) % len(own)]
        word = word_of(self._chosen, self.machine)
        self.say(tr("Up and Down: {}{}.", word, tr(", as the machine reports it") if self._reported(self._chosen) else ""))

    def type_setting(self, text: str, at: float) -> None:
        """A setting that was typed: a figure for the chosen control, or a name and a figure."""
        name, _, figure = text.strip().rpartition(" ")
        machine = self.machine
        control: Control | None = self.chosen
        if name and machine is not None:
            words = name.strip().lower()
            control = next(
                (c for c in machine.controls if words in (str(c), c.replace("_", " "), machine.word(c).lower())), None
            )
            close = [c for c in machine.controls if machine.word(c).lower().startswith(words)]
            control = control or (close[0] if len(close) == 1 else None)
        scale = machine.controls.get(control) if machine is not None and control is not None else None
        if control is None or scale is None:
            has = ", ".join(machine.word(c) for c in machine.controls) if machine is not None else tr("no controls")
            self.say(tr("{} is no control of this machine; it has {}.", name or tr("That"), has))
            return
        try:
            to = float(figure.replace(",", "."))
        except ValueError:
            self.say(tr("{!r} is no setting of the {}.", figure, word_of(control, machine)))
            return
        if not scale.low <= to <= scale.high:
            self.say(
                tr(
                    "The {} goes from {:g} to {:g} {}, not to {:g}.",
                    word_of(control, machine),
                    scale.low,
                    scale.high,
                    scale.unit,
                    to,
                )
            )
            return
        if scale.reported:
            self.say(tr("The machine reports its {} itself: move it there.", word_of(control, machine)))
            return
        self.set_control(control, to, at)
        self.say(tr("{} {:g} {}.", capital(word_of(control, machine)), to, scale.unit))

    def step_control(self, control: Control, steps: int, at: float) -> None:
        """Move a control by steps of its own scale, for a machine that does not report it."""
        scale = self.machine.controls.get(control) if self.machine else None
        if scale is None:
            self.say(tr("This machine has no {} to set.", control.words))
            return
        if scale.reported:
            self.say(tr("The machine reports its {} itself: move it there.", word_of(control, self.machine)))
            return
        current = self._hands.held.get(control, scale.low)
        self.set_control(control, scale.nearest(current + steps * scale.step), at)

    def set_control(self, control: Control, value: float, at: float) -> None:
        """Note that a control was set to a value at a clock time. [s]"""
        if not math.isfinite(value):
            self.say(tr("{} is no setting of the {}.", value, word_of(control, self.machine)))
            return
        same = self._hands.held.get(control) == value
        with self._hands.by_hand():
            self._hands.set("held", control, value)
            if self.recording and not same:
                self._add_move(Move(control, self.log_time(at), value, Found.KEY))
        self.say("")

    def confirm_move(self, at: float) -> None:
        """Tick off the next planned move: done now. Where the machine does not report it, it is noted as made."""
        waiting = next_move(self)
        if waiting is None:
            self.say(tr("No planned move is waiting."))
            return
        move, t = waiting.move, self.log_time(at)
        with self._hands.by_hand():
            if not self._reported(move.control):
                self._hands.set("held", move.control, move.to)
                self._add_move(Move(move.control, t, move.to, Found.KEY))
            self._hands.set("settled", waiting.index, Settled(Became.MADE, t))
        self._write_hands()
        self.say("")

    def dismiss(self) -> None:
        """The planned move that was missed is not to be made any more."""
        overdue = [entry for entry in pending(self) if entry.due_t is not None and entry.due_t <= self.now()]
        if not overdue:
            self.say(tr("No move is overdue."))
            return
        late = [entry for entry in overdue if is_late(self, entry)]
        waiting = late[-1] if late else overdue[0]
        with self._hands.by_hand():
            self._hands.set("settled", waiting.index, Settled(Became.LET_GO, self.now()))
        self._write_hands()
        self.say(tr("Let go: it is not waited for any more."))

    def take_advice(self, at: float) -> None:
        """Do as advised: a planned move is to go elsewhere, or a step is made now (and noted, where nobody reports it)."""
        advice = self.advice
        if advice is None:
            self.say(tr("There is no advice to take."))
            return
        choice = advice.choice
        if choice.move is not None:
            with self._hands.by_hand():
                self._hands.set("otherwise", choice.move, choice.to)
        elif not self._reported(choice.control):
            self.set_control(choice.control, choice.to, at)
        else:
            self.say(tr("Set the {} at the machine: it is seen from there.", word_of(choice.control, self.machine)))
            return
        self._advising.taken()
        self.say(tr("Taken."))

    # Words

    def note(self, kind: str, text: str, at: float, said: str | None = None) -> None:
        """A word from the trier, a remark, or something ticked; ``said`` is told in place of the usual words."""
        if not self.recording:
            self.say(tr("No batch is running: nothing to note it on."))
            return
        with self._hands.by_hand():
            self._hands.add("notes", Note(self.log_time(at), kind, text))
        self._write_hands()
        self.say(tr("Noted: {} {}.", kind, text) if said is None else said)

    def lone_pop(self, at: float) -> None:
        """A pop that does not count: noted, and nothing else changes."""
        self.note(LONE_POP, tr("a lone pop"), at, said=tr("A lone pop is noted; first crack is still to come."))

    def keep_note(self, note: Note) -> None:
        """Something that no hand noted, and no undo takes back."""
        self._hands.add("notes", note)
        self._write_hands()


def _took(meant: Meant, ago: float) -> str:
    """What Space took, and what one key makes of it."""
    word = capital(meant.kind.words)
    if meant.found is not None:
        return tr("{} taken as found, {:.0f} s ago. O: it is now.", word, ago)
    return tr("Taken as {}. O: it was {}.", meant.kind.words, meant.other.words) if meant.other is not None else ""
