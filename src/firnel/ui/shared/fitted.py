"""Words that are painted where there may be too little room for them."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QPainter

from firnel.ui.theme.look import sans


def fitted(painter: QPainter, text: str, room: int, sizes: Sequence[int], weight: QFont.Weight) -> str:
    """The text as it fits into ``room`` [px]: the painter's font is set to the first of the sizes [px] in which it does.

    Where it fits in none, the last, short of its end.
    """
    for size in sizes:
        painter.setFont(sans(size, weight))
        if painter.fontMetrics().horizontalAdvance(text) <= room:
            break
    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room)
