"""Was it the same: the table against reference or plan, the likely cause, and what to change next."""

from __future__ import annotations

from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.words import meant, tr
from firnel.ui.shared.actions import MOST_EDITS, give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen
from firnel.ui.shared.parts import YieldingLabel, button, card, empty, label, rename
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.review.compare_picture import Drawn, row_of
from firnel.work.review.sameness import Expected, Judged, judge, laid_over

WORD_STYLE = {"same": "good", "close": "close", "off": "warn"}


class SamePage(QWidget):
    """Judges the batch that is chosen in the list."""

    accepted = pyqtSignal(object, str)  # Plan, why

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self._key: int | None = None
        self.judged: Judged | None = None
        self._drawn: tuple[Drawn, ...] = ()
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
        self._grid.setColumnStretch(5, 1)  # the figures stand beside their names
        rows.addLayout(self._grid)
        column.addWidget(table)
        edits, self._edits = card(spacing=6)
        column.addWidget(edits)
        self.curves, self.rates = Lane(look, "card"), Lane(look, "lane", with_time=True)
        self.rates.plot.setXLink(self.curves.plot)
        self.glance = Glance((self.curves, self.rates))
        for lane, name, share in ((self.curves, tr("Both batches"), 200), (self.rates, tr("Rates of rise of both"), 120)):
            lane.setAccessibleName(name)
            column.addWidget(lane, share)
        column.addStretch(1)
        look.changed.connect(self._draw)
        self._draw()

    def choose(self, key: int) -> None:
        """Judge this batch when the page is shown."""
        self._key = key
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Judge in the background."""
        key, ask, units = self._key, self._desk.ask, self._desk.settings.units
        if key is not None:
            self.background.run(
                "judge", lambda: (ask(judge, key, units), ask(laid_over, key, units)), lambda told: self.show_judged(*told)
            )

    def _say(self, sentence: str) -> None:
        self.verdict.setText(sentence)

    def say_taken(self, sentence: str) -> None:
        """An edit was taken into the plan."""
        self.causes.setText(sentence)

    def show_judged(self, judged: Judged, drawn: tuple[Drawn, ...]) -> None:
        """Show this judgement, and what was laid over each other for it."""
        self.judged, self._drawn = judged, drawn
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
        self._draw()
        empty(self._edits)
        self._edits.addWidget(label(tr("What to change next"), "heading"))
        nothing = judged.no_edits or tr("Nothing calls for a change: no colour, cup or look speaks against the plan.")
        if not judged.edits:
            self._edits.addWidget(label(nothing, "soft", wrap=True))
        for number, edit in enumerate(judged.edits, start=1):
            self._edits.addLayout(self._edit_row(number, edit))

    def _draw(self) -> None:
        """What it is judged by, dashed, and the batch; nothing where neither can be drawn."""
        drawn = self._drawn
        for lane in (self.curves, self.rates):
            lane.clear()
            lane.setVisible(bool(drawn))
        if not drawn:
            return
        palette, unit = self._look.palette, self._desk.settings.units.temperature
        styles = [("soft", Qt.PenStyle.DashLine, "dash"), ("ink", Qt.PenStyle.SolidLine, "line")][-len(drawn) :]
        for one, (role, style, _) in zip(drawn, styles, strict=True):
            for lane, values, colour in ((self.curves, one.bean, getattr(palette, role)), (self.rates, one.rate, palette.plum)):
                item = pg.PlotCurveItem(one.x, values, pen=line_pen(colour, 2.2, style), connect="finite")
                lane.plot.addItem(item, ignoreBounds=True)
                lane.reads(one.label, item)
        keys = [Key(one.label, role, drawing) for one, (role, _, drawing) in zip(drawn, styles, strict=True)]
        self.curves.head.show_head(tr("Temperature, {}", unit), keys)
        self.rates.head.show_head(tr("Rate of rise, {}/min", unit), (), tr("minutes from the charge"))
        self.curves.time_span(min(float(one.x[0]) for one in drawn), max(float(one.x[-1]) for one in drawn))
        beans = np.concatenate([one.bean[np.isfinite(one.bean)] for one in drawn])
        self.curves.level_span(float(beans.min()) - 5.0, float(beans.max()) + 8.0)
        risen = np.concatenate([one.rate[np.isfinite(one.rate)] for one in drawn])
        self.rates.level_span(0.0, 1.1 * float(max(risen.max(initial=1.0), 1.0)))

    def _edit_row(self, number: int, edit: Expected) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(edit.words, "", wrap=True), 1)
        take = button(tr("Take it"), tr("Into a new version of the plan"), primary=number == 1)
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
