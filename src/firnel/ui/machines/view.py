"""Machines: the roasters of the house, how they are set, and the link to them."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QLineEdit

from firnel.core.vocabulary import Machine
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.work.desk import AddressError, Desk, LinkState, machine_kinds, machine_of_kind

CAUTIONS = (
    "Firnel reads and advises; it never commands a burner. Gas fitting, flue and electrics are for licensed trades, "
    "and the maker's manual and local codes come first. Keep chaff collector and ducts clean, an extinguisher suited "
    "to the place at hand, a carbon monoxide alarm on, and never leave a running roaster."
)


class MachinesView(ListPage):
    """Lists the machines, connects them, takes down new ones."""

    connected = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            "Machines",
            "The roasters, their scales and their links",
            ("Machine", "Kind", "Heat", "#Useful load"),
            "No machines yet. Press “Add a machine”: a name, its kind, and where its readings come from.",
            sheet_width=470,
        )
        self._desk = desk
        self._machine: Machine | None = None
        add = button("Add a machine", primary=True)
        add.clicked.connect(self._begin_new)
        self.head.add(add)
        frame, column = card()
        self._name, self._grid = ElidedLabel("heading"), FigureGrid()
        column.addWidget(self._name)
        column.addWidget(self._grid)
        self.sheet_column.addWidget(frame)
        self.sheet_column.addWidget(self._link_card())
        self.sheet_column.addWidget(self._form())
        self.sheet_column.addWidget(label(CAUTIONS, "caution", wrap=True))
        self.sheet_column.addStretch(1)

    def _link_card(self) -> QFrame:
        frame, column = card(spacing=4)
        column.addWidget(label("Link", "heading"))
        column.addWidget(label("Address: modbus://HOST:PORT?map=KIND, serial:///dev/ttyUSB0, or hand:", "soft", wrap=True))
        self._url = QLineEdit()
        self._url.setAccessibleName("Device address")
        column.addWidget(self._url)
        self._state = label("", "", wrap=True)
        column.addWidget(self._state)
        self._connect, self._leave = button("Connect", primary=True), button("Disconnect")
        self._connect.clicked.connect(self._on_connect)
        self._leave.clicked.connect(self._on_disconnect)
        self._url.returnPressed.connect(self._on_connect)
        column.addWidget(self._connect)
        column.addWidget(self._leave)
        return frame

    def _form(self) -> QFrame:
        frame, column = card(spacing=4)
        self._form_frame = frame
        column.addWidget(label("A new machine", "heading"))
        self._new_name, self._kind = QLineEdit(), QComboBox()
        self._new_name.setPlaceholderText("Name")
        self._new_name.setAccessibleName("Name of the machine")
        self._kind.setAccessibleName("Kind of the machine")
        for kind, title in machine_kinds().items():
            self._kind.addItem(title, kind)
        self._warning = label("", "warn", wrap=True)
        save = button("Add it", primary=True)
        save.clicked.connect(self._save)
        for widget in (self._new_name, self._kind, self._warning, save):
            column.addWidget(widget)
        frame.hide()
        return frame

    def refresh(self) -> None:
        """Read the machines anew."""
        units, kinds = self._desk.settings.units, machine_kinds()
        self.show_rows(
            [
                ((m.name, kinds.get(m.kind, m.kind), m.heat, units.text(m.useful_load_kg, "kg", 1)), m)
                for m in self._desk.library.machines()
            ]
        )
        self.show_link()

    def show_link(self) -> None:
        """Show how the link stands."""
        link, connected = self._desk.link, self._desk.session.machine
        mine = self._machine is not None and connected is not None and connected.name == self._machine.name
        if link.state is LinkState.OFF:
            text = "Not connected."
        else:
            text = link.sentence if mine or connected is None else f"{connected.name} is connected: {link.sentence}"
        self._state.setText(text)
        self._leave.setEnabled(link.state is not LinkState.OFF)

    def show_choice(self, key: Machine) -> None:
        """Show one machine."""
        units = self._desk.settings.units
        self._machine = key
        self._name.show_text(key.name)
        rows: list[tuple[str, ...]] = [
            ("Stated load", units.text(key.stated_load_kg, "kg", 1)),
            ("Useful load", units.text(key.useful_load_kg, "kg", 1)),
            ("Yellow on its probe", units.text(key.yellow_c, "°C", 0)),
            ("First crack on its probe", units.text(key.first_crack_c, "°C", 0)),
        ]
        for control, scale in key.controls.items():
            told = "reported by the machine" if scale.reported else "set by keys"
            low, high = (
                units.text(value, scale.unit, 0 if scale.step >= 1 else 1, with_unit=False) for value in (scale.low, scale.high)
            )
            rows.append((f"{control.value.capitalize()}, {told}", f"{low} to {high} {units.shown_unit(scale.unit)}"))
        self._grid.show_rows(rows)
        self._url.setText(key.device_url)
        self.show_link()

    def _on_connect(self) -> None:
        if self._machine is None:
            return
        url = self._url.text().strip()
        try:
            self._desk.connect(url, self._machine)
        except AddressError as error:
            self._state.setText(str(error))
            return
        self._machine = self._desk.library.save_machine(replace(self._machine, device_url=url))
        self.show_link()
        self.connected.emit()

    def _on_disconnect(self) -> None:
        self._desk.disconnect()
        self.show_link()

    def _begin_new(self) -> None:
        self.sheet.show()
        self._form_frame.show()
        self._new_name.setFocus(Qt.FocusReason.OtherFocusReason)

    def _save(self) -> None:
        name = self._new_name.text().strip()
        if not name:
            self._warning.setText("A machine needs a name.")
            return
        if any(machine.name == name for machine in self._desk.library.machines()):
            self._warning.setText(f"There is a machine called {name} already.")
            return
        self._desk.library.save_machine(machine_of_kind(name, self._kind.currentData()))
        self._new_name.clear()
        self._form_frame.hide()
        self.refresh()
