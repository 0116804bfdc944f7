"""One old log beside the list of them: its curves with the marks, what was guessed of it, and what can be put right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.units import linear_map
from firnel.core.words import capital, tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane
from firnel.ui.shared.parts import ElidedLabel, button, card, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.machines.old_logs import FIELDS, MARKS, OldLog

KEYS = (Key("bean"), Key("air", "slate", "dash"))
DEGREES = ((tr("as guessed"), None), ("°C", "c"), ("°F", "f"))
#: What is shown of a log. [degC]
SHOWN_C = (20.0, 280.0)


@dataclass(frozen=True)
class PutRight:
    """What was put right of a log: columns and degrees by which it is read, and marks in seconds of it, by name."""

    columns: Mapping[str, str]
    temperature: str | None
    marks: Mapping[str, float]


class OldLogCard(QWidget):
    """Shows one log.

    Parameters
    ----------
    look : the theme.
    temperature : unit in which its curves are shown.
    """

    corrected = pyqtSignal(bool)  # read it anew; whether every other one likewise

    def __init__(self, look: Look, temperature: str) -> None:
        super().__init__()
        self._look, self._temperature = look, temperature
        frame, column = card(spacing=SPACE_S)
        around = QVBoxLayout(self)
        around.setContentsMargins(0, 0, 0, 0)
        around.addWidget(frame)
        self.setFixedWidth(480)
        self.name = ElidedLabel("heading")
        self._guessed = label("", "soft", wrap=True)
        column.addWidget(self.name)
        column.addWidget(self._curves(), 1)
        column.addWidget(self._guessed)
        column.addLayout(self._fields())
        column.addLayout(self._deeds())

    def _curves(self) -> Lane:
        self._lane = Lane(self._look, "card", with_time=True)
        self._lane.setObjectName("bare")
        self._lane.setAccessibleName(tr("The chosen log"))
        colours = self._look.palette
        self._bean = pg.PlotCurveItem(connect="finite", pen=pg.mkPen(colours.ink, width=2))
        self._air = pg.PlotCurveItem(connect="finite", pen=pg.mkPen(colours.slate, width=1.2, style=Qt.PenStyle.DashLine))
        dashed = pg.mkPen(colours.moss, width=1.4, style=Qt.PenStyle.DashLine)
        self._lines = {kind: pg.InfiniteLine(angle=90, pen=dashed) for kind in MARKS}
        for item in (self._bean, self._air, *self._lines.values()):
            self._lane.plot.addItem(item, ignoreBounds=True)
        self._lane.reads("bean", self._bean)
        self._lane.reads("air", self._air)
        self.glance = Glance((self._lane,))
        return self._lane

    def _fields(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_S)
        grid.setVerticalSpacing(1)
        self.marks = {kind: FigureEntry(tr("{}, seconds of the log", capital(kind.words))) for kind in MARKS}
        for place, (kind, entry) in enumerate(self.marks.items()):
            grid.addWidget(label(f"{capital(kind.words)}, s", "soft"), 0, place)
            grid.addWidget(entry, 1, place)
        self._degrees, self._columns = QComboBox(), QLineEdit()
        self._degrees.addItems([words for words, _ in DEGREES])
        self._degrees.setAccessibleName(tr("Degrees of the log"))
        self._columns.setAccessibleName(tr("Columns of the log"))
        self._columns.setPlaceholderText(tr("columns as guessed, or: time=…, bean=…, gas=…"))
        grid.addWidget(label(tr("Degrees"), "soft"), 2, 0)
        grid.addWidget(self._degrees, 3, 0)
        grid.addWidget(label(tr("Columns"), "soft"), 2, 1)
        grid.addWidget(self._columns, 3, 1, 1, 3)
        return grid

    def _deeds(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addStretch(1)
        all_alike = button(tr("Read all like this"), tr("Degrees and columns, for every log"))
        correct = button(tr("Correct this one"))
        for deed, every in ((all_alike, True), (correct, False)):
            deed.clicked.connect(partial(self.corrected.emit, every))
            row.addWidget(deed)
        return row

    def show_log(self, log: OldLog | None) -> None:
        """Show a log as it was read; nothing, where none is chosen."""
        record = log.record if log is not None else None
        self.name.show_text(log.name if log is not None else tr("No log chosen"))
        said = "" if log is None else log.wrong or " · ".join(log.read.said if log.read is not None else ())
        self._guessed.setText(said)
        for item in (self._bean, self._air):
            item.setData([], [])
        for line in self._lines.values():
            line.hide()
        for entry in self.marks.values():
            entry.setText("")
        if log is None or record is None:
            return
        factor, offset = linear_map("°C", self._temperature)
        trace = record.trace
        self._bean.setData(trace.t, trace.bean * factor + offset)
        self._air.setData(trace.t, trace.air * factor + offset)
        self._lane.time_span(float(trace.t[0]), float(trace.t[-1]))
        low, high = (shown * factor + offset for shown in SHOWN_C)
        self._lane.level_span(low, high)
        self._lane.head.show_head(tr("Temperature, {}", self._temperature), KEYS, tr("minutes of the log"))
        for mark in record.marks:
            if mark.kind in self._lines:
                self._lines[mark.kind].setPos(mark.t)
                self._lines[mark.kind].show()
                self.marks[mark.kind].setText(tr("{:.0f}", mark.t))
        told = log.wishes.temperature
        self._degrees.setCurrentIndex(next(i for i, (_, name) in enumerate(DEGREES) if name == told))
        self._columns.setText(", ".join(f"{name}={column}" for name, column in log.wishes.columns.items()))

    def put_right(self) -> PutRight:
        """What stands in the fields.

        Raises
        ------
        ValueError : if a field cannot be read; the message says why.
        """
        columns = _columns_in(self._columns.text())
        marks = {kind.value: figure for kind, entry in self.marks.items() if (figure := entry.seconds()) is not None}
        return PutRight(columns, DEGREES[self._degrees.currentIndex()][1], marks)


def _columns_in(text: str) -> dict[str, str]:
    columns = {}
    for part in filter(None, (part.strip() for part in text.split(","))):
        name, equals, column = part.partition("=")
        if not equals or not column.strip():
            raise ValueError(tr("Columns: {!r} is not NAME=COLUMN; the names are {}, or a control's.", part, ", ".join(FIELDS)))
        columns[name.strip()] = column.strip()
    return columns
