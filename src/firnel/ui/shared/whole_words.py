"""What a drop-down list has no room for is told whole where the pointer rests."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QToolTip, QWidget


class WholeWords(QObject):
    """Watches the drop-down lists of a view; one that has a tool tip of its own keeps it."""

    def watch(self, view: QWidget) -> None:
        """Watch every drop-down list of this view.

        Readers of the screen call one by what is chosen in it; what it is for goes into its description.
        """
        for box in view.findChildren(QComboBox):
            box.installEventFilter(self)
            if not box.accessibleDescription():
                box.setAccessibleDescription(box.toolTip() or box.accessibleName())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tell the chosen words where they are cut."""
        if not isinstance(watched, QComboBox) or not isinstance(event, QHelpEvent) or watched.toolTip():
            return False
        told = is_cut(watched)
        if told:
            QToolTip.showText(event.globalPos(), watched.currentText(), watched)
        return told


def is_cut(box: QComboBox) -> bool:
    """Whether there is less room than the chosen words take."""
    option, style = QStyleOptionComboBox(), box.style()
    box.initStyleOption(option)
    if style is None:
        return False
    complex_ = QStyle.ComplexControl.CC_ComboBox
    room = style.subControlRect(complex_, option, QStyle.SubControl.SC_ComboBoxEditField, box)
    return bool(box.fontMetrics().horizontalAdvance(box.currentText()) > room.width())
