"""The list of batches as a model that fetches what it shows, page by page."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt

from firnel.core.units import clock
from firnel.ui.theme.look import mono
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter, BatchLine

PAGE = 200
HEADINGS = ("Batch", "Day", "Lot", "Dev.", "Loss")
_FIGURES = {0, 3, 4}


class BatchModel(QAbstractTableModel):
    """Batches that a filter lets through, newest first."""

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._filter = BatchFilter()
        self._lines: list[BatchLine] = []
        self._complete = False
        self._font = mono(14)

    def show_filter(self, wanted: BatchFilter) -> None:
        """Begin the list anew: its first page is here when this returns."""
        self.beginResetModel()
        self._filter = wanted
        self._lines = self._desk.ask(shelf.batch_lines, wanted, limit=PAGE)
        self._complete = len(self._lines) < PAGE
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
        return len(HEADINGS)

    def canFetchMore(self, parent: QModelIndex) -> bool:
        """Whether there are older batches."""
        return not self._complete and not parent.isValid()

    def fetchMore(self, parent: QModelIndex) -> None:
        """Fetch the next page."""
        last = self._lines[-1]
        page = self._desk.ask(shelf.batch_lines, self._filter, after=(last.started, last.id), limit=PAGE)
        self._complete = len(page) < PAGE
        if page:
            self.beginInsertRows(QModelIndex(), len(self._lines), len(self._lines) + len(page) - 1)
            self._lines += page
            self.endInsertRows()

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Headings."""
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return HEADINGS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text, alignment and face of a cell."""
        line = self._lines[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(line, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{line.started.astimezone():%d %B %Y %H:%M}, {line.machine}, {line.plan or 'no plan'}"
        if role == Qt.ItemDataRole.FontRole and index.column() in _FIGURES:
            return self._font
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() >= 3:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def _text(self, line: BatchLine, column: int) -> str:
        match column:
            case 0:
                return line.label
            case 1:
                return f"{line.started.astimezone():%d %b}"
            case 2:
                return line.lot or "lot not told"
            case 3:
                return clock(line.development_s)
            case _:
                return f"{100 * line.loss:.1f} %" if line.loss is not None else "–"
