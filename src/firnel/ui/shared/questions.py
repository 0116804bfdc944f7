"""What must be answered before anything goes on: a sentence, and answers that say what they do."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.parts import button, label
from firnel.ui.theme.tokens import SPACE_L, SPACE_M

WIDE = 440  #: of a question. [px]


class Question(QDialog):
    """A sentence over two answers, or over one where there is nothing to choose. Escape leaves all as it is.

    Parameters
    ----------
    over : the window that it stands over, or None.
    sentence : what is asked.
    go, stay : what the answers do; without ``stay`` there is one.
    entry : filled in before the answer; Enter in it goes on.
    risky : what is agreed to cannot be had back: Enter stays.
    """

    def __init__(
        self, over: QWidget | None, sentence: str, go: str, stay: str = "", entry: QWidget | None = None, risky: bool = False
    ) -> None:
        super().__init__(over)
        self.setWindowTitle("Firnel")
        self.setMinimumWidth(WIDE)
        self.sentence = sentence
        column = QVBoxLayout(self)
        column.setContentsMargins(SPACE_L, SPACE_L, SPACE_L, SPACE_M)
        column.setSpacing(SPACE_M)
        column.addWidget(label(sentence, wrap=True))
        if entry is not None:
            entry.setAccessibleName(sentence)
            column.addWidget(entry, 0, Qt.AlignmentFlag.AlignLeft)
        answers = QHBoxLayout()
        answers.addStretch(1)
        self.go = button(go, primary=not risky)
        self.go.clicked.connect(self.accept)
        self.stay = button(stay or go, primary=risky)
        self.stay.clicked.connect(self.reject)
        for answer in (self.stay, self.go) if stay else (self.go,):
            answers.addWidget(answer)
        column.addLayout(answers)
        first = self.stay if risky else self.go
        first.setDefault(True)
        (entry or first).setFocus()

    def answer(self) -> bool:
        """Ask, and wait; whether somebody goes on. The question is not there any more afterwards."""
        agreed_to = self.exec() == QDialog.DialogCode.Accepted
        self.deleteLater()
        return agreed_to


def agreed(over: QWidget | None, sentence: str, go: str, stay: str, risky: bool = False) -> bool:
    """Whether somebody agrees."""
    return Question(over, sentence, go, stay, risky=risky).answer()


def told(over: QWidget | None, sentence: str) -> None:
    """Tell what must be read before anything goes on."""
    Question(over, sentence, tr("Understood")).answer()


def asked_number(over: QWidget, sentence: str, go: str, value: int, most: int) -> int | None:
    """A whole number from one on; None where nobody wants it."""
    entry = QSpinBox()
    entry.setRange(1, most)
    entry.setValue(value)
    entry.setFixedWidth(90)
    entry.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    entry.selectAll()
    question = Question(over, sentence, go, tr("Not now"), entry)
    return entry.value() if question.answer() else None


def asked_words(over: QWidget, sentence: str, go: str) -> str:
    """A line of words; empty where nobody has any."""
    entry = QLineEdit()
    entry.setMinimumWidth(WIDE - 2 * SPACE_L)
    question = Question(over, sentence, go, tr("Not now"), entry)
    return entry.text().strip() if question.answer() else ""
