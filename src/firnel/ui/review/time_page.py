"""Over time: a control chart of one figure, capability, what moved with it, and how well each plan is kept."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import clock
from firnel.core.words import capital, tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen
from firnel.ui.shared.parts import FigureGrid, card, label
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.review.over_time import CHARTED, CHOSEN_BY, OverTime, Replication, choices, over_time, replication


class TimePage(QWidget):
    """Charts of many batches."""

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self.told: OverTime | None = None
        self.background = Background(self, self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        self.figure, self.by, self.name = QComboBox(), QComboBox(), QComboBox()
        for name, words, _ in CHARTED:
            self.figure.addItem(words, name)
        for by in CHOSEN_BY:
            self.by.addItem(tr("by {}", tr(by)), by)
        for box, name in ((self.figure, tr("Figure")), (self.by, tr("Chosen by")), (self.name, tr("Which"))):
            box.setAccessibleName(name)
            row.addWidget(box)
        row.addStretch(1)
        column.addLayout(row)
        self.values, self.moving = Lane(look, "card"), Lane(look, "lane", with_time=True)
        self.moving.setFixedHeight(124)
        self.moving.plot.setXLink(self.values.plot)
        self.values.setAccessibleName(tr("Control chart"))
        self.moving.setAccessibleName(tr("Steps from batch to batch"))
        self.glance = Glance((self.values, self.moving), when=self._when, places=self._places)
        column.addWidget(self.values, 1)
        column.addWidget(self.moving)
        frame, inside = card(spacing=3)
        self.words, self.drift = label("", "heading", wrap=True), label("", "", wrap=True)
        inside.addWidget(self.words)
        inside.addWidget(self.drift)
        column.addWidget(frame)
        kept, kept_column = card(spacing=2)
        kept_column.addWidget(label(tr("How well each plan is kept: browning, development and drop"), "heading", wrap=True))
        self._kept = FigureGrid(small=True, spacing=24, beside=True)
        kept_column.addWidget(self._kept)
        column.addWidget(kept)
        self.by.currentIndexChanged.connect(self._offer)
        for box in (self.figure, self.name):
            box.currentIndexChanged.connect(self._chart)
        look.changed.connect(self._draw)

    def refresh(self) -> None:
        """Read everything anew."""
        self._offer()
        ask = self._desk.ask
        self.background.run("kept", lambda: ask(replication), self._show_kept)

    def _offer(self) -> None:
        chosen = self.name.currentText()
        self.name.blockSignals(True)
        self.name.clear()
        self.name.addItems(self._desk.ask(choices, self.by.currentData()))
        self.name.setCurrentIndex(max(self.name.findText(chosen), 0))
        self.name.blockSignals(False)
        self._chart()

    def _chart(self) -> None:
        figure, by, name, ask = (
            self.figure.currentData(),
            self.by.currentData(),
            self.name.currentText(),
            self._desk.ask,
        )
        self.background.run("chart", lambda: ask(over_time, figure, by, name), self.show_chart)

    def _say(self, sentence: str) -> None:
        self.words.setText(sentence)

    def show_chart(self, told: OverTime | None) -> None:
        """Show this chart; None where there are too few batches."""
        self.told = told
        if told is None:
            self.words.setText(tr("Fewer than two batches have this figure: nothing to chart yet."))
            self.drift.setText("")
        else:
            self.words.setText(self._verdict(told))
            moved = ", ".join(
                tr("{} ({} it, {:.2f})", one.words, tr("with") if one.rho > 0 else tr("against"), abs(one.rho))
                for one in told.candidates
            )
            self.drift.setText(
                tr("Moved with it, which is no proof: {}.", moved) if moved else tr("Nothing known moved with it.")
            )
        self._draw()

    def _verdict(self, told: OverTime) -> str:
        count, signals = len(told.lines), told.chart.signals
        several = tr("one signal, at") if len(signals) == 1 else tr("{} signals, the first at", len(signals))
        state = tr("in control") if not signals else f"{several} {told.lines[signals[0].index].label}"
        words = tr("{} of {} batches: {}", capital(told.words), count, state)
        if signals:
            words += f" ({signals[0].words})"
        return f"{words}. {told.capability.words}" if told.capability is not None else f"{words}."

    def _shown(self, values: np.ndarray, unit: str) -> np.ndarray:
        units = self._desk.settings.units
        if unit == "°C":
            return np.asarray(values * units.show_difference(1.0) + units.show(0.0, "°C"))
        return np.asarray(100.0 * values if unit == "share" else values)

    def _draw(self) -> None:
        for lane in (self.values, self.moving):
            lane.clear()
        told = self.told
        if told is None:
            return
        palette, chart = self._look.palette, told.chart
        values = self._shown(chart.values, told.unit)
        x = np.arange(values.size, dtype=float)
        low, centre, high = self._shown(np.array([chart.low, chart.centre, chart.high]), told.unit)
        item = self.values.plot
        if told.wanted is not None and told.tolerance is not None:
            edges = self._shown(np.array([told.wanted - told.tolerance, told.wanted + told.tolerance]), told.unit)
            band = pg.LinearRegionItem(
                edges, "horizontal", brush=pg.mkBrush(palette.moss_band), pen=pg.mkPen(None), movable=False
            )
            band.setZValue(-10)
            item.addItem(band, ignoreBounds=True)
        for level, style in ((low, Qt.PenStyle.DashLine), (centre, Qt.PenStyle.SolidLine), (high, Qt.PenStyle.DashLine)):
            item.addItem(pg.InfiniteLine(level, angle=0, pen=line_pen(palette.soft, 1.2, style)), ignoreBounds=True)
        many = values.size > 400
        line = pg.PlotCurveItem(x, values, pen=pg.mkPen(palette.ink, width=1.0), antialias=not many)
        item.addItem(line, ignoreBounds=True)
        self.values.reads("batches", line, says=lambda value: self._figure(value, told.unit))
        if not many:
            item.addItem(pg.ScatterPlotItem(x, values, size=7, brush=palette.ink, pen=None), ignoreBounds=True)
        fired = np.array([signal.index for signal in chart.signals], int)
        marks = pg.ScatterPlotItem(x[fired], values[fired], size=13, symbol="d", brush=palette.ember, pen=palette.card)
        item.addItem(marks, ignoreBounds=True)
        moving = chart.moving_range * (self._desk.settings.units.show_difference(1.0) if told.unit == "°C" else 1.0)
        moving = moving * (100.0 if told.unit == "share" else 1.0)
        steps = pg.PlotCurveItem(x[1:], moving, pen=pg.mkPen(palette.plum, width=1.4))
        self.moving.plot.addItem(steps, ignoreBounds=True)
        self.moving.reads("step", steps)
        self.values.time_span(-0.5, values.size - 0.5)
        inside = (float(min(values.min(), low)), float(max(values.max(), high)))
        room = 0.06 * max(inside[1] - inside[0], 1e-6)
        self.values.level_span(inside[0] - room, inside[1] + room)
        self.moving.level_span(0.0, 1.1 * float(moving.max()) + 1e-9)
        self._label_axis(told)
        self._show_heads(told, (low, centre, high), float(moving.mean()))

    def _show_heads(self, told: OverTime, levels: tuple[float, float, float], range_mean: float) -> None:
        """What is charted, with its limits, mean and capability as figures."""
        low, centre, high = (self._figure(level, told.unit) for level in levels)
        unit = {"s": "min:s", "share": "%", "°C": self._desk.settings.units.temperature}.get(told.unit, told.unit)
        keys = [Key("batches"), Key(tr("mean {}", centre), "soft"), Key(tr("limits {} to {}", low, high), "soft", "dash")]
        if told.wanted is not None:
            keys.append(Key("tolerance", "moss_band", "band"))
        capable = told.capability
        right = tr("Cp {:.2f}, Cpk {:.2f}", capable.cp, capable.cpk) if capable is not None else ""
        self.values.head.show_head(f"{capital(told.words)}, {unit}", keys, right)
        step, mean = "s" if told.unit == "s" else unit, tr("mean {:.1f}, batches in time order", range_mean)
        self.moving.head.show_head(tr("From batch to batch, {}", step), (Key("step", "plum"),), mean)

    def _places(self) -> range:
        return range(len(self.told.lines)) if self.told is not None else range(0)

    def _when(self, x: float) -> str:
        return self.told.lines[round(x)].label if self.told is not None else ""

    def _figure(self, level: float, unit: str) -> str:
        return clock(level) if unit == "s" else tr("{:.1f}", level)

    def _label_axis(self, told: OverTime) -> None:
        every = max(1, len(told.lines) // 10)
        ticks = [(float(index), told.lines[index].label) for index in range(0, len(told.lines), every)]
        for lane in (self.values, self.moving):
            lane.plot.getPlotItem().getAxis("bottom").setTicks([ticks])
        axis = self.values.plot.getPlotItem().getAxis("left")
        if told.unit == "s":
            axis.tickStrings = lambda values, _scale, _spacing: [clock(value) for value in values]
        else:
            axis.tickStrings = lambda values, _scale, _spacing: [tr("{:.1f}", value) for value in values]

    def _show_kept(self, rows: list[Replication]) -> None:
        shown: list[tuple[str, ...]] = [("*plan", "batches", tr("all in tolerance"), tr("development ±"), tr("drop ±"))]
        for one in rows[:8]:
            drop = "–" if one.drop_sd is None else tr("{:.1f}", self._desk.settings.units.show_difference(one.drop_sd))
            development = "–" if one.development_sd is None else tr("{:.0f} s", one.development_sd)
            shown.append((one.plan, str(one.batches), tr("{:.0f} %", 100 * one.kept), development, drop))
        self._kept.show_rows(shown)
