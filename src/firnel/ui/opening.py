"""The window while it is being made: its frame, and what is being opened. There before anything slow is loaded."""

from __future__ import annotations

from PyQt6.QtCore import QEventLoop, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QWidget

from firnel.core.words import tr
from firnel.ui.theme.look import Look, sans
from firnel.ui.theme.tokens import RAIL_WIDTH, WINDOW

#: So many times, and so long each time, what the screen has to say is waited for. [ms]
LOOKS, LOOK_MS = 20, 10


class Opening(QWidget):
    """Stands where the window will stand, until that is painted.

    Parameters
    ----------
    name : of what is opened.
    look : the theme.
    """

    def __init__(self, name: str, look: Look) -> None:
        super().__init__()
        self._look, self._words = look, tr("Opening {} …", name)
        self.seen = False
        self.setWindowTitle("Firnel")
        self.setAccessibleName(self._words)
        self.resize(*WINDOW)

    def show_now(self, application: QApplication) -> None:
        """Show it, and wait until it is painted: but no longer than a fifth of a second."""
        self.show()
        for _ in range(LOOKS):
            application.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents, LOOK_MS)
            if self.seen:
                return

    def say(self, words: str, application: QApplication) -> bool:
        """Say something else for now; False once it was closed."""
        self._words = words
        self.setAccessibleName(words)
        self.update()
        application.processEvents()
        return self.isVisible()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Rail, ground and words."""
        painter, palette = QPainter(self), self._look.palette
        painter.fillRect(self.rect(), QColor(palette.paper))
        painter.fillRect(QRectF(0.0, 0.0, RAIL_WIDTH, self.height()), QColor(palette.rail))
        painter.setFont(sans(22, QFont.Weight.Bold))
        painter.setPen(QColor(palette.rail_text))
        painter.drawText(QRectF(0.0, 14.0, RAIL_WIDTH, 34.0), Qt.AlignmentFlag.AlignCenter, "firnel")
        painter.setFont(sans(17))
        painter.setPen(QColor(palette.soft))
        painter.drawText(self.rect().adjusted(RAIL_WIDTH, 0, 0, 0), Qt.AlignmentFlag.AlignCenter, self._words)
        painter.end()
        self.seen = True
