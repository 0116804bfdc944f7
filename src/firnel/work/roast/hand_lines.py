"""What a hand does, told in lines: the same keys as the window's, for a batch that is driven from outside."""

from __future__ import annotations

import re
from collections.abc import Callable

from firnel.core.units import Units, parse_clock
from firnel.core.vocabulary import USUAL_CONTROLS, MarkKind, Quality
from firnel.core.words import tr
from firnel.devices.reading import Reading
from firnel.work.desk import Desk
from firnel.work.roast.session import RoastSession

#: Marks by the word they are told with.
MARKS = {kind.value: kind for kind in MarkKind if kind is not MarkKind.TURNING}
#: So much of what cannot be done is told back. [letters]
TOLD = 40
PLAIN = Units()
_APART = re.compile(r"\s+(?=[-+.\d])")  # between two figures, and not before the unit of one


class HandLineError(ValueError):
    """A line that says nothing a hand could do."""


class HandLines:
    """Does what lines say.

    Parameters
    ----------
    desk : whose session it is.
    """

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.abandoned = ""  #: why the batch was ended otherwise

    def do(self, line: str, at: float) -> str:
        """Do what a line says, at a clock time [s]; what the window would say to it.

        ``mark KIND``, ``charged M:SS`` (so long ago), ``space``, ``other``, ``not yet``, ``undo``, ``done``, ``take``,
        ``let go``, ``pop``, ``set NAME VALUE``, ``reading BEAN [AIR]``, ``note KIND TEXT``, ``abandon WHY``.

        Raises
        ------
        HandLineError : if it says nothing that can be done.
        """
        session = self._desk.session
        word, _, rest = line.strip().partition(" ")
        rest = rest.strip()
        plain: dict[str, Callable[[], object]] = {
            "space": lambda: session.space(at),
            "other": session.other,
            "undo": session.undo,
            "done": lambda: session.confirm_move(at),
            "take": lambda: session.take_advice(at),
            "pop": lambda: session.lone_pop(at),
        }
        session.message = ""
        if word in plain and not rest:
            plain[word]()
        elif line.strip() == "let go":
            session.dismiss()
        elif line.strip() == "not yet":
            if not session.decline():
                session.say(tr("No mark is offered."))
        elif word == "mark" and rest in MARKS:
            session.mark(MARKS[rest], at)
        elif word == "charged":
            session.charged_ago(_seconds(rest))
        elif word == "abandon":
            self.abandoned = rest or "other"
            session.abandon(self.abandoned)
        elif word == "set":
            self._set(session, rest, at)
        elif word == "reading":
            self._reading(rest, at)
        elif word == "note" and " " in rest:
            kind, _, text = rest.partition(" ")
            session.note(kind, text.strip(), at)
        else:
            raise HandLineError(tr("{!r} is not something that a hand does.", _short(line.strip())))
        return session.message

    def _set(self, session: RoastSession, rest: str, at: float) -> None:
        name, _, value = rest.partition(" ")
        machine = session.machine
        own = list(machine.controls) if machine is not None else list(USUAL_CONTROLS)
        controls = {str(control): control for control in own}
        if machine is not None:
            controls |= {machine.word(control): control for control in own}
            controls = {"heat": machine.main_heat, "air": machine.main_air} | controls
        control = controls.get(name.lower())
        if control is None or session.machine is None or control not in session.machine.controls:
            raise HandLineError(tr("This machine has no {!r} to set.", _short(name)))
        scale = session.machine.controls[control]
        to = _figure(value, scale.unit)
        if not scale.low <= to <= scale.high:
            raise HandLineError(tr("{} goes from {:g} to {:g} {}, not to {}.", name, scale.low, scale.high, scale.unit, value))
        if scale.reported:
            raise HandLineError(tr("The machine reports its {} itself: move it there.", name))
        session.set_control(control, to, at)

    def _reading(self, rest: str, at: float) -> None:
        figures = [_figure(part, "°C") for part in _APART.split(rest)]
        if not 1 <= len(figures) <= 2 or not all(0.0 <= figure <= 400.0 for figure in figures):
            raise HandLineError(tr("{!r} is no bean reading, nor one with the air beside it [°C].", _short(rest)))
        session = self._desk.session
        if question := session.doubt_reading(figures[0]):
            session.say(question)
            return
        self._desk.take_reading(Reading(at, figures[0], figures[1] if len(figures) > 1 else None, quality=Quality.HAND))


def _short(text: str) -> str:
    return text if len(text) <= TOLD else f"{text[:TOLD]}…"


def _seconds(text: str) -> float:
    try:
        seconds = parse_clock(text)
    except ValueError:
        seconds = None
    if seconds is None:
        raise HandLineError(tr("{!r} is no time, such as 6:30.", _short(text)))
    return seconds


def _figure(text: str, unit: str) -> float:
    """In this unit, or with its own behind it."""
    try:
        return PLAIN.typed(text, unit)
    except ValueError:
        raise HandLineError(tr("{!r} is no figure.", _short(text))) from None
