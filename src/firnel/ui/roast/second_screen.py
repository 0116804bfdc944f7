"""The roast in a window of its own, far: for a second screen, while the first does other work."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QGuiApplication
from PyQt6.QtWidgets import QFrame, QMainWindow, QScrollArea, QWidget

from firnel.core.words import tr
from firnel.ui.roast.view import RoastView
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk


class SecondScreen(QMainWindow):
    """Shows the same batch as the first window, and takes the same keys."""

    closed = pyqtSignal()

    def __init__(self, desk: Desk, look: Look, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Firnel: roast"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.roast = RoastView(desk, look)
        self.roast.own_window_wanted.connect(self.close)
        area = QScrollArea()  # for a screen that is smaller than the view
        area.setObjectName("bare")
        area.setAccessibleName(tr("View"))
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setWidget(self.roast)
        self.setCentralWidget(area)
        self.resize(1280, 800)
        self.roast.set_far(True)
        others = [screen for screen in QGuiApplication.screens() if screen is not parent.screen()]
        if others:
            self.setGeometry(others[0].availableGeometry())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Let go of what calls back."""
        self.roast.stop()
        self.closed.emit()
        super().closeEvent(event)
