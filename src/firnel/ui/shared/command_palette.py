"""Find any lot, plan, batch, machine or action by typing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from firnel.core.words import tr


@dataclass(frozen=True)
class Entry:
    """Something that can be found and done."""

    text: str
    kind: str
    act: Callable[[], object]


class CommandPalette(QFrame):
    """Comes up over the window; Enter does the entry that is marked.

    Parameters
    ----------
    parent : window it lies over.
    entries : called at each opening for what can be found.
    search : called with what is typed for batches that the library finds.
    """

    def __init__(
        self, parent: QWidget, entries: Callable[[], Sequence[Entry]], search: Callable[[str], Sequence[Entry]]
    ) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self.setFixedSize(640, 420)
        self._entries, self._search = entries, search
        self._known: Sequence[Entry] = ()
        self._shown: list[Entry] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        self._line = QLineEdit()
        self._line.setAccessibleName(tr("Find"))
        self._line.setPlaceholderText(tr("Find a lot, plan, batch, machine or action"))
        self._list = QListWidget()
        self._list.setAccessibleName(tr("Found"))
        self._list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(self._line)
        column.addWidget(self._list, 1)
        self._line.textChanged.connect(self._on_text)
        self._line.returnPressed.connect(self._act)
        self._list.itemClicked.connect(self._on_clicked)
        self.hide()

    def open(self) -> None:
        """Come up, empty."""
        parent = self.parentWidget()
        if parent is not None:
            self.move((parent.width() - self.width()) // 2, 90)
        self._known = self._entries()
        self._line.clear()
        self._on_text("")
        self.show()
        self.raise_()
        self._line.setFocus(Qt.FocusReason.OtherFocusReason)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the mark, Escape closes."""
        if event is None:
            return
        row, last = self._list.currentRow(), self._list.count() - 1
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        elif event.key() == Qt.Key.Key_Down:
            self._list.setCurrentRow(min(row + 1, last))
        elif event.key() == Qt.Key.Key_Up:
            self._list.setCurrentRow(max(row - 1, 0))
        else:
            super().keyPressEvent(event)

    def _on_text(self, text: str) -> None:
        words = text.lower().split()
        found = [entry for entry in self._known if all(word in f"{tr(entry.kind)} {entry.text}".lower() for word in words)]
        self._shown = (found + list(self._search(text) if words else ()))[:40]
        self._list.clear()
        for entry in self._shown:
            self._list.addItem(QListWidgetItem(f"{entry.text}    ({tr(entry.kind)})"))
        self._list.setCurrentRow(0 if self._shown else -1)

    def _on_clicked(self, item: QListWidgetItem) -> None:
        self._list.setCurrentItem(item)
        self._act()

    def _act(self) -> None:
        row = self._list.currentRow()
        self.hide()
        if 0 <= row < len(self._shown):
            self._shown[row].act()
