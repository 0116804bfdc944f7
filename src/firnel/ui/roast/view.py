"""The Roast view: cue on top, curves on the left, the batch on the right, keys for everything."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPaintEvent, QResizeEvent, QShortcut, QShowEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.vocabulary import MarkKind, Role
from firnel.core.words import tr
from firnel.ui.roast.cue_panel import CuePanel
from firnel.ui.roast.entry_strips import EntryStrips
from firnel.ui.roast.landing import FarLanding
from firnel.ui.roast.preparing import Preparing
from firnel.ui.roast.side_column import SideColumn
from firnel.ui.roast.told_strip import ToldStrip
from firnel.ui.roast.weighing_up import WeighingUp
from firnel.ui.shared.actions import ROAST, bind
from firnel.ui.shared.key_press import KeyPress
from firnel.ui.shared.parts import ElidedLabel, card, label, rename
from firnel.ui.shared.station import Station
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M
from firnel.work.day.labels import PREFIX
from firnel.work.desk import Desk, LinkState
from firnel.work.roast.advice_words import Told, told_line
from firnel.work.roast.before_charge import tick_next
from firnel.work.roast.cue import cue_of
from firnel.work.roast.picture import roast_picture

if TYPE_CHECKING:
    from firnel.ui.roast.curves import RoastCurves

#: The size at which the view is drawn as it is, without the rail; larger, it grows. In far mode it is so much larger.
NEAR_SIZE, FAR, LEAST_SIZE = (1188, 800), 2.0, (740, 560)
#: Narrower than this (large text on a common screen) the cue is smaller, by this share at most. [px]
NARROW, LEAST_SCALE = 940, 0.75
#: The curves are drawn at most this often [ms], and the clocks this often.
LEAST_FRAME_MS, TICK_MS = 40, 250


class RoastView(Station):
    """Drives the desk's session."""

    recorded = pyqtSignal()  # a batch was saved
    painted = pyqtSignal()  # for the first time, the curves not yet there
    ready = pyqtSignal()  # the curves are there
    own_window_wanted = pyqtSignal()
    far_changed = pyqtSignal(bool)

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._desk = desk
        self._phase = ""
        self._painted = False
        self.far = False
        self.answer_above: Callable[[], bool] = lambda: False  #: says yes to a question above the view, if one stands
        self._shortcuts: list[QShortcut] = []
        self.setMinimumSize(*LEAST_SIZE)  # its own, whatever is as large as the window was
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
        self.cue, self.told = CuePanel(lambda: self._desk.settings.motion != "never"), ToldStrip()
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
        self._side, self._far_landing = SideColumn(look), FarLanding(look)
        self.prepare, self.weigh = self._side.prepare, self._side.weigh
        row.addWidget(self._side)
        row.addWidget(self._far_landing)
        self._far_landing.hide()
        column.addLayout(row, 1)
        foot = QHBoxLayout()
        self._link = label("", "soft")
        self._message = ElidedLabel("message")
        foot.addWidget(self._message, 1)
        foot.addWidget(self._link)
        column.addLayout(foot)
        self._add_strips()

    def _add_strips(self) -> None:
        self.strips = EntryStrips(self._desk, self)
        self.strips.recorded.connect(self.recorded.emit)
        self.preparing = Preparing(self._desk, self.prepare, self._say, self)
        self.preparing.sheet_wanted.connect(partial(self._side.turn_to, self.prepare))
        self.preparing.begun.connect(self._leave_prepare)
        self.prepare.cancelled.connect(self._leave_prepare)
        self.weighing = WeighingUp(self._desk, self.weigh, self)
        self.weighing.sheet_wanted.connect(self._show_side)
        self.weighing.weighed.connect(self._on_weighed)

    @property
    def curves(self) -> RoastCurves:
        """The curves. Plotting is slow to load, so they are made once the window has been painted without them."""
        if self._curves is None:
            from firnel.ui.roast.curves import RoastCurves

            self._curves = RoastCurves(self._look)
            self._curves.set_far(self.far)
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
        session = self._desk.session

        def now() -> float:
            return self._desk.clock.now()

        handlers: dict[str, Callable[[], object]] = {
            "mark": lambda: session.space(now()),
            "confirm": self._confirm,
            "dismiss": session.dismiss,
            "next": self.take_next,
            "label": self.strips.label.ask,
            "undo": session.undo,
            "other": session.other,
            "pick": session.pick,
            "nudge back": partial(session.nudge, -1.0),
            "nudge on": partial(session.nudge, 1.0),
            "nudge far back": partial(session.nudge, -5.0),
            "nudge far on": partial(session.nudge, 5.0),
            "colour": self.strips.ask_colour,
            "smell": self.strips.ask_smell,
            "remark": self.strips.remark.ask,
            "outlier": lambda: session.lone_pop(now()),
            "abandon": self.begin_abandon,
            "far": lambda: self.set_far(not self.far),
            "second screen": self.own_window_wanted.emit,
            "crack ends": lambda: session.mark(MarkKind.FIRST_CRACK_END, now()),
            "second crack": lambda: session.mark(MarkKind.SECOND_CRACK, now()),
            "prepare": self.begin_prepare,
            "weigh": self.begin_weigh,
            "advice": lambda: session.take_advice(now()),
        }
        for name, which in (("heat", None), ("air", Role.AIRFLOW), ("drum", Role.MOTION)):
            handlers[f"{name} up"] = partial(self._step, which, 1)
            handlers[f"{name} down"] = partial(self._step, which, -1)
        handlers |= {"choose control": session.choose_control, "set control": self.strips.setting.ask}
        self._handlers = handlers
        for press in self.findChildren(KeyPress):
            if press.name in handlers:
                press.serve(handlers[press.name])
        self.bind_anew()
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._on_focus)

    def bind_anew(self) -> None:
        """The keys as they are set now."""
        for shortcut in self._shortcuts:
            shortcut.setEnabled(False)
            shortcut.deleteLater()
        self._shortcuts = bind(self, ROAST, self._handlers, whole_window=False)
        for press in self.findChildren(KeyPress):
            press.name_anew()

    def _on_focus(self, _old: QWidget | None, new: QWidget | None) -> None:
        """Keys drive the roast only while no sheet or strip has the cursor: there Enter and Space are its own."""
        typing = _holds((self.prepare, self.weigh, *self.strips.all), new)
        for shortcut in self._shortcuts:
            shortcut.setEnabled(not typing)

    def stop(self) -> None:
        """Draw no more, and let go of what calls back."""
        self._tick.stop()
        self._frame_timer.stop()
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.disconnect(self._on_focus)

    def _step(self, role: Role | None, count: int) -> None:
        """The main control of a role, or the chosen one, some steps on."""
        session = self._desk.session
        session.step_control(session.chosen if role is None else session.main_of(role), count, self._desk.clock.now())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A digit begins a hand reading; Escape leaves a sheet."""
        if event is None:
            return
        if event.text().isdecimal() and self._desk.by_hand is not None:
            self.strips.ask_reading(event.text())
        elif event.text() == PREFIX[0]:  # a scanner types the whole code
            self.strips.label.ask(event.text())
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
        picture = roast_picture(self._desk.session, self._desk.settings, self.preparing.following)
        self.cue.show_cue(picture.cue)
        if self._curves is not None:
            self._curves.show_picture(picture)
        self._side.show_picture(picture, self.preparing.waiting)
        self._far_landing.show_picture(picture.landing)
        self._show_told(picture.told)
        self.prepare.show_unnamed(self._desk.session.label if self._desk.session.roasting else "")
        if picture.phase != self._phase:
            self._enter_phase(picture.phase)
        self._show_foot(self._desk.settings.units.sentence(picture.trouble or picture.message), bool(picture.trouble))

    def _show_told(self, told: Told) -> None:
        session = self._desk.session
        self.told.show_told(told)
        # A warning that fills the cue says it all; there is no room for another.
        self.told.setVisible(session.roasting and session.past_limit is None)

    def _on_painted(self) -> None:
        """The frame is on the screen: remember what it cost."""
        self._frame_cost_ms = min(self._since_frame.elapsed(), 500)

    def _show_foot(self, text: str, trouble: bool) -> None:
        link = self._desk.link
        broken = link.state in (LinkState.LOST, LinkState.SILENT)
        self._message.show_text(text or (link.sentence if broken else ""))
        name = "warn" if trouble or (broken and not text) else "message"
        rename(self._message, name)
        words = {
            LinkState.LIVE: tr("readings come in") if self._desk.by_hand is None else tr("readings by hand"),
            LinkState.OFF: tr("no machine"),
            LinkState.CONNECTING: tr("connecting"),
        }
        self._link.setText(words.get(link.state, tr("no readings")))

    def _on_tick(self) -> None:
        if not self.isVisible():
            return
        settings = self._desk.settings
        self._desk.tick()
        self.cue.show_cue(cue_of(self._desk.session, settings.units, settings.cooling_aim_s, self.preparing.following))
        self._show_told(told_line(self._desk.session, settings.units))

    def _enter_phase(self, phase: str) -> None:
        previous, self._phase = self._phase, phase
        session = self._desk.session
        self._look_for_following()
        if phase == "cooling":
            self.weighing.begin_cooling()
            self._show_side()
        elif self._side.preparing and session.roasting:
            # Charged meanwhile: keys drive the roast, and the sheet stays, to be filled in.
            self.setFocus(Qt.FocusReason.OtherFocusReason)
        elif not self._side.preparing and (self.weighing.owed is None or previous):
            self._show_side()
            if not _holds(self.strips.all, QApplication.focusWidget()):  # a mark that is found takes nobody's words for keys
                self.setFocus(Qt.FocusReason.OtherFocusReason)

    def _show_side(self) -> None:
        """The column that belongs to the phase, unless another batch is being weighed."""
        self._side.show_phase(self._phase, self.weighing.owed is not None)

    # Far

    def set_far(self, far: bool) -> None:
        """Cue and landing twice as large, for three metres; nothing that is only read near by."""
        self.far = far
        self._side.setVisible(not far)
        self._far_landing.setVisible(far)
        if self._curves is not None:
            self._curves.set_far(far)
        self._scale()
        self.far_changed.emit(far)
        self.request_refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Text and cue grow with the window."""
        super().resizeEvent(event)
        self._scale()

    def _scale(self) -> None:
        across, down = self.width() / NEAR_SIZE[0], self.height() / NEAR_SIZE[1]
        grown = min(max(min(across, down), 1.0), 2.4) if self.width() >= NARROW else max(self.width() / NARROW, LEAST_SCALE)
        scale = max(1.0, min(across, down)) * FAR if self.far else grown
        self.cue.set_scale(scale)
        self.told.set_scale(1.0 + 0.6 * (scale - 1.0) if scale > 1.0 else scale)
        self._far_landing.setFixedWidth(int(0.35 * self.width()))

    def showEvent(self, event: QShowEvent | None) -> None:
        """What waits may have changed meanwhile."""
        super().showEvent(event)
        self._look_for_following()

    def _look_for_following(self) -> None:
        self.preparing.look(self._phase in ("", "idle", "cooling"))

    # What the user does

    def begin_prepare(self) -> None:
        """Open the prepare sheet."""
        self.preparing.begin()

    def take_next(self) -> None:
        """Prepare the batch that waits next."""
        self.preparing.take_next()

    def _confirm(self) -> None:
        session, now = self._desk.session, self._desk.clock.now()
        if session.phase == "idle" and self.answer_above():
            return
        if session.phase in ("ready", "cooling"):
            tick_next(session, now)
        else:
            session.confirm_move(now)

    def _say(self, sentence: str) -> None:
        self._desk.session.say(sentence)  # what only stood there would be gone with the next reading

    def _leave_prepare(self) -> None:
        self.weighing.leave()
        self._show_side()
        self.setFocus(Qt.FocusReason.OtherFocusReason)

    def begin_abandon(self) -> None:
        """Ask how the batch ends otherwise: a second key says it."""
        self.strips.ask_ending()

    def begin_weigh(self) -> None:
        """The weighing figures of the batch that cools, or of the last one that was not weighed, whatever runs meanwhile."""
        self.weighing.begin()

    def _on_weighed(self) -> None:
        self._leave_prepare()
        self.recorded.emit()


def _holds(parts: Iterable[QWidget], focus: QWidget | None) -> bool:
    """Whether the cursor is in one of these."""
    return focus is not None and any(part is focus or part.isAncestorOf(focus) for part in parts)
