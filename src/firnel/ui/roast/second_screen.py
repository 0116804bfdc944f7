"""The roast in a window of its own, far: for a second screen, while the first does other work."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QGuiApplication
from PyQt6.QtWidgets import QMainWindow, QWidget

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
        self.setCentralWidget(self.roast)
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
