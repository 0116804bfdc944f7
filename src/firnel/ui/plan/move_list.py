"""The moves of a plan, one below the other: each with what it is for the hand, and keys to take it over."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from firnel.core.words import tr
from firnel.ui.shared.fitted import fitted
from firnel.ui.theme.look import Look, mono, sans

ROW = 42
#: What begins so far from the right end of a row: the time of its move, its words. [px]
AT = 126
#: A move is set in the first of these sizes in which it fits. [px]
SIZES = (15, 14, 13, 12)
#: Keys of the list, for its tooltip and the key sheet.
KEYS = tr("↑ ↓ choose · + − a step · ← → five seconds · B mark, bean temperature or clock · H hold · Del away")


@dataclass(frozen=True)
class MoveRow:
    """One move as it is shown: index in the plan, role of its control, what, when, at, what errors in it do, held or not."""

    index: int
    role: str
    what: str
    when: str
    at: str
    weighed: str = ""
    held: bool = False


class MoveList(QWidget):
    """Draws the moves; keys and clicks work on the chosen one."""

    stepped = pyqtSignal(int, int)  # move, steps of its gauge
    shifted = pyqtSignal(int, float)  # move, seconds
    held = pyqtSignal(int, bool)
    rehung = pyqtSignal(int)
    deleted = pyqtSignal(int)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._rows: tuple[MoveRow, ...] = ()
        self._chosen = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Moves: {}", KEYS))
        self.setToolTip(KEYS)
        look.changed.connect(self.update)

    def show_rows(self, rows: tuple[MoveRow, ...]) -> None:
        """Show these moves."""
        self._rows = rows
        self._chosen = min(self._chosen, max(len(rows) - 1, 0))
        self.setMinimumHeight(ROW * len(rows))
        self.setAccessibleDescription("; ".join(f"{row.what} {row.when}{(tr(', held') if row.held else '')}" for row in rows))
        self.updateGeometry()
        self.update()

    @property
    def rows(self) -> tuple[MoveRow, ...]:
        """The moves as shown."""
        return self._rows

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(280, ROW * max(len(self._rows), 1))

    def _lock(self, row: int) -> QRectF:
        return QRectF(self.width() - 74.0, ROW * row + 5.0, 48.0, 20.0)

    def _cross(self, row: int) -> QRectF:
        return QRectF(self.width() - 22.0, ROW * row + 5.0, 20.0, 20.0)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the rows."""
        palette, painter = self._look.palette, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for place, row in enumerate(self._rows):
            top = float(ROW * place)
            if place == self._chosen and self.hasFocus():
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(palette.selected))
                painter.drawRoundedRect(QRectF(0.0, top, self.width(), ROW - 2.0), 5.0, 5.0)
            painter.fillRect(QRectF(2.0, top + 4.0, 4.0, ROW - 10.0), QColor(getattr(palette, row.role)))
            painter.setPen(QColor(palette.ink))
            room = QRectF(14.0, top + 2.0, self.width() - 14.0 - AT, 22.0)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter, fitted(painter, row.what, int(room.width()), SIZES, QFont.Weight.DemiBold)
            )
            painter.setFont(sans(13))
            painter.setPen(QColor(palette.soft))
            painter.drawText(QRectF(14.0, top + 22.0, self.width() - 14.0, 18.0), Qt.AlignmentFlag.AlignVCenter, row.when)
            side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(160.0, top + 22.0, self.width() - 164.0, 18.0), side, row.weighed)
            painter.setFont(mono(14))
            painter.setPen(QColor(palette.ink))
            painter.drawText(QRectF(self.width() - 130.0, top + 2.0, 50.0, 22.0), side, row.at)
            painter.setFont(sans(13, QFont.Weight.DemiBold if row.held else QFont.Weight.Normal))
            painter.setPen(QColor(palette.ember if row.held else palette.soft))
            painter.drawText(self._lock(place), Qt.AlignmentFlag.AlignCenter, tr("held") if row.held else tr("hold"))
            painter.setFont(mono(15))
            painter.setPen(QColor(palette.soft))
            painter.drawText(self._cross(place), Qt.AlignmentFlag.AlignCenter, "×")

    def event(self, event: QEvent | None) -> bool:
        """The tool tip of a move says it whole, then the keys."""
        if isinstance(event, QHelpEvent) and event.type() is QEvent.Type.ToolTip:
            place = event.pos().y() // ROW
            what = self._rows[place].what if 0 <= place < len(self._rows) else ""
            QToolTip.showText(event.globalPos(), f"{what}\n{KEYS}" if what else KEYS, self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose a move; its words hold and delete it."""
        if event is None or not self._rows:
            return
        place = int(event.position().y() // ROW)
        if not 0 <= place < len(self._rows):
            return
        self._chosen, row = place, self._rows[place]
        self.setFocus()
        if self._lock(place).contains(event.position()):
            self.held.emit(row.index, not row.held)
        elif self._cross(place).contains(event.position()):
            self.deleted.emit(row.index)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """As the tooltip says."""
        if event is None:
            return
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self._rows:
            self._chosen = (self._chosen + (1 if key == Qt.Key.Key_Down else -1)) % len(self._rows)
            self.update()
        elif not self._rows:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.stepped.emit(self._rows[self._chosen].index, 1 if key == Qt.Key.Key_Plus else -1)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.shifted.emit(self._rows[self._chosen].index, 5.0 if key == Qt.Key.Key_Right else -5.0)
        elif key == Qt.Key.Key_H:
            self.held.emit(self._rows[self._chosen].index, not self._rows[self._chosen].held)
        elif key == Qt.Key.Key_B:
            self.rehung.emit(self._rows[self._chosen].index)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.deleted.emit(self._rows[self._chosen].index)
        else:
            super().keyPressEvent(event)
