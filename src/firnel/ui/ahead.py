"""Views are made before anybody looks at them, while hands and beans rest."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QCursor

#: So long hands have rested before a view is made, which holds the window for some tenths of a second. [ms]
REST_MS = 1500


class Ahead(QObject):
    """Makes one view after the other, so that a first look at it finds it there.

    Parameters
    ----------
    parent : the window, with which this ends.
    names : of the views.
    make : makes one of them, if it is not there yet.
    rested : whether the window can be held for a moment, as far as others than the mouse know.
    """

    def __init__(
        self, parent: QObject, names: Iterable[str], make: Callable[[str], object], rested: Callable[[], bool]
    ) -> None:
        super().__init__(parent)
        self._left, self._make, self._rested = list(names), make, rested
        self._at = QCursor.pos()
        self._timer = QTimer(self)
        self._timer.setInterval(REST_MS)
        self._timer.timeout.connect(self._look)

    def begin(self) -> None:
        """Wait for the first rest."""
        self._at = QCursor.pos()
        self._timer.start()

    def stop(self) -> None:
        """Make no more of them."""
        self._timer.stop()

    @property
    def left(self) -> tuple[str, ...]:
        """The views that are still to be made."""
        return tuple(self._left)

    def _look(self) -> None:
        before, self._at = self._at, QCursor.pos()
        if self._left and before == self._at and self._rested():
            self._make(self._left.pop(0))
        if not self._left:
            self._timer.stop()
