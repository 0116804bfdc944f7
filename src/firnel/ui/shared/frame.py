"""The frame around every view: the rail in the order of the work, and the now line above."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
)

from firnel.core.words import later, tr
from firnel.ui.shared.actions import action
from firnel.ui.shared.parts import ElidedLabel, label
from firnel.ui.shared.tabs import Shown
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import RAIL_WIDTH
from firnel.work.roast.cue import Cue

#: The views in the order of the work: name, icon.
STATIONS = (
    (later("Green"), "sprout"),
    (later("Plan"), "clipboard-list"),
    (later("Day"), "calendar-days"),
    (later("Roast"), "flame"),
    (later("Bench"), "scale"),
    (later("Review"), "chart-spline"),
    (later("Machines"), "cog"),
)
#: A station of the rail is so high where there is room, and no lower than this: nine fit a screen of 540 pixels.
STATION, LEAST_STATION = 62, 48


class _Station(QToolButton):
    """Pressed by Space or Enter, as every button is."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter presses it."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class Rail(QFrame):
    """One button for each view; F1 to F7."""

    chosen = pyqtSignal(str)
    find_wanted = pyqtSignal()
    begin_wanted = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setFixedWidth(RAIL_WIDTH)
        self._look = look
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 10)
        column.setSpacing(4)
        brand = label("firnel", "brand")
        brand.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(brand)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QToolButton] = {}
        for number, (name, _) in enumerate(STATIONS, start=1):
            made = self._button(tr(name), f"{tr(name)} (F{number})")
            made.setCheckable(True)
            made.clicked.connect(self._on_clicked)
            self._group.addButton(made)
            self._buttons[name] = made
            column.addWidget(made, 100)
        column.addStretch(1)
        self.begin = self._button(tr("Begin"), tr("The five steps to the first batch"))
        self.begin.setCheckable(True)
        self.begin.clicked.connect(self.begin_wanted)
        self._group.addButton(self.begin)
        self.begin.hide()
        column.addWidget(self.begin, 100)
        find = self._button(tr("Find"), tr("Find anything ({find})"))
        find.clicked.connect(self.find_wanted)
        self._find = find
        column.addWidget(find, 100)
        look.changed.connect(self._dress)
        self._dress()

    def _button(self, name: str, tip: str) -> QToolButton:
        made = _Station()
        made.setText(name)
        made.setAccessibleName(name)
        made.setToolTip(tip)
        made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        made.setIconSize(QSize(22, 22))
        made.setFixedWidth(RAIL_WIDTH)
        made.setMinimumHeight(LEAST_STATION)
        made.setMaximumHeight(STATION)
        made.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        return made

    def _dress(self) -> None:
        icons = dict(STATIONS)
        for name, made in self._buttons.items():
            made.setIcon(self._look.icon(icons[name], "ink" if made.isChecked() else "rail_text"))
        self._find.setIcon(self._look.icon("search", "rail_text"))
        self.begin.setIcon(self._look.icon("plus", "ink" if self.begin.isChecked() else "rail_text"))

    def show_station(self, name: str) -> None:
        """Mark the view that is shown; all that are not of the seven stand under Begin."""
        self._buttons.get(name, self.begin).setChecked(True)
        self._dress()

    def _on_clicked(self) -> None:
        self.chosen.emit(next(name for name, made in self._buttons.items() if made.isChecked()))


def typing_note() -> QFrame:
    """What a text field says, large, while beans are in the drum: there Space writes."""
    note = QFrame()
    note.setObjectName("typing")
    row = QHBoxLayout(note)
    row.setContentsMargins(16, 6, 16, 6)
    row.addWidget(label(tr("You are typing: keys write here. Esc, then {mark} marks.")))
    return note


class Pages(Shown):
    """The views, one at a time, in an area that scrolls where the screen is smaller than the view that is shown."""

    def __init__(self) -> None:
        super().__init__()
        self.area = QScrollArea()
        self.area.setObjectName("bare")
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setAccessibleName(tr("View"))
        self.area.setWidget(self)

    def heightForWidth(self, _width: int) -> int:
        """A view takes the height that there is: what its wrapped lines would like makes nothing scroll."""
        return self.minimumSizeHint().height()


class ServerNote(QFrame):
    """While the server of the library does not answer: since when, and that nothing is lost by it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("server")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 16, 4)
        self._words = label("", wrap=True)
        row.addWidget(self._words)

    def show_text(self, text: str) -> None:
        """Say this."""
        self._words.setText(text)
        self.setAccessibleName(text)


class NowLine(QFrame):
    """While a batch runs, above every other view: batch, stage clock, next move, and the way back."""

    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("nowLine")
        self.setFixedHeight(40)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(14)
        self._batch, self._clock = label("", "heading"), label("", "nowClock")
        self._next = ElidedLabel()
        row.addWidget(self._batch)
        row.addWidget(self._clock)
        row.addWidget(self._next, 1)
        row.addWidget(label(action("station Roast").shown_keys, "key"), 0, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(label(tr("back to Roast"), "soft"))

    def show_now(self, batch: str, cue: Cue) -> None:
        """Show the running batch in one line."""
        self._batch.setText(batch)
        self._clock.setText(f"{cue.clock_label.split(' · ')[0]} {cue.clock}".strip())
        self._next.show_text(cue.headline)
        self.setAccessibleName(f"{batch}, {cue.clock_label} {cue.clock}, {cue.headline}")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Back to Roast."""
        self.clicked.emit()
