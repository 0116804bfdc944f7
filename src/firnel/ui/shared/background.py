"""The one door for background work: the result, or the error, comes back on the GUI thread."""

from __future__ import annotations

import logging
from collections.abc import Callable
from functools import partial
from threading import Event
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, Qt, QThreadPool, pyqtSignal
from PyQt6.sip import isdeleted

log = logging.getLogger(__name__)


class Hop(QObject):
    """Brings calls from other threads to the GUI thread."""

    _called = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._called.connect(self._run, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]  # stubs lack type=

    def post(self, function: Callable[[], None]) -> None:
        """Run ``function`` soon on the GUI thread; safe from any thread."""
        self._called.emit(function)

    def _run(self, function: Callable[[], None]) -> None:
        function()


class _Carrier(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)


class _Teller(QObject):
    told = pyqtSignal(float)


class _Work(QRunnable):
    def __init__(self, function: Callable[[], Any], carrier: _Carrier) -> None:
        super().__init__()
        self._function, self._carrier = function, carrier

    def run(self) -> None:
        """Do the work; called by Qt on a thread of the pool."""
        try:
            result = self._function()
        except Exception as error:
            log.info("background work failed", exc_info=True)
            self._hand_over(self._carrier.failed, error)
            return
        self._hand_over(self._carrier.done, result)

    def _hand_over(self, signal: Any, value: Any) -> None:
        try:
            signal.emit(value)
        except RuntimeError:
            log.debug("nobody waits for this any more")  # the window that asked is gone


class Background(QObject):
    """Runs functions on a pool; only the newest job of each name is still answered."""

    def __init__(self, parent: QObject, on_error: Callable[[str], None], threads: int = 2) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(threads)
        self._on_error = on_error
        self._newest: dict[str, _Carrier] = {}
        self._cancels: list[Event] = []

    def run(
        self,
        name: str,
        function: Callable[[], Any],
        on_done: Callable[[Any], None],
        on_error: Callable[[str], None] | None = None,
    ) -> None:
        """Run ``function`` and hand its result to ``on_done``, or why there is none to ``on_error``, on the GUI thread."""
        carrier = _Carrier(self)
        self._newest[name] = carrier

        def done(result: Any) -> None:
            if self._newest.get(name) is carrier and not _gone(on_done):
                on_done(result)
            carrier.deleteLater()

        def failed(error: Exception) -> None:
            if self._newest.get(name) is carrier and not _gone(on_done):
                (on_error or self._on_error)(str(error))
            carrier.deleteLater()

        carrier.done.connect(done)
        carrier.failed.connect(failed)
        self._pool.start(_Work(function, carrier))

    def run_long(
        self,
        name: str,
        function: Callable[[Callable[[float], bool]], Any],
        on_done: Callable[[Any], None],
        on_progress: Callable[[float], None],
    ) -> Callable[[], None]:
        """Run a function that tells its progress [0..1] and asks whether to go on. Returns what cancels it."""
        cancelled = Event()
        teller = _Teller(self)
        teller.told.connect(on_progress)

        def progress(done: float) -> bool:
            teller.told.emit(done)
            return not cancelled.is_set()

        self._cancels.append(cancelled)
        self.run(name, partial(function, progress), on_done)
        return cancelled.set

    def wait(self) -> None:
        """Wait until what is running has ended; its answers come with the next events."""
        self._pool.waitForDone(10000)

    def finish(self) -> None:
        """Forget what is running, and wait for it to end."""
        self._newest.clear()
        for cancelled in self._cancels:
            cancelled.set()
        self._pool.waitForDone(5000)


def _gone(callback: Callable[..., Any]) -> bool:
    """Whether the widget that is to be told has been deleted meanwhile."""
    owner = getattr(callback, "__self__", None)
    return isinstance(owner, QObject) and isdeleted(owner)
