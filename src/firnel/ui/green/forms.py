"""The forms of Green: a lot's facts, a measurement, a stocktake."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.vocabulary import Lot
from firnel.core.words import tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, label, rename
from firnel.ui.shared.sheet import Sheet
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.green.intake import RULES, HouseRules
from firnel.work.green.samples import KINDS as SAMPLES

#: Field, name, and for figures: unit, what it is multiplied by on the way in, lowest and highest as typed.
FACTS: tuple[tuple[str, str, tuple[str, float, float, float] | None], ...] = (
    ("name", tr("Name"), None),
    ("origin", tr("Origin"), None),
    ("station", tr("Station"), None),
    ("variety", tr("Variety"), None),
    ("process", tr("Process"), None),
    ("altitude_m", tr("Altitude"), ("m", 1.0, -100.0, 4000.0)),
    ("harvest", tr("Harvest"), None),
    ("arrival", tr("Arrival"), None),
    ("bags", tr("Bags"), ("bags", 1.0, 0.0, 1e5)),
    ("price_per_kg", tr("Price"), (tr("per kg"), 1.0, 0.0, 1e6)),
    ("density_g_per_l", tr("Density"), ("g/L", 1.0, 450.0, 950.0)),
    ("moisture", tr("Moisture"), ("%", 0.01, 3.0, 20.0)),
    ("replaces", tr("Takes the place of"), None),
    ("remark", tr("Remark"), None),
)
HINTS = {"harvest": tr("May 2026"), "arrival": "2026-08", "process": tr("washed, natural, honey …")}


class LotForm(QFrame):
    """Facts of one lot, new or known; shown in place of its sheet."""

    saved = pyqtSignal(object)  # Lot
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self._lot = Lot("")
        column = QVBoxLayout(self)
        column.setContentsMargins(SPACE_M + 4, SPACE_M, SPACE_M + 4, SPACE_M)
        column.setSpacing(SPACE_S)
        self._title = label(tr("A new lot"), "heading")
        column.addWidget(self._title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(SPACE_S)
        self._fields: dict[str, QLineEdit] = {}
        for index, (name, title, figure) in enumerate(FACTS):
            field = QLineEdit() if figure is None else FigureEntry(title)
            field.setAccessibleName(title)
            field.setPlaceholderText(HINTS.get(name, "" if figure is None else figure[0]))
            row, side = index // 3, index % 3
            grid.addWidget(label(title, "soft"), 2 * row, side)
            grid.addWidget(field, 2 * row + 1, side)
            self._fields[name] = field
        self._kg = FigureEntry(tr("On hand"))
        self._kg_name = label(tr("On hand"), "soft")
        row, side = len(FACTS) // 3, len(FACTS) % 3
        grid.addWidget(self._kg_name, 2 * row, side)
        grid.addWidget(self._kg, 2 * row + 1, side)
        self._sample = QComboBox()
        self._sample.setAccessibleName(tr("What it is a sample of"))
        self._sample.addItems([tr("{} sample", kind) for kind in SAMPLES])
        column.addWidget(self._sample)
        column.addLayout(grid)
        self._warning = label("", "warn", wrap=True)
        column.addWidget(self._warning)
        buttons = QHBoxLayout()
        leave, self._save = button(tr("Leave it")), button(tr("Add it"), primary=True)
        leave.clicked.connect(self.left)
        self._save.clicked.connect(self._on_save)
        buttons.addStretch(1)
        buttons.addWidget(leave)
        buttons.addWidget(self._save)
        column.addLayout(buttons)
        column.addStretch(1)

    def begin(self, lot: Lot | None, units: Units, sample: str = "") -> None:
        """Begin with a known lot's facts, or with a new one; or with a sample."""
        self._lot, self._units = lot or Lot("", sample=sample), units
        self._title.setText(tr("The facts of {}", lot.name) if lot else tr("A new sample") if sample else tr("A new lot"))
        self._sample.setVisible(bool(self._lot.sample))
        self._sample.setCurrentText(tr("{} sample", self._lot.sample))
        self._save.setText(tr("Keep it") if lot else tr("Add it"))
        self._save.setAccessibleName(self._save.text())
        for name, _, figure in FACTS:
            value = getattr(self._lot, name)
            text = "" if value is None else str(value)
            if figure is not None and value is not None:
                text = tr("{:g}", value / figure[1])
            self._fields[name].setText(text)
        self._kg.clear()
        self._kg.setPlaceholderText(units.mass)
        self._kg.setVisible(lot is None)
        self._kg_name.setVisible(lot is None)
        self.say("")
        self._fields["name"].setFocus()

    def say(self, sentence: str) -> None:
        """Show what is wrong."""
        self._warning.setText(sentence)

    def _on_save(self) -> None:
        values: dict[str, Any] = {}
        try:
            for name, title, figure in FACTS:
                field = self._fields[name]
                if figure is None or not isinstance(field, FigureEntry):
                    values[name] = field.text().strip()
                    continue
                unit, by, low, high = figure
                typed = field.read(self._units, unit)
                if typed is not None and not low <= typed <= high:
                    raise ValueError(
                        tr("{} of {:g} {} cannot be: it lies between {:g} and {:g} {}.", title, typed, unit, low, high, unit)
                    )
                values[name] = None if typed is None else int(typed) if name == "bags" else typed * by
            on_hand = self._kg.read(self._units, "kg")
        except ValueError as error:
            self.say(str(error))
            return
        if not values["name"]:
            self.say(tr("A lot needs a name."))
            return
        if self._lot.id is None and on_hand is not None:
            values["on_hand_kg"] = on_hand
        if self._lot.sample:
            values["sample"] = SAMPLES[self._sample.currentIndex()]
        self.saved.emit(replace(self._lot, **values))


#: Kind, title, hint for the line, and the name, default and unit of the figure beside it.
KINDS = (
    ("density", tr("Bulk density"), tr("fills: 182.0 181.4 g"), (tr("Vessel, mL"), "250", "mL")),
    ("moisture", tr("Moisture"), tr("per cent: 10.8"), None),
    ("water_activity", tr("Water activity"), "0.55", None),
    ("screens", tr("Screen sizes"), tr("15:20 16:85 17:140 g"), None),
    ("defects", tr("Defects"), tr("broken 6, shell 3"), (tr("Sample, g"), "350", "g")),
)


class MeasureForm(QWidget):
    """One line for a measurement: kind, figures, Enter."""

    typed = pyqtSignal(str, str, object)  # kind, line, figure beside it or None

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        row = QHBoxLayout()
        row.setSpacing(SPACE_S)
        self._kind = QComboBox()
        self._kind.setAccessibleName(tr("What is measured"))
        for _, title, _, _ in KINDS:
            self._kind.addItem(title)
        self._line = QLineEdit()
        self._line.setAccessibleName(tr("Figures of the measurement"))
        self._beside = FigureEntry(tr("Vessel or sample"))
        self._beside.setFixedWidth(72)
        self._unit = label("", "soft")
        row.addWidget(self._kind, 1)
        row.addWidget(self._beside)
        row.addWidget(self._unit)
        column.addLayout(row)
        second = QHBoxLayout()
        second.setSpacing(SPACE_S)
        save = button(tr("Keep"), tr("Keep this measurement (Enter)"))
        save.setAccessibleName(tr("Keep the measurement"))
        second.addWidget(self._line, 1)
        second.addWidget(save)
        column.addLayout(second)
        self._said = label("", "soft", wrap=True)
        column.addWidget(self._said)
        self._kind.currentIndexChanged.connect(self._on_kind)
        self._line.returnPressed.connect(self._on_save)
        save.clicked.connect(self._on_save)
        self._on_kind()

    def say(self, sentence: str, wrong: bool = False) -> None:
        """Show the result, or what is wrong."""
        rename(self._said, "warn" if wrong else "soft")
        self._said.setText(sentence)
        if not wrong and sentence:
            self._line.clear()

    def _on_kind(self) -> None:
        _, _, hint, beside = KINDS[self._kind.currentIndex()]
        self._line.setPlaceholderText(hint)
        for widget in (self._beside, self._unit):
            widget.setVisible(beside is not None)
        if beside is not None:
            self._unit.setText(beside[2])
            self._beside.setText(beside[1])
            self._beside.setAccessibleName(beside[0])
            self._beside.setToolTip(beside[0])
        self._said.setText("")

    def _on_save(self) -> None:
        kind, _, _, beside = KINDS[self._kind.currentIndex()]
        try:
            figure = self._beside.figure() if beside is not None else None
        except ValueError as error:
            self.say(str(error), wrong=True)
            return
        self.typed.emit(kind, self._line.text(), figure)


class RulesDialog(Sheet):
    """The rules of the house: by how much each trait moves charge and early heat."""

    kept = pyqtSignal(object)  # dict of name to (charge [degC], heat [share])

    def __init__(self, rules: HouseRules, units: Units, parent: QWidget) -> None:
        super().__init__(tr("Rules of the house"), parent)
        self._units = units
        column = QVBoxLayout(self.inside)
        column.addWidget(label(tr("Rules of the house"), "title"))
        column.addWidget(label(tr("What a trait of the green does to the charge and to the early heat."), "soft"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(4)
        for index, title in enumerate(("", tr("charge, {}", units.temperature), tr("early heat, %"))):
            grid.addWidget(label(title, "soft"), 0, index)
        self._rows: dict[str, tuple[FigureEntry, FigureEntry]] = {}
        for row, (name, words) in enumerate(RULES.items(), start=1):
            charge_c, heat = getattr(rules, name)
            fields = FigureEntry(tr("Charge, {}", words)), FigureEntry(tr("Early heat, {}", words))
            fields[0].show_figure(units.show_difference(charge_c), 0)
            fields[1].show_figure(100.0 * heat, 0)
            grid.addWidget(label(words), row, 0)
            for index, field in enumerate(fields, start=1):
                field.setFixedWidth(110)
                grid.addWidget(field, row, index)
            self._rows[name] = fields
        column.addLayout(grid)
        self._warning = label("", "warn", wrap=True)
        column.addWidget(self._warning)
        buttons = QHBoxLayout()
        leave, keep = button(tr("Leave them")), button(tr("Keep them"), primary=True)
        leave.clicked.connect(self.reject)
        keep.clicked.connect(self._on_keep)
        buttons.addStretch(1)
        buttons.addWidget(leave)
        buttons.addWidget(keep)
        column.addLayout(buttons)

    def say(self, sentence: str) -> None:
        """Show what is wrong."""
        self._warning.setText(sentence)

    def _on_keep(self) -> None:
        try:
            changed = {
                name: (charge.read_difference(self._units) or 0.0, (heat.read(self._units, "%") or 0.0) / 100.0)
                for name, (charge, heat) in self._rows.items()
            }
        except ValueError as error:
            self.say(str(error))
            return
        self.kept.emit(changed)
