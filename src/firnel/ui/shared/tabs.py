"""Pages behind a row of quiet tabs."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from firnel.ui.shared.parts import button
from firnel.ui.theme.tokens import SPACE_S


class Tabs(QWidget):
    """A row of tabs, and under it the page of the chosen one."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        self._row = QHBoxLayout()
        self._row.setContentsMargins(6, 0, 6, 0)
        self._row.setSpacing(18)
        self._row.addStretch(1)
        column.addLayout(self._row)
        self._group, self._pages = QButtonGroup(self), QStackedWidget()
        self._group.idClicked.connect(self.choose)
        column.addWidget(self._pages, 1)

    def add(self, name: str, page: QWidget) -> None:
        """Put a page behind a tab of that name."""
        number = self._pages.count()
        tab = button(name)
        tab.setObjectName("tab")
        tab.setCheckable(True)
        tab.setChecked(number == 0)
        self._group.addButton(tab, number)
        self._row.insertWidget(number, tab)
        self._pages.addWidget(page)

    def choose_named(self, name: str) -> bool:
        """Show the page behind the tab of that name; False where there is none."""
        for number, tab in enumerate(self._group.buttons()):
            if tab.text() == name:
                self.choose(number)
                return True
        return False

    @property
    def shown(self) -> int:
        """The number of the page that is shown."""
        return self._pages.currentIndex()

    def choose(self, number: int) -> None:
        """Show the page of that number."""
        tab = self._group.button(number)
        if tab is not None:
            tab.setChecked(True)
            self._pages.setCurrentIndex(number)
            self.chosen.emit(number)
