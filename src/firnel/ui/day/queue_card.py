"""The batches that wait to be roasted, in their order: earlier, out, and to the roaster."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.ui.shared.parts import button, card, label
from firnel.work.day import queue
from firnel.work.desk import Desk


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
        self.list.setAccessibleName("Batches that wait")
        self.list.setMinimumHeight(90)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row = QHBoxLayout()
        self.earlier, self.out = button("Earlier", "Before the one above it"), button("Take out", "Not to be roasted")
        self.roast = button("Roast next", "Prepare the first one", primary=True)
        self.earlier.clicked.connect(self._on_earlier)
        self.out.clicked.connect(self._on_out)
        self.roast.clicked.connect(self.roast_wanted)
        for widget in (self.earlier, self.out, self.roast):
            row.addWidget(widget)
        column.addWidget(self._title)
        column.addWidget(self.list)
        column.addWidget(self._sum)
        column.addLayout(row)

    def refresh(self) -> None:
        """Read the queue anew."""
        units, chosen = self._desk.settings.units, self.list.currentRow()
        waiting = queue.queue(self._desk.library)
        self.list.clear()
        self.list.addItems([_line(one, units) for one in waiting])
        self.list.setCurrentRow(min(max(chosen, 0), len(waiting) - 1))
        self._title.setText(f"To roast: {len(waiting)}" if waiting else "Nothing waits")
        green = sum(one.load_kg or 0.0 for one in waiting)
        self._sum.setText(
            f"{units.text(green, 'kg')} of green to weigh."
            if waiting
            else "Queue batches of a plan in Plan; Q takes the first."
        )
        for widget in (self.list, self.earlier, self.out, self.roast):
            widget.setVisible(bool(waiting))

    def _on_earlier(self) -> None:
        index = self.list.currentRow()
        queue.raise_up(self._desk.library, index)
        self.list.setCurrentRow(max(index - 1, 0))
        self.refresh()

    def _on_out(self) -> None:
        if self.list.currentRow() >= 0:
            queue.remove(self._desk.library, self.list.currentRow())
            self.refresh()


def _line(one: queue.Queued, units: Units) -> str:
    load = units.text(one.load_kg, "kg") if one.load_kg else "load not told"
    return f"{one.number}  {one.plan.name}, {load}"
