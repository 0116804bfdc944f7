"""A key's cap with what the key does: a press on it, by mouse or finger, does the same."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QStyle, QStyleOption, QWidget

from firnel.core.words import key_words
from firnel.ui.shared.actions import action
from firnel.ui.shared.parts import label
from firnel.ui.theme.tokens import SPACE_S

#: As tall as a finger hits in a hurry, and where there is time. [px]
HURRIED, CALM = 40, 21


class CapButton(QAbstractButton):
    """A cap and words beside it. Until `serve` is called it only tells.

    Parameters
    ----------
    cap : the key as it is named.
    words : what it does.
    height : of what can be hit. [px]
    role : of the words, in the style sheet.
    """

    def __init__(self, cap: str, words: str = "", height: int = CALM, role: str = "soft") -> None:
        super().__init__()
        self.setObjectName("keyPress")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys stay the roast's
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(height)
        row = QHBoxLayout(self)
        beside = 7 if height == HURRIED else 0  # the ground that shows under a pointer
        row.setContentsMargins(beside, 0, beside, 0)
        row.setSpacing(SPACE_S)
        self.cap, self.told = label(cap, "key"), label("", role)
        for part in (self.cap, self.told):
            part.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            row.addWidget(part, 0, Qt.AlignmentFlag.AlignVCenter)
        self.say(words)

    def say(self, words: str) -> None:
        """What it does now."""
        if self.told.text() != words or not self.accessibleName():
            self.told.setText(words)
            self.setAccessibleName(f"{self.cap.text()}: {words}")
        self.told.setVisible(bool(words))

    def serve(self, does: Callable[[], object]) -> None:
        """A press does this from now on, from its first moment on, as a key does."""
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setProperty("live", True)
        self.pressed.connect(does)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """What the style sheet says; cap and words paint themselves."""
        option, style = QStyleOption(), self.style()
        option.initFrom(self)
        if style is not None:
            style.drawPrimitive(QStyle.PrimitiveElement.PE_Widget, option, QPainter(self), self)


class KeyPress(CapButton):
    """The key of an action of the table, as it is set.

    Parameters
    ----------
    name : of the action.
    words, height, role : as of any cap.
    """

    def __init__(self, name: str, words: str = "", height: int = CALM, role: str = "soft") -> None:
        super().__init__("", words, height, role)
        self.name = name
        self.name_anew()

    def name_anew(self) -> None:
        """The key as it is set now."""
        keys, shown = action(self.name).keys, action(self.name).shown
        self.cap.setText(key_words(shown if len(keys) > 1 else keys[0]))  # of two keys that do the same one is told
        self.setAccessibleName(f"{self.cap.text()}: {self.told.text()}")


def key_row(*pairs: tuple[str | tuple[str, ...], str]) -> QWidget:
    """Keys of actions, each with what it does; of several in one the last has the words."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(SPACE_S)
    for names, words in pairs:
        several = (names,) if isinstance(names, str) else names
        for name in several:
            layout.addWidget(KeyPress(name, words if name == several[-1] else ""), 0, Qt.AlignmentFlag.AlignVCenter)
    layout.addStretch(1)
    return row
