"""The sheet for the table: the codes to put under the cups, and each cupper's order."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from firnel.core.words import tr
from firnel.ui.shared.paper import HIGH, MARGIN, WIDE, begin_page
from firnel.ui.theme.look import mono, sans
from firnel.ui.theme.tokens import DAY
from firnel.work.bench.cupping import TableSet, reprint_codes

#: Slips across a page, and their height.
ACROSS, SLIP_HIGH = 4, 64.0


def write_table(path: Path, table: TableSet) -> None:
    """Write slips with the codes, one for each cup, and the orders; what stands behind a code is not on it.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    writer, painter = begin_page(path, table.name)
    top = _head(painter, table)
    painter.setFont(sans(10))
    for cupper, order in table.document["orders"].items():
        painter.setFont(sans(11, QFont.Weight.Bold))
        painter.drawText(QRectF(MARGIN, top, 130.0, 18.0), Qt.AlignmentFlag.AlignLeft, cupper)
        painter.setFont(mono(12))
        painter.drawText(QRectF(MARGIN + 140.0, top, WIDE - 2 * MARGIN - 140.0, 18.0), 0, "   ".join(order))
        top += 20.0
    top += 16.0
    wide = (WIDE - 2 * MARGIN) / ACROSS
    slips = [code for code in reprint_codes(table) for _ in range(table.document["cups"])]
    painter.setPen(QPen(QColor(DAY.line), 0.8))
    column = 0
    for code in slips:
        if top + SLIP_HIGH > HIGH - MARGIN:
            writer.newPage()
            top = MARGIN
        box = QRectF(MARGIN + column * wide, top, wide, SLIP_HIGH)
        painter.setPen(QPen(QColor(DAY.line), 0.8, Qt.PenStyle.DashLine))
        painter.drawRect(box)
        painter.setPen(QColor(DAY.ink))
        painter.setFont(mono(28))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, code)
        column = (column + 1) % ACROSS
        top += SLIP_HIGH if column == 0 else 0.0
    painter.end()


def _head(painter: QPainter, table: TableSet) -> float:
    painter.setPen(QColor(DAY.ink))
    painter.setFont(sans(20, QFont.Weight.Bold))
    painter.drawText(QRectF(MARGIN, MARGIN, WIDE - 2 * MARGIN, 28.0), Qt.AlignmentFlag.AlignLeft, table.name)
    painter.setFont(sans(10))
    painter.setPen(QColor(DAY.soft))
    told = tr(
        "{} coffees, {} cups of each; serve each cupper in this order", len(table.document["coffees"]), table.document["cups"]
    )
    painter.drawText(QRectF(MARGIN, MARGIN + 30.0, WIDE - 2 * MARGIN, 16.0), Qt.AlignmentFlag.AlignLeft, told)
    painter.setPen(QColor(DAY.ink))
    return MARGIN + 58.0
