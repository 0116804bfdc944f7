"""One line under the cue: a warning, advice, or where the batch lands. It never opens anything and never moves the rest."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QHBoxLayout

from firnel.ui.shared.parts import ElidedLabel, label, restyle
from firnel.work.roast.advice_words import Told


class ToldStrip(QFrame):
    """Shows one `Told`; how many more things there are to say stands at its end."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("told")
        self.setFixedHeight(36)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        self._word, self._text = label("", "toldWord"), ElidedLabel("toldText")
        self._key, self._more = label("A", "key"), label("", "soft")
        row.addWidget(self._word)
        row.addWidget(self._text, 1)
        row.addWidget(self._key)
        row.addWidget(self._more)
        self._key.hide()

    def show_told(self, told: Told) -> None:
        """Show this line."""
        self._text.show_text(told.text)
        self._word.setText({"advice": "Advice", "warn": "Warning"}.get(told.urgency, ""))
        self._word.setVisible(told.urgency != "calm")
        self._key.setVisible(told.urgency == "advice")
        self._more.setText(f"and {len(told.more)} more" if told.more else ("take it" if told.urgency == "advice" else ""))
        self._more.setToolTip("\n".join(told.more))
        self.setAccessibleName(f"{self._word.text()} {told.text}")
        if self.property("urgency") != told.urgency:
            self.setProperty("urgency", told.urgency)
            for widget in (self, self._word, self._text):
                restyle(widget)
