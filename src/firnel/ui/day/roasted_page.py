"""The batches of one day, machine by machine, and what they come to."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from functools import partial

from PyQt6.QtCore import pyqtSignal

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.day.queue_card import QueueCard, QueueRead
from firnel.ui.shared.day_entry import DayEntry
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.shared.report_button import report_button
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter, BatchLine
from firnel.work.review.reports import Report, month_report


class RoastedPage(ListPage):
    """Shows what was roasted on a day, and what waits."""

    roast_wanted = pyqtSignal()

    def __init__(self, desk: Desk, today: date | None = None) -> None:
        super().__init__(
            desk,
            tr("Day"),
            tr("What was roasted, and what it comes to"),
            (tr("Batch"), tr("Time"), "+Lot", tr("Machine"), "#Green", "#Roasted", "#Loss"),
            tr("Nothing has been roasted on this day. Choose another day above, or press F4 to roast."),
            sheet_width=330,
        )
        self._date = DayEntry(tr("Day shown"), today or datetime.now().date(), tr("d MMMM yyyy"))
        back, forth = button(tr("Day before")), button(tr("Day after"))
        back.clicked.connect(self._on_back)
        forth.clicked.connect(self._on_forth)
        for widget in (back, self._date, forth):
            self.head.add(widget)
        self.head.add(report_button(self._report, self.head.tell))
        self._date.dateChanged.connect(self.read)
        totals, column = card()
        column.addWidget(label(tr("The day"), "heading"))
        self._totals = FigureGrid()
        column.addWidget(self._totals)
        self.sheet_column.addWidget(totals)
        one, one_column = card()
        self._name, self._one = ElidedLabel("heading"), FigureGrid()
        one_column.addWidget(self._name)
        one_column.addWidget(self._one)
        self.sheet_column.addWidget(one)
        self._one_card = one
        self.queue = QueueCard(desk)
        self.queue.roast_wanted.connect(self.roast_wanted)
        self.sheet_column.addWidget(self.queue, 1)

    def show_day(self, day: date) -> None:
        """Show this day."""
        self._date.show_day(day)

    def _on_back(self) -> None:
        self._date.show_day(self._date.day - timedelta(days=1))

    def _on_forth(self) -> None:
        self._date.show_day(self._date.day + timedelta(days=1))

    def _report(self) -> Callable[[], Report]:
        """Of the month of the day that is shown."""
        day = self._date.day
        return partial(self._desk.ask, month_report, day.year, day.month, self._desk.settings.units)

    def question(self) -> Callable[[], tuple[list[BatchLine], QueueRead]]:
        """What reads the batches of the day, and what waits."""
        ask, waiting = self._desk.ask, self.queue.question()
        start = datetime.combine(self._date.day, time()).astimezone(UTC)
        wanted = BatchFilter(since=start, until=start + timedelta(days=1))
        return lambda: (ask(shelf.batch_lines, wanted, limit=500), waiting())

    def show_read(self, read: tuple[list[BatchLine], QueueRead]) -> None:
        """Fill the list, sum it up, and show what waits."""
        units, (found, waiting) = self._desk.settings.units, read
        lines = [line for line in reversed(found) if line.status != "discarded"]
        self.show_rows(
            [
                (
                    (
                        line.label,
                        tr("{:%H:%M}", line.started.astimezone()),
                        line.lot or "–",
                        line.machine or "–",
                        units.text(line.load_kg, "kg"),
                        units.text(line.roasted_kg, "kg"),
                        tr("{:.1f} %", 100 * line.loss) if line.loss is not None else tr("to weigh"),
                    ),
                    line,
                )
                for line in lines
            ]
        )
        green = sum(line.load_kg or 0.0 for line in lines)
        weighed = [line for line in lines if line.roasted_kg is not None]
        roasted = sum(line.roasted_kg or 0.0 for line in weighed)
        rows: list[tuple[str, ...]] = [
            (tr("Batches"), str(len(lines))),
            (tr("Green charged"), units.text(green, "kg")),
            (tr("Roasted weight"), units.text(roasted, "kg")),
            (tr("Waiting for the scale"), str(len(lines) - len(weighed))),
        ]
        for machine in sorted({line.machine for line in lines if line.machine}):
            rows.append((machine, tr("{} batches", sum(line.machine == machine for line in lines))))
        self._totals.show_rows(rows)
        self._one_card.setVisible(bool(lines))
        self.queue.show_read(waiting)
        self.sheet.show()  # what waits is shown on an empty day too

    def show_choice(self, key: BatchLine, read: None) -> None:
        """Show one batch in short."""
        units = self._desk.settings.units
        self._name.show_text(tr("Batch {}", key.label))
        self._one.show_rows(
            [
                (tr("Drying"), clock(key.drying_s)),
                (tr("Browning"), clock(key.browning_s)),
                (tr("Development"), clock(key.development_s)),
                (tr("Total"), clock(key.total_s)),
                (tr("Drop"), units.text(key.drop_c, "°C", 1)),
                (tr("Plan"), key.plan or "–"),
            ]
        )
