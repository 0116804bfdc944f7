"""The three lanes of the Roast view on one time axis: curves, rate of rise, hands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import LABEL_MARGIN, Lane, ground_label, line_pen, put_on_ground, room_of, thin_out
from firnel.ui.shared.ribbons import HandsLane, Ribbon
from firnel.ui.theme.look import Look, sans
from firnel.work.roast.picture import Curves, MarkLabel, RibbonPicture, RoastPicture

#: A word on the curve is so large, and its tick takes this share of the axis. [px]
LABEL_SIZE, TICK = 14, 0.055
#: A part of a batch that goes on is left so long after the last hand on it. [s]
BACK_S = 20.0
#: The lane of the rate of rise is so high, and no more than this share of all three; temperatures have so much at least. [px]
RATE_HEIGHT, RATE_SHARE, TOP_LEAST = 148, 0.28, 140


def with_room(levels: tuple[float, float], labels: Sequence[MarkLabel], tall_px: float) -> tuple[float, float]:
    """The levels of an axis that is so high, widened to whole tens so that no word on its curve is cut. [display units]

    Parameters
    ----------
    levels : lowest and highest that are wanted.
    labels : on the curve, above it and below.
    tall_px : height of the plot. [px]
    """
    word = QFontMetricsF(sans(LABEL_SIZE, QFont.Weight.DemiBold)).height() + LABEL_MARGIN
    share = TICK + word / max(tall_px, 3.0 * word)
    low, high = levels
    for _ in range(4):  # what a word takes grows with the axis
        room = share * (high - low)
        low = min([levels[0], *(10.0 * np.floor((one.level - room) / 10.0) for one in labels if one.below)])
        high = max([levels[1], *(10.0 * np.ceil((one.level + room) / 10.0) for one in labels if not one.below)])
    return float(low), float(high)


def as_ribbon(picture: RibbonPicture) -> Ribbon:
    """A ribbon to draw."""
    return Ribbon(
        picture.name, picture.unit, picture.role, picture.top, picture.done, picture.planned, picture.digits, picture.factor
    )


class RoastCurves(QWidget):
    """Draws the curves of a `RoastPicture`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._top = Lane(look, "card")
        self._rate = Lane(look, "lane", with_time=True)
        self._top.setMinimumHeight(TOP_LEAST)
        self._rate.setFixedHeight(RATE_HEIGHT)
        self._rate.plot.setXLink(self._top.plot)
        self._hands = HandsLane(look, self._top)
        self._hands.take_room(140)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._top, 1)
        column.addWidget(self._rate)
        column.addWidget(self._hands)
        self._labels: list[pg.TextItem] = []
        self._ticks: list[pg.PlotCurveItem] = []
        self._shown_labels: tuple[object, ...] = ()
        self._shown_plan: tuple[float, ...] | None = None
        self._picture: RoastPicture | None = None
        self._make_items()
        self._top.plot.getPlotItem().getViewBox().sigResized.connect(self._make_room)
        self.glance = Glance((self._top, self._rate), self._hands, back_s=BACK_S)
        look.changed.connect(self._dress)
        self._dress()
        self._top.setAccessibleName(tr("Bean and air temperature over time"))
        self._rate.setAccessibleName(tr("Rate of rise over time"))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """On a low screen the rate of rise leaves the temperatures room."""
        super().resizeEvent(event)
        self._rate.setFixedHeight(min(RATE_HEIGHT, int(RATE_SHARE * self.height())))

    def set_far(self, far: bool) -> None:
        """Only the curves themselves, for three metres."""
        self._rate.setVisible(not far)
        self._hands.setVisible(not far)

    def _make_items(self) -> None:
        top, rate = self._top.plot, self._rate.plot
        self._plan_low, self._plan_high = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._corridor = pg.FillBetweenItem(self._plan_low, self._plan_high)
        self._reference = pg.PlotCurveItem(connect="finite")
        self._air = pg.PlotCurveItem(connect="finite")
        self._bean = pg.PlotCurveItem(connect="finite")
        self._dot = pg.ScatterPlotItem(size=12, pen=None)
        self._now = [pg.InfiniteLine(angle=90), pg.InfiniteLine(angle=90)]
        self._fan_edges = [pg.PlotCurveItem(), pg.PlotCurveItem()]
        self._fan, self._middle = pg.FillBetweenItem(*self._fan_edges), pg.PlotCurveItem()
        for item in (self._fan, self._corridor, self._reference, self._air, self._middle, self._bean, self._now[0], self._dot):
            top.addItem(item, ignoreBounds=True)
        self._rate_low, self._rate_high = pg.PlotCurveItem(connect="finite"), pg.PlotCurveItem(connect="finite")
        self._rate_band = pg.FillBetweenItem(self._rate_low, self._rate_high)
        self._rate_plan = pg.PlotCurveItem(connect="finite")
        self._rate_line = pg.PlotCurveItem(connect="finite")
        for item in (self._rate_band, self._rate_plan, self._rate_line, self._now[1]):
            rate.addItem(item, ignoreBounds=True)
        self._top.reads("bean", self._bean)
        self._top.reads("air", self._air)
        self._top.reads(tr("plan corridor"), self._plan_low, self._plan_high, says="{:.0f}".format)
        self._top.reads("reference", self._reference)
        self._rate.reads("bean", self._rate_line)
        self._rate.reads("plan", self._rate_plan)

    def _dress(self) -> None:
        palette = self._look.palette
        self._bean.setPen(line_pen(palette.ink, 3))
        self._air.setPen(line_pen(palette.slate, 1.8, Qt.PenStyle.DashLine))
        self._reference.setPen(line_pen(palette.soft, 1.2))
        self._corridor.setBrush(pg.mkBrush(palette.moss_band))
        self._dot.setBrush(pg.mkBrush(palette.ink))
        fan = pg.mkColor(palette.ink)
        fan.setAlpha(46)
        self._fan.setBrush(pg.mkBrush(fan))
        self._middle.setPen(line_pen(palette.ink, 1.6, Qt.PenStyle.DotLine))
        for line in self._now:
            line.setPen(line_pen(palette.soft, 1))
        self._rate_line.setPen(line_pen(palette.plum, 2.4))
        self._rate_plan.setPen(line_pen(palette.moss, 1.4, Qt.PenStyle.DashLine))
        band = pg.mkColor(palette.plum)
        band.setAlpha(45)
        self._rate_band.setBrush(pg.mkBrush(band))
        self._shown_labels = ()

    def show_picture(self, picture: RoastPicture) -> None:
        """Draw this picture."""
        curves = picture.curves
        t, bean, air, rate, sd = thin_out(curves.t, curves.bean, curves.air, curves.rate, curves.rate_sd)
        inside = t >= picture.span[0]
        t, bean, air, rate, sd = (column[inside] for column in (t, bean, air, rate, sd))
        self._bean.setData(t, bean)
        self._air.setData(t, air)
        self._reference.setData(*thin_out(curves.reference_t, curves.reference))
        self._show_plan(curves)
        for item, values in zip((*self._fan_edges, self._middle), (curves.fan[0], curves.fan[2], curves.fan[1]), strict=True):
            item.setData(curves.fan_t, values)
        self._rate_line.setData(t, rate)
        known = np.isfinite(rate)
        self._rate_low.setData(t[known], (rate - sd)[known])
        self._rate_high.setData(t[known], (rate + sd)[known])
        for line in self._now:
            line.setValue(picture.now)
        newest = np.flatnonzero(np.isfinite(bean))
        self._dot.setData([t[newest[-1]]] if newest.size else [], [bean[newest[-1]]] if newest.size else [])
        self._top.time_span(*picture.span)
        self._rate.level_span(0.0, picture.rate_top)
        self._show_heads(picture)
        self._picture = picture
        self._make_room()
        self._hands.show_ribbons([as_ribbon(ribbon) for ribbon in picture.ribbons], picture.now)

    def _make_room(self, *_: object) -> None:
        """Levels with room for the words of the marks, and these; anew where the lane gets another height."""
        if self._picture is not None:
            box = self._top.plot.getPlotItem().getViewBox()
            levels = with_room(self._picture.levels, self._picture.labels, box.height())
            self._top.level_span(*levels)
            self._show_labels(self._picture.labels, levels)

    def _show_plan(self, curves: Curves) -> None:
        """Draw the corridor, which moves only when a mark comes early or late."""
        key = (curves.plan_t.size, *(float(curves.plan_t[i]) for i in (0, len(curves.plan_t) // 2, -1) if curves.plan_t.size))
        if key == self._shown_plan:
            return
        self._shown_plan = key
        t, low, high, rate = thin_out(curves.plan_t, curves.plan_low, curves.plan_high, curves.plan_rate, most=180)
        self._plan_low.setData(t, low)
        self._plan_high.setData(t, high)
        self._rate_plan.setData(t, rate)

    def _show_heads(self, picture: RoastPicture) -> None:
        """What the axes measure, and what each line is."""
        unit, planned = picture.temperature_unit, picture.curves.plan_t.size > 0
        keys = [Key("bean"), Key("air", "slate", "dash")]
        if planned:
            keys.append(Key(tr("plan corridor"), "moss_band", "band"))
        if picture.curves.reference_t.size:
            keys.append(Key("reference", "soft"))
        self._top.head.show_head(tr("Temperature, {}", unit), keys)
        rate = [Key("bean", "plum")] + ([Key("plan", "moss", "dash")] if planned else [])
        self._rate.head.show_head(tr("Rate of rise, {}/min", unit), rate, tr("minutes from the charge"))

    def _clear(self, mark: MarkLabel, side: float, room: tuple[float, float], tall: float) -> tuple[MarkLabel, float]:
        """A word that the air's line would strike through stands under the bean's, where that leaves it room, and its side."""
        above, under = mark.level + tall, mark.level - tall

        def struck(line: pg.PlotCurveItem, side: float, low: float) -> bool:
            return _strikes(line, mark.t - side * room[0], mark.t + (1.0 - side) * room[0], low, low + room[1])

        if mark.below or not struck(self._air, side, above):
            return mark, side
        free = [other for other in (side, 0.0) if not struck(self._bean, other, under - room[1])]
        return (replace(mark, below=True), free[0]) if free else (mark, side)

    def _side_under(self, mark: MarkLabel, room: tuple[float, float], top: float) -> float:
        """The share of a word under the bean's line that stands before its mark: in the lane, where the line leaves it room."""
        last = self._top.plot.getPlotItem().getViewBox().viewRange()[0][1]
        inside = [side for side in (0.0, 0.5, 1.0) if mark.t + (1.0 - side) * room[0] <= last]
        begins = {side: mark.t - side * room[0] for side in inside}
        free = [at for at in inside if not _strikes(self._bean, begins[at], begins[at] + room[0], top - room[1], top)]
        return (free or inside or [1.0])[0]

    def _show_labels(self, labels: tuple[MarkLabel, ...], levels: tuple[float, float]) -> None:
        room = self._top.plot.getPlotItem().getViewBox().size()
        key: tuple[object, ...] = (labels, levels, room.width(), room.height(), self._look.palette.name)
        if key == self._shown_labels:
            return
        self._shown_labels = key
        palette = self._look.palette
        tall = (levels[1] - levels[0]) * TICK
        # The same items are used again: made anew with each change they would add up over a day.
        while len(self._labels) < len(labels):
            tick, text = pg.PlotCurveItem(), ground_label((0.0, 1.0), under=True)
            for item in (tick, text):
                self._top.plot.addItem(item, ignoreBounds=True)
            self._ticks.append(tick)
            self._labels.append(text)
        for tick, text in zip(self._ticks[len(labels) :], self._labels[len(labels) :], strict=True):
            tick.hide()
            text.hide()
        sides = [0.0 if mark.t < 5 or mark.below else (0.85 if not mark.expected else 0.7) for mark in labels]
        fonts = [sans(LABEL_SIZE, QFont.Weight.Normal if mark.expected else QFont.Weight.DemiBold) for mark in labels]
        rooms = [room_of(mark.text, font, self._top.plot) for mark, font in zip(labels, fonts, strict=True)]
        placed = [self._clear(*each, tall) for each in zip(labels, sides, rooms, strict=True)]
        labels, sides = tuple(mark for mark, _ in placed), [side for _, side in placed]
        for index in range(len(labels) - 2, -1, -1):  # one that would meet the next goes to the left of its mark
            if _meets(labels[index], sides[index], rooms[index], labels[index + 1], sides[index + 1], rooms[index + 1]):
                sides[index] = 1.0
        for index, (mark, tick, text) in enumerate(zip(labels, self._ticks, self._labels, strict=False)):
            high, end = rooms[index][1], mark.level + (-tall if mark.below else tall)
            behind = zip(labels[index + 1 :], sides[index + 1 :], rooms[index + 1 :], strict=True)
            if any(_meets(mark, sides[index], rooms[index], *other) for other in behind):
                if levels[0] < end - 2.0 * high and end + 2.0 * high < levels[1]:
                    end += -high if mark.below else high  # a line further than the one that it would meet still
                elif mark.below:  # there is no room for one: the other side of the curve
                    mark, end = replace(mark, below=False), mark.level + tall
                elif mark.level - tall - high > levels[0]:
                    mark, end = replace(mark, below=True), mark.level - tall
                    sides[index] = self._side_under(mark, rooms[index], end)
            below, side, colour = mark.below, sides[index], palette.soft if mark.expected else palette.ink
            style = Qt.PenStyle.DotLine if mark.expected else Qt.PenStyle.SolidLine
            tick.setData(np.array([mark.t, mark.t]), np.array([mark.level, end]), pen=line_pen(colour, 1.6, style))
            text.setFont(fonts[index])
            text.setText(mark.text, color=colour)
            text.setAnchor((side, 0.0 if below else 1.0))
            put_on_ground(text, palette.card)
            text.setPos(mark.t, end)
            tick.show()
            text.show()


def _strikes(line: pg.PlotCurveItem, begin: float, end: float, low: float, high: float) -> bool:
    """Whether a line goes through a box, in the units of the axes."""
    t, level = line.getData()
    if t is None or not len(t):
        return False
    inside = (t >= begin) & (t <= end)
    return bool(np.any((level[inside] > low) & (level[inside] < high)))


def _meets(
    mark: MarkLabel, side: float, room: tuple[float, float], later: MarkLabel, its: float, own: tuple[float, float]
) -> bool:
    """Whether the words of a mark run into those of a later one: each with the share that stands before it, and its room."""
    return mark.below == later.below and later.t - its * own[0] < mark.t + (1.0 - side) * room[0]
