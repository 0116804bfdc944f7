"""The controls over time, below a plot: step ribbons on its time axis."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame

from firnel.core.words import tr
from firnel.ui.shared.fitted import fitted
from firnel.ui.shared.lanes import LEFT, Lane
from firnel.ui.theme.look import Look, mono, sans

#: A lane of ribbons is laid out for so many; each further one takes this share of their height, and at least so much. [px]
USUAL_RIBBONS, FURTHER, LEAST_RIBBON = 3, 0.55, 24
#: A ribbon lower than this has no room for its unit under its name. [px]
ROOM_FOR_UNIT = 38
#: The name of a control is set in the first of these sizes in which it fits. [px]
NAME_SIZES = (13, 12, 11)


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

    def at(self, t: float | None) -> str:
        """What is set, or planned, at a time, with its unit; empty where nothing is known."""
        steps = (*self.done, *self.planned)
        value = next((value for begin, end, value in steps if t is not None and begin <= t < end), None)
        return "" if value is None else tr("{:.{}f} {}", value * self.factor, self.digits, self.unit)


class HandsLane(QFrame):
    """Step ribbons of the controls on the time axis of a lane above: solid what was done, hollow what is planned."""

    def __init__(self, look: Look, above: Lane) -> None:
        super().__init__()
        self.setObjectName("lane")
        self._look, self._above = look, above
        self._ribbons: tuple[Ribbon, ...] = ()
        self._now: float | None = None
        self._at: float | None = None
        self._room: int | None = None
        self.setMinimumHeight(100)
        self.setAccessibleName(tr("Controls over time"))
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

    def read_at(self, t: float | None) -> str:
        """Show what each control is at ``t``, None for as it was. Says it in a sentence."""
        if t != self._at:
            self._at = t
            self.update()
        return ", ".join(f"{ribbon.name} {value}" for ribbon in self._ribbons if (value := ribbon.at(t)))

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
        if self._at is not None:
            self._paint_read(painter, self.x_of(self._at), height)
        painter.end()

    def _paint_read(self, painter: QPainter, x: float, height: float) -> None:
        """The line that is read at, with the value of each control beside it."""
        palette = self._look.palette
        painter.setPen(QPen(QColor(palette.ink), 1.2))
        painter.drawLine(int(x), 3, int(x), self.height() - 3)
        painter.setFont(mono(13, bold=True))
        for row, ribbon in enumerate(self._ribbons):
            if not (text := ribbon.at(self._at)):
                continue
            wide = painter.fontMetrics().horizontalAdvance(text) + 8
            left = x + 4 if x + 4 + wide < self.width() else x - 4 - wide
            box = QRectF(left, 7 + (row + 0.5) * height - 9, wide, 18)
            painter.fillRect(box, QColor(palette.card))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

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
        named = fitted(painter, ribbon.name, LEFT - 8, NAME_SIZES, QFont.Weight.Bold)
        painter.drawText(QRectF(8, base - height + 8, LEFT - 8, 18), Qt.AlignmentFlag.AlignLeft, named)
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
        text = tr("{:.{}f}", value * ribbon.factor, ribbon.digits)
        if height + 8 < ROOM_FOR_UNIT and span == max(ribbon.done, key=lambda step: step[1] - step[0], default=None):
            text = f"{text} {ribbon.unit}"
        painter.setFont(mono(13, bold=not hollow))
        width = painter.fontMetrics().horizontalAdvance(text)
        if width + 4 > x1 - x0:
            return
        if hollow and ribbon.done and ribbon.done[-1][1:] == (begin, value) and x0 - self.x_of(ribbon.done[-1][0]) >= width + 4:
            return  # as it stands already: the figure is in the step before
        crowded = tall >= 12 and height + 6 - tall < 15  # there is more room for figures inside the step than above it
        inside = (tall >= 17 or crowded) and not hollow
        painter.setPen(QColor(self._look.palette.card if inside else getattr(self._look.palette, ribbon.role)))
        top = box.top() + (tall - 17) / 2 if inside or (hollow and tall >= 18) else box.top() - 17
        painter.drawText(QRectF(x0, max(top, base - height - 6), x1 - x0, 17), Qt.AlignmentFlag.AlignCenter, text)
