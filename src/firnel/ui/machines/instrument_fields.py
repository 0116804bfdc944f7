"""The fields of one instrument: a host with its map, or a serial line; each instrument in a row of its own."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from firnel.core.words import later, tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, choose, chosen, label, offer
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.machines.link import Instrument, Way, maps, ports

BAUDS = ("1200", "2400", "4800", "9600", "19200", "38400", "57600", "115200")


def _whole(entry: FigureEntry, what: str, low: int, high: int) -> int:
    figure = entry.figure()
    if figure is None or figure != int(figure) or not low <= figure <= high:
        raise ValueError(tr("{} is a whole number from {} to {}.", what, low, high))
    return int(figure)


class ModbusFields(QWidget):
    """Host, port, unit and map."""

    def __init__(self, edit_map: Callable[[str, Callable[[str], None]], None]) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, SPACE_S, 0, 0)
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(1)
        self.host, self.port, self.unit, self.map = (
            QLineEdit(),
            FigureEntry(tr("Port")),
            FigureEntry(tr("Modbus unit")),
            QComboBox(),
        )
        self.host.setAccessibleName(tr("Host or address of the machine"))
        self.map.setAccessibleName(tr("Register map"))
        self._edit = button(tr("Edit the map"), tr("Which register holds what; begin with one that is shipped"))
        self._edit.clicked.connect(lambda: edit_map(str(self.map.currentData()), self._on_map))
        for place, (title, widget, wide) in enumerate(
            (
                (tr("Host"), self.host, 3),
                (tr("Port"), self.port, 0),
                (tr("Unit"), self.unit, 0),
                (tr("Register map"), self.map, 4),
            )
        ):
            grid.addWidget(label(title, "soft"), 0, place)
            grid.addWidget(widget, 1, place)
            grid.setColumnStretch(place, wide)
        self.host.setMinimumWidth(110)
        self.port.setFixedWidth(82)
        self.unit.setFixedWidth(64)
        self.map.setMinimumContentsLength(10)
        self.map.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        grid.addWidget(self._edit, 1, 4)
        grid.setRowStretch(2, 1)

    def _on_map(self, name: str) -> None:
        self._fill(name)

    def _fill(self, chosen: str) -> None:
        self.map.clear()
        known = maps()
        for name, title in (known if chosen in known else {**known, chosen: chosen}).items():
            self.map.addItem(f"{tr(title)} ({name})" if title != name else title, name)
        self.map.setCurrentIndex(max(self.map.findData(chosen), 0))

    def show_instrument(self, one: Instrument) -> None:
        """Show its fields."""
        self.host.setText(one.host)
        self.port.setText(str(one.port))
        self.unit.setText(str(one.unit))
        self._fill(one.map)

    def instrument(self) -> Instrument:
        """The fields as they stand."""
        host = self.host.text().strip()
        if not host or any(mark in host for mark in " /?"):
            raise ValueError(tr("The host is a name or an address, as 192.168.0.10."))
        port, unit = _whole(self.port, tr("The port"), 1, 65535), _whole(self.unit, tr("The Modbus unit"), 0, 255)
        return Instrument(Way.MODBUS, host, port, unit, str(self.map.currentData()))


class SerialFields(QWidget):
    """Port, speed, unit and what it reads."""

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, SPACE_S, 0, 0)
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(1)
        self.device, self.baud, self.degrees, self.probe = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        self.pattern = QLineEdit()
        self.device.setEditable(True)
        self.baud.setEditable(True)
        self.baud.addItems(BAUDS)
        self.degrees.addItems(("°C", "°F"))
        offer(self.probe, (later("bean"), later("air")))
        self.pattern.setPlaceholderText(tr("a line with bean, or bean and air; or a pattern with (?P<bean>…) in it"))
        again = button(tr("Look again"), tr("For ports that were plugged in meanwhile"))
        again.clicked.connect(lambda: self._fill(self.device.currentText()))
        for place, (title, widget, name) in enumerate(
            (
                (tr("Port"), self.device, tr("Serial port")), (tr("Speed"), self.baud, tr("Speed of the line")),
                (tr("Prints"), self.degrees, tr("Degrees that it prints")), (tr("Reads"), self.probe, tr("What it reads")),
            )
        ):  # fmt: skip
            widget.setAccessibleName(name)
            grid.addWidget(label(title, "soft"), 0, place)
            grid.addWidget(widget, 1, place)
            grid.setColumnStretch(place, 4 if place == 0 else 1)
        grid.addWidget(again, 1, 4)
        self.pattern.setAccessibleName(tr("Pattern of a line"))
        grid.addWidget(self.pattern, 2, 0, 1, 5)
        grid.setRowStretch(3, 1)

    def _fill(self, chosen: str) -> None:
        self.device.clear()
        found = ports()
        for device, what in found:
            self.device.addItem(device)
            self.device.setItemData(self.device.count() - 1, what, 3)  # its tool tip
        self.device.setCurrentText(chosen if chosen or not found else found[0][0])

    def show_instrument(self, one: Instrument) -> None:
        """Show its fields."""
        found = ports()
        known = one.way is Way.SERIAL
        self._fill(one.device if known or not found else found[0][0])
        self.baud.setCurrentText(str(one.baud))
        self.degrees.setCurrentIndex(1 if one.fahrenheit else 0)
        choose(self.probe, one.probe if known else "bean")
        self.pattern.setText(one.pattern)

    def instrument(self) -> Instrument:
        """The fields as they stand."""
        device, baud = self.device.currentText().strip(), self.baud.currentText().strip()
        if not device.startswith("/") or " " in device:
            raise ValueError(tr("The port is a device, as /dev/ttyUSB0."))
        if not baud.isdecimal():
            raise ValueError(tr("The speed of the line is a number, as 9600."))
        return Instrument(
            Way.SERIAL, device=device, baud=int(baud), fahrenheit=self.degrees.currentIndex() == 1,
            pattern=self.pattern.text().strip(), probe=chosen(self.probe),
        )  # fmt: skip


class InstrumentRow(QWidget):
    """A further instrument: a thermometer or a converter."""

    away = pyqtSignal()

    def __init__(self, one: Instrument, edit_map: Callable[[str, Callable[[str], None]], None]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self._tabs, self._modbus, self._serial = Tabs(), ModbusFields(edit_map), SerialFields()
        self._tabs.add(tr("and by Modbus"), self._modbus)
        self._tabs.add(tr("and a thermometer"), self._serial)
        self._modbus.show_instrument(one)
        self._serial.show_instrument(one)
        self._on_serial = one.way is Way.SERIAL
        self._tabs.choose(1 if self._on_serial else 0)
        self._tabs.chosen.connect(self._on_tab)
        row.addWidget(self._tabs, 1)
        gone = button(tr("Remove"))
        gone.clicked.connect(self.away)
        row.addWidget(gone, 0, Qt.AlignmentFlag.AlignTop)
        self.away.connect(lambda: None)  # there is always one to disconnect

    def _on_tab(self, number: int) -> None:
        self._on_serial = number == 1

    def instrument(self) -> Instrument:
        """The fields as they stand."""
        return self._serial.instrument() if self._on_serial else self._modbus.instrument()
