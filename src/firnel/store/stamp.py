"""Whether anything was written into the file of a library since it was last looked at."""

from __future__ import annotations

import os
import sqlite3
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

Value = TypeVar("Value")
#: How often the file was opened, its data version, device and number; equal ones: nothing was committed in between.
Stamp = tuple[int, int, int, int]


class FileStamp:
    """Asks SQLite for its count of what all others committed, in this process and in others.

    PRAGMA data_version (https://www.sqlite.org/pragma.html#pragma_data_version) compares only within one connection: this
    one stays open, reads nothing else and holds no lock.
    """

    def __init__(self, path: Path) -> None:
        self._path, self._lock = path, threading.Lock()
        self._connection: sqlite3.Connection | None = None
        self._opened = 0
        self._held: dict[str, tuple[Stamp, tuple[Any, ...]]] = {}

    def now(self) -> Stamp | None:
        """The stamp; None where it cannot be told, and then it is to be read anew."""
        with self._lock:
            try:
                if self._connection is None:
                    there = f"{self._path.absolute().as_uri()}?mode=rw"  # one that is gone is not made anew
                    self._connection = sqlite3.connect(there, uri=True, check_same_thread=False, timeout=0.0)
                    self._opened += 1  # of another connection the same version says nothing
                [(version,)] = self._connection.execute("PRAGMA data_version").fetchall()
                found = os.stat(self._path)
            except (sqlite3.Error, OSError):
                self._end()
                return None
            return self._opened, int(version), found.st_dev, found.st_ino

    def held(self, name: str, read: Callable[[], list[Value]]) -> list[Value]:
        """What was read under a name, read again only where something was written since.

        Parameters
        ----------
        read : gives values that nobody changes, in a list.
        """
        stamp = self.now()  # before it is read: what is written meanwhile is read the next time
        if stamp is None:
            return read()
        known = self._held.get(name)
        if known is None or known[0] != stamp:
            self._held[name] = known = (stamp, tuple(read()))
        return list(known[1])

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None
