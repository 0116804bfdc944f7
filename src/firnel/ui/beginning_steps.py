"""One step of the beginning in its list: number or tick, title, and how it stands."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.parts import ElidedLabel, button, label, restyle
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.beginning import Step


class StepRow(QWidget):
    """One of the five in the list."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self.setObjectName("step")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(SPACE_M, SPACE_S, SPACE_M, SPACE_S)
        self._number = number
        self._sign = label(str(number), "stepNumber")
        self._sign.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._sign.setFixedSize(34, 34)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.button = button("")
        self.button.setObjectName("stepTitle")
        self.button.setCheckable(True)
        self._told = ElidedLabel("soft")
        words.addWidget(self.button)
        words.addWidget(self._told)
        row.addWidget(self._sign)
        row.addLayout(words, 1)

    def show_step(self, step: Step) -> None:
        """Show how it stands."""
        self._sign.setText("✓" if step.done else str(self._number))
        self._sign.setProperty("done", step.done)
        restyle(self._sign)
        self.button.setText(step.title)
        self.button.setAccessibleName(f"{step.title}, {(tr('done') if step.done else tr('to do'))}")
        self._told.show_text(step.told)
