"""The sheet of one batch: curves, stages, marks that can be corrected, moves, results, notes."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from firnel.core.units import clock, parse_clock
from firnel.core.vocabulary import MarkKind
from firnel.core.words import tr
from firnel.ui.roast.curves import as_ribbon
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import LEAST_LANE, Lane, broken, line_pen
from firnel.ui.shared.mark_words import MarkWords
from firnel.ui.shared.parts import FigureGrid, PageHead, YieldingLabel, button, card, label
from firnel.ui.shared.ribbons import HandsLane
from firnel.ui.shared.tabs import TabBar
from firnel.ui.theme.look import Look
from firnel.work.review.picture import MarkRow, ReviewCurves, ReviewPicture


def _mark_words(row: MarkRow, t: float) -> str:
    if row.kind is MarkKind.CHARGE:
        return ""  # its line stands where the axis begins
    return f"{tr('turn') if row.kind is MarkKind.TURNING else row.name} {clock(t)}"


class ReviewCurvesPane(QWidget):
    """Curves, rate and hands of one batch, and of one laid over it."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._top, self._rate = Lane(look, "card"), Lane(look, "lane", with_time=True)
        self._top.setMinimumHeight(LEAST_LANE)
        self._rate.setFixedHeight(112)
        self._rate.plot.setXLink(self._top.plot)
        self._hands = HandsLane(look, self._top)
        self._hands.take_room(108)
        self._hands.setMinimumHeight(90)
        column.addWidget(self._top, 1)
        column.addWidget(self._rate)
        column.addWidget(self._hands)
        self._bean, self._air, self._over = (pg.PlotCurveItem(connect="finite") for _ in range(3))
        self._rate_line, self._rate_over = (pg.PlotCurveItem(connect="finite") for _ in range(2))
        self._words = MarkWords(self._top, look, 5)
        self._words.put_lines()
        for item in (self._over, self._air, self._bean):
            self._top.plot.addItem(item, ignoreBounds=True)
        self._words.put_words()
        self._top.setAccessibleName(tr("Bean and air temperature over time"))
        self._rate.setAccessibleName(tr("Rate of rise over time"))
        for item in (self._rate_over, self._rate_line):
            self._rate.plot.addItem(item, ignoreBounds=True)
        self._shown = ""
        self.glance = Glance((self._top, self._rate), self._hands)
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        palette = self._look.palette
        self._bean.setPen(line_pen(palette.ink, 2.8))
        self._air.setPen(line_pen(palette.slate, 1.6, Qt.PenStyle.DashLine))
        self._over.setPen(line_pen(palette.soft, 1.8, Qt.PenStyle.DotLine))
        self._rate_line.setPen(line_pen(palette.plum, 2.2))
        self._rate_over.setPen(line_pen(palette.plum, 1.6, Qt.PenStyle.DotLine))
        self._words.dress()

    def _show_heads(self, unit: str, own: str, over: str) -> None:
        """What the axes measure, and what each line is."""
        keys = [Key(tr("{} bean", own)), Key("air", "slate", "dash")]
        rates = [Key(own, "plum")]
        if over:
            keys.append(Key(tr("{} bean, laid over", over), "soft", "dots"))
            rates.append(Key(over, "plum", "dots"))
        self._top.head.show_head(tr("Temperature, {}", unit), keys)
        self._rate.head.show_head(tr("Rate of rise, {}/min", unit), rates, tr("minutes from the charge"))
        self._top.lines, self._rate.lines = {}, {}
        self._top.reads(tr("{} bean", own), self._bean)
        self._top.reads("air", self._air)
        self._top.reads(tr("{} bean, laid over", over), self._over)
        self._rate.reads(own, self._rate_line)
        self._rate.reads(over, self._rate_over)

    def show_picture(self, picture: ReviewPicture, label_text: str, over: ReviewCurves | None, over_label: str) -> None:
        """Draw one batch, and another over it if there is one."""
        if label_text != self._shown:
            self._shown = label_text
            self.glance.show_whole()
        curves = picture.curves
        t, bean, air = broken(curves.t, curves.bean, curves.air)
        self._bean.setData(t, bean)
        self._air.setData(t, air)
        self._rate_line.setData(curves.rate_t, curves.rate)
        self._over.setData(*(broken(over.t, over.bean) if over else ([], [])))
        self._rate_over.setData(over.rate_t if over else [], over.rate if over else [])
        end = max(picture.span[1], float(over.t[-1]) if over is not None and over.t.size else 0.0)
        low, high = picture.levels
        self._top.time_span(picture.span[0], end)
        self._rate.level_span(0.0, picture.rate_top)
        self._words.show_marks([(row.t, _mark_words(row, row.t)) for row in picture.marks if row.t is not None], low, high, end)
        self._show_heads(picture.temperature_unit, label_text, over_label)
        self._hands.show_ribbons([as_ribbon(ribbon) for ribbon in picture.ribbons])


class MarksTable(QWidget):
    """The marks with their times to be corrected: type ``m:ss`` and Enter."""

    corrected = pyqtSignal(object, object)  # MarkKind, seconds from the present charge or None
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(2)
        self._grid.setHorizontalSpacing(4)
        self._grid.setColumnStretch(0, 1)
        self._edits: dict[MarkKind, QLineEdit] = {}
        self._rows: dict[MarkKind, MarkRow] = {}

    def show_marks(self, rows: tuple[MarkRow, ...]) -> None:
        """Show these marks; what is being typed stays if they are the same."""
        if rows == tuple(self._rows.values()):
            return
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self._edits, self._rows = {}, {row.kind: row for row in rows}
        for index, row in enumerate(rows):
            edit = QLineEdit(clock(row.t))
            edit.setObjectName("time")
            edit.setAccessibleName(tr("Time of {}", row.name))
            edit.setAlignment(Qt.AlignmentFlag.AlignRight)
            edit.setFixedSize(64, 25)
            edit.setReadOnly(row.kind is MarkKind.TURNING)
            edit.setToolTip(tr("found by: {}", row.found))
            edit.editingFinished.connect(self._on_edited)
            self._edits[row.kind] = edit
            bean = label(row.bean, "figure")
            bean.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            for column, widget in enumerate((YieldingLabel(row.name), edit, bean)):
                self._grid.addWidget(widget, index, column)

    def put_back(self) -> None:
        """Show the marks as they are, whatever was typed."""
        for kind, edit in self._edits.items():
            edit.setText(clock(self._rows[kind].t))

    def _on_edited(self) -> None:
        edit = self.sender()
        kind = next((kind for kind, known in self._edits.items() if known is edit), None)
        if kind is None or not isinstance(edit, QLineEdit) or edit.text().strip() == clock(self._rows[kind].t):
            return
        try:
            t = parse_clock(edit.text())
        except ValueError:
            self.refused.emit(tr("{!r} is no time; write minutes:seconds, such as 5:07.", edit.text()))
            edit.setText(clock(self._rows[kind].t))
            return
        self.corrected.emit(kind, t)


class ReviewSheet(QWidget):
    """Shows one `ReviewPicture`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.head = PageHead("", "")
        self.head.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        column.addWidget(self.head)
        said = QHBoxLayout()  # below the buttons, where it has the whole width
        said.addWidget(self.head.subtitle)
        said.addWidget(self.head.undo)
        said.addStretch(1)
        column.addLayout(said)
        self.curves = ReviewCurvesPane(look)
        column.addWidget(self.curves, 1)
        lower = QHBoxLayout()
        lower.setSpacing(6)
        holder = QWidget()
        holder.setLayout(lower)
        lower.setContentsMargins(0, 0, 0, 0)
        holder.setFixedHeight(208)
        column.addWidget(holder)
        self.marks = MarksTable()
        self._stages, self._results = FigureGrid(small=True, spacing=7), FigureGrid(small=True)
        stages = self._stage_card()
        marks, mark_column = card(spacing=4, margin=11)
        mark_column.addWidget(label(tr("Marks (type to correct)"), "heading"))
        mark_column.addWidget(self.marks)
        mark_column.addStretch(1)
        results, result_column = card(spacing=4, margin=11)
        result_column.addWidget(label(tr("Scale and colour"), "heading"))
        result_column.addWidget(self._results)
        self._remark = label("", "soft", wrap=True)
        result_column.addWidget(self._remark)
        result_column.addStretch(1)
        for frame, share in ((stages, 17), (marks, 11), (results, 9)):
            lower.addWidget(frame, share)

    def _stage_card(self) -> QFrame:
        """Stages, moves and notes, one at a time."""
        stages, stage_column = card(spacing=4, margin=11)
        self._pages = QStackedWidget()
        self._moves, self._notes = FigureGrid(small=True), FigureGrid(small=True)
        self._tabs = TabBar()
        for name, grid in ((tr("Stages"), self._stages), (tr("Moves"), self._moves), (tr("Noted"), self._notes)):
            self._tabs.addTab(name)
            area = QScrollArea()
            area.setAccessibleName(name)
            area.setWidgetResizable(True)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            holder = QWidget()
            held = QVBoxLayout(holder)
            held.setContentsMargins(0, 0, 2, 0)
            held.addWidget(grid)
            held.addStretch(1)
            area.setWidget(holder)
            self._pages.addWidget(area)
        self._tabs.currentChanged.connect(self._pages.setCurrentIndex)
        tabs = QHBoxLayout()
        tabs.addWidget(self._tabs)
        tabs.addStretch(1)
        stage_column.addLayout(tabs)
        stage_column.addWidget(self._pages, 1)
        self.leave_out = button(tr("Leave out"), tr("Out of charts and fits, with a reason; it stays in the list"))
        self.mend = button(tr("Mend …"), tr("Lot, plan, load, weight, colour, tags; split and join"))
        row = QHBoxLayout()
        row.addStretch(1)
        for one in (self.mend, self.leave_out):
            one.setFixedHeight(32)
            row.addWidget(one)
        stage_column.addLayout(row)
        return stages

    def show_picture(
        self, picture: ReviewPicture, batch_label: str, remark: str, over: ReviewCurves | None, over_label: str
    ) -> None:
        """Show this batch."""
        self.head.title.setText(picture.title)
        self.head.rest(picture.subtitle)
        self.curves.show_picture(picture, batch_label, over, over_label)
        self.marks.show_marks(picture.marks)
        self._stages.show_rows(list(picture.stages))
        self._results.show_rows(list(picture.results))
        self._remark.setText(remark)
        self._moves.show_rows([(what, when) for when, what in picture.moves])
        said = [*picture.events, *picture.notes]
        self._notes.show_rows([(text, when) for when, text in said])
        self._tabs.setTabText(2, tr("Noted ({})", len(said)) if said else tr("Noted"))
