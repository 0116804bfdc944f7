"""Making a plan: for what, the targets, and the moves that the solver finds for them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from firnel.core.plan import Plan, Targets
from firnel.core.units import clock, parse_clock
from firnel.core.vocabulary import Machine
from firnel.ui.plan.stage_ruler import StageRuler
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import ElidedLabel, button, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.desk import Desk
from firnel.work.orders import ladder, split_order
from firnel.work.planning import DEVELOPMENT_S, FORMS, Solved, sensible_start, solve_plan, transferred

STAGES = (("drying_s", "Drying"), ("browning_s", "Browning"), ("development_s", "Development"))
#: How the approaches are called.
APPROACHES = {
    "falling": "falling rate",
    "air-led": "air-led",
    "soak-push": "soak and push",
    "times": "stage times first",
}


class PlanEditor(QFrame):
    """Takes targets, has them solved in the background, and hands over the plan."""

    solved = pyqtSignal(object)  # Solved
    kept = pyqtSignal(object)  # Plan
    laddered = pyqtSignal(list)  # of Plan, kept already
    left = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk = desk
        self._plan = Plan("")
        self._solved: Solved | None = None
        self.background = Background(self, self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(SPACE_M + 4, SPACE_M, SPACE_M + 4, SPACE_M)
        column.setSpacing(SPACE_S)
        column.addLayout(self._for_what())
        column.addLayout(self._targets())
        self.ruler = StageRuler(look)
        self.ruler.dragged.connect(self._on_dragged)
        self.ruler.released.connect(self.find_moves)
        column.addWidget(self.ruler)
        self._why = label("", "soft", wrap=True)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._why)
        column.addWidget(self._said)
        column.addLayout(self._orders())
        column.addLayout(self._buttons())

    def _for_what(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_S)
        grid.setVerticalSpacing(2)
        self._name = QLineEdit()
        self._name.setAccessibleName("Name of the plan")
        self._lot, self._machine, self._purpose, self._approach = (QComboBox() for _ in range(4))
        self._load = FigureEntry("Load")
        self._purpose.addItems(list(DEVELOPMENT_S))
        for key in FORMS:
            self._approach.addItem(APPROACHES[key], key)
        rows: tuple[tuple[str, QWidget, int], ...] = (
            ("Name", self._name, 3), ("Lot", self._lot, 3), ("Machine", self._machine, 2),
            ("Purpose", self._purpose, 2), ("Approach", self._approach, 3),
        )  # fmt: skip
        for index, (title, widget, stretch) in enumerate(rows):
            grid.addWidget(label(title, "soft"), 0, index)
            grid.addWidget(widget, 1, index)
            grid.setColumnStretch(index, stretch)
            if not widget.accessibleName():
                widget.setAccessibleName(title)
            if isinstance(widget, QComboBox):
                widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                widget.setMinimumContentsLength(5)
        self._machine.activated.connect(self._on_machine)
        self._lot.activated.connect(self._on_other_start)
        self._purpose.activated.connect(self._on_other_start)
        self._approach.activated.connect(self.find_moves)
        return grid

    def _targets(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_S)
        grid.setVerticalSpacing(2)
        self._charge, self._drop = FigureEntry("Charge"), FigureEntry("Drop")
        self._stages = {name: QLineEdit() for name, _ in STAGES}
        fields: list[tuple[str, QLineEdit]] = [("Load", self._load), ("Charge", self._charge)]
        fields += [(title, self._stages[name]) for name, title in STAGES] + [("Drop", self._drop)]
        self._titles: list[QLabel] = []
        for index, (title, field) in enumerate(fields):
            field.setObjectName("figures")
            field.setAccessibleName(title)
            field.editingFinished.connect(self._on_typed)
            self._titles.append(label(title, "soft"))
            grid.addWidget(self._titles[-1], 0, index)
            grid.addWidget(field, 1, index)
        return grid

    def _orders(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(SPACE_S)
        self._order = FigureEntry("Roasted wanted")
        self._order.setFixedWidth(150)
        self._order.textChanged.connect(self._on_order)
        self._split = ElidedLabel("soft")
        row.addWidget(self._order)
        row.addWidget(self._split, 1)
        return row

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self._ladder = button("Ladder", "Keep five variants, 15 s apart in development, to roast and cup")
        self._ladder.clicked.connect(self._on_ladder)
        row.addWidget(self._ladder)
        leave, find = button("Leave it"), button("Find the moves", "Solve for the targets")
        self._keep = button("Keep the plan", primary=True)
        leave.clicked.connect(self.left)
        find.clicked.connect(self.find_moves)
        self._keep.clicked.connect(self._on_keep)
        row.addStretch(1)
        for widget in (leave, find, self._keep):
            row.addWidget(widget)
        return row

    def begin(self, plan: Plan | None) -> None:
        """Begin with a plan's targets, or with a sensible start for the first lot and machine."""
        library = self._desk.library
        self._lot.clear()
        self._lot.addItems([lot.name for lot in library.lots() if not lot.archived])
        self._machine.clear()
        self._machine.addItems([machine.name for machine in library.machines()])
        self._plan = plan or Plan("")
        self._solved = None
        self._keep.setEnabled(False)
        self._ladder.setEnabled(False)
        self._order.clear()
        self._order.setPlaceholderText(f"roasted, {self._desk.settings.units.mass}")
        units = self._desk.settings.units
        self._titles[0].setText(f"Load, {units.mass}")
        self._titles[1].setText(f"Charge, {units.temperature}")
        self._titles[-1].setText(f"Drop, {units.temperature}")
        if plan is None:
            self._name.clear()
            self._on_other_start()
            return
        for box, text in ((self._lot, plan.lot), (self._machine, plan.machine), (self._purpose, plan.purpose)):
            box.setCurrentText(text)
        self._approach.setCurrentIndex(max(self._approach.findData(plan.approach), 0))
        self._name.setText(plan.name)
        self._show_load(plan.load_kg)
        self._show_targets(plan.targets)
        self._explain("")
        self.find_moves()

    def _chosen_machine(self) -> Machine | None:
        return next((m for m in self._desk.library.machines() if m.name == self._machine.currentText()), None)

    def _on_other_start(self) -> None:
        machine = self._chosen_machine()
        if machine is None:
            self._say("Add a machine first (F7): a plan is for one.")
            return
        lot = next((lot for lot in self._desk.library.lots() if lot.name == self._lot.currentText()), None)
        targets, why = sensible_start(self._desk.library, machine, lot, self._purpose.currentText())
        self._explain(" ".join(why))
        self._show_load(machine.useful_load_kg)
        self._show_targets(targets)
        self.find_moves()

    def _on_machine(self) -> None:
        """Another machine: a plan that has one already travels; a new one begins anew."""
        machines = self._desk.library.machines()
        source = next((m for m in machines if m.name == self._plan.machine), None)
        target, targets = self._chosen_machine(), self._read()
        if source is None or target is None or targets is None or source.name == target.name:
            self._on_other_start()
            return
        lot = next((lot for lot in self._desk.library.lots() if lot.name == self._lot.currentText()), None)
        usual, _ = sensible_start(self._desk.library, target, lot, self._purpose.currentText())
        moved, why = transferred(targets, source, target, usual)
        share = (self._plan.load_kg or source.useful_load_kg) / source.useful_load_kg
        self._plan = replace(self._plan, id=None, machine=target.name)  # a plan of its own from here on
        self._name.setText(f"{self._plan.name} on {target.name}")
        self._explain(why)
        self._show_load(round(share * target.useful_load_kg, 2))
        self._show_targets(moved)
        self.find_moves()

    def _show_load(self, load_kg: float | None) -> None:
        units = self._desk.settings.units
        self._load.show_figure(None if load_kg is None else units.show(load_kg, "kg"), 2 if units.mass == "kg" else 0)

    def _show_targets(self, targets: Targets) -> None:
        units = self._desk.settings.units
        for field, value in ((self._charge, targets.charge_c), (self._drop, targets.drop_c)):
            field.show_figure(None if value is None else units.show(value, "°C"), 0 if field is self._charge else 1)
        for name, entry in self._stages.items():
            seconds = getattr(targets, name)
            entry.setText("" if seconds is None else clock(seconds))
        self._show_ruler()

    def _show_ruler(self) -> None:
        targets = self._read()
        if targets is None:
            return
        seconds = (targets.drying_s or 300.0, targets.browning_s or 220.0, targets.development_s or 95.0)
        self.ruler.show_stages(seconds, self._desk.settings.units.text(targets.drop_c, "°C", 1))

    def _read(self) -> Targets | None:
        """The targets as typed; None, with a word, if one is not understood."""
        units = self._desk.settings.units
        try:
            charge, drop = self._charge.figure(), self._drop.figure()
            stages = {name: parse_clock(field.text()) if field.text().strip() else None for name, field in self._stages.items()}
        except ValueError as error:
            self._say(str(error) if "figure" in str(error) else "Stage times are written minutes:seconds, such as 5:10.")
            return None
        return Targets(
            None if charge is None else units.read(charge, "°C"),
            stages["drying_s"],
            stages["browning_s"],
            stages["development_s"],
            None if drop is None else units.read(drop, "°C"),
        )

    def _on_dragged(self, seconds: tuple[float, float, float]) -> None:
        for (name, _), value in zip(STAGES, seconds, strict=True):
            self._stages[name].setText(clock(value))

    def _on_typed(self) -> None:
        self._show_ruler()

    def find_moves(self) -> None:
        """Have the moves found, in the background; the newest wish wins."""
        machine, targets = self._chosen_machine(), self._read()
        if machine is None or targets is None:
            return
        units = self._desk.settings.units
        try:
            typed = self._load.figure()
        except ValueError as error:
            self._say(str(error))
            return
        wanted = replace(
            self._plan,
            name=self._name.text().strip() or f"{self._lot.currentText()} {self._purpose.currentText()}".strip(),
            lot=self._lot.currentText(),
            machine=machine.name,
            load_kg=None if typed is None else units.read(typed, "kg"),
            purpose=self._purpose.currentText(),
            approach=str(self._approach.currentData()),
            targets=targets,
        )
        library = self._desk.library
        self.background.run("solve", lambda: solve_plan(library, machine, wanted, targets), self._on_solved)

    def _on_solved(self, result: Any) -> None:
        self._solved = result
        self._keep.setEnabled(True)
        self._ladder.setEnabled(True)
        self._say(" ".join((*result.not_met, *result.warnings)))
        self.solved.emit(result)

    def _say(self, sentence: str) -> None:
        self._said.setText(sentence)
        self._said.setVisible(bool(sentence))

    def _explain(self, sentence: str) -> None:
        self._why.setText(sentence)
        self._why.setVisible(bool(sentence))

    def _on_order(self) -> None:
        """An order in roasted weight: how many batches of what load."""
        units, machine = self._desk.settings.units, self._chosen_machine()
        lot = next((lot for lot in self._desk.library.lots() if lot.name == self._lot.currentText()), None)
        try:
            typed = self._order.figure()
            if typed is None or machine is None or lot is None:
                self._split.show_text("")
                return
            split = split_order(self._desk.library, lot, machine, units.read(typed, "kg"))
        except ValueError as error:
            self._split.show_text(str(error))
            return
        load, out = units.text(split.load_kg, "kg"), split.expected
        spread = 50.0 * (out.high - out.low)
        words = f"{split.batches} × {load}, loss {100 * out.loss:.1f} ± {spread:.1f} %"
        self._split.show_text(" · ".join((words, *split.warnings)))
        self._show_load(split.load_kg)

    def _on_ladder(self) -> None:
        """Solve and keep the variants of a ladder, in the background."""
        machine = self._chosen_machine()
        if self._solved is None or machine is None:
            return
        library, wanted = (
            self._desk.library,
            replace(self._solved.plan, name=self._name.text().strip() or self._solved.plan.name),
        )
        try:
            variants = ladder(wanted)
        except ValueError as error:
            self._say(str(error))
            return

        def keep() -> list[Plan]:
            return [library.save_plan(solve_plan(library, machine, variant, variant.targets).plan) for variant in variants]

        self._say("Solving the five variants …")
        self.background.run("ladder", keep, self._on_laddered)

    def _on_laddered(self, plans: list[Plan]) -> None:
        self._say("")
        self.laddered.emit(plans)

    def _on_keep(self) -> None:
        if self._solved is None:
            return
        name = self._name.text().strip() or self._solved.plan.name
        if any(plan.name == name and plan.id != self._plan.id for plan in self._desk.library.plans()):
            self._say(f"There is a plan called {name} already.")
            return
        self.kept.emit(replace(self._solved.plan, name=name, id=self._plan.id))
