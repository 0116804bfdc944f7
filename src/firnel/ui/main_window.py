"""The window: rail, now line, the seven views, palette, settings and key sheet."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.core.words import tr
from firnel.ui.above import Above
from firnel.ui.ahead import REST_MS, Ahead
from firnel.ui.beside import Beside
from firnel.ui.dropped import Dropped
from firnel.ui.finder import Finder
from firnel.ui.floor_note import FloorNote
from firnel.ui.machines.teaching import Teaching
from firnel.ui.roast.view import RoastView
from firnel.ui.shared.actions import EVERYWHERE, STATIONS, bind, use_keys
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.background import Background, Hop
from firnel.ui.shared.command_palette import CommandPalette
from firnel.ui.shared.frame import Rail, ServerNote
from firnel.ui.shared.questions import agreed, told
from firnel.ui.shared.reading_order import next_in_order
from firnel.ui.shared.sheets import Notice
from firnel.ui.shared.space_key import SpaceKey
from firnel.ui.shared.station import Station
from firnel.ui.shared.tour import Tour
from firnel.ui.stations import Stations
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import WINDOW
from firnel.ui.unfinished import Unfinished
from firnel.ui.view_maker import load_views
from firnel.work.beginning import has_roasted, is_empty
from firnel.work.desk import AddressError, Desk, LinkState, LinkStatus
from firnel.work.library_care import copy_of_today
from firnel.work.review.records import LibraryError
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings

if TYPE_CHECKING:
    from firnel.ui.day.now_page import NowPage
    from firnel.ui.day.view import DayView
    from firnel.ui.plan.view import PlanView
    from firnel.work.opened import Opened

#: How often it is looked whether the day's copy of the library is there. [ms]
COPY_EVERY_MS = 3_600_000
#: How long after the start machines are learned: the window comes first. [ms]
LEARN_AFTER_MS = 3000


class MainWindow(QMainWindow):
    """Shows one desk.

    Parameters
    ----------
    desk : what the views work on.
    look : the theme.
    on_settings : keeps changed settings.
    hop : brings calls from other threads over to the window's.
    """

    def __init__(self, desk: Desk, look: Look, on_settings: Callable[[Settings], None], hop: Hop) -> None:
        super().__init__()
        self.hop = hop
        self._leaving, self._begun = False, False
        self.desk, self.look, self._keep_settings = desk, look, on_settings
        self.setWindowTitle("Firnel")
        self.resize(*WINDOW)
        self.rail, self.notice = Rail(look), Notice()
        self.above = Above(desk, self)
        self.roast = RoastView(desk, look)
        self.roast.recorded.connect(self.after_record)
        self.roast.own_window_wanted.connect(lambda: self.beside.open_second_screen())
        self.roast.far_changed.connect(self._on_far)
        self.roast.answer_above = self.notice.accept
        self.beside = Beside(self)
        self.server_note, self.tour = ServerNote(), Tour()
        self._space = SpaceKey(self, lambda: desk.session.roasting, self._mark)
        self.stations = Stations(self, self.roast)
        self._lay_out()
        self._asking = Asking(desk, self, self.refuse)
        self.finder = Finder(self, self._named_actions, self._asking)
        self.palette_sheet = CommandPalette(self, self.finder.actions, self.finder.names, self.finder.batches)
        self._aside = Background(self, desk.session.say)
        self._left = Unfinished(desk, self.notice, self._aside, partial(self.show_station, "Roast"))
        self._teaching = Teaching(desk, self)
        self._ahead = Ahead(self, self._upcoming, self._rested)
        self._teaching.learned.connect(self._show_anew)
        self._floor = FloorNote(desk, self.server_note, self._stations_page, self.tell, self._show_anew)
        desk.listen(self._on_change, self._on_link, self._floor.hear)
        self.rail.chosen.connect(self.show_station)
        self.rail.find_wanted.connect(self.palette_sheet.open)
        self.rail.begin_wanted.connect(partial(self.show_station, "Beginning"))
        self.above.now_line.clicked.connect(partial(self.show_station, "Roast"))
        self._bind_keys()
        Dropped(self, self.open_files, self.beside.open_old_logs)
        self._tick = QTimer(self)
        self._tick.timeout.connect(self._show_now)
        self._tick.start(250)
        self.show_station("Roast")

    def _lay_out(self) -> None:
        centre = QWidget()
        centre.setObjectName("page")
        row = QHBoxLayout(centre)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self.above.alarm)
        column.addWidget(self.above.typing)
        column.addWidget(self.above.now_line)
        column.addWidget(self.server_note)
        column.addWidget(self.notice)
        column.addWidget(self.tour)
        column.addWidget(self.stations.pages.area, 1)
        row.addLayout(column, 1)
        self.setCentralWidget(centre)
        self.above.hide()
        self.server_note.hide()

    def _bind_keys(self) -> None:
        self._handlers: dict[str, Callable[[], object]] = {
            f"station {name}": partial(self.show_station, name) for name in STATIONS
        }
        self._handlers |= {
            "find": self.palette_sheet.open,
            "settings": self.beside.open_settings,
            "theme": self.toggle_theme,
            "keys": self.beside.open_keys,
            "handbook": self.beside.open_handbook,
            "leave": self.close,
            "disconnect": self.desk.disconnect,
            "begin": partial(self.show_station, "Beginning"),
            "old logs": self.beside.open_old_logs,
        }
        self._shortcuts = bind(self, EVERYWHERE, self._handlers, whole_window=True)

    def _bind_anew(self) -> None:
        """The keys as they are set now; those of Plan and Review hold from the next start on."""
        for shortcut in self._shortcuts:
            shortcut.setEnabled(False)
            shortcut.deleteLater()
        self._shortcuts = bind(self, EVERYWHERE, self._handlers, whole_window=True)
        for roast in (self.roast, *([self.beside.second.roast] if self.beside.second is not None else [])):
            roast.bind_anew()

    # Views

    def view(self, name: str) -> Station:
        """A view, made when it is first wanted."""
        return self.stations.view(name)

    def hide_columns(self, name: str, hidden: tuple[str, ...]) -> None:
        """Columns of a list are hidden from now on, or shown again."""
        others = [entry for entry in self.desk.settings.hidden_columns if not entry.startswith(f"{name}/")]
        wanted = (*others, *(f"{name}/{heading}" for heading in hidden))
        self.use_settings(replace(self.desk.settings, hidden_columns=wanted))

    def begin_where_empty(self) -> None:
        """A library in which nothing stands yet opens on the beginning."""
        if self.desk.ask(is_empty):
            self.show_station("Beginning")
        self.show_begin()

    def show_begin(self) -> None:
        """Offer the beginning until it has led where it leads: a batch was roasted. What has once been is not asked again."""
        if not self._begun:
            self._asking.aside("begun", partial(self.desk.ask, has_roasted), self._hear_begun)

    def _hear_begun(self, begun: bool) -> None:
        self._begun = begun
        self.rail.begin.setVisible(not begun)
        self.stations.offer_begin(not begun)

    def prepare_first(self, order: BatchOrder) -> None:
        """The first batch of the house, as the beginning has it."""
        try:
            self.desk.prepare(order)
        except ValueError as error:
            self.desk.session.say(str(error))
        self.show_station("Roast")

    @property
    def shown(self) -> str:
        """The name of the view that is shown."""
        return self.stations.shown

    def show_station(self, name: str) -> None:
        """Go to a view."""
        try:
            self.stations.show(name)
        except LibraryError as error:
            self.refuse(str(error))
            return
        self.rail.show_station(name)
        if self.stations.stale():
            self._read_anew()
        if self.desk.session.roasting:
            self.view(name).setFocus(Qt.FocusReason.OtherFocusReason)  # Space is to mark here too
        self._show_now()
        if not self.stations.elsewhere:
            self.roast.refresh()

    def _read_anew(self) -> None:
        """Have the view that is shown show what the library holds."""
        self.stations.read()
        self.show_begin()

    def refuse(self, sentence: str) -> None:
        """The library does not answer; of a server that is silent a line above the view says so already."""
        self.stations.forget()
        if self.server_note.isHidden():
            self.tell(sentence)

    def _show_now(self) -> None:
        self.above.show_now(elsewhere=self.stations.elsewhere)

    def _mark(self) -> None:
        self.desk.session.space(self.desk.clock.now())

    def _on_far(self, far: bool) -> None:
        self.rail.setVisible(not far)

    def _on_change(self) -> None:
        self.roast.request_refresh()
        if self.beside.second is not None:
            self.beside.second.roast.request_refresh()

    def _on_link(self, status: LinkStatus) -> None:
        self.roast.request_refresh()
        self.stations.show_link()

    def _stations_page(self) -> NowPage | None:
        """The page on which the other stations stand, if it is looked at."""
        if self.shown != "Day":
            return None
        page = cast("DayView", self.view("Day")).now
        return page if page is not None and page.isVisible() else None

    def after_taking_over(self) -> None:
        """A batch of another station is gone on with here."""
        machine = self.desk.session.machine
        if machine is not None and machine.device_url and self.desk.link.state is LinkState.OFF:
            try:
                self.desk.connect(machine.device_url, machine)
            except AddressError as error:
                self.desk.session.say(tr("{} Connect the machine in Machines, or key its readings by hand.", error))
        self.show_station("Roast")

    def after_record(self) -> None:
        """Something was recorded: learn from it, and show it."""
        self._teaching.look()
        self._show_anew()

    def _show_anew(self) -> None:
        if self.stations.elsewhere:
            self._read_anew()

    def take_next(self) -> None:
        """Prepare the batch that waits first."""
        self.show_station("Roast")
        self.roast.take_next()

    def roast_plan(self, plan: Plan) -> None:
        """Prepare a batch of a plan."""
        self.show_station("Roast")
        self.roast.preparing.begin(plan)

    def begin_plan(self, plan: Plan) -> None:
        """Work on a plan that is not kept yet."""
        self.show_station("Plan")
        cast("PlanView", self.view("Plan")).begin_with(plan)

    def bring_in(self) -> list[str]:
        """What an earlier run could not write comes in, now or as soon as it can; in sentences."""
        return self._left.bring_in()

    def offer_unfinished(self) -> None:
        """If a batch was being recorded when Firnel ended, ask what to do with it."""
        self._left.offer()

    # Palette, settings, keys

    def _named_actions(self) -> dict[str, Callable[[], object]]:
        return self._handlers | {
            "prepare": self._prepare,
            "next": self.take_next,
            "abandon": self._abandon,
            "far": self._far,
            "second screen": self.beside.open_second_screen,
        }

    def _prepare(self) -> None:
        self.show_station("Roast")
        self.roast.begin_prepare()

    def _abandon(self) -> None:
        self.show_station("Roast")
        self.roast.begin_abandon()

    def _far(self) -> None:
        self.show_station("Roast")
        self.roast.set_far(not self.roast.far)

    def show_in(self, station: str, name: str) -> None:
        """Show what has this name in a view."""
        self.show_station(station)
        self.view(station).search_for(name)

    def show_batch(self, label: str) -> None:
        """Show a batch in Review."""
        self.show_in("Review", label)

    def open_files(self, files: Sequence[Path]) -> None:
        """Take in documents that Firnel has written, or logs, and show the last of them."""
        from firnel.work.opened import take_in_documents  # the readers of documents are slow to load

        self._aside.run("open", partial(self.desk.ask, take_in_documents, files), self._on_opened)

    def _on_opened(self, opened: Opened) -> None:
        if opened.plan:
            self.show_in("Plan", opened.plan)
        elif opened.batch:
            self.show_batch(opened.batch)
        if opened.said:
            self.tell(" ".join(opened.said))

    def use_settings(self, settings: Settings) -> None:
        """Use and keep these settings."""
        keys = settings.keys != self.desk.settings.keys
        self.desk.settings = settings
        self.write_settings(settings)
        if keys:
            use_keys(settings.keys)
            self._bind_anew()
        if settings.theme != self.look.palette.name:
            self.look.use(settings.theme)
        self.show_station(self.shown)

    def write_settings(self, settings: Settings) -> None:
        """Keep these settings for the next start; where that cannot be, it is told."""
        try:
            self._keep_settings(settings)
        except OSError as error:
            self.tell(tr("The settings cannot be written: {}. They hold until Firnel ends.", error.strerror))

    def toggle_theme(self) -> None:
        """Day or night."""
        theme = "night" if self.desk.settings.theme == "day" else "day"
        self.use_settings(replace(self.desk.settings, theme=theme))

    def tell(self, sentence: str) -> None:
        """Tell something that must not be overlooked, above the view; nothing waits for it."""
        self.notice.tell(sentence)

    def begin_learning(self) -> None:
        """Learn what batches could still teach, soon; and have the views at hand."""
        QTimer.singleShot(LEARN_AFTER_MS, self._teaching.look)
        QTimer.singleShot(LEARN_AFTER_MS // 2, lambda: self._aside.run("views", load_views, lambda _: self._ahead.begin()))

    def _upcoming(self) -> Callable[[], object] | None:
        """What somebody would wait for: that a view is made and read, and that the first tone is loaded."""
        if (view := self.stations.upcoming()) is not None:
            return view
        return self.above.sounds.make_ready if self.above.sounds.wanted else None

    def _rested(self) -> bool:
        """Whether nobody types and nothing is roasted: the window can be held for a moment."""
        return not self.desk.session.recording and self._space.rested_ms > REST_MS and QApplication.activeModalWidget() is None

    def keep_copies(self) -> None:
        """Keep a copy of the library each day, now and while the window stays open."""
        ask, today = self.desk.ask, self.desk.clock.wall()
        self._aside.run("copy", lambda: ask(copy_of_today, today), lambda _: None)
        QTimer.singleShot(COPY_EVERY_MS, self.keep_copies)

    def end(self) -> None:
        """The process was asked to end: leave without asking back, with all written."""
        self._leaving = True
        self.close()
        application = QApplication.instance()
        if application is not None:
            QTimer.singleShot(0, application.quit)  # heard also where the events are not yet waited for

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes as it is read."""
        target = next_in_order(self, next)
        if target is None:
            return False
        target.setFocus(Qt.FocusReason.TabFocusReason if next else Qt.FocusReason.BacktabFocusReason)
        return True

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Leave, with everything written."""
        if not self._leaving and not self._may_leave():
            if event is not None:
                event.ignore()
            return
        for window in self.findChildren(QMainWindow):
            window.close()  # a practice is thrown away
        for background in self.findChildren(Background):
            background.finish()
        self._tick.stop()
        self.above.awake.hold(False)
        self._space.stop()
        self._ahead.stop()
        self.stations.end()
        self.beside.close()
        if left := self.desk.shut_down():
            if self._leaving:
                print(left, file=sys.stderr)
            else:
                told(self, left)
        super().closeEvent(event)

    def _may_leave(self) -> bool:
        """Asked back where something would be lost by it, or a batch is in the drum."""
        session = self.desk.session
        if session.kept_nowhere:
            asked = tr("Part of a batch could not be written anywhere yet, and is lost if Firnel ends now. Leave all the same?")
        elif session.roasting:
            asked = tr("A batch is in the drum. Leave all the same? It can be gone on with at the next start.")
        else:
            return True
        return agreed(self, asked, tr("Leave"), tr("Stay"), risky=True)
