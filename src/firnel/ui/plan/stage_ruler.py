"""The stage ruler: drying, browning and development on one line, dragged in seconds, with the drop at its end."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from firnel.core.units import clock
from firnel.core.usual import USUAL_STAGES
from firnel.core.words import tr
from firnel.ui.theme.look import Look, mono, sans

NAMES = ("drying", "browning", "development")
#: Shortest stages that can be dragged to. [s]
SHORTEST = (90.0, 45.0, 15.0)
STEP_S = 5.0
GRIP = 9.0  #: how near the mouse must be to an end of a stage [px]


class StageRuler(QWidget):
    """Three stages drawn to scale; an end is dragged with the mouse, or moved by keys (left, right; up, down choose)."""

    dragged = pyqtSignal(tuple)  # seconds of the three stages, while the hand moves
    released = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._x_of: Callable[[float], float] | None = None
        self._seconds = USUAL_STAGES
        self._drop = ""
        self._chosen = 0
        self._held = False
        self.setFixedHeight(64)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Stage ruler: arrows move the end of a stage by five seconds"))
        look.changed.connect(self.update)

    def show_stages(self, seconds: tuple[float, float, float], drop: str) -> None:
        """Show stage times and, at the end, the drop."""
        self._seconds, self._drop = seconds, drop
        told = ", ".join(f"{tr(name)} {clock(value)}" for name, value in zip(NAMES, seconds, strict=True))
        self.setAccessibleDescription(tr("{}; drop {}", told, drop))
        self.update()

    @property
    def seconds(self) -> tuple[float, float, float]:
        """The three stages as they stand. [s]"""
        return self._seconds

    def follow(self, x_of: Callable[[float], float]) -> None:
        """Lie on a time axis: ``x_of`` gives the place [px] of a moment [s from charge]."""
        self._x_of = x_of

    @property
    def held(self) -> bool:
        """Whether a hand is dragging."""
        return self._held

    @property
    def _left(self) -> float:
        return 8.0 if self._x_of is None else self._x_of(0.0)

    @property
    def chosen(self) -> int:
        """Which stage is dragged, or was last."""
        return self._chosen

    def _scale(self) -> float:
        """Pixels for a second; on no axis a fifth of the line stays free, so that a stage can grow."""
        if self._x_of is not None:
            return 0.01 * (self._x_of(100.0) - self._x_of(0.0))
        return (self.width() - 16.0) / max(1.2 * sum(self._seconds), 600.0)

    def _ends(self) -> list[float]:
        ends, at = [], self._left
        for seconds in self._seconds:
            at += seconds * self._scale()
            ends.append(at)
        return ends

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the stages."""
        palette, painter = self._look.palette, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = self._left
        for index, (name, seconds, end) in enumerate(zip(NAMES, self._seconds, self._ends(), strict=True)):
            box = QRectF(left, 20.0, max(end - left - 2.0, 2.0), 26.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(palette.selected if index % 2 == 0 else palette.hover))
            painter.drawRoundedRect(box, 5.0, 5.0)
            painter.setPen(QColor(palette.ink))
            painter.setFont(mono(15))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, clock(seconds))
            painter.setPen(QColor(palette.soft))
            painter.setFont(sans(13, QFont.Weight.DemiBold if index == self._chosen else QFont.Weight.Normal))
            painter.drawText(QPointF(left + 2.0, 14.0), tr(name))
            grip = QColor(palette.ember if self.hasFocus() and index == self._chosen else palette.soft)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(grip)
            painter.drawRoundedRect(QRectF(end - 3.0, 17.0, 4.0, 32.0), 2.0, 2.0)
            left = end
        painter.setPen(QColor(palette.ink))
        painter.setFont(mono(15))
        painter.drawText(QPointF(left + 10.0, 38.0), self._drop)
        painter.setPen(QColor(palette.soft))
        painter.setFont(sans(13))
        painter.drawText(QPointF(left + 10.0, 58.0), tr("total {}", clock(sum(self._seconds))))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the end that is near."""
        if event is None:
            return
        near = [abs(event.position().x() - end) for end in self._ends()]
        if min(near) <= GRIP:
            self._chosen, self._held = near.index(min(near)), True
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the end that is held."""
        if event is None:
            return
        x = event.position().x()
        if not self._held:
            over = min(abs(x - end) for end in self._ends()) <= GRIP
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            return
        begin = [self._left, *self._ends()][self._chosen]
        self._set((x - begin) / self._scale())

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go."""
        if self._held:
            self._held = False
            self.released.emit()

    def keyPressEvent(self, event: object) -> None:
        """Arrows: left and right move an end, up and down choose which."""
        key = event.key() if hasattr(event, "key") else None
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            by = STEP_S if key == Qt.Key.Key_Right else -STEP_S
            self._set(self._seconds[self._chosen] + by)
            self.released.emit()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._chosen = (self._chosen + (1 if key == Qt.Key.Key_Down else -1)) % 3
            self.update()
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]  # Qt hands its own event

    def _set(self, seconds: float) -> None:
        changed = list(self._seconds)
        snapped = STEP_S * round(seconds / STEP_S)
        changed[self._chosen] = max(SHORTEST[self._chosen], min(snapped, 900.0))
        if tuple(changed) != self._seconds:
            self.show_stages((changed[0], changed[1], changed[2]), self._drop)
            self.dragged.emit(self._seconds)
