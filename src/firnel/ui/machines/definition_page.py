"""The definition of a machine: loads, scales, readings, routines; the load check; copies and files."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.machine.preheat import preheat_of
from firnel.core.machine.readings import check_readings
from firnel.core.vocabulary import Machine, Role
from firnel.core.words import tr
from firnel.ui.machines.control_rows import ControlRows
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, card, label
from firnel.ui.shared.typed import ASKS
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.machines.care import load_warnings
from firnel.work.machines.files import duplicate, read_machine_file, write_machine_file

FILES = tr("Machine documents (*.json)")
#: Field of the machine, title, unit of SI, digits.
FIGURES = (
    ("stated_load_kg", tr("Stated load"), "kg", 1),
    ("useful_load_kg", tr("Useful load"), "kg", 1),
    ("covers_kg", tr("Covers probe"), "kg", 1),
    ("tray_litres", tr("Tray holds"), "L", 0),
    ("altitude_m", tr("Altitude"), "m", 0),
    ("yellow_c", tr("Yellow at"), "°C", 1),
    ("first_crack_c", tr("First crack at"), "°C", 1),
    ("second_crack_c", tr("Second crack at"), "°C", 1),
    ("limit_c", tr("Never above"), "°C", 0),
    ("preheat_low_c", tr("Preheat from"), "°C", 0),
    ("preheat_high_c", tr("Preheat to"), "°C", 0),
    ("preheat_s", tr("Preheat for"), "min", 0),
)
#: Fields that are shown in another size of their unit.
TIMES = {"preheat_s": 60.0}
#: What need not be told, and so many fields stand in a row.
OPEN, ACROSS = ("tray_litres", "second_crack_c", "covers_kg", "preheat_low_c", "preheat_high_c", "preheat_s"), 6
TEXTS = (
    ("name", tr("Name")),
    ("air_probe", tr("Air probe sits in")),
    ("draft_check", tr("Draft, last checked")),
    ("preheat", tr("Preheat")),
    ("between", tr("Between batches")),
    ("checks", tr("Checks before charge")),
)


class DefinitionPage(QWidget):
    """Shows one machine's definition and takes changes to it."""

    changed = pyqtSignal(object)  # Machine
    added = pyqtSignal(object)  # Machine

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._machine: Machine | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        column.addWidget(self._form(), 1)
        column.addWidget(self._load_check())

    def _form(self) -> QWidget:
        frame, column = card(spacing=2)
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(1)
        self._figures: dict[str, FigureEntry] = {}
        self._titles = {name: label(title, "soft") for name, title, _, _ in FIGURES}
        for index, (name, title, _, _) in enumerate(FIGURES):
            entry = FigureEntry(title)
            self._figures[name] = entry
            row, column_at = 3 * (index // ACROSS), index % ACROSS
            grid.addWidget(self._titles[name], row, column_at)
            grid.addWidget(entry, row + 1, column_at)
            grid.setRowMinimumHeight(row + 2, SPACE_S)
        column.addLayout(grid)
        self.rows = ControlRows()
        column.addWidget(self.rows, 1)
        texts = QGridLayout()
        texts.setHorizontalSpacing(SPACE_M)
        texts.setVerticalSpacing(2)
        self._texts: dict[str, QLineEdit] = {}
        for index, (name, title) in enumerate(TEXTS):
            field = QLineEdit()
            field.setAccessibleName(title)
            short = index < 2  # two in one row
            row, column_at = (0, 2 * index) if short else (index - 1, 0)
            texts.addWidget(label(title, "soft"), row, column_at)
            texts.addWidget(field, row, column_at + 1, 1, 1 if short else 3)
            self._texts[name] = field
        self._texts["between"].setPlaceholderText(tr("steps with a ; between them: 0:00 air low; 3:00 down to the charge"))
        column.addLayout(texts)
        self._said = label("", "warn", wrap=True)
        self._said.hide()
        column.addWidget(self._said)
        column.addSpacing(4)
        column.addLayout(self._buttons())
        return frame

    def say(self, sentence: str) -> None:
        """Say what came of the last change."""
        self._said.setText(sentence)
        self._said.setVisible(bool(sentence))

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        copy, write, take = button(tr("Duplicate")), button(tr("Write a file")), button(tr("Take in a file"))
        keep = button(tr("Keep changes"), primary=True)
        copy.clicked.connect(self._on_copy)
        write.clicked.connect(self._on_write)
        take.clicked.connect(self._on_take)
        keep.clicked.connect(self._on_keep)
        for widget in (copy, write, take):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(keep)
        return row

    def _load_check(self) -> QWidget:
        frame, column = card(spacing=2)
        row = QHBoxLayout()
        row.setSpacing(SPACE_M)
        self._load = FigureEntry(tr("Load to check"))
        self._load.setFixedWidth(110)
        self._load.setProperty(ASKS, True)
        self._load.textChanged.connect(self._on_load)
        row.addWidget(label(tr("Does it fit?"), "heading"))
        row.addWidget(self._load)
        self._fits = label("", "", wrap=True)
        row.addWidget(self._fits, 1)
        column.addLayout(row)
        return frame

    def show_machine(self, machine: Machine) -> None:
        """Show a machine."""
        self._machine = machine
        units = self._desk.settings.units
        for name, title, unit, digits in FIGURES:
            value = getattr(machine, name)
            value = None if value is None else value / TIMES.get(name, 1.0)
            self._titles[name].setText(f"{title}, {units.shown_unit(unit)}")
            self._figures[name].show_figure(None if value is None else units.show(value, unit), digits)
        for name, _ in TEXTS:
            self._texts[name].setText(str(getattr(machine, name)))
            self._texts[name].setCursorPosition(0)
        self.rows.show_machine(machine)
        self._load.setPlaceholderText(units.mass)
        self.say("")
        self._on_load()

    def _on_keep(self) -> None:
        if self._machine is None:
            return
        units = self._desk.settings.units
        try:
            values: dict[str, float | None] = {}
            for name, title, unit, _ in FIGURES:
                typed = self._figures[name].read(units, unit)
                values[name] = None if typed is None else typed * TIMES.get(name, 1.0)
                if typed is None and name not in OPEN:
                    raise ValueError(tr("{} is needed.", title))
            texts = {name: self._texts[name].text().strip() for name, _ in TEXTS}
            others = {known.name for known in self._desk.ask(shelf.machines) if known.id != self._machine.id}
            if not texts["name"] or texts["name"] in others:
                raise ValueError(tr("A machine needs a name of its own."))
            machine = replace(self._machine, controls=self.rows.controls(), **values, **texts)  # type: ignore[arg-type]
            gas = "gas" in (machine.kind_of(control) for control in machine.of(Role.HEAT))
            machine = replace(machine, heat="gas" if gas else "electric")
            if not 0 < machine.useful_load_kg <= machine.stated_load_kg:
                raise ValueError(tr("The useful load lies above nothing and at most at the stated load."))
            check_readings(machine)
            if not machine.first_crack_c < machine.limit_c <= 300:
                raise ValueError(tr("What the beans may never read lies above first crack, and at most at 300 °C."))
            wanted = preheat_of(machine)
            if not 100.0 <= wanted.low_c < wanted.high_c <= 300.0 or not 0.0 <= wanted.seconds <= 14_400.0:
                raise ValueError(tr("Preheating swings between two readings from 100 to 300 °C, for up to 240 minutes."))
            if machine.covers_kg is not None and not 0 < machine.covers_kg <= machine.stated_load_kg:
                raise ValueError(tr("The least load that covers the probe lies above nothing and at most at the stated load."))
        except ValueError as error:
            self.say(units.sentence(str(error)))
            return
        self.changed.emit(machine)

    def _on_copy(self) -> None:
        if self._machine is not None:
            self.added.emit(duplicate(self._machine, {machine.name for machine in self._desk.ask(shelf.machines)}))

    def _on_write(self) -> None:
        if self._machine is None:
            return
        path, _ = QFileDialog.getSaveFileName(self, tr("Write the machine"), f"{self._machine.name}.json", FILES)
        if not path:
            return
        try:
            write_machine_file(Path(path), self._machine)
        except OSError as error:
            self.say(tr("{} cannot be written: {}.", path, error.strerror))
            return
        self.say(tr("Wrote {}.", path))

    def _on_take(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Take in a machine"), "", FILES)
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """Add the machine of a document."""
        try:
            machine = read_machine_file(path)
        except ValueError as error:
            self.say(str(error))
            return
        names = {known.name for known in self._desk.ask(shelf.machines)}
        self.added.emit(duplicate(machine, names) if machine.name in names else machine)

    def _on_load(self) -> None:
        if self._machine is None:
            return
        units = self._desk.settings.units
        try:
            load_kg = self._load.read(units, "kg")
            said = load_warnings(self._machine, load_kg) if load_kg is not None else None
        except ValueError as error:
            self._fits.setText(str(error))
            return
        self._fits.setText("" if said is None else units.sentence(" ".join(said)) or tr("It fits drum, probe and tray."))
