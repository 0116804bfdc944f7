"""A page with a searchable list on the left and the sheet of what is chosen on the right."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from firnel.core.words import point, tr
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.house_table import SORT_ROLE, HouseTable, SortedRows
from firnel.ui.shared.mini_curve import COURSE_ROLE, WIDE, CurveDelegate
from firnel.ui.shared.parts import PageHead, button, card, label
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.shared.station import Station
from firnel.ui.shared.typed import has_typed, was_filled
from firnel.ui.theme.look import Look, mono
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.desk import Desk

KEY_ROLE = Qt.ItemDataRole.UserRole
#: A figure at the beginning of a text, with spaces between its thousands; and the seconds of one of minutes.
FIGURE = re.compile(r"([-+±]?\d[\d ]*(?:\.\d+)?)(?::(\d\d))?")
#: No column takes more than this by itself; by hand it can be made wider. [px]
WIDEST = 230
#: The list above its sheet, where they have no room beside each other. [px]
LIST_HEIGHT = 300
#: What names a row is so wide at least, and what stands around the columns; no list needs more than it has at 1280. [px]
LEAST_NAME, AROUND, BESIDE_SHEET = 80, 60, 420
#: A text of a list, or beside it what it is put in order by, or the course that is drawn.
Cell = str | tuple[str, Any]


def figure_of(text: str) -> float | None:
    """The figure that a text of a list begins with: what it is put in order by; None where it has none.

    >>> figure_of("1 250.5 kg"), figure_of("±0.4"), figure_of("–")
    (1250.5, 0.4, None)
    """
    found = FIGURE.match(text.replace("\u2212", "-").replace("\u202f", " ").replace(point(), "."))
    if found is None:
        return None
    whole, minutes = found.group(1).replace(" ", "").replace("+", "").replace("±", ""), found.group(2)
    return float(whole) + (float(minutes) / 60.0 if minutes else 0.0)


def archived_words(name: str, away: bool) -> str:
    """What has happened to something that was archived, or brought back."""
    return tr("{} is archived.", name) if away else tr("{} is in use again.", name)


class EmptyPage(QWidget):
    """What to do first while there is nothing to show, and the button that leads there."""

    def __init__(self, sentence: str) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.addStretch(1)
        self._words = label(sentence, "empty", wrap=True)
        self._words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.begin = button(tr("The five steps of the beginning"))
        column.addWidget(self._words)
        column.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignCenter)
        column.addStretch(2)

    def show_text(self, sentence: str, begin: bool = True) -> None:
        """Say something else; ``begin`` whether the beginning is offered too."""
        self._words.setText(sentence)
        self.begin.setVisible(begin)


class ListPage(Station):
    """List and sheet; a view fills both: `question` and `choice_question` read, `show_read` and `show_choice` show.

    Parameters
    ----------
    desk : what is asked.
    title, subtitle : of the page.
    columns : headings; those that begin with ``#`` hold figures and stand right, those with ``~`` a small curve;
        the one with ``+``, else the first, takes the room that is left.
    empty : what to do first while the list is empty.
    sheet_width : of the right side. [px]
    """

    def __init__(
        self, desk: Desk, title: str, subtitle: str, columns: Sequence[str], empty: str, sheet_width: int = 420
    ) -> None:
        super().__init__()
        self._desk, self._was_read, self._was_chosen = desk, False, False
        self._holds = False  # what hands have typed
        self._shown_key: Any = None
        self.asking = Asking(desk, self, self._on_refused)
        self._choose_by: Callable[..., None] = self.asking.aside
        self.setObjectName("page")
        self._columns = tuple(name[1:] if name.startswith("+") else name for name in columns)
        self._wide = next((place for place, name in enumerate(columns) if name.startswith("+")), 0)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(18, 12, 14, 12)
        outer.setSpacing(SPACE_M)
        self.head = PageHead(title, subtitle)
        outer.addWidget(self.head)
        self.body = SideBySide(SPACE_M)
        outer.addWidget(self.body, 1)
        frame, column = card()
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search"))
        self.search.setAccessibleName(tr("Search in {}", title))
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumWidth(96)
        self.tools = QHBoxLayout()
        self.tools.addWidget(self.search, 1)
        column.addLayout(self.tools)
        self.table = HouseTable(title, self.head.tell)
        self._empty = EmptyPage(empty)
        self._empty.begin.clicked.connect(self.begin_wanted)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.table)
        self._stack.addWidget(self._empty)
        reading = label(tr("Reading …"), "soft")
        reading.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack.addWidget(reading)
        column.addWidget(self._stack, 1)
        self.left = QWidget()
        self.list_side = QVBoxLayout(self.left)
        self.list_side.setContentsMargins(0, 0, 0, 0)
        self.list_side.setSpacing(SPACE_S)
        self.list_side.addWidget(frame, 1)
        self.body.add(self.left, 1, tall=LIST_HEIGHT, of=frame)
        self.sheet = QWidget()
        self.sheet_column = QVBoxLayout(self.sheet)
        self.sheet_column.setContentsMargins(0, 0, 0, 0)
        self.sheet_column.setSpacing(6)
        self.body.add(self.sheet, wide=sheet_width)
        self._fill_in()

    def _fill_in(self) -> None:
        """The rows behind the table: sorted, searched, chosen."""
        self.of_chosen: list[QWidget] = []  #: shown only where there is something to choose
        self._model = QStandardItemModel(0, len(self._columns), self)
        self._model.setHorizontalHeaderLabels([tr(name[1:] if name[:1] in "#~" else name) for name in self._columns])
        for place, name in enumerate(self._columns):
            heading = self._model.horizontalHeaderItem(place)
            if name.startswith("#") and heading is not None:  # over its figures
                heading.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._proxy = SortedRows(self)
        self._proxy.setSourceModel(self._model)
        self._proxy.setFilterKeyColumn(-1)
        self._proxy.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.table.setModel(self._proxy)
        self.table.sort_by_headings()
        self.search.textChanged.connect(self._proxy.setFilterFixedString)
        across = self.table.horizontalHeader()
        if across is not None:
            across.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            across.setSectionResizeMode(self._wide, QHeaderView.ResizeMode.Stretch)
        selection = self.table.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(self._on_row)

    def _size_columns(self) -> None:
        """As wide as what stands in them, none so wide that another has no room."""
        across = self.table.horizontalHeader()
        for section, name in enumerate(self._columns):
            if across is not None and section != self._wide:
                asked = WIDE if name.startswith("~") else self.table.sizeHintForColumn(section)
                across.resizeSection(section, min(max(asked, across.sectionSizeHint(section)), WIDEST))
        others = sum(across.sectionSize(n) for n in range(len(self._columns)) if n != self._wide) if across is not None else 0
        self.left.setMinimumWidth(min(others + LEAST_NAME + AROUND, BESIDE_SHEET))

    def draw_curves(self, look: Look) -> None:
        """Draw the columns of courses."""
        for section, name in enumerate(self._columns):
            if name.startswith("~"):
                self.table.setItemDelegateForColumn(section, CurveDelegate(look, self.table))
        look.changed.connect(self.table.viewport().update)  # type: ignore[union-attr]  # a table has one

    def show_rows(self, rows: Sequence[tuple[Sequence[Cell], Any]]) -> None:
        """Fill the list: texts and what each row stands for. What was chosen stays chosen, or what took its place."""
        current = self.table.currentIndex()
        place, before = current.row(), current.siblingAtColumn(0).data(KEY_ROLE)
        self._model.setRowCount(0)
        for cells, key in rows:
            items = []
            for cell, column in zip(cells, self._columns, strict=True):
                text, more = cell if isinstance(cell, tuple) else (cell, figure_of(cell) if column.startswith("#") else None)
                item = QStandardItem(text)
                item.setData(more, COURSE_ROLE if column.startswith("~") else SORT_ROLE)
                items.append(item)
            items[0].setData(key, KEY_ROLE)
            for item, column in zip(items, self._columns, strict=True):
                if column.startswith("#"):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    item.setFont(mono(15))
            self._model.appendRow(items)
        self._size_columns()
        self._stack.setCurrentIndex(0 if rows else 1)
        waits = bool(rows) and self._desk.shared and not self._was_chosen  # for what the sheet is to show
        self._hold_place(waits)
        self.sheet.setVisible(bool(rows) and not waits)
        self.offer_for_chosen()
        if rows:
            shown = range(self._proxy.rowCount())
            kept = next((row for row in shown if before is not None and _same(before, self._key_at(row))), place)
            self.table.selectRow(min(max(kept, 0), len(shown) - 1))

    def _key_at(self, row: int) -> Any:
        return self._proxy.index(row, 0).data(KEY_ROLE)

    def select(self, row: int) -> None:
        """Choose a row."""
        self.table.selectRow(row)

    def search_for(self, text: str) -> None:
        """Show the first that goes by this name."""
        self.search.setText(text)
        self.select(0)

    def select_key(self, wanted: Callable[[Any], bool]) -> bool:
        """Choose the row whose key is wanted; it is shown when this returns: what comes next is done to it.

        A search that hides it ends. Returns whether it is listed.
        """
        if self._select_shown(wanted):
            return True
        if not any(wanted(self._model.item(row).data(KEY_ROLE)) for row in range(self._model.rowCount())):  # type: ignore[union-attr]  # each has one
            return False
        self.search.clear()
        return self._select_shown(wanted)

    def _select_shown(self, wanted: Callable[[Any], bool]) -> bool:
        for row in range(self._proxy.rowCount()):
            key = self._key_at(row)
            if wanted(key):
                if self.table.currentIndex().row() == row and self._desk.shared:
                    self.open(key)  # it may still be asked for
                self._choose_by = self.asking.now
                self.table.selectRow(row)
                self._choose_by = self.asking.aside
                return True
        return False

    def offer_for_chosen(self) -> None:
        """What is done with one of the list, and what stands under it, is there where the list has something."""
        for widget in self.of_chosen:
            widget.setVisible(self._model.rowCount() > 0)

    def offer_begin(self, offered: bool) -> None:
        """Whether the empty page leads to the beginning: not where that is done."""
        self._empty.begin.setVisible(offered)

    def question(self) -> Callable[[], Any]:
        """What reads the records; called where the window is not looked at."""
        raise NotImplementedError

    def show_read(self, read: Any) -> None:
        """Fill the list with what was read."""
        raise NotImplementedError

    def refresh(self) -> None:
        """Read the records anew, and show them before this returns."""
        self.asking.now("page", self.question(), self._show_read)

    def read(self) -> None:
        """Read the records anew without holding the window; they are shown as soon as they are there."""
        if not self._was_read and self._desk.shared:
            self._stack.setCurrentIndex(2)
            self._hold_place(True)
            self.sheet.hide()
        self.asking.aside("page", self.question(), self._show_again)

    def _show_again(self, read: Any) -> None:
        """What comes by itself leaves alone what hands are typing."""
        self._holds = self._was_chosen and has_typed(self.sheet)
        try:
            self._show_read(read)
        finally:
            self._holds = False

    def _show_read(self, read: Any) -> None:
        self._was_read = True
        self.show_read(read)

    def _hold_place(self, held: bool) -> None:
        """While it is read for the first time nothing takes the place of the sheet that is to come."""
        policy = self.sheet.sizePolicy()
        policy.setRetainSizeWhenHidden(held)
        self.sheet.setSizePolicy(policy)

    def _on_refused(self, sentence: str) -> None:
        if not self._was_read:
            self._stack.setCurrentIndex(0)
            self._hold_place(False)
        self.refused.emit(sentence)

    def choice_question(self, key: Any) -> Callable[[], Any] | None:
        """What reads all that the sheet of what is chosen shows beside itself; None where nothing is to be read."""
        return None

    def show_choice(self, key: Any, read: Any) -> None:
        """Show the sheet of what is chosen, and what was read of it."""
        raise NotImplementedError

    def open(self, key: Any) -> None:
        """Show the sheet of something before this returns."""
        self.asking.now("choice", self.choice_question(key) or _nothing, partial(self._show_choice, key))

    def _show_choice(self, key: Any, read: Any) -> None:
        if not self._was_chosen:
            self._was_chosen = True
            self._hold_place(False)
            self.sheet.show()
        self._shown_key = key
        self.show_choice(key, read)
        was_filled(self.sheet)

    def _on_row(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            key = current.siblingAtColumn(0).data(KEY_ROLE)
            if self._holds and _same(key, self._shown_key):
                return
            if (question := self.choice_question(key)) is None:
                self.open(key)
            else:
                self._choose_by("choice", question, partial(self._show_choice, key))


def _same(one: Any, other: Any) -> bool:
    """Whether two keys stand for the same thing of the library, changed meanwhile or not."""
    if type(one) is not type(other):
        return False
    key = getattr(one, "id", None)
    return bool(one == other) if key is None else bool(key == other.id)


def _nothing() -> None:
    return None
