"""Pages behind a row of quiet tabs."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.theme.tokens import SPACE_S


class TabBar(QTabBar):
    """Quiet tabs, all of them in sight; one stop for the Tab key, arrows go along them."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("tabs")
        self.setAccessibleName(tr("Pages"))
        self.setDrawBase(False)
        self.setExpanding(False)
        self.setUsesScrollButtons(False)
        self.setElideMode(Qt.TextElideMode.ElideNone)
        self.setCursor(Qt.CursorShape.PointingHandCursor)


class Shown(QStackedWidget):
    """Pages one at a time; those behind it ask for no room."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(self.updateGeometry)

    def minimumSizeHint(self) -> QSize:
        """That of the page that is shown."""
        page = self.currentWidget()
        return page.minimumSizeHint().expandedTo(page.minimumSize()) if page is not None else QSize(0, 0)


class Tabs(QWidget):
    """A row of tabs, and under it the page of the chosen one.

    Parameters
    ----------
    left : where the first begins: over what its page begins with. [px]
    """

    chosen = pyqtSignal(int)

    def __init__(self, left: int = 6) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        row = QHBoxLayout()
        row.setContentsMargins(left, 0, 6, 0)
        self.bar, self._pages = TabBar(), Shown()
        row.addWidget(self.bar)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self._pages, 1)
        self.bar.currentChanged.connect(self.choose)

    def add(self, name: str, page: QWidget) -> None:
        """Put a page behind a tab of that name."""
        self._pages.addWidget(page)
        self.bar.addTab(name)

    def choose_named(self, name: str) -> bool:
        """Show the page behind the tab of that name; False where there is none."""
        for number in range(self.count):
            if self.bar.tabText(number) == name:
                self.choose(number)
                return True
        return False

    @property
    def count(self) -> int:
        """How many pages there are."""
        return self._pages.count()

    @property
    def shown(self) -> int:
        """The number of the page that is shown."""
        return self._pages.currentIndex()

    def choose(self, number: int) -> None:
        """Show the page of that number."""
        if 0 <= number < self.count:
            self.bar.blockSignals(True)  # it would choose once more
            self.bar.setCurrentIndex(number)
            self.bar.blockSignals(False)
            self._pages.setCurrentIndex(number)
            self.chosen.emit(number)
