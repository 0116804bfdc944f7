"""Holds screen and computer awake while it runs, and ends with the process that started it: ``python -m … WHY``."""

from __future__ import annotations

import os
import signal
import sys
import threading
from collections.abc import Callable

from PyQt6.QtCore import QCoreApplication
from PyQt6.QtDBus import QDBusConnection, QDBusMessage, QDBusPendingCallWatcher, QDBusPendingReply

from firnel.ui.shared.awake import has_session, has_system

WHO = "Firnel"
#: Whom the screen is asked of: the Idle Inhibition Service of freedesktop.org.
SCREEN = ("org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver")
#: Whom sleep is asked of, and what is not to happen: systemd's Inhibitor Lock API. Each for itself: the lid may be refused.
LOGIN = ("org.freedesktop.login1", "/org/freedesktop/login1", "org.freedesktop.login1.Manager")
NOT_NOW = ("sleep:idle", "handle-lid-switch")
#: A bus that has not let us in by then never will. [s]
PATIENCE_S = 20


def main(why: str) -> int:
    """Ask, and hold what was granted until the parent goes."""
    signal.alarm(PATIENCE_S)  # the system's own end: joining a bus may wait without one
    threading.Thread(target=_end_with_parent, name="parent", daemon=True).start()
    application, kept = QCoreApplication(sys.argv[:1]), list[object]()
    if has_session():
        _ask(QDBusConnection.sessionBus(), (*SCREEN, "Inhibit"), [WHO, why], kept.append)
    if has_system():
        for what in NOT_NOW:
            _ask(QDBusConnection.systemBus(), (*LOGIN, "Inhibit"), [what, WHO, why, "block"], kept.append)
    signal.alarm(0)
    return application.exec()


def _ask(bus: QDBusConnection, whom: tuple[str, str, str, str], words: list[str], keep: Callable[[object], None]) -> None:
    """Ask, and keep what is answered: a lock is held as long as it is kept, the screen while this process is on the bus."""
    if not bus.isConnected():
        return
    message = QDBusMessage.createMethodCall(*whom)
    message.setArguments(words)
    watcher = QDBusPendingCallWatcher(bus.asyncCall(message), QCoreApplication.instance())
    watcher.finished.connect(lambda done: keep(QDBusPendingReply(done).argumentAt(0)))


def _end_with_parent() -> None:
    """The parent holds the other side of our standard input."""
    while os.read(sys.stdin.fileno(), 4096):
        continue
    os._exit(0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
