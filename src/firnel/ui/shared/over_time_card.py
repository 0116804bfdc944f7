"""What is known over time of what a list has chosen, one kind of figure at a time."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.ui.shared.days_axis import DAY_S, DaysAxis, when
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen
from firnel.ui.shared.parts import card, chosen, label, offer
from firnel.ui.theme.look import Look
from firnel.work.courses import Course, Point

WEEK_S = 7.0 * DAY_S
#: Its height under a list. [px]
OVER_TIME = 236


class OverTimeCard(QWidget):
    """Shows the `Course` that is chosen.

    Parameters
    ----------
    look : the theme.
    own : what the points are called where others stand beside them.
    others : what those are called.
    nothing : what to do where nothing is known.
    """

    def __init__(self, look: Look, nothing: str, own: str = "", others: str = "") -> None:
        super().__init__()
        self._look, self._own, self._others = look, own, others
        self._courses: tuple[Course, ...] = ()
        self._units = Units()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=4)
        outer.addWidget(frame)
        row = QHBoxLayout()
        row.addWidget(label(tr("Over time"), "heading"))
        self.which = QComboBox()
        self.which.setAccessibleName(tr("Figure over time"))
        self.which.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.which.textActivated.connect(self._on_chosen)
        row.addStretch(1)
        row.addWidget(self.which)
        column.addLayout(row)
        self._wanted = ""
        self.lane = Lane(look, "card", with_time=True, axis=DaysAxis("bottom"))
        self.lane.setObjectName("bare")  # it lies in a card already
        self.lane.setAccessibleName(tr("The figure over time"))
        self.glance = Glance((self.lane,), when=self._when, places=self._places)
        self._nothing = label(nothing, "soft", wrap=True)
        column.addWidget(self.lane, 1)
        column.addWidget(self._nothing, 1)
        self.which.hide()
        for widget in (self.lane, self._nothing):  # until it is known what there is
            widget.hide()
        self._hold_place(True)
        look.changed.connect(self._draw)

    def show_courses(self, courses: tuple[Course, ...], units: Units) -> None:
        """Offer these; the kind that was looked at stays where this lot has it."""
        self._courses, self._units = courses, units
        self.which.clear()
        offer(self.which, [course.name for course in courses])
        self.which.setCurrentIndex(max(self.which.findData(self._wanted), 0))
        self._hold_place(False)
        self.which.setVisible(bool(courses))
        self.lane.setVisible(bool(courses))
        self._nothing.setVisible(not courses)
        self._draw()

    def _hold_place(self, held: bool) -> None:
        """Whether the place of the lane is free for it while it is hidden."""
        policy = self.lane.sizePolicy()
        policy.setRetainSizeWhenHidden(held)
        self.lane.setSizePolicy(policy)

    def _on_chosen(self, name: str) -> None:
        self._wanted = name
        self._draw()

    @property
    def _course(self) -> Course | None:
        return next((course for course in self._courses if course.name == chosen(self.which)), None)

    def _all(self) -> list[Point]:
        return sorted((*self._course.points, *self._course.beside), key=lambda point: point.at) if self._course else []

    def _places(self) -> list[float]:
        return [point.at.timestamp() for point in self._all()]

    def _when(self, x: float) -> str:
        if not self._all():
            return ""
        point = min(self._all(), key=lambda point: abs(point.at.timestamp() - x))
        named = f"{point.of}, " if point.of else tr("week of ") if self._course is not None and self._course.weeks else ""
        return tr("{}{}: {:.{}f}", named, when(x), *self._shown(point), self._digits)

    def _shown(self, *points: Point) -> list[float]:
        kilograms = self._course is not None and self._course.unit == "kg"
        return [self._units.show(point.value, "kg") if kilograms else point.value for point in points]

    @property
    def _digits(self) -> int:
        return self._course.digits if self._course is not None else 0

    def _draw(self) -> None:
        self.lane.clear()
        course = self._course
        if course is None:
            return
        palette, plot = self._look.palette, self.lane.plot
        for points, role in ((course.beside, palette.soft), (course.points, palette.ink)):
            x = np.array([point.at.timestamp() for point in points])
            y = np.array(self._shown(*points))
            own = points is course.points
            if own and course.weeks:
                plot.addItem(pg.BarGraphItem(x0=x, width=0.86 * WEEK_S, y0=0.0 * y, height=y, brush=role, pen=None))
            elif own and len(points) > 1:
                if course.steps:
                    line = pg.PlotCurveItem(np.append(x, x[-1]), y, pen=line_pen(role, 2.2), stepMode="center")
                else:
                    line = pg.PlotCurveItem(*_by_day(x, y), pen=line_pen(role, 1.6))
                plot.addItem(line, ignoreBounds=True)
            if not course.weeks and (not course.steps or len(points) < 2):
                size = 10 if own else 7
                plot.addItem(pg.ScatterPlotItem(x, y, size=size, brush=role, pen=palette.card), ignoreBounds=True)
        times, values = self._places(), np.array(self._shown(*self._all()))
        room = max(0.06 * (times[-1] - times[0]), 3.0 * DAY_S)
        self.lane.time_span(times[0] - room, times[-1] + room + (WEEK_S if course.weeks else 0.0))
        from_zero = course.steps or course.weeks
        low, high = (0.0 if from_zero else float(values.min())), float(values.max())
        air = max(0.15 * (high - low), 10.0**-course.digits, 0.01 * abs(high))
        self.lane.level_span(low - (0.0 if from_zero else air), high + air)
        unit = self._units.mass if course.unit == "kg" else course.unit
        keys = (Key(self._own, style="spot"), Key(self._others, "soft", "spot")) if course.beside else ()
        self.lane.head.show_head(f"{tr(course.name)}, {tr(unit)}" if unit else tr(course.name), keys)


def _by_day(x: FloatArray, y: FloatArray) -> tuple[FloatArray, FloatArray]:
    """One point for each day, the mean of its own: a line through what was scored on one table would stand upright."""
    _, day = np.unique(np.floor(x / DAY_S), return_inverse=True)
    count = np.bincount(day)
    return np.bincount(day, x) / count, np.bincount(day, y) / count
