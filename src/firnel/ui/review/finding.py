"""The list of batches with its search, its filters and its columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from functools import partial

from PyQt6.QtCore import QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QHeaderView, QLineEdit, QVBoxLayout, QWidget

from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.ui.review.batch_model import COURSE, BatchModel, FoundPage
from firnel.ui.review.list_tools import columns_button, export_button
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.background import Background
from firnel.ui.shared.day_entry import DayEntry
from firnel.ui.shared.house_table import HouseTable
from firnel.ui.shared.mini_curve import CurveDelegate
from firnel.ui.shared.parts import label
from firnel.ui.theme.look import Look, sans
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.mending import level_filter, look_through
from firnel.work.review.records import BatchFilter

#: Typing in the search is answered this long after the last key. [ms]
SEARCH_PAUSE_MS = 120
FREE = -1
MONTH_DAYS = 30  #: that are looked through first, where days are chosen freely.
PERIODS = (
    (tr("all days"), None),
    (tr("last 7 days"), 7),
    (tr("last 30 days"), 30),
    (tr("last year"), 365),
    (tr("from … to …"), FREE),
)


#: Room beside the columns of the list, and how wide it grows with them; from there on it is moved sideways. [px]
AROUND, WIDEST = 44, 448
#: About the words of a heading. [px]
HEAD_PADDING = 24
#: What is said where there is nothing to show.
NOTHING = tr("No batches yet. Roast one (F4), or take in old logs.")
NO_FIT = tr("No batch fits. Change the search or the filters.")


class BatchFinder(QFrame):
    """Finds batches and lists them; one of them is chosen.

    Parameters
    ----------
    desk : what is asked.
    look : the theme.
    say : tells what was copied or written, or why not.
    """

    chosen = pyqtSignal(int)  #: the id of a batch
    nothing_found = pyqtSignal(str, bool)  #: in a sentence, and whether nothing was ever roasted
    columns_changed = pyqtSignal(object)  # Settings
    refused = pyqtSignal(str)  #: the library does not answer

    def __init__(self, desk: Desk, look: Look, say: Callable[[str], None]) -> None:
        super().__init__()
        self._desk, self._look, self._say = desk, look, say
        self.shown: int | None = None  #: the batch that stays chosen when the list is read anew
        self.background, self.asking = Background(self, say), Asking(desk, self, self.refused.emit)
        self.setObjectName("card")
        column = QVBoxLayout(self)
        column.setContentsMargins(SPACE_M + 4, SPACE_M, SPACE_M + 4, SPACE_M)
        column.setSpacing(SPACE_S)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search batch, lot, machine, plan, remark"))
        self.search.setAccessibleName(tr("Search batches"))
        self.search.setClearButtonEnabled(True)
        column.addWidget(self.search)
        filters = QHBoxLayout()
        self._lot, self._machine, self._period = QComboBox(), QComboBox(), QComboBox()
        for box, name in ((self._lot, tr("Lot")), (self._machine, tr("Machine")), (self._period, tr("Days"))):
            box.setAccessibleName(tr("Filter by {}", name.lower()))
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            filters.addWidget(box, 4 if box is self._machine else 3)
        for text, days in PERIODS:
            self._period.addItem(text, days)
        column.addLayout(filters)
        column.addWidget(self._days_between())
        self.model = BatchModel(desk, self.asking, self)
        self.table = HouseTable(tr("Batches"), self._say, chooses_columns=False)
        self._curves = CurveDelegate(self._look, self.table)
        self.table.setModel(self.model)
        across = self.table.horizontalHeader()
        if across is not None:
            across.setSectionsClickable(True)
            across.setSortIndicatorShown(True)
            across.setSortIndicator(1, Qt.SortOrder.DescendingOrder)
            across.sortIndicatorChanged.connect(self._on_sort)
        self._size_columns()
        column.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self._count = label("", "soft")
        foot.addWidget(self._count, 1)
        foot.addWidget(columns_button(self._desk, self._show_columns))
        foot.addWidget(export_button(self._desk, self.ticked, self._say))
        column.addLayout(foot)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.timeout.connect(self.search_now)
        self.search.textChanged.connect(self._on_typing)
        for box in (self._lot, self._machine, self._period):
            box.currentIndexChanged.connect(self.search_now)
        selection = self.table.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(self._on_row)

    def _days_between(self) -> QWidget:
        """From and to, where the days are chosen freely."""
        self._between = QWidget()
        row = QHBoxLayout(self._between)
        row.setContentsMargins(0, 0, 0, 0)
        today, form = date.today(), tr("d MMM yyyy")
        self.first_day = DayEntry(tr("First day"), today - timedelta(days=MONTH_DAYS), form)
        self.last_day = DayEntry(tr("Last day"), today, form)
        for field, name in ((self.first_day, tr("From")), (self.last_day, tr("to"))):
            field.dateChanged.connect(self.search_now)
            row.addWidget(label(name, "soft"))
            row.addWidget(field, 1)
        self._between.hide()
        return self._between

    def _size_columns(self) -> None:
        across = self.table.horizontalHeader()
        if across is None:
            return
        words = QFontMetrics(sans(13, QFont.Weight.DemiBold))  # as the style sheet sets them
        widths = [max(one.width, words.horizontalAdvance(tr(one.heading)) + HEAD_PADDING) for one in self.model.columns]
        wide = next((n for n, one in enumerate(self.model.columns) if one.heading == "Lot"), len(self.model.columns) - 1)
        for section, one in enumerate(self.model.columns):
            across.setSectionResizeMode(section, QHeaderView.ResizeMode.Interactive)
            across.resizeSection(section, widths[section])
            self.table.setItemDelegateForColumn(section, self._curves if one.heading == COURSE else None)
        room = sum(one.width for one in self.model.columns) + AROUND
        if room <= WIDEST:
            across.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        self.setMinimumWidth(min(room, WIDEST))

    def _on_sort(self, section: int, order: Qt.SortOrder) -> None:
        if 0 <= section < len(self.model.columns):
            self.model.sort(section, order)

    def _show_columns(self, headings: tuple[str, ...]) -> None:
        """Show these columns from now on; the list grows with them."""
        self._desk.settings = replace(self._desk.settings, review_columns=headings)
        self.columns_changed.emit(self._desk.settings)
        self.model.show_columns(headings)
        self._size_columns()
        self.search_now()

    def ticked(self) -> list[int]:
        """The batches that are chosen in the list."""
        selection = self.table.selectionModel()
        return [self.model.line(index.row()).id for index in selection.selectedRows()] if selection is not None else []

    def refresh(self) -> None:
        """Read the records anew, before this returns; the chosen batch stays chosen."""
        self._read_by(self.asking.now)

    def read(self) -> None:
        """Read the records anew without holding the window; the chosen batch stays chosen."""
        self._read_by(self.asking.aside)

    def _read_by(self, way: Callable[..., None]) -> None:
        ask = self._desk.ask
        way("filters", lambda: (ask(shelf.lots), ask(shelf.machines)), self._offer)
        self._search(way)

    def _offer(self, read: tuple[list[Lot], list[Machine]]) -> None:
        lots, machines = read
        for box, name, values in ((self._lot, tr("all lots"), lots), (self._machine, tr("all machines"), machines)):
            chosen = box.currentData()
            box.blockSignals(True)
            box.clear()
            box.addItem(name, None)
            for value in values:
                box.addItem(value.name, value.id)
            box.setCurrentIndex(max(box.findData(chosen), 0))
            box.blockSignals(False)

    def filter(self) -> BatchFilter:
        """What the fields ask for."""
        days, until = self._period.currentData(), None
        free = days == FREE
        self._between.setVisible(free)
        since = datetime.now(UTC) - timedelta(days=days) if days and not free else None
        if free:
            first, last = (field.day for field in (self.first_day, self.last_day))
            since = datetime.combine(first, time()).astimezone(UTC)
            until = datetime.combine(last, time()).astimezone(UTC) + timedelta(days=1)
        text, ground = level_filter(self.search.text(), self._desk.settings.levels)
        across = self.table.horizontalHeader()
        section = across.sortIndicatorSection() if across is not None else 1
        order = self.model.columns[section].order if 0 <= section < len(self.model.columns) else "started"
        descending = across is None or across.sortIndicatorOrder() is Qt.SortOrder.DescendingOrder
        return BatchFilter(
            text, self._lot.currentData(), self._machine.currentData(), since, until, ("done", "dropped"),
            ground=ground, order=order, descending=descending,
        )  # fmt: skip

    def search_now(self) -> None:
        """Show the batches that the fields ask for."""
        self._search(self.asking.aside)

    def _search(self, way: Callable[..., None]) -> None:
        wanted = self.filter()
        way("list", self.model.question(wanted), partial(self._show_found, wanted))
        self.background.run("count", lambda: self._desk.ask(shelf.count_batches, wanted), self._on_count)
        self._look_through()

    def _show_found(self, wanted: BatchFilter, page: FoundPage) -> None:
        self.model.show_first(wanted, page)
        if self.model.rowCount():
            kept = self.model.row_of(self.shown) if self.shown is not None else None
            self.table.selectRow(kept or 0)
        else:
            self.nothing_found.emit(NO_FIT, False)
            if not self.search.text():
                self.asking.aside("any", partial(self._desk.ask, shelf.count_batches, BatchFilter()), self._tell_none)

    def _tell_none(self, any_batch: int) -> None:
        if not self.model.rowCount():
            self.nothing_found.emit(NO_FIT if any_batch else NOTHING, not any_batch)

    def _look_through(self) -> None:
        """What went wrong in batches is worked out a few at a time, so that it can be searched for."""
        self.background.run("events", lambda: self._desk.ask(look_through), self._on_looked)

    def _on_looked(self, done: int) -> None:
        if done:
            self._look_through()

    def _on_typing(self) -> None:
        self._wait.start(SEARCH_PAUSE_MS)

    def _on_count(self, count: int) -> None:
        self._count.setText(tr("{} batches", count) if count != 1 else tr("1 batch"))

    def _on_row(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            self.chosen.emit(self.model.line(current.row()).id)
