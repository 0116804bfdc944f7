"""The key sheet, and the question about an unfinished batch."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from firnel.core.words import tr
from firnel.ui.shared.parts import button, label
from firnel.ui.shared.sheet import Sheet


class KeySheet(Sheet):
    """Every key, on ``?``."""

    def __init__(self, groups: tuple[tuple[str, tuple[tuple[str, str], ...]], ...], parent: QWidget) -> None:
        super().__init__(tr("Keys"), parent, 1180)
        row = QHBoxLayout(self.inside)
        row.setSpacing(30)
        columns = [QVBoxLayout() for _ in range(3)]
        for number, (title, keys) in enumerate(groups):
            column = columns[min(number, 2)]  # the first groups are long, and have a column each
            column.addWidget(label(title, "title"))
            grid = QGridLayout()
            grid.setHorizontalSpacing(14)
            grid.setVerticalSpacing(7)
            grid.setColumnStretch(1, 1)
            for index, (key, meaning) in enumerate(keys):
                grid.addWidget(label(key, "key"), index, 0, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
                grid.addWidget(label(meaning, wrap=True), index, 1)
            column.addLayout(grid)
            column.addSpacing(14)
        for column in columns:
            column.addStretch(1)
            row.addLayout(column, 1)


class Notice(QFrame):
    """A question above the view that can be left unanswered: a sentence and two ways to go on."""

    answered = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 12, 8)
        self._words = label("", "heading", wrap=True)
        self._yes, self._no = button("", primary=True), button("")
        self._asking = False
        row.addWidget(self._words, 1)
        row.addWidget(self._no)
        row.addWidget(self._yes)
        self._yes.clicked.connect(self._on_yes)
        self._no.clicked.connect(self._on_no)
        self.hide()

    def ask(self, sentence: str, yes: str, no: str) -> None:
        """Show the question."""
        self._asking = True
        self._no.show()
        self._words.setText(sentence)
        for widget, text in ((self._yes, yes), (self._no, no)):
            widget.setText(text)
            widget.setAccessibleName(text)
        self.show()
        self._yes.setFocus(Qt.FocusReason.OtherFocusReason)

    def tell(self, sentence: str) -> None:
        """Show a sentence that asks nothing; while a question stands it follows that."""
        if self._asking and self.isVisible():
            self._words.setText(f"{self._words.text()} {sentence}")
            return
        self._asking = False
        self._words.setText(sentence)
        self._yes.setText(tr("Understood"))
        self._yes.setAccessibleName(tr("Understood"))
        self._no.hide()
        self.show()

    def accept(self) -> bool:
        """Say yes to what it asks, if it does; whether it did."""
        asked = self.isVisible() and self._asking
        if asked:
            self._yes.click()
        return asked

    def _on_yes(self) -> None:
        self.hide()
        if self._asking:
            self.answered.emit(True)

    def _on_no(self) -> None:
        self.hide()
        self.answered.emit(False)
