"""Ends are clean: Ctrl-C, a request to end and a closed terminal all lead through the same door, with all written."""

from __future__ import annotations

import logging
import os
import signal
import socket
import sys
from collections.abc import Callable
from contextlib import suppress
from multiprocessing import active_children
from types import FrameType
from typing import TYPE_CHECKING, NoReturn

if TYPE_CHECKING:
    from PyQt6.QtCore import QObject

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class EndedError(SystemExit):
    """The process was asked to end: what is open is closed on the way out."""


_asked: list[int] = []


def leave(code: int) -> None:
    """End the process at once, whatever still computes; all that is to be kept is written."""
    for child in active_children():
        child.terminate()
    logging.shutdown()
    for stream in (sys.stdout, sys.stderr):
        with suppress(BrokenPipeError):  # nobody reads it any more
            stream.flush()
    os._exit(code)


def through(run: Callable[[], int | None]) -> NoReturn:
    """Run, and end the process with what comes of it.

    One that has had a window is left at once: at Python's own end Qt's objects go in any order, and now and then one is asked
    for that is gone already, which crashes.
    """
    try:
        code: object = run()
    except SystemExit as ended:
        code = ended.code
    if "PyQt6.QtWidgets" in sys.modules and (code is None or isinstance(code, int)):
        leave(code or 0)
    sys.exit(code)  # type: ignore[arg-type]  # as it was raised


def leave_if_asked() -> None:
    """Leave now if the process was asked to: what is raised inside one of Qt's calls goes no further than that call."""
    if _asked:
        raise EndedError(128 + _asked[0])


def end_on_signals(end: Callable[[], object] | None = None) -> None:
    """Call ``end`` when the process is asked to end; leave through every ``finally`` where it is None. A second one insists."""

    def asked(number: int, _frame: FrameType | None) -> None:
        for again in SIGNALS:
            signal.signal(again, signal.SIG_DFL)
        _asked.append(number)
        if end is None:
            raise EndedError(128 + number)
        end()

    for number in SIGNALS:
        signal.signal(number, asked)


def wake_qt_on_signals(parent: QObject) -> None:
    """Let Python see its signals at once though Qt is waiting for events."""
    from PyQt6.QtCore import QSocketNotifier
    from PyQt6.sip import voidptr

    ours, theirs = socket.socketpair()
    for end in (ours, theirs):
        end.setblocking(False)
    signal.set_wakeup_fd(theirs.fileno(), warn_on_full_buffer=False)
    notifier = QSocketNotifier(voidptr(ours.fileno()), QSocketNotifier.Type.Read, parent)
    notifier.activated.connect(lambda: ours.recv(64))

    def gone() -> None:
        signal.set_wakeup_fd(-1)
        ours.close()
        theirs.close()

    parent.destroyed.connect(gone)


def end_with_parent(end: Callable[[], object]) -> None:
    """Call ``end`` once the process that started this one is gone: it holds the other side of our standard input."""
    import threading

    def wait() -> None:
        while os.read(sys.stdin.fileno(), 4096):  # past its buffer, whose lock Python would wait for at its end
            continue
        end()

    threading.Thread(target=wait, name="parent", daemon=True).start()
