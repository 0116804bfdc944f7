"""Find any lot, plan, batch, machine or action by typing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

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


#: Takes what was found.
Found = Callable[[Sequence[Entry]], None]


class CommandPalette(QFrame):
    """Comes up over the window; Enter does the entry that is marked.

    Parameters
    ----------
    parent : window it lies over.
    actions : called at each opening for what can be done.
    names : asked at each opening for what has a name in the library; answers now or later.
    search : asked with what is typed for batches that the library finds; answers now or later.
    """

    def __init__(
        self,
        parent: QWidget,
        actions: Callable[[], Sequence[Entry]],
        names: Callable[[Found], None],
        search: Callable[[str, Found], None],
    ) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self.setFixedSize(640, 420)
        self._actions, self._names, self._search = actions, names, search
        self._known: Sequence[Entry] = ()
        self._batches: Sequence[Entry] = ()
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
        self._known, self._batches = self._actions(), ()
        self._line.clear()
        self._list_found()
        self._names(self._take_names)
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

    def _take_names(self, names: Sequence[Entry]) -> None:
        self._known = [*self._known, *names]
        self._list_found()

    def _on_text(self, text: str) -> None:
        self._batches = ()
        self._list_found()
        if text.split():
            self._search(text, partial(self._take_batches, text))

    def _take_batches(self, text: str, batches: Sequence[Entry]) -> None:
        if text == self._line.text():
            self._batches = batches
            self._list_found()

    def _list_found(self) -> None:
        words = self._line.text().lower().split()
        found = [entry for entry in self._known if all(word in f"{tr(entry.kind)} {entry.text}".lower() for word in words)]
        self._shown = [*found, *self._batches][:40]
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
