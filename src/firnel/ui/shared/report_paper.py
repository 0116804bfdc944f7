"""Reports on paper: blocks laid down the page, with a new page where the next one has no room."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPdfWriter, QPen, QPolygonF

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.paper import HIGH, MARGIN, WIDE, begin_page, write_text
from firnel.ui.theme.look import mono, sans
from firnel.ui.theme.tokens import DAY
from firnel.work.review.reports import Chart, Heading, Report, Table, Text

ROW = 15.0
STAGE_NAMES = tr("drying"), tr("browning"), tr("development")


class _Sheet:
    """A place on the page that moves down."""

    def __init__(self, writer: QPdfWriter, painter: QPainter, report: Report) -> None:
        self._writer, self.painter, self._report = writer, painter, report
        self.top, self._number = MARGIN, 1
        self._foot()

    def room(self, high: float) -> None:
        """Turn the page if so much does not fit on it any more."""
        if self.top + high > HIGH - MARGIN:
            self._writer.newPage()
            self._number += 1
            self.top = MARGIN
            self._foot()

    def _foot(self) -> None:
        box = QRectF(MARGIN, HIGH - MARGIN + 6.0, WIDE - 2 * MARGIN, 12.0)
        write_text(self.painter, box, tr("Firnel · {} · page {}", self._report.title, self._number), sans(8), DAY.soft)

    def line(self, text: str, font: QFont, high: float, colour: str = DAY.ink) -> None:
        """One line of text."""
        self.room(high)
        write_text(self.painter, QRectF(MARGIN, self.top, WIDE - 2 * MARGIN, high), text, font, colour)
        self.top += high

    def paragraph(self, text: str, colour: str) -> None:
        """Text over as many lines as it needs."""
        font = sans(10)
        self.painter.setFont(font)
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        wide = QRectF(0.0, 0.0, WIDE - 2 * MARGIN, 400.0)
        needed = self.painter.boundingRect(wide, int(flags.value), text).height() + 6.0
        self.room(needed)
        write_text(self.painter, QRectF(MARGIN, self.top, WIDE - 2 * MARGIN, needed), text, font, colour, flags)
        self.top += needed + 4.0


def write_report(path: Path, report: Report) -> None:
    """Write a report as a PDF.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    writer, painter = begin_page(path, report.title)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    sheet = _Sheet(writer, painter, report)
    sheet.line(report.title, sans(22, QFont.Weight.Bold), 30.0)
    sheet.line(report.about, sans(10), 20.0, DAY.soft)
    for block in report.blocks:
        if isinstance(block, Heading):
            sheet.line(block.text, sans(13, QFont.Weight.Bold), 24.0)
        elif isinstance(block, Text):
            sheet.paragraph(block.text, DAY.amber if block.caution else DAY.ink)
        elif isinstance(block, Table):
            _table(sheet, block)
        else:
            _chart(sheet, block)
    painter.end()


def _table(sheet: _Sheet, table: Table) -> None:
    sheet.room(4 * ROW)
    sheet.line(table.name, sans(12, QFont.Weight.Bold), 22.0)
    widths = _widths(sheet.painter, table)
    _row(sheet, table.headings, widths, table.words, sans(9), DAY.soft)
    for row in table.rows:
        sheet.room(ROW)
        _row(sheet, row, widths, table.words, None, DAY.ink)
    sheet.top += 8.0


def _widths(painter: QPainter, table: Table) -> list[float]:
    """As wide as the widest cell; what is left over goes to the words."""
    widths = []
    for column in range(len(table.headings)):
        painter.setFont(sans(10) if column < table.words else mono(10))
        cells = [tr(table.headings[column]), *(row[column] for row in table.rows if column < len(row))]
        widths.append(max(painter.fontMetrics().horizontalAdvance(cell) for cell in cells) / 1.0 + 14.0)
    most = WIDE - 2 * MARGIN
    scale = min(1.0, most / sum(widths))
    return [width * scale for width in widths]


def _row(sheet: _Sheet, cells: tuple[str, ...], widths: list[float], words: int, font: QFont | None, colour: str) -> None:
    left = MARGIN
    for column, (cell, width) in enumerate(zip(cells, widths, strict=False)):
        side = Qt.AlignmentFlag.AlignLeft if column < words else Qt.AlignmentFlag.AlignRight
        chosen = font or (sans(10) if column < words else mono(10))
        box = QRectF(left, sheet.top, width - 8.0, ROW)
        write_text(sheet.painter, box, cell, chosen, colour, side | Qt.AlignmentFlag.AlignVCenter)
        left += width
    sheet.top += ROW


def _chart(sheet: _Sheet, chart: Chart) -> None:
    known = [curve for curve in chart.curves if curve.x.size and np.isfinite(curve.y).any()]
    if not known:
        return
    sheet.room(chart.high + 40.0)
    names = "   ".join(f"{tr(curve.name)} {'- -' if curve.dashed else '—'}" for curve in known[:8])
    sheet.line(f"{tr(chart.name)}, {tr(chart.unit)}    {names}", sans(10, QFont.Weight.DemiBold), 18.0)
    painter, box = sheet.painter, QRectF(MARGIN + 34.0, sheet.top, WIDE - 2 * MARGIN - 34.0, chart.high)
    start, end = min(float(c.x[0]) for c in known), max(float(c.x[-1]) for c in known)
    low, high = min(float(np.nanmin(c.y)) for c in known), max(float(np.nanmax(c.y)) for c in known)
    room = 0.06 * max(high - low, 1e-6)
    low, high = low - room, high + room

    def place(x: float, y: float) -> QPointF:
        across = (x - start) / max(end - start, 1e-9)
        return QPointF(box.left() + across * box.width(), box.bottom() - (y - low) / (high - low) * box.height())

    painter.setPen(QPen(QColor(DAY.line), 0.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(box)
    _axes(painter, box, chart, (start, end), (low, high))
    for curve in known:
        style = Qt.PenStyle.DashLine if curve.dashed else Qt.PenStyle.SolidLine
        painter.setPen(QPen(QColor(getattr(DAY, curve.role)), 1.0 if curve.dashed else 1.4, style))
        inside = np.isfinite(curve.y)
        step = max(1, int(inside.sum()) // 500)
        points = [place(float(x), float(y)) for x, y in zip(curve.x[inside][::step], curve.y[inside][::step], strict=True)]
        painter.drawPolyline(QPolygonF(points))
    sheet.top += chart.high + 22.0


def _axes(painter: QPainter, box: QRectF, chart: Chart, span: tuple[float, float], levels: tuple[float, float]) -> None:
    middle = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop
    if chart.stages:
        ticks = [(index + 0.5, name) for index, name in enumerate(STAGE_NAMES)]
    else:
        minute = next(m for m in (60.0, 120.0, 300.0, 600.0, 1800.0, 7200.0) if (span[1] - span[0]) / m <= 12 or m == 7200.0)
        ticks = [(t, clock(t)) for t in np.arange(np.ceil(span[0] / minute) * minute, span[1] + 1e-6, minute)]
    for at, text in ticks:
        x = box.left() + (at - span[0]) / max(span[1] - span[0], 1e-9) * box.width()
        write_text(painter, QRectF(x - 40.0, box.bottom() + 2.0, 80.0, 14.0), text, mono(8), DAY.soft, middle)
    reach = levels[1] - levels[0]
    step = next((s for s in (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 25.0, 50.0, 100.0) if reach / s <= 6), 200.0)
    side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    for level in np.arange(np.ceil(levels[0] / step) * step, levels[1], step):
        y = box.bottom() - (float(level) - levels[0]) / reach * box.height()
        painter.setPen(QPen(QColor(DAY.line), 0.4))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        write_text(painter, QRectF(MARGIN - 6.0, y - 7.0, 36.0, 14.0), tr("{:g}", float(level) + 0.0), mono(8), DAY.soft, side)
