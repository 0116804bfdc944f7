"""Views are made, and read anew, before anybody looks at them, while hands and beans rest."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QCursor

#: So long hands have rested before a view is made, which holds the window for some tenths of a second. [ms]
REST_MS = 1500


class Ahead(QObject):
    """Does one thing after the other that somebody would wait for later.

    Parameters
    ----------
    parent : the window, with which this ends.
    upcoming : what to do next; None while there is nothing.
    rested : whether the window can be held for a moment, as far as others than the mouse know.
    """

    def __init__(
        self, parent: QObject, upcoming: Callable[[], Callable[[], object] | None], rested: Callable[[], bool]
    ) -> None:
        super().__init__(parent)
        self._upcoming, self._rested = upcoming, rested
        self._at = QCursor.pos()
        self._timer = QTimer(self)
        self._timer.setInterval(REST_MS)
        self._timer.timeout.connect(self._look)

    def begin(self) -> None:
        """Wait for the first rest."""
        self._at = QCursor.pos()
        self._timer.start()

    def stop(self) -> None:
        """Do no more."""
        self._timer.stop()

    def _look(self) -> None:
        before, self._at = self._at, QCursor.pos()
        if before == self._at and self._rested() and (deed := self._upcoming()) is not None:
            deed()
