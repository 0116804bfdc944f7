"""What a reader of the screen is told, asked over the accessibility bus; and the order in which Tab goes."""

import shutil
from dataclasses import replace
from datetime import timedelta
from itertools import pairwise

import pytest
from conftest import make_record
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget
from screen_reader import FOCUSABLE, LAUNCHER, reading
from test_plan_and_cue import PLAN

from firnel.app.window import make_application, make_window
from firnel.core.vocabulary import Lot
from firnel.ui.shared.reading_order import WHOLE, reading_order
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.settings import Settings

VIEWS = {
    "Green": (), "Plan": (), "Day": ("Plan", "Roasted", "Shelf", "Coffees"), "Roast": (),
    "Bench": ("Weigh and look", "Cup", "Tell apart", "Due"),
    "Review": ("Batch", "Compare", "Was it the same?", "Over time", "Ladder"),
    "Machines": ("Model", "Record", "Definition", "Care and probes", "Link"),
}  # fmt: skip


@pytest.fixture
def filled(library):
    library.save_lot(Lot("Rwanda Isuka", "Rwanda", process="washed", density_g_per_l=742, moisture=0.108, on_hand_kg=148.0))
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.save_plan(replace(PLAN, lot="Rwanda Isuka", machine="Drum Six"))
    for number in range(1, 4):
        record = make_record(f"{number:04d}")
        waits = {"roasted_kg": None, "colour_ground": None, "colour_whole": None} if number == 3 else {}
        library.add_record(replace(record, started=record.started + timedelta(hours=number), **waits))
    return library


def test_every_control_tells_what_it_is_and_what_it_is_for(filled, tmp_path):
    assert shutil.which("dbus-daemon"), "./run test installs it"
    assert shutil.which(LAUNCHER), "./run test installs it"
    filled.close()
    wrong, seen, heard = [], 0, set()
    with reading(tmp_path / "library.sqlite", tmp_path) as reader:
        for view, tabs in VIEWS.items():
            reader.press(view)
            for tab in tabs or (None,):
                if tab is not None:
                    reader.press(tab)
                for thing in reader.things():
                    name = reader.told(thing, "Name")
                    if thing.role == "page tab":
                        heard.add(name)
                    if view == "Roast" and thing.role == "label" and name == "Prepare the next batch":
                        seen += 100  # the cue is read too
                    if not thing.has(FOCUSABLE):
                        continue
                    seen += 1
                    about = reader.told(thing, "Description")
                    if not name or thing.role == "unknown":
                        wrong.append((view, tab, thing.role, name, about, "has no name"))
                    # Qt calls a drop-down list by what is chosen in it: what it is for must stand beside that.
                    if thing.role == "combo box" and not about:
                        wrong.append((view, tab, thing.role, name, about, "does not say what it is for"))
                    if thing.role == "text" and len(name) < 3:
                        wrong.append((view, tab, thing.role, name, about, "is called by next to nothing"))
    assert seen > 300, "all of it was shown, with the cue"
    assert not wrong, "\n".join(map(str, wrong))
    assert heard > {tab for tabs in VIEWS.values() for tab in tabs}, "a tab is told as one"


@pytest.fixture
def window(qtbot, filled):
    made = make_window(filled, Settings(), Look(make_application()), keep=lambda _: None)
    qtbot.addWidget(made, before_close_func=lambda w: w.desk.session.close())
    made.show()
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    return made


def test_tab_goes_through_every_view_as_it_is_read_and_comes_back(qtbot, window):
    for name, tabs in VIEWS.items():
        window.show_station(name)
        view = window.view(name)
        for number in range(max(len(tabs), 1)):
            if tabs:
                view.findChildren(Tabs)[0].choose(number)
            QTest.qWait(60)
            order = [one for one in reading_order(window) if view.isAncestorOf(one)]
            reachable = [
                one
                for one in view.findChildren(QWidget)
                if one.isVisible() and one.isEnabled() and one.focusPolicy().value & Qt.FocusPolicy.TabFocus.value
                and not any(isinstance(above, WHOLE) for above in above_of(one))
            ]  # fmt: skip
            known = sorted(one.accessibleName() for one in order)
            assert known == sorted(one.accessibleName() for one in reachable), f"{name} {number}: all of it, and each once"
            for one, after in pairwise(order):
                here, there = (thing.mapTo(window, QPoint(0, 0)) for thing in (one, after))
                down, right = there.y() + after.height() > here.y() + 4, there.x() > here.x()
                assert down or right, f"{name} {number}: from {one.accessibleName()} back up to {after.accessibleName()}"
            order[0].setFocus() if order else view.setFocus()
            visited, last = order[:1], QApplication.focusWidget()
            for _ in range(3 * len(order)):  # a date is gone through by day, month and year
                qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
                if (at := window.focusWidget()) is not last and view.isAncestorOf(at):
                    visited.append(next(one for one in (at, *above_of(at)) if one in order))
                    last = at
                elif not view.isAncestorOf(at):
                    break  # round the end, to the rail
            places = [order.index(one) for one in visited]
            assert places == sorted(places), f"{name} {number}: as it is read"
            left = [one for one in order if one not in visited]
            # Of several of which one holds, the others are reached by arrows, as everywhere.
            assert all(isinstance(one, QPushButton) and one.group() is not None for one in left), f"{name} {number}: {left}"
            if len(visited) > 1:
                visited[-1].setFocus()
                qtbot.keyClick(visited[-1], Qt.Key.Key_Backtab)
                assert window.focusWidget() is visited[-2] or visited[-2].isAncestorOf(window.focusWidget())


def above_of(widget):
    while (widget := widget.parentWidget()) is not None:
        yield widget
