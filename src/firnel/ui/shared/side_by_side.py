"""Parts that stand beside each other where there is room, and below each other where there is not: large text, small screen."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QWIDGETSIZE_MAX, QBoxLayout, QGridLayout, QSplitter, QWidget

from firnel.ui.theme.tokens import SPACE_S


class SideBySide(QWidget):
    """A row of parts that becomes a column where they would need more width than there is; a column scrolls one way only."""

    def __init__(self, spacing: int) -> None:
        super().__init__()
        self._row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(spacing)
        self._parts: list[tuple[QWidget, int, int]] = []
        self._tall: dict[QWidget, QWidget] = {}

    @property
    def stacked(self) -> bool:
        """Whether its parts stand below each other."""
        return self._row.direction() is QBoxLayout.Direction.TopToBottom

    def add(self, part: QWidget, stretch: int = 0, wide: int = 0, tall: int = 0, of: QWidget | None = None) -> None:
        """Put a part at the end.

        Parameters
        ----------
        part, stretch : as of a layout.
        wide : so wide beside the others; 0: as it needs and likes. [px]
        tall : so high at least below the others; 0: as it needs. [px]
        of : what in the part is so high, where it is not the whole.
        """
        self._parts.append((part, wide, tall))
        self._tall[part] = of or part
        self._row.addWidget(part, stretch)
        part.installEventFilter(self)
        self._dress()

    def minimumSizeHint(self) -> QSize:
        """Never wider than the widest part needs."""
        needs = [_need(part, wide) for part, wide, _ in self._standing()]
        if not needs:
            return QSize(0, 0)
        wide, heights = max(need.width() for need in needs), [need.height() for need in needs]
        if not self.stacked:
            return QSize(wide, max(heights))
        tall = sum(heights) + self._row.spacing() * (len(needs) - 1)
        # Words that wrap need more in a narrow column than they say by themselves.
        return QSize(wide, max(tall, self._row.minimumHeightForWidth(self.width()) if self._row.hasHeightForWidth() else 0))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width may be room for the parts beside each other, or no longer."""
        super().resizeEvent(event)
        self._turn()
        if self.stacked and event is not None and event.oldSize().width() != self.width():
            self.updateGeometry()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """What a part needs changes with what it shows."""
        if event is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Show, QEvent.Type.Hide):
            self._turn()
        return super().eventFilter(watched, event)

    def _standing(self) -> list[tuple[QWidget, int, int]]:
        return [each for each in self._parts if each[0].isVisibleTo(self) or each[0].sizePolicy().retainSizeWhenHidden()]

    def _turn(self) -> None:
        needed = [wide or _need(part, wide).width() for part, wide, _ in self._standing()]
        stacks = sum(needed) + self._row.spacing() * (len(needed) - 1) > self.width()
        if stacks is not self.stacked:
            self._row.setDirection(QBoxLayout.Direction.TopToBottom if stacks else QBoxLayout.Direction.LeftToRight)
            self._dress()
            self.updateGeometry()

    def _dress(self) -> None:
        for part, wide, tall in self._parts:
            if wide:
                part.setMinimumWidth(0 if self.stacked else wide)
                part.setMaximumWidth(QWIDGETSIZE_MAX if self.stacked else wide)
            if tall:
                self._tall[part].setMinimumHeight(tall if self.stacked else 0)


#: No part has more rows of fields, with their names.
ROWS = 8


def fields(parent: SideBySide, stretch: int) -> QGridLayout:
    """A part of rows of fields, at the end of its parent."""
    part = QWidget()
    grid = QGridLayout(part)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(SPACE_S)
    grid.setVerticalSpacing(2)
    grid.setRowStretch(ROWS, 1)  # rows of parts beside each other begin at the same height
    parent.add(part, stretch)
    return grid


def _need(part: QWidget, wide: int) -> QSize:
    """What a part needs; the width that it has beside others is no need."""
    return part.minimumSizeHint().expandedTo(QSize(0 if wide else part.minimumWidth(), part.minimumHeight()))


class TurningSplitter(QSplitter):
    """Parts beside each other, whose border a hand can move; below each other where they have no room so."""

    def minimumSizeHint(self) -> QSize:
        """Never wider than the widest part needs."""
        needs = [self._need(place) for place in range(self.count())]
        gaps = self.handleWidth() * (len(needs) - 1)
        wide, tall = max(need.width() for need in needs), [need.height() for need in needs]
        return QSize(wide, max(tall) if self.orientation() is Qt.Orientation.Horizontal else sum(tall) + gaps)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width may be room for the parts beside each other, or no longer."""
        super().resizeEvent(event)
        wide = [self._need(place).width() for place in range(self.count())]
        beside = sum(wide) + self.handleWidth() * (len(wide) - 1) <= self.width()
        self.setOrientation(Qt.Orientation.Horizontal if beside else Qt.Orientation.Vertical)
        self.updateGeometry()

    def _need(self, place: int) -> QSize:
        part = self.widget(place)
        return part.minimumSizeHint().expandedTo(part.minimumSize()) if part is not None else QSize(0, 0)
