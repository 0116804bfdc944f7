"""Strips that come up for one entry and go by themselves: a word from the trier, a remark, a hand reading."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QWidget

from firnel.core.words import capital, key_words, tr
from firnel.ui.shared.key_press import HURRIED, CapButton
from firnel.ui.shared.parts import empty, label
from firnel.ui.theme.tokens import SPACE_M

#: A strip nobody answers goes away. [ms]
PATIENCE_MS = 8000


class _Strip(QFrame):
    """A frame above the lower edge of its parent, wherever that goes meanwhile."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        parent.installEventFilter(self)
        self.setObjectName("strip")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(SPACE_M, 8, SPACE_M, 8)
        self._row.setSpacing(8)
        self.hide()

    def _come_up(self) -> None:
        self._place()
        self.show()
        self.raise_()

    def _place(self) -> None:
        parent = self.parentWidget()
        self.adjustSize()
        if parent is not None:
            self.move(max((parent.width() - self.width()) // 2, 0), parent.height() - self.height() - 24)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Stay above the edge: what is said above the view while a field is typed in pushes that down."""
        if event is not None and event.type() == QEvent.Type.Resize and watched is self.parent() and self.isVisible():
            self._place()
        return False

    def _go(self) -> None:
        self.hide()
        parent = self.parentWidget()
        if parent is not None:
            parent.setFocus(Qt.FocusReason.OtherFocusReason)


class WordStrip(_Strip):
    """Numbered words; a digit chooses one."""

    chosen = pyqtSignal(str, str, float)  # kind, word, clock time of the key that called the strip

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._kind, self._at, self._words = "", 0.0, tuple[str, ...]()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._go)

    def ask(self, kind: str, words: tuple[str, ...], at: float) -> None:
        """Offer words for a note of ``kind``, noted as of clock time ``at``."""
        empty(self._row)
        self._kind, self._words, self._at = kind, words, at
        self._row.addWidget(label(capital(tr(kind)), "heading"))
        for number, word in enumerate(words, start=1):
            press = CapButton(str(number), tr(word), HURRIED, "")
            press.serve(partial(self._choose, word))
            self._row.addWidget(press)
        self.setAccessibleName(f"{tr(kind)}: " + ", ".join(f"{n} {tr(word)}" for n, word in enumerate(words, start=1)))
        self._come_up()
        self.setFocus(Qt.FocusReason.OtherFocusReason)
        self._timer.start(PATIENCE_MS)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A digit chooses, Escape gives up; every other key is the roast's."""
        if event is None:
            return
        text = event.text()
        if text.isdecimal() and 1 <= int(text) <= len(self._words):
            self._choose(self._words[int(text) - 1])
        elif event.key() == Qt.Key.Key_Escape:
            self._go()
        else:
            event.ignore()

    def _choose(self, word: str) -> None:
        self._go()
        self.chosen.emit(self._kind, word, self._at)


class LineStrip(_Strip):
    """One line to type; Enter takes it, Escape gives up."""

    entered = pyqtSignal(str)
    cancelled = pyqtSignal()

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self._row.addWidget(label(name, "heading"))
        self._line = _EscapableLine()
        self._line.setAccessibleName(name)
        self._line.setMinimumWidth(320)
        self._row.addWidget(self._line)
        for key, does in (("Enter", self._on_enter), ("Esc", self._on_escape)):
            press = CapButton(key_words(key), "", HURRIED)
            press.serve(does)
            self._row.addWidget(press)
        self._line.returnPressed.connect(self._on_enter)
        self._line.escaped.connect(self._on_escape)

    def ask(self, begun: str = "") -> None:
        """Come up, with what has been typed already."""
        self._line.setText(begun)
        self._come_up()
        self._line.setFocus(Qt.FocusReason.OtherFocusReason)

    def _on_enter(self) -> None:
        text = self._line.text().strip()
        self._go()
        if text:
            self.entered.emit(text)
        else:
            self.cancelled.emit()

    def _on_escape(self) -> None:
        self._go()
        self.cancelled.emit()


class _EscapableLine(QLineEdit):
    escaped = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Tell of Escape."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
            return
        super().keyPressEvent(event)
