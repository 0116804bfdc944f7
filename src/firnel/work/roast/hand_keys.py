"""What the hand can do in a batch beside its marks: moves, notes, readings, advice taken, and the way back."""

from __future__ import annotations

import math
import re
from dataclasses import replace

from firnel.core.mark_finding import find_charge, find_turning
from firnel.core.settling import Advised, Became, Settled
from firnel.core.units import Units, parse_clock
from firnel.core.vocabulary import (
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
from firnel.work.roast.mark_keys import MarkKeys
from firnel.work.roast.plan_thread import is_late, next_move, pending

LONE_POP = "outlier"
#: A name, and a figure with its unit; either may be left out.
_TYPED = re.compile(r"\s*(?P<name>(?:.*?\s)?)(?P<figure>[-+−]?[\d.,:]+\s*[^\d\s]*)\s*")
#: A reading by hand further than this from where the last ones point is asked back; typed again within that, it stands.
#: [K], [K/s], [s]; so long after the charge the probe plunges. [s]
DOUBT_C, DOUBT_RATE, DOUBTED_S, PLUNGING_S = 12.0, 0.35, 30.0, 120.0


class HandKeys(MarkKeys):
    """The running batch with the keys of the roaster's hand."""

    _keyed_t: float = float("-inf")
    _doubted: tuple[float, float] | None = None
    _chosen: Control | None = None

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
        return tr("{:.0f} °C? {:.0f} °C expected. If so, type it again.", bean, expected)

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
        """What was typed: a figure for the chosen control, a name and a figure, or how long ago the beans fell in."""
        typed = _TYPED.fullmatch(text)
        name, figure = (typed["name"], typed["figure"]) if typed else text.strip().rpartition(" ")[::2]
        name = name.strip()
        machine = self.machine
        if name.lower() in ("charge", MarkKind.CHARGE.words.lower()):
            self._type_charge(figure)
            return
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
            to = Units().typed(figure, scale.unit)
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

    def _type_charge(self, ago: str) -> None:
        try:
            seconds = parse_clock(ago)
        except ValueError:
            seconds = None
        if seconds is None:
            self.say(tr("{!r} is no time, such as 6:30.", ago))
        else:
            self.charged_ago(seconds)

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
        plan = self.adjusted_plan
        if choice.move is not None and plan is not None:
            with self._hands.by_hand():
                moved = replace(plan.moves[choice.move], to=choice.to)
                self._hands.set("advised", choice.move, Advised(self.log_time(at), moved))
                self._adopt(choice.then)
            self._write_hands()
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
