"""Old logs: files or folders are dropped, each shows what was guessed, and is put right before any is taken in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.machines.old_log_card import OldLogCard
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.house_table import dress
from firnel.ui.shared.parts import button, card, label
from firnel.ui.shared.sheet import Sheet
from firnel.ui.theme.look import Look, mono
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.machines.old_logs import (
    MARKS,
    OldLog,
    TakenIn,
    find_files,
    look_at,
    look_at_all,
    mixed_words,
    names_of,
    take_in,
)
from firnel.work.review.records import ImportRefusedError

COLUMNS = (tr("File"), tr("Machine"), tr("Lot"), tr("Load"), tr("Charge"), tr("1st crack"), tr("Drop"), "")


class OldLogsSheet(Sheet):
    """Takes logs in.

    Parameters
    ----------
    desk : whose library they go into.
    look : the theme.
    parent : the window.
    """

    taken = pyqtSignal(str)  # what came of it

    def __init__(self, desk: Desk, look: Look, parent: QWidget) -> None:
        super().__init__(tr("Old logs"), parent, 1220, 740)
        self.setAcceptDrops(True)
        self._desk = desk
        self._logs: list[OldLog] = []
        self._names = desk.ask(names_of)
        self._shown = -1
        self._stop: Callable[[], None] | None = None
        self._background = Background(self, self._on_failed)
        self.chosen = OldLogCard(look, desk.settings.temperature)
        self.chosen.corrected.connect(self.correct)
        column = QVBoxLayout(self.inside)
        column.setSpacing(SPACE_S)
        column.addLayout(self._head())
        row = QHBoxLayout()
        row.setSpacing(SPACE_M)
        row.addWidget(self._list(), 1)
        row.addWidget(self.chosen)
        column.addLayout(row, 1)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        column.addLayout(self._foot())
        self._show_row(-1)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(label(tr("Old logs"), "title"))
        told = tr("Drop files or a folder here. A table with a column “file” beside them fills in weights, lots and marks.")
        words.addWidget(label(told, "soft"))
        row.addLayout(words, 1)
        files, folder = button(tr("Choose files")), button(tr("Choose a folder"), primary=True)
        files.clicked.connect(self._on_files)
        folder.clicked.connect(self._on_folder)
        row.addWidget(files)
        row.addWidget(folder)
        return row

    def _list(self) -> QWidget:
        frame, column = card(spacing=SPACE_S)
        self.table = QTableWidget(0, len(COLUMNS))
        dress(self.table, tr("Old logs"))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setHorizontalHeaderLabels(COLUMNS)
        across = self.table.horizontalHeader()
        if across is not None:
            across.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.currentCellChanged.connect(lambda now, *_: self._show_row(now))
        column.addWidget(self.table, 1)
        fill = QHBoxLayout()
        self.machine, self.lot, self.load = QComboBox(), QComboBox(), FigureEntry(tr("Load of the chosen logs"))
        for box, name in ((self.machine, tr("Machine of the chosen logs")), (self.lot, tr("Lot of the chosen logs"))):
            box.setEditable(True)
            box.setAccessibleName(name)
            box.setMinimumContentsLength(9)
        self.machine.addItems([""] + [one.name for one in self._desk.ask(shelf.machines) if not one.archived])
        self.lot.addItems([""] + [one.name for one in self._desk.ask(shelf.lots) if not one.archived])
        self.load.setFixedWidth(90)
        put = button(tr("Fill in"), tr("Into the chosen rows; into all where none is chosen"))
        put.clicked.connect(self.fill_in)
        for title, widget in (
            (tr("Machine"), self.machine),
            (tr("Lot"), self.lot),
            (tr("Load, {}", self._desk.settings.mass), self.load),
        ):
            fill.addWidget(label(title, "soft"))
            fill.addWidget(widget, 0 if widget is self.load else 1)
        fill.addWidget(put)
        column.addLayout(fill)
        return frame

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(10)
        self._bar.setAccessibleName(tr("Progress"))
        self._bar.hide()
        self._count = label("", "soft")
        row.addWidget(self._count)
        row.addWidget(self._bar, 1)
        row.addStretch(1)
        cancel, self._go = button(tr("Leave")), button(tr("Take them in"), primary=True)
        cancel.clicked.connect(self.reject)
        self._go.clicked.connect(self.take_in)
        self._go.setEnabled(False)
        row.addWidget(cancel)
        row.addWidget(self._go)
        return row

    # What comes in

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files are welcome."""
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files and folders were dropped."""
        mime = event.mimeData() if event is not None else None
        if mime is not None:
            self.open_places([Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()])

    def _on_files(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(
            self, tr("Old logs"), "", tr("Logs and tables (*.csv *.tsv *.txt *.json *.xlsx)")
        )
        if paths:
            self.open_places([Path(path) for path in paths])

    def _on_folder(self) -> None:
        if path := QFileDialog.getExistingDirectory(self, tr("A folder of old logs")):
            self.open_places([Path(path)])

    def open_places(self, places: Sequence[Path]) -> None:
        """Read files and folders, beside the window."""
        try:
            logs, tables = find_files(places)
        except ImportRefusedError as error:
            self._said.setText(str(error))
            return
        self._said.setText(tr("Reading {} logs.", len(logs)))
        self._busy(True)
        work = partial(look_at_all, logs, tables, self._names)
        self._stop = self._background.run_long("look", work, self._on_read, self._on_progress)

    def _on_read(self, found: tuple[list[OldLog], str]) -> None:
        self._busy(False)
        self._logs, wrong = found
        self._said.setText(wrong)
        self._list_all()
        self.table.selectRow(0)
        self.table.clearSelection()

    def _busy(self, busy: bool) -> None:
        self._bar.setVisible(busy)
        self._bar.setValue(0)
        self._go.setEnabled(not busy and any(log.read is not None for log in self._logs))

    def _on_progress(self, done: float) -> None:
        self._bar.setValue(round(100 * done))

    def _on_failed(self, sentence: str) -> None:
        self._busy(False)
        self._said.setText(sentence)

    # What is shown

    def _list_all(self) -> None:
        self.table.setRowCount(len(self._logs))
        self.table.setUpdatesEnabled(False)
        for row, log in enumerate(self._logs):
            self._list_row(row, log)
        self.table.resizeColumnsToContents()
        self.table.setUpdatesEnabled(True)
        good = sum(log.read is not None for log in self._logs)
        bad = len(self._logs) - good
        self._count.setText(tr("{} can be taken in", good) + (tr(", {} not", bad) if bad else ""))
        self._go.setEnabled(good > 0)
        if mixed := mixed_words(self._logs):
            self._said.setText(mixed)

    def _list_row(self, row: int, log: OldLog) -> None:
        units, record = self._desk.settings.units, log.record
        wishes = log.wishes
        marks = ["", "", ""]
        if record is not None:
            found = {mark.kind: mark.t for mark in record.marks}
            marks = [clock(found[kind]) if kind in found else "–" for kind in (MARKS[0], MARKS[2], MARKS[3])]
        load = units.text(wishes.load_kg, "kg") if wishes.load_kg is not None else ""
        needs = tr("needs {}", _needs(log)) if _needs(log) and not log.wrong else ""
        cells = [(text, text) for text in (log.name, wishes.machine, wishes.lot, load, *marks)]
        cells.append((needs, needs + tr(" to be learned from")) if needs else (log.wrong, log.wrong))
        for place, (text, tip) in enumerate(cells):
            item = QTableWidgetItem(text)
            item.setToolTip(tip)
            if 3 <= place <= 6:
                item.setFont(mono(14))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, place, item)

    def _show_row(self, row: int) -> None:
        self._shown = row if 0 <= row < len(self._logs) else -1
        log = self._logs[self._shown] if self._shown >= 0 else None
        self.chosen.show_log(log)

    # What is done

    def _chosen_rows(self) -> list[int]:
        selection = self.table.selectionModel()
        rows = sorted(index.row() for index in selection.selectedRows()) if selection is not None else []
        return rows or list(range(len(self._logs)))

    def fill_in(self) -> None:
        """Machine, lot and load into the chosen rows; what is left empty stays as it is there."""
        try:
            load_kg = self.load.read(self._desk.settings.units, "kg")
        except ValueError as error:
            self._said.setText(str(error))
            return
        machine, lot = self.machine.currentText().strip(), self.lot.currentText().strip()
        for row in self._chosen_rows():
            wishes = self._logs[row].wishes
            wishes = replace(
                wishes,
                machine=machine or wishes.machine,
                lot=lot or wishes.lot,
                load_kg=wishes.load_kg if load_kg is None else load_kg,
            )
            self._logs[row] = look_at(replace(self._logs[row], wishes=wishes), self._names)
        self._said.setText("")
        self._list_all()

    def correct(self, every: bool) -> None:
        """Read the chosen log anew with what was put right; the degrees and columns of ``every`` log likewise."""
        if self._shown < 0:
            return
        try:
            right = self.chosen.put_right()
        except ValueError as error:
            self._said.setText(str(error))
            return
        for row in range(len(self._logs)) if every else (self._shown,):
            log = self._logs[row]
            wishes = replace(log.wishes, columns=right.columns, temperature=right.temperature)
            if row == self._shown:
                wishes = replace(wishes, marks=right.marks)
            self._logs[row] = look_at(replace(log, wishes=wishes), self._names)
        self._said.setText(self._logs[self._shown].wrong)
        self._list_all()
        self._show_row(self._shown)

    def take_in(self) -> None:
        """Take in what can be, beside the window."""
        if mixed := mixed_words(self._logs):
            self._said.setText(mixed)
            return
        self._busy(True)
        self._said.setText(tr("Taking them in."))
        ask, logs = self._desk.ask, list(self._logs)
        self._stop = self._background.run_long(
            "take", lambda progress: ask(take_in, logs, progress), self._on_taken, self._on_progress
        )

    def _on_taken(self, taken: TakenIn) -> None:
        self._busy(False)
        self._said.setText(taken.words)
        self.taken.emit(taken.words)
        if taken.count and not taken.left_out:
            self.accept()

    def done(self, result: int) -> None:
        """Leave: what is under way is stopped, what was taken in stays."""
        if self._stop is not None:
            self._stop()
        super().done(result)


def _needs(log: OldLog) -> str:
    missing = [word for word, there in ((tr("machine"), log.wishes.machine), (tr("load"), log.wishes.load_kg)) if not there]
    return tr(" and ").join(missing)
