"""What a drop-down list or a line has no room for is told whole where the pointer rests."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QComboBox, QLineEdit, QStyle, QStyleOptionComboBox, QStyleOptionFrame, QToolTip, QWidget


class WholeWords(QObject):
    """Watches the drop-down lists and lines of a view; one that has a tool tip of its own keeps it."""

    def watch(self, view: QWidget) -> None:
        """Watch every drop-down list and every line of this view.

        Readers of the screen call one by what is chosen in it; what it is for goes into its description.
        """
        for box in view.findChildren(QComboBox):
            box.installEventFilter(self)
            if not box.accessibleDescription():
                box.setAccessibleDescription(box.toolTip() or box.accessibleName())
        for line in view.findChildren(QLineEdit):
            line.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tell the chosen words where they are cut."""
        if not isinstance(watched, QComboBox | QLineEdit) or not isinstance(event, QHelpEvent) or watched.toolTip():
            return False
        words = watched.currentText() if isinstance(watched, QComboBox) else watched.displayText()
        told = is_cut(watched) if isinstance(watched, QComboBox) else runs_out(watched)
        if told:
            QToolTip.showText(event.globalPos(), words, watched)
        return told


def runs_out(line: QLineEdit) -> bool:
    """Whether what is written there is longer than the line."""
    option, style = QStyleOptionFrame(), line.style()
    line.initStyleOption(option)
    if style is None:
        return False
    room = style.subElementRect(QStyle.SubElement.SE_LineEditContents, option, line)
    return bool(line.fontMetrics().horizontalAdvance(line.displayText()) > room.width())


def is_cut(box: QComboBox) -> bool:
    """Whether there is less room than the chosen words take."""
    option, style = QStyleOptionComboBox(), box.style()
    box.initStyleOption(option)
    if style is None:
        return False
    complex_ = QStyle.ComplexControl.CC_ComboBox
    room = style.subControlRect(complex_, option, QStyle.SubControl.SC_ComboBoxEditField, box)
    return bool(box.fontMetrics().horizontalAdvance(box.currentText()) > room.width())
