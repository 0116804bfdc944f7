"""Plots on one time axis: lanes that share their left edge, their scale of time and their look."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QFont, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QApplication, QFrame, QMenu, QVBoxLayout, QWidget

from firnel.core.units import clock
from firnel.core.vocabulary import FloatArray
from firnel.ui.shared.lane_head import LaneHead
from firnel.ui.theme.look import Look, mono, sans

#: All lanes begin their time axis here. [px]
LEFT = 58
RIGHT = 16
#: A lane of ribbons is laid out for so many; each further one takes this share of their height, and at least so much. [px]
USUAL_RIBBONS, FURTHER, LEAST_RIBBON = 3, 0.55, 24
#: A ribbon lower than this has no room for its unit under its name. [px]
ROOM_FOR_UNIT = 38


pg.setConfigOptions(antialias=True)


class ClockAxis(pg.AxisItem):
    """A time axis that speaks minutes and seconds."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N803 - Qt-style names
        """Whole minutes, or coarser, so that labels never crowd."""
        span = max(maxVal - minVal, 1.0)
        step = next((s for s in (15, 30, 60, 120, 300, 600, 1800, 3600, 7200) if span / s <= max(size / 64.0, 1.0)), 14400)
        first = int(np.ceil(minVal / step) * step)
        return [(step, [float(v) for v in range(first, int(maxVal) + 1, step)])]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        """``4:00``."""
        return [clock(value) for value in values]


class LevelAxis(pg.AxisItem):
    """A left axis with a few round levels, never so many that they crowd."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N803 - Qt-style names
        """Levels some 30 pixels apart or more."""
        span = max(maxVal - minVal, 1e-6)
        step = next((s for s in (1, 2, 5, 10, 20, 25, 50, 100) if span / s <= max(size / 30.0, 1.0)), 200)
        first = int(np.ceil(minVal / step) * step)
        return [(step, [float(v) for v in range(first, int(maxVal) + 1, step)])]

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        """``200``."""
        return [f"{value:.0f}" for value in values]


class Lane(QFrame):
    """One plot in a card: grid, left axis of figures, optionally the time axis below.

    Parameters
    ----------
    look : the theme.
    name : card or lane, as the style sheet knows it.
    with_time : whether the time axis is written below.
    """

    def __init__(self, look: Look, name: str = "card", with_time: bool = False) -> None:
        super().__init__()
        self.setObjectName(name)
        self._look, self._name = look, name
        self.plot = pg.PlotWidget(axisItems={"bottom": ClockAxis("bottom"), "left": LevelAxis("left")}, enableMenu=False)
        self.plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
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

    # Taken along

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What is drawn, to be taken along."""
        if event is not None:
            self.menu().exec(event.globalPos())

    def menu(self) -> QMenu:
        """Copy the plot as it is seen, or its figures."""
        menu = QMenu(self)
        for words, action in (("Copy as a picture", self.copy_picture), ("Copy as a table", self.copy_table)):
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
                    found.append((f"{self.head.quantity} {len(found) + 1}", np.asarray(x, float), np.asarray(y, float)))
        return found

    def copy_table(self) -> None:
        """The figures to the clipboard, as a spreadsheet takes them: for each line a column of x and one of y."""
        lines, board = self.figures(), QApplication.clipboard()
        rows = [[text for name, _, _ in lines for text in ("x", name)]]
        for index in range(max((x.size for _, x, _ in lines), default=0)):
            row: list[str] = []
            for _, x, y in lines:
                inside = index < x.size
                row += [f"{x[index]:.10g}" if inside else "", f"{y[index]:.10g}" if inside and np.isfinite(y[index]) else ""]
            rows.append(row)
        if board is not None:
            board.setText("\n".join("\t".join(row) for row in rows))

    def time_span(self, start: float, end: float) -> None:
        """Show the time from ``start`` to ``end``. [s]"""
        self.plot.setXRange(start, end, padding=0)

    def level_span(self, low: float, high: float) -> None:
        """Show the levels from ``low`` to ``high``."""
        self.plot.setYRange(low, high, padding=0)


def ground_label(anchor: tuple[float, float], bold: bool = True, under: bool = False) -> pg.TextItem:
    """A label in a plot that the grid does not strike through: call `put_on_ground` when the theme changes.

    ``under`` puts it under the curves: a label that stands among them must not hide one.
    """
    item = pg.TextItem(anchor=anchor)
    item.setZValue(-5 if under else 5)
    item.setFont(sans(14, QFont.Weight.DemiBold if bold else QFont.Weight.Normal))
    return item


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


def thin_out(t: FloatArray, *columns: FloatArray, most: int = 420) -> tuple[FloatArray, ...]:
    """Few enough points for the screen, about one for each two pixels: every n-th, always with the newest."""
    if t.size <= most:
        return (t, *columns)
    step = int(np.ceil(t.size / most))
    keep = np.arange(0, t.size, step)
    if keep[-1] != t.size - 1:
        keep = np.append(keep, t.size - 1)
    return tuple(column[keep] for column in (t, *columns))


class Ribbon:
    """One control over time for `HandsLane`: steps that were made, and steps still planned.

    Times are seconds on the lane's axis, values on the control's scale.
    """

    def __init__(
        self,
        name: str,
        unit: str,
        role: str,
        top: float,
        done: Sequence[tuple[float, float, float]],
        planned: Sequence[tuple[float, float, float]] = (),
        digits: int = 1,
        factor: float = 1.0,
    ) -> None:
        self.name, self.unit, self.role, self.top = name, unit, role, max(top, 1e-9)
        self.done, self.planned, self.digits, self.factor = tuple(done), tuple(planned), digits, factor


class HandsLane(QFrame):
    """Step ribbons of the controls on the time axis of a lane above: solid what was done, hollow what is planned."""

    def __init__(self, look: Look, above: Lane) -> None:
        super().__init__()
        self.setObjectName("lane")
        self._look, self._above = look, above
        self._ribbons: tuple[Ribbon, ...] = ()
        self._now: float | None = None
        self._room: int | None = None
        self.setMinimumHeight(100)
        self.setAccessibleName("Controls over time")
        above.plot.sigRangeChanged.connect(self._on_range)
        look.changed.connect(self.update)

    def take_room(self, height: int) -> None:
        """Be so high for three ribbons, and somewhat higher for more. [px]"""
        self._room = height
        more = max(len(self._ribbons) - USUAL_RIBBONS, 0)
        self.setFixedHeight(height + round(more * max(FURTHER * height / USUAL_RIBBONS, LEAST_RIBBON)))

    def show_ribbons(self, ribbons: Sequence[Ribbon], now: float | None = None) -> None:
        """Show these, with a line at ``now`` if there is one."""
        other = len(ribbons) != len(self._ribbons)
        self._ribbons, self._now = tuple(ribbons), now
        if other and self._room is not None:
            self.take_room(self._room)
        self.update()

    def _on_range(self, *_: object) -> None:
        self.update()

    def x_of(self, t: float) -> float:
        """Where a moment lies across the lane. [px]"""
        box = self._above.plot.getPlotItem().getViewBox()
        (start, end), _ = box.viewRange()
        area = box.sceneBoundingRect()
        offset = self._above.plot.mapTo(self._above, self._above.plot.viewport().pos()).x()
        return float(offset + area.left() + (t - start) / max(end - start, 1e-9) * area.width())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the ribbons."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = self._look.palette
        (start, end), _ = self._above.plot.getPlotItem().getViewBox().viewRange()
        left, right = self.x_of(start), self.x_of(end)
        height = (self.height() - 14) / max(len(self._ribbons), 1)
        for row, ribbon in enumerate(self._ribbons):
            base = 7 + (row + 1) * height - 4
            self._paint_name(painter, ribbon, base, height, getattr(palette, ribbon.role))
            painter.setClipRect(QRectF(left, 0, right - left, self.height()))
            for span in ribbon.done:
                self._paint_step(painter, ribbon, span, base, height - 8, hollow=False)
            for span in ribbon.planned:
                self._paint_step(painter, ribbon, span, base, height - 8, hollow=True)
            painter.setClipping(False)
        if self._now is not None:
            painter.setPen(QPen(QColor(palette.ink), 1))
            x = self.x_of(self._now)
            painter.drawLine(int(x), 3, int(x), self.height() - 3)
        painter.end()

    def _paint_name(self, painter: QPainter, ribbon: Ribbon, base: float, height: float, colour: str) -> None:
        painter.setFont(sans(13, sans(13).Weight.Bold))
        painter.setPen(QColor(colour))
        first, _, rest = ribbon.name.partition(" ")
        if painter.fontMetrics().horizontalAdvance(ribbon.name) > LEFT - 8 and rest:  # drum heater: two lines
            painter.setFont(sans(12, sans(12).Weight.Bold))
            for line, word in enumerate((first, rest)):
                box = QRectF(8, base - height + 4 + 14 * line, LEFT - 10, 15)
                painter.drawText(box, Qt.AlignmentFlag.AlignLeft, painter.fontMetrics().elidedText(
                    word, Qt.TextElideMode.ElideRight, LEFT - 10))  # fmt: skip
            return
        painter.drawText(QRectF(8, base - height + 8, LEFT - 8, 18), Qt.AlignmentFlag.AlignLeft, ribbon.name)
        if height < ROOM_FOR_UNIT:
            return  # the widest step says the unit then
        painter.setFont(sans(12))
        painter.setPen(QColor(self._look.palette.soft))
        painter.drawText(QRectF(8, base - height + 24, LEFT - 8, 16), Qt.AlignmentFlag.AlignLeft, ribbon.unit)

    def _paint_step(
        self, painter: QPainter, ribbon: Ribbon, span: tuple[float, float, float], base: float, height: float, hollow: bool
    ) -> None:
        begin, finish, value = span
        x0, x1 = self.x_of(begin), self.x_of(finish)
        if x1 <= x0:
            return
        tall = max(height * min(value / ribbon.top, 1.0), 2.0)
        box = QRectF(x0, base - tall, x1 - x0, tall)
        colour = QColor(getattr(self._look.palette, ribbon.role))
        if hollow:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
            painter.drawRect(box.adjusted(1, 0.5, -1, -0.5))
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawRect(box.adjusted(0, 0, -1, 0))
        text = f"{value * ribbon.factor:.{ribbon.digits}f}"
        if height + 8 < ROOM_FOR_UNIT and span == max(ribbon.done, key=lambda step: step[1] - step[0], default=None):
            text = f"{text} {ribbon.unit}"
        painter.setFont(mono(13, bold=not hollow))
        width = painter.fontMetrics().horizontalAdvance(text)
        if width + 4 > x1 - x0:
            return
        crowded = tall >= 12 and height + 6 - tall < 15  # there is more room for figures inside the step than above it
        inside = (tall >= 17 or crowded) and not hollow
        painter.setPen(QColor(self._look.palette.card if inside else getattr(self._look.palette, ribbon.role)))
        top = box.top() + (tall - 17) / 2 if inside or (hollow and tall >= 18) else box.top() - 17
        painter.drawText(QRectF(x0, max(top, base - height - 6), x1 - x0, 17), Qt.AlignmentFlag.AlignCenter, text)


def stack_of(*widgets: tuple[QWidget, int]) -> QWidget:
    """Widgets below each other with their share of the height."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(6)
    for widget, stretch in widgets:
        column.addWidget(widget, stretch)
    return page
