"""What stands above a plot: its quantity with the unit, and what each line is; never over a curve."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from firnel.core.words import tr
from firnel.ui.theme.look import Look, mono, sans

HEIGHT, SWATCH, GAP, TEXT = 21, 22, 16, 13
STYLES = {"line": Qt.PenStyle.SolidLine, "dash": Qt.PenStyle.DashLine, "dots": Qt.PenStyle.DotLine}


@dataclass(frozen=True)
class Key:
    """One line of a plot: its words, the role of its colour, and how it is drawn: line, dash, dots, band, spot or diamond.

    Two of one plot that are drawn alike must be told apart by every eye, those that see fewer colours too.
    """

    words: str
    role: str = "ink"
    style: str = "line"


class LaneHead(QWidget):
    """Draws quantity and keys in one row."""

    def __init__(self, look: Look, left: int) -> None:
        super().__init__()
        self._look, self._left = look, left
        self._quantity, self._keys, self._right = "", tuple[Key, ...](), ""
        self._when, self._values = "", dict[str, str]()
        self.setFixedHeight(HEIGHT)
        look.changed.connect(self.update)

    @property
    def quantity(self) -> str:
        """What is drawn, with its unit."""
        return self._quantity

    def show_head(self, quantity: str, keys: Sequence[Key] = (), right: str = "") -> None:
        """Show the quantity with its unit, the keys behind it, and some words at the right end."""
        told = (quantity, tuple(keys), right)
        if told != (self._quantity, self._keys, self._right):
            self._quantity, self._keys, self._right = told
            said = ", ".join(tr(key.words) for key in keys)
            self.setAccessibleName(f"{quantity}: {said}" if said else quantity)
            self.update()

    def show_values(self, when: str, values: Mapping[str, str]) -> None:
        """Show behind each key what its line is at the moment that is looked at, and at the right which moment; empty: none."""
        if (when, values) != (self._when, self._values):
            self._when, self._values = when, dict(values)
            self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it."""
        painter, palette = QPainter(self), self._look.palette
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bold, plain = sans(TEXT, QFont.Weight.DemiBold), sans(TEXT)
        x, middle = 14.0, self.height() / 2.0
        painter.setFont(bold)
        painter.setPen(QColor(palette.soft))
        x += self._text(painter, x, self._quantity) + GAP
        for key in self._keys:
            colour = QColor(getattr(palette, key.role))
            value = self._values.get(key.words, "")
            painter.setFont(bold)
            end = x + SWATCH + 6.0 + painter.fontMetrics().horizontalAdvance(tr(key.words))
            if end > self.width() - 8.0:
                break
            self._swatch(painter, x, middle, colour, key.style)
            painter.setPen(QColor(palette.moss if key.role == "moss_band" else getattr(palette, key.role)))
            painter.setFont(bold)
            x += SWATCH + 6.0
            x += self._text(painter, x, tr(key.words))
            if value:
                painter.setFont(mono(TEXT, bold=True))
                painter.setPen(QColor(palette.ink))
                x += 5.0 + self._text(painter, x + 5.0, value)
            x += GAP
        if right := self._when or self._right:
            painter.setFont(mono(TEXT, bold=True) if self._when else plain)
            painter.setPen(QColor(palette.ink if self._when else palette.soft))
            wide = painter.fontMetrics().horizontalAdvance(right)
            if x + wide < self.width() - 12.0:
                self._text(painter, self.width() - wide - 16.0, right)

    def _text(self, painter: QPainter, x: float, words: str) -> float:
        wide = painter.fontMetrics().horizontalAdvance(words) + 2.0
        painter.drawText(QRectF(x, 0.0, wide, self.height()), Qt.AlignmentFlag.AlignVCenter, words)
        return float(wide)

    @staticmethod
    def _swatch(painter: QPainter, x: float, middle: float, colour: QColor, style: str) -> None:
        if style == "band":
            painter.fillRect(QRectF(x, middle - 5.0, SWATCH, 10.0), colour)
        elif style in ("spot", "diamond"):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            at = QPointF(x + 0.5 * SWATCH, middle)
            if style == "spot":
                painter.drawEllipse(at, 4.5, 4.5)
            else:
                painter.drawPolygon(QPolygonF([at + QPointF(*by) for by in ((-5.5, 0.0), (0.0, -5.5), (5.5, 0.0), (0.0, 5.5))]))
        else:
            painter.setPen(QPen(colour, 2.4, STYLES[style]))
            painter.drawLine(QPointF(x, middle), QPointF(x + SWATCH, middle))
