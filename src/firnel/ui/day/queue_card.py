"""The batches that wait to be roasted, in their order: earlier, out, and to the roaster."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.parts import button, card, label
from firnel.work.day import queue
from firnel.work.desk import Desk

#: What waits, and what was taken out, the latest first.
QueueRead = tuple[list[queue.Waiting], list[queue.Waiting]]


class QueueCard(QWidget):
    """Shows and orders what waits."""

    roast_wanted = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card()
        outer.addWidget(frame)
        self._title, self._sum = label("", "heading"), label("", "soft", wrap=True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Batches that wait"))
        self.list.setMinimumHeight(90)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row = QHBoxLayout()
        self.earlier, self.out = (
            button(tr("Earlier"), tr("Before the one above it")),
            button(tr("Take out"), tr("Not to be roasted")),
        )
        self.back = button(tr("Put back"), tr("Under its old number"))
        self.back.clicked.connect(self._on_back)
        self._waiting: list[queue.Waiting] = []
        self._out: queue.Waiting | None = None
        self.roast = button(tr("Roast next"), tr("Prepare the first one"), primary=True)
        self.earlier.clicked.connect(self._on_earlier)
        self.out.clicked.connect(self._on_out)
        self.roast.clicked.connect(self.roast_wanted)
        for widget in (self.earlier, self.out, self.back, self.roast):
            row.addWidget(widget)
        column.addWidget(self._title)
        column.addWidget(self.list, 1)
        column.addWidget(self._sum)
        column.addLayout(row)
        column.addStretch(0)  # under what is said where nothing waits

    def question(self) -> Callable[[], QueueRead]:
        """What reads what waits, and what was taken out."""
        ask = self._desk.ask
        return lambda: (ask(queue.queue), ask(queue.taken_out))

    def refresh(self) -> None:
        """Read the queue anew, and show it before this returns."""
        self.show_read(self.question()())

    def show_read(self, read: QueueRead) -> None:
        """Show what waits."""
        units, chosen = self._desk.settings.units, self.list.currentRow()
        waiting = self._waiting = read[0]
        out = self._out = next(iter(read[1]), None)
        self.list.clear()
        for one in waiting:
            item = QListWidgetItem(_line(one, units))
            item.setToolTip(_line(one, units))
            self.list.addItem(item)
        self.list.setCurrentRow(min(max(chosen, 0), len(waiting) - 1))
        self._title.setText(tr("To roast: {}", len(waiting)) if waiting else tr("Nothing waits"))
        green = sum(one.load_kg or 0.0 for one in waiting)
        self._sum.setText(
            tr("{} of green to weigh.", units.text(green, "kg"))
            if waiting
            else tr("Queue batches of a plan in Plan; {next} takes the first.")
        )
        for widget in (self.list, self.earlier, self.out, self.roast):
            widget.setVisible(bool(waiting))
        self.back.setVisible(out is not None)
        if out is not None:
            self.back.setText(tr("Put {} back", out.number))
            self.back.setToolTip(tr("It was taken out: {}", _line(out, units)))

    def _on_earlier(self) -> None:
        index = self.list.currentRow()
        if index > 0:
            self._desk.ask(queue.raise_up, self._waiting[index])
            self.list.setCurrentRow(index - 1)
            self.refresh()

    def _on_out(self) -> None:
        if self.list.currentRow() >= 0:
            self._desk.ask(queue.remove, self._waiting[self.list.currentRow()])
            self.refresh()

    def _on_back(self) -> None:
        if self._out is not None:
            self._desk.ask(queue.put_back, self._out)
            self.refresh()


def _line(one: queue.Waiting, units: Units) -> str:
    load = units.text(one.load_kg, "kg") if one.load_kg else tr("load not told")
    where = " · ".join(part for part in (one.machine, one.plan.name if one.lot else "") if part)
    return f"{one.number}  {one.lot or one.plan.name}, {load}" + (f"\n{where}" if where else "")
