"""Being one station among others: heard of each second, hearing of the others, on a thread of its own."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from firnel import __version__
from firnel.core.plan import Plan, PlanCurve, shifted_curve
from firnel.core.vocabulary import FloatArray, Mark, MarkKind
from firnel.core.words import tr
from firnel.store.floor_book import NameTakenError, Running, Station
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.server import hurry
from firnel.store.writing import LibraryError, LibraryWriteError

log = logging.getLogger(__name__)

#: The stations are asked about this often; a server that does not answer for longer is told as silent. [s]
BEAT_S, PATIENCE_S = 1.0, 1.5
#: The clocks are compared this often; further apart than this is told. [s]
CLOCK_EVERY_S, CLOCK_OFF_S = 30.0, 2.0


@dataclass(frozen=True)
class Seen:
    """A batch that another station roasts: bean probe [degC] over log time [s], marks, and the plan moved along with them."""

    running: Running
    t: FloatArray = field(default_factory=lambda: np.empty(0))
    bean: FloatArray = field(default_factory=lambda: np.empty(0))
    marks: tuple[Mark, ...] = ()
    curve: PlanCurve | None = None
    plan: str = ""

    @property
    def charge_t(self) -> float | None:
        """When it was charged, in log time. [s]"""
        return next((mark.t for mark in self.marks if mark.kind is MarkKind.CHARGE), None)


@dataclass(frozen=True)
class Floor:
    """All stations as one of them sees them. ``clock_off_s`` is how far this computer's clock is ahead of the server's. [s]"""

    answers: bool = True
    stations: tuple[Station, ...] = ()
    batches: tuple[Seen, ...] = ()
    clock_off_s: float = 0.0
    wrong: str = ""  #: what keeps this one from being a station of its own name

    @property
    def clock_words(self) -> str:
        """What is to be said of this computer's clock; empty where it goes right."""
        if abs(self.clock_off_s) <= CLOCK_OFF_S:
            return ""
        side = tr("ahead of") if self.clock_off_s > 0 else tr("behind")
        return tr("This computer's clock is {:.0f} s {} the server's: set it, or times are wrong.", abs(self.clock_off_s), side)


@dataclass
class _Course:
    """What is known of a batch already, so that only what is new is asked for."""

    last: int = -1
    t: list[float] = field(default_factory=list)
    bean: list[float] = field(default_factory=list)
    marks: tuple[Mark, ...] = ()
    plan: Plan | None = None


class StationWatch:
    """Knows the floor.

    Parameters
    ----------
    library : on a server.
    me : name of this station and who works at it, as they are set now.
    tell : called with the floor each time it was looked at, from the watch's own thread.
    """

    def __init__(self, library: Library, me: Callable[[], tuple[str, str]], tell: Callable[[Floor], None]) -> None:
        self._library, self._me, self._tell = library, me, tell
        self._ended = threading.Event()
        self._courses: dict[int, _Course] = {}
        self._floor = Floor()
        self._compared = float("-inf")
        self._named = ""
        self.curves_wanted = False  #: whether somebody looks at the curves
        self._thread = threading.Thread(target=self._run, name="stations", daemon=True)

    def begin(self) -> None:
        """Be heard of from now on."""
        self._thread.start()

    def end(self) -> None:
        """Leave: the others are told."""
        self._ended.set()
        self._thread.join(2.0 * PATIENCE_S)

    def _run(self) -> None:
        hurry(PATIENCE_S)
        while not self._ended.is_set():
            try:
                self._floor = self.look()
            except LibraryError as error:
                log.info("the stations cannot be heard: %s", error)
                self._floor = replace(self._floor, answers=False)
            self._tell(self._floor)
            self._ended.wait(BEAT_S)
        try:
            if self._named:
                self._library.floor_book.leave(self._named)
        except LibraryError as error:
            log.info("the station could not take its leave: %s", error)

    def look(self) -> Floor:
        """Be heard of once, and hear of the others.

        Raises
        ------
        LibraryError : if the server does not answer.
        """
        book, (name, who), wrong = self._library.floor_book, self._me(), ""
        if self._named not in ("", name):
            book.leave(self._named)
        try:
            book.beat(name, who, __version__)
            self._named = name
        except NameTakenError as error:
            self._named, wrong = "", str(error)
        except LibraryWriteError as error:  # read only, full, no right to: what follows tells whether it answers at all
            self._named, wrong = "", str(error)
        off = self._floor.clock_off_s
        if time.monotonic() - self._compared > CLOCK_EVERY_S:
            off = self._compare()
        own = Owner.here().text
        others = [one for one in book.running() if one.owner != own]
        for key in set(self._courses) - {one.key for one in others}:
            del self._courses[key]
        seen = tuple(self._seen(one) if self.curves_wanted else Seen(one) for one in others)
        return Floor(True, tuple(book.stations()), seen, off, wrong)

    def _compare(self) -> float:
        """How far this computer's clock is ahead of the server's, the way there and back halved. [s]"""
        before = time.time()
        there = self._library.floor_book.now().timestamp()
        off = 0.5 * (before + time.time()) - there
        self._compared = time.monotonic()
        if self._named:
            self._library.floor_book.keep_clock(self._named, round(off, 3))
        return off

    def _seen(self, running: Running) -> Seen:
        known = self._courses.get(running.key)
        if known is None:
            known = self._courses[running.key] = _Course(plan=self._library.plan_book.used_by(running.key))
        rows, marks = self._library.floor_book.course(running.key, known.last)
        for place, t, bean in rows:
            known.last = place
            known.t.append(t)
            known.bean.append(np.nan if bean is None else bean)
        known.marks = marks
        now = known.t[-1] if known.t else 0.0
        curve = shifted_curve(known.plan, marks, now) if known.plan is not None else None
        name = known.plan.name if known.plan is not None else ""
        return Seen(running, np.array(known.t), np.array(known.bean), marks, curve, name)
