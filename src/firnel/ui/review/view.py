"""Review: the list of batches and the sheet of one, with corrections that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from firnel.core.plan import Plan
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.vocabulary import BatchRecord, MarkKind
from firnel.core.words import tr
from firnel.ui.review.compare_page import ComparePage
from firnel.ui.review.finding import NOTHING, BatchFinder
from firnel.ui.review.ladder_page import LadderPage
from firnel.ui.review.mend_sheet import MendSheet
from firnel.ui.review.same_page import SamePage
from firnel.ui.review.sheet import ReviewSheet
from firnel.ui.review.time_page import TimePage
from firnel.ui.shared.actions import give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import EmptyPage
from firnel.ui.shared.parts import button
from firnel.ui.shared.report_button import report_button
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.plan.planning import plan_of_batch
from firnel.work.review import mending
from firnel.work.review.picture import ReviewCurves, review_curves, review_picture
from firnel.work.review.records import with_mark
from firnel.work.review.references import OpenedBatch, opened, reference_key, set_reference
from firnel.work.review.reports import Report, batch_report


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


class ReviewView(QWidget):
    """Finds batches and shows them."""

    plan_wanted = pyqtSignal(object)  # Plan, not yet kept
    columns_changed = pyqtSignal(object)  # Settings
    begin_wanted = pyqtSignal()
    refused = pyqtSignal(str)  #: the library does not answer

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk = desk
        self._record: BatchRecord | None = None
        self._over: _Overlay | None = None
        self.undo_stack = QUndoStack(self)
        self.background = Background(self, self._say)
        self.finder = BatchFinder(desk, look, self._say)
        self.finder.chosen.connect(self.open_batch)
        self.finder.nothing_found.connect(self._show_nothing)
        self.finder.columns_changed.connect(self.columns_changed)
        self.finder.refused.connect(self.refused)
        self.search, self.table, self.model = self.finder.search, self.finder.table, self.finder.model
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 12, 14, 10)
        row.setSpacing(SPACE_M)
        self._split = QSplitter()
        self._split.setChildrenCollapsible(False)
        self._split.setHandleWidth(SPACE_M)
        self._split.addWidget(self.finder)
        row.addWidget(self._split)
        self.sheet = ReviewSheet(look)
        self._none = EmptyPage(NOTHING)
        self._none.begin.clicked.connect(self.begin_wanted)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._none)
        self._stack.addWidget(self.sheet)
        self._add_pages(look)
        self._add_buttons()

    def _add_buttons(self) -> None:
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

    def refresh(self) -> None:
        """Read the records anew, before this returns; the chosen batch stays chosen."""
        self.finder.refresh()

    def read(self) -> None:
        """Read the records anew without holding the window; the chosen batch stays chosen."""
        self.finder.read()

    def _show_nothing(self, sentence: str, begin: bool) -> None:
        self._none.show_text(sentence, begin=begin)
        self._stack.setCurrentIndex(0)

    def open_batch(self, key: int) -> None:
        """Show the sheet of a batch; worked out in the background."""
        question = partial(self._desk.ask, opened, key)
        self.background.run("sheet", partial(self._desk.ask_beside, question), self._on_opened)

    def _on_opened(self, read: OpenedBatch) -> None:
        sheet = read.sheet
        if self._record is None or self._record.id != sheet.record.id:
            self.undo_stack.clear()
        self._record, self.finder.shown = sheet.record, sheet.record.id
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
        self._desk.ask(shelf.set_marks, record.id, record.marks, self._desk.settings.operator)
        self._record = record
        self.open_batch(record.id)

    def _say(self, sentence: str) -> None:
        from PyQt6.QtWidgets import QToolTip

        self.sheet.head.subtitle.setText(sentence)
        QToolTip.showText(self.sheet.head.mapToGlobal(QPoint(20, 40)), sentence, self.sheet.head)
