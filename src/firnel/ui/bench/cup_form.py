"""The form of one cupper for one code: notes by stage with the house's words, and the figures of the score."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QCompleter, QGridLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from firnel.core.cup.scores import range_of
from firnel.core.words import capital, meant, tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, card, empty, label
from firnel.ui.shared.typed import was_filled
from firnel.work.bench import cupping
from firnel.work.bench.cupping import TableSet


class CupForm(QWidget):
    """Takes down one entry after the other; codes come in the cupper's own order."""

    entered = pyqtSignal(str, str, dict)  # cupper, code, values
    left = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.warned = False
        self._table: TableSet | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=5)
        outer.addWidget(frame)
        head = QHBoxLayout()
        self.cupper, self.code = QComboBox(), QComboBox()
        self.cupper.setAccessibleName(tr("Cupper"))
        self.code.setAccessibleName(tr("Code"))
        self.code.setObjectName("code")
        leaves = button(tr("Leaves"), tr("What was entered stays, and is not waited for"))
        leaves.clicked.connect(lambda: self.left.emit(self.cupper.currentText()))
        for widget in (self.cupper, self.code, leaves):
            head.addWidget(widget)
        head.addStretch(1)
        self.sum = label("", "bigFigure")
        head.addWidget(self.sum)
        column.addLayout(head)
        column.addWidget(label(tr("Notes, as they come; commas between words"), "soft"))
        notes = QGridLayout()
        notes.setVerticalSpacing(3)
        self.notes: dict[str, QLineEdit] = {}
        for index, stage in enumerate(cupping.STAGES):
            self.notes[stage] = QLineEdit()
            self.notes[stage].setAccessibleName(tr("Notes, {}", meant("stage", stage)))
            notes.addWidget(label(capital(meant("stage", stage)), "soft"), index // 2, 2 * (index % 2))
            notes.addWidget(self.notes[stage], index // 2, 2 * (index % 2) + 1)
        column.addLayout(notes)
        self._figures = QGridLayout()
        self._figures.setVerticalSpacing(3)
        self.figures: dict[str, FigureEntry] = {}
        column.addLayout(self._figures)
        row = QHBoxLayout()
        self.light, self.heavy = QSpinBox(), QSpinBox()
        for field, name in ((self.light, tr("Cups tainted or not uniform")), (self.heavy, tr("Cups with a fault"))):
            field.setRange(0, 10)
            field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            field.setFixedWidth(60)
            field.setAccessibleName(name)
            row.addWidget(label(name, "soft"))
            row.addWidget(field)
        row.addStretch(1)
        column.addLayout(row)
        self._said = label("", "soft", wrap=True)
        column.addWidget(self._said)
        keep = button(tr("Keep, and the next code"), tr("Enter in the last field does it too"), primary=True)
        keep.clicked.connect(self.on_keep)
        column.addWidget(keep)
        column.addStretch(1)
        self.cupper.currentTextChanged.connect(self._on_cupper)
        self.code.currentTextChanged.connect(self._show_entry)

    def show_table(self, table: TableSet, words: tuple[str, ...]) -> None:
        """Show a blind table."""
        again = self._table is not None and self._table.id == table.id  # it is read anew: the cupper is where she was
        cupper, code = self.cupper.currentText(), self.code.currentText()
        self._table, self.warned = table, False
        self._make_figures(table)
        for entry in self.notes.values():
            completer = QCompleter(list(words), entry)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            entry.setCompleter(completer)
        self.cupper.blockSignals(True)
        self.cupper.clear()
        self.cupper.addItems(table.document["cuppers"])
        if again:
            self.cupper.setCurrentText(cupper)
        self.cupper.blockSignals(False)
        self._on_cupper()
        if again:
            self.code.setCurrentText(code)
        self.say("")

    def keep(self, table: TableSet) -> None:
        """The table as it is kept now."""
        self._table = table
        self._show_sum()

    def say(self, sentence: str) -> None:
        """Tell what came of it."""
        self._said.setText(sentence)

    def _make_figures(self, table: TableSet) -> None:
        empty(self._figures)
        self.figures = {}
        parts = cupping.parts_for(table)
        for index, part in enumerate(parts):
            low, high, _ = range_of(table.document["form"], part)
            self.figures[part] = FigureEntry(tr(part), tr("{:g} to {:g}", low, high))
            self._figures.addWidget(label(capital(tr(part)), "soft"), index // 2, 2 * (index % 2))
            self._figures.addWidget(self.figures[part], index // 2, 2 * (index % 2) + 1)
        fields = list(self.figures.values())
        for field, following in zip(fields, fields[1:], strict=False):
            field.returnPressed.connect(following.setFocus)
        fields[-1].returnPressed.connect(self.on_keep)

    def _on_cupper(self) -> None:
        table, cupper = self._table, self.cupper.currentText()
        if table is None or not cupper:
            return
        self.code.blockSignals(True)
        self.code.clear()
        self.code.addItems(table.document["orders"][cupper])
        self.code.blockSignals(False)
        self._show_entry()

    def _show_entry(self) -> None:
        table = self._table
        if table is None or not self.code.currentText():
            return
        entry = cupping.entry_of(table, self.cupper.currentText(), self.code.currentText())
        for part, field in self.figures.items():
            value = entry["scores"].get(part)
            field.setText("" if value is None else tr("{:g}", value))
        for stage, line in self.notes.items():
            line.setText(", ".join(entry["words"].get(stage, ())))
        self.light.setValue(entry["light"])
        self.heavy.setValue(entry["heavy"])
        was_filled(self)
        self._show_sum()

    def _show_sum(self) -> None:
        table = self._table
        if table is None or not self.code.currentText():
            return
        total = cupping.score_of(table, self.cupper.currentText(), self.code.currentText())
        self.sum.setText("" if total is None else tr("{:.2f}", total))

    def on_keep(self) -> None:
        """Hand up what is entered, and go to the next code where it was taken."""
        try:
            scores = {part: value for part, field in self.figures.items() if (value := field.figure()) is not None}
        except ValueError as error:
            self.say(str(error))
            return
        words = {
            stage: [word.strip() for word in line.text().split(",") if word.strip()]
            for stage, line in self.notes.items()
            if line.text().strip()
        }
        self.say("")
        values = {"scores": scores, "light": self.light.value(), "heavy": self.heavy.value(), "words": words}
        self.entered.emit(self.cupper.currentText(), self.code.currentText(), values)
        if not self._said.text() and self.code.currentIndex() + 1 < self.code.count():
            by_figures = any(field.hasFocus() for field in self.figures.values())
            self.code.setCurrentIndex(self.code.currentIndex() + 1)
            first = next(iter(self.figures.values())) if by_figures else self.notes["dry"]
            first.setFocus(Qt.FocusReason.OtherFocusReason)
            first.selectAll()
