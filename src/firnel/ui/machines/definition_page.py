"""The definition of a machine: loads, scales, readings, routines; the load check; copies and files."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.vocabulary import Control, ControlScale, Machine
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, card, label
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.machines.care import load_warnings
from firnel.work.machines.files import duplicate, machine_to_text, read_machine_file

FILES = "Machine documents (*.json)"
#: Field of the machine, title, unit of SI, digits.
FIGURES = (
    ("stated_load_kg", "Stated load", "kg", 1),
    ("useful_load_kg", "Useful load", "kg", 1),
    ("tray_litres", "Tray holds", "L", 0),
    ("altitude_m", "Altitude", "m", 0),
    ("yellow_c", "Yellow at", "°C", 1),
    ("first_crack_c", "First crack at", "°C", 1),
    ("second_crack_c", "Second crack at", "°C", 1),
)
TEXTS = (
    ("air_probe", "Air probe sits in"),
    ("draft_check", "Draft, last checked"),
    ("preheat", "Preheat"),
    ("between", "Between batches (; parts steps)"),
    ("checks", "Checks before charge"),
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
            grid.addWidget(self._titles[name], 2 * (index // 4), index % 4)
            grid.addWidget(entry, 2 * (index // 4) + 1, index % 4)
        column.addLayout(grid)
        scales = QGridLayout()
        scales.setHorizontalSpacing(SPACE_M)
        scales.setVerticalSpacing(1)
        for index, title in enumerate(("", "unit", "from", "to", "step", "least that works")):
            scales.addWidget(label(title, "soft"), 0, index)
        self._scales: dict[Control, tuple[QLineEdit, ...]] = {}
        for row, control in enumerate(Control, start=1):
            unit = QLineEdit()
            unit.setAccessibleName(f"Unit of the {control.value}")
            fields = (unit, *(FigureEntry(f"{what} of the {control.value}") for what in ("Low", "High", "Step", "Least")))
            scales.addWidget(label(control.value.capitalize()), row, 0)
            for index, field in enumerate(fields, start=1):
                scales.addWidget(field, row, index)
            self._scales[control] = fields
        column.addLayout(scales)
        texts = QGridLayout()
        texts.setHorizontalSpacing(SPACE_M)
        texts.setVerticalSpacing(1)
        self._texts: dict[str, QLineEdit] = {}
        for index, (name, title) in enumerate(TEXTS):
            field = QLineEdit()
            field.setAccessibleName(title)
            short = index < 2  # two in one row
            row, column_at = (0, 2 * index) if short else (index - 1, 0)
            texts.addWidget(label(title, "soft"), row, column_at)
            texts.addWidget(field, row, column_at + 1, 1, 1 if short else 3)
            self._texts[name] = field
        column.addLayout(texts)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        column.addStretch(1)
        column.addLayout(self._buttons())
        return frame

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        copy, write, take = button("Duplicate"), button("Write a file"), button("Take in a file")
        keep = button("Keep changes", primary=True)
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
        self._load = FigureEntry("Load to check")
        self._load.setFixedWidth(110)
        self._load.textChanged.connect(self._on_load)
        row.addWidget(label("Does it fit?", "heading"))
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
            self._titles[name].setText(f"{title}, {units.shown_unit(unit)}")
            self._figures[name].show_figure(None if value is None else units.show(value, unit), digits)
        for name, _ in TEXTS:
            self._texts[name].setText(str(getattr(machine, name)))
            self._texts[name].setCursorPosition(0)
        for control, fields in self._scales.items():
            scale = machine.controls.get(control)
            shown = ("", "", "", "", "") if scale is None else (
                scale.unit, *(f"{value:g}" for value in (scale.low, scale.high, scale.step, scale.least))
            )  # fmt: skip
            for field, text in zip(fields, shown, strict=True):
                field.setText(text)
        self._load.setPlaceholderText(units.mass)
        self._said.setText("")
        self._on_load()

    def _on_keep(self) -> None:
        if self._machine is None:
            return
        units = self._desk.settings.units
        try:
            values: dict[str, float | None] = {}
            for name, title, unit, _ in FIGURES:
                typed = self._figures[name].figure()
                values[name] = None if typed is None else units.read(typed, unit)
                if typed is None and name not in ("tray_litres", "second_crack_c"):
                    raise ValueError(f"{title} is needed.")
            texts = {name: self._texts[name].text().strip() for name, _ in TEXTS}
            controls = {c: scale for c, fields in self._scales.items() if (scale := _scale(self._machine, c, fields))}
            machine = replace(self._machine, controls=controls, **values, **texts)  # type: ignore[arg-type]
            if not 0 < machine.useful_load_kg <= machine.stated_load_kg:
                raise ValueError("The useful load lies above nothing and at most at the stated load.")
            if not 100 < machine.yellow_c < machine.first_crack_c < 240:
                raise ValueError("Yellow comes before first crack, and both between 100 and 240 °C on the probe.")
        except ValueError as error:
            self._said.setText(str(error))
            return
        self.changed.emit(machine)

    def _on_copy(self) -> None:
        if self._machine is not None:
            self.added.emit(duplicate(self._machine, {machine.name for machine in self._desk.ask(shelf.machines)}))

    def _on_write(self) -> None:
        if self._machine is None:
            return
        path, _ = QFileDialog.getSaveFileName(self, "Write the machine", f"{self._machine.name}.json", FILES)
        if not path:
            return
        try:
            Path(path).write_text(machine_to_text(self._machine), encoding="utf-8")
        except OSError as error:
            self._said.setText(f"{path} cannot be written: {error.strerror}.")
            return
        self._said.setText(f"Wrote {path}.")

    def _on_take(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Take in a machine", "", FILES)
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """Add the machine of a document."""
        try:
            machine = read_machine_file(path)
        except ValueError as error:
            self._said.setText(str(error))
            return
        names = {known.name for known in self._desk.ask(shelf.machines)}
        self.added.emit(duplicate(machine, names) if machine.name in names else machine)

    def _on_load(self) -> None:
        if self._machine is None:
            return
        units = self._desk.settings.units
        try:
            typed = self._load.figure()
            said = load_warnings(self._machine, units.read(typed, "kg")) if typed is not None else None
        except ValueError as error:
            self._fits.setText(str(error))
            return
        self._fits.setText("" if said is None else units.sentence(" ".join(said)) or "It fits drum, probe and tray.")


def _scale(machine: Machine, control: Control, fields: tuple[QLineEdit, ...]) -> ControlScale | None:
    """The scale as typed; None where all is empty."""
    unit = fields[0].text().strip()
    figures = [field.figure() for field in fields[1:] if isinstance(field, FigureEntry)]
    if not unit and all(figure is None for figure in figures):
        return None
    low, high, step, least = figures
    if not unit or low is None or high is None or step is None:
        raise ValueError(f"{control.value.capitalize()} needs a unit, from, to and step; or nothing at all.")
    if not low < high or not 0 < step <= high - low:
        raise ValueError(f"{control.value.capitalize()} runs from {low:g} to {high:g} in steps of {step:g}: that cannot be.")
    before = machine.controls.get(control)
    return ControlScale(unit, low, high, step, least or 0.0, before.reported if before is not None else True)
