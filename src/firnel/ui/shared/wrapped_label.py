"""Words over several lines: none ends between a figure and its unit, and all of them have room."""

from __future__ import annotations

import re

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel

#: What stands between a figure and its unit, and within a unit, where a line is not to end.
UNBROKEN, JOINED = "\N{NO-BREAK SPACE}", "\N{WORD JOINER}"
UNIT_BY_UNIT = re.compile(r"(?<=[°\w])/(?=(?:L|min|kg)(?!\w))")
FIGURE_AND_UNIT = re.compile(
    r"(?<=\d) (?=°|(?:%|±|kg|g|lb|K|s|min|h|kPa|mbar|Pa|inH2O|rpm|mm|mL|L|m|a (?:kg|lb))(?!\w))"
    r"|(?<=\d a) (?=(?:kg|lb)(?!\w))|(?<=±) (?=\d)"
)


class WrappedLabel(QLabel):
    """Words that wrap: they ask for the height that their lines need in the width that they have.

    A figure and its unit stay on one line; ``text`` is what was given, with plain spaces.
    """

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setText(text)

    def text(self) -> str:
        """The words as they were given."""
        return super().text().replace(UNBROKEN, " ").replace(JOINED, "")

    def setText(self, text: str | None) -> None:
        """Show these words."""
        super().setText(UNIT_BY_UNIT.sub(f"/{JOINED}", FIGURE_AND_UNIT.sub(UNBROKEN, text or "")))

    def minimumSizeHint(self) -> QSize:
        """Room for all lines, once the width is known."""
        hint = super().minimumSizeHint()
        laid = self.testAttribute(Qt.WidgetAttribute.WA_Resized)
        return QSize(hint.width(), max(hint.height(), self.heightForWidth(self.width()))) if laid else hint

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width needs another height."""
        super().resizeEvent(event)
        if event is not None and event.oldSize().width() != self.width():
            self.updateGeometry()
