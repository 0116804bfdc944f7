"""The one door for background work: the result, or the error, comes back on the GUI thread."""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Callable
from functools import partial
from itertools import count
from threading import Event
from typing import Any

from PyQt6.QtCore import QCoreApplication, QEvent, QObject, QRunnable, QThreadPool
from PyQt6.sip import isdeleted

log = logging.getLogger(__name__)


class Hop(QObject):
    """Brings calls from other threads to the GUI thread.

    The calls wait in Python and Qt is only woken: a call that Qt itself held, as a queued signal to a function does, could
    outlive what Python has collected of it.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._calls: deque[Callable[[], None]] = deque()

    def post(self, function: Callable[[], None]) -> None:
        """Run ``function`` soon on the GUI thread; safe from any thread.

        Raises
        ------
        RuntimeError : if the window that it belongs to is gone.
        """
        self._calls.append(function)
        QCoreApplication.postEvent(self, QEvent(QEvent.Type.User))

    def customEvent(self, event: QEvent | None) -> None:
        """One call for each time that Qt was woken."""
        if self._calls:
            self._calls.popleft()()


class _Work(QRunnable):
    def __init__(
        self, function: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None], hop: Hop
    ) -> None:
        super().__init__()
        self._function, self._done, self._failed, self._hop = function, done, failed, hop

    def run(self) -> None:
        """Do the work; called by Qt on a thread of the pool."""
        try:
            told = partial(self._done, self._function())
        except Exception as error:
            log.info("background work failed", exc_info=True)
            told = partial(self._failed, error)
        _post(self._hop, told)


def _post(hop: Hop, function: Callable[[], None]) -> None:
    try:
        hop.post(function)
    except RuntimeError:
        log.debug("nobody waits for this any more")  # the window that asked is gone


#: So long what runs may still take when it is to finish. [ms]
PATIENCE_MS = 5000
_LEFT: list[QThreadPool] = []  # those that did not


class Background(QObject):
    """Runs functions on a pool; only the newest job of each name is still answered."""

    def __init__(self, parent: QObject, on_error: Callable[[str], None], threads: int = 2) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(threads)
        self._on_error = on_error
        self._hop = Hop(self)
        self._newest: dict[str, int] = {}
        self._jobs = count()
        self._cancels: list[Event] = []

    def run(
        self,
        name: str,
        function: Callable[[], Any],
        on_done: Callable[[Any], None],
        on_error: Callable[[str], None] | None = None,
    ) -> None:
        """Run ``function`` and hand its result to ``on_done``, or why there is none to ``on_error``, on the GUI thread."""
        job = self._newest[name] = next(self._jobs)

        def done(result: Any) -> None:
            if self._newest.get(name) == job and not _gone(on_done):
                on_done(result)

        def failed(error: Exception) -> None:
            if self._newest.get(name) == job and not _gone(on_done):
                (on_error or self._on_error)(str(error))

        self._pool.start(_Work(function, done, failed, self._hop))

    def run_long(
        self,
        name: str,
        function: Callable[[Callable[[float], bool]], Any],
        on_done: Callable[[Any], None],
        on_progress: Callable[[float], None],
        on_error: Callable[[str], None] | None = None,
    ) -> Callable[[], None]:
        """Run a function that tells its progress [0..1] and asks whether to go on. Returns what cancels it."""
        cancelled = Event()

        def told(done: float) -> None:
            if name in self._newest and not _gone(on_progress):
                on_progress(done)

        def progress(done: float) -> bool:
            _post(self._hop, partial(told, done))
            return not cancelled.is_set()

        self._cancels.append(cancelled)
        self.run(name, partial(function, progress), on_done, on_error)
        return cancelled.set

    def forget(self, name: str) -> None:
        """What runs under this name is not answered any more."""
        self._newest.pop(name, None)

    def wait(self) -> None:
        """Wait until what is running has ended; its answers come with the next events."""
        self._pool.waitForDone(10000)

    def finish(self) -> None:
        """Forget what is running, and wait for it to end."""
        self._newest.clear()
        for cancelled in self._cancels:
            cancelled.set()
        if not self._pool.waitForDone(PATIENCE_MS):
            _LEFT.append(self._pool)


def left_running() -> bool:
    """Whether something that was to finish computes all the same: Python would wait for it at its end, with all locked."""
    return any(pool.activeThreadCount() for pool in _LEFT)


def _gone(callback: Callable[..., Any]) -> bool:
    """Whether the widget that is to be told has been deleted meanwhile."""
    owner = getattr(callback, "__self__", None)
    return isinstance(owner, QObject) and isdeleted(owner)
