"""A plan on paper: one page for the wall, and labels for the weighed loads."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from firnel.core.units import clock
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.ui.shared.paper import HIGH, MARGIN, WIDE, begin_page, write_text
from firnel.ui.theme.look import mono, sans
from firnel.ui.theme.tokens import DAY
from firnel.work.day.labels import LoadLabel, qr_matrix
from firnel.work.plan.picture import PlanPicture

CAUTION = tr(
    "Fire, gas, carbon monoxide and hot metal: keep to the maker's manual and the local code. Never leave a running roaster. "
    "Gas and flue work is for licensed trades."
)
#: Labels on a page: across and down.
LABELS = (2, 6)


@dataclass(frozen=True)
class PlanPaper:
    """What stands on the sheet beside the picture: name, version and date, targets with what wins, a remark."""

    name: str
    version: str
    wanted: str
    wins: str
    remark: str = ""


def write_plan_sheet(path: Path, paper: PlanPaper, picture: PlanPicture) -> None:
    """Write the page for the wall.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    _, painter = begin_page(path, paper.name)
    paint_plan_sheet(painter, paper, picture)
    painter.end()


def write_labels(path: Path, labels: Sequence[LoadLabel]) -> None:
    """Write labels to cut, `LABELS` on a page.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    writer, painter = begin_page(path, tr("Labels"))
    each = LABELS[0] * LABELS[1]
    for index, item in enumerate(labels):
        if index and index % each == 0:
            writer.newPage()
        column, row = index % each % LABELS[0], index % each // LABELS[0]
        wide, high = (WIDE - 2 * MARGIN) / LABELS[0], (HIGH - 2 * MARGIN) / LABELS[1]
        paint_label(painter, item, QRectF(MARGIN + column * wide, MARGIN + row * high, wide, high))
    painter.end()


def paint_plan_sheet(painter: QPainter, paper: PlanPaper, picture: PlanPicture) -> None:
    """Paint the page for the wall on a painter scaled to points."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    wide, y = WIDE - 2 * MARGIN, MARGIN
    write_text(painter, QRectF(MARGIN, y, wide, 34.0), paper.name, sans(28, QFont.Weight.Bold))
    right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    write_text(painter, QRectF(MARGIN, y, wide, 34.0), paper.version, sans(11), DAY.soft, right)
    y += 36.0
    write_text(painter, QRectF(MARGIN, y, wide, 18.0), picture.made_for, sans(13), DAY.soft)
    y += 26.0
    if picture.start:  # what the hands set first leads
        size = 15 if len(picture.start) <= 70 else 12
        write_text(painter, QRectF(MARGIN, y, wide, 24.0), picture.start, sans(size, QFont.Weight.Bold))
        y += 30.0
    y = _paint_stages(painter, picture, y)
    wrap = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
    write_text(painter, QRectF(MARGIN, y, wide, 34.0), paper.wanted, sans(12), DAY.ink, wrap)
    write_text(painter, QRectF(MARGIN, y + 33.0, wide, 18.0), paper.wins, sans(12, QFont.Weight.DemiBold))
    y = _paint_curves(painter, picture, QRectF(MARGIN, y + 58.0, wide, 220.0)) + 14.0
    write_text(painter, QRectF(MARGIN, y, wide, 20.0), tr("Moves"), sans(16, QFont.Weight.Bold))
    y += 24.0
    line = min(26.0, (HIGH - MARGIN - 56.0 - y) / max(len(picture.moves), 1))
    size = int(min(15.0, line - 5.0))
    for what, when, at in picture.moves:
        painter.setPen(QPen(QColor(DAY.soft), 0.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(MARGIN, y + line / 2 - 5.0, 10.0, 10.0))
        write_text(painter, QRectF(MARGIN + 18.0, y, 220.0, line), what, sans(size, QFont.Weight.DemiBold))
        write_text(painter, QRectF(MARGIN + 240.0, y, 200.0, line), when, sans(size))
        write_text(painter, QRectF(MARGIN, y, wide, line), at, mono(size), DAY.ink, right)
        y += line
    if paper.remark:
        write_text(painter, QRectF(MARGIN, y + 4.0, wide, 18.0), paper.remark, sans(12), DAY.soft)
    write_text(painter, QRectF(MARGIN, HIGH - MARGIN - 26.0, wide, 28.0), CAUTION, sans(9), DAY.soft, wrap)


def _paint_stages(painter: QPainter, picture: PlanPicture, y: float) -> float:
    """Charge, the stages to scale, and the drop, large; returns where it ends."""
    targets = dict(picture.targets)
    wide = WIDE - 2 * MARGIN
    for column, (title, value) in enumerate(((tr("charge"), targets[tr("Charge")]), (tr("drop"), targets[tr("Drop")]))):
        side = Qt.AlignmentFlag.AlignLeft if column == 0 else Qt.AlignmentFlag.AlignRight
        write_text(painter, QRectF(MARGIN, y, wide, 14.0), title, sans(11), DAY.soft, side)
        write_text(painter, QRectF(MARGIN, y + 14.0, wide, 26.0), value, mono(20), DAY.ink, side)
    y += 46.0
    begin, centre = 0.0, Qt.AlignmentFlag.AlignCenter
    for index, end in enumerate(picture.stage_ends):
        left = MARGIN + wide * begin / picture.end
        box = QRectF(left, y, wide * (end - begin) / picture.end - 2.0, 40.0)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(DAY.selected if index % 2 == 0 else DAY.hover))
        painter.drawRoundedRect(box, 5.0, 5.0)
        usual = picture.only_usual[index]
        name = (tr("drying"), tr("browning"), tr("development"))[index] + (tr(" (usual)") if usual else "")
        write_text(
            painter,
            box.adjusted(0.0, 2.0, 0.0, -16.0),
            clock(end - begin),
            mono(19, bold=not usual),
            DAY.soft if usual else DAY.ink,
            Qt.AlignmentFlag.AlignCenter,
        )
        small = sans(10 if box.width() > 66.0 else 8)
        write_text(painter, box.adjusted(-8.0, 24.0, 8.0, -1.0), name, small, DAY.soft, centre)
        begin = end
    return y + 50.0


def _paint_curves(painter: QPainter, picture: PlanPicture, box: QRectF) -> float:
    """Bean with its tolerance, air, and the stage ends, where there is a curve; returns where it ends."""
    if picture.t.size < 2:
        return box.top()
    painter.setPen(QPen(QColor(DAY.line), 0.8))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(box, 6.0, 6.0)
    low, high = picture.levels
    inner = box.adjusted(34.0, 8.0, -10.0, -18.0)

    def line(values: FloatArray) -> QPolygonF:
        x = inner.left() + picture.t / picture.end * inner.width()
        y = inner.bottom() - (values - low) / (high - low) * inner.height()
        return QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)])

    for level in range(int(np.ceil(low / 25.0) * 25), int(high) + 1, 25):
        y = inner.bottom() - (level - low) / (high - low) * inner.height()
        painter.setPen(QPen(QColor(DAY.line), 0.6))
        painter.drawLine(QPointF(inner.left(), y), QPointF(inner.right(), y))
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        write_text(painter, QRectF(box.left(), y - 7.0, 30.0, 14.0), str(level), mono(9), DAY.soft, side)
    for minute in range(0, int(picture.end) + 1, 60):
        x = inner.left() + minute / picture.end * inner.width()
        write_text(
            painter,
            QRectF(x - 20.0, inner.bottom() + 2.0, 40.0, 14.0),
            clock(float(minute)),
            mono(9),
            DAY.soft,
            Qt.AlignmentFlag.AlignCenter,
        )
    for moment, name in zip(picture.stage_ends, picture.stage_names, strict=True):
        x = inner.left() + moment / picture.end * inner.width()
        painter.setPen(QPen(QColor(DAY.soft), 0.8, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, inner.top()), QPointF(x, inner.bottom()))
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        write_text(painter, QRectF(x - 124.0, inner.bottom() - 16.0, 120.0, 14.0), name, sans(9), DAY.soft, side)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for values, colour, width, style in (
        (picture.air, DAY.slate, 1.2, Qt.PenStyle.DashLine),
        (picture.bean, DAY.ink, 2.0, Qt.PenStyle.SolidLine),
    ):
        painter.setPen(QPen(QColor(colour), width, style))
        painter.drawPolyline(line(values))
    return box.bottom()


def paint_label(painter: QPainter, item: LoadLabel, box: QRectF) -> None:
    """Paint one label into its box."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(QPen(QColor(DAY.line), 0.5, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(box)
    inner = box.adjusted(10.0, 8.0, -10.0, -8.0)
    matrix = qr_matrix(item)
    side = min(inner.height(), 92.0)
    cell = side / len(matrix)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor("#000000"))
    for row, cells in enumerate(matrix):
        for column, dark in enumerate(cells):
            if dark:
                painter.drawRect(
                    QRectF(inner.right() - side + column * cell, inner.top() + row * cell, cell + 0.05, cell + 0.05)
                )
    words = inner.adjusted(0.0, 0.0, -side - 8.0, 0.0)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    write_text(painter, QRectF(words.left(), words.top(), words.width(), 34.0), item.number, mono(28, bold=True))
    wrap = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
    write_text(
        painter,
        QRectF(words.left(), words.top() + 36.0, words.width(), 32.0),
        item.lot,
        sans(12, QFont.Weight.DemiBold),
        DAY.ink,
        wrap,
    )
    write_text(painter, QRectF(words.left(), words.top() + 68.0, words.width(), 18.0), item.weight, mono(14))
    write_text(painter, QRectF(words.left(), words.top() + 86.0, words.width(), 26.0), item.plan, sans(10), DAY.soft, wrap)
