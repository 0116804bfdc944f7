"""A small curve in a row of a list: the course of a batch or of a plan, all rows on one scale."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from firnel.ui.shared.lanes import line_pen
from firnel.ui.theme.look import Look

#: What a cell draws: points (seconds from the charge, °C). Its text says the same in words, for copies and screen readers.
COURSE_ROLE = Qt.ItemDataRole.UserRole + 8
#: All rows are drawn on one scale, so that two of them can be held against each other. [s], [degC]
LONGEST_S, LOWEST_C, HIGHEST_C = 900.0, 60.0, 235.0
#: Width of a column of curves. [px]
WIDE = 76

Points = Sequence[tuple[float, float]]


def curve_path(points: Points, box: QRectF) -> QPainterPath:
    """A smooth path through the points that never swings over them (monotone between any two).

    Parameters
    ----------
    points : in order of time. [s], [degC]
    box : what the scale is laid into; what would leave it is kept at its edge.
    """
    path = QPainterPath()
    if len(points) < 2:
        return path
    places = [_place(t, c, box) for t, c in points]
    slopes = _slopes(places)
    path.moveTo(places[0])
    for index in range(1, len(places)):
        one, two = places[index - 1], places[index]
        third = (two.x() - one.x()) / 3.0
        path.cubicTo(
            QPointF(one.x() + third, one.y() + third * slopes[index - 1]),
            QPointF(two.x() - third, two.y() - third * slopes[index]),
            two,
        )
    return path


def _place(t: float, celsius: float, box: QRectF) -> QPointF:
    across = min(max(t / LONGEST_S, 0.0), 1.0)
    up = min(max((celsius - LOWEST_C) / (HIGHEST_C - LOWEST_C), 0.0), 1.0)
    return QPointF(box.left() + across * box.width(), box.bottom() - up * box.height())


def _slopes(places: Sequence[QPointF]) -> list[float]:
    """Slopes at the points: zero where the curve turns, else the harmonic mean of both sides."""
    steps = [(two.y() - one.y()) / max(two.x() - one.x(), 1e-6) for one, two in zip(places, places[1:], strict=False)]
    inner = [0.0 if one * two <= 0.0 else 2.0 * one * two / (one + two) for one, two in zip(steps, steps[1:], strict=False)]
    return [steps[0], *inner, steps[-1]]


class CurveDelegate(QStyledItemDelegate):
    """Draws the cells of a column that hold a course."""

    def __init__(self, look: Look, parent: object = None) -> None:
        super().__init__(parent)  # type: ignore[arg-type]  # a table
        self._look = look

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        """The ground of the row, without the words."""
        super().initStyleOption(option, index)
        if option is not None:
            option.text = ""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw the ground as any cell, and the curve on it."""
        super().paint(painter, option, index)
        points = index.data(COURSE_ROLE)
        if painter is None or not points:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(line_pen(self._look.palette.ink, 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(option.rect).adjusted(6.0, 6.0, -8.0, -6.0)
        painter.drawPath(curve_path(points, box))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._look.palette.ink))
        painter.drawEllipse(_place(points[-1][0], points[-1][1], box), 2.6, 2.6)
        painter.restore()
