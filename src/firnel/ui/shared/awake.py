"""While beans are in the drum the screen stays lit and the computer awake, lid shut or not.

The desktop is asked by a process of its own (`firnel.ui.shared.holder`): a bus that does not answer keeps no window waiting,
and whatever ends either process lets go.
"""

from __future__ import annotations

import logging
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QElapsedTimer, QObject

from firnel.core.words import tr

log = logging.getLogger(__name__)
#: No longer than any batch lasts: one that nobody ended keeps no shut computer awake in a bag. [ms]
LONGEST_MS = 3_600_000


def has_bus(variable: str, usual: Path) -> bool:
    """Whether there is a bus to ask: one is never started for this."""
    return bool(os.environ.get(variable)) or usual.exists()


def has_session() -> bool:
    """Whether there is a desktop to ask."""
    return has_bus("DBUS_SESSION_BUS_ADDRESS", Path(os.environ.get("XDG_RUNTIME_DIR", "/nowhere"), "bus"))


def has_system() -> bool:
    """Whether there is a log-in manager to ask."""
    return has_bus("DBUS_SYSTEM_BUS_ADDRESS", Path("/run/dbus/system_bus_socket"))


def start_holder(why: str) -> subprocess.Popen[bytes] | None:
    """The process that holds both as long as it runs; None where nobody can be asked, or none can be started."""
    if not (has_session() or has_system()):
        return None
    try:
        return subprocess.Popen(
            [sys.executable, "-m", "firnel.ui.shared.holder", why],
            stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
    except OSError as error:
        log.info("not held awake: %s", error)
        return None


class Awake(QObject):
    """Holds screen and computer awake.

    Where nobody can be asked (no bus, another desktop) nothing is held: a batch's clock goes on through a sleep all the same.

    Parameters
    ----------
    parent : the window.
    start : what starts the process that holds them.
    """

    def __init__(self, parent: QObject, start: Callable[[str], subprocess.Popen[bytes] | None] = start_holder) -> None:
        super().__init__(parent)
        self._start, self._held, self._since = start, False, QElapsedTimer()
        self._holder: subprocess.Popen[bytes] | None = None

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
        if held:
            self._holder = self._start(tr("Beans are in the drum"))
        else:
            self.let_go()

    def let_go(self) -> None:
        """End the process, which lets go of both."""
        holder, self._holder = self._holder, None
        if holder is not None:
            holder.kill()  # it has nothing to write
            if holder.stdin is not None:
                holder.stdin.close()
            holder.wait()
