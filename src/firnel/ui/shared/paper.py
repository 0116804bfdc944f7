"""A page of paper: an A4 PDF that is painted on in points."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPageLayout, QPageSize, QPainter, QPdfWriter

from firnel.core.words import tr
from firnel.ui.theme.tokens import DAY

#: Everything is laid out in these: an A4 page is 595 x 842 points.
POINTS_PER_INCH = 72
WIDE, HIGH, MARGIN = 595.0, 842.0, 36.0
#: Points are written this finely.
FINE = 4


def begin_page(path: Path, title: str) -> tuple[QPdfWriter, QPainter]:
    """A writer and a painter scaled to points; end the painter when all is painted.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    writer, painter = QPdfWriter(str(path)), QPainter()
    writer.setTitle(title)
    writer.setCreator("Firnel")
    writer.setResolution(POINTS_PER_INCH * FINE)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0.0, 0.0, 0.0, 0.0))
    )
    if not painter.begin(writer):
        raise OSError(tr("{} cannot be written: is the folder there, and writable?", path))
    painter.scale(float(FINE), float(FINE))
    return writer, painter


def write_text(
    painter: QPainter,
    box: QRectF,
    text: str,
    font: QFont,
    colour: str = DAY.ink,
    flags: Qt.AlignmentFlag | Qt.TextFlag = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
) -> None:
    """Text in a box."""
    painter.setFont(font)
    painter.setPen(QColor(colour))
    painter.drawText(box, int(flags.value), text)
