"""A register map made by hand: which register holds what, each channel tried before the map is kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.vocabulary import Control, Machine
from firnel.core.words import capital, tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, label, lay_rows
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.machines.link import (
    PROBES,
    WIDTHS,
    Channel,
    Instrument,
    RegisterMapError,
    Tried,
    channels_of,
    keep_map,
    map_of,
    maps,
    try_map,
)

TITLES = (tr("what is read"), "table", "register", "type", "times", "unit", tr("reads now"), "")


class TriedRows(QWidget):
    """What each channel of a link brought."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(SPACE_M)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(2, 1)

    def show_tried(self, found: Sequence[Tried], units: Units | None = None) -> None:
        """Show these, one a row; none hides it."""
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for row, one in enumerate(found):
            self._grid.addWidget(label(Control(one.field).words), row, 0)
            self._grid.addWidget(label(reading_words(one, units), "figure"), row, 1, Qt.AlignmentFlag.AlignRight)
            self._grid.addWidget(label(one.wrong or "reads", "warn" if one.wrong else "soft", wrap=True), row, 2)
        self.setVisible(bool(found))


def reading_words(one: Tried, units: Units | None = None) -> str:
    """The value that a channel brought, with its unit."""
    if one.value is None:
        return "–"
    if one.field in PROBES:
        return units.text(one.value, "°C", 1) if units is not None else tr("{:.1f} °C", one.value)
    return tr("{:g}", one.value)


class _Row:
    """The fields of one channel."""

    def __init__(self, channel: Channel, fields: Sequence[str]) -> None:
        self.field, self.table, self.type, self.unit = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        self.address, self.scale = FigureEntry(tr("Register")), FigureEntry(tr("Times"))
        for name in fields:
            self.field.addItem(Control(name).words, name)
        if channel.field not in fields:
            self.field.addItem(Control(channel.field).words, channel.field)
        self.field.setCurrentIndex(max(self.field.findData(channel.field), 0))
        self.table.addItems(("input", "holding"))
        self.table.setCurrentText(channel.table)
        self.type.addItems(tuple(WIDTHS))
        self.type.setCurrentText(channel.type)
        self.unit.setEditable(True)
        self.unit.addItems(("°C", "°F", "%", "kPa", "mbar", "rpm"))
        self.unit.setCurrentText(channel.unit)
        self.address.setText(str(channel.address))
        self.scale.setText(tr("{:g}", channel.scale))
        self.now = label("", "soft", wrap=True)
        self.now.setMinimumWidth(170)
        self.away = button(tr("Remove"))
        names = (tr("What is read"), tr("Table of registers"), tr("Register"), tr("Type"), tr("Times"), tr("Unit"))
        for name, widget in zip(names, self.widgets[:6], strict=True):
            widget.setAccessibleName(name)

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return (self.field, self.table, self.address, self.type, self.scale, self.unit, self.now, self.away)

    def channel(self) -> Channel:
        """As typed.

        Raises
        ------
        ValueError : if a figure is missing or none.
        """
        address, scale = self.address.figure(), self.scale.figure()
        if address is None or scale is None or address != int(address):
            raise ValueError(tr("{} needs a register, a whole number from 0, and a factor.", capital(self.field.currentText())))
        return Channel(
            str(self.field.currentData()), self.table.currentText(), int(address), self.type.currentText(), scale,
            self.unit.currentText().strip(),
        )  # fmt: skip


class MapSheet(QDialog):
    """Edits one register map.

    Parameters
    ----------
    machine : whose controls can be read.
    name : of the map to begin with.
    at : where the machine is tried.
    background : asks beside the window.
    parent : the page.
    """

    kept = pyqtSignal(str)  # the map's name

    def __init__(self, machine: Machine, name: str, at: Instrument, background: Background, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Register map"))
        self.resize(1040, 620)
        self._machine, self._at, self._background = machine, at, background
        self._fields = [*PROBES, *map(str, machine.controls)]
        self._rows: list[_Row] = []
        column = QVBoxLayout(self)
        column.setSpacing(SPACE_S)
        column.addWidget(label(tr("Register map of {}", machine.name), "title"))
        told = tr("Register, type and factor stand in the maker's table. Firnel only reads: it writes to no register.")
        column.addWidget(label(told, "soft", wrap=True))
        column.addLayout(self._head(name))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(SPACE_S)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(6, 1)
        inside = QWidget()
        inside.setLayout(self._grid)
        scroll = QScrollArea()
        scroll.setAccessibleName(tr("Registers"))
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(inside)
        column.addWidget(scroll, 1)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        column.addLayout(self._foot())
        self.begin_with(name)

    def _head(self, name: str) -> QHBoxLayout:
        row = QHBoxLayout()
        self._name, self._begin = QLineEdit(), QComboBox()
        own = "".join(sign if sign.isalnum() else "-" for sign in self._machine.name.lower()).strip("-")
        self._name.setText(name if name not in maps() or name.startswith(own) else own)
        self._name.setAccessibleName(tr("Name of the map"))
        self._begin.setAccessibleName(tr("Begin with"))
        for known, title in maps().items():
            self._begin.addItem(f"{tr(title)} ({known})", known)
        self._begin.setCurrentIndex(max(self._begin.findData(name), 0))
        self._begin.activated.connect(lambda _: self.begin_with(str(self._begin.currentData())))
        self._order = QComboBox()
        self._order.addItems((tr("high word first"), tr("low word first")))
        self._order.setAccessibleName(tr("Order of words in numbers of two registers"))
        for widget in (label(tr("Name"), "soft"), self._name, label(tr("begun with"), "soft"), self._begin, self._order):
            row.addWidget(widget)
        return row

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        add, cancel = button(tr("Add a channel")), button(tr("Cancel"))
        self._try, keep = button(tr("Try it"), tr("Each channel's value now")), button(tr("Keep the map"), primary=True)
        add.clicked.connect(lambda: self._add(Channel(self._fields[0])))
        cancel.clicked.connect(self.reject)
        self._try.clicked.connect(self.try_it)
        keep.clicked.connect(self.keep)
        row.addWidget(add)
        row.addStretch(1)
        for widget in (cancel, self._try, keep):
            row.addWidget(widget)
        return row

    def begin_with(self, name: str) -> None:
        """The channels of a map that is there."""
        try:
            channels = channels_of(name)
        except RegisterMapError as error:
            self._said.setText(str(error))
            channels = [Channel("bean")]
        fitting = [channel for channel in channels if channel.field in self._fields]
        self._rows = [self._row(channel) for channel in fitting or [Channel("bean")]]
        self._lay()

    def _add(self, channel: Channel) -> None:
        taken = {row.field.currentData() for row in self._rows}
        field = next((field for field in self._fields if field not in taken), channel.field)
        unit = "°C" if field in PROBES else self._machine.controls[Control(field)].unit
        last = max((int(row.address.figure() or 0) for row in self._rows), default=-1)
        self._rows.append(self._row(replace(channel, field=field, unit=unit, address=last + 1)))
        self._lay()

    def _row(self, channel: Channel) -> _Row:
        row = _Row(channel, self._fields)
        row.away.clicked.connect(partial(self._take_away, row))
        return row

    def _take_away(self, row: _Row) -> None:
        self._rows.remove(row)
        self._lay()

    def _lay(self) -> None:
        lay_rows(self._grid, TITLES, [row.widgets for row in self._rows])

    def try_it(self) -> None:
        """Each channel's value now, beside it."""
        try:
            made = map_of("tried", self._machine, self._channels(), self._order.currentIndex() == 1)
        except ValueError as error:
            self._said.setText(str(error))
            return
        self._said.setText(tr("Asking {}:{}: some seconds.", self._at.host, self._at.port))
        self._try.setEnabled(False)
        work = partial(try_map, self._at.host, self._at.port, self._at.unit, made)
        self._background.run("map", work, self._on_tried, self._on_failed)

    def _on_tried(self, found: Sequence[Tried]) -> None:
        self._try.setEnabled(True)
        by_field = {one.field: one for one in found}
        for row in self._rows:
            one = by_field.get(str(row.field.currentData()))
            row.now.setText("" if one is None else one.wrong or reading_words(one))
        wrong = sum(bool(one.wrong) for one in found)
        self._said.setText(tr("{} of {} channels do not read.", wrong, len(found)) if wrong else tr("All channels read."))

    def _on_failed(self, sentence: str) -> None:
        self._try.setEnabled(True)
        self._said.setText(sentence)

    def _channels(self) -> list[Channel]:
        return [row.channel() for row in self._rows]

    def keep(self) -> None:
        """Keep the map under its name."""
        try:
            made = map_of(self._name.text().strip(), self._machine, self._channels(), self._order.currentIndex() == 1)
            keep_map(made)
        except ValueError as error:
            self._said.setText(str(error))
            return
        self.kept.emit(made.name)
        self.accept()
