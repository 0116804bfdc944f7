"""The bean probe of a batch that another station roasts, over its plan: small, to be glanced at."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from firnel.core.units import Units, clock
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.ui.theme.look import Look, mono
from firnel.work.stations.watch import Seen

#: Room for the figures at the axes, least span, tolerance drawn around the plan. [px], [s], [K]
LEFT, FOOT, TOP, LEAST_S, BAND_C = 40.0, 20.0, 6.0, 600.0, 3.0


class SeenCurves(QWidget):
    """Draws one batch; time counts from charge."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look, self._units = look, Units()
        self._seen: Seen | None = None
        self.setMinimumSize(320, 170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        look.changed.connect(self.update)

    def show_seen(self, seen: Seen, units: Units) -> None:
        """Show what is known of the batch so far."""
        self._seen, self._units = seen, units
        bean = seen.bean[np.isfinite(seen.bean)]
        self.setAccessibleName(tr("Bean curve of batch {}", seen.running.label))
        self.setAccessibleDescription(
            tr("now {}", units.text(float(bean[-1]), "°C", 1)) if bean.size else tr("no readings yet")
        )
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Axes, the plan as a band, the bean probe, the marks."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette, room = self._look.palette, QRectF(LEFT, TOP, self.width() - LEFT - 8.0, self.height() - TOP - FOOT)
        painter.fillRect(room, QColor(palette.lane))
        seen = self._seen
        if seen is None or seen.t.size < 2:
            painter.setPen(QColor(palette.soft))
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, tr("waiting for its readings"))
            return
        zero = seen.charge_t if seen.charge_t is not None else float(seen.t[-1])
        t, bean = seen.t - zero, seen.bean
        shown = t >= -30.0
        t, bean = t[shown], bean[shown]
        end = max(LEAST_S, float(t[-1]) + 45.0 if t.size else 0.0)
        planned = seen.curve
        if planned is not None:
            end = max(end, float(planned.t[-1]) - zero + 30.0)
        known = bean[np.isfinite(bean)]
        low, high = min(80.0, *known.tolist()) - 8.0, max(230.0, *known.tolist()) + 8.0

        def at(seconds: FloatArray, celsius: FloatArray) -> QPolygonF:
            across = room.left() + (seconds + 30.0) / (end + 30.0) * room.width()
            down = room.bottom() - (celsius - low) / (high - low) * room.height()
            return QPolygonF([QPointF(float(x), float(y)) for x, y in zip(across, down, strict=True)])

        self._axes(painter, room, end, low, high)
        if planned is not None:
            both = np.concatenate([planned.t, planned.t[::-1]]) - zero
            band = at(both, np.concatenate([planned.bean + BAND_C, planned.bean[::-1] - BAND_C]))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(palette.moss_band))
            painter.drawPolygon(band)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.ink), 2.0))
        fine = np.isfinite(bean)
        painter.drawPolyline(at(t[fine], bean[fine]))
        painter.setFont(mono(10))
        for mark in seen.marks:
            if mark.bean is None:
                continue
            point = at(np.array([mark.t - zero]), np.array([mark.bean]))[0]
            painter.setBrush(QColor(palette.card))
            painter.drawEllipse(point, 3.5, 3.5)

    def _axes(self, painter: QPainter, room: QRectF, end: float, low: float, high: float) -> None:
        palette = self._look.palette
        painter.setFont(mono(10))
        for minute in range(0, int(end // 60) + 1, 2):
            x = room.left() + (60.0 * minute + 30.0) / (end + 30.0) * room.width()
            painter.setPen(QColor(palette.line))
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            painter.setPen(QColor(palette.soft))
            box = QRectF(x - 24.0, room.bottom() + 2.0, 48.0, FOOT - 2.0)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, clock(60.0 * minute))
        for celsius in np.arange(np.ceil(low / 50.0) * 50.0, high, 50.0):
            y = room.bottom() - (celsius - low) / (high - low) * room.height()
            painter.setPen(QColor(palette.line))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
            painter.setPen(QColor(palette.soft))
            text = tr("{:.0f}", self._units.show(float(celsius), "°C"))
            painter.drawText(QRectF(0.0, y - 8.0, LEFT - 6.0, 16.0), Qt.AlignmentFlag.AlignRight, text)
