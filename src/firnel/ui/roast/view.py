"""The Roast view: cue on top, curves on the left, the batch on the right, keys for everything."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QPaintEvent, QShortcut
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from firnel.core.vocabulary import Control, MarkKind
from firnel.ui.roast.cue_panel import CuePanel
from firnel.ui.roast.prepare_sheet import PrepareSheet
from firnel.ui.roast.side_cards import SideCards
from firnel.ui.roast.strips import LineStrip, WordStrip
from firnel.ui.roast.told_strip import ToldStrip
from firnel.ui.shared.parts import ElidedLabel, card, label
from firnel.ui.shared.weigh_sheet import Results, WeighSheet
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SIDE_WIDTH, SPACE_M
from firnel.work.advice_words import told_line
from firnel.work.cue import cue_of
from firnel.work.desk import Desk, LinkState
from firnel.work.roast_picture import roast_picture
from firnel.work.roast_session import BatchOrder

if TYPE_CHECKING:
    from firnel.ui.roast.curves import RoastCurves

#: The curves are drawn at most this often [ms], and the clocks this often.
LEAST_FRAME_MS, TICK_MS = 40, 250

#: Keys of the Roast view, as the key sheet tells them.
ROAST_KEYS = (
    ("Space", "mark what is expected next: charge, yellow, first crack, drop"),
    ("Enter", "the next planned move is done"),
    ("A", "take the advice"),
    ("Z", "undo the last key"),
    ("[  ]", "nudge the last mark by 1 s ({ } by 5 s)"),
    ("Up  Down", "gas or heat one step, where the machine does not report it"),
    ("Right  Left", "airflow one step"),
    ("PgUp  PgDn", "drum one step"),
    ("C, then 1-9", "colour on the trier"),
    ("S, then 1-9", "smell"),
    ("R", "remark"),
    ("E", "first crack ends"),
    ("X", "second crack"),
    ("N", "prepare the next batch"),
    ("W", "to the weighing figures"),
    ("0-9", "a reading by hand, stamped at the first key"),
)


class RoastView(QWidget):
    """Drives the desk's session."""

    recorded = pyqtSignal()  # a batch was saved
    painted = pyqtSignal()  # for the first time, the curves not yet there
    ready = pyqtSignal()  # the curves are there

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._desk = desk
        self._phase = ""
        self._painted = False
        self._shortcuts: list[QShortcut] = []
        self._build(look)
        self._frame_cost_ms = 0
        self._frame_timer = QTimer(self)
        self._frame_timer.setSingleShot(True)
        self._frame_timer.timeout.connect(self.refresh)
        self._since_frame = QElapsedTimer()
        self._since_frame.start()
        self._tick = QTimer(self)
        self._tick.timeout.connect(self._on_tick)
        self._tick.start(TICK_MS)
        self._bind_keys()

    def _build(self, look: Look) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 10)
        column.setSpacing(8)
        self.cue, self.told = CuePanel(), ToldStrip()
        column.addWidget(self.cue)
        column.addWidget(self.told)
        row = QHBoxLayout()
        row.setSpacing(SPACE_M)
        self._look = look
        self._curves: RoastCurves | None = None
        self._curves_place = QVBoxLayout()
        self._empty_curves, _ = card()
        self._curves_place.addWidget(self._empty_curves)
        row.addLayout(self._curves_place, 1)
        self._cards, self.prepare, self.weigh = SideCards(look), PrepareSheet(), WeighSheet()
        self._side = QStackedWidget()
        self._side.setFixedWidth(SIDE_WIDTH)
        self._cooling = QWidget()
        cooling = QVBoxLayout(self._cooling)
        cooling.setContentsMargins(0, 0, 0, 0)
        self._cooled_cards = SideCards(look, short=True)
        # While it cools there is nothing to be told, and the room of that line is these cards'.
        self._cooled_cards.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
        self._cooled_cards.setMinimumHeight(190)
        cooling.addWidget(self.weigh)
        cooling.addWidget(self._cooled_cards, 1)
        for page in (self._cards, self.prepare, self._cooling):
            self._side.addWidget(page)
        row.addWidget(self._side)
        column.addLayout(row, 1)
        foot = QHBoxLayout()
        self._link = label("", "soft")
        self._message = ElidedLabel("message")
        foot.addWidget(self._message, 1)
        foot.addWidget(self._link)
        column.addLayout(foot)
        self._words = WordStrip(self)
        self._remark, self._hand = LineStrip(self, "Remark"), LineStrip(self, "Bean reading")
        self._words.chosen.connect(self._desk.session.note)
        self._remark.entered.connect(self._on_remark)
        self._hand.entered.connect(self._on_hand)
        self._hand.cancelled.connect(self._on_hand_cancelled)
        self.prepare.prepared.connect(self._on_prepared)
        self.prepare.cancelled.connect(self._leave_prepare)
        self.weigh.saved.connect(self._on_weighed)

    @property
    def curves(self) -> RoastCurves:
        """The curves. Plotting is slow to load, so they are made once the window has been painted without them."""
        if self._curves is None:
            from firnel.ui.roast.curves import RoastCurves

            self._curves = RoastCurves(self._look)
            self._curves_place.replaceWidget(self._empty_curves, self._curves)
            self._empty_curves.deleteLater()
            self.request_refresh()
        return self._curves

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The first one tells that the window is there, and brings the curves."""
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self._tell_painted)

    def _tell_painted(self) -> None:
        self.painted.emit()
        QTimer.singleShot(0, self._bring_curves)

    def _bring_curves(self) -> None:
        _ = self.curves
        self.ready.emit()

    def _bind_keys(self) -> None:
        now, session = self._desk.clock.now, self._desk.session
        actions: dict[str, Callable[[], object]] = {
            "Space": lambda: session.mark_next(now()),
            "Return": lambda: session.confirm_move(now()),
            "Enter": lambda: session.confirm_move(now()),
            "Z": session.undo,
            "[": partial(session.nudge, -1.0),
            "]": partial(session.nudge, 1.0),
            "{": partial(session.nudge, -5.0),
            "}": partial(session.nudge, 5.0),
            "C": lambda: self._words.ask("colour", self._desk.settings.colour_words, now()),
            "S": lambda: self._words.ask("smell", self._desk.settings.smell_words, now()),
            "R": self._remark.ask,
            "E": lambda: session.mark(MarkKind.FIRST_CRACK_END, now()),
            "X": lambda: session.mark(MarkKind.SECOND_CRACK, now()),
            "N": self.begin_prepare,
            "W": self.weigh.take_focus,
            "A": lambda: session.take_advice(now()),
        }
        steps = {
            "Up": (Control.GAS, 1),
            "Down": (Control.GAS, -1),
            "Right": (Control.AIRFLOW, 1),
            "Left": (Control.AIRFLOW, -1),
        }
        steps |= {"PgUp": (Control.DRUM, 1), "PgDown": (Control.DRUM, -1)}
        for key, (control, count) in steps.items():
            actions[key] = partial(self._step, control, count)
        for key, action in actions.items():
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.setAutoRepeat(key in steps)
            shortcut.activated.connect(action)
            self._shortcuts.append(shortcut)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._on_focus)

    def _on_focus(self, _old: QWidget | None, new: QWidget | None) -> None:
        """Keys drive the roast only while no sheet or strip has the cursor: there Enter and Space are its own."""
        sheets = (self.prepare, self.weigh, self._words, self._remark, self._hand)
        typing = new is not None and any(sheet is new or sheet.isAncestorOf(new) for sheet in sheets)
        for shortcut in self._shortcuts:
            shortcut.setEnabled(not typing)

    def _step(self, control: Control, count: int) -> None:
        self._desk.session.step_control(control, count, self._desk.clock.now())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A digit begins a hand reading; Escape leaves a sheet."""
        if event is None:
            return
        if event.text().isdecimal() and self._desk.by_hand is not None:
            self._desk.by_hand.begin()
            self._hand.ask(event.text())
        elif event.key() == Qt.Key.Key_Escape:
            self._leave_prepare()
        else:
            super().keyPressEvent(event)

    # What is shown

    def request_refresh(self) -> None:
        """Something changed: draw now, or as soon as the last frame is old enough."""
        # A frame may take a third of the time at most: keys and readings come first, however fast they are.
        left = max(LEAST_FRAME_MS, 3 * self._frame_cost_ms) - self._since_frame.elapsed()
        if left <= 0:
            self.refresh()
        elif not self._frame_timer.isActive():
            self._frame_timer.start(int(left))

    def refresh(self) -> None:
        """Draw the session as it stands."""
        self._since_frame.restart()
        if not self.isVisible():
            return
        QTimer.singleShot(0, self._on_painted)
        picture = roast_picture(self._desk.session, self._desk.settings)
        self.cue.show_cue(picture.cue)
        if self._curves is not None:
            self._curves.show_picture(picture)
        cards = self._cooled_cards if picture.phase == "cooling" else self._cards
        cards.show_picture(picture)
        self.told.show_told(picture.told)
        self.told.setVisible(picture.phase in ("drying", "browning", "development"))
        if picture.phase != self._phase:
            self._enter_phase(picture.phase)
        self._show_foot(picture.trouble or picture.message, bool(picture.trouble))

    def _on_painted(self) -> None:
        """The frame is on the screen: remember what it cost."""
        self._frame_cost_ms = min(self._since_frame.elapsed(), 500)

    def _show_foot(self, text: str, trouble: bool) -> None:
        link = self._desk.link
        broken = link.state in (LinkState.LOST, LinkState.SILENT)
        self._message.show_text(text or (link.sentence if broken else ""))
        name = "warn" if trouble or (broken and not text) else "message"
        if self._message.objectName() != name:
            self._message.setObjectName(name)
            self._message.setStyleSheet(self._message.styleSheet())
        words = {LinkState.LIVE: "readings come in", LinkState.OFF: "no machine", LinkState.CONNECTING: "connecting"}
        self._link.setText(words.get(link.state, "no readings"))

    def _on_tick(self) -> None:
        if not self.isVisible():
            return
        settings = self._desk.settings
        self.cue.show_cue(cue_of(self._desk.session, settings.units, settings.cooling_aim_s))
        self.told.show_told(told_line(self._desk.session, settings.units))

    def _enter_phase(self, phase: str) -> None:
        previous, self._phase = self._phase, phase
        session = self._desk.session
        if phase == "cooling":
            self.weigh.begin(f"Weigh batch {session.label}", session.order.load_kg, self._desk.settings.units)
            self._side.setCurrentWidget(self._cooling)
        elif self._side.currentWidget() is self._cooling or (previous and phase not in ("idle",)):
            self._side.setCurrentWidget(self._cards)
            self.setFocus(Qt.FocusReason.OtherFocusReason)

    # What the user does

    def begin_prepare(self) -> None:
        """Open the prepare sheet."""
        if self._desk.session.phase in ("drying", "browning", "development"):
            self._message.show_text(f"Batch {self._desk.session.label} is in the drum: drop it first.")
            return
        library = self._desk.library
        machines = library.machines()
        self.prepare.offer(library.lots(), machines, library.plans(), self._desk.session.machine, self._desk.settings.units)
        self._side.setCurrentWidget(self.prepare)

    def _on_prepared(self, order: BatchOrder) -> None:
        from dataclasses import replace

        lot = order.lot
        if lot is not None and lot.id is None:
            lot = self._desk.library.save_lot(lot)
        try:
            self._desk.session.prepare(replace(order, lot=lot))
        except ValueError as error:
            self.prepare.say(str(error))
            return
        self._leave_prepare()

    def _leave_prepare(self) -> None:
        self._side.setCurrentWidget(self._cooling if self._desk.session.phase == "cooling" else self._cards)
        self.setFocus(Qt.FocusReason.OtherFocusReason)

    def _on_weighed(self, results: Results) -> None:
        try:
            self._desk.session.weigh(results.roasted_kg, results.colour_whole, results.colour_ground, results.remark)
        except ValueError as error:
            self.weigh.say(str(error))
            return
        self._side.setCurrentWidget(self._cards)
        self.setFocus(Qt.FocusReason.OtherFocusReason)
        self.recorded.emit()

    def _on_remark(self, text: str) -> None:
        self._desk.session.note("remark", text, self._desk.clock.now())

    def _on_hand(self, text: str) -> None:
        hand = self._desk.by_hand
        if hand is None:
            return
        try:
            shown = float(text.replace(",", "."))
            hand.enter(self._desk.settings.units.read(shown, "°C"))
        except ValueError as error:
            hand.cancel()
            self._message.show_text(f"Not taken: {error}")

    def _on_hand_cancelled(self) -> None:
        if self._desk.by_hand is not None:
            self._desk.by_hand.cancel()
