"""Plots on one time axis: lanes that share their left edge, their scale of time and their look."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QFont, QFontMetricsF, QPen, QPixmap
from PyQt6.QtWidgets import QApplication, QFrame, QMenu, QVBoxLayout

from firnel.core.units import clock
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.ui.shared.cells_copied import copy_cells
from firnel.ui.shared.lane_head import LaneHead
from firnel.ui.theme.look import Look, mono, sans

#: All lanes begin their time axis here. [px]
LEFT = 58
RIGHT = 16
#: A lane of temperatures is so high at least: in less, words lie on curves. [px]
LEAST_LANE = 140
#: Clock axes have their moments so far apart, from there on by whole hours. [s]
CLOCK_STEPS, HOUR_S = (15, 30, 60, 120, 300, 600, 1800, 3600), 3600
#: Left axes have their levels so far apart, from there on by whole hundreds; never nearer than so many heights of a figure.
LEVEL_STEPS = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 25, 50, 100)
LINE_OF_FIGURES = 1.2

#: No line is drawn where nothing was read for so long [s], and for so many times the usual.
GAP_S, FEWER = 15.0, 3.0

pg.setConfigOptions(antialias=True)


class ClockAxis(pg.AxisItem):
    """A time axis that speaks minutes and seconds."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N803 - Qt-style names
        """Whole minutes, or coarser, so that labels never crowd."""
        span, most = max(maxVal - minVal, 1.0), max(size / 64.0, 1.0)
        step = next((s for s in CLOCK_STEPS if span / s <= most), HOUR_S * math.ceil(span / most / HOUR_S))
        first = math.ceil(minVal / step) * step
        return [(step, [float(v) for v in range(first, int(maxVal) + 1, step)])]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        """``4:00``."""
        return [clock(value) for value in values]


class LevelAxis(pg.AxisItem):
    """A left axis with a few round levels, never so many that they crowd."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N803 - Qt-style names
        """Levels some 30 pixels apart or more, nearer where that leaves fewer than three, so that a value can be read."""
        span = max(maxVal - minVal, 1e-6)
        for apart in (30.0, LINE_OF_FIGURES * QFontMetricsF(mono(13)).height()):
            most = max(size / apart, 1.0)
            step = next(
                (s for s in LEVEL_STEPS if span / s <= most), LEVEL_STEPS[-1] * math.ceil(span / most / LEVEL_STEPS[-1])
            )
            first, last = int(np.ceil(minVal / step)), int(np.floor(maxVal / step))
            if last - first >= 2:
                break
        return [(step, [float(step * count) for count in range(first, last + 1)])]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        """``200``, with as many digits as the steps need."""
        digits = max(int(np.ceil(-np.log10(spacing) - 1e-9)), 0) if spacing > 0 else 0
        return [tr("{:.{}f}", value, digits) for value in values]


@dataclass(frozen=True)
class Line:
    """A line of a plot that can be read: its item, the upper edge if it is a band, and how a value is written."""

    item: pg.PlotCurveItem | pg.ScatterPlotItem
    upper: pg.PlotCurveItem | None = None
    says: Callable[[float], str] = "{:.1f}".format

    def at(self, x: float) -> str:
        """What it is at ``x``, between its points; a dash where it is not."""
        found = [value for item in (self.item, self.upper) if item is not None and np.isfinite(value := _value(item, x))]
        return "–".join(self.says(value) for value in found) if found else "–"


def _value(item: pg.PlotCurveItem | pg.ScatterPlotItem, x: float) -> float:
    known, values = item.getData()
    if known is None or len(known) == 0:
        return float("nan")
    return float(np.interp(x, known, values, left=np.nan, right=np.nan))


class Lane(QFrame):
    """One plot in a card: grid, left axis of figures, optionally the time axis below.

    Parameters
    ----------
    look : the theme.
    name : card or lane, as the style sheet knows it.
    with_time : whether the time axis is written below.
    axis : another axis than one of minutes and seconds.
    """

    def __init__(self, look: Look, name: str = "card", with_time: bool = False, axis: pg.AxisItem | None = None) -> None:
        super().__init__()
        self.setObjectName(name)
        self._look, self._name = look, name
        self.lines: dict[str, Line] = {}
        self.whole = (0.0, 1.0)
        self.part: tuple[float, float] | None = None
        self._offered: list[tuple[str, Callable[[], None], Callable[[], bool]]] = []
        self.plot = pg.PlotWidget(
            axisItems={"bottom": axis or ClockAxis("bottom"), "left": LevelAxis("left")}, enableMenu=False
        )
        self.plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plot.viewport().setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plot.setContextMenuPolicy(Qt.ContextMenuPolicy.NoContextMenu)  # the lane has one
        self.head = LaneHead(look, LEFT)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 2, 1, 4)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.plot)
        item = self.plot.getPlotItem()
        item.hideButtons()
        item.layout.setContentsMargins(0, 0, RIGHT, 0)
        item.showAxis("bottom", True)
        item.getAxis("left").setWidth(LEFT)
        item.getAxis("bottom").setStyle(showValues=with_time, tickLength=0)
        item.getAxis("left").setStyle(tickLength=0, autoExpandTextSpace=False)
        if not with_time:
            item.getAxis("bottom").setHeight(4)
        for side in ("left", "bottom"):
            item.getAxis(side).setZValue(-1)  # the grid belongs under the curves and their names
        item.setMouseEnabled(x=False, y=False)
        self.plot.setMouseTracking(False)
        self.plot.viewport().setCursor(Qt.CursorShape.ArrowCursor)
        self._at = pg.InfiniteLine(angle=90)
        self._marked = pg.LinearRegionItem(movable=False, pen=pg.mkPen(None))
        for extra in (self._at, self._marked):
            extra.hide()
        self._put_up()
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        palette = self._look.palette
        self.plot.setBackground(getattr(palette, self._name))
        for side in ("left", "bottom"):
            axis = self.plot.getPlotItem().getAxis(side)
            axis.setPen(pg.mkPen(None))
            axis.setTextPen(pg.mkPen(palette.soft))
            axis.setTickFont(mono(13))
            # The grid is drawn by the axes; pyqtgraph takes its colour from the tick pen.
            axis.setTickPen(pg.mkPen(palette.line))
            axis.setGrid(200)
        self._at.setPen(line_pen(palette.ink, 1.2))
        marked = pg.mkColor(palette.slate)
        marked.setAlpha(50)
        self._marked.setBrush(pg.mkBrush(marked))

    def _put_up(self) -> None:
        for item in (self._at, self._marked):
            self.plot.addItem(item, ignoreBounds=True)

    def clear(self) -> None:
        """Nothing is drawn, and nothing can be read."""
        self.plot.getPlotItem().clear()
        self.lines = {}
        self._put_up()

    # Read

    def reads(self, words: str, item: pg.PlotCurveItem | pg.ScatterPlotItem, upper: pg.PlotCurveItem | None = None,
              says: Callable[[float], str] = "{:.1f}".format) -> None:  # fmt: skip
        """What the head calls ``words`` is drawn by ``item``, or is the band from it up to ``upper``."""
        self.lines[words] = Line(item, upper, says)

    def read_at(self, x: float | None, when: str = "") -> str:
        """Show in the head what each line is at ``x``, which is called ``when``; None for as it was. Says it in a sentence."""
        self._at.setVisible(x is not None)
        if x is None:
            self.head.show_values("", {})
            return ""
        self._at.setValue(x)
        values = {words: line.at(x) for words, line in self.lines.items()}
        self.head.show_values(when, values)
        known = ", ".join(f"{words} {value}" for words, value in values.items() if value != "–")
        return f"{self.head.quantity}: {known}" if known else ""

    def mark(self, span: tuple[float, float] | None) -> None:
        """Show the part that is being chosen, None for none."""
        self._marked.setVisible(span is not None)
        if span is not None:
            self._marked.setRegion(span)

    def show_part(self, span: tuple[float, float] | None) -> None:
        """Show only this part of the time, until None asks for the whole again."""
        self.part = span
        self.plot.setXRange(*(span or self.whole), padding=0)

    # Taken along

    def offer(self, words: str, action: Callable[[], None], now: Callable[[], bool]) -> None:
        """Put an entry into the lane's menu, there while ``now`` says so."""
        self._offered.append((words, action, now))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What is drawn, to be taken along."""
        if event is not None:
            self.menu().exec(event.globalPos())

    def menu(self) -> QMenu:
        """What is offered now; copy the plot as it is seen, or its figures."""
        menu = QMenu(self)
        offered = [(words, action) for words, action, open_ in self._offered if open_()]
        for words, action in (*offered, (tr("Copy as a picture"), self.copy_picture), (tr("Copy as a table"), self.copy_table)):
            entry = menu.addAction(words)
            if entry is not None:
                entry.triggered.connect(lambda _checked=False, action=action: action())
        return menu

    def copy_picture(self) -> None:
        """The plot with its head to the clipboard, twice as fine as on the screen."""
        picture = QPixmap(2 * self.size())
        picture.setDevicePixelRatio(2.0)
        picture.fill(QColor(getattr(self._look.palette, self._name, self._look.palette.card)))
        self.render(picture)
        board = QApplication.clipboard()
        if board is not None:
            board.setPixmap(picture)

    def figures(self) -> list[tuple[str, FloatArray, FloatArray]]:
        """What is drawn: a name of each line, its x and its y, shape (n,); lines across the whole plot are left out."""
        found: list[tuple[str, FloatArray, FloatArray]] = []
        for item in self.plot.getPlotItem().items:
            if isinstance(item, pg.PlotCurveItem | pg.PlotDataItem | pg.ScatterPlotItem):
                x, y = item.getData()
                if x is not None and y is not None and len(x) > 1:
                    words = next((words for words, line in self.lines.items() if line.item is item), str(len(found) + 1))
                    found.append((f"{self.head.quantity}: {tr(words)}", np.asarray(x, float), np.asarray(y, float)))
        return found

    def copy_table(self) -> None:
        """The figures to the clipboard, as a spreadsheet takes them: for each line a column of x and one of y."""
        lines = self.figures()
        rows = [[text for name, _, _ in lines for text in ("x", name)]]
        for index in range(max((x.size for _, x, _ in lines), default=0)):
            row: list[str] = []
            for _, x, y in lines:
                inside = index < x.size
                row += [
                    tr("{:.10g}", x[index]) if inside else "",
                    tr("{:.10g}", y[index]) if inside and np.isfinite(y[index]) else "",
                ]
            rows.append(row)
        copy_cells(rows)

    def time_span(self, start: float, end: float) -> None:
        """The whole time is from ``start`` to ``end``; a part that was chosen stays, as long as it lies in it. [s]"""
        self.whole = (start, end)
        if self.part is not None and not start <= self.part[0] < self.part[1] <= end:
            self.part = None
        self.plot.setXRange(*(self.part or self.whole), padding=0)

    def level_span(self, low: float, high: float) -> None:
        """Show the levels from ``low`` to ``high``."""
        self.plot.setYRange(low, high, padding=0)


#: Around the words of a label. [px]
LABEL_MARGIN = 8.0


def ground_label(anchor: tuple[float, float], bold: bool = True, under: bool = False) -> pg.TextItem:
    """A label in a plot that the grid does not strike through: call `put_on_ground` when the theme changes.

    ``under`` puts it under the curves: a label that stands among them must not hide one.
    """
    item = pg.TextItem(anchor=anchor)
    item.setZValue(-5 if under else 5)
    item.setFont(sans(14, QFont.Weight.DemiBold if bold else QFont.Weight.Normal))
    return item


def room_of(text: str, font: QFont, plot: pg.PlotWidget) -> tuple[float, float]:
    """What a label of the plot takes, in the units of its axes: width and height."""
    measure = QFontMetricsF(font)
    across, down = plot.getPlotItem().getViewBox().viewPixelSize()
    return float((measure.horizontalAdvance(text) + LABEL_MARGIN) * across), float((measure.height() + LABEL_MARGIN) * down)


def put_on_ground(item: pg.TextItem, ground: str) -> None:
    """Lay the colour of the card behind a label."""
    item.fill = pg.mkBrush(ground)
    item.update()


def line_pen(colour: str, width: float, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A pen that keeps its width in pixels."""
    pen = pg.mkPen(QColor(colour), width=width, style=style)
    pen.setCosmetic(True)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    return pen


def broken(t: FloatArray, *columns: FloatArray) -> tuple[FloatArray, ...]:
    """With a moment of which nothing is known in each gap [s], so that no line is drawn over it."""
    steps = np.diff(t)
    gaps = np.flatnonzero(steps > max(GAP_S, FEWER * float(np.median(steps)))) + 1 if steps.size else np.zeros(0, int)
    inside = 0.5 * (t[gaps - 1] + t[gaps])
    return (np.insert(t, gaps, inside), *(np.insert(column, gaps, np.nan) for column in columns))


def thin_out(t: FloatArray, *columns: FloatArray, most: int = 420) -> tuple[FloatArray, ...]:
    """Few enough points for the screen, about one for each two pixels: every n-th, always with the newest."""
    if t.size <= most:
        return (t, *columns)
    step = int(np.ceil(t.size / most))
    keep = np.arange(0, t.size, step)
    if keep[-1] != t.size - 1:
        keep = np.append(keep, t.size - 1)
    return tuple(column[keep] for column in (t, *columns))
