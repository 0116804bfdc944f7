"""Was it the same: the table against reference or plan, the likely cause, and what to change next."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.words import meant, tr
from firnel.ui.shared.actions import MOST_EDITS, give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import YieldingLabel, button, card, empty, label, rename
from firnel.work.desk import Desk
from firnel.work.review.compare_picture import row_of
from firnel.work.review.sameness import Expected, Judged, judge

WORD_STYLE = {"same": "good", "close": "close", "off": "warn"}


class SamePage(QWidget):
    """Judges the batch that is chosen in the list."""

    accepted = pyqtSignal(object, str)  # Plan, why

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._key: int | None = None
        self.judged: Judged | None = None
        self.background = Background(self, self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        head, inside = card(spacing=3)
        self.verdict = label(tr("Choose a batch in the list."), "identityLot", wrap=True)
        self.causes = label("", "", wrap=True)
        inside.addWidget(self.verdict)
        inside.addWidget(self.causes)
        column.addWidget(head)
        table, rows = card()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(18)
        self._grid.setColumnStretch(0, 1)
        rows.addLayout(self._grid)
        column.addWidget(table)
        edits, self._edits = card(spacing=6)
        column.addWidget(edits)
        column.addStretch(1)

    def choose(self, key: int) -> None:
        """Judge this batch when the page is shown."""
        self._key = key
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Judge in the background."""
        key, ask, units = self._key, self._desk.ask, self._desk.settings.units
        if key is not None:
            self.background.run("judge", lambda: ask(judge, key, units), self.show_judged)

    def _say(self, sentence: str) -> None:
        self.verdict.setText(sentence)

    def say_taken(self, sentence: str) -> None:
        """An edit was taken into the plan."""
        self.causes.setText(sentence)

    def show_judged(self, judged: Judged) -> None:
        """Show this judgement."""
        self.judged = judged
        self.verdict.setText(judged.verdict)
        rename(self.verdict, "identityLot")
        if judged.causes:
            sure = [words for words, belief in judged.causes if belief == 1.0]
            guessed = [tr("{} ({:.0f} %)", words, 100 * belief) for words, belief in judged.causes if belief < 1.0]
            told = [tr("For sure: {}.", "; ".join(sure))] if sure else []
            if guessed:
                told.append(
                    f"{(tr('Behind what little differs') if judged.same else tr('Likely'))}: {tr(', or ').join(guessed)}."
                )
            self.causes.setText(" ".join(told))
        else:
            self.causes.setText(judged.why_none)
        empty(self._grid)
        units = self._desk.settings.units
        for column, name in enumerate(("", judged.against or tr("wanted"), tr("this batch"), meant("difference", "by"), "")):
            self._grid.addWidget(YieldingLabel(name, "soft"), 0, column)
        for row, one in enumerate(judged.table, start=1):
            for column, text in enumerate(row_of(one, units)):
                style = WORD_STYLE[one.word] if column == 4 else "" if column == 0 else "figure"
                self._grid.addWidget(label(text, style), row, column)
        empty(self._edits)
        self._edits.addWidget(label(tr("What to change next"), "heading"))
        nothing = judged.no_edits or tr("Nothing calls for a change: no colour, cup or look speaks against the plan.")
        if not judged.edits:
            self._edits.addWidget(label(nothing, "soft", wrap=True))
        for number, edit in enumerate(judged.edits, start=1):
            self._edits.addLayout(self._edit_row(number, edit))

    def _edit_row(self, number: int, edit: Expected) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(edit.words, "", wrap=True), 1)
        take = button(tr("Take it"), tr("Into a new version of the plan (Ctrl+{})", number), primary=number == 1)
        if number <= MOST_EDITS:
            give_key(take, f"take edit {number}")
        take.setEnabled(edit.plan is not None)
        take.clicked.connect(partial(self._on_take, edit))
        row.addWidget(take)
        return row

    def _on_take(self, edit: Expected) -> None:
        plan: Plan | None = edit.plan
        if plan is not None:
            self.accepted.emit(plan, edit.change.why)
