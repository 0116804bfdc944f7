"""When each batch is due on the table: after a day, after two, and rested by its level."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import partial

from PyQt6.QtCore import pyqtSignal

from firnel.core.words import tr
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import FigureGrid, button, card, label
from firnel.work.bench.resting import RESTED_DAYS, Due, level_of, rest_calendar
from firnel.work.desk import Desk


class RestPage(ListPage):
    """The rest calendar."""

    cup_wanted = pyqtSignal(list)  # ids of batches

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            tr("Due on the table"),
            tr("A quick cup within a day, judged again at two, and when rested"),
            (tr("Batch"), "+Lot", tr("Occasion"), tr("When"), tr("State")),
            tr("Nothing is due: roast, and each batch comes here at a day, at two, and rested."),
            sheet_width=330,
        )
        self.head.title.hide()
        self._due: list[Due] = []
        cup = button(tr("Cup what is due"), tr("Set a table of them"), primary=True)
        cup.clicked.connect(self._on_cup)
        self.head.add(cup)
        frame, column = card()
        self._title, self._rows = label("", "heading"), FigureGrid()
        column.addWidget(self._title)
        column.addWidget(self._rows)
        column.addWidget(
            label(
                tr(
                    "Rested: dark from day 3, medium 7, light 14; some 40 % of the gas leaves in the first day or so. "
                    "Fresh coffee in closed rooms gives off carbon monoxide: ventilate."
                ),
                "caution",
                wrap=True,
            )
        )
        self.sheet_column.addWidget(frame)
        self.sheet_column.addStretch(1)

    def question(self) -> Callable[[], list[Due]]:
        """What reads what is due."""
        return partial(self._desk.ask, rest_calendar, self._desk.clock.wall())

    def show_read(self, read: list[Due]) -> None:
        """Fill the list."""
        now, self._due = self._desk.clock.wall(), read
        self.show_rows(
            [
                (
                    (
                        due.line.label, due.line.lot or "–", due.occasion,
                        (tr("{:%a %d %b %H:%M}", due.at.astimezone()), due.at.timestamp()),
                        tr("due") if due.at <= now else tr("in {}", _span(due.at - now)),
                    ),
                    due,
                )
                for due in self._due
            ]
        )  # fmt: skip

    def show_choice(self, key: Due, read: None) -> None:
        """Show one batch in short."""
        line = key.line
        level = level_of(line)
        self._title.setText(tr("Batch {}, {}", line.label, level))
        self._rows.show_rows(
            [
                (tr("Roasted"), tr("{:%d %b %H:%M}", line.started.astimezone())),
                (tr("Plan"), line.plan or "–"),
                (tr("Weight loss"), tr("{:.1f} %", 100 * line.loss) if line.loss is not None else tr("not weighed")),
                (tr("Rested from day"), tr("{:.0f}", RESTED_DAYS[level])),
            ]
        )

    def _on_cup(self) -> None:
        now = self._desk.clock.wall()
        self.cup_wanted.emit(list(dict.fromkeys(due.line.id for due in self._due if due.at <= now + timedelta(hours=12))))


def _span(left: timedelta) -> str:
    hours = left.total_seconds() / 3600.0
    return tr("{:.0f} h", hours) if hours < 48 else tr("{:.0f} days", hours / 24)
