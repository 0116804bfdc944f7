"""The key that marks works wherever the cursor is while beans are in the drum, but in a field that is typed in."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from firnel.ui.shared.actions import action

_FIELDS = (QLineEdit, QTextEdit, QPlainTextEdit, QAbstractSpinBox)


def typing_in(widget: QWidget | None) -> bool:
    """Whether what is typed goes into a text field."""
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    if isinstance(widget, _FIELDS):
        return not widget.isReadOnly()
    return False


class SpaceKey(QObject):
    """Watches the keys of the whole application.

    Parameters
    ----------
    window : whose keys these are: its own, and those of the windows and dialogs it has opened.
    wanted : whether the key marks now.
    mark : what it does.
    """

    def __init__(self, window: QWidget, wanted: Callable[[], bool], mark: Callable[[], object]) -> None:
        super().__init__(window)
        self._window, self._wanted, self._mark = window, wanted, mark
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)
            application.aboutToQuit.connect(self.stop)

    def stop(self) -> None:
        """Watch no more: a filter must be gone before the application is, or its last events find nobody there."""
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take the key that marks before a button or a list does."""
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:  # in this order: every event comes by here
            return False
        focus = QApplication.focusWidget()
        if watched is not focus or not isinstance(watched, QWidget) or not self._mine(watched) or not self._wanted():
            return False
        if event.key() == Qt.Key.Key_Escape and typing_in(watched):
            watched.clearFocus()
            return False
        pressed = QKeySequence(event.keyCombination())
        if pressed != QKeySequence(action("mark").keys[0]) or typing_in(watched):
            return False
        if not event.isAutoRepeat():
            self._mark()
        return True

    def _mine(self, widget: QWidget) -> bool:
        """A practice beside it has keys of its own."""
        top: QObject | None = widget.window()
        while top is not None:
            if top is self._window:
                return True
            if top.property("ownKeys"):
                return False
            top = top.parent()
        return False
