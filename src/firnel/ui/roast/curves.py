"""The three lanes of the Roast view on one time axis: curves, rate of rise, hands."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.ui.roast.word_places import Ground, Place, Word, places_of
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import LABEL_MARGIN, LEAST_LANE, Lane, broken, ground_label, line_pen, put_on_ground, thin_out
from firnel.ui.shared.ribbons import HandsLane, Ribbon
from firnel.ui.theme.look import Look, sans
from firnel.work.roast.picture import Curves, MarkLabel, RibbonPicture, RoastPicture

#: A word on the curve is so large, and its tick takes this share of the axis. [px]
LABEL_SIZE, TICK = 14, 0.055
#: The word of a mark before this stands right of it, as nothing is to its left. [s]
AT_CHARGE_S = 5.0
#: Words make way for the line of now and the curves so often. [s]
NOW_S = 3.0
#: A part of a batch that goes on is left so long after the last hand on it. [s]
BACK_S = 20.0
#: The lane of the rate of rise is so high, and no more than this share of all three. [px]
RATE_HEIGHT, RATE_SHARE = 148, 0.28


def with_room(levels: tuple[float, float], labels: Sequence[MarkLabel], tall_px: float) -> tuple[float, float]:
    """The levels of an axis that is so high, widened to whole tens so that no word on its curve is cut. [display units]

    Parameters
    ----------
    levels : lowest and highest that are wanted.
    labels : on the curve, above it and below.
    tall_px : height of the plot. [px]
    """
    word = ceil(QFontMetricsF(sans(LABEL_SIZE, QFont.Weight.DemiBold)).height()) + LABEL_MARGIN
    share = TICK + word / max(tall_px, 3.0 * word)
    low, high = levels
    for _ in range(8):  # what a word takes grows with the axis
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
        self._top.setMinimumHeight(LEAST_LANE)
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
        self._places: list[Place] = []
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
        lines = broken(t, bean, air, rate)
        for item, values in zip((self._bean, self._air, self._rate_line), lines[1:], strict=True):
            item.setData(lines[0], values)
        self._reference.setData(*thin_out(curves.reference_t, curves.reference))
        self._show_plan(curves)
        for item, values in zip((*self._fan_edges, self._middle), (curves.fan[0], curves.fan[2], curves.fan[1]), strict=True):
            item.setData(curves.fan_t, values)
        known = np.isfinite(rate)
        at, low, high = broken(t[known], (rate - sd)[known], (rate + sd)[known])
        self._rate_low.setData(at, low)
        self._rate_high.setData(at, high)
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

    def _show_labels(self, labels: tuple[MarkLabel, ...], levels: tuple[float, float]) -> None:
        room = self._top.plot.getPlotItem().getViewBox().size()
        now = round(self._now[0].value() / NOW_S)
        key: tuple[object, ...] = (labels, levels, room.width(), room.height(), self._look.palette.name, now)
        if key == self._shown_labels:
            return
        self._shown_labels = key
        # The same items are used again: made anew with each change they would add up over a day.
        while len(self._labels) < len(labels):
            tick, text = pg.PlotCurveItem(), ground_label((0.0, 1.0), under=True)
            for item in (tick, text):
                self._top.plot.addItem(item, ignoreBounds=True)
            self._ticks.append(tick)
            self._labels.append(text)
        for item in (*self._ticks[len(labels) :], *self._labels[len(labels) :]):
            item.hide()
        palette = self._look.palette
        for mark, text in zip(labels, self._labels, strict=False):
            text.setFont(sans(LABEL_SIZE, QFont.Weight.Normal if mark.expected else QFont.Weight.DemiBold))
            text.setText(mark.text, color=palette.soft if mark.expected else palette.ink)
            put_on_ground(text, palette.card)
        self._places = self._find_places(labels)
        down = (levels[1] - levels[0]) / max(room.height(), 1.0)
        for mark, place, tick, text in zip(labels, self._places, self._ticks, self._labels, strict=False):
            reach = TICK * (levels[1] - levels[0]) + place.further * text.textItem.boundingRect().height() * down
            end = mark.level + (-reach if place.below else reach)
            style = Qt.PenStyle.DotLine if mark.expected else Qt.PenStyle.SolidLine
            pen = line_pen(palette.soft if mark.expected else palette.ink, 1.6, style)
            tick.setData(np.array([mark.t, mark.t]), np.array([mark.level, end]), pen=pen)
            text.setAnchor((place.share, 0.0 if place.below else 1.0))
            text.setPos(mark.t, end)
            tick.show()
            text.show()

    def _find_places(self, labels: Sequence[MarkLabel]) -> list[Place]:
        """Where the words stand about the curves as they are drawn now."""
        box = self._top.plot.getPlotItem().getViewBox()
        width, height = box.width(), box.height()
        (first, last), (low, high) = box.viewRange()
        across, down = width / max(last - first, 1e-9), height / max(high - low, 1e-9)

        def line(item: pg.PlotCurveItem) -> tuple[FloatArray, FloatArray]:
            t, level = (np.asarray([] if column is None else column, dtype=float) for column in item.getData())
            known = np.isfinite(t) & np.isfinite(level)
            return (t[known] - first) * across, (high - level[known]) * down

        words = []
        for mark, text in zip(labels, self._labels, strict=False):
            size = text.textItem.boundingRect()
            share = 0.0 if mark.t < AT_CHARGE_S or mark.below else (0.7 if mark.expected else 0.85)
            x, y = (mark.t - first) * across, (high - mark.level) * down
            words.append(Word(x, y, size.width(), size.height(), mark.below, share))
        now = (self._now[0].value() - first) * across
        return places_of(words, Ground(width, height, TICK * height, (line(self._bean), line(self._air)), now), self._places)
