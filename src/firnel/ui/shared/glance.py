"""One hand over lanes on one axis: all are read at the moment under the pointer; a part is chosen, and left again."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from firnel.core.units import clock
from firnel.core.words import tr
from firnel.ui.shared.lanes import Lane
from firnel.ui.shared.ribbons import HandsLane

#: So far must a drag go to choose a part [px]; one turn of the wheel shows this share of the time; no part is shorter than this
#: share of the whole.
DRAG_PX, TURN, LEAST = 8.0, 0.8, 0.02
#: By so much of what is shown an arrow key goes on, with the shift key five times as far.
STEP = 0.01


class Glance(QObject):
    """Makes lanes readable and zoomable together: with the pointer, the wheel or the keys.

    A drag across a lane chooses a part of the time, the wheel makes it smaller or larger about the pointer; a double click,
    Home or the lane's menu shows the whole again. Arrow keys read on, plus and minus choose, Escape lets go.

    Parameters
    ----------
    lanes : lanes on one axis; the first is the one that the others follow.
    hands : the ribbons below them, if there are any.
    when : how a place on the axis is called; by default as a time.
    places : if given, only these places on the axis can be read (the nearest one is).
    back_s : after so long without a hand on it the whole is shown again, for lanes that go on; None: never.
    """

    def __init__(
        self,
        lanes: Sequence[Lane],
        hands: HandsLane | None = None,
        when: Callable[[float], str] = clock,
        places: Callable[[], Sequence[float]] | None = None,
        back_s: float | None = None,
    ) -> None:
        super().__init__(lanes[0])
        self._lanes, self._hands, self._when, self._places = tuple(lanes), hands, when, places
        self._pressed: float | None = None
        self._x: float | None = None
        self._back = QTimer(self)
        self._back.setSingleShot(True)
        self._back.setInterval(round(1000 * (back_s or 0.0)))
        self._back.timeout.connect(self.show_whole)
        for lane in self._lanes:
            lane.plot.viewport().setMouseTracking(True)
            lane.plot.viewport().installEventFilter(self)
            lane.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            lane.installEventFilter(self)
            lane.offer(tr("Show the whole"), self.show_whole, lambda: self._lanes[0].part is not None)
        if hands is not None:
            hands.setMouseTracking(True)
            hands.installEventFilter(self)

    @property
    def x(self) -> float | None:
        """What is read, as a place on the axis."""
        return self._x

    def show_whole(self) -> None:
        """Show all of the time again."""
        self._lanes[0].show_part(None)
        self.read_at(self._x)

    def show_part(self, begin: float, end: float) -> None:
        """Show a part of the time, kept within the whole."""
        low, high = self._lanes[0].whole
        least = LEAST * (high - low)
        begin, end = max(min(begin, end), low), min(max(begin, end), high)
        if end - begin < least:
            middle = min(max(0.5 * (begin + end), low + 0.5 * least), high - 0.5 * least)
            begin, end = middle - 0.5 * least, middle + 0.5 * least
        self._lanes[0].show_part(None if end - begin >= 0.999 * (high - low) else (begin, end))
        self._back_later()

    def read_at(self, x: float | None) -> None:
        """Read all lanes at a place on the axis, None for none."""
        places = self._places() if self._places is not None and x is not None else None
        if places is not None and len(places):
            x = float(places[int(np.argmin(np.abs(np.asarray(places) - x)))])
        self._x = x
        when = "" if x is None else self._when(x)
        said = [lane.read_at(x, when if lane is self._lanes[0] else "") for lane in self._lanes]
        if self._hands is not None:
            said.append(self._hands.read_at(x))
        told = ". ".join(part for part in said if part)
        for lane in self._lanes:
            lane.setAccessibleDescription(tr("At {}: {}", when, told) if told else "")

    def _back_later(self) -> None:
        if self._back.interval() > 0 and self._lanes[0].part is not None:
            self._back.start()

    # What comes from the hand

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Pointer, wheel and keys over the lanes."""
        if event is None or not isinstance(watched, QWidget):
            return False
        kind = event.type()
        if isinstance(event, QMouseEvent) and kind is not QEvent.Type.MouseButtonPress:
            self._back_later()
        left = kind is QEvent.Type.Leave and self._pressed is None and not watched.hasFocus()
        if left or (kind is QEvent.Type.FocusOut and watched in self._lanes):
            self.read_at(None)
        elif isinstance(event, QKeyEvent) and kind is QEvent.Type.KeyPress and watched in self._lanes:
            return self._on_key(event)
        elif isinstance(event, QWheelEvent) and watched is not self._hands:
            return self._on_wheel(self._place(watched, event.position()), event)
        elif isinstance(event, QMouseEvent):
            return self._on_mouse(kind, watched, event)
        return False

    def _on_mouse(self, kind: QEvent.Type, watched: QWidget, event: QMouseEvent) -> bool:
        x = self._place(watched, event.position())
        if kind is QEvent.Type.MouseMove:
            self.read_at(x if self._on_axis(x) else None)
            if self._pressed is not None:
                far = abs(x - self._pressed) > DRAG_PX * self._per_px()
                self._mark((min(self._pressed, x), max(self._pressed, x)) if far else None)
            return False
        if watched is self._hands or event.button() is not Qt.MouseButton.LeftButton or watched in self._lanes:
            return False
        if kind is QEvent.Type.MouseButtonPress:
            self._pressed = x if self._on_axis(x) else None
        elif kind is QEvent.Type.MouseButtonRelease and self._pressed is not None:
            begin, self._pressed = self._pressed, None
            self._mark(None)
            if abs(x - begin) > DRAG_PX * self._per_px():
                self.show_part(begin, x)
        elif kind is QEvent.Type.MouseButtonDblClick:
            self._pressed = None
            self.show_whole()
        else:
            return False
        return True

    def _on_wheel(self, x: float, event: QWheelEvent) -> bool:
        turned = event.angleDelta().y() / 120.0
        if not turned or not self._on_axis(x):
            return False
        self._zoom(x, TURN**turned)
        return True

    def _on_key(self, event: QKeyEvent) -> bool:
        low, high = self._shown()
        far = (high - low) * STEP * (5.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
        x = 0.5 * (low + high) if self._x is None else self._x
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.read_at(min(max(self._next(x, far if key == Qt.Key.Key_Right else -far), low), high))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom(x, TURN)
        elif key == Qt.Key.Key_Minus:
            self._zoom(x, 1.0 / TURN)
        elif key == Qt.Key.Key_Home:
            self.show_whole()
        elif key == Qt.Key.Key_Escape and (self._x is not None or self._lanes[0].part is not None):
            self.read_at(None)
            self.show_whole()
        else:
            return False
        return True

    def _next(self, x: float, by: float) -> float:
        """Where an arrow leads: at least to the next place that can be read."""
        places = np.asarray(self._places() if self._places is not None else (), float)
        if not places.size or self._x is None:
            return x + by
        onward = places[places > x] if by > 0 else places[places < x]
        nearest = float(onward.min() if by > 0 else onward.max()) if onward.size else x
        return max(x + by, nearest) if by > 0 else min(x + by, nearest)

    def _zoom(self, x: float, by: float) -> None:
        low, high = self._shown()
        self.show_part(x - by * (x - low), x + by * (high - x))

    # Where things lie

    def _shown(self) -> tuple[float, float]:
        return self._lanes[0].part or self._lanes[0].whole

    def _on_axis(self, x: float) -> bool:
        low, high = self._shown()
        return low <= x <= high

    def _per_px(self) -> float:
        return float(self._lanes[0].plot.getPlotItem().getViewBox().viewPixelSize()[0])

    def _mark(self, span: tuple[float, float] | None) -> None:
        for lane in self._lanes:
            lane.mark(span)

    def _place(self, watched: QWidget, position: QPointF) -> float:
        """The place on the axis under the pointer; all lanes lie on one left edge."""
        lane = self._lanes[0]
        box = lane.plot.getPlotItem().getViewBox()
        area = box.sceneBoundingRect()
        left = area.left() + (lane.plot.viewport().mapToGlobal(QPointF()).x() - watched.mapToGlobal(QPointF()).x())
        low, high = self._shown()
        return float(low + (position.x() - left) / max(area.width(), 1.0) * (high - low))
