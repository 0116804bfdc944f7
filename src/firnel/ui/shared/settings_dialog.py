"""The settings, page by page; lists have a line for each entry."""

from __future__ import annotations

from dataclasses import Field, fields, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from firnel.core.words import tr
from firnel.ui.shared.actions import own_keys
from firnel.ui.shared.parts import button, choose, chosen, label, offer
from firnel.ui.shared.sheet import Sheet
from firnel.ui.shared.sounds import Sounds
from firnel.ui.shared.tabs import Tabs
from firnel.work.settings import PAGES, SOUND, Settings

#: Room for so many entries of a list at once, the longer and the shorter ones. [px]
LONG, SHORT = 196, 132
#: A list that may have more entries than this is a long one.
MANY = 20


class SettingsDialog(Sheet):
    """Built from the declaration of `Settings`: one row for each, on the page that it names.

    Parameters
    ----------
    settings : as they stand.
    sounds : what is heard here, to be tried.
    parent : the window.
    """

    changed = pyqtSignal(object)  # Settings

    def __init__(self, settings: Settings, sounds: Sounds, parent: QWidget) -> None:
        super().__init__(tr("Settings"), parent, 760, 560)
        self._settings, self._sounds = settings, sounds
        self._fields: dict[str, QWidget] = {}
        column = QVBoxLayout(self.inside)
        column.addWidget(label(tr("Settings"), "title"))
        self.pages = Tabs()
        for page in PAGES:
            self.pages.add(tr(page), self._page(page))
        column.addWidget(self.pages, 1)
        self._warning = label("", "warn", wrap=True)
        column.addWidget(self._warning)
        row = QHBoxLayout()
        cancel, save = button(tr("Cancel")), button(tr("Use these"), primary=True)
        cancel.clicked.connect(self.reject)
        save.clicked.connect(self._on_save)
        save.setDefault(True)
        row.addStretch(1)
        row.addWidget(cancel)
        row.addWidget(save)
        column.addLayout(row)

    def _page(self, name: str) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        form.setVerticalSpacing(10)
        form.setHorizontalSpacing(24)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        for declared in fields(Settings):
            if declared.metadata["page"] != name:
                continue
            widget = self._fields[declared.name] = self._field(declared)
            widget.setAccessibleName(tr(declared.metadata["title"]))
            words = label(tr(declared.metadata["title"]), wrap=True)
            words.setMinimumWidth(260)
            words.setBuddy(widget)
            form.addRow(words, self._to_be_heard(declared, widget) if name == SOUND else widget)
        return page

    def _to_be_heard(self, declared: Field[Any], widget: QWidget) -> QWidget:
        """A setting of the sound with a button that lets it be heard as it stands there."""
        row, listen = QWidget(), button(tr("Listen"))
        listen.setAccessibleName(tr("Listen: {}", tr(declared.metadata["title"])))
        listen.clicked.connect(partial(self._listen, declared.name.removeprefix("sound_"), widget))
        beside = QHBoxLayout(row)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(widget, 1)
        beside.addWidget(listen)
        return row

    def _listen(self, tone: str, widget: QWidget) -> None:
        if isinstance(widget, QSpinBox):
            silent = tr("At 0 nothing is heard.") if widget.value() == 0 else ""
            self._warning.setText(silent or self._sounds.play(tone, widget.value()))
        else:
            self._warning.setText(self._sounds.say(tr("This is how cues are spoken.")))

    def _field(self, declared: Field[Any]) -> QWidget:
        value, limits = getattr(self._settings, declared.name), declared.metadata
        if limits["high"]:
            number = QSpinBox()
            number.setRange(limits["low"], limits["high"])
            number.setValue(value)
            number.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            return number
        if limits["most"]:
            entries = QPlainTextEdit("\n".join(value))
            entries.setPlaceholderText(tr("one in each line"))
            entries.setTabChangesFocus(True)
            entries.setFixedHeight(LONG if limits["most"] > MANY else SHORT)
            return entries
        if limits["choices"]:
            choice = QComboBox()
            offer(choice, limits["choices"])
            choose(choice, value)
            return choice
        line = QLineEdit(value)
        line.setCursorPosition(0)
        return line

    def _on_save(self) -> None:
        values: dict[str, Any] = {}
        for name, widget in self._fields.items():
            if isinstance(widget, QSpinBox):
                values[name] = widget.value()
            elif isinstance(widget, QPlainTextEdit):
                values[name] = tuple(line.strip() for line in widget.toPlainText().splitlines() if line.strip())
            elif isinstance(widget, QLineEdit):
                values[name] = widget.text().strip()
            elif isinstance(widget, QComboBox):
                values[name] = chosen(widget)
        try:
            settings = replace(self._settings, **values)
            own_keys(settings.keys)
        except ValueError as error:
            self._show_page_of(str(error))
            self._warning.setText(str(error))
            return
        self.changed.emit(settings)
        self.accept()

    def _show_page_of(self, sentence: str) -> None:
        """What is wrong stands in sight: its sentence begins with the title of the setting, or with its first word."""
        for declared in fields(Settings):
            title = tr(declared.metadata["title"])
            if declared.metadata["page"] and sentence.startswith((title, title.partition(",")[0])):
                self.pages.choose(PAGES.index(declared.metadata["page"]))
                self._fields[declared.name].setFocus()
                return
