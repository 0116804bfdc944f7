"""Telling apart: triangle and paired tests of two batches, with their serving plan and exact verdict."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QScrollArea, QStackedWidget, QWidget

from firnel.core.cup.difference import least_correct
from firnel.core.words import capital, tr
from firnel.ui.bench.choosing import BatchTicks
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import button, card, chosen, empty, label, offer
from firnel.work import shelf
from firnel.work.bench import cupping, telling_apart
from firnel.work.bench.cupping import TableSet
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter

WHAT = {
    "triangle": tr("Three cups, two alike: which is the odd one?"),
    "paired": tr("Two cups: which one has more of what is asked? What counts is how often the second batch is chosen."),
}


class TestPage(ListPage):
    """Lists the tests; one is set, answered, or read."""

    __test__ = False  # no test of the code

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            tr("Tell apart"),
            tr("Triangle and paired tests: can anybody taste the difference, or is it chance?"),
            (tr("Test"), tr("Set"), "#Answers", tr("State")),
            tr("No test has been set yet. Press “Set a test”: two batches, and who tastes."),
            sheet_width=600,
        )
        self.head.title.hide()
        self._table: TableSet | None = None
        self._reveal, begin = button(tr("Reveal")), button(tr("Set a test"), primary=True)
        self._reveal.clicked.connect(self.reveal)
        begin.clicked.connect(self.begin)
        self.head.add(self._reveal)
        self.head.add(begin)
        self._pages = QStackedWidget()
        self._setting, self._answering = self._setting_page(), self._answer_page()
        for page in (self._setting, self._answering):
            self._pages.addWidget(page)
        self.sheet_column.addWidget(self._pages, 1)

    def _setting_page(self) -> QWidget:
        frame, column = card()
        column.addWidget(label(tr("Set a test"), "heading"))
        self.kind = QComboBox()
        offer(self.kind, WHAT)
        self.kind.setAccessibleName(tr("Kind of test"))
        self.tasters = QLineEdit()
        self.tasters.setPlaceholderText(tr("Tasters, separated by commas; a name may come several times"))
        self.tasters.setAccessibleName(tr("Tasters"))
        self.ticks = BatchTicks(tr("The two batches"))
        self._setting_said = label("", "soft", wrap=True)
        self.sides, self.second = QComboBox(), QComboBox()
        self.sides.addItem(tr("either may be chosen more often (two-sided)"), 2)
        self.sides.addItem(tr("it is agreed beforehand that the second has more (one-sided)"), 1)
        self.sides.setAccessibleName(tr("Sides of a paired test"))
        self.second.setAccessibleName(tr("Which batch is the second"))
        self.ticks.itemChanged.connect(self._offer_second)
        go = button(tr("Set it"), tr("Codes and orders are drawn"), primary=True)
        go.clicked.connect(self.set_it)
        for widget in (self.kind, self.tasters, label(tr("Tick two batches"), "soft")):
            column.addWidget(widget)
        column.addWidget(self.ticks, 1)
        self._paired: list[QWidget] = [label(tr("The second batch"), "soft"), self.second, self.sides]
        for one in self._paired:
            column.addWidget(one)
        self.kind.currentIndexChanged.connect(lambda _: self._on_kind(chosen(self.kind)))
        self._on_kind(chosen(self.kind))
        column.addWidget(self._setting_said)
        column.addWidget(go)
        return frame

    def _answer_page(self) -> QWidget:
        frame, column = card()
        self._what = label("", "heading", wrap=True)
        self._verdict = label("", "", wrap=True)
        area, within = QScrollArea(), QWidget()
        area.setAccessibleName(tr("Servings"))
        area.setObjectName("bare")
        area.setWidgetResizable(True)
        self._grid = QGridLayout(within)
        self._grid.setAlignment(Qt.AlignmentFlag.AlignTop)
        area.setWidget(within)
        self.answers: list[QComboBox] = []
        for widget in (self._what, self._verdict):
            column.addWidget(widget)
        column.addWidget(area, 1)
        return frame

    def _on_kind(self, kind: str) -> None:
        for one in self._paired:
            one.setVisible(kind == "paired")

    def _offer_second(self) -> None:
        """The ticked batches, the later ticked one chosen."""
        chosen, keys = self.second.currentData(), self.ticks.ticked()
        self.second.clear()
        for key in keys:
            self.second.addItem(self.ticks.name_of(key), key)
        kept = self.second.findData(chosen)
        self.second.setCurrentIndex(kept if kept >= 0 else self.second.count() - 1)

    def question(self) -> Callable[[], list[TableSet]]:
        """What reads the tests."""
        return partial(self._desk.ask, shelf.tables, ("triangle", "paired"))

    def show_read(self, read: list[TableSet]) -> None:
        """Fill the list."""
        rows = []
        for table in read:
            servings = table.document["servings"]
            given = sum(serving["answer"] is not None for serving in servings)
            name = table.name if table.revealed else capital(tr(table.kind))
            rows.append(
                (
                    (
                        name,
                        (tr("{:%d %b %H:%M}", table.at.astimezone()), table.at.timestamp()),
                        f"{given}/{len(servings)}",
                        tr("revealed") if table.revealed else tr("open"),
                    ),
                    table,
                )
            )
        self.show_rows(rows)

    def begin(self) -> None:
        """Begin to set a test."""
        lines = self._desk.ask(shelf.batch_lines, BatchFilter(statuses=("done", "dropped")), limit=80)
        self.ticks.offer(lines)
        self._setting_said.setText("")
        self.sheet.show()
        self._pages.setCurrentWidget(self._setting)

    def set_it(self) -> None:
        """Set the test as it is filled in."""
        ticked = self.ticks.ticked()
        try:
            if len(ticked) != 2:
                raise ValueError(tr("{} batches are ticked: a test is of two.", len(ticked)))
            paired = chosen(self.kind) == "paired"
            if paired and self.second.currentData() == ticked[0]:
                ticked.reverse()
            made = self._desk.ask(
                telling_apart.set_test, "paired" if paired else "triangle", ticked[0], ticked[1],
                self.tasters.text().split(","), datetime.now(UTC), None, self.sides.currentData() if paired else 1,
            )  # fmt: skip
        except ValueError as error:
            self._setting_said.setText(str(error))
            return
        self.refresh()
        self.select_key(lambda table: table.id == made.id)

    def show_choice(self, key: TableSet, read: None) -> None:
        """Show the servings of one test, and its verdict once it is told."""
        self._table = key
        self._pages.setCurrentWidget(self._answering)
        self._what.setText(key.name if key.revealed else WHAT[key.kind])
        self._reveal.setEnabled(not key.revealed)
        empty(self._grid)
        self.answers = []
        for row, serving in enumerate(key.document["servings"]):
            choice = QComboBox()
            choice.addItem(tr("no answer"), None)
            for code in serving["codes"]:
                choice.addItem(code, code)
            choice.setCurrentIndex(max(choice.findData(serving["answer"]), 0))
            choice.setAccessibleName(tr("Answer of {}, serving {}", serving["taster"], row + 1))
            choice.setEnabled(not key.revealed)
            choice.currentIndexChanged.connect(partial(self._on_answer, row, choice))
            self.answers.append(choice)
            order = f" ({serving['order']})" if key.revealed else ""
            self._grid.addWidget(label(f"{row + 1}. {serving['taster']}"), row, 0)
            self._grid.addWidget(label("  ".join(serving["codes"]) + order, "figure"), row, 1)
            self._grid.addWidget(choice, row, 2)
        self._show_verdict()

    def _on_answer(self, row: int, choice: QComboBox, _index: int = 0) -> None:
        if self._table is not None:
            self._table = self._desk.ask(telling_apart.answer, self._table, row, choice.currentData())
            self._show_verdict()

    def _show_verdict(self) -> None:
        table = self._table
        if table is None:
            return
        if not table.revealed:
            count = len(table.document["servings"])
            sides = table.document.get("sides", 1)
            needed = least_correct("triangle" if table.kind == "triangle" else "paired", count, sides=sides)
            what = tr("for one of the two") if sides == 2 else tr("right")
            told = (
                tr("{} {} of {} would show a difference.", needed, what, count)
                if needed
                else tr("{} answers can show nothing.", count)
            )
            self._verdict.setText(tr("{} The right answers are shown at the end.", told))
            return
        found = telling_apart.verdict(table)
        self._verdict.setText(found.words if found is not None else tr("Nobody has answered."))

    def reveal(self) -> None:
        """Tell the verdict; no answer is changed after."""
        if self._table is not None and not self._table.revealed:
            self._table = self._desk.ask(cupping.reveal, self._table)
            kept = self._table
            self.refresh()
            self.select_key(lambda table: table.id == kept.id)
            self.open(kept)
