"""Grams and water of a table, and the clock of the steep: when to break, skim and taste."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from firnel.core.cup.steep import OVER_S, recipe, steep_cue
from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.parts import button, label

TICK_MS = 250


class SteepCard(QWidget):
    """Shows one line: what the table takes, and once it is poured what is done now.

    Parameters
    ----------
    now : the clock. [s]
    heard : called when a step begins.
    """

    def __init__(self, now: Callable[[], float], heard: Callable[[], None]) -> None:
        super().__init__()
        self._now, self._heard = now, heard
        self._poured: float | None = None
        self._step = ""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        self.words, self.clock = label("", "heading"), label("", "bigFigure")
        self.pour = button(tr("Pour"), tr("Starts the clock of the steep; again to begin anew"))
        self.pour.clicked.connect(self.on_pour)
        row.addWidget(self.words, 1)
        row.addWidget(self.clock)
        row.addWidget(self.pour)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.tick)
        self._takes = ""

    def show_table(self, coffees: int, cups: int, ml: float, ratio: float) -> None:
        """Show what a table takes; a clock that runs goes on."""
        takes = recipe(coffees, cups, ml, ratio)
        of = tr("{} × {:.2f} g on {:g} mL each", cups, takes.cup_g, ml)
        self._takes = tr("{}: {:.1f} g of each coffee, {:.1f} L of water", of, takes.coffee_g, takes.water_l)
        self.tick()

    def on_pour(self) -> None:
        """The water is poured now."""
        self._poured, self._step = self._now(), ""
        self._timer.start(TICK_MS)
        self.tick()

    def tick(self) -> None:
        """Show the step that runs."""
        if self._poured is None or self._now() - self._poured > OVER_S:
            self._poured = None
            self._timer.stop()
            self.words.setText(self._takes)
            self.clock.setText("")
            return
        since = self._now() - self._poured
        cue = steep_cue(since)
        follows = tr(" · {} in {}", cue.following, clock(cue.left_s)) if cue.left_s is not None else ""
        self.words.setText(f"{cue.now}{follows}")
        self.clock.setText(clock(since))
        if cue.now != self._step:
            if self._step:
                self._heard()
            self._step = cue.now
