"""The ribbons of a plan, worked with the mouse: a click adds a move, a drag sets a step higher or makes it later."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent

from firnel.ui.shared.lanes import Lane
from firnel.ui.shared.ribbons import HandsLane, Ribbon
from firnel.ui.theme.look import Look

#: So near must the mouse be to the beginning of a step to take hold of it, and so far must it go to be a drag. [px]
GRIP, DRAG = 8.0, 5.0
#: Moves are made later or earlier by whole steps of this. [s]
GRAIN_S = 5.0


class PlanHands(HandsLane):
    """Ribbons that can be worked when `editable`; steps are told by the row of the ribbon and their place in it."""

    added = pyqtSignal(int, float, float)  # row, seconds, value on the control's scale
    raised = pyqtSignal(int, int, float)  # row, step, value
    shifted = pyqtSignal(int, int, float)  # row, step, seconds later

    def __init__(self, look: Look, above: Lane) -> None:
        super().__init__(look, above)
        self.editable = False
        self._pressed: tuple[int, int, float, float, bool] | None = None
        self.setMouseTracking(True)

    def _row(self, y: float) -> tuple[int, Ribbon] | None:
        height = (self.height() - 14) / max(len(self._ribbons), 1)
        row = int((y - 7) // height)
        return (row, self._ribbons[row]) if 0 <= row < len(self._ribbons) else None

    def _value(self, row: int, y: float) -> float:
        """The value on the control's scale at a height."""
        height = (self.height() - 14) / max(len(self._ribbons), 1)
        base, tall = 7 + (row + 1) * height - 4, height - 8
        return min(max((base - y) / tall, 0.0), 1.0) * self._ribbons[row].top

    def _t(self, x: float) -> float:
        left, right = self.x_of(0.0), self.x_of(100.0)
        return 100.0 * (x - left) / max(right - left, 1e-9)

    def _step(self, ribbon: Ribbon, x: float) -> tuple[int, bool]:
        """Which step is under the mouse, -1 for none, and whether its beginning is."""
        for index, (begin, _, _) in enumerate(ribbon.done):
            if index > 0 and abs(self.x_of(begin) - x) <= GRIP:
                return index, True
        t = self._t(x)
        return next((index for index, (begin, end, _) in enumerate(ribbon.done) if begin <= t < end), -1), False

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a step, or of its beginning."""
        if event is None or not self.editable or (found := self._row(event.position().y())) is None:
            return
        step, edge = self._step(found[1], event.position().x())
        if step >= 0:
            self._pressed = (found[0], step, event.position().x(), event.position().y(), edge)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Show what a press here would take hold of."""
        if event is None or not self.editable or self._pressed is not None:
            return
        found = self._row(event.position().y())
        edge = found is not None and self._step(found[1], event.position().x())[1]
        self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go: a click adds, a drag changes."""
        if event is None or self._pressed is None:
            return
        (row, step, x, y, edge), self._pressed = self._pressed, None
        across, up = event.position().x() - x, event.position().y() - y
        if max(abs(across), abs(up)) < DRAG:
            if not edge:
                self.added.emit(row, GRAIN_S * round(self._t(x) / GRAIN_S), self._value(row, y))
        elif edge:
            self.shifted.emit(row, step, GRAIN_S * round((self._t(x + across) - self._t(x)) / GRAIN_S))
        else:
            self.raised.emit(row, step, self._value(row, event.position().y()))
