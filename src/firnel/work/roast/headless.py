"""A batch without a window: marks found from the readings, each cue told once when it falls due."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from firnel.core.mark_finding import find_drop
from firnel.core.units import Units
from firnel.core.vocabulary import Found, Mark, MarkKind
from firnel.work.roast.advice_words import advice_sentence, warnings_of
from firnel.work.roast.cue import move_sentence, when_sentence
from firnel.work.roast.session import RoastSession

#: The drop is looked for so often, and taken when it lies at least this far back. [s]
LOOK_EVERY_S, BACK_S = 2.0, 8.0
#: A break of the curve: rates over so long before and behind it differ by so much. [s], [degC/min]
BEFORE_S, BEHIND_S, BREAK_RATE = 20.0, 10.0, 9.0
#: A drop that is overdue by this was not seen. [s]
OVERDUE_S = 90.0


class Headless:
    """Watches a session: sets the marks that nobody presses, and tells what falls due.

    Parameters
    ----------
    session : being fed with readings.
    tell : called with each event as a document: ``event`` is mark, cue, advice or warning; ``t`` counts from charge.
    """

    def __init__(self, session: RoastSession, tell: Callable[[dict[str, Any]], None]) -> None:
        self._session, self._tell = session, tell
        self._units = Units()
        self._marks: set[MarkKind] = set()
        self._cues: set[int] = set()
        self._said: set[str] = set()
        self._looked_t = 0.0

    @property
    def dropped(self) -> bool:
        """Whether the beans have left the drum."""
        return MarkKind.DROP in self._session.marks

    def look(self) -> None:
        """After each reading: find marks, tell what is new."""
        self._find_marks()
        self._tell_marks()
        charge = self._session.marks.get(MarkKind.CHARGE)
        if charge is not None and not self.dropped:
            self._tell_cues(charge.t)
            self._tell_words(charge.t)

    def _find_marks(self) -> None:
        session = self._session
        level, machine = session.trace.level, session.machine
        charge, last = session.marks.get(MarkKind.CHARGE), session.trace.last_t
        if charge is None or level is None or machine is None or last is None or MarkKind.TURNING not in session.marks:
            return
        for kind, reading in ((MarkKind.YELLOW, machine.yellow_c), (MarkKind.FIRST_CRACK, machine.first_crack_c)):
            if session.next_expected() is kind and level >= reading:
                session.find(Mark(kind, last, session.trace.bean_at(last), Found.CURVE))
        if session.next_expected() is not MarkKind.DROP or last - self._looked_t < LOOK_EVERY_S:
            return
        self._looked_t = last
        crack = session.marks[MarkKind.FIRST_CRACK]
        t, bean, air = (session.trace.column(name) for name in ("t", "bean", "air"))
        drop_t = find_drop(t, bean, charge.t, air)
        if drop_t is None or not crack.t + 5.0 < drop_t <= last - BACK_S:
            drop_t = self._break(crack.t)
        expected = session.expected().get(MarkKind.DROP, last)
        if drop_t is None and last > expected + OVERDUE_S:
            drop_t = expected  # nobody leaves beans in so long: it was not seen
        if drop_t is not None:
            session.find(Mark(MarkKind.DROP, drop_t, session.trace.bean_at(drop_t), Found.CURVE))

    def _break(self, crack_t: float) -> float | None:
        """Where the bean curve breaks in development though no hand has moved: an empty drum heats up, or cools, at once."""
        session = self._session
        t, bean = session.trace.column("t"), session.trace.column("bean")
        moment = float(t[-1]) - BEHIND_S
        before, behind = (t >= moment - BEFORE_S) & (t <= moment), t >= moment
        # What a hand does as late as that does not show yet.
        moved = any(moment - BEFORE_S < move.t < moment - 3.0 for move in session.moves)
        if moved or moment < crack_t + BEFORE_S or before.sum() < 5 or behind.sum() < 4:
            return None
        first, second = (60.0 * float(np.polyfit(t[part], bean[part], 1)[0]) for part in (before, behind))
        return moment if abs(second - first) > BREAK_RATE else None

    def _tell_marks(self) -> None:
        marks = self._session.marks
        charge = marks.get(MarkKind.CHARGE)
        for kind, mark in sorted(marks.items(), key=lambda pair: pair[1].t):
            if kind not in self._marks and charge is not None:
                self._marks.add(kind)
                bean = None if mark.bean is None else round(mark.bean, 1)
                self._tell({"event": "mark", "mark": kind.value, "t": round(mark.t - charge.t, 1), "bean": bean})

    def _tell_cues(self, charge_t: float) -> None:
        session, now = self._session, self._session.now()
        for entry in session.due():
            if entry.index in self._cues or entry.due_t is None or now < entry.due_t:
                continue
            self._cues.add(entry.index)
            move = entry.move
            self._tell({
                "event": "cue", "t": round(now - charge_t, 1), "due_t": round(entry.due_t - charge_t, 1),
                "control": move.control.value, "to": move.to, "anchor": move.anchor.value,
                "text": f"{move_sentence(entry, self._units, session.machine)} {when_sentence(move, self._units)}",
            })  # fmt: skip
        drop_t = session.expected().get(MarkKind.DROP)
        if session.phase == "development" and drop_t is not None and now >= drop_t and -1 not in self._cues:
            self._cues.add(-1)
            self._tell({"event": "cue", "t": round(now - charge_t, 1), "due_t": round(drop_t - charge_t, 1), "text": "Drop"})

    def _tell_words(self, charge_t: float) -> None:
        said = [("warning", sentence) for _, sentence in warnings_of(self._session, self._units)]
        if advice := advice_sentence(self._session, self._units):
            said.append(("advice", advice))
        for event, sentence in said:
            # Figures in it change each second; the same words are told once.
            key = "".join(character for character in sentence if not character.isdigit())
            if key not in self._said:
                self._said.add(key)
                self._tell({"event": event, "t": round(self._session.now() - charge_t, 1), "text": sentence})
