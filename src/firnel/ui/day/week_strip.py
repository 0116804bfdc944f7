"""The calendar week of the day that is planned: what is due on each day; a click goes there."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.parts import button, label, restyle
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.day.planning import DayOfWeek

#: The rows that a week falls into where it has no room in one.
FIRST_DAYS, LATER_DAYS = range(4), range(4, 7)


class WeekStrip(SideBySide):
    """Seven days in a row, or in two, with the number of their week."""

    chosen = pyqtSignal(object)  # date

    def __init__(self) -> None:
        super().__init__(SPACE_S)
        self._number = label("", "soft")
        self.add(self._number)
        self.days: list[QPushButton] = []
        for numbers in FIRST_DAYS, LATER_DAYS:
            part = QWidget()
            row = QHBoxLayout(part)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(SPACE_S)
            for number in numbers:
                made = button(tr("Day {} of the week", number + 1))
                made.setObjectName("weekDay")
                made.clicked.connect(partial(self._on_clicked, number))
                self.days.append(made)
                row.addWidget(made, 1)
            self.add(part, len(numbers))
        self._week: Sequence[DayOfWeek] = ()

    def show_week(self, week: Sequence[DayOfWeek], shown: date, today: date, units: Units) -> None:
        """Show this week; the day that is planned stands out."""
        self._week = week
        self._number.setText(tr("week {}", shown.isocalendar().week))
        for one, made in zip(week, self.days, strict=True):
            left = one.due_kg - one.packed_kg
            due = units.text(left, "kg", 0) if left > 0.0 else tr("packed") if one.packed_kg > 0.0 else ""
            made.setText(
                " · ".join(part for part in (tr("{:%a %-d}", one.day), due or (tr("closed") if one.closed else "–")) if part)
            )
            words = tr("{} due", units.text(one.due_kg, "kg", 1)) if one.due_kg else tr("nothing is due")
            made.setToolTip(tr("{:%A %-d %B}: {}{}", one.day, words, tr(", the house is closed") if one.closed else ""))
            made.setAccessibleName(made.toolTip())
            made.setProperty("shown", one.day == shown)
            made.setProperty("today", one.day == today)
            restyle(made)

    def _on_clicked(self, number: int) -> None:
        if self._week:
            self.chosen.emit(self._week[number].day)
