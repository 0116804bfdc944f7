"""One line under the cue: a warning, advice, or where the batch lands. It never opens anything and never moves the rest."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from firnel.core.words import tr
from firnel.ui.shared.key_press import HURRIED, KeyPress
from firnel.ui.shared.parts import ElidedLabel, label, restyle
from firnel.work.roast.advice_words import Told

#: What is to be done is read at two metres; where it lands, and why, from nearer. [px at 1280x800]
TO_DO, CALM, WHY, HEIGHT = 28, 20, 14, 62


class ToldStrip(QFrame):
    """Shows one `Told`; how many more things there are to say stands at its end."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("told")
        self._scale = 1.0
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(10)
        self._word, self.text = label("", "toldWord"), ElidedLabel("toldText")
        self._why = ElidedLabel("toldWhy")
        self._take, self._more = KeyPress("advice", tr("take it"), HURRIED), label("", "soft")
        words = QVBoxLayout()
        words.setContentsMargins(0, 4, 0, 4)
        words.setSpacing(0)
        words.addStretch(1)
        words.addWidget(self.text)
        words.addWidget(self._why)
        words.addStretch(1)
        row.addWidget(self._word)
        row.addLayout(words, 1)
        row.addWidget(self._take, 0, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self._more)
        self._take.hide()
        self._dress()

    def set_scale(self, scale: float) -> None:
        """Everything so many times as large as at 1280x800."""
        if abs(scale - self._scale) >= 0.01:
            self._scale = scale
            self._dress()

    def _dress(self) -> None:
        to_do = self.property("urgency") in ("advice", "warn")
        sizes = (
            (self._word, 20),
            (self.text, TO_DO if to_do else CALM),
            (self._why, WHY),
            (self._take.cap, 15),
            (self._take.told, WHY),
            (self._more, WHY),
        )
        for widget, size in sizes:
            widget.setStyleSheet(f"font-size: {round(size * self._scale)}px;")
        self.setFixedHeight(round(HEIGHT * self._scale))

    def show_told(self, told: Told) -> None:
        """Show this line."""
        if self.property("urgency") != told.urgency:
            self.setProperty("urgency", told.urgency)
            for widget in (self, self._word, self.text, self._why):
                restyle(widget)
            self._dress()
        self.text.show_text(told.text)
        self._why.show_text(told.why or (" · ".join(told.more) if told.urgency == "warn" else ""))
        self._why.setVisible(bool(self._why.whole_text()))
        self._word.setText({"advice": tr("Advice"), "warn": tr("Warning")}.get(told.urgency, ""))
        self._word.setVisible(told.urgency != "calm")
        self._take.setVisible(told.urgency == "advice")
        more = told.more if told.urgency != "warn" else ()
        self._more.setText(tr("and {} more", len(more)) if more else "")
        self._more.setToolTip("\n".join(told.more))
        self.setAccessibleName(f"{self._word.text()} {told.text}")
