"""The practice window: the Roast view on a machine that is not there, what is seen and heard, and the debrief."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from firnel.core.plan import Plan
from firnel.core.words import meant, tr
from firnel.ui.roast.view import RoastView
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import ElidedLabel, button, card, empty, label, rename
from firnel.ui.shared.space_key import SpaceKey
from firnel.ui.theme.look import Look
from firnel.work.practice.debrief import Debrief, debrief
from firnel.work.practice.practice import Practice

#: The machine is brought up to now this often [ms]; the debrief comes so long after the drop [s].
TICK_MS, DEBRIEF_AFTER_S = 50, 6.0
SPEEDS = (1, 2, 5, 10)
PARTS = (("moves", tr("Moves")), ("marks", tr("Marks")), ("landing", tr("Landing")))


class PracticeWindow(QMainWindow):
    """Runs one practice after the other.

    Parameters
    ----------
    begin : begins a practice.
    look : the theme.
    """

    def __init__(self, begin: Callable[[], Practice], look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._begin, self._look = begin, look
        self.setWindowTitle(tr("Firnel: practice"))
        self.setProperty("ownKeys", True)  # Space marks here, not in the batch that may run beside it
        self.resize(1280, 800)
        centre = QWidget()
        centre.setObjectName("page")
        self._column = QVBoxLayout(centre)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._column.addWidget(self._banner())
        self._pages = QStackedWidget()
        self.debriefing = DebriefPage()
        self.debriefing.again.clicked.connect(self.start)
        self.debriefing.leave.clicked.connect(self.close)
        self._pages.addWidget(self.debriefing)
        self._column.addWidget(self._pages, 1)
        self.setCentralWidget(centre)
        self.practice: Practice | None = None
        self.roast: RoastView | None = None
        self._space = SpaceKey(self, self._roasting, self._mark)
        self._tick = QTimer(self)
        self._tick.timeout.connect(self._on_tick)
        self.start()

    def _banner(self) -> QWidget:
        banner = QFrame()
        banner.setObjectName("practice")
        row = QHBoxLayout(banner)
        row.setContentsMargins(14, 6, 14, 6)
        self._title, self._seen = label(tr("Practice"), "heading"), ElidedLabel("practiceSeen")
        self.speed = QComboBox()
        self.speed.setAccessibleName(tr("Speed"))
        self.speed.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        for speed in SPEEDS:
            self.speed.addItem(tr("{} times as fast", speed) if speed > 1 else tr("as fast as life"), float(speed))
        self.speed.currentIndexChanged.connect(self._on_speed)
        row.addWidget(self._title)
        row.addWidget(label(tr("nothing of it is kept · + − pace"), "soft"))
        row.addWidget(self._seen, 1)
        row.addWidget(self.speed)
        return banner

    def start(self) -> None:
        """Begin a practice."""
        self._end()
        practice = self.practice = self._begin()
        practice.desk.look_by(partial(Background(self, practice.desk.session.say).run, "forecast"))
        self.roast = RoastView(practice.desk, self._look)
        practice.desk.listen(self.roast.request_refresh)
        self._pages.addWidget(self.roast)
        self._pages.setCurrentWidget(self.roast)
        self._on_speed()
        self._tick.start(TICK_MS)
        self.roast.setFocus(Qt.FocusReason.OtherFocusReason)

    def _roasting(self) -> bool:
        return self.practice is not None and self.practice.desk.session.roasting

    def _mark(self) -> None:
        if self.practice is not None:
            self.practice.desk.session.space(self.practice.desk.clock.now())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """All by keys: + and - set the pace; after the debrief Enter practises again and Escape leaves."""
        if event is None:
            return
        if event.text() in ("+", "-"):
            step = 1 if event.text() == "+" else -1
            self.speed.setCurrentIndex(min(max(self.speed.currentIndex() + step, 0), self.speed.count() - 1))
        elif event.key() == Qt.Key.Key_Escape and self._pages.currentWidget() is self.debriefing:
            self.close()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._pages.currentWidget() is self.debriefing:
            self.start()
        else:
            super().keyPressEvent(event)

    def _on_speed(self) -> None:
        if self.practice is not None:
            self.practice.set_speed(self.speed.currentData())
        if self.roast is not None:
            self.roast.setFocus(Qt.FocusReason.OtherFocusReason)

    def _on_tick(self) -> None:
        practice = self.practice
        if practice is None:
            return
        practice.tick()
        self._seen.show_text(practice.seen)
        session = practice.desk.session
        drop = next((mark for kind, mark in session.marks.items() if kind.value == "drop"), None)
        if drop is not None and session.now() - drop.t > DEBRIEF_AFTER_S:
            self._tick.stop()
            self._seen.show_text("")
            self.debriefing.show_debrief(debrief(practice, practice.desk.settings.units), practice.plan)
            self._pages.setCurrentWidget(self.debriefing)
            self.debriefing.again.setFocus(Qt.FocusReason.OtherFocusReason)

    def _end(self) -> None:
        self._tick.stop()
        for background in self.findChildren(Background):
            background.finish()
            background.deleteLater()
        if self.roast is not None:
            self.roast.stop()
            self._pages.removeWidget(self.roast)
            self.roast.deleteLater()
            self.roast = None
        if self.practice is not None:
            self.practice.close()
            self.practice = None

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Throw away what runs."""
        self._space.stop()
        self._end()
        super().closeEvent(event)


class DebriefPage(QWidget):
    """Shows a `Debrief`."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        self._title, self._points = label("", "title"), label("", "debriefPoints")
        self._surprise, self._advice = label("", "", wrap=True), label("", "heading", wrap=True)
        head = QHBoxLayout()
        words = QVBoxLayout()
        for widget in (self._title, self._surprise, self._advice):
            words.addWidget(widget)
        head.addLayout(words, 1)
        head.addWidget(self._points)
        column.addLayout(head)
        row = QHBoxLayout()
        self._grids: dict[str, QGridLayout] = {}
        for part, title in PARTS:
            frame, inside = card()
            inside.addWidget(label(title, "heading"))
            area, within = QScrollArea(), QWidget()
            area.setAccessibleName(title)
            area.setObjectName("bare")
            area.setFrameShape(QFrame.Shape.NoFrame)
            area.setWidgetResizable(True)
            self._grids[part] = QGridLayout(within)
            self._grids[part].setColumnStretch(0, 1)
            self._grids[part].setHorizontalSpacing(12)
            self._grids[part].setContentsMargins(0, 0, 0, 0)
            area.setWidget(within)
            inside.addWidget(area, 1)
            row.addWidget(frame, 1)
        column.addLayout(row, 1)
        foot = QHBoxLayout()
        self.again, self.leave = button(tr("Practise again"), tr("With another surprise"), primary=True), button(tr("Leave"))
        foot.addStretch(1)
        foot.addWidget(self.leave)
        foot.addWidget(self.again)
        column.addLayout(foot)

    def show_debrief(self, told: Debrief, plan: Plan) -> None:
        """Show these grades."""
        self._title.setText(tr("Debrief: {}", plan.name))
        self._points.setText(tr("{:.0f} %", 100 * told.points))
        self._surprise.setText(told.surprise)
        self._advice.setText(told.advice)
        for part, _ in PARTS:
            grid = self._grids[part]
            empty(grid)
            rows = [one for one in told.graded if one.part == part]
            for index, one in enumerate(rows):
                grade = label(meant("verdict", one.grade))
                rename(grade, {"held": "good", "close": "close", "missed": "warn"}[one.grade])
                what, came = label(one.text, "", wrap=True), label(one.came, "soft", wrap=True)
                grid.addWidget(what, 2 * index, 0)
                grid.addWidget(grade, 2 * index, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
                grid.addWidget(came, 2 * index + 1, 0, 1, 2)
            grid.setRowStretch(2 * len(rows), 1)
