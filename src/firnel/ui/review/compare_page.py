"""Compare: any batches over each other, what they differ by along the roast, moves against moves, and the table."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from firnel.core.review.comparison import ALIGNMENTS, STAGES
from firnel.core.units import clock
from firnel.core.vocabulary import Role, usual_role
from firnel.core.words import capital, meant, tr
from firnel.ui.shared.actions import give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import LEAST_LANE, Lane, line_pen
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.shared.report_button import report_button
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.review.compare_picture import ComparePicture, Drawn, compare
from firnel.work.review.reports import Report, comparison_report

#: Beyond this many batches the others are drawn thin and alike.
FEW = 6
#: How the batches are told apart: all are bean curves, so all are ink, dark or pale; and that in words.
BEANS = (("ink", "line"), ("soft", "dash"), ("soft", "dots"), ("ink", "dash"), ("ink", "dots"), ("soft", "line"))
DRAWN = (tr("solid"), tr("dashed"), tr("dotted"), tr("dark, dashed"), tr("dark, dotted"), tr("pale, solid"))
STYLES = {"line": Qt.PenStyle.SolidLine, "dash": Qt.PenStyle.DashLine, "dots": Qt.PenStyle.DotLine}


STAGE_NAMES = tr("drying"), tr("browning"), tr("development")
#: Heading of what differs.
BY = meant("difference", "by")
#: So many batches have room in the table; the differences are smoothed over so many points.
MOST_COLUMNS, SMOOTH = 3, 13


def _table(first: str, tables: tuple[tuple[str, tuple[tuple[str, str, str, str, str], ...]], ...]) -> list[tuple[str, ...]]:
    """One row for each figure: what the first batch has, then of each other its value, the difference and a word."""
    names = list(dict.fromkeys(row[0] for _, rows in tables for row in rows))
    shown: list[tuple[str, ...]] = [("*", first, *(text for label_, _ in tables for text in (label_, BY, "")))]
    for name in names:
        found = [next((row for row in rows if row[0] == name), None) for _, rows in tables]
        wanted = next((row[1] for row in found if row is not None), "–")
        shown.append((name, wanted, *(text for row in found for text in (row[2:] if row is not None else ("–", "", "")))))
    return shown


class ComparePage(QWidget):
    """Batches are added from the list; the first is what the others are held against."""

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self.keys: list[int] = []
        self._candidate: int | None = None
        self._picture: ComparePicture | None = None
        self.background = Background(self, self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(self._head())
        self.top, self.less, self.hands = Lane(look, "card"), Lane(look, "lane"), Lane(look, "lane", with_time=True)
        self.less.setFixedHeight(126)
        self.hands.setFixedHeight(126)
        for lane in (self.less, self.hands):
            lane.plot.setXLink(self.top.plot)
        self.hands.plot.getPlotItem().getAxis("left").setStyle(showValues=False)
        self.glance = Glance((self.top, self.less, self.hands), when=self._when)
        for lane, name in (
            (self.top, tr("Batches laid over each other")),
            (self.less, tr("Difference of the bean probe")),
            (self.hands, tr("Moves")),
        ):
            lane.setAccessibleName(name)
            column.addWidget(lane, 1 if lane is self.top else 0)
        self.top.setMinimumHeight(LEAST_LANE)
        frame, inside = card(spacing=2)
        self._against = label("", "heading")
        inside.addWidget(self._against)
        area, within = QScrollArea(), QWidget()
        area.setAccessibleName(tr("Figures against the first batch"))
        area.setObjectName("bare")
        area.setWidgetResizable(True)
        area.setMinimumHeight(120)
        self._table = FigureGrid(small=True, spacing=18, beside=True)
        inner = QVBoxLayout(within)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self._table)
        inner.addStretch(1)
        area.setWidget(within)
        inside.addWidget(area)
        frame.setMaximumHeight(250)
        column.addWidget(frame)
        look.changed.connect(self._draw)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.add, self.clear = button(tr("Add the chosen batch")), button(tr("Clear"))
        give_key(self.add, "compare")
        self.at = QComboBox()
        self.at.setAccessibleName(tr("Aligned at"))
        for name in ALIGNMENTS:
            self.at.addItem(tr("stage by stage") if name == STAGES else tr("at {}", tr(name.replace("_", " "))), name)
        self.of = QComboBox()
        self.of.setAccessibleName(tr("Difference of"))
        for name, words in (("bean", tr("by bean")), ("air", tr("by air")), ("rate", tr("by rate"))):
            self.of.addItem(words, name)
        self.of.currentIndexChanged.connect(self._draw)
        self._said = ElidedLabel("soft")
        self.add.clicked.connect(self.add_chosen)
        self.clear.clicked.connect(self.clear_all)
        self.at.currentIndexChanged.connect(self.refresh)
        for widget in (self.add, self.clear, self.at, self.of):
            row.addWidget(widget)
        row.addWidget(self._said, 1)
        row.addWidget(report_button(self._report, self._say))
        return row

    def choose(self, key: int) -> None:
        """This batch is chosen in the list; the first one is compared at once."""
        self._candidate = key
        if not self.keys:
            self.keys = [key]

    def add_chosen(self) -> None:
        """Compare the chosen batch too."""
        if self._candidate is not None and self._candidate not in self.keys:
            self.keys.append(self._candidate)
            self.refresh()

    def clear_all(self) -> None:
        """Begin anew with the chosen batch."""
        self.keys = [self._candidate] if self._candidate is not None else []
        self.refresh()

    def refresh(self) -> None:
        """Work it out in the background, and draw it."""
        keys, at, units, ask = tuple(self.keys), self.at.currentData(), self._desk.settings.units, self._desk.ask
        if keys:
            self.background.run("compare", lambda: ask(compare, keys, at, units), self.show_picture)

    def _report(self) -> Callable[[], Report] | None:
        if not self.keys:
            return None
        return partial(self._desk.ask, comparison_report, tuple(self.keys), self.at.currentData(), self._desk.settings.units)

    def _say(self, sentence: str) -> None:
        self._said.show_text(sentence)

    def show_picture(self, picture: ComparePicture) -> None:
        """Draw this comparison."""
        self._picture = picture
        self._draw()
        if not picture.drawn:
            self._say(" ".join(picture.complaints))
            return
        first = picture.drawn[0].label
        few = picture.drawn if len(picture.drawn) <= FEW else picture.drawn[:1]
        self.top.setAccessibleDescription(", ".join(f"{one.label} {DRAWN[index]}" for index, one in enumerate(few)))
        many = tr("{} batches against {}", len(picture.drawn), first) if len(picture.drawn) > FEW else ""
        self._say(" ".join(picture.complaints) or many)
        alone = tr("Batch {} alone: choose another in the list, and add it with {compare}.", first)
        self._against.setText(tr("Against {}", first) if len(picture.drawn) > 1 else alone)
        self._table.show_rows(_table(first, picture.tables[:MOST_COLUMNS]) if picture.tables else ())

    def _pen(self, index: int, width: float, role: str = "") -> object:
        """Of one batch; a bean curve where no other ``role`` gives the colour."""
        own, style = BEANS[index]
        return line_pen(getattr(self._look.palette, role or own), width if index == 0 else 0.8 * width, STYLES[style])

    def _corridor(self, picture: ComparePicture) -> None:
        """The band about the first batch, and about no difference at all."""
        base, brush = picture.drawn[0], pg.mkBrush(self._look.palette.moss_band)
        edges = [pg.PlotCurveItem(base.x, base.bean + side * picture.corridor) for side in (-1.0, 1.0)]
        band = pg.FillBetweenItem(*edges, brush=brush)
        band.setZValue(-10)
        self.top.plot.addItem(band, ignoreBounds=True)
        if self.of.currentData() == "bean":
            level = (-picture.corridor, picture.corridor)
            flat = pg.LinearRegionItem(level, "horizontal", brush=brush, pen=pg.mkPen(None), movable=False)
            flat.setZValue(-10)
            self.less.plot.addItem(flat, ignoreBounds=True)

    def _crowd(self, drawn: tuple[Drawn, ...]) -> None:
        """All the others as one faint line with gaps: so many lines of their own could not be panned."""
        gap = np.array([np.nan])
        x = np.concatenate([part for one in drawn for part in (one.x, gap)])
        y = np.concatenate([part for one in drawn for part in (one.bean, gap)])
        faint = QColor(self._look.palette.soft)
        faint.setAlpha(90)
        item = pg.PlotCurveItem(x, y, pen=pg.mkPen(faint, width=1), connect="finite", antialias=False)
        self.top.plot.addItem(item, ignoreBounds=True)

    def _draw(self) -> None:
        picture = self._picture
        for lane in (self.top, self.less, self.hands):
            lane.clear()
        if picture is None or not picture.drawn:
            return
        palette, count = self._look.palette, len(picture.drawn)
        if count > FEW:
            self._crowd(picture.drawn[1:])
        for index, one in reversed(list(enumerate(picture.drawn[: FEW if count <= FEW else 1]))):
            if one.air.size:
                self._curve(self.top, one.x, one.air, self._pen(index, 1.4, "slate"))
            bean = self._curve(self.top, one.x, one.bean, self._pen(index, 2.6))
            self.top.reads(one.label, bean)
            self._steps(one, index)
        self._corridor(picture)
        for index, gap in enumerate(picture.differences, start=1):
            calm = np.convolve(getattr(gap, self.of.currentData()), np.ones(SMOOTH) / SMOOTH, "valid")
            x = gap.x[SMOOTH // 2 : SMOOTH // 2 + calm.size]
            gap_line = self._curve(self.less, x, calm, self._pen(index if count <= FEW else FEW - 1, 2.4))
            if index < len(picture.drawn) <= FEW:
                self.less.reads(picture.drawn[index].label, gap_line, says="{:+.1f}".format)
        self.less.plot.addItem(pg.InfiniteLine(0.0, angle=0, pen=line_pen(palette.soft, 1.0)), ignoreBounds=True)
        for lane in (self.top, self.less, self.hands) if picture.stages else ():
            for border in range(1, len(STAGE_NAMES)):
                pen = line_pen(palette.soft, 1.0, Qt.PenStyle.DotLine)
                lane.plot.addItem(pg.InfiniteLine(border, angle=90, pen=pen), ignoreBounds=True)
        self._span(picture)

    def _curve(self, lane: Lane, x: np.ndarray, y: np.ndarray, pen: object) -> pg.PlotCurveItem:
        item = pg.PlotCurveItem(x, y, pen=pen, connect="finite", antialias=len(x) < 300)
        lane.plot.addItem(item, ignoreBounds=True)
        return item

    def _when(self, x: float) -> str:
        """A place on the axis: a time from where they are aligned, or how far into a stage."""
        if self._picture is None or not self._picture.stages:
            return clock(x)
        stage = min(max(int(x), 0), len(STAGE_NAMES) - 1)
        return tr("{:.0f} % of {}", 100.0 * (x - stage), STAGE_NAMES[stage])

    def _steps(self, one: Drawn, index: int) -> None:
        for control, values in one.controls.items():
            role = usual_role(control)
            if role is Role.MOTION:
                continue
            top, level = max(float(np.nanmax(values)), 1e-9), float(role is Role.HEAT)  # all heat above, all air below
            pen = self._pen(index, 2.0, "ember" if role is Role.HEAT else "slate")
            self._curve(self.hands, one.x, level + 0.85 * values / top, pen)

    def _show_heads(self, picture: ComparePicture) -> None:
        unit = self._desk.settings.units.temperature
        names = [Key(one.label, *drawn) for one, drawn in zip(picture.drawn, BEANS, strict=False)]
        if len(picture.drawn) > FEW:
            names[1:] = [Key(tr("the others"), *BEANS[-1])]
        self.top.head.show_head(tr("Temperature, {}", unit), [*names, Key("air", "slate", "dash")])
        of = self.of.currentData()
        least = picture.drawn[0].label
        gap = (
            tr("Rate against {}, {}/min", least, unit)
            if of == "rate"
            else tr("{} against {}, {}", tr(capital(of)), least, unit)
        )
        self.less.head.show_head(gap, names[1:])
        over = tr("stage by stage") if picture.stages else tr("minutes from where they are aligned")
        self.hands.head.show_head(tr("Controls, share of their scale"), (Key("heat", "ember"), Key("airflow", "slate")), over)

    def _span(self, picture: ComparePicture) -> None:
        self._show_heads(picture)
        low = min(float(one.x[0]) for one in picture.drawn)
        high = max(float(one.x[-1]) for one in picture.drawn)
        axis = self.hands.plot.getPlotItem().getAxis("bottom")
        axis.setTicks([[(0.5 + index, name) for index, name in enumerate(STAGE_NAMES)]] if picture.stages else None)
        self.top.time_span(low, high)
        beans = np.concatenate([one.bean[np.isfinite(one.bean)] for one in picture.drawn])
        airs = [one.air[np.isfinite(one.air)] for one in picture.drawn] if len(picture.drawn) <= FEW else []
        highest = max([float(beans.max()), *(float(air.max()) for air in airs if air.size)])
        self.top.level_span(float(beans.min()) - 5.0, highest + 8.0)
        gaps = [gap[np.isfinite(gap)] for one in picture.differences for gap in (getattr(one, self.of.currentData()),)]
        reach = max([4.0, *(float(np.quantile(np.abs(gap), 0.98)) for gap in gaps if gap.size)])
        self.less.level_span(-1.15 * reach, 1.15 * reach)
        self.hands.level_span(-0.05, 2.0)
