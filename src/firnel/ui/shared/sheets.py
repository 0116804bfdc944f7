"""Dialogs that only the user opens: settings, the key sheet; and the question about an unfinished batch."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from firnel.ui.shared.actions import own_keys
from firnel.ui.shared.parts import button, label
from firnel.work.settings import Settings


class SettingsDialog(QDialog):
    """Built from the declaration of `Settings`: one row for each."""

    changed = pyqtSignal(object)  # Settings

    def __init__(self, settings: Settings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self.setMinimumWidth(900)
        self._settings = settings
        column = QVBoxLayout(self)
        column.addWidget(label("Settings", "title"))
        forms = [QFormLayout(), QFormLayout()]
        side_by_side = QHBoxLayout()
        side_by_side.setSpacing(28)
        for form in forms:
            form.setVerticalSpacing(10)
            side_by_side.addLayout(form, 1)
        column.addLayout(side_by_side)
        self._fields: dict[str, QWidget] = {}
        half = (len(fields(Settings)) + 1) // 2
        for number, declared in enumerate(fields(Settings)):
            value, limits = getattr(settings, declared.name), declared.metadata
            widget: QWidget
            if limits["high"]:
                widget = QSpinBox()
                widget.setRange(limits["low"], limits["high"])
                widget.setValue(value)
                widget.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            elif limits["most"]:
                widget = QLineEdit(", ".join(value))
            elif not limits["choices"]:
                widget = QLineEdit(value)
            else:
                widget = QComboBox()
                widget.addItems(limits["choices"])
                widget.setCurrentText(value)
            widget.setAccessibleName(limits["title"])
            self._fields[declared.name] = widget
            if isinstance(widget, QLineEdit):
                widget.setCursorPosition(0)
            forms[number // half].addRow(label(limits["title"]), widget)
        self._warning = label("", "warn", wrap=True)
        column.addWidget(self._warning)
        row = QHBoxLayout()
        cancel, save = button("Cancel"), button("Use these", primary=True)
        cancel.clicked.connect(self.reject)
        save.clicked.connect(self._on_save)
        row.addStretch(1)
        row.addWidget(cancel)
        row.addWidget(save)
        column.addLayout(row)

    def _on_save(self) -> None:
        values: dict[str, Any] = {}
        for name, widget in self._fields.items():
            if isinstance(widget, QSpinBox):
                values[name] = widget.value()
            elif isinstance(widget, QLineEdit):
                several = isinstance(getattr(self._settings, name), tuple)
                words = tuple(word.strip() for word in widget.text().split(",") if word.strip())
                values[name] = words if several else widget.text().strip()
            elif isinstance(widget, QComboBox):
                values[name] = widget.currentText()
        try:
            settings = replace(self._settings, **values)
            own_keys(settings.keys)
        except ValueError as error:
            self._warning.setText(str(error))
            return
        self.changed.emit(settings)
        self.accept()


class KeySheet(QDialog):
    """Every key, on ``?``."""

    def __init__(self, groups: tuple[tuple[str, tuple[tuple[str, str], ...]], ...], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        row = QHBoxLayout(self)
        row.setSpacing(30)
        columns = [QVBoxLayout() for _ in range(3)]
        for number, (title, keys) in enumerate(groups):
            column = columns[min(number, 2)]  # the first groups are long, and have a column each
            column.addWidget(label(title, "title"))
            grid = QGridLayout()
            grid.setHorizontalSpacing(14)
            grid.setVerticalSpacing(7)
            for index, (key, meaning) in enumerate(keys):
                grid.addWidget(label(key, "key"), index, 0, Qt.AlignmentFlag.AlignLeft)
                grid.addWidget(label(meaning), index, 1)
            column.addLayout(grid)
            column.addSpacing(14)
        for column in columns:
            column.addStretch(1)
            row.addLayout(column)


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
        self._yes.setText("Understood")
        self._yes.setAccessibleName("Understood")
        self._no.hide()
        self.show()

    def _on_yes(self) -> None:
        self.hide()
        if self._asking:
            self.answered.emit(True)

    def _on_no(self) -> None:
        self.hide()
        self.answered.emit(False)
