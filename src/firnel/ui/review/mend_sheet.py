"""Mending a batch: its order and results, with what stood there before; splitting it, and joining it with another."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.units import Units, clock, parse_clock
from firnel.core.vocabulary import BatchRecord, Lot, Machine
from firnel.core.words import tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import FigureGrid, button, label
from firnel.ui.shared.sheet import Sheet
from firnel.work.review.mending import Correction


class MendSheet(Sheet):
    """Shows one batch as it stands, and hands up what is to stand there instead."""

    mended = pyqtSignal(dict)
    split_wanted = pyqtSignal(float)  # log time [s]
    join_wanted = pyqtSignal(str)  # label of the other batch

    def __init__(
        self,
        record: BatchRecord,
        units: Units,
        lots: list[Lot],
        plans: list[Plan],
        machines: list[Machine],
        history: list[Correction],
        second_charge: float | None,
        parent: QWidget,
    ) -> None:
        super().__init__(tr("Mend batch {}", record.label), parent, 760)
        self._record, self._units = record, units
        column = QVBoxLayout(self.inside)
        column.setSpacing(10)
        column.addWidget(label(tr("Mend batch {}", record.label), "title"))
        column.addWidget(label(tr("What stood there before is kept below."), "subtitle"))
        self.lot, self.plan, self.machine = (
            _chosen_of(known, key)
            for known, key in ((lots, record.lot_id), (plans, record.plan_id), (machines, record.machine_id))
        )
        self.load, self.roasted = FigureEntry(tr("Green load, {}", units.mass)), FigureEntry(tr("Roasted, {}", units.mass))
        self.whole, self.ground = FigureEntry(tr("Colour whole")), FigureEntry(tr("Colour ground"))
        self.operator, self.tags, self.remark = QLineEdit(record.operator), QLineEdit(record.tags), QLineEdit(record.remark)
        self._show_figures()
        column.addLayout(self._grid())
        column.addLayout(self._split_row(second_charge))
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        if history:
            column.addWidget(label(tr("Mended before"), "heading"))
            column.addWidget(_told(history))
        column.addLayout(self._ways_out())

    def _show_figures(self) -> None:
        """What was weighed and measured."""
        record, units = self._record, self._units
        digits = 0 if units.mass == "g" else 3
        for field, kg in ((self.load, record.load_kg), (self.roasted, record.roasted_kg)):
            field.show_figure(None if kg is None else units.show(kg, "kg"), digits)
        self.whole.show_figure(record.colour_whole, 1)
        self.ground.show_figure(record.colour_ground, 1)

    def _grid(self) -> QGridLayout:
        """All that can be mended, each under its name."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        self.tags.setPlaceholderText(tr("words, separated by spaces"))
        fields: tuple[tuple[str, QWidget], ...] = (
            (tr("Lot"), self.lot), (tr("Plan"), self.plan), (tr("Machine"), self.machine),
            (tr("Who roasted"), self.operator),
            (tr("Green load, {}", self._units.mass), self.load), (tr("Roasted, {}", self._units.mass), self.roasted),
            (tr("Colour whole"), self.whole), (tr("Colour ground"), self.ground),
            (tr("Tags"), self.tags), (tr("Remark"), self.remark),
        )  # fmt: skip
        for index, (name, widget) in enumerate(fields):
            widget.setAccessibleName(name)
            grid.addWidget(label(name, "soft"), index // 2, 2 * (index % 2))
            grid.addWidget(widget, index // 2, 2 * (index % 2) + 1)
        return grid

    def _ways_out(self) -> QHBoxLayout:
        row = QHBoxLayout()
        leave, keep = button(tr("Leave")), button(tr("Keep"), primary=True)
        leave.clicked.connect(self.reject)
        keep.clicked.connect(self._on_keep)
        row.addStretch(1)
        row.addWidget(leave)
        row.addWidget(keep)
        return row

    def _split_row(self, second_charge: float | None) -> QHBoxLayout:
        row = QHBoxLayout()
        self.at, self.other = QLineEdit(), QLineEdit()
        self.at.setPlaceholderText(tr("m:ss after the charge"))
        self.at.setAccessibleName(tr("Split at"))
        if second_charge is not None:
            self.at.setText(clock(second_charge - self._record.charge_t))
        self.other.setPlaceholderText(tr("number of the other batch"))
        self.other.setAccessibleName(tr("Join with"))
        split, join = (
            button(tr("Split"), tr("A drop was forgotten: two batches are in one")),
            button(tr("Join"), tr("One batch in two parts")),
        )
        split.clicked.connect(self._on_split)
        join.clicked.connect(lambda: self.join_wanted.emit(self.other.text().strip()))
        told = tr("Split, beans fell in again at") if second_charge is not None else tr("Split at")
        for widget in (label(told, "soft"), self.at, split, label(tr("Join with"), "soft"), self.other, join):
            row.addWidget(widget)
        return row

    def say(self, sentence: str) -> None:
        """Tell why something was not done."""
        self._said.setText(self._units.sentence(sentence))

    def _on_split(self) -> None:
        try:
            since = parse_clock(self.at.text())
        except ValueError:
            since = None
        if since is None:
            self.say(tr("When? Minutes and seconds after the charge, as in 12:30."))
            return
        self.split_wanted.emit(self._record.charge_t + since)

    def _on_keep(self) -> None:
        try:
            values: dict[str, Any] = {
                "lot_id": self.lot.currentData(), "plan_id": self.plan.currentData(), "machine_id": self.machine.currentData(),
                "operator": self.operator.text().strip(), "tags": " ".join(self.tags.text().split()),
                "remark": self.remark.text().strip(), "colour_whole": self.whole.figure(),
                "colour_ground": self.ground.figure(),
            }  # fmt: skip
            for name, field in (("load_kg", self.load), ("roasted_kg", self.roasted)):
                kg, known = field.read(self._units, "kg"), getattr(self._record, name)
                # What is shown is rounded: what was not touched stays as it is.
                same = kg is not None and known is not None and abs(kg - known) < 6e-4
                values[name] = known if same else kg
            for name in ("colour_whole", "colour_ground"):
                known = getattr(self._record, name)
                if known is not None and values[name] is not None and abs(known - values[name]) < 0.06:
                    values[name] = known
        except ValueError as error:
            self.say(str(error))
            return
        self.mended.emit(values)


def _chosen_of(known: Sequence[Lot] | Sequence[Plan] | Sequence[Machine], key: int | None) -> QComboBox:
    """A choice among what is in use, and what stands there now."""
    box = QComboBox()
    box.addItem(tr("not told"), None)
    for one in known:
        if not one.archived or one.id == key:
            box.addItem(one.name, one.id)
    box.setCurrentIndex(max(box.findData(key), 0))
    return box


def _told(history: list[Correction]) -> FigureGrid:
    """What was mended before: from what to what, by whom and when."""
    shown = FigureGrid(words=3, small=True)
    shown.show_rows(
        [
            (
                f"{tr(one.field)}: {one.before or '–'} → {one.after or '–'}",
                one.who,
                tr("{:%d %b %Y %H:%M}", one.at.astimezone()),
            )
            for one in history[-8:]
        ]
    )
    return shown
