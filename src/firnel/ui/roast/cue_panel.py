"""The cue: what is next in one sentence, and the clock that matters now. Readable at two metres, larger in a larger window."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from firnel.core.words import capital, tr
from firnel.ui.shared.key_press import HURRIED, KeyPress
from firnel.ui.shared.motion import Fade
from firnel.ui.shared.parts import ElidedLabel, label, restyle
from firnel.ui.theme.look import sans
from firnel.work.roast.cue import Cue

#: The headline at 1280x800, never smaller; what is to be done beside it, never smaller either. [px]
HEADLINE, STEP = 38, 28
#: Sizes at 1280x800. [px]
SIZES = {"kicker": 14, "cueDetail": 17, "cueClock": 56, "cueClockLabel": 14, "cueSince": 24, "cueFigures": 19, "key": 13}
HEIGHT, DROP_CLOCK = 136, 76
#: Above, between and below the lines of words. [px]
AROUND = 19
#: Besides the next mark: what else a key does now, in this order.
OTHER_KEYS = ("confirm", "dismiss", "prepare", "next", "undo")
#: The clock in a headline: it goes on each second, and is no news.
CLOCK = re.compile(r"-?\d+:\d\d")


class FittingLabel(QLabel):
    """Bold text of one size: in one line, or wrapped into two where it is longer."""

    def __init__(self, name: str, size: int) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setWordWrap(True)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.set_size(size)

    def set_size(self, size: int) -> None:
        """So large from now on. [px]"""
        self._size = size
        self.setStyleSheet(f"font-size: {size}px; font-weight: 700;")
        self.setFont(sans(size, QFont.Weight.Bold))

    def show_text(self, text: str) -> bool:
        """Show this text; whether it says something else, and not only that time goes on."""
        before = self.text()
        if text != before:
            self.setText(text)
        return CLOCK.sub("", text) != CLOCK.sub("", before)

    @property
    def lines(self) -> int:
        """How many lines it takes at its width."""
        return 1 if self._metrics().horizontalAdvance(self.text()) <= max(self.width(), 1) else 2

    @property
    def tall(self) -> int:
        """How high its lines are. [px]"""
        return self.lines * self._metrics().lineSpacing()

    def _metrics(self) -> QFontMetrics:
        return QFontMetrics(sans(self._size, QFont.Weight.Bold))


class CuePanel(QFrame):
    """Shows one `Cue`; ``moving`` says whether a new one may come in softly."""

    def __init__(self, moving: Callable[[], bool] = lambda: True) -> None:
        super().__init__()
        self.setObjectName("cue")
        self._scale, self._urgency = 0.0, ""
        self._keys_shown: tuple[object, ...] = ()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 18, 0)
        row.setSpacing(18)
        self._bar = QFrame()
        self._bar.setObjectName("cueBar")
        self._bar.setFixedWidth(8)
        row.addWidget(self._bar)
        row.addLayout(self._words(), 1)
        row.addLayout(self._since(), 0)
        row.addWidget(self._clocks(), 0)
        self._fade = Fade(self.headline, moving)
        self.set_scale(1.0)

    def _words(self) -> QVBoxLayout:
        words = QVBoxLayout()
        words.setContentsMargins(0, 1, 0, 10)
        words.setSpacing(2)
        # What keys do is told as far as there is room for it: it makes the window no wider.
        self._head = QWidget()
        self._head.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._head.setMinimumHeight(HURRIED)
        head = QHBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(2)
        self._kicker = label("", "kicker")
        self._space = KeyPress("mark", "", HURRIED, "kicker")
        self._others: dict[str, KeyPress] = {}
        head.addWidget(self._kicker)
        head.addSpacing(5)
        head.addWidget(self._space)
        for name in OTHER_KEYS:
            self._others[name] = KeyPress(name, "", HURRIED, "kicker")
            self._others[name].hide()
            head.addWidget(self._others[name])
        head.addStretch(1)
        self.headline = FittingLabel("cueHeadline", HEADLINE)
        self._detail = ElidedLabel("cueDetail")
        self._steps = [FittingLabel("cueStep", STEP) for _ in range(2)]
        words.addWidget(self._head)
        words.addWidget(self.headline, 1)
        words.addWidget(self._detail)
        for step in self._steps:
            words.addWidget(step)
            step.hide()
        return words

    def _since(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 12, 0, 12)
        column.setSpacing(2)
        self._since_label = label(tr("since charge"), "kicker")
        self._since_clock = label("", "cueSince")
        self._figures = label("", "cueFigures")
        column.addStretch(1)
        for widget in (self._since_label, self._since_clock, self._figures):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignRight)
        column.addStretch(1)
        return column

    def _clocks(self) -> QWidget:
        self._clock_box = QWidget()
        clocks = QVBoxLayout(self._clock_box)
        clocks.setContentsMargins(0, 12, 0, 8)
        clocks.setSpacing(0)
        self._clock_label = label("", "cueClockLabel")
        self._clock = label("", "cueClock")
        clocks.addWidget(self._clock_label, 0, Qt.AlignmentFlag.AlignRight)
        clocks.addWidget(self._clock, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return self._clock_box

    def set_scale(self, scale: float) -> None:
        """Everything so many times as large as at 1280x800."""
        if abs(scale - self._scale) < 0.01:
            return
        self._scale = scale
        self.headline.set_size(round(HEADLINE * scale))
        for step in self._steps:
            step.set_size(round(STEP * min(scale, 1.5)))
        for widget in self.findChildren(QLabel):
            if widget.objectName() in SIZES:
                widget.setStyleSheet(f"font-size: {round(SIZES[widget.objectName()] * min(scale, 1.8))}px;")
        self._size_clock()
        self._fit_height()

    def _size_clock(self) -> None:
        base = DROP_CLOCK if self._urgency == "drop" else SIZES["cueClock"]
        self._clock.setStyleSheet(f"font-size: {round(base * self._scale)}px;")

    def _fit_height(self) -> None:
        parts = self._head.sizeHint().height() + self.headline.tall + self._detail.sizeHint().height()
        tall = max(HEIGHT * self._scale, parts + AROUND)
        if self._steps[0].isVisibleTo(self):
            tall += 2.0 * 40.0 * min(self._scale, 1.5)
        self.setFixedHeight(round(tall))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrower headline may need two lines."""
        super().resizeEvent(event)
        self._fit_height()

    def show_cue(self, cue: Cue) -> None:
        """Show this cue."""
        danger = cue.urgency == "danger"
        _put(self._kicker, capital(cue.kicker))
        if danger:
            self._fade.end()  # a warning is there at once
        headline = cue.headline.replace(" °", "\N{NO-BREAK SPACE}°")  # a unit on a line of its own says nothing
        if self.headline.show_text(headline) and not danger:
            self._fade.begin()
        steps = cue.detail.split("\n") if danger else []
        for step, text in zip(self._steps, (*steps, "", "")[: len(self._steps)], strict=True):
            step.show_text(text)
            step.setVisible(bool(text))
        self._detail.show_text("" if danger else cue.detail)
        self._detail.setVisible(not danger)
        _put(self._clock_label, cue.clock_label)
        _put(self._clock, cue.clock)
        _put(self._since_clock, cue.since_charge)
        self._show_keys(cue)
        for widget in (self._since_label, self._since_clock):
            widget.setVisible(bool(cue.since_charge) and cue.urgency not in ("drop", "danger"))
        self._clock_box.setVisible(bool(cue.clock))
        _put(self._figures, cue.figures)
        self._figures.setVisible(not danger)
        self.setAccessibleName(f"{cue.kicker}: {cue.headline}. {cue.clock_label} {cue.clock}")
        if self._urgency != cue.urgency:
            self._urgency = cue.urgency
            for dressed in (self, self._bar, self._kicker):
                dressed.setProperty("urgency", cue.urgency)
            for part in (self, *self.findChildren(QWidget)):
                restyle(part)
            self._size_clock()
        self._fit_height()

    def _show_keys(self, cue: Cue) -> None:
        """What keys do now, as far as there is room for it."""
        if self._keys_shown == (shown := (cue.kicker, cue.space, cue.keys, self.headline.width())):
            return
        self._keys_shown = shown
        self._space.say(cue.space)
        self._space.setVisible(bool(cue.space))
        told = dict(cue.keys)
        left = self.headline.width() - self._kicker.sizeHint().width() - (self._space.sizeHint().width() if cue.space else 0)
        for name, press in self._others.items():
            press.say(told.get(name, ""))
            left -= press.sizeHint().width() + 2 if name in told else 0
            press.setVisible(name in told and left > 0)


def _put(target: QLabel, text: str) -> None:
    if target.text() != text:
        target.setText(text)
