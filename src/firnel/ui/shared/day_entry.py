"""A day that is typed, stepped or picked from a month."""

from __future__ import annotations

from datetime import date

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtGui import QTextCharFormat
from PyQt6.QtWidgets import QCalendarWidget, QDateEdit, QToolButton

from firnel.core.words import tr


class DayEntry(QDateEdit):
    """A day with a month to pick it from.

    Parameters
    ----------
    name : accessible name.
    day : that it shows first.
    form : as which days are shown.
    """

    def __init__(self, name: str, day: date, form: str) -> None:
        super().__init__(QDate(day.year, day.month, day.day))
        self.setAccessibleName(name)
        self.setDisplayFormat(form)
        self.setCalendarPopup(True)
        self.setCalendarWidget(_Month())

    @property
    def day(self) -> date:
        """The day shown."""
        return self.date().toPyDate()

    def show_day(self, day: date) -> None:
        """Show another day."""
        self.setDate(QDate(day.year, day.month, day.day))


class _Month(QCalendarWidget):
    """Weekends as any other day: red means heat here."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Month"))
        self.setVerticalHeaderFormat(QCalendarWidget.VerticalHeaderFormat.NoVerticalHeader)
        for weekday in (Qt.DayOfWeek.Saturday, Qt.DayOfWeek.Sunday):
            self.setWeekdayTextFormat(weekday, QTextCharFormat())
        for name, sign in (("qt_calendar_prevmonth", "‹"), ("qt_calendar_nextmonth", "›")):
            turn = self.findChild(QToolButton, name)
            if turn is not None:  # its own arrows are black at night too
                turn.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
                turn.setText(sign)
