"""Review: the list of batches and the sheet of one, with corrections that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, time, timedelta
from functools import partial

from PyQt6.QtCore import QDate, QModelIndex, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack
from PyQt6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QLineEdit,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from firnel.core.plan import Plan
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.vocabulary import BatchRecord, Lot, Machine, MarkKind
from firnel.core.words import tr
from firnel.ui.review.batch_model import COURSE, BatchModel, FoundPage
from firnel.ui.review.compare_page import ComparePage
from firnel.ui.review.ladder_page import LadderPage
from firnel.ui.review.list_tools import columns_button, export_button
from firnel.ui.review.mend_sheet import MendSheet
from firnel.ui.review.same_page import SamePage
from firnel.ui.review.sheet import ReviewSheet
from firnel.ui.review.time_page import TimePage
from firnel.ui.shared.actions import give_key
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.background import Background
from firnel.ui.shared.house_table import HouseTable
from firnel.ui.shared.list_page import EmptyPage
from firnel.ui.shared.mini_curve import CurveDelegate
from firnel.ui.shared.parts import button, card, label
from firnel.ui.shared.report_button import report_button
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.plan.planning import plan_of_batch
from firnel.work.review import mending
from firnel.work.review.mending import level_filter, look_through
from firnel.work.review.picture import ReviewCurves, review_curves, review_picture
from firnel.work.review.records import BatchFilter, with_mark
from firnel.work.review.references import OpenedBatch, opened, reference_key, set_reference
from firnel.work.review.reports import Report, batch_report

#: Typing in the search is answered this long after the last key. [ms]
SEARCH_PAUSE_MS = 120
FREE = -1
PERIODS = (
    (tr("all days"), None),
    (tr("last 7 days"), 7),
    (tr("last 30 days"), 30),
    (tr("last year"), 365),
    (tr("from … to …"), FREE),
)


@dataclass(frozen=True)
class _Overlay:
    key: int
    label: str
    curves: ReviewCurves


class _Correction(QUndoCommand):
    """One corrected set of marks."""

    def __init__(self, view: ReviewView, before: BatchRecord, after: BatchRecord, what: str) -> None:
        super().__init__(what)
        self._view, self._before, self._after = view, before, after

    def redo(self) -> None:
        """Write the corrected marks."""
        self._view.write_marks(self._after)

    def undo(self) -> None:
        """Write the earlier marks again."""
        self._view.write_marks(self._before)


#: Room beside the columns of the list, and how wide it grows with them; from there on it is moved sideways. [px]
AROUND, WIDEST = 44, 448
#: What is said where there is nothing to show.
NOTHING = tr("No batches yet. Roast one (F4), or take in old logs.")
NO_FIT = tr("No batch fits. Change the search or the filters.")


class ReviewView(QWidget):
    """Finds batches and shows them."""

    plan_wanted = pyqtSignal(object)  # Plan, not yet kept
    columns_changed = pyqtSignal(object)  # Settings
    begin_wanted = pyqtSignal()
    refused = pyqtSignal(str)  #: the library does not answer

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk, self._look = desk, look
        self._record: BatchRecord | None = None
        self._over: _Overlay | None = None
        self.undo_stack = QUndoStack(self)
        self.background = Background(self, self._say)
        self.asking = Asking(desk, self, self.refused.emit)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 12, 14, 10)
        row.setSpacing(SPACE_M)
        self._split = QSplitter()
        self._split.setChildrenCollapsible(False)
        self._split.setHandleWidth(SPACE_M)
        self._split.addWidget(self._list())
        row.addWidget(self._split)
        self.sheet = ReviewSheet(look)
        self._none = EmptyPage(NOTHING)
        self._none.begin.clicked.connect(self.begin_wanted)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._none)
        self._stack.addWidget(self.sheet)
        self._add_pages(look)
        self._pin = button(tr("Lay over"), tr("Keep this batch drawn over the ones chosen next (Ctrl+L)"))
        give_key(self._pin, "lay over")
        self._pin.clicked.connect(self.lay_over)
        undo = button(tr("Undo"), tr("Take back the last correction (Ctrl+Z)"))
        give_key(undo, "correct undo")
        undo.clicked.connect(self.undo_stack.undo)
        undo.setEnabled(False)
        self.undo_stack.canUndoChanged.connect(undo.setEnabled)
        again = button(tr("Plan it"), tr("A plan that wants what this batch was (Ctrl+P)"))
        give_key(again, "plan it")
        again.clicked.connect(self._on_again)
        self._reference = button(tr("Reference"), tr("Batches of this plan are to be like this one (Ctrl+R)"))
        give_key(self._reference, "reference")
        self._reference.setCheckable(True)
        self._reference.clicked.connect(self.choose_reference)
        self.sheet.mend.clicked.connect(self.mend)
        self._out = self.sheet.leave_out
        self._out.clicked.connect(self._on_leave_out)
        self.sheet.head.add(report_button(self._batch_report, self._say))
        self.sheet.head.add(self._reference)
        self.sheet.head.add(again)
        self.sheet.head.add(undo)
        self.sheet.head.add(self._pin)
        self.sheet.marks.corrected.connect(self.correct)
        self.sheet.marks.refused.connect(self._say)

    def _add_pages(self, look: Look) -> None:
        self.tabs = Tabs()
        self.compare, self.same = ComparePage(self._desk, look), SamePage(self._desk)
        self.time, self.ladder = TimePage(self._desk, look), LadderPage(self._desk, look)
        pages: tuple[tuple[str, QWidget], ...] = (
            (tr("Batch"), self._stack), (tr("Compare"), self.compare), (tr("Was it the same?"), self.same),
            (tr("Over time"), self.time), (tr("Ladder"), self.ladder),
        )  # fmt: skip
        for name, page in pages:
            self.tabs.add(name, page)
        self.tabs.chosen.connect(self._on_page)
        self.same.accepted.connect(self._on_accepted)
        self.ladder.plan_wanted.connect(self.plan_wanted)
        self._split.addWidget(self.tabs)
        self._split.setStretchFactor(1, 1)

    def _batch_report(self) -> Callable[[], Report] | None:
        if self._record is None or self._record.id is None:
            return None
        return partial(self._desk.ask, batch_report, self._record.id, self._desk.settings)

    def _on_page(self, number: int) -> None:
        page = (None, self.compare, self.same, self.time, self.ladder)[number]
        if page is not None:
            page.refresh()

    def _on_accepted(self, plan: Plan, why: str) -> None:
        saved = self._desk.ask(shelf.save_plan, plan, why)
        self.same.say_taken(tr("Taken: {} is version {} now.", saved.name, saved.version))

    def _list(self) -> QWidget:
        frame, column = card()
        self._list_card = frame
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
        self.model = BatchModel(self._desk, self.asking, self)
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
        foot.addWidget(export_button(self._desk, self.chosen, self._say))
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
        return frame

    def _days_between(self) -> QWidget:
        """From and to, where the days are chosen freely."""
        self._between = QWidget()
        row = QHBoxLayout(self._between)
        row.setContentsMargins(0, 0, 0, 0)
        self.first_day, self.last_day = QDateEdit(), QDateEdit()
        today = QDate.currentDate()
        for field, name, day in ((self.first_day, tr("From"), today.addMonths(-1)), (self.last_day, "to", today)):
            field.setDisplayFormat(tr("d MMM yyyy"))
            field.setCalendarPopup(True)
            field.setAccessibleName(tr("{} day", name))
            field.setDate(day)
            field.dateChanged.connect(self.search_now)
            row.addWidget(label(name, "soft"))
            row.addWidget(field, 1)
        self._between.hide()
        return self._between

    def _size_columns(self) -> None:
        across = self.table.horizontalHeader()
        if across is None:
            return
        wide = next((n for n, one in enumerate(self.model.columns) if one.heading == "Lot"), len(self.model.columns) - 1)
        for section, one in enumerate(self.model.columns):
            across.setSectionResizeMode(section, QHeaderView.ResizeMode.Interactive)
            across.resizeSection(section, one.width)
            self.table.setItemDelegateForColumn(section, self._curves if one.heading == COURSE else None)
        room = sum(one.width for one in self.model.columns) + AROUND
        if room <= WIDEST:
            across.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        self._list_card.setMinimumWidth(min(room, WIDEST))

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

    def chosen(self) -> list[int]:
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
            first, last = (field.date().toPyDate() for field in (self.first_day, self.last_day))
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
            kept = self.model.row_of(self._record.id) if self._record is not None and self._record.id is not None else None
            self.table.selectRow(kept or 0)
        else:
            self._stack.setCurrentIndex(0)
            self._none.show_text(NO_FIT, begin=False)
            if not self.search.text():
                self.asking.aside("any", partial(self._desk.ask, shelf.count_batches, BatchFilter()), self._tell_none)

    def _tell_none(self, any_batch: int) -> None:
        if not self.model.rowCount():
            self._none.show_text(NO_FIT if any_batch else NOTHING, begin=not any_batch)

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
            self.open_batch(self.model.line(current.row()).id)

    def open_batch(self, key: int) -> None:
        """Show the sheet of a batch; worked out in the background."""
        self.background.run("sheet", partial(self._desk.ask, opened, key), self._on_opened)

    def _on_opened(self, read: OpenedBatch) -> None:
        sheet = read.sheet
        if self._record is None or self._record.id != sheet.record.id:
            self.undo_stack.clear()
        self._record = sheet.record
        picture = review_picture(sheet, read.machine, self._desk.settings.units)
        over = self._over if self._over is not None and self._over.key != sheet.record.id else None
        why = sheet.record.left_out
        remark = tr("Left out: {}. {}", why, sheet.record.remark).strip() if why else sheet.record.remark
        self.sheet.show_picture(picture, sheet.record.label, remark, over.curves if over else None, over.label if over else "")
        self._stack.setCurrentIndex(1)
        self._opened = read
        if sheet.record.id is not None:
            self.compare.choose(sheet.record.id)
            self.same.choose(sheet.record.id)
        self._out.setText(tr("Count it again") if sheet.record.left_out else tr("Leave out"))
        self._out.setToolTip(
            tr("Left out: {}", sheet.record.left_out) if sheet.record.left_out else tr("Out of charts and fits")
        )
        self._reference.setChecked(read.is_reference)

    def lay_over(self) -> None:
        """Keep the chosen batch drawn over the ones chosen next; or take it off again."""
        if self._record is None or self._record.id is None:
            return
        if self._over is not None:
            self._over = None
            self._pin.setText(tr("Lay over"))
            self._on_opened(self._opened)
            return
        self._over = _Overlay(self._record.id, self._record.label, review_curves(self._opened.sheet, self._desk.settings.units))
        self._pin.setText(tr("Take off"))

    def choose_reference(self) -> None:
        """Make the chosen batch the reference of its plan, or take that back."""
        plan = self._plan_of(self._record)
        if self._record is None or plan is None:
            self._reference.setChecked(False)
            self._say(tr("A reference belongs to a plan, and this batch was roasted without one."))
            return
        chosen = self._desk.ask(reference_key, plan) != self._record.id
        self._desk.ask(set_reference, plan, self._record.id if chosen else None)
        self._reference.setChecked(chosen)

    def _plan_of(self, record: BatchRecord | None) -> Plan | None:
        return next((plan for plan in self._desk.ask(shelf.plans) if record is not None and plan.id == record.plan_id), None)

    def _on_again(self) -> None:
        if self._record is None:
            return
        try:
            plan = self._desk.ask(plan_of_batch, self._record.label)
        except ValueError as error:
            self._say(str(error))
            return
        self.plan_wanted.emit(plan)

    def _on_leave_out(self) -> None:
        record = self._record
        if record is None or record.id is None:
            return
        if record.left_out:
            self.leave_out("")
            return
        why, wanted = QInputDialog.getText(self, tr("Leave out"), tr("Why does batch {} not count?", record.label))
        if wanted and why.strip():
            self.leave_out(why)

    def leave_out(self, why: str) -> None:
        """Leave the chosen batch out of charts and fits for a reason, or count it again where that is empty."""
        if self._record is not None and self._record.id is not None:
            self._desk.ask(shelf.leave_out, self._record.id, why)
            self.open_batch(self._record.id)

    @property
    def record(self) -> BatchRecord | None:
        """The batch that is shown."""
        return self._record

    def mend(self) -> None:
        """Open the sheet on which order and results of the chosen batch are mended."""
        record = self._record
        if record is None or record.id is None:
            return
        ask = self._desk.ask
        sheet = MendSheet(
            record, self._desk.settings.units, ask(shelf.lots), ask(shelf.plans), ask(shelf.machines),
            ask(mending.corrections, record.id), mending.second_charge(record), self,
        )  # fmt: skip
        who = self._desk.settings.operator

        def done(action: Callable[[], object]) -> None:
            try:
                action()
            except (ValueError, LookupError) as error:
                sheet.say(str(error))
                return
            sheet.accept()
            self._desk.forget_model()
            self.refresh()
            self.open_batch(record.id or 0)

        sheet.mended.connect(lambda values: done(lambda: ask(mending.mend, record, values, who)))
        sheet.split_wanted.connect(lambda at: done(lambda: ask(mending.split, record, at, who)))
        sheet.join_wanted.connect(lambda other: done(lambda: ask(mending.join, record, other, who)))
        sheet.open()
        self.mending = sheet

    # Corrections

    def correct(self, kind: MarkKind, seconds: float | None) -> None:
        """Set a mark to ``seconds`` from the present charge, or take it away."""
        if self._record is None:
            return
        t = None if seconds is None else self._record.charge_t + seconds
        after = with_mark(self._record, kind, t)
        try:
            check_mark_order(after.marks)  # before the push: an exception must not leave a Qt callback
        except MarkOrderError as error:
            self.sheet.marks.put_back()
            self._say(str(error))
            return
        self.undo_stack.push(_Correction(self, self._record, after, tr("correct {}", kind.words)))

    def write_marks(self, record: BatchRecord) -> None:
        """Put a record's marks into the library and show them."""
        if record.id is None:
            return
        self._desk.ask(shelf.set_marks, record.id, record.marks)
        self._record = record
        self.open_batch(record.id)

    def _say(self, sentence: str) -> None:
        from PyQt6.QtWidgets import QToolTip

        self.sheet.head.subtitle.setText(sentence)
        QToolTip.showText(self.sheet.head.mapToGlobal(QPoint(20, 40)), sentence, self.sheet.head)
