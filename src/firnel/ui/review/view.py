"""Review: the list of batches and the sheet of one, with corrections that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QStackedWidget,
    QToolTip,
    QWidget,
)

from firnel.core.plan import Plan
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.units import clock
from firnel.core.vocabulary import BatchRecord, MarkKind
from firnel.core.words import capital, tr
from firnel.ui.review.compare_page import ComparePage
from firnel.ui.review.finding import NOTHING, BatchFinder
from firnel.ui.review.ladder_page import LadderPage
from firnel.ui.review.mend_sheet import MendSheet
from firnel.ui.review.same_page import SamePage
from firnel.ui.review.sheet import ReviewSheet
from firnel.ui.review.time_page import TimePage
from firnel.ui.shared.actions import action, give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import EmptyPage
from firnel.ui.shared.parts import button
from firnel.ui.shared.questions import asked_words
from firnel.ui.shared.report_button import report_button
from firnel.ui.shared.side_by_side import TurningSplitter
from firnel.ui.shared.station import Station
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

#: The list of batches, where it has no room beside the chosen one. [px]
FINDER_HEIGHT = 300


@dataclass(frozen=True)
class _Overlay:
    key: int
    label: str
    curves: ReviewCurves


@dataclass(frozen=True)
class _Deed:
    """What was done to the chosen batch, and what takes it back."""

    said: str
    back: Callable[[], None]


class ReviewView(Station):
    """Finds batches and shows them."""

    plan_wanted = pyqtSignal(object)  # Plan, not yet kept
    columns_changed = pyqtSignal(object)  # Settings

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk = desk
        self._record: BatchRecord | None = None
        self._over: _Overlay | None = None
        self._deeds: list[_Deed] = []
        self.background = Background(self, self._say)
        self.finder = BatchFinder(desk, look, self._say)
        self.finder.setMinimumHeight(FINDER_HEIGHT)
        self.finder.chosen.connect(self.open_batch)
        self.finder.nothing_found.connect(self._show_nothing)
        self.finder.columns_changed.connect(self.columns_changed)
        self.finder.refused.connect(self.refused)
        self.search, self.table, self.model = self.finder.search, self.finder.table, self.finder.model
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 12, 14, 10)
        row.setSpacing(SPACE_M)
        self._split = TurningSplitter()
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
        self._pin = button(tr("Lay over"), tr("Keep this batch drawn over the ones chosen next"))
        give_key(self._pin, "lay over")
        self._pin.clicked.connect(self.lay_over)
        undo_key = QShortcut(QKeySequence(action("correct undo").keys[0]), self)
        undo_key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        undo_key.activated.connect(self._on_undo_key)
        again = button(tr("Plan it"), tr("A plan that aims at what this batch was"))
        give_key(again, "plan it")
        again.clicked.connect(self._on_again)
        self._reference = button(tr("Reference"), tr("Batches of this plan are to be like this one"))
        give_key(self._reference, "reference")
        self._reference.setCheckable(True)
        self._reference.clicked.connect(self.choose_reference)
        self.sheet.mend.clicked.connect(self.mend)
        self._out = self.sheet.leave_out
        self._out.clicked.connect(self._on_leave_out)
        self.sheet.head.add(report_button(self._batch_report, self._say))
        self.sheet.head.add(self._reference)
        self.sheet.head.add(again)
        self.sheet.head.add(self._pin)
        self.sheet.marks.corrected.connect(self.correct)
        self.sheet.marks.refused.connect(self._say)

    def _add_pages(self, look: Look) -> None:
        self.tabs = Tabs()
        self.compare, self.same = ComparePage(self._desk, look), SamePage(self._desk, look)
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

    def search_for(self, text: str) -> None:
        """Find what goes by this name."""
        self.search.setText(text)

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
            self._deeds.clear()
            self.sheet.head.tell("")
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
        before, label = self._desk.ask(reference_key, plan), self._record.label
        chosen = before != self._record.id
        self._set_reference(plan, self._record.id if chosen else None)
        like, none = tr("{} made the reference of {}.", label, plan.name), tr("{} left without a reference.", plan.name)
        self._did(like if chosen else none, partial(self._set_reference, plan, before))

    def _set_reference(self, plan: Plan, key: int | None) -> None:
        self._desk.ask(set_reference, plan, key)
        self._reference.setChecked(self._record is not None and key == self._record.id)

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
        if why := asked_words(self, tr("Why does batch {} not count?", record.label), tr("Leave it out")):
            self.leave_out(why)

    def leave_out(self, why: str) -> None:
        """Leave the chosen batch out of charts and fits for a reason, or count it again where that is empty."""
        record = self._record
        if record is None or record.id is None:
            return
        self._set_left_out(record.id, why)
        out = tr("{} left out of charts and fits: {}", record.label, why.strip())
        said = out if why else tr("{} counted again.", record.label)
        self._did(said, partial(self._set_left_out, record.id, record.left_out))

    def _set_left_out(self, key: int, why: str) -> None:
        self._desk.ask(shelf.leave_out, key, why)
        self.open_batch(key)

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
            self._deeds.clear()  # what they would take back is of the batch as it was
            self.refresh()
            self.open_batch(record.id or 0)
            self.sheet.head.tell(tr("{} mended; what stood there before is kept in its sheet.", record.label))

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
        before = self._record
        self.write_marks(after)
        self._did(_corrected(kind, before, after), partial(self.write_marks, before))

    def write_marks(self, record: BatchRecord) -> None:
        """Put a record's marks into the library and show them."""
        if record.id is None:
            return
        self._desk.ask(shelf.set_marks, record.id, record.marks, self._desk.settings.operator)
        self._record = record
        self.open_batch(record.id)

    def _did(self, said: str, back: Callable[[], None]) -> None:
        """Something was done: told under the title, with what takes it back beside it."""
        self._deeds.append(_Deed(said, back))
        self.sheet.head.tell(said, self.take_back)

    def take_back(self) -> None:
        """Take back what was last done to the chosen batch."""
        if not self._deeds:
            return
        deed = self._deeds[-1]
        deed.back()
        self._deeds.pop()  # not before: the library may have refused it
        self.sheet.head.tell(tr("Taken back: {}", deed.said), self.take_back if self._deeds else None)

    def _on_undo_key(self) -> None:
        if self.sheet.isVisible():  # nothing is taken back that cannot be seen
            self.take_back()

    def _say(self, sentence: str) -> None:
        self.sheet.head.tell(sentence)
        if not self.sheet.head.isVisible():  # another page is in front, or there is no batch
            QToolTip.showText(self.mapToGlobal(QPoint(20, 40)), sentence, self)


def _corrected(kind: MarkKind, before: BatchRecord, after: BatchRecord) -> str:
    """What a correction of a mark came to."""
    was, now = before.mark(kind), after.mark(kind)
    if now is None:
        return tr("{} taken away.", capital(kind.words))
    if kind is MarkKind.CHARGE or was is None:
        return tr("{} set anew.", capital(kind.words))
    since = clock(was.t - before.charge_t), clock(now.t - after.charge_t)
    return tr("{} moved from {} to {}.", capital(kind.words), *since)
