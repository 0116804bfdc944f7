"""The one clock of the work at the machine: it neither goes back nor stops; faster than life for a simulated roaster."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime

from firnel.core.words import tr


def elapsed() -> float:
    """Seconds since some time in the past. They go on while the computer sleeps, as the beans do: clock_gettime(2)."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


class Clock:
    """Seconds that never go backwards; the rate can be changed without a jump.

    Parameters
    ----------
    source : the time underneath. [s]
    wall : date and time of day, UTC.
    """

    def __init__(self, source: Callable[[], float] = elapsed, wall: Callable[[], datetime] = lambda: datetime.now(UTC)) -> None:
        self._source, self.wall = source, wall
        self._rate = 1.0
        self._base = self._shown = source()
        self._lock = threading.Lock()

    @property
    def rate(self) -> float:
        """Clock seconds per second of life."""
        return self._rate

    def now(self) -> float:
        """Clock time. [s]"""
        with self._lock:
            return self._shown + (self._source() - self._base) * self._rate

    def run_by(self, source: Callable[[], float], wall: Callable[[], datetime] | None = None) -> None:
        """Run by another time from now on, as it counts: for pictures, and where time is wound on."""
        with self._lock:
            self._source = source
            self._base = self._shown = source()
        if wall is not None:
            self.wall = wall

    def set_rate(self, rate: float) -> None:
        """Run ``rate`` times as fast from now on.

        Raises
        ------
        ValueError : if the rate is not positive.
        """
        if not rate > 0:
            raise ValueError(tr("a clock cannot run at {} times the speed of life.", rate))
        with self._lock:
            source = self._source()
            self._shown += (source - self._base) * self._rate
            self._base, self._rate = source, rate
