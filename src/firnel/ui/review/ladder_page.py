"""Ladders: score and colour against development, the fit, the window, and the plan that is chosen from it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen
from firnel.ui.shared.parts import FigureGrid, button, card, label
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.review.ladder_reading import LadderRead, ladder_names, plan_of_ladder, read_ladder


class LadderPage(QWidget):
    """Reads one ladder."""

    plan_wanted = pyqtSignal(object)  # Plan, not yet kept

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self.read: LadderRead | None = None
        self.background = Background(self, self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        self.name = QComboBox()
        self.name.setAccessibleName(tr("Ladder"))
        self.take = button(tr("Plan with the best"), tr("A plan whose development is the best of the ladder"), primary=True)
        self.take.clicked.connect(self._on_take)
        row.addWidget(self.name)
        row.addStretch(1)
        row.addWidget(self.take)
        column.addLayout(row)
        self.scores, self.colours = Lane(look, "card"), Lane(look, "lane", with_time=True)
        self.colours.setFixedHeight(150)
        self.colours.plot.setXLink(self.scores.plot)
        self.scores.setAccessibleName(tr("Cup score over development"))
        self.colours.setAccessibleName(tr("Colour over development"))
        self.glance = Glance((self.scores, self.colours), places=self._places)
        column.addWidget(self.scores, 1)
        column.addWidget(self.colours)
        frame, inside = card(spacing=3)
        self.words = label("", "heading", wrap=True)
        self._rows = FigureGrid(small=True, spacing=24, beside=True)
        inside.addWidget(self.words)
        inside.addWidget(self._rows)
        column.addWidget(frame)
        self.name.currentIndexChanged.connect(self._read)
        look.changed.connect(self._draw)

    def refresh(self) -> None:
        """Read the ladders anew."""
        chosen = self.name.currentText()
        self.name.blockSignals(True)
        self.name.clear()
        self.name.addItems(self._desk.ask(ladder_names))
        self.name.setCurrentIndex(max(self.name.findText(chosen), 0))
        self.name.blockSignals(False)
        self._read()

    def _read(self) -> None:
        name, ask = self.name.currentText(), self._desk.ask
        if name:
            self.background.run("ladder", lambda: ask(read_ladder, name), self.show_ladder)

    def _say(self, sentence: str) -> None:
        self.words.setText(sentence)

    def show_ladder(self, read: LadderRead) -> None:
        """Show this ladder."""
        self.read = read
        fit = read.fit
        cupped = int(np.isfinite(read.scores).sum())
        if fit is None:
            self.words.setText(
                tr("{} of {} rungs are cupped: four of three different heights make a fit.", cupped, len(read.lines))
            )
        else:
            told = fit.words
            if fit.best is not None and fit.best_low is not None and fit.best_high is not None:
                told += tr(" Best at {} (80 %: {} to {})", clock(fit.best), clock(fit.best_low), clock(fit.best_high))
            if fit.window is not None:
                told += tr(", as good from {} to {}.", clock(fit.window[0]), clock(fit.window[1]))
            self.words.setText(told)
        self.take.setEnabled(fit is not None and fit.best is not None)
        rows: list[tuple[str, ...]] = [("*batch", "development", "ground", "cup")]
        for index in np.argsort(read.heights)[:9]:
            colour, score = read.colours[index], read.scores[index]
            rows.append(
                (
                    read.lines[index].label,
                    clock(float(read.heights[index])),
                    tr("{:.1f}", colour) if np.isfinite(colour) else "–",
                    tr("{:.2f}", score) if np.isfinite(score) else "–",
                )
            )
        self._rows.show_rows(rows)
        self._draw()

    def _draw(self) -> None:
        for lane in (self.scores, self.colours):
            lane.clear()
        read = self.read
        if read is None or not len(read.lines):
            return
        palette, fit = self._look.palette, read.fit
        if fit is not None:
            edges = [pg.PlotCurveItem(fit.x, values) for values in (fit.low, fit.high)]
            band = pg.FillBetweenItem(*edges, brush=pg.mkBrush(palette.lane))
            for item in (*edges, band):
                self.scores.plot.addItem(item, ignoreBounds=True)
            mean = pg.PlotCurveItem(fit.x, fit.mean, pen=line_pen(palette.ink, 2.0))
            self.scores.plot.addItem(mean, ignoreBounds=True)
            self.scores.reads("fit", mean, says="{:.2f}".format)
            if fit.window is not None:
                brush = pg.mkColor(palette.moss_band)
                brush.setAlpha(120)
                region = pg.LinearRegionItem(fit.window, "vertical", brush=brush, pen=pg.mkPen(None), movable=False)
                region.setZValue(-10)
                self.scores.plot.addItem(region, ignoreBounds=True)
        for lane, values, colour in ((self.scores, read.scores, palette.plum), (self.colours, read.colours, palette.ember)):
            known = np.flatnonzero(np.isfinite(values))[np.argsort(read.heights[np.isfinite(values)])]
            dots = pg.ScatterPlotItem(read.heights[known], values[known], size=11, brush=colour, pen=palette.card)
            lane.plot.addItem(dots, ignoreBounds=True)
            lane.reads("batches", dots, says="{:.2f}".format if lane is self.scores else "{:.1f}".format)
            if known.size:
                room = max(0.2 * float(np.ptp(values[known])), 0.8)
                lane.level_span(float(values[known].min()) - room, float(values[known].max()) + room)
        self.scores.head.show_head(
            tr("Cup score, points"), (Key("batches", "plum", "spot"), Key("fit", "ink"), Key("window", "moss_band", "band"))
        )
        self.colours.head.show_head(
            tr("Colour ground, {}", self._desk.settings.units.colour),
            (Key("batches", "ember", "spot"),),
            tr("development time, min:s"),
        )
        self.scores.time_span(float(read.heights.min()) - 6.0, float(read.heights.max()) + 6.0)

    def _places(self) -> list[float]:
        return [float(height) for height in self.read.heights] if self.read is not None else []

    def _on_take(self) -> None:
        read = self.read
        plan = self._desk.ask(plan_of_ladder, read.name) if read is not None else None
        if read is None or plan is None or read.fit is None or read.fit.best is None:
            return
        asked = {*plan.wanted.asked, "development_s"} - {"drop_c", "rise_c", "loss", "colour", "total_s", "ratio"}
        best = 5.0 * round(read.fit.best / 5.0)
        wanted = replace(plan, targets=replace(plan.targets, development_s=best), asked=tuple(asked))
        self.plan_wanted.emit(wanted)
