"""The link of a machine: the way its readings come, tried before anything is kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.ui.machines.instrument_fields import InstrumentRow, ModbusFields, SerialFields
from firnel.ui.machines.map_sheet import MapSheet, TriedRows
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, card, label, rename
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.tokens import SPACE_S
from firnel.work import shelf
from firnel.work.desk import AddressError, Desk, LinkState, machine_kinds
from firnel.work.machines.link import (
    Instrument,
    Tried,
    Way,
    fitting_map,
    instruments_of,
    map_named,
    strange_to,
    try_map,
    try_thermometer,
    url_of,
)

WAYS = (
    (tr("Modbus"), Way.MODBUS),
    (tr("Serial thermometer"), Way.SERIAL),
    (tr("By hand"), Way.HAND),
    (tr("Simulated"), Way.SIMULATED),
)
#: More instruments than this serve no drum.
MOST_INSTRUMENTS = 4


class LinkPage(QWidget):
    """Edits and opens the link of one machine."""

    kept = pyqtSignal(object)  # Machine, with its address
    settings_changed = pyqtSignal(object)  # Settings

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._machine: Machine | None = None
        self._background = Background(self, self._say_wrong)
        self._more: list[InstrumentRow] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        frame, inside = card(spacing=SPACE_S)
        inside.addWidget(label(tr("How do its readings come?"), "heading"))
        self.ways = Tabs()
        self.modbus, self.serial = ModbusFields(self._edit_map), SerialFields()
        self.ways.add(WAYS[0][0], self.modbus)
        self.ways.add(WAYS[1][0], self.serial)
        self.ways.add(WAYS[2][0], self._hand_fields())
        self.ways.add(WAYS[3][0], self._simulated_fields())
        self.ways.chosen.connect(self._on_way)
        self._way = 0
        inside.addWidget(self.ways)
        self._others = QVBoxLayout()
        self._others.setSpacing(2)
        inside.addLayout(self._others)
        self._tried = TriedRows()
        inside.addWidget(self._tried)
        self._state = label("", "", wrap=True)
        inside.addWidget(self._state)
        inside.addLayout(self._buttons())
        column.addWidget(frame)
        column.addStretch(1)

    def _hand_fields(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, SPACE_S, 0, 0)
        row = QHBoxLayout()
        column.addLayout(row)
        column.addStretch(1)
        self.every = FigureEntry(tr("Seconds between two readings by hand"))
        self.every.setFixedWidth(80)
        self.every.editingFinished.connect(self._on_every)
        for widget in (
            label(tr("Type what its display shows, every")),
            self.every,
            label(tr("seconds. The sheet asks for it.")),
        ):
            row.addWidget(widget)
        row.addStretch(1)
        return page

    def _simulated_fields(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, SPACE_S, 0, 0)
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind that is simulated"))
        for kind, title in machine_kinds().items():
            self.kind.addItem(tr(title), kind)
        column.addWidget(self.kind)
        told = tr("To learn Firnel without a roaster. It starts with a panel of its own: its doors and controls are there.")
        column.addWidget(label(told, "soft", wrap=True))
        column.addStretch(1)
        return page

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self._another = button(tr("Another instrument"), tr("A second thermometer or converter that serves the same machine"))
        self._try, self._leave = button(tr("Try it"), tr("Each channel's value now; nothing is kept")), button(tr("Disconnect"))
        self.connect_button = button(tr("Connect"), primary=True)
        self._another.clicked.connect(lambda: self.add_instrument(Instrument(Way.SERIAL, probe="air")))
        self._try.clicked.connect(self.try_it)
        self._leave.clicked.connect(self._on_leave)
        self.connect_button.clicked.connect(self.connect_it)
        row.addWidget(self._another)
        row.addStretch(1)
        for widget in (self._leave, self._try, self.connect_button):
            row.addWidget(widget)
        return row

    # What is shown

    def show_machine(self, machine: Machine) -> None:
        """Show a machine's link."""
        other = self._machine is None or self._machine.id != machine.id
        self._machine = machine
        if other:
            self.show_address(machine.device_url)
            if not machine.device_url:
                fitting = fitting_map(machine)
                self.modbus.show_instrument(Instrument(Way.MODBUS, map=fitting))
                self.kind.setCurrentIndex(max(self.kind.findData(fitting), 0))
            self._tried.show_tried(())
        self.show_state()

    def show_address(self, url: str) -> None:
        """Put an address into the fields."""
        first, *more = instruments_of(url)
        self.every.show_figure(self._desk.settings.hand_every_s, 0)
        self._way = next(index for index, (_, way) in enumerate(WAYS) if way is first.way)
        self.ways.choose(self._way)
        self.modbus.show_instrument(first if first.way is Way.MODBUS else replace(first, way=Way.MODBUS))
        self.serial.show_instrument(first)
        self.kind.setCurrentIndex(max(self.kind.findData(first.map), 0))
        self._more = []
        for one in more:
            self.add_instrument(one)
        self._lay_more()

    def show_state(self) -> None:
        """Show how the link stands."""
        link, connected = self._desk.link, self._desk.session.machine
        mine = self._machine is not None and connected is not None and connected.id == self._machine.id
        if link.state is LinkState.OFF:
            text = tr("Not connected.")
        else:
            text = link.sentence if mine or connected is None else tr("{} is connected: {}", connected.name, link.sentence)
        self._say(text)
        self._leave.setEnabled(link.state is not LinkState.OFF)

    def _say(self, text: str, wrong: bool = False) -> None:
        rename(self._state, "warn" if wrong else "")
        self._state.setText(text)

    def _say_wrong(self, text: str) -> None:
        self._try.setEnabled(True)
        self._say(text, wrong=True)

    def _on_way(self, number: int) -> None:
        self._way = number
        alone = WAYS[number][1] in (Way.HAND, Way.SIMULATED)
        self._another.setEnabled(not alone)
        for row in self._more:
            row.setVisible(not alone)
        self._try.setEnabled(not alone)
        self._tried.show_tried(())

    def add_instrument(self, one: Instrument) -> None:
        """One instrument more, for the same machine."""
        if len(self._more) + 1 < MOST_INSTRUMENTS:
            self._more.append(InstrumentRow(one, self._edit_map))
            self._lay_more()

    def _lay_more(self) -> None:
        while self._others.count():
            item = self._others.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                if widget not in self._more:
                    widget.deleteLater()
        for row in self._more:
            row.away.disconnect()
            row.away.connect(partial(self._take_away, row))
            self._others.addWidget(row)
            row.show()

    def _take_away(self, row: InstrumentRow) -> None:
        self._more.remove(row)
        self._lay_more()

    # What is done

    def instruments(self) -> list[Instrument]:
        """The link as its fields stand.

        Raises
        ------
        ValueError : if a field cannot be.
        """
        way = WAYS[self._way][1]
        if way is Way.HAND:
            return [Instrument(Way.HAND)]
        if way is Way.SIMULATED:
            return [Instrument(Way.SIMULATED, map=str(self.kind.currentData()))]
        first = self.modbus if way is Way.MODBUS else self.serial
        return [first.instrument(), *(row.instrument() for row in self._more)]

    def _edit_map(self, name: str, then: Callable[[str], None]) -> None:
        if self._machine is None:
            return
        try:
            first = self.modbus.instrument()
        except ValueError as error:
            self._say_wrong(str(error))
            return
        sheet = MapSheet(self._machine, name, first, self._background, self)
        sheet.kept.connect(then)
        sheet.open()

    def try_it(self) -> None:
        """Each channel's value now."""
        try:
            wanted = self.instruments()
        except ValueError as error:
            self._say_wrong(str(error))
            return
        self._try.setEnabled(False)
        self._say(tr("Asking: some seconds."))
        self._background.run("try", partial(_try_all, wanted), self._on_tried, self._say_wrong)

    def _on_tried(self, found: Sequence[Tried]) -> None:
        self._try.setEnabled(True)
        self._tried.show_tried(found, self._desk.settings.units)
        wrong = sum(bool(one.wrong) for one in found)
        if self._machine is not None and (strange := strange_to(self._machine, self.instruments())):
            self._say_wrong(strange)
        elif wrong:
            self._say_wrong(tr("{} of {} channels do not read: see beside them.", wrong, len(found)))
        else:
            self._say(tr("All channels read."))

    def connect_it(self) -> None:
        """Keep the link and read from it."""
        if self._machine is None:
            return
        try:
            wanted = self.instruments()
            if strange := strange_to(self._machine, wanted):
                raise ValueError(strange)
            url = url_of(wanted)
            self._desk.connect(url, self._machine)
        except (AddressError, ValueError) as error:
            self._say_wrong(str(error))
            return
        self._machine = self._desk.ask(shelf.save_machine, replace(self._machine, device_url=url), self._machine)
        self.show_state()
        self.kept.emit(self._machine)

    def _on_leave(self) -> None:
        self._desk.disconnect()
        self.show_state()

    def _on_every(self) -> None:
        try:
            seconds = self.every.seconds()
            self._desk.settings = replace(self._desk.settings, hand_every_s=round(seconds or 30))
        except ValueError as error:
            self._say_wrong(str(error))
            return
        self.settings_changed.emit(self._desk.settings)


def _try_all(wanted: Sequence[Instrument]) -> list[Tried]:
    found: list[Tried] = []
    for one in wanted:
        if one.way is Way.MODBUS:
            found += try_map(one.host, one.port, one.unit, map_named(one.map))
        else:
            found += try_thermometer(one)
    return found
