"""What a plan is for: its name, lot, machine, purpose, approach, load, room and drum, in one row."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import choose, chosen, label, offer
from firnel.ui.shared.side_by_side import SideBySide, fields
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.plan.planning import DEVELOPMENT_S, FORMS
from firnel.work.plan.words import APPROACHES, within_limits
from firnel.work.plan.workbench import PlanWorkbench

#: So many of them stand in the first row where one is too short for all.
FIRST = 4
#: So many letters of what is chosen are read at least, and figures whole. [letters, px]
LEAST_WORD, LEAST_FIGURE = 8, 72


class ForWhat(SideBySide):
    """Shows what the plan on a workbench is for, and has the bench take what is chosen or typed instead."""

    refused = pyqtSignal(str)  # why a figure is not taken

    def __init__(self, bench: PlanWorkbench) -> None:
        super().__init__(SPACE_S)
        self._bench, self._units = bench, Units()
        self._name = QLineEdit()
        self._name.setAccessibleName(tr("Name of the plan"))
        self._lot, self._machine, self._purpose, self._approach = (QComboBox() for _ in range(4))
        self._load, self._room, self._drum = FigureEntry(tr("Load")), FigureEntry(tr("Room")), FigureEntry(tr("Drum at charge"))
        self._drum.setToolTip(tr("How much colder (−) or hotter than usual the steel is at charge"))
        offer(self._purpose, DEVELOPMENT_S)
        for key in FORMS:
            self._approach.addItem(APPROACHES[key], key)
        rows: tuple[tuple[str, QWidget, int], ...] = (
            (tr("Name"), self._name, 6), (tr("Lot"), self._lot, 5), (tr("Machine"), self._machine, 4),
            (tr("Purpose"), self._purpose, 3), (tr("Approach"), self._approach, 4), (tr("Load"), self._load, 2),
            (tr("Room"), self._room, 2), (tr("Drum ±"), self._drum, 2),
        )  # fmt: skip
        self._heads: dict[QWidget, QLabel] = {}
        grids = [fields(self, sum(stretch for _, _, stretch in part)) for part in (rows[:FIRST], rows[FIRST:])]
        for index, (title, widget, stretch) in enumerate(rows):
            self._heads[widget] = label(title, "soft")
            grid, column = grids[index // FIRST], index % FIRST
            grid.addWidget(self._heads[widget], 0, column)
            grid.addWidget(widget, 1, column)
            grid.setColumnStretch(column, stretch)
            if not widget.accessibleName():
                widget.setAccessibleName(title)
            if isinstance(widget, QComboBox):
                widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                widget.setMinimumContentsLength(LEAST_WORD)
            if isinstance(widget, FigureEntry):
                widget.setMinimumWidth(LEAST_FIGURE)
        self._connect()

    def _connect(self) -> None:
        bench = self._bench
        self._machine.activated.connect(lambda _: bench.choose_machine(self._machine.currentData()))
        self._lot.activated.connect(lambda _: bench.choose_lot(self._lot.currentData()))
        self._purpose.activated.connect(lambda _: bench.choose_purpose(chosen(self._purpose)))
        self._approach.activated.connect(lambda _: bench.choose_approach(str(self._approach.currentData())))
        self._name.textChanged.connect(bench.rename)
        for field in (self._load, self._room, self._drum):
            field.editingFinished.connect(self._on_conditions)

    def use(self, units: Units) -> None:
        """The units in which load, room and drum are shown and typed."""
        self._units = units
        self._heads[self._load].setText(tr("Load, {}", units.mass))
        self._heads[self._room].setText(tr("Room, {}", units.temperature))
        self._heads[self._drum].setText(tr("Drum ±{}", units.temperature))

    def show_plan(self) -> None:
        """Show what the plan can be for, and what it is for."""
        plan = self._bench.plan
        for box, offered, taken in (
            (self._lot, [(lot.name, lot.id) for lot in self._bench.lots], plan.lot_id),
            (self._machine, [(machine.name, machine.id) for machine in self._bench.machines], plan.machine_id),
        ):
            if [(box.itemText(index), box.itemData(index)) for index in range(box.count())] != offered:
                box.clear()
                for name, key in offered:
                    box.addItem(name, key)
            box.setCurrentIndex(box.findData(taken) if taken is not None else -1)
        choose(self._purpose, plan.purpose)
        self._approach.setCurrentIndex(max(self._approach.findData(plan.approach), 0))
        if self._name.text() != self._bench.name:
            self._name.setText(self._bench.name)
        self._show_conditions()

    def _on_conditions(self) -> None:
        """Load, room or drum as typed."""
        units, plan = self._units, self._bench.plan
        try:
            load, room, drum = self._load.read(units, "kg"), self._room.read(units, "°C"), self._drum.read_difference(units)
            load_kg = None if load is None else within_limits("load_kg", load, units)
            room_c = 22.0 if room is None else within_limits("room_c", round(room, 1), units)
            drum_c = 0.0 if drum is None else within_limits("drum_c", round(drum, 1), units)
        except ValueError as error:
            self._show_conditions(typed_too=True)  # what stands there is the plan's
            self.refused.emit(str(error))
            return
        if load_kg is not None and plan.load_kg is not None and abs(load_kg - plan.load_kg) < 0.005:
            load_kg = plan.load_kg
        self._bench.edit(replace(plan, load_kg=load_kg, room_c=room_c, drum_c=drum_c))

    def _show_conditions(self, typed_too: bool = False) -> None:
        """Load, room and drum as the plan has them; what is being typed stays, unless that is refused."""
        units, plan = self._units, self._bench.plan
        load = None if plan.load_kg is None else units.show(plan.load_kg, "kg")
        for field, value, digits in (
            (self._load, load, 2 if units.mass == "kg" else 0),
            (self._room, units.show(plan.room_c, "°C"), 0),
            (self._drum, units.show_difference(plan.drum_c), 0),
        ):
            if typed_too or not field.hasFocus() or not field.isModified():
                field.show_figure(value, digits)
