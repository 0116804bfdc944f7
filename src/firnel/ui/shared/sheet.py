"""What opens over the window to be filled in: as large as what stands in it, and on a small screen it scrolls."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QDialog, QFrame, QScrollArea, QVBoxLayout, QWidget


class Sheet(QDialog):
    """A dialog whose widgets stand ``inside``; never larger than the screen that it opens on.

    Parameters
    ----------
    title : of the window.
    wide, high : how large it would like to be at least. [px]
    """

    def __init__(self, title: str, parent: QWidget, wide: int = 0, high: int = 0) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._wanted: QSize | None = QSize(wide, high)
        self.inside = QWidget()
        area = QScrollArea()
        area.setObjectName("bare")
        area.setAccessibleName(title)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setWidget(self.inside)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Take the room that is wanted, as far as the screen has it; afterwards it is the user's to size."""
        screen = self.screen()
        if self._wanted is not None and screen is not None:
            self.resize(self.inside.sizeHint().expandedTo(self._wanted).boundedTo(screen.availableGeometry().size()))
            self._wanted = None
        super().showEvent(event)
