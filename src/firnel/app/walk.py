"""A walk through every view with the demo data, on whatever screen there is; a picture of each.

The batch in the pictures is roasted by the simulator behind a clock that the walk moves, so that the
pictures are the same each time.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
from collections.abc import Callable, Collection
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from firnel.app.demo_batches import LOTS
from firnel.app.ends import leave_if_asked
from firnel.app.window import make_application, make_window
from firnel.core.plan import Plan
from firnel.core.vocabulary import MarkKind
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.devices.simulator.auto_hand import AutomaticHand, HandHabits
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster
from firnel.store.library import Library
from firnel.ui.beginning import BeginningView
from firnel.ui.bench.view import BenchView
from firnel.ui.day.view import DayView
from firnel.ui.machines.view import MachinesView
from firnel.ui.plan.view import PlanView
from firnel.ui.review.view import ReviewView
from firnel.ui.roast.practice import PracticeWindow
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage
from firnel.ui.theme.look import Look
from firnel.work.beginning import new_machine
from firnel.work.practice.practice import Practice
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.before_charge import check_label, tick_next
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.settings import Settings

WIDTH, HEIGHT = 1280, 800
#: The day on which the demo library for pictures ends.
SHOWN_DAY = datetime(2026, 11, 20, 10, tzinfo=UTC)


class Stage:
    """A window on a copy of the demo library, with a roast that can be wound on.

    Parameters
    ----------
    library_at : demo library; it is copied, not changed.
    folder : for the copy.
    theme : day or night.
    """

    def __init__(self, library_at: Path, folder: Path, theme: str) -> None:
        self.application = make_application()
        copy = folder / f"{theme}.sqlite"
        shutil.copy2(library_at, copy)
        self._time = 1000.0
        self.look = Look(self.application)
        self.window = make_window(
            Library(copy), Settings(theme="night" if theme == "night" else "day", sound_warning=0, motion="never"),
            self.look, keep=_forget,
            clock=Clock(lambda: self._time, lambda: SHOWN_DAY + timedelta(seconds=self._time)),
        )  # fmt: skip
        desk = self.window.desk
        desk.fed("Reading the simulated roaster.")
        library = desk.library
        self.plan: Plan = next(plan for plan in library.plans() if plan.name == "Isuka filter")
        machine = library.machine(self.plan.machine)
        desk.session.set_machine(machine)
        self.roaster = DrumRoaster(
            KINDS["gas-6"], np.random.default_rng(11), steel_c=(self.plan.targets.charge_c or 200.0) + 7.0
        )
        self.roaster.bean_probe_c = (self.plan.targets.charge_c or 200.0) + 3.0
        load = replace(LOTS[self.plan.lot].load, mass_kg=self.plan.load_kg or 5.0)
        self.hand = AutomaticHand(self.plan, load, HandHabits(charge_wait_s=60.0), np.random.default_rng(3))
        self.window.resize(WIDTH, HEIGHT)
        self.window.show()
        self.settle()

    def prepare(self) -> None:
        """Prepare a batch of the plan."""
        library = self.window.desk.library
        lot = next(lot for lot in library.lots() if lot.name == self.plan.lot)
        self.window.desk.prepare(BatchOrder(lot, library.machine(self.plan.machine), self.plan, self.plan.load_kg))

    def wind_on(self, until: Callable[[], bool], most_s: float = 1200.0, forgets: Collection[MarkKind] = ()) -> None:
        """Roast on until something is so; the marks are pressed a moment after they happen, but for those it forgets."""
        session, end = self.window.desk.session, self.roaster.t + most_s
        while not until() and self.roaster.t < end:
            self.roaster.step(0.5)
            self.hand.step(self.roaster)
            self._time += 0.5
            for kind in (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP):
                if kind in forgets or kind in session.marks or session.next_expected() is not kind:
                    continue
                if kind in self.hand.marks:
                    session.mark(kind, self._time - 0.2)
            # Now and then it is looked ahead, so that what stands is not older than it would be.
            self.window.desk.look_by(at_once if round(self.roaster.t * 2) % 40 == 0 else not_at_all)
            if round(self.roaster.t * 2) % 2 == 0:
                bean, air = self.roaster.read()
                self.window.desk.take_reading(Reading(self._time, bean, air, dict(self.roaster.settings)))

    def settle(self) -> None:
        """Let the window draw, and the background finish."""
        leave_if_asked()
        self.window.desk.look_by(at_once)
        self.window.desk.look_ahead()
        self.window.desk.watch_steel(at_once=True)
        self.window.roast.refresh()
        for _ in range(6):
            self.application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 60)
        for background in self.window.findChildren(Background):
            background.wait()
        for _ in range(4):
            self.application.processEvents()

    def picture(self, path: Path) -> None:
        """Write a picture of the window."""
        self.settle()
        if not self.window.grab().save(str(path)):
            raise OSError(f"The picture {path} cannot be written.")
        print(path)

    def close(self) -> None:
        """End, leaving nothing behind."""
        self.window.desk.session.close()
        self.window.close()
        QApplication.processEvents()


def _forget(_settings: Settings) -> None:
    """The walk keeps no settings."""


def walk_through(library_at: Path, into: Path, theme: str = "day") -> int:
    """Walk through every view and write a picture of each into a folder. Returns the exit code."""
    into.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        if theme in ("day", "both"):
            _walk_beginning(Path(folder), into)
            _walk_by_day(Stage(library_at, Path(folder), "day"), into)
            _walk_rough(Stage(library_at, Path(folder), "rough"), into)
        if theme in ("night", "both"):
            _walk_by_night(Stage(library_at, Path(folder), "night"), into)
    print(f"Walked through every view; the pictures are in {into}.", file=sys.stderr)
    return 0


def _walk_beginning(folder: Path, into: Path) -> None:
    """An empty library: its machine is written down, and the link is being set up."""
    application = make_application()
    library = Library(folder / "beginning.sqlite")
    new_machine(library, "Old Drum", "gas", 4.5, "natural gas")
    window = make_window(library, Settings(learning="by the button"), Look(application), keep=_forget)
    window.resize(WIDTH, HEIGHT)
    window.show()
    window.show_station("Beginning")
    beginning = window.view("Beginning")
    if isinstance(beginning, BeginningView):
        beginning.link.show_address("modbus://192.168.0.20:502?map=gas-6&unit=1")
    for _ in range(6):
        application.processEvents()
    path = into / "beginning.png"
    if not window.grab().save(str(path)):
        raise OSError(f"The picture {path} cannot be written.")
    print(path)
    window.desk.session.close()
    window.close()
    application.processEvents()


def _walk_by_day(stage: Stage, into: Path) -> None:
    session = stage.window.desk.session
    stage.window.show_station("Roast")
    _walk_before(stage, into)
    stage.wind_on(lambda: MarkKind.CHARGE in stage.hand.marks)
    stage.wind_on(lambda: MarkKind.YELLOW in session.marks)
    yellow = stage.roaster.t
    stage.wind_on(lambda: stage.roaster.t > yellow + 62)
    stage.picture(into / "roast.png")
    for name in ("Green", "Plan", "Day", "Machines"):
        stage.window.show_station(name)
        view = stage.window.view(name)
        if isinstance(view, DayView):
            view.plan.background.wait()
            QApplication.processEvents()
        if isinstance(view, ListPage):
            view.select(4)
        if isinstance(view, MachinesView):
            view.select(0)
            view.tabs.choose(0)
        stage.picture(into / f"{name.lower()}.png")
        if isinstance(view, PlanView):
            _walk_editor(stage, view, into)
    stage.window.show_station("Roast")
    stage.wind_on(lambda: MarkKind.DROP in session.marks)
    dropped = stage.roaster.t
    stage.wind_on(lambda: stage.roaster.t > dropped + 42)
    stage.window.show_station("Bench")
    stage.picture(into / "bench.png")
    bench = stage.window.view("Bench")
    if isinstance(bench, BenchView):
        bench.tabs.choose(1)
        bench.cup.select_key(lambda table: table.revealed)
        stage.picture(into / "bench-cup.png")
    stage.window.show_station("Review")
    stage.settle()
    review = stage.window.view("Review")
    if isinstance(review, ReviewView):
        review.search.setText("isuka filter drum six")
        review.finder.search_now()
        stage.settle()
        review.table.selectRow(6)
        stage.settle()
        stage.picture(into / "review.png")
        _walk_mended(stage, review, into)
        _walk_review(stage, review, into)
    stage.close()


def _walk_mended(stage: Stage, review: ReviewView, into: Path) -> None:
    """A batch whose weight, lot and tags were put right, on its sheet."""
    library, record = stage.window.desk.library, review.record
    if record is None:
        raise RuntimeError("no batch is shown.")
    lot = next(lot for lot in library.lots() if lot.name != record.lot)
    for values, who, hours in (
        ({"lot_id": lot.id}, "Tomas", 1.0),
        ({"lot_id": record.lot_id, "roasted_kg": 4.368, "tags": "reference tuesday"}, "Ana", 2.5),
    ):
        library.mend_book.correct(record.id or 0, values, who, record.started + timedelta(hours=hours))
    review.open_batch(record.id or 0)
    stage.settle()
    review.mend()
    for _ in range(4):
        stage.application.processEvents()
    path = into / "review-mended.png"
    if not review.mending.grab().save(str(path)):
        raise OSError(f"The picture {path} cannot be written.")
    print(path)
    review.mending.reject()


def _walk_before(stage: Stage, into: Path) -> None:
    session = stage.window.desk.session
    stage.wind_on(lambda: stage.roaster.t > 20)
    stage.prepare()
    stage.wind_on(lambda: stage.roaster.t > 52)
    desk = stage.window.desk
    for _ in range(2):
        tick_next(session, desk.clock.now())
    load = session.order.load_kg or 0.0
    check_label(session, f"firnel;{session.label};{load:.3f};{stage.plan.lot}", desk.clock.now())
    stage.picture(into / "roast-ready.png")


def _walk_rough(stage: Stage, into: Path) -> None:
    """A yellow that nobody marks; the far mode; and beans past the machine's limit."""
    session, forgets = stage.window.desk.session, {MarkKind.YELLOW}
    stage.window.show_station("Roast")
    stage.wind_on(lambda: stage.roaster.t > 20)
    stage.prepare()
    stage.wind_on(lambda: MarkKind.YELLOW in session.offers, forgets=forgets)
    found = stage.roaster.t
    stage.wind_on(lambda: stage.roaster.t > found + 12, forgets=forgets)
    stage.picture(into / "roast-found.png")
    session.space(stage.window.desk.clock.now())
    stage.wind_on(lambda: MarkKind.FIRST_CRACK in session.marks)
    crack = stage.roaster.t
    stage.wind_on(lambda: stage.roaster.t > crack + 30)
    stage.window.resize(1920, 1080)
    stage.window.roast.set_far(True)
    stage.picture(into / "roast-far.png")
    stage.window.roast.set_far(False)
    stage.window.resize(WIDTH, HEIGHT)
    beans = stage.roaster.beans
    while beans is not None and session.past_limit is None:
        beans.shell_c, beans.core_c = beans.shell_c + 0.4, beans.core_c + 0.4
        stage.wind_on(lambda: False, most_s=1.0, forgets={MarkKind.DROP})
    stage.picture(into / "roast-danger.png")
    stage.close()


def _walk_review(stage: Stage, review: ReviewView, into: Path) -> None:
    def choose(label: str) -> None:
        review.search.setText(label)
        review.finder.search_now()
        stage.settle()

    for label in ("0449", "0455", "0448"):
        choose(label)
        review.compare.add_chosen() if label != "0449" else review.compare.clear_all()
    choose("isuka filter")
    review.tabs.choose(1)
    review.compare.at.setCurrentIndex(review.compare.at.count() - 1)
    stage.settle()
    stage.picture(into / "review-compare.png")
    choose("0455")
    review.tabs.choose(2)
    for _ in range(2):
        stage.settle()
    review.tabs.choose(3)
    review.time.figure.setCurrentIndex(5)
    review.time.name.setCurrentText("Isuka filter")
    stage.settle()
    stage.picture(into / "review-time.png")
    review.tabs.choose(4)
    review.ladder.name.setCurrentText("Sample washed")
    stage.settle()
    review.tabs.choose(0)
    _walk_practice(stage, into)


def _walk_practice(stage: Stage, into: Path) -> None:
    """A practice, wound on into its browning by a hand that obeys the cues."""
    now = [1000.0]
    library, settings = stage.window.desk.library, stage.window.desk.settings
    practising = PracticeWindow(lambda: Practice(library, stage.plan, settings, "late yellow", 3, lambda: now[0]), stage.look)
    practising.show()
    practice = practising.practice
    if practice is None or practising.roast is None:
        raise RuntimeError("the practice did not begin.")
    desk, session = practice.desk, practice.desk.session
    desk.look_by(not_at_all)
    while MarkKind.YELLOW not in session.marks or session.now() < session.marks[MarkKind.YELLOW].t + 70.0:
        now[0] += 1.0
        practice.tick()
        charge_c = stage.plan.targets.charge_c or 200.0
        if session.phase == "ready" and (session.trace.level or 999.0) < charge_c + 0.5:
            session.mark_next(now[0])
        if session.next_expected() is MarkKind.YELLOW and MarkKind.YELLOW in practice.truth:
            session.mark_next(now[0])
        if any(entry.done_t is None and entry.due_t is not None and entry.due_t <= session.now() for entry in session.due()):
            session.confirm_move(now[0])
    desk.look_by(at_once)
    desk.look_ahead()
    for _ in range(8):
        stage.application.processEvents()
        practising.roast.refresh()
    path = into / "practice.png"
    if not practising.grab().save(str(path)):
        raise OSError(f"The picture {path} cannot be written.")
    print(path)
    practising.close()


def _walk_editor(stage: Stage, view: PlanView, into: Path) -> None:
    view.begin_change()
    for _ in range(3):  # the moves, then how surely, then what each hand weighs
        view.editor.background.wait()
        stage.settle()
    stage.picture(into / "plan-editor.png")
    view.leave_editor()


def _walk_by_night(stage: Stage, into: Path) -> None:
    session = stage.window.desk.session
    stage.prepare()
    stage.wind_on(lambda: MarkKind.FIRST_CRACK in session.marks)
    crack = stage.roaster.t
    stage.wind_on(lambda: stage.roaster.t > crack + 48)
    stage.picture(into / "roast-night.png")
    stage.window.beside.open_keys()
    stage.close()
