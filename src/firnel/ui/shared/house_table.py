"""The one table of all lists: sorted by its headings, columns chosen, rows copied and written out, by mouse or keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QEvent, QModelIndex, QPoint, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QHelpEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QMenu, QTableView, QToolTip

from firnel.core.words import tr
from firnel.ui.shared.cells_copied import copy_cells

#: What a cell is put in order by, where that is not its text.
SORT_ROLE = Qt.ItemDataRole.UserRole + 7
#: Room beside the text of a cell. [px]
PADDING = 14


class SortedRows(QSortFilterProxyModel):
    """Rows put in order by their figures where a cell has one, else by their words; what has neither stands last."""

    def lessThan(self, left: QModelIndex, right: QModelIndex) -> bool:
        """Whether one cell comes before another."""
        one, two = _order(left), _order(right)
        if (one is None) != (two is None):
            return (two is None) == (self.sortOrder() is Qt.SortOrder.AscendingOrder)
        if one is None or two is None:
            return False
        return bool(one < two) if type(one) is type(two) else str(one) < str(two)


def _order(index: QModelIndex) -> Any:
    told = index.data(SORT_ROLE)
    if told is not None:
        return told
    text = str(index.data() or "")
    return None if text in ("", "–") else text.casefold()


def dress(table: QTableView, name: str) -> None:
    """Whole rows, no grid, headings at the left."""
    table.setAccessibleName(name)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setAlternatingRowColors(True)
    table.setShowGrid(False)
    table.setTabKeyNavigation(False)
    table.setWordWrap(False)
    corner = table.findChild(QAbstractButton)
    if corner is not None:
        corner.setAccessibleName(tr("Choose all"))
    down, across = table.verticalHeader(), table.horizontalHeader()
    if down is not None and across is not None:
        down.hide()
        down.setDefaultSectionSize(34)
        across.setHighlightSections(False)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)


class HouseTable(QTableView):
    """A quiet table of whole rows.

    Parameters
    ----------
    name : of the list, for readers of the screen and for what is written.
    say : tells what was copied or written.
    chooses_columns : whether its menu hides and shows columns; off where a list has a way of its own.
    """

    columns_changed = pyqtSignal(str, tuple)  # name, headings that are hidden

    def __init__(self, name: str, say: Callable[[str], None] = lambda _: None, chooses_columns: bool = True) -> None:
        super().__init__()
        self.name, self.say, self._chooses_columns = name, say, chooses_columns
        dress(self, name)
        across = self.horizontalHeader()
        if across is not None:
            across.setSectionsClickable(True)
            across.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            across.customContextMenuRequested.connect(lambda at: self.menu().exec(across.mapToGlobal(at)))

    def sort_by_headings(self) -> None:
        """Let a press on a heading put the rows in order; before the first one they stand as they were given."""
        across = self.horizontalHeader()
        self.setSortingEnabled(True)
        if across is not None:
            across.setSortIndicatorClearable(True)
            across.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)

    # Columns

    @property
    def headings(self) -> tuple[str, ...]:
        """All headings, hidden ones too, in the order of the model."""
        model = self.model()
        if model is None:
            return ()
        across = Qt.Orientation.Horizontal
        return tuple(str(model.headerData(section, across) or "") for section in range(model.columnCount()))

    def hide_columns(self, headings: tuple[str, ...]) -> None:
        """Hide these columns and no others; the first one always stays."""
        for section, heading in enumerate(self.headings):
            self.setColumnHidden(section, section > 0 and heading in headings)

    def _on_column(self, section: int, shown: bool) -> None:
        self.setColumnHidden(section, not shown)
        hidden = tuple(heading for number, heading in enumerate(self.headings) if self.isColumnHidden(number))
        self.columns_changed.emit(self.name, hidden)

    # What the rows say

    def rows(self, chosen: bool = True) -> list[tuple[str, ...]]:
        """Texts of the chosen rows, or of all, as they stand on the screen."""
        model, selection = self.model(), self.selectionModel()
        if model is None or selection is None:
            return []
        shown = [section for section in range(model.columnCount()) if not self.isColumnHidden(section)]
        numbers = sorted(index.row() for index in selection.selectedRows()) if chosen else range(model.rowCount())
        return [tuple(str(model.index(row, section).data() or "") for section in shown) for row in numbers]

    def _shown_headings(self) -> tuple[str, ...]:
        return tuple(heading for section, heading in enumerate(self.headings) if not self.isColumnHidden(section))

    def copy_rows(self) -> None:
        """The chosen rows with their headings to the clipboard, as a spreadsheet takes them."""
        if rows := self.rows():
            copy_cells((self._shown_headings(), *rows))
            self.say(tr("One row is copied.") if len(rows) == 1 else tr("{} rows are copied.", len(rows)))

    def write_rows(self, ending: str) -> None:
        """All rows into a file, on paper or as a spreadsheet."""
        from firnel.ui.shared.report_button import save_report  # the first window is painted without reports
        from firnel.work.review.reports import Report, Table

        rows, headings = self.rows(chosen=False), self._shown_headings()
        words = next((place for place in range(1, len(headings)) if self._is_figures(place)), len(headings))
        report = Report(self.name, tr("{} rows", len(rows)), (Table(self.name, headings, tuple(rows), words=words),))
        save_report(self, report, ending, self.say)

    def _is_figures(self, section: int) -> bool:
        model = self.model()
        align = model.index(0, section).data(Qt.ItemDataRole.TextAlignmentRole) if model is not None else None
        return align is not None and bool(Qt.AlignmentFlag(align) & Qt.AlignmentFlag.AlignRight)

    # Mouse and keys

    def menu(self) -> QMenu:
        """What can be done with the rows."""
        menu = QMenu(self)
        entries: tuple[tuple[str, Callable[[], None]], ...] = (
            (tr("Copy rows\tCtrl+C"), self.copy_rows),
            (tr("Choose all\tCtrl+A"), self.selectAll),
            (tr("Write as XLSX …"), partial(self.write_rows, "xlsx")),
            (tr("Write as PDF …"), partial(self.write_rows, "pdf")),
        )
        for words, action in entries:
            entry = menu.addAction(words)
            if entry is not None:
                entry.triggered.connect(lambda _checked=False, action=action: action())
        if self._chooses_columns and len(self.headings) > 1:
            menu.addSeparator()
            for section, heading in enumerate(self.headings):
                entry = menu.addAction(heading)
                if entry is not None and section > 0:
                    entry.setCheckable(True)
                    entry.setChecked(not self.isColumnHidden(section))
                    entry.toggled.connect(partial(self._on_column, section))
                elif entry is not None:
                    entry.setVisible(False)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The menu, where the hand is; of the menu key at the row that is chosen."""
        if event is not None:
            at = event.globalPos()
            if event.reason() is QContextMenuEvent.Reason.Keyboard:
                view = self.viewport()
                at = view.mapToGlobal(self.visualRect(self.currentIndex()).center()) if view is not None else QPoint()
            self.menu().exec(at)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Copy by its key; all else as in any table."""
        if event is not None and event.matches(QKeySequence.StandardKey.Copy):
            self.copy_rows()
            return
        super().keyPressEvent(event)

    def viewportEvent(self, event: QEvent | None) -> bool:
        """What is cut off is told where the pointer rests."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            index = self.indexAt(event.pos())
            text, own = str(index.data() or ""), index.data(Qt.ItemDataRole.ToolTipRole)
            cut = self.fontMetrics().horizontalAdvance(text) > self.visualRect(index).width() - PADDING
            QToolTip.showText(event.globalPos(), str(own) if own else text if cut else "", self)
            return True
        return super().viewportEvent(event)
