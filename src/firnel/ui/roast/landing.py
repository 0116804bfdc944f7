"""The landing: development across, drop temperature up; the box that is wanted, the cloud expected, ghosts of a step."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.parts import label, rename
from firnel.ui.theme.look import Look, mono, sans
from firnel.work.roast.picture import LandingPicture

#: The box takes this share of the square's side at least; what lies outside is drawn at the edge.
BOX_SHARE = 0.34
POINTS = 90
#: A ghost nearer than this to where it lands is not drawn: the step does not matter. [px]
APART = 12.0


class LandingSquare(QWidget):
    """Draws a `LandingPicture`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look, self._scale = look, 1.0
        self._picture: LandingPicture | None = None
        self.setMinimumHeight(118)
        self.setAccessibleName(tr("Landing: development time across, drop temperature up"))
        look.changed.connect(self.update)

    def show_picture(self, picture: LandingPicture | None) -> None:
        """Show this landing."""
        self._picture = picture
        if picture is not None:
            self.setAccessibleDescription(f"{picture.words}, {tr(picture.place)}")
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw box, cloud, ghosts and where it lands."""
        picture = self._picture
        if picture is None:
            return
        palette, painter = self._look.palette, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        by = self._scale
        area = QRectF(44.0 * by, 8.0, self.width() - 54.0 * by, self.height() - 36.0 * by)
        wanted_s, tolerance_s, wanted_c, tolerance_c = picture.box
        span_s, span_c = tolerance_s / BOX_SHARE, tolerance_c / BOX_SHARE

        def place(seconds: float, level: float) -> QPointF:
            across = np.clip((seconds - wanted_s) / (2.0 * span_s) + 0.5, 0.02, 0.98)
            up = np.clip((level - wanted_c) / (2.0 * span_c) + 0.5, 0.03, 0.97)
            return QPointF(area.left() + float(across) * area.width(), area.bottom() - float(up) * area.height())

        painter.setPen(QPen(QColor(palette.line), 1.0))
        painter.setBrush(QColor(palette.lane))
        painter.drawRoundedRect(area, 4.0, 4.0)
        low, high = place(wanted_s - tolerance_s, wanted_c - tolerance_c), place(wanted_s + tolerance_s, wanted_c + tolerance_c)
        painter.setPen(QPen(QColor(palette.moss), 2.0))
        painter.setBrush(QColor(palette.moss_band))
        painter.drawRect(QRectF(QPointF(low.x(), high.y()), QPointF(high.x(), low.y())))
        self._paint_axes(painter, area, picture, place)
        cloud = QColor(palette.ink)
        cloud.setAlpha(70)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(cloud)
        step = max(1, picture.cloud.shape[1] // POINTS)
        for seconds, level in picture.cloud[:, ::step].T:
            painter.drawEllipse(place(float(seconds), float(level)), 1.8 * by, 1.8 * by)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for name, seconds, level in picture.ghosts:
            at = place(seconds, level)
            if name != "as planned" and (at - place(*picture.lands)).manhattanLength() > APART:
                self._paint_ghost(painter, at, "+" if "more" in name else "−")
        painter.setPen(QPen(QColor(palette.card), 1.5))
        painter.setBrush(QColor(palette.moss if picture.inside else palette.ember if picture.told else palette.ink))
        painter.drawEllipse(place(*picture.lands), 6.0 * by, 6.0 * by)

    def set_scale(self, scale: float) -> None:
        """Figures and dots so much larger."""
        self._scale = scale
        self.update()

    def _paint_ghost(self, painter: QPainter, at: QPointF, sign: str) -> None:
        palette = self._look.palette
        painter.setPen(QPen(QColor(palette.ember), 1.4))
        painter.drawEllipse(at, 7.0, 7.0)
        painter.setFont(sans(13, QFont.Weight.Bold))
        painter.drawText(QRectF(at.x() - 8.0, at.y() - 9.0, 16.0, 17.0), Qt.AlignmentFlag.AlignCenter, sign)

    def _paint_axes(
        self, painter: QPainter, area: QRectF, picture: LandingPicture, place: Callable[[float, float], QPointF]
    ) -> None:
        wanted_s, tolerance_s, wanted_c, tolerance_c = picture.box
        by = self._scale
        painter.setFont(mono(int(12 * by)))
        painter.setPen(QColor(self._look.palette.soft))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        levels = (wanted_c - tolerance_c, wanted_c, wanted_c + tolerance_c)
        words = "{:.0f}" if all(abs(level - round(level)) < 0.05 for level in levels) else "{:.1f}"
        for level in levels:
            beside = QRectF(0.0, place(wanted_s, level).y() - 9.0 * by, 40.0 * by, 18.0 * by)
            painter.drawText(beside, right, tr(words, level))
        for seconds in (wanted_s - tolerance_s, wanted_s + tolerance_s):
            x = place(seconds, wanted_c).x()
            below = QRectF(x - 28.0 * by, area.bottom() + 4.0, 56.0 * by, 16.0 * by)
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, clock(seconds))


class FarLanding(QFrame):
    """The landing for three metres: its figures, the square, and the one judgement in words."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.setObjectName("card")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 18)
        head = QHBoxLayout()
        self._lands = label("", "farFigure")
        head.addWidget(label(tr("Landing"), "farTitle"))
        head.addStretch(1)
        head.addWidget(self._lands)
        column.addLayout(head)
        self.square = LandingSquare(look)
        self.square.set_scale(2.0)
        self._place = label("", "farTitle")
        column.addWidget(self.square, 1)
        column.addWidget(self._place, 0, Qt.AlignmentFlag.AlignHCenter)

    def show_picture(self, picture: LandingPicture | None) -> None:
        """Show this landing; none is known before the charge, and after the drop."""
        self.square.show_picture(picture)
        self._lands.setText(picture.words.partition(" (")[0] if picture is not None else "–")
        self._place.setText(tr(picture.place) if picture is not None else "")
        rename(self._place, "farGood" if picture is not None and picture.inside else "farTitle")
