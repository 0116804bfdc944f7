"""The window: rail, now line, the seven views, palette, settings and key sheet."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtBoundSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMessageBox, QVBoxLayout, QWidget

from firnel.core.plan import Plan
from firnel.ui.machines.teaching import Teaching
from firnel.ui.roast.cue_panel import CuePanel
from firnel.ui.roast.second_screen import SecondScreen
from firnel.ui.roast.view import RoastView
from firnel.ui.shared.actions import ACTIONS, EVERYWHERE, STATIONS, bind, key_groups, use_keys
from firnel.ui.shared.background import Background, Hop
from firnel.ui.shared.command_palette import CommandPalette, Entry
from firnel.ui.shared.frame import NowLine, Pages, Rail, ServerNote, typing_note
from firnel.ui.shared.house_table import HouseTable
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.reading_order import next_in_order
from firnel.ui.shared.settings_dialog import SettingsDialog
from firnel.ui.shared.sheets import KeySheet, Notice
from firnel.ui.shared.sounds import Sounds
from firnel.ui.shared.space_key import SpaceKey, typing_in
from firnel.ui.shared.tour import Tour
from firnel.ui.shared.whole_words import WholeWords
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.beginning import is_empty, steps
from firnel.work.desk import AddressError, Desk, LinkState, LinkStatus
from firnel.work.library_care import copy_of_today
from firnel.work.review.records import BatchFilter, LibraryError
from firnel.work.roast.advice_words import told_line
from firnel.work.roast.announcing import Announcement, Announcer
from firnel.work.roast.cue import cue_of
from firnel.work.roast.session import BatchOrder
from firnel.work.settings import Settings
from firnel.work.stations.watch import Floor

if TYPE_CHECKING:
    from firnel.ui.day.now_page import NowPage
    from firnel.ui.shared.handbook import Handbook
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
        self._leaving = False
        self.desk, self._look, self._on_settings = desk, look, on_settings
        self.setWindowTitle("Firnel")
        self.resize(1280, 800)
        self.rail, self.now_line, self.notice = Rail(look), NowLine(), Notice()
        self._whole_words = WholeWords(self)
        self.roast = RoastView(desk, look)
        self.roast.recorded.connect(self._on_recorded)
        self.roast.own_window_wanted.connect(self.open_second_screen)
        self.roast.far_changed.connect(self._on_far)
        self._second: SecondScreen | None = None
        self._handbook: Handbook | None = None
        self.alarm, self.typing, self.server_note, self.tour = CuePanel(), typing_note(), ServerNote(), Tour()
        self._announcer, self._sounds = Announcer(), Sounds(lambda: self.desk.settings, self)
        self._space = SpaceKey(self, lambda: desk.session.roasting, self._mark)
        self._views: dict[str, QWidget] = {"Roast": self.roast}
        self.roast.setAccessibleName("Roast")
        self._pages = Pages()
        self._pages.addWidget(self.roast)
        self._lay_out()
        self.palette_sheet = CommandPalette(self, self._entries, self._find_batches)
        self._unfinished: int | None = None
        self._aside = Background(self, desk.session.say)
        self._teaching = Teaching(desk, self)
        self._teaching.learned.connect(self._show_anew)
        desk.listen(self._on_change, self._on_link, self._on_floor)
        self._silent_since: datetime | None = None
        self._told_floor: set[str] = set()
        self.rail.chosen.connect(self.show_station)
        self.rail.find_wanted.connect(self.palette_sheet.open)
        self.rail.begin_wanted.connect(partial(self.show_station, "Beginning"))
        self.now_line.clicked.connect(partial(self.show_station, "Roast"))
        self.notice.answered.connect(self._on_unfinished)
        self._bind_keys()
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
        column.addWidget(self.alarm)
        column.addWidget(self.typing)
        column.addWidget(self.now_line)
        column.addWidget(self.server_note)
        column.addWidget(self.notice)
        column.addWidget(self.tour)
        column.addWidget(self._pages.area, 1)
        row.addLayout(column, 1)
        self.setCentralWidget(centre)
        for widget in (self.now_line, self.alarm, self.typing, self.server_note):
            widget.hide()

    def _bind_keys(self) -> None:
        self._handlers: dict[str, Callable[[], object]] = {
            f"station {name}": partial(self.show_station, name) for name in STATIONS
        }
        self._handlers |= {
            "find": self.palette_sheet.open,
            "settings": self.open_settings,
            "theme": self.toggle_theme,
            "keys": self.open_keys,
            "handbook": self.open_handbook,
            "leave": self.close,
            "disconnect": self.desk.disconnect,
            "begin": partial(self.show_station, "Beginning"),
            "old logs": self.open_old_logs,
        }
        self._shortcuts = bind(self, EVERYWHERE, self._handlers, whole_window=True)

    def _bind_anew(self) -> None:
        """The keys as they are set now; those of Plan and Review hold from the next start on."""
        for shortcut in self._shortcuts:
            shortcut.setEnabled(False)
            shortcut.deleteLater()
        self._shortcuts = bind(self, EVERYWHERE, self._handlers, whole_window=True)
        for roast in (self.roast, *([self._second.roast] if self._second is not None else [])):
            roast.bind_anew()

    def _make(self, name: str) -> QWidget:
        """A view at its first showing; its code is loaded only then, so that the window is there sooner."""
        if name == "Green":
            from firnel.ui.green.view import GreenView

            return GreenView(self.desk, self._look)
        if name == "Plan":
            from firnel.ui.plan.view import PlanView

            plan = PlanView(self.desk, self._look)
            plan.roast_wanted.connect(self._on_roast_wanted)
            plan.practice_wanted.connect(self.practise)
            return plan
        if name == "Day":
            from firnel.ui.day.view import DayView

            day = DayView(self.desk, self._look)
            day.roast_wanted.connect(self._on_next_wanted)
            day.taken_over.connect(self._on_taken_over)
            return day
        if name == "Bench":
            from firnel.ui.bench.view import BenchView

            bench = BenchView(self.desk, self._look)
            bench.recorded.connect(self._on_recorded)
            bench.cup.step_begins.connect(self._on_steep)
            return bench
        if name == "Review":
            from firnel.ui.review.view import ReviewView

            review = ReviewView(self.desk, self._look)
            review.plan_wanted.connect(self._on_plan_wanted)
            review.columns_changed.connect(self._on_settings)
            return review
        if name == "Beginning":
            from firnel.ui.beginning import BeginningView

            beginning = BeginningView(self.desk)
            beginning.logs_wanted.connect(self.open_old_logs)
            beginning.batch_wanted.connect(self._on_first_batch)
            beginning.left.connect(partial(self.show_station, "Roast"))
            beginning.changed.connect(self._show_begin)
            beginning.link.settings_changed.connect(self._on_settings)
            return beginning
        from firnel.ui.machines.view import MachinesView

        machines = MachinesView(self.desk, self._look)
        machines.link.settings_changed.connect(self._on_settings)
        return machines

    # Views

    def view(self, name: str) -> QWidget:
        """A view, made when it is first wanted."""
        if name not in self._views:
            self._views[name] = self._make(name)
            self._views[name].setFocusPolicy(Qt.FocusPolicy.ClickFocus)  # a press beside all fields leaves them; Tab does not
            made = self._views[name]
            made.setAccessibleName(name)
            self._whole_words.watch(made)
            for table in made.findChildren(HouseTable):
                own = [entry for entry in self.desk.settings.hidden_columns if entry.startswith(f"{table.name}/")]
                table.hide_columns(tuple(entry.removeprefix(f"{table.name}/") for entry in own))
                table.columns_changed.connect(self._on_columns)
            for page in (made, *made.findChildren(ListPage)):
                if isinstance(begin := getattr(page, "begin_wanted", None), pyqtBoundSignal):
                    begin.connect(partial(self.show_station, "Beginning"))
            self._pages.addWidget(self._views[name])
        return self._views[name]

    def _on_columns(self, name: str, hidden: tuple[str, ...]) -> None:
        """Columns of a list are hidden from now on, or shown again."""
        others = [entry for entry in self.desk.settings.hidden_columns if not entry.startswith(f"{name}/")]
        wanted = (*others, *(f"{name}/{heading}" for heading in hidden))
        self.use_settings(replace(self.desk.settings, hidden_columns=wanted))

    def begin_where_empty(self) -> None:
        """A library in which nothing stands yet opens on the beginning."""
        if self.desk.ask(is_empty):
            self.show_station("Beginning")
        self._show_begin()

    @property
    def begun(self) -> bool:
        """Whether the beginning has led where it leads: a batch was roasted here."""
        return self.desk.ask(steps)[-1].done

    def _show_begin(self) -> None:
        self.rail.begin.setVisible(not self.begun)

    def _on_first_batch(self, order: BatchOrder) -> None:
        try:
            self.desk.prepare(order)
        except ValueError as error:
            self.desk.session.say(str(error))
        self.show_station("Roast")

    def open_old_logs(self) -> None:
        """Old logs, to be looked at and taken in."""
        from firnel.ui.machines.old_logs_sheet import OldLogsSheet

        sheet = OldLogsSheet(self.desk, self._look, self)
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.taken.connect(self._on_logs)
        sheet.open()

    def _on_logs(self, told: str) -> None:
        self.desk.session.say(told)
        self._on_recorded()

    def made_views(self) -> frozenset[str]:
        """The views that have been made so far."""
        return frozenset(self._views)

    def show_station(self, name: str) -> None:
        """Go to a view."""
        try:
            view = self.view(name)
        except LibraryError as error:
            self._refused(error)
            return
        self._pages.setCurrentWidget(view)
        self.rail.show_station(name)
        if view is not self.roast and hasattr(view, "refresh"):
            self._read_anew(view)
        if self.desk.session.roasting:
            view.setFocus(Qt.FocusReason.OtherFocusReason)  # nobody types by chance: Space is to mark here too
        self._show_now()
        if view is self.roast:
            self.roast.refresh()
            self.roast.setFocus(Qt.FocusReason.OtherFocusReason)

    def _read_anew(self, view: QWidget) -> None:
        """Have a view show what the library holds; where that does not answer, it shows what it had."""
        try:
            view.refresh()  # type: ignore[attr-defined]  # every view but Roast has it
            begun = self.begun
        except LibraryError as error:
            self._refused(error)
            return
        for page in (view, *view.findChildren(ListPage)):
            if isinstance(page, ListPage):
                page.offer_begin(not begun)

    def _refused(self, error: LibraryError) -> None:
        """The library does not answer; of a server that is silent a line above the view says so already."""
        if self.server_note.isHidden():
            self.tell(str(error))

    def _show_now(self) -> None:
        session, settings = self.desk.session, self.desk.settings
        elsewhere = self._pages.currentWidget() is not self.roast
        cue = cue_of(session, settings.units, settings.cooling_aim_s)
        danger = cue.urgency == "danger"
        # A warning of fire is as large on every station as it is on Roast.
        self.alarm.setVisible(danger and elsewhere)
        self.now_line.setVisible(session.recording and elsewhere and not danger)
        if danger and elsewhere:
            self.alarm.show_cue(cue)
        if self.now_line.isVisible():
            self.now_line.show_now(f"Batch {session.label}", cue)
        self.typing.setVisible(session.roasting and typing_in(QApplication.focusWidget()))
        told = told_line(session, settings.units)
        if (heard := self._announcer.look(cue, told, self.desk.clock.now())) is not None:
            self._sounds.announce(heard)

    def _mark(self) -> None:
        self.desk.session.space(self.desk.clock.now())

    def _on_steep(self) -> None:
        self._sounds.announce(Announcement("soon", "The next step of the cup."))

    def _on_far(self, far: bool) -> None:
        self.rail.setVisible(not far)

    def open_second_screen(self) -> None:
        """The roast in a window of its own, far, while this one does other work."""
        if self._second is None:
            self._second = SecondScreen(self.desk, self._look, self)
            self._second.closed.connect(self._on_second_closed)
        self._second.show()
        self._second.raise_()

    def _on_second_closed(self) -> None:
        self._second = None

    def _on_change(self) -> None:
        self.roast.request_refresh()
        if self._second is not None:
            self._second.roast.request_refresh()

    def _on_link(self, status: LinkStatus) -> None:
        self.roast.request_refresh()
        machines = self._views.get("Machines")
        if machines is not None and hasattr(machines, "show_link"):
            machines.show_link()

    def _on_floor(self, floor: Floor) -> None:
        """The other stations were heard of, or the server was not."""
        if (page := self._stations_page()) is not None:
            page.show_floor(floor)
        if floor.answers and self._silent_since is not None:
            self._silent_since = None
            self._show_anew()
        elif not floor.answers and self._silent_since is None:
            self._silent_since = self.desk.clock.wall().astimezone()
        self.server_note.setVisible(not floor.answers)
        if self._silent_since is not None:
            self.server_note.show_text(
                f"The server has not answered since {self._silent_since:%-H:%M}. A roast goes on; it is kept on this computer."
            )
        away = [
            f"{seen.running.station or 'A station'} was cut off while it roasted batch {seen.running.label}: see Day, Stations."
            for seen in floor.batches
            if seen.running.away and floor.answers and self._stations_page() is None
        ]
        for sentence in (floor.wrong, floor.clock_words.partition(":")[0], *away):
            if sentence and sentence not in self._told_floor:
                self._told_floor.add(sentence)
                self.tell(floor.clock_words if floor.clock_words.startswith(sentence) else sentence)

    def _stations_page(self) -> NowPage | None:
        """The page on which the other stations stand, if it is looked at."""
        page: NowPage | None = getattr(self._views.get("Day"), "now", None)
        return page if page is not None and page.isVisible() else None

    def _on_taken_over(self) -> None:
        """A batch of another station is gone on with here."""
        machine = self.desk.session.machine
        if machine is not None and machine.device_url and self.desk.link.state is LinkState.OFF:
            try:
                self.desk.connect(machine.device_url, machine)
            except AddressError as error:
                self.desk.session.say(f"{error} Connect the machine in Machines, or key its readings by hand.")
        self.show_station("Roast")

    def _on_recorded(self) -> None:
        self._teaching.look()
        self._show_anew()

    def _show_anew(self) -> None:
        current = self._pages.currentWidget()
        if current is not None and current is not self.roast and hasattr(current, "refresh"):
            self._read_anew(current)

    def practise(self, plan: Plan) -> None:
        """Open the practice window on a plan."""
        from firnel.ui.roast.practice import PracticeWindow
        from firnel.work.practice.practice import Practice

        if self.desk.session.roasting:
            self.desk.session.say("Not while beans are in the drum: a running roaster is never left.")
            self.show_station("Roast")
            return
        try:
            window = PracticeWindow(lambda: self.desk.ask(Practice, plan, self.desk.settings), self._look, self)
        except ValueError as error:
            self.desk.session.say(str(error))
            self.show_station("Roast")
            return
        window.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        window.show()

    def _on_next_wanted(self) -> None:
        self.show_station("Roast")
        self.roast.take_next()

    def _on_roast_wanted(self, plan: Plan) -> None:
        self.show_station("Roast")
        self.roast.begin_prepare()
        self.roast.prepare.choose_plan(plan)

    def _on_plan_wanted(self, plan: Plan) -> None:
        self.show_station("Plan")
        view = self.view("Plan")
        if hasattr(view, "begin_with"):
            view.begin_with(plan)

    # What was left when Firnel ended

    def offer_unfinished(self) -> None:
        """If a batch was being recorded when Firnel ended, ask what to do with it."""
        left = self.desk.ask(shelf.unowned_batches, self.desk.clock.wall())
        for line in left[1:]:
            self.desk.ask(shelf.set_status, line.id, "dropped" if line.status == "roasting" else "discarded")
        if not left:
            return
        line = left[0]
        if line.status == "ready":
            self.desk.ask(shelf.set_status, line.id, "discarded")
            return
        self._unfinished = line.id
        name = f"{line.label}, {line.lot}" if line.lot else line.label
        self.notice.ask(
            f"Batch {name} was being roasted when Firnel ended. All readings up to then are kept.", "Go on with it", "Close it"
        )

    def _on_unfinished(self, go_on: bool) -> None:
        if self._unfinished is None:
            return
        if go_on:
            try:
                self.desk.session.resume(self._unfinished)
            except LibraryError as error:
                self.desk.session.say(str(error))
        else:
            self.desk.ask(shelf.set_status, self._unfinished, "dropped")
        self._unfinished = None
        self.show_station("Roast")

    # Palette, settings, keys

    def _entries(self) -> Sequence[Entry]:
        handlers = self._handlers | {
            "prepare": self._prepare,
            "next": self._on_next_wanted,
            "abandon": self._abandon,
            "far": self._far,
            "second screen": self.open_second_screen,
        }
        entries = [
            Entry(one.palette, "go to" if one.name.startswith("station ") else "action", handlers[one.name])
            for one in ACTIONS
            if one.palette
        ]
        if self.tour.offered:
            entries.append(Entry("Tour of the demo", "action", self.tour.begin))
        ask = self.desk.ask
        lots, plans, machines = ask(shelf.lots), ask(shelf.plans), ask(shelf.machines)
        entries += [Entry(lot.name, "lot", partial(self.show_in, "Green", lot.name)) for lot in lots if not lot.archived]
        for plan in (plan for plan in plans if not plan.archived):
            entries.append(Entry(plan.name, "plan", partial(self.show_in, "Plan", plan.name)))
            entries.append(Entry(f"Practise {plan.name}", "action", partial(self.practise, plan)))
        entries += [Entry(m.name, "machine", partial(self.show_in, "Machines", m.name)) for m in machines if not m.archived]
        return entries

    def _find_batches(self, text: str) -> Sequence[Entry]:
        lines = self.desk.ask(shelf.batch_lines, BatchFilter(text=text, statuses=("done", "dropped")), limit=15)
        return [
            Entry(f"{ln.label} · {ln.lot} · {ln.started:%d %b}", "batch", partial(self.show_batch, ln.label)) for ln in lines
        ]

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
        self._search_in(station, name)

    def _search_in(self, station: str, text: str) -> None:
        search = getattr(self.view(station), "search", None)
        if search is not None:
            search.setText(text)
        select = getattr(self.view(station), "select", None)
        if select is not None:
            select(0)

    def show_batch(self, label: str) -> None:
        """Show a batch in Review."""
        self.show_station("Review")
        self._search_in("Review", label)

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

    def open_settings(self) -> None:
        """Open the settings."""
        dialog = SettingsDialog(self.desk.settings, self)
        dialog.changed.connect(self.use_settings)
        dialog.open()

    def use_settings(self, settings: Settings) -> None:
        """Use and keep these settings."""
        keys = settings.keys != self.desk.settings.keys
        self.desk.settings = settings
        self._on_settings(settings)
        if keys:
            use_keys(settings.keys)
            self._bind_anew()
        if settings.theme != self._look.palette.name:
            self._look.use(settings.theme)
        self.show_station(next(name for name, view in self._views.items() if view is self._pages.currentWidget()))

    def toggle_theme(self) -> None:
        """Day or night."""
        theme = "night" if self.desk.settings.theme == "day" else "day"
        self.use_settings(replace(self.desk.settings, theme=theme))

    def open_keys(self) -> None:
        """Show every key."""
        KeySheet(key_groups(), self).open()

    def open_handbook(self) -> None:
        """The handbook, at the page of the view that is shown."""
        from firnel.ui.shared.handbook import Handbook  # its pages are not read before they are wanted
        from firnel.work.handbook import PAGE_OF

        if self._handbook is None:
            self._handbook = Handbook(self._look, self)
        shown = next(name for name, view in self._views.items() if view is self._pages.currentWidget())
        self._handbook.show_page(PAGE_OF[shown])

    def tell(self, sentence: str) -> None:
        """Tell something that must not be overlooked, above the view; nothing waits for it."""
        self.notice.tell(sentence)

    def begin_learning(self) -> None:
        """Learn what batches could still teach, soon."""
        QTimer.singleShot(LEARN_AFTER_MS, self._teaching.look)

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
        if self.desk.session.roasting and not self._leaving and not self._really():
            if event is not None:
                event.ignore()
            return
        for window in self.findChildren(QMainWindow):
            window.close()  # a practice is thrown away
        for background in self.findChildren(Background):
            background.finish()
        self._tick.stop()
        self._space.stop()
        bench = self._views.get("Bench")
        if isinstance(bench, QWidget) and (cup := getattr(bench, "cup", None)) is not None:
            cup.close_phones()
        for beside in (self._second, self._handbook):
            if beside is not None:
                beside.close()
        if left := self.desk.shut_down():
            if self._leaving:
                print(left, file=sys.stderr)
            else:
                QMessageBox.warning(self, "Firnel", left)
        super().closeEvent(event)

    def _really(self) -> bool:
        answer = QMessageBox.question(
            self, "Firnel", "A batch is in the drum. Leave all the same? It can be gone on with at the next start."
        )
        return answer == QMessageBox.StandardButton.Yes
