"""What all drivers with a thread of their own share: they never die, come back by themselves, and tell how the link stands."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Mapping

from firnel.core.vocabulary import Control
from firnel.core.words import capital, tr
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, LinkStatus, OnReading, OnStatus, QualityWatch, Reading

log = logging.getLogger(__name__)

#: Pauses between attempts to connect; the last one is kept. [s]
PAUSES = (0.5, 1.0, 2.0, 4.0, 8.0)
#: Readings that come faster than this are thinned out: more than a roast, a screen and a disk can use. [s of life]
LEAST_APART_S = 0.015
#: A link that was live and brings nothing for so long is silent. [s of life]
SILENT_S = 12.0


class LinkBrokenError(Exception):
    """The link cannot be opened, or broke; the message is for the user."""


class ThreadedSource:
    """Reads in a thread of its own until it is stopped.

    A driver fills in `_read_on`: it opens the link and hands up readings until it breaks.

    Parameters
    ----------
    title : what is read, in words.
    clock : stamps the readings.
    name : of the thread.
    reads : the probes and controls that it brings.
    """

    def __init__(self, title: str, clock: Clock, name: str, reads: tuple[str, ...]) -> None:
        self.title, self._clock, self._name, self.reads = title, clock, name, reads
        self.units: Mapping[Control, str] = {}
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._watch = QualityWatch()
        self._on_reading: OnReading | None = None
        self._on_status: OnStatus | None = None
        self._state: LinkState | None = None
        self._handed_up = 0.0
        self._failures = 0

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Begin to read."""
        self._stop.clear()
        self._on_reading, self._on_status, self._state, self._failures = on_reading, on_status, None, 0
        self._thread = threading.Thread(target=self._run, name=self._name, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End; returns when the thread is gone."""
        self._stop.set()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join()
        self._thread = None

    def _read_on(self) -> None:
        """Open the link and hand up readings until `stopped`, or until it breaks.

        Raises
        ------
        LinkBrokenError : in words for the user. Any other error is told as such, and the link is opened anew.
        """
        raise NotImplementedError(f"{type(self).__name__} reads nothing.")

    @property
    def stopped(self) -> bool:
        """Whether it is to end."""
        return self._stop.is_set()

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._read_on()
            except LinkBrokenError as error:
                self._tell(LinkState.LOST, str(error), again=True)
            except Exception as error:
                log.exception("a driver stumbled")
                what = f"{type(error).__name__}: {error}".splitlines()[0][:120]
                self._tell(
                    LinkState.LOST,
                    tr("{} sent something that cannot be understood ({}). Firnel tries again.", self._beginning, what),
                    again=True,
                )
            self._stop.wait(PAUSES[min(self._failures, len(PAUSES) - 1)])
            self._failures += 1

    @property
    def _beginning(self) -> str:
        return capital(self.title)

    def _tell(self, state: LinkState, sentence: str, again: bool = False) -> None:
        """Tell how the link stands, once for each state, or each time where ``again`` says so."""
        if (again or state is not self._state) and self._on_status is not None:
            self._state = state
            self._on_status(LinkStatus(state, sentence))

    def _hand_up(self, reading: Reading) -> None:
        """One reading has come: the link is live."""
        self._failures = 0
        now = time.monotonic()
        if self._state is LinkState.LIVE and now - self._handed_up < LEAST_APART_S:
            return
        self._handed_up = now
        self._tell(LinkState.LIVE, tr("Reading {}.", self.title))
        if self._on_reading is not None:
            self._on_reading(self._watch.judge(reading))

    def _look_whether_silent(self) -> None:
        """Nothing has come: after a while that is told."""
        if self._state is LinkState.LIVE and time.monotonic() - self._handed_up > SILENT_S:
            self._tell(LinkState.SILENT, tr("{} has sent nothing for {:.0f} s. The batch goes on.", self._beginning, SILENT_S))
