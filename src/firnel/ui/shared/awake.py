"""While beans are in the drum the screen stays lit and the computer awake, lid shut or not."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QElapsedTimer, QMetaType, QObject

from firnel.core.words import tr

if TYPE_CHECKING:
    from PyQt6.QtDBus import QDBusConnection, QDBusMessage, QDBusPendingCallWatcher

log = logging.getLogger(__name__)
WHO = "Firnel"
#: Whom the screen is asked of: the Idle Inhibition Service of freedesktop.org.
SCREEN = ("org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver")
#: Whom sleep is asked of, and what is not to happen: systemd's Inhibitor Lock API. Each for itself: the lid may be refused.
LOGIN = ("org.freedesktop.login1", "/org/freedesktop/login1", "org.freedesktop.login1.Manager")
NOT_NOW = ("sleep:idle", "handle-lid-switch")
#: No longer than any batch lasts: one that nobody ended keeps no shut computer awake in a bag. [ms]
LONGEST_MS = 3_600_000


class Awake(QObject):
    """Holds screen and computer awake; both let go by themselves where this process ends.

    Where nobody can be asked (no bus, another desktop) nothing is held: a batch's clock goes on through a sleep all the same.

    Parameters
    ----------
    parent : the window.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._held, self._since = False, QElapsedTimer()
        self._cookie: int | None = None  #: what the screen is held by
        self._locks: list[Any] = []  #: sleep is held as long as these are kept

    def hold(self, held: bool) -> None:
        """Hold both, for `LONGEST_MS` at most, or let both go."""
        if not held:
            self._since.invalidate()
        elif not self._since.isValid():
            self._since.start()
        held = held and not self._since.hasExpired(LONGEST_MS)
        if held == self._held:
            return
        self._held = held
        if not held:
            self._let_go()
            return
        from PyQt6.QtDBus import QDBusConnection  # not wanted before beans are in the drum

        why = tr("Beans are in the drum")
        if _has_bus("DBUS_SESSION_BUS_ADDRESS", Path(os.environ.get("XDG_RUNTIME_DIR", "/nowhere"), "bus")):
            self._ask(QDBusConnection.sessionBus(), _call(*SCREEN, "Inhibit", WHO, why), self._on_screen)
        if _has_bus("DBUS_SYSTEM_BUS_ADDRESS", Path("/run/dbus/system_bus_socket")):
            for what in NOT_NOW:
                self._ask(QDBusConnection.systemBus(), _call(*LOGIN, "Inhibit", what, WHO, why, "block"), self._on_sleep)

    def _ask(self, bus: QDBusConnection, message: QDBusMessage, answered: Callable[[QDBusPendingCallWatcher], None]) -> None:
        """Ask without waiting for the answer."""
        from PyQt6.QtDBus import QDBusPendingCallWatcher

        if not bus.isConnected():
            log.info("nobody to ask on the bus: %s", bus.lastError().message())
            return
        watcher = QDBusPendingCallWatcher(bus.asyncCall(message), self)
        watcher.finished.connect(answered)

    def _on_screen(self, watcher: QDBusPendingCallWatcher) -> None:
        self._cookie = self._answer(watcher)
        if not self._held:
            self._let_go()

    def _on_sleep(self, watcher: QDBusPendingCallWatcher) -> None:
        self._locks.append(self._answer(watcher))
        if not self._held:
            self._let_go()

    def _answer(self, watcher: QDBusPendingCallWatcher) -> Any:
        from PyQt6.QtDBus import QDBusPendingReply

        reply = QDBusPendingReply(watcher)
        watcher.deleteLater()
        if reply.isError():
            log.info("not held awake: %s", reply.error().message())
            return None
        return reply.argumentAt(0)

    def _let_go(self) -> None:
        self._locks.clear()
        if self._cookie is None:
            return
        from PyQt6.QtDBus import QDBusArgument, QDBusConnection

        cookie = QDBusArgument(self._cookie, QMetaType.Type.UInt.value)  # type: ignore[call-overload]
        QDBusConnection.sessionBus().asyncCall(_call(*SCREEN, "UnInhibit", cookie))
        self._cookie = None


def _has_bus(variable: str, usual: Path) -> bool:
    """Whether there is a bus to ask: one is never started for this."""
    return bool(os.environ.get(variable)) or usual.exists()


def _call(service: str, path: str, interface: str, name: str, *arguments: object) -> QDBusMessage:
    from PyQt6.QtDBus import QDBusMessage

    message = QDBusMessage.createMethodCall(service, path, interface, name)
    message.setArguments(list(arguments))
    return message
