"""What Firnel foretold of a machine and what came: a table of kinds of statement, and one kind batch by batch."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.model.learning import MachineModel
from firnel.core.model.score import all_muted, untold
from firnel.core.model.statements import FEWEST, GOOD, Foretold, Record, Statement, records
from firnel.core.words import meant, tr
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane
from firnel.ui.shared.parts import FigureGrid, card, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.desk import Desk


class RecordPage(QWidget):
    """Shows the record of one machine."""

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self._score: tuple[Foretold, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        frame, inside = card(spacing=4)
        inside.addWidget(label(tr("What was foretold, and what came"), "heading"))
        self._words = label("", "", wrap=True)
        inside.addWidget(self._words)
        self._table = FigureGrid(spacing=16)
        inside.addWidget(self._table)
        column.addWidget(frame)
        chart, room = card()
        row = QHBoxLayout()
        row.addWidget(label(tr("Batch by batch"), "heading"))
        self._which = QComboBox()
        self._which.setAccessibleName(tr("Statement to chart"))
        for statement in Statement:
            self._which.addItem(tr(statement.value), statement)
        self._which.setCurrentIndex(list(Statement).index(Statement.CRACK))
        self._which.currentIndexChanged.connect(self._draw)
        row.addWidget(self._which)
        row.addStretch(1)
        room.addLayout(row)
        self._lane = Lane(look, "card", with_time=True)
        self._lane.setObjectName("bare")  # it lies in a card already
        self._lane.setAccessibleName(tr("How far off, batch by batch"))
        room.addWidget(self._lane, 1)
        self.glance = Glance((self._lane,), when=self._when, places=lambda: range(len(self._charted())))
        column.addWidget(chart, 1)
        look.changed.connect(self._draw)

    def show_model(self, model: MachineModel) -> None:
        """Show the record of a machine's model."""
        self._score = model.score
        known = records(model.score)
        silent = all_muted(model)
        said = [
            silent
            or tr(
                "Each batch as it would have been forecast by a model that had not seen it: half of all lie nearer than “off”, "
                "and eight in ten are meant to lie within “said”."
            )
        ]
        for statement in (Statement.STEEL, Statement.LOSS, Statement.COLOUR):
            if why := untold(model, statement):
                said.append(tr("Not told yet: {}. {}", statement.value.partition(",")[0], why))
        self._words.setText("\n".join(said))
        rows: list[tuple[str, ...]] = [("*statement", "batches", meant("verdict", "off"), "said", "held")]
        self._table.show_rows(rows + [self._row(one) for one in known])
        self._draw()

    def _row(self, one: Record) -> tuple[str, ...]:
        if one.count == 0:
            return (one.statement.value, tr("none yet"), "–", "–", "–")
        return (
            one.statement.value,
            str(one.count),
            self._figure(one.off, one.statement),
            f"± {self._figure(one.said, one.statement)}",
            tr("{} of {}", one.held, one.count),
        )

    def _figure(self, value: float, statement: Statement) -> str:
        if statement.unit != "°C":
            return tr("{:.0f} s", value) if statement.unit == "s" else tr("{:.1f} {}", value, statement.unit)
        units = self._desk.settings.units
        return tr("{:.1f} {}", units.show_difference(value), units.temperature)

    def _charted(self) -> list[Foretold]:
        return [one for one in self._score if one.statement == self._which.currentData()]

    def _when(self, x: float) -> str:
        charted = self._charted()
        if not charted:
            return ""
        one = charted[round(x)]
        return tr("{}: {:+.1f}, said ± {:.1f}", one.label, self._shown * one.off, self._shown * one.half)

    @property
    def _shown(self) -> float:
        """One unit of the charted statement, as it is shown."""
        return self._desk.settings.units.show_difference(1.0) if self._which.currentData().unit == "°C" else 1.0

    def _draw(self) -> None:
        item = self._lane.plot.getPlotItem()
        self._lane.clear()
        statement: Statement = self._which.currentData()
        own = self._charted()
        palette, units = self._look.palette, self._desk.settings.units
        by = self._shown
        off = by * np.array([one.off for one in own])
        half = by * np.array([one.half for one in own])
        x = np.arange(off.size, dtype=np.float64)
        inside = np.abs(off) <= half
        if off.size:
            bars = pg.ErrorBarItem(x=x, y=0.0 * x, height=2.0 * half, beam=0.28, pen=pg.mkPen(palette.soft, width=1.6))
            item.addItem(bars, ignoreBounds=True)
            item.addItem(pg.InfiniteLine(0.0, angle=0, pen=pg.mkPen(palette.soft, width=1.0)), ignoreBounds=True)
            for chosen, colour, symbol in ((inside, palette.moss, "o"), (~inside, palette.ember, "d")):
                spots = pg.ScatterPlotItem(x[chosen], off[chosen], size=11, symbol=symbol, brush=colour, pen=palette.card)
                item.addItem(spots, ignoreBounds=True)
        reach = 1.15 * float(max(np.max(np.abs(off)), np.max(half))) if off.size else by * GOOD[statement]
        self._lane.level_span(-reach, reach)
        self._lane.time_span(-0.6, max(off.size, FEWEST) - 0.4)
        item.getAxis("bottom").setTicks([[(float(index), one.label) for index, one in enumerate(own)]])
        item.getAxis("left").tickStrings = lambda values, _scale, _spacing: [
            tr("{:+.0f}", value) if value else "0" for value in values
        ]
        unit = units.temperature if statement.unit == "°C" else statement.unit
        keys = (Key(tr("said ±"), "soft"), Key("held", "moss", "spot"), Key(tr("did not hold"), "ember", "diamond"))
        came = {"s": tr("Came later"), "%": tr("Lost more"), "points": tr("Read lighter")}.get(
            statement.unit, tr("Read hotter")
        )
        self._lane.head.show_head(tr("{} than said, {}", came, unit), keys, tr("batches in time order"))
