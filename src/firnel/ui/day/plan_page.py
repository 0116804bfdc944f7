"""The plan of a day: orders left, machines in the middle, what to weigh and to pack right, and why it stands so below."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta
from functools import partial
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.words import capital, tr
from firnel.ui.day.board import DayBoard
from firnel.ui.day.house_sheet import HouseSheet
from firnel.ui.day.order_card import OrderCard
from firnel.ui.day.wall import WallBoard
from firnel.ui.day.week_strip import WeekStrip
from firnel.ui.day.weigh_card import ListCard, pack_rows, weigh_rows
from firnel.ui.shared.actions import action
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import PageHead, button, card, label, rename
from firnel.ui.shared.report_button import report_button
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.day import house_day, planning, queue
from firnel.work.day import orders as shop
from firnel.work.day.day_report import day_report
from firnel.work.day.labels import label_the_day, tick_off
from firnel.work.day.planning import Block, DaySheet
from firnel.work.desk import Desk
from firnel.work.review.reports import Report

Answer = TypeVar("Answer")

#: The line of now moves on this often. [ms]
NOW_MS = 30_000
#: Orders, loads and packs are so high at least where they have no room beside the board. [px]
SHORT = 260
#: What just happened stands under the title for so long, then what the day holds. [ms]
TOLD_MS = 20_000


class DayPlanPage(QWidget):
    """Plans one day; every change of a hand can be taken back."""

    queued = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self.day = desk, desk.clock.wall().astimezone().date()
        self.background = Background(self, self._say_wrong)
        self._sheet: DaySheet | None = None
        self.wall: WallBoard | None = None
        self._back: list[tuple[str, Callable[[], object]]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 12, 14, 12)  # as a list page, so that nothing jumps from tab to tab
        column.setSpacing(SPACE_S)
        self.head = PageHead("", "")
        column.addWidget(self.head)
        self._add_buttons()
        self.week = WeekStrip()
        self.week.chosen.connect(self.show_day)
        column.addWidget(self.week)
        columns = SideBySide(SPACE_S)
        column.addWidget(columns, 1)
        self.orders = OrderCard(look)
        columns.add(self.orders, wide=290, tall=SHORT)
        columns.add(self._middle(look), 1)
        beside = QWidget()
        right = QVBoxLayout(beside)
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(SPACE_S)
        self.weigh = ListCard(tr("To weigh"), tr("Nothing is planned."))
        self.pack = ListCard(tr("To pack"), tr("Nothing is ordered."))
        for one in (self.weigh, self.pack):
            right.addWidget(one, 1)
        columns.add(beside, wide=262, tall=SHORT)
        self.scan = QLineEdit()
        self.scan.setAccessibleName(tr("Scan a label when its load is weighed"))
        self.scan.setPlaceholderText(tr("scan a label"))
        self.scan.returnPressed.connect(self._on_scan)
        labels = self._labels = button(tr("Labels"), tr("Of all loads that wait and have none yet, in one print"))
        labels.clicked.connect(self._on_labels)
        line = QHBoxLayout()
        line.addWidget(self.scan, 1)
        line.addWidget(labels)
        self.scanned = label("", "soft", wrap=True)
        self.scanned.hide()
        self.weigh.foot.addLayout(line)
        self.weigh.foot.addWidget(self.scanned)
        self.orders.typed.connect(self._on_typed)
        self.orders.pack_wanted.connect(self._on_pack)
        self.orders.cancel_wanted.connect(self._on_cancel)
        self.orders.table_wanted.connect(self._on_table)
        self._timer = QTimer(self)
        self._timer.setInterval(NOW_MS)
        self._timer.timeout.connect(self._on_now)
        self._timer.start()

    def _add_buttons(self) -> None:
        back, forth = button("◂", tr("The day before")), button("▸", tr("The day after"))
        back.setAccessibleName(tr("Day before"))
        forth.setAccessibleName(tr("Day after"))
        back.clicked.connect(partial(self._on_other_day, -1))
        forth.clicked.connect(partial(self._on_other_day, 1))
        self.undo = self.head.undo
        self.queue = button(
            tr("Queue the batches"), tr("Each gets its number; they wait to be roasted in this order"), primary=True
        )
        self.queue.clicked.connect(self._on_queue)
        house = button(tr("House …"), tr("Hours, pauses, rules of the order, machines that rest"))
        house.clicked.connect(self.ask_house)
        wall = button(tr("Wall"), tr("Now, next and then in a window of its own, to be read from across the room"))
        wall.clicked.connect(self.show_wall)
        for widget in (back, forth, house, wall, report_button(self._report, self.orders_said), self.queue):
            self.head.add(widget)
        undo_key = QShortcut(QKeySequence(action("take back").keys[0]), self)
        undo_key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        undo_key.activated.connect(self._on_undo)

    def show_wall(self) -> None:
        """The board for the wall."""
        if self.wall is None:
            self.wall = WallBoard()
            self.destroyed.connect(self.wall.deleteLater)
        self._on_now()
        self.wall.show()
        self.wall.raise_()

    def ask_house(self) -> HouseSheet:
        """How the house's day goes."""
        sheet = HouseSheet(self._desk, self.day, self)
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.accepted.connect(self.refresh)
        sheet.open()
        return sheet

    def orders_said(self, text: str) -> None:
        """A sentence under the line of orders."""
        self.orders.say(text)

    def _middle(self, look: Look) -> QWidget:
        held = QWidget()
        middle = QVBoxLayout(held)
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(SPACE_S)
        frame, column = card(spacing=4)
        row = QHBoxLayout()
        row.addWidget(label(tr("Machines"), "heading"))
        row.addStretch(1)
        row.addWidget(label(tr("drag to move · H holds · {take back} takes back"), "soft"))
        column.addLayout(row)
        self.board = DayBoard(look)
        self.board.chosen.connect(self._show_why)
        self.board.moved.connect(self._on_moved)
        self.board.let_go.connect(self._on_let_go)
        column.addWidget(self.board, 1)
        middle.addWidget(frame, 1)
        reasons, inside = card(spacing=4)
        inside.addWidget(label(tr("Why in this order"), "heading"))
        self.why, self.short = label("", "", wrap=True), label("", "warn", wrap=True)
        inside.addWidget(self.why)
        inside.addWidget(self.short)
        middle.addWidget(reasons)
        return held

    # What is shown

    def show_day(self, day: date) -> None:
        """Plan this day."""
        self.day = day
        self._back.clear()
        self.refresh()

    def refresh(self) -> None:
        """Work the day out anew, beside the window."""
        now, ask, day = self._desk.clock.wall(), self._desk.ask, self.day
        self.background.run("day", lambda: ask(planning.day_sheet, day, now), self._show)

    def _show(self, sheet: DaySheet) -> None:
        units = self._desk.settings.units
        self._sheet = sheet
        self.head.title.setText(tr("{:%A %-d %B}", sheet.day))
        count = len(sheet.plan.batches)
        parts = (
            [tr("{} orders", len(sheet.pack)), tr("{} batches to queue", count)] if sheet.pack else [tr("nothing is ordered")]
        )
        if sheet.day.weekday() in sheet.house.closed:
            parts.insert(0, tr("the house is closed"))
        if sheet.waiting:
            parts.append(tr("{} wait", len(sheet.waiting)))
        if count:
            parts += [
                units.text(sheet.green_kg, "kg", 1) + tr(" of green"),
                tr("done about {:%-H:%M}", sheet.at(sheet.plan.done_s)),
            ]
        self.head.rest(" · ".join(parts))
        self.week.show_week(sheet.week, sheet.day, self._desk.clock.wall().astimezone().date(), units)
        self.queue.setEnabled(count > 0)
        self.queue.setText(tr("Queue {} batches", count) if count != 1 else tr("Queue 1 batch"))
        self.orders.show_orders(sheet, units)
        self.weigh.show_rows(weigh_rows(sheet, units))
        self.pack.show_rows(pack_rows(sheet, units))
        self._show_why(self.board.block)
        self._on_now()

    def _show_why(self, block: Block | None) -> None:
        sheet = self._sheet
        if sheet is None:
            return
        if block is not None and block.share is not None:
            plan = sheet.plans.get(block.share.way.plan)
            self.why.setText(
                tr(
                    "{:%-H:%M} {}, batch {} of {} for {}, by {}: {}.",
                    sheet.at(block.start_s),
                    block.share.need.lot,
                    block.number,
                    block.share.batches,
                    block.share.need.coffee.name,
                    plan.name if plan is not None else tr("its plan"),
                    block.why,
                )
            )
        else:
            firsts = [one for one in sheet.plan.batches if one.number == 1]
            told = [tr("{} on {}: {}", one.share.need.lot, one.machine, one.why) for one in firsts if one.share is not None]
            more = tr(" And {} more.", len(told) - 4) if len(told) > 4 else ""
            self.why.setText("\n".join(told[:4]) + more if told else tr("Nothing is left to plan."))
        said = [*sheet.short, *sheet.moves]
        self.short.setText("\n".join(said[:4]))
        self.short.setToolTip("\n".join(said))
        self.short.setVisible(bool(said))

    def _on_now(self) -> None:
        if self._sheet is None:
            return
        now, units = self._desk.clock.wall().astimezone(), self._desk.settings.units
        if self.isVisible():
            self.board.show_day(self._sheet, now, units)
        if self.wall is not None:
            self.wall.show_day(self._sheet, now, units)

    def _report(self) -> Callable[[], Report] | None:
        return partial(day_report, self._sheet, self._desk.settings.units) if self._sheet is not None else None

    # What a hand does

    def _on_other_day(self, by: int) -> None:
        self.show_day(self.day + timedelta(days=by))

    def _on_typed(self, text: str) -> None:
        today = self._desk.clock.wall().astimezone().date()
        if (taken := self._tried(lambda: self._desk.ask(shop.add_lines, text, today))) is None:
            return
        self.orders.line.clear()
        for order in taken:
            self._back.append(("order", partial(self._desk.ask, shop.cancel, order)))
        first = taken[0]
        units = self._desk.settings.units
        self._tell(tr("Taken: {} of {} for {:%A %-d %B}.", units.text(first.kg, "kg", 1), first.coffee, first.due))
        self.refresh()

    def _on_pack(self, order: shop.Order) -> None:
        packed = self._tried(lambda: self._desk.ask(shop.pack, order, self.day))
        if packed is not None:
            self._back.append(("pack", partial(self._desk.ask, shop.unpack, packed)))
            self._tell(tr("Packed: {}{}.", order.coffee, tr(" for {}", order.customer) if order.customer else ""))
            self.refresh()

    def _on_cancel(self, order: shop.Order) -> None:
        cancelled = self._tried(lambda: self._desk.ask(shop.cancel, order))
        if cancelled is not None:
            self._back.append(("cancel", partial(self._desk.ask, shop.take_again, cancelled)))
            self._tell(tr("Cancelled: {}.", order.coffee))
            self.refresh()

    def _on_table(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, tr("A table of orders"), "", tr("Tables (*.csv *.xlsx)"))
        if chosen:
            self.take_table(Path(chosen))

    def take_table(self, path: Path) -> None:
        """Take the orders of a table."""
        today = self._desk.clock.wall().astimezone().date()
        taken = self._tried(lambda: self._desk.ask(shop.take_in_orders, path, today))
        if taken is not None:
            for order in taken:
                self._back.append(("order", partial(self._desk.ask, shop.cancel, order)))
            self._tell(tr("{} orders taken from {}.", len(taken), path.name))
            self.refresh()

    def _on_moved(self, need: planning.Need, machine: str, place: int) -> None:
        before = self._tried(lambda: self._desk.ask(planning.hold, self.day, need, machine, place))
        if before is not None:
            self._back.append(("move", partial(self._desk.ask, house_day.keep_chosen, self.day, before)))
            self._tell(tr("{} is held at its place on {}.", need.coffee.name, machine))
            self.refresh()

    def _on_let_go(self, need: str) -> None:
        before = self._desk.ask(planning.let_go, self.day, need)
        self._back.append(("move", partial(self._desk.ask, house_day.keep_chosen, self.day, before)))
        self._tell(tr("It is free again: its place is found anew."))
        self.refresh()

    def _on_queue(self) -> None:
        sheet = self._sheet
        queued = None if sheet is None else self._tried(lambda: self._desk.ask(planning.send_to_queue, sheet))
        if queued is not None:
            self._back.append(("queue", lambda: [self._desk.ask(queue.remove, one) for one in queued]))
            self._tell(tr("{} batches wait: {} to {}.", len(queued), queued[0].number, queued[-1].number))
            self.queued.emit()
            self.refresh()

    def _on_scan(self) -> None:
        """A load stands weighed."""
        try:
            said, wrong = self._desk.ask(tick_off, self.scan.text()), False
        except ValueError as error:
            said, wrong = capital(str(error)), True
        rename(self.scanned, "warn" if wrong else "soft")
        self.scanned.setText(said)
        self.scanned.show()
        self.scan.selectAll()
        if not wrong:
            self.scan.clear()
            self.refresh()

    def _on_labels(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, tr("Labels of the day"), f"labels-{self.day:%Y-%m-%d}.pdf", tr("PDF (*.pdf)")
        )
        if path:
            self.print_labels(Path(path))

    def print_labels(self, path: Path) -> None:
        """Write the labels of all loads that wait and have none yet, beside the window."""
        from firnel.ui.plan.paper import write_labels

        self._labels.setEnabled(False)  # what is on paper once must not be asked for twice
        job = partial(self._desk.ask, label_the_day, self._desk.settings.units, partial(write_labels, path))
        self.background.run("labels", job, partial(self._on_labelled, path), self._on_unlabelled)

    def _on_labelled(self, path: Path, count: int) -> None:
        self._labels.setEnabled(True)
        self.head.tell(tr("{} labels written to {}.", count, path.name), for_ms=TOLD_MS)
        self.refresh()

    def _on_unlabelled(self, sentence: str) -> None:
        self._labels.setEnabled(True)
        self._say_wrong(sentence)

    def _on_undo(self) -> None:
        if self._back:
            _, back = self._back.pop()
            if self._tried(lambda: (back(), True)[1]):
                self._tell(tr("Taken back."))
            self.queued.emit()
            self.refresh()

    def _tell(self, sentence: str) -> None:
        """What just happened, with what takes it back beside it, as long as there is something."""
        self.orders.say("")
        self.head.tell(sentence, self._on_undo if self._back else None, TOLD_MS)

    def _tried(self, what: Callable[[], Answer]) -> Answer | None:
        """What a hand wants, or why it cannot be, in a sentence."""
        try:
            return what()
        except (ValueError, shop.ChangedMeanwhileError, shop.ImportRefusedError) as error:
            self._say_wrong(str(error))
            self.refresh()
            return None

    def _say_wrong(self, sentence: str) -> None:
        self.orders.say(capital(sentence), wrong=True)
