"""What the window may want of a view that its rail leads to."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget


class Station(QWidget):
    """A view. Each does of it what it has a use for."""

    begin_wanted = pyqtSignal()  #: the beginning, where nothing stands yet
    refused = pyqtSignal(str)  #: the library does not answer

    def read(self) -> None:
        """Show what the library holds."""

    def search_for(self, text: str) -> None:
        """Show what goes by this name."""

    def show_link(self) -> None:
        """The link to the machine stands otherwise."""

    def end(self) -> None:
        """Let go of what outlives no window."""
