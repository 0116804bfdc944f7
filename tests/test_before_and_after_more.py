"""Steel against a plan by the model, the queue and the day in the window, sound, settings, and notes that are no notes."""

import subprocess
import sys
from dataclasses import fields, replace
from datetime import date
from types import SimpleNamespace

import numpy as np
import pytest
from conftest import make_record
from made import idled, reading
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton
from test_before_and_after import come_down
from test_guidance import SOUTH, WANTED, lot_of, model, plan  # noqa: F401 - fixtures
from test_plan_and_cue import PLAN
from test_roast_session import Bench

from firnel.app.window import make_application, make_window
from firnel.core.model.document import model_to_document
from firnel.core.units import Units
from firnel.core.usual import READY_C
from firnel.core.vocabulary import Lot, MarkKind, Note, Quality
from firnel.store.batch_list import BatchFilter
from firnel.ui.shared.settings_dialog import SettingsDialog
from firnel.ui.theme.look import Look
from firnel.work.day import queue
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.machines.forecasting import traits_of
from firnel.work.review.picture import review_picture
from firnel.work.review.records import sheet_of
from firnel.work.roast.announcing import Announcement
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.before_charge import pause_words, steel_words
from firnel.work.roast.cue import cue_of
from firnel.work.roast.steel import AHEAD_STEP, SteelEstimate, readiness
from firnel.work.settings import PAGES, Settings


def steel(at, ahead=None):
    return SteelEstimate(at, 4.0, np.full(10, at) if ahead is None else ahead)


def test_cold_steel_makes_drying_long_and_a_hotter_charge_makes_up_for_it(model, plan):  # noqa: F811
    green = traits_of(lot_of("south-010"))
    wanted = plan.targets.charge_c + model.steel_over_charge_c
    usual, cold, hot = (readiness(model, SOUTH, plan, green, steel(wanted + by)) for by in (0.0, -9.0, 9.0))
    assert usual.ready
    assert abs(usual.drying_s) < 1.0
    assert usual.charge_c is None, "there is nothing to make up for"
    assert not cold.ready
    assert cold.drying_s > 4.0 > -4.0 > hot.drying_s
    assert cold.charge_c > plan.targets.charge_c > hot.charge_c
    very = readiness(model, SOUTH, plan, green, steel(wanted - 60.0))
    assert very.charge_c == plan.targets.charge_c + 12.0, "no further than that"
    bare = readiness(model, SOUTH, replace(plan, load_kg=None), green, steel(wanted - 9.0))
    assert bare.drying_s is None
    assert bare.off_c == pytest.approx(-9.0)


def test_when_the_steel_is_ready_is_seen_ahead(model, plan):  # noqa: F811
    wanted = plan.targets.charge_c + model.steel_over_charge_c
    rising = np.linspace(wanted - 25.0, wanted + 5.0, 151)
    told = readiness(model, SOUTH, plan, traits_of(lot_of("south-010")), steel(wanted - 25.0, rising))
    step = np.flatnonzero(np.abs(rising - wanted) <= READY_C)[0]
    assert told.ready_in_s == pytest.approx(AHEAD_STEP * step)
    never = readiness(model, SOUTH, plan, traits_of(None), steel(wanted - 25.0))
    assert never.ready_in_s is None


def test_the_desk_tells_the_steel_against_the_plan_that_is_prepared(library, model, plan):  # noqa: F811
    machine = library.save_machine(SOUTH)
    library.machine_book.save_model(machine.id, model_to_document(idled(model), ["gas"]))
    seconds = [1000.0]
    desk = Desk(library, Settings(hand_every_s=60, operator="Bo"), lambda call: call())
    desk.clock.run_by(lambda: seconds[0])
    desk.session.set_machine(machine)
    desk.prepare(BatchOrder(library.save_lot(lot_of("south-010")), machine, library.save_plan(plan), 0.85))
    for _ in range(40):
        seconds[0] += 1.0
        desk.take_reading(reading(seconds[0], 150.0, 156.0, 2.0, 35.0, 60.0))
    found = desk.session.around.readiness
    assert found.off_c < -10.0
    assert "colder than the plan assumes: drying would run" in steel_words(desk.session, Units())
    assert desk.session.around.hand_every_s == 60.0
    assert library.batch_lines(BatchFilter())[0].operator == "Bo"
    desk.session.mark_next(seconds[0])
    seconds[0] += 1.0
    desk.take_reading(reading(seconds[0], 149.0, 156.0, 2.0, 35.0, 60.0))
    assert desk.session.around.readiness is None, "beans are in the drum"
    desk.session.close()


def test_a_pause_is_told_and_a_batch_in_a_row_is_not(library):
    bench = Bench(library)
    session = bench.session
    session.prepare(bench.order())
    assert session.around.rested_s is None
    for rested, words in ((None, "First batch of the day"), (3000.0, "50 min since the last drop"), (240.0, "")):
        session.take_around(replace(session.around, rested_s=rested))
        assert pause_words(session).startswith(words)
        assert bool(pause_words(session)) == bool(words)
    session.close()


def test_without_a_model_the_charge_is_still_counted_down(library):
    bench = Bench(library)
    bench.session.prepare(bench.order())
    come_down(bench, 212.0, -9.0, 20)
    assert (
        "The hopper stays empty" in cue_of(bench.session, Units()).detail
        or "First batch" in cue_of(bench.session, Units()).detail
    )
    come_down(bench, 203.0, 5.0, 30)
    assert "Heat off, and down to it" in cue_of(bench.session, Units()).detail
    bench.session.close()


def test_ticks_and_labels_are_no_notes_of_the_roaster():
    notes = (Note(80.0, "check", "draft right"), Note(90.0, "drop asked", ""), Note(300.0, "colour", "tan"))
    picture = review_picture(sheet_of(replace(make_record(), notes=notes)), None, Units())
    assert [text for _, text in picture.notes] == ["colour: tan"]


@pytest.fixture
def window(qtbot, library):
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.save_lot(Lot("Rwanda Isuka"))
    library.save_plan(replace(PLAN, machine="Drum Six"))
    made = make_window(library, Settings(sound_move=50, sound_drop=50), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(made, before_close_func=lambda w: w.desk.session.close())
    made.show()
    qtbot.waitExposed(made)
    return made


def test_batches_are_queued_in_plan_ordered_in_day_and_taken_to_the_roaster(qtbot, window, library):
    window.show_station("Plan")
    view = window.view("Plan")
    view.queue_batches(3)
    assert "3 of test queued; 3 wait" in view.head.subtitle.text()
    other = library.save_plan(replace(PLAN, name="other", machine="Drum Six"))
    queue.add(library, other)
    window.show_station("Day")
    day = window.view("Day")
    day.show_day(date(2020, 1, 1))
    assert day.queue.isVisible(), "what waits is shown on an empty day too"
    assert day.queue.list.count() == 4
    day.queue.list.setCurrentRow(3)
    day.queue.earlier.click()
    assert [one.plan.name for one in queue.queue(library)][2] == "other"
    day.queue.list.setCurrentRow(0)
    day.queue.out.click()
    assert day.queue.list.count() == 3
    day.queue.roast.click()
    assert window.desk.session.phase == "ready"
    assert len(queue.queue(library)) == 2
    window.desk.session.close()
    waiting = queue.queue(library)
    assert len(waiting) == 3, "a load that was prepared and never charged waits again, under its number"
    for one in waiting:
        queue.remove(library, one)
    window.roast.take_next()
    assert "No batch waits" in window.roast._message.whole_text()


def test_each_tone_is_heard_once_when_something_falls_due(qtbot, window, library, monkeypatch):
    heard = []
    monkeypatch.setattr(window.above.sounds, "announce", lambda one: heard.append(one.tone))
    now = [1000.0]
    session = window.desk.session
    window.desk.clock.run_by(lambda: now[0])
    session.set_machine(library.machines()[0])
    window.desk.prepare(BatchOrder(library.lots()[0], library.machines()[0], library.plans()[0], 5.0))
    session.mark_next(now[0])
    for seconds in (1.0, 33.0, 0.5, 11.0, 0.2, 0.2):
        now[0] += seconds
        window._show_now()
    assert heard == ["soon", "move"]
    for step in range(6):
        now[0] += 1.0
        session.take_reading(reading(now[0], 231.0 + step, 240.0))
    window.show_station("Green")
    assert heard[-1] == "warning"
    assert window.above.alarm.isVisible(), "a warning of fire is as large on every station"
    assert "Heat off now: beans at 236 °C" in window.above.alarm.accessibleName()


def test_a_tone_is_as_loud_as_it_is_set_and_words_are_spoken_where_that_is_wanted(window, monkeypatch):
    sounds, heard = window.above.sounds, []
    effect = SimpleNamespace(audioDevice=lambda: None, setAudioDevice=heard.append, setVolume=heard.append, play=lambda: None)
    plugged = SimpleNamespace(isNull=lambda: False)
    monkeypatch.setattr("PyQt6.QtMultimedia.QMediaDevices.defaultAudioOutput", lambda: plugged)
    sounds.make_ready()
    monkeypatch.setattr(sounds, "_tones", {"move": effect})
    monkeypatch.setattr(sounds, "say", lambda words: heard.append(words) or "")
    window.desk.settings = replace(window.desk.settings, sound_move=50)
    sounds.announce(Announcement("move", "Gas"))
    assert heard == [plugged, 0.5], "on what is plugged in now"
    window.desk.settings = replace(window.desk.settings, sound_move=0, spoken="on")
    sounds.announce(Announcement("move", "Gas 2 to 1"))
    assert heard[2:] == ["Gas 2 to 1"]
    plugged.isNull = lambda: True
    assert sounds.play("move", 50).startswith("This system has nothing to play sound on")


def test_a_missed_move_is_let_go_and_a_check_ticked_by_keys(qtbot, window, library):
    now = [1000.0]
    session = window.desk.session
    window.desk.clock.run_by(lambda: now[0])
    session.set_machine(library.machines()[0])
    window.desk.prepare(BatchOrder(library.lots()[0], library.machines()[0], library.plans()[0], 5.0))
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.roast.setFocus()
    qtbot.keyClick(window.roast, Qt.Key.Key_Enter)
    assert session.notes[-1].text == "Draft right"
    qtbot.keyClick(window.roast, Qt.Key.Key_L)
    qtbot.keyClicks(QApplication.focusWidget(), "0999")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    window.roast.refresh()
    assert "Not the load of this batch" in window.roast.cue.accessibleName()
    qtbot.keyClick(window.roast, Qt.Key.Key_Space)
    assert session.phase == "drying"
    now[0] += 90.0
    qtbot.keyClick(window.roast, Qt.Key.Key_D)
    assert session.message.startswith("Let go")
    assert 0 in session.done
    assert session.moves == ()


def test_every_setting_has_a_row_and_bad_levels_are_refused_in_words(qtbot, window):
    dialog = SettingsDialog(Settings(), window.above.sounds, window)
    qtbot.addWidget(dialog)
    changed = []
    dialog.changed.connect(changed.append)
    dialog._fields["level_words"].setPlainText("pale 100\ndeep")
    dialog._on_save()
    assert "'deep' needs a colour" in dialog._warning.text()
    assert PAGES[dialog.pages.shown] == "Scale and colour", "what is wrong stands in sight"
    shown = {declared.name for declared in fields(Settings) if declared.metadata["page"]}
    assert shown == set(dialog._fields)
    dialog._fields["level_words"].setPlainText("pale 100\n\n deep 60 ")
    dialog._fields["operator"].setText(" Bo ")
    dialog._on_save()
    assert changed[0].levels == {"pale": 100.0, "deep": 60.0}
    assert changed[0].operator == "Bo"


def test_what_is_to_be_heard_can_be_tried_and_silence_is_told(qtbot, window, monkeypatch):
    heard, sounds = [], window.above.sounds
    monkeypatch.setattr(sounds, "play", lambda tone, percent: heard.append((tone, percent)) or "Nothing to play on.")
    monkeypatch.setattr(sounds, "say", lambda words: heard.append(words) or "")
    dialog = SettingsDialog(replace(Settings(), sound_drop=80), sounds, window)
    qtbot.addWidget(dialog)
    listen = [one for one in dialog.findChildren(QPushButton) if one.accessibleName().startswith("Listen")]
    for one in listen:
        one.click()
        if "warning" in one.accessibleName():
            assert dialog._warning.text() == "Nothing to play on."
        if "due" in one.accessibleName():
            assert dialog._warning.text() == "At 0 nothing is heard."
    assert heard == [("drop", 80), ("warning", 60), "This is how cues are spoken."]


def test_hand_readings_are_asked_for_when_due_and_marks_between_them_looked_ahead(library):
    bench = Bench(library, reported=False)
    session = bench.session
    session.prepare(bench.order())
    session.mark(MarkKind.CHARGE, bench.time)
    session.take_around(replace(session.around, hand_every_s=60.0))
    from firnel.work.roast.advice_words import warnings_of

    session.take_reading(reading(bench.time, 120.0, quality=Quality.HAND))
    bench.time += 59.0
    assert warnings_of(session, Units()) == []
    bench.time += 2.0
    assert "A reading is due, the last is 1:01 old" in warnings_of(session, Units())[0].text
    desk = Desk(library, Settings(), lambda call: call())
    desk.connect("hand:", bench.machine)
    desk.prepare(replace(bench.order(), plan=None))
    cue = cue_of(desk.session, Units())
    assert "Type what the bean display reads" in cue.detail
    assert cue.figures == "none typed yet"
    asked = []
    desk.look_ahead = lambda: asked.append(desk.session.now())
    desk.tick()
    assert len(asked) == 1
    desk.shut_down()
    session.close()


FIRST_TONE = """
import sys
from PyQt6.QtCore import QObject, qInstallMessageHandler
from PyQt6.QtWidgets import QApplication
from firnel.ui.shared.sounds import Sounds
from firnel.work.settings import Settings
application, said = QApplication([]), []
ours = lambda *told: said.append(told[2])
qInstallMessageHandler(ours)
parent = QObject()
sounds = Sounds(Settings, parent)
assert sounds.wanted and "PyQt6.QtMultimedia" not in sys.modules
sounds.make_ready()
assert not sounds.wanted and "PyQt6.QtMultimedia" in sys.modules
sounds.say("x")
assert qInstallMessageHandler(None) is ours, "given back"
print(said)
"""


def test_the_first_tone_loads_its_library_without_a_word_to_python():
    # Under the loader's lock a word to Python waits for whoever computes, who may wait for the loader: the window froze.
    ran = subprocess.run([sys.executable, "-c", FIRST_TONE], capture_output=True, text=True, check=False)
    assert ran.stdout.strip() == "[]", ran.stderr
