"""Prepare a batch: lot, plan, machine and load, by keys."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.units import Units
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, card, label
from firnel.work.roast.batch_order import BatchOrder


class PrepareSheet(QWidget):
    """Takes down a `BatchOrder`."""

    prepared = pyqtSignal(object)  # BatchOrder
    cancelled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=4)
        outer.addWidget(frame)
        outer.addStretch(1)
        self._title = label(tr("Prepare a batch"), "heading")
        column.addWidget(self._title)
        self._plan, self._lot, self._machine = QComboBox(), QComboBox(), QComboBox()
        self._lot.setEditable(True)
        for name, box in (
            (tr("Plan"), self._plan),
            (tr("Lot (choose, or type a new one)"), self._lot),
            (tr("Machine"), self._machine),
        ):
            column.addWidget(label(name, "soft"))
            box.setAccessibleName(name)
            box.setMinimumContentsLength(12)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            column.addWidget(box)
        self._load_name = label(tr("Load"), "soft")
        column.addWidget(self._load_name)
        self._load = FigureEntry(tr("Load"))
        column.addWidget(self._load)
        self._warning = label("", "warn", wrap=True)
        column.addWidget(self._warning)
        row = QHBoxLayout()
        self._cancel, self._go = button(tr("Cancel"), "Esc"), button(tr("Prepare"), "Enter", primary=True)
        row.addWidget(self._cancel)
        row.addWidget(self._go, 1)
        column.addLayout(row)
        column.addWidget(self._cautions())
        self._go.clicked.connect(self._on_go)
        self._cancel.clicked.connect(self.cancelled)
        self._plan.currentIndexChanged.connect(self._on_plan)
        self._units = Units()
        self._lots: list[Lot] = []
        self._machines: list[Machine] = []
        self._offered: list[Plan] = []

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter prepares, whichever line has the cursor."""
        enter = event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and not isinstance(self.focusWidget(), QPushButton):
            self._on_go()
        else:
            super().keyPressEvent(event)

    def show_unnamed(self, label_of: str) -> None:
        """The beans of this batch are in the drum already, and the sheet says what they are; empty: none are."""
        self._title.setText(tr("What is in the drum? Batch {}", label_of) if label_of else tr("Prepare a batch"))
        words = tr("That is it") if label_of else tr("Prepare")
        self._go.setText(words)
        self._go.setAccessibleName(words)
        always = tr("Never leave a running roaster. Your machine's manual comes first.")
        before = tr(
            "Before you charge: draft right, chaff collector empty, tray fan and stirrer on, extinguisher at hand, CO alarm on."
        )
        self._caution.setText(always if label_of else f"{before} {always}")

    def _cautions(self) -> QFrame:
        frame = QFrame()
        column = QVBoxLayout(frame)
        column.setContentsMargins(0, 8, 0, 0)
        self._caution = label("", "caution", wrap=True)
        column.addWidget(self._caution)
        return frame

    def offer(self, lots: list[Lot], machines: list[Machine], plans: list[Plan], current: Machine | None, units: Units) -> None:
        """Offer what the library has, and take the focus."""
        self._lots, self._machines, self._units = lots, machines, units
        self._warning.setText("")
        self._load_name.setText(tr("Load, {}", units.mass))
        for box in (self._plan, self._lot, self._machine):
            box.blockSignals(True)
            box.clear()
        self._plan.addItem(tr("without a plan"), None)
        known = current.id if current is not None else None  # a stand-in for a device is none that plans are made for
        fitting = [plan for plan in plans if known is None or plan.machine_id in (None, known)]
        self._offered = fitting
        for plan in fitting:
            self._plan.addItem(plan.name, plan)
        for lot in lots:
            self._lot.addItem(lot.name)
        for machine in machines:
            self._machine.addItem(machine.name)
        for box in (self._plan, self._lot, self._machine):
            box.blockSignals(False)
        if current is not None:
            self._machine.setCurrentText(current.name)
        self._plan.setCurrentIndex(1 if fitting else 0)
        if not fitting and len(lots) > 1:
            self._lot.setCurrentIndex(-1)  # which of them it is nothing tells
        self._on_plan()
        self._plan.setFocus(Qt.FocusReason.OtherFocusReason)

    def choose_plan(self, plan: Plan) -> None:
        """Preselect a plan."""
        index = next((row for row, known in enumerate(self._offered) if known.id == plan.id), None)
        if index is not None:
            self._plan.setCurrentIndex(index + 1)

    def show_order(self, order: BatchOrder) -> None:
        """Show what is prepared, to be corrected."""
        if order.plan is not None:
            self.choose_plan(order.plan)
        else:
            self._plan.setCurrentIndex(0)
        if order.lot is not None:
            self._lot.setCurrentText(order.lot.name)
        if order.machine is not None:
            self._machine.setCurrentText(order.machine.name)
        if order.load_kg is not None:
            self._load.show_figure(self._units.show(order.load_kg, "kg"), 0 if self._units.mass == "g" else 2)

    def _on_plan(self) -> None:
        plan = self._plan.currentData()
        if not isinstance(plan, Plan):
            return
        if plan.lot:
            self._lot.setCurrentText(plan.lot)
        if plan.machine:
            self._machine.setCurrentText(plan.machine)
        if plan.load_kg is not None:
            self._load.show_figure(self._units.show(plan.load_kg, "kg"), 0 if self._units.mass == "g" else 2)

    def _on_go(self) -> None:
        try:
            load = self._load.read(self._units, "kg")
        except ValueError as error:
            self._warning.setText(str(error))
            return
        name = self._lot.currentText().strip()
        lot = next((lot for lot in self._lots if lot.name == name), Lot(name) if name else None)
        machine = next((m for m in self._machines if m.name == self._machine.currentText()), None)
        plan = self._plan.currentData()
        if machine is not None and load is not None and load > machine.stated_load_kg:
            most = self._units.text(machine.stated_load_kg, "kg")
            self._warning.setText(tr("{} is more than {} takes ({}).", self._units.text(load, "kg"), machine.name, most))
            return
        self.prepared.emit(BatchOrder(lot, machine, plan if isinstance(plan, Plan) else None, load))

    def say(self, sentence: str) -> None:
        """Show why the batch could not be prepared."""
        self._warning.setText(sentence)
