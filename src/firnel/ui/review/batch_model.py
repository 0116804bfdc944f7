"""The list of batches as a model that fetches what it shows, page by page."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.mini_curve import COURSE_ROLE, WIDE
from firnel.ui.theme.look import mono
from firnel.work import shelf
from firnel.work.bench.weighing import level_word
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter, BatchLine, PageEnd
from firnel.work.settings import Settings

PAGE = 200
#: Figures stand right, under their heading.
FIGURES = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
#: Small curves by batch; and a page of the list with those of its batches.
Courses = dict[int, tuple[tuple[float, float], ...]]
FoundPage = tuple[list[BatchLine], Courses]


@dataclass(frozen=True)
class ListColumn:
    """A column of the list: its heading, what it is put in order by, its text, its width, and whether it holds figures."""

    heading: str
    order: str
    text: Callable[[BatchLine, Settings], str]
    width: int = 70
    figure: bool = True


def _share(value: float | None, digits: int = 1) -> str:
    return "–" if value is None else tr("{:.{}f} %", 100 * value, digits)


def _ratio(line: BatchLine) -> float | None:
    return line.development_s / line.total_s if line.development_s and line.total_s else None


def _stages(line: BatchLine) -> str:
    return " · ".join(clock(seconds) for seconds in (line.drying_s, line.browning_s, line.development_s))


def _colour(value: float | None) -> str:
    return "–" if value is None else tr("{:.1f}", value)


#: Heading of the column that draws a small curve.
COURSE = "Course"
COLUMNS = (
    ListColumn("Batch", "label", lambda one, s: one.label, 62),
    ListColumn("Day", "started", lambda one, s: tr("{:%d %b}", one.started.astimezone()), 72, False),
    ListColumn("Lot", "lot", lambda one, s: one.lot or tr("lot not told"), 117, False),
    ListColumn("Machine", "machine", lambda one, s: one.machine or "–", 110, False),
    ListColumn("Plan", "plan", lambda one, s: one.plan or "–", 110, False),
    ListColumn(COURSE, "total_s", lambda one, s: _stages(one), WIDE, False),
    ListColumn("Load", "load_kg", lambda one, s: s.units.text(one.load_kg, "kg"), 84),
    ListColumn("Drying", "drying_s", lambda one, s: clock(one.drying_s)),
    ListColumn("Brown.", "browning_s", lambda one, s: clock(one.browning_s)),
    ListColumn("Dev.", "development_s", lambda one, s: clock(one.development_s), 60),
    ListColumn("Ratio", "ratio", lambda one, s: _share(_ratio(one)), 76),
    ListColumn("Total", "total_s", lambda one, s: clock(one.total_s)),
    ListColumn("Drop", "drop_c", lambda one, s: s.units.text(one.drop_c, "°C", 1), 92),
    ListColumn("Loss", "loss", lambda one, s: _share(one.loss), 78),
    ListColumn(
        "Ground", "colour_ground", lambda one, s: "–" if one.colour_ground is None else tr("{:.1f}", one.colour_ground), 76
    ),
    ListColumn("Level", "colour_ground", lambda one, s: level_word(one.colour_ground, s.levels, one.loss) or "–", 110, False),
    ListColumn("Who", "operator", lambda one, s: one.operator or "–", 80, False),
    ListColumn("Tags", "tags", lambda one, s: one.tags or "–", 100, False),
    ListColumn("Events", "events", lambda one, s: one.events or "–", 100, False),
)
BY_HEADING = {column.heading: column for column in COLUMNS}


class BatchModel(QAbstractTableModel):
    """Batches that a filter lets through, newest first."""

    def __init__(self, desk: Desk, asking: Asking, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk, self._asking = desk, asking
        self._filter = BatchFilter()
        self._lines: list[BatchLine] = []
        self._complete = False
        self._fetching = False
        self._courses: Courses = {}
        self._font = mono(14)
        self.columns: tuple[ListColumn, ...] = ()
        self.show_columns(desk.settings.review_columns)

    def show_columns(self, headings: tuple[str, ...]) -> None:
        """Show these columns, in their own order."""
        self.beginResetModel()
        self.columns = tuple(column for column in COLUMNS if column.heading in headings) or COLUMNS[:3]
        self.endResetModel()
        if self._draws_courses and len(self._courses) < len(self._lines):
            keys = [line.id for line in self._lines]
            self._asking.aside("courses", partial(self._desk.ask, shelf.courses, keys), self._show_courses)

    def _show_courses(self, courses: Courses) -> None:
        self.beginResetModel()
        self._courses = courses
        self.endResetModel()

    @property
    def _draws_courses(self) -> bool:
        return any(column.heading == COURSE for column in self.columns)

    def question(self, wanted: BatchFilter, after: PageEnd | None = None, offset: int = 0) -> Callable[[], FoundPage]:
        """What reads a page of the batches that a filter lets through, and its small curves where they are drawn."""
        ask, drawn = self._desk.ask, self._draws_courses

        def read() -> FoundPage:
            lines = ask(shelf.batch_lines, wanted, after, PAGE, offset)
            return lines, ask(shelf.courses, [line.id for line in lines]) if drawn else {}

        return read

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.DescendingOrder) -> None:
        """Put the whole list in order by a column, and not only what was fetched."""
        wanted = replace(self._filter, order=self.columns[column].order, descending=order is Qt.SortOrder.DescendingOrder)
        self._asking.aside("list", self.question(wanted), partial(self.show_first, wanted))

    def show_first(self, wanted: BatchFilter, page: FoundPage) -> None:
        """Begin the list anew with the first page of what a filter lets through."""
        self.beginResetModel()
        self._filter, (self._lines, self._courses) = wanted, page
        self._complete, self._fetching = len(self._lines) < PAGE, False
        self.endResetModel()

    def line(self, row: int) -> BatchLine:
        """What a row stands for."""
        return self._lines[row]

    def row_of(self, key: int) -> int | None:
        """The row of a batch among those fetched."""
        return next((row for row, line in enumerate(self._lines) if line.id == key), None)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Rows fetched so far."""
        return 0 if parent is not None and parent.isValid() else len(self._lines)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """Columns."""
        return len(self.columns)

    def canFetchMore(self, parent: QModelIndex) -> bool:
        """Whether there are older batches."""
        return not self._complete and not self._fetching and not parent.isValid()

    def fetchMore(self, parent: QModelIndex) -> None:
        """Fetch the next page."""
        if not self._lines:
            return  # the first page could not be read
        last, wanted, self._fetching = self._lines[-1], self._filter, True
        if (wanted.order, wanted.descending) == ("started", True):
            question = self.question(wanted, (last.started, last.id))
        else:
            question = self.question(wanted, offset=len(self._lines))
        self._asking.aside("more", question, partial(self._show_more, wanted, len(self._lines)))

    def _show_more(self, wanted: BatchFilter, behind: int, page: FoundPage) -> None:
        if (wanted, behind) != (self._filter, len(self._lines)):
            return  # the list has begun anew meanwhile
        lines, courses = page
        self._complete, self._fetching = len(lines) < PAGE, False
        if lines:
            self._courses |= courses
            self.beginInsertRows(QModelIndex(), behind, behind + len(lines) - 1)
            self._lines += lines
            self.endInsertRows()

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Headings."""
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return tr(self.columns[section].heading)
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return FIGURES if self.columns[section].figure else None
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text, alignment and face of a cell."""
        line = self._lines[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self.columns[index.column()].text(line, self._desk.settings)
        if role == Qt.ItemDataRole.ToolTipRole:
            return tr("{:%d %B %Y %H:%M}, {}, {}", line.started.astimezone(), line.machine, line.plan or tr("no plan"))
        if role == COURSE_ROLE and self.columns[index.column()].heading == COURSE:
            return self._courses.get(line.id, ())
        if role == Qt.ItemDataRole.FontRole and self.columns[index.column()].figure:
            return self._font
        if role == Qt.ItemDataRole.TextAlignmentRole and self.columns[index.column()].figure:
            return FIGURES
        return None
