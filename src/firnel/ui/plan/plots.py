"""The curves of a plan on one time axis: bean with its fan, air, corridor; rate of rise; and the hands."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.plan.hands import PlanHands
from firnel.ui.roast.curves import as_ribbon
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import LEAST_LANE, Lane, ground_label, line_pen, put_on_ground
from firnel.ui.theme.look import Look
from firnel.work.plan.picture import PlanPicture


class PlanPlots(QWidget):
    """Draws a `PlanPicture`.

    Parameters
    ----------
    look : the theme.
    above : put over the curves on the same axis, if anything.
    """

    def __init__(self, look: Look, above: QWidget | None = None) -> None:
        super().__init__()
        self._look = look
        self._top = 0.0
        self._picture: PlanPicture | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.lane, self._rate_lane = Lane(look, "card"), Lane(look, "lane", with_time=True)
        self._rate_lane.plot.setXLink(self.lane.plot)
        self._rate_lane.setFixedHeight(108 if above is not None else 92)
        for lane in (self.lane, self._rate_lane):
            lane.plot.setMinimumHeight(60)
        self.lane.setMinimumHeight(LEAST_LANE)
        self.lane.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)  # what stands below comes first
        self.hands = PlanHands(look, self.lane)
        self.hands.take_room(114 if above is not None else 102)
        if above is not None:
            column.addWidget(above)
        column.addWidget(self.lane, 1)
        column.addWidget(self._rate_lane)
        column.addWidget(self.hands)
        self._bean, self._air, self._rate = (pg.PlotCurveItem(connect="finite") for _ in range(3))
        self._edges = [pg.PlotCurveItem() for _ in range(4)]
        self._band = pg.FillBetweenItem(*self._edges[:2])
        self._fan = pg.FillBetweenItem(*self._edges[2:])
        self._stages = [[pg.InfiniteLine(angle=90) for _ in range(3)] for _ in range(2)]
        for item in (self._fan, self._band, self._air, self._bean, *self._stages[0]):
            self.lane.plot.addItem(item, ignoreBounds=True)
        for item in (self._rate, *self._stages[1]):
            self._rate_lane.plot.addItem(item, ignoreBounds=True)
        self._names = [ground_label((1.04, 0.0), bold=False, under=True) for _ in range(3)]
        self._troubles = [ground_label((0.5, 1.0)) for _ in range(2)]
        for item in self._names:
            self.lane.plot.addItem(item, ignoreBounds=True)
        for item in self._troubles:
            self._rate_lane.plot.addItem(item, ignoreBounds=True)
        self.lane.setAccessibleName(tr("Planned bean and air temperature over time"))
        self._rate_lane.setAccessibleName(tr("Planned rate of rise over time"))
        self.lane.reads("bean", self._bean)
        self.lane.reads("air", self._air)
        self.lane.reads("tolerance", self._edges[0], self._edges[1], "{:.0f}".format)
        self.lane.reads(tr("8 of 10 batches"), self._edges[2], self._edges[3], "{:.0f}".format)
        self._rate_lane.reads("bean", self._rate)
        self.glance = Glance((self.lane, self._rate_lane), self.hands)
        if above is not None:
            self.lane.plot.sigRangeChanged.connect(above.update)
        self.lane.plot.getPlotItem().getViewBox().sigResized.connect(lambda *_: self._place_names())  # they stand by pixels
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        palette = self._look.palette
        self._bean.setPen(line_pen(palette.ink, 2.6))
        self._air.setPen(line_pen(palette.slate, 1.6, Qt.PenStyle.DashLine))
        self._rate.setPen(line_pen(palette.plum, 2.2))
        self._band.setBrush(pg.mkBrush(palette.moss_band))
        fan = pg.mkColor(palette.ink)
        fan.setAlpha(38)
        self._fan.setBrush(pg.mkBrush(fan))
        for line in (*self._stages[0], *self._stages[1]):
            line.setPen(line_pen(palette.soft, 1, Qt.PenStyle.DotLine))
        for item in self._names:
            item.setColor(palette.soft)
            put_on_ground(item, palette.card)
        for item in self._troubles:
            put_on_ground(item, palette.lane)

    def show_picture(self, picture: PlanPicture, room: float | None = None) -> None:
        """Draw this picture; ``room`` is the time kept free behind the drop, as long as a hand is dragging it. [s]"""
        self._bean.setData(picture.t, picture.bean)
        self._air.setData(picture.t, picture.air)
        self._rate.setData(picture.t, picture.rate)
        for item, (t, values) in zip(
            self._edges,
            (
                (picture.t, picture.low),
                (picture.t, picture.high),
                (picture.fan_t, picture.fan[0]),
                (picture.fan_t, picture.fan[1]),
            ),
            strict=True,
        ):
            item.setData(t, values)
        for lines in self._stages:
            for line, moment in zip(lines, (*picture.stage_ends, -1e6, -1e6, -1e6), strict=False):
                line.setValue(moment)
        self.lane.time_span(-10.0, picture.end + 20.0 if room is None else room)
        low, high = picture.levels
        self._top = high
        self.lane.level_span(low, self._top)
        self._rate_lane.level_span(0.0, picture.rate_top)
        self._picture = picture
        self._place_names()
        self.hands.show_ribbons([as_ribbon(ribbon) for ribbon in picture.ribbons])

    def _place_names(self) -> None:
        """Names of curves in the corner, of marks at their place, of trouble where it comes."""
        picture = self._picture
        if picture is None:
            return
        palette = self._look.palette
        (left, right), _ = self.lane.plot.getPlotItem().getViewBox().viewRange()
        per_x, per_y = self.lane.plot.getPlotItem().getViewBox().viewPixelSize()
        keys = [Key("bean"), Key("air", "slate", "dash"), Key("tolerance", "moss_band", "band")]
        if picture.fan_t.size > 0:
            keys.append(Key(tr("8 of 10 batches"), "soft", "band"))
        unit = picture.rate_unit.removesuffix("/min")
        self.lane.head.show_head(tr("Temperature, {}", unit), keys)
        self._rate_lane.head.show_head(
            tr("Rate of rise, {}", picture.rate_unit), (Key("bean", "plum"),), tr("minutes from the charge")
        )
        bottom = picture.levels[0] + 26 * per_y
        for index, item in enumerate(self._names):
            shown = index < len(picture.stage_names) and picture.t.size > 0
            item.setVisible(shown)
            if shown:
                item.setText(picture.stage_names[index])
                item.setPos(picture.stage_ends[index], bottom + (22 * per_y if index == 1 else 0.0))
        for index, item in enumerate(self._troubles):
            item.setVisible(index < len(picture.troubles))
            if index < len(picture.troubles):
                t, word = picture.troubles[index]
                item.setText(word, color=palette.amber)
                item.setPos(min(max(t, left + 50 * per_x), right - 50 * per_x), 0.1 * picture.rate_top)
