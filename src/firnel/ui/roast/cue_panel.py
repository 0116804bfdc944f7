"""The cue: what is next in one sentence, and the clock that matters now. Readable at two metres."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from firnel.ui.shared.parts import ElidedLabel, label, restyle
from firnel.ui.theme.look import sans
from firnel.work.roast.cue import Cue

LARGEST, SMALLEST = 38, 22


class FittingLabel(QLabel):
    """One line of bold text, as large as fits."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("cueHeadline")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(50)
        self._fitted: tuple[str, int] = ("", 0)

    def show_text(self, text: str) -> None:
        """Show this text."""
        if text != self.text():
            self.setText(text)
            self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the text anew."""
        super().resizeEvent(event)
        self._fit()

    def fit_anew(self) -> None:
        """The style sheet has been applied again."""
        self._fitted = ("", 0)
        self._fit()

    def _fit(self) -> None:
        # Figures change each second; only the number of characters changes the fit.
        key = (self.text().translate(str.maketrans("0123456789", "0000000000")), self.width())
        if key == self._fitted:
            return
        self._fitted = key
        for size in range(LARGEST, SMALLEST - 1, -1):
            font = sans(size, QFont.Weight.Bold)
            self.setStyleSheet(f"font-size: {size}px;")
            self.setFont(font)
            if self.fontMetrics().horizontalAdvance(key[0]) <= self.width():
                return


class CuePanel(QFrame):
    """Shows one `Cue`."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("cue")
        self.setFixedHeight(126)
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

    def _words(self) -> QVBoxLayout:
        words = QVBoxLayout()
        words.setContentsMargins(0, 12, 0, 12)
        words.setSpacing(2)
        self._kicker = label("", "kicker")
        self._headline = FittingLabel()
        self._detail = ElidedLabel("cueDetail")
        for widget in (self._kicker, self._headline, self._detail):
            words.addWidget(widget)
        return words

    def _since(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 12, 0, 12)
        column.setSpacing(2)
        self._since_label = label("since charge", "soft")
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

    def show_cue(self, cue: Cue) -> None:
        """Show this cue."""
        _put(self._kicker, cue.kicker.capitalize())
        self._headline.show_text(cue.headline)
        self._detail.show_text(cue.detail)
        _put(self._clock_label, cue.clock_label)
        _put(self._clock, cue.clock)
        _put(self._since_clock, cue.since_charge)
        self._since_label.setVisible(bool(cue.since_charge))
        self._since_clock.setVisible(bool(cue.since_charge))
        for widget in (self._since_label, self._since_clock):
            widget.setVisible(bool(cue.since_charge) and cue.urgency != "drop")
        self._clock_box.setVisible(bool(cue.clock))
        _put(self._figures, cue.figures)
        self.setAccessibleName(f"{cue.kicker}: {cue.headline}. {cue.clock_label} {cue.clock}")
        if self.property("urgency") != cue.urgency:
            for dressed in (self, self._bar, self._kicker):
                dressed.setProperty("urgency", cue.urgency)
            for part in (self, *self.findChildren(QWidget)):
                restyle(part)
            self._headline.fit_anew()


def _put(target: QLabel, text: str) -> None:
    if target.text() != text:
        target.setText(text)
