"""The key that marks works wherever the cursor is while beans are in the drum, but in a field that is typed in."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import QElapsedTimer, QEvent, QObject, Qt
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

LONG_MS = 1 << 30  #: No key was pressed for so long: ever.
_FIELDS = (QLineEdit, QTextEdit, QPlainTextEdit, QAbstractSpinBox)


def typing_in(widget: QWidget | None) -> bool:
    """Whether what is typed goes into a text field."""
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    if isinstance(widget, _FIELDS):
        return not widget.isReadOnly()
    return False


class SpaceKey(QObject):
    """Watches the keys of the whole application, where they go: at the widget that has the focus.

    Not at the application: there each event of each widget would come by, and wait for whatever thread is at work.

    Parameters
    ----------
    window : whose keys these are: its own, and those of the windows and dialogs it has opened.
    wanted : whether the key marks now.
    mark : what it does.
    """

    def __init__(self, window: QWidget, wanted: Callable[[], bool], mark: Callable[[], object]) -> None:
        super().__init__(window)
        self._window, self._wanted, self._mark = window, wanted, mark
        self._since_key = QElapsedTimer()
        self._focus: QWidget | None = None
        self._watching = True
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._follow)
            application.aboutToQuit.connect(self.stop)
            self._follow(None, application.focusWidget())

    def stop(self) -> None:
        """Watch no more."""
        application = QApplication.instance()
        if isinstance(application, QApplication) and self._watching:
            application.focusChanged.disconnect(self._follow)
        self._watching = False
        self._follow(None, None)

    @property
    def rested_ms(self) -> int:
        """How long no key was pressed; long, if none ever was. [ms]"""
        return self._since_key.elapsed() if self._since_key.isValid() else LONG_MS

    def _follow(self, _old: QWidget | None, focus: QWidget | None) -> None:
        if self._focus is not None and not sip.isdeleted(self._focus):
            self._focus.removeEventFilter(self)
        self._focus = focus
        if focus is not None:
            focus.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take the key that marks before a button or a list does."""
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        self._since_key.start()
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
