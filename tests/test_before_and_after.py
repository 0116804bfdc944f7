"""What is done before the charge, at the drop, and between two batches."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from conftest import make_record
from made import reading
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from test_guidance import advice
from test_plan_and_cue import PLAN
from test_roast_session import Bench

from firnel.app.window import make_application, make_window
from firnel.core.landing import AirLine, Landing, expected_off
from firnel.core.machine.routine import RoutineStep, between_of, checks_of, steps_of
from firnel.core.model.foretelling import Forecast, Interval
from firnel.core.settling import Became
from firnel.core.units import Units
from firnel.core.vocabulary import Lot, MarkKind, Note
from firnel.ui.theme.look import Look
from firnel.work.day import queue
from firnel.work.day.labels import LoadLabel, read_label
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.review.references import reference_of, set_reference
from firnel.work.roast.advice_words import warnings_of
from firnel.work.roast.before_charge import charge_in, check_label, checks, tick_next
from firnel.work.roast.cue import cue_of
from firnel.work.roast.drop_cue import ASKED, learned_lead, note_asked
from firnel.work.roast.picture import roast_picture
from firnel.work.roast.ready_picture import ready_picture
from firnel.work.roast.steel import Readiness, SteelEstimate
from firnel.work.settings import Settings


@pytest.fixture
def bench(library):
    made = Bench(library)
    yield made
    made.session.close()


def come_down(bench, start_c, rate, seconds):
    """Readings of a probe that falls at a steady rate. [degC/min]"""
    for second in range(seconds):
        bench.time += 1.0
        bench.session.take_reading(reading(bench.time, start_c + rate * second / 60.0, 205.0, 0.0, 50.0, 58.0))


def test_a_routine_is_read_from_the_houses_own_words():
    assert steps_of("0:20 gas held low; tray out\n3:05 to charge ;; ") == (
        RoutineStep("Gas held low", 20.0), RoutineStep("Tray out"), RoutineStep("To charge", 185.0)
    )  # fmt: skip
    machine = machine_of_kind("Drum Six", "gas-6")
    assert "extinguisher" in checks_of(machine)[-1].text.lower(), "common practice, no published source"
    assert checks_of(replace(machine, checks="flame seen"))[0].text == "Flame seen"
    assert between_of(machine)[0].at_s == 0.0


def test_checks_are_ticked_in_their_order_and_kept_with_the_batch(bench):
    session = bench.session
    session.prepare(bench.order())
    assert "4 checks open" in " ".join(cue_words(bench, 200.5))
    assert "CO alarm on" in " ".join(cue_words(bench, 200.5)), "carbon monoxide is written as it is"
    tick_next(session, bench.time)
    assert [check.done for check in checks(session)] == [True, False, False, False]
    assert session.notes[-1].kind == "check"
    session.undo()
    assert not any(check.done for check in checks(session))
    for _ in range(5):
        tick_next(session, bench.time)
    assert session.message == "Every check is done."


def cue_words(bench, bean):
    come_down(bench, bean, 0.0, 8)
    said = cue_of(bench.session, Units())
    return said.headline, said.detail


def test_the_charge_is_counted_down_on_the_way_to_its_reading(bench):
    session = bench.session
    session.prepare(bench.order())
    come_down(bench, 215.0, -12.0, 40)
    told = cue_of(session, Units())
    bean = session.trace.level
    assert charge_in(session) == pytest.approx((bean - 200.0) / 12.0 * 60.0, abs=4.0)
    assert told.headline.startswith("Charge at 200 °C in 0:3")
    come_down(bench, 207.0, -12.0, 20)
    assert cue_of(session, Units()).headline.startswith("Load the hopper now")
    assert cue_of(session, Units()).urgency == "soon"
    come_down(bench, 200.4, 0.0, 20)
    assert cue_of(session, Units()).headline == "Charge now, at 200 °C"
    come_down(bench, 190.0, 0.0, 20)
    assert "come down to it" in cue_of(session, Units()).detail


def test_cold_steel_is_told_with_what_makes_up_for_it(bench):
    session = bench.session
    session.prepare(bench.order())
    assert "First batch" in ready_picture(session, Units()).steel.words
    session.take_around(replace(session.around, steel=SteelEstimate(180.0, 4.0, np.full(10, 180.0))))
    session.take_around(replace(session.around, readiness=Readiness(session.around.steel, 196.0, 24.0, 208.0, 360.0)))
    picture = ready_picture(session, Units())
    assert "16 °C colder" in picture.steel.words
    assert "0:24 longer" in picture.steel.words
    assert "208 °C" in picture.steel.words
    assert not picture.steel.ready
    assert picture.steel.band == (191.0, 201.0)
    session.take_around(replace(session.around, rested_s=2400.0))
    assert "40 min since the last drop" in ready_picture(session, Units()).steel.words


def test_a_label_is_checked_against_the_batch_that_waits(bench):
    session = bench.session
    check_label(session, "0001", bench.time)
    assert "No batch waits" in session.message
    number = session.prepare(bench.order())
    right = LoadLabel(number, "Rwanda Isuka", "5.00 kg", "a plan", 5.0).code
    for text, state in ((right.replace("Isuka", "Mugina"), "wrong"), (right.replace(number, "0999"), "wrong"),
                        (right.replace("5.000", "4.500"), "wrong"), (right, "right"), (str(int(number)), "right")):  # fmt: skip
        check_label(session, text, bench.time)
        assert ready_picture(session, Units()).label_state == state, text
        assert (cue_of(session, Units()).urgency == "warn") == (state == "wrong")
    with pytest.raises(ValueError, match="no label"):
        read_label("https;//x")
    with pytest.raises(ValueError, match="weight"):
        read_label("firnel;0001;heavy;a lot")


def to_development(bench):
    session = bench.session
    session.prepare(bench.order())
    for until in (60, 340, 600):
        bench.feed(until)
        session.mark_next(bench.time)
    return session


def test_the_last_seconds_count_down_and_the_hand_is_led(bench):
    session = to_development(bench)
    session.take_around(replace(session.around, lead_s=2.0))
    told = cue_of(session, Units())
    assert told.clock_label.startswith("development · ")
    assert "first crack 0:50 late" in told.detail
    ends = session.expected()[MarkKind.DROP]
    bench.feed(600 + int(ends - session.now()) - 7)
    told = cue_of(session, Units())
    assert (told.kicker, told.urgency) == ("drop", "drop")
    assert told.clock == "5", "two seconds ahead, for hand and door"
    note_asked(session)
    assert session.notes == ()
    bench.feed(bench.at + 6)
    note_asked(session)
    note_asked(session)
    assert [(note.kind, note.t) for note in session.notes] == [(ASKED, pytest.approx(ends - 2.0))]
    assert cue_of(session, Units()).headline == "Drop now"


def test_the_winner_leads_and_what_the_other_pays_is_told(bench):
    session = to_development(bench)
    session.take_guidance(replace(advice(), landing=Landing(95.0, 210.0, 95.0, 206.0, 4.0, 1.0)))
    assert "Development leads: it drops at 210.0 °C, 4.0 °C hot" in cue_of(session, Units()).detail
    session.order = replace(session.order, plan=replace(session.order.plan, wins="drop_c"))
    bench.time += 11.0
    session.take_guidance(replace(advice(), landing=Landing(83.0, 206.0, 95.0, 206.0, 4.0, 1.0)))
    assert "Drop temperature leads: development ends 0:12 short" in cue_of(session, Units()).detail


def test_the_lead_is_learned_from_how_late_the_last_drops_were(library):
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    for number, late in enumerate((1.0, 2.5, 4.0, 30.0)):
        assert learned_lead(library, machine.id) == {3: 2.5}.get(number, 0.0)
        record = make_record(f"{number:04d}")
        drop = record.mark(MarkKind.DROP).t
        record = replace(record, started=record.started + timedelta(hours=number), notes=(Note(drop - late, ASKED, ""),))
        library.add_record(record)
    assert learned_lead(library, machine.id) == 3.25, "an odd one does not carry it away"
    assert learned_lead(library, None) == 0.0


def test_a_missed_move_can_be_let_go(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61, gas=0.0)
    session.mark_next(bench.time)
    session.dismiss()
    assert session.message == "No move is overdue."
    bench.feed(150, gas=0.0)
    late = "late: gas 0.0 → 2.4 kPa"
    assert late in cue_of(session, Units()).detail
    session.dismiss()
    assert late not in cue_of(session, Units()).detail
    assert session.settled[0].became is Became.LET_GO
    session.undo()
    assert late in cue_of(session, Units()).detail


def test_late_sampling_and_late_hand_readings_are_told(bench):
    session = to_development(bench)
    for _ in range(8):
        bench.time += 5.0
        session.take_reading(reading(bench.time, 200.0, 220.0, 1.6, 50.0, 58.0))
    assert any("every 5 s, not 1 s" in warned.text for warned in warnings_of(session, Units()))


def test_an_air_led_plan_is_coached_on_its_air_line():
    t = np.arange(300.0, 500.0, 4.0)
    told = Interval(420.0, 415.0, 425.0)
    forecast = Forecast(300.0, "model", first_crack=told, fan_t=t, fan=np.zeros((3, t.size)), air=np.full(t.size, 220.0))
    line = AirLine(np.array([0.0, 600.0]), np.array([230.0, 230.0]))
    off = expected_off(PLAN, forecast, {MarkKind.YELLOW: 250.0}, line)
    assert [(one.name, one.by) for one in off] == [("air_c", -10.0)]
    assert off[0].outside
    cracked = expected_off(PLAN, forecast, {MarkKind.YELLOW: 250.0, MarkKind.FIRST_CRACK: 299.0}, line)
    assert all(one.name != "air_c" for one in cracked), "after first crack the landing counts"


def test_batches_wait_in_their_order_and_leave_when_prepared(bench, library):
    library.save_machine(machine_of_kind("Another drum", "gas-6"))
    other = library.save_plan(replace(PLAN, name="other", machine="Another drum"))
    mine = bench.plan
    queue.add(library, other)
    queue.add(library, mine, 2, 4.5)
    assert [one.number for one in queue.queue(library)] == ["0001", "0002", "0003"]
    queue.raise_up(library, queue.queue(library)[1])
    assert [one.plan.name for one in queue.queue(library)] == [PLAN.name, "other", PLAN.name]
    desk = Desk(library, Settings(), lambda call: call())
    desk.session.set_machine(bench.machine)
    assert desk.begin(desk.preparing_next()()) == "0002", "the number that its label promises"
    assert desk.session.order.load_kg == 4.5
    assert [one.plan.name for one in queue.queue(library)] == ["other", PLAN.name]
    queue.remove(library, queue.queue(library)[1])
    assert desk.preparing_next()() is None, "the other one waits for another machine"
    with pytest.raises(ValueError, match="60"):
        queue.add(library, mine, 0)
    with pytest.raises(ValueError, match="save it"):
        queue.add(library, replace(PLAN, id=None))
    desk.session.close()


def test_the_reference_batch_is_drawn_beside_the_running_one(bench, library):
    key = library.add_record(make_record())
    set_reference(library, bench.plan, key)
    assert reference_of(library, bench.plan).label == "0007"
    bench.session.take_around(replace(bench.session.around, reference=reference_of(library, bench.plan)))
    bench.session.prepare(bench.order())
    bench.feed(61)
    bench.session.mark_next(bench.time)
    pictured = roast_picture(bench.session, Settings())
    drawn = pictured.curves
    assert (drawn.reference_t[0], drawn.reference_t[-1]) == (0.0, 640.0)
    for ribbon in pictured.ribbons:  # what is to come, without a gap, up to where the drop is expected
        spans = (*ribbon.done[-1:], *ribbon.planned)
        assert all(one[1] == other[0] for one, other in zip(spans, spans[1:], strict=False))
        assert spans[1][2] == spans[0][2], "it stands until its next move"
    assert len({ribbon.planned[-1][1] for ribbon in pictured.ribbons}) == 1
    set_reference(library, bench.plan, None)
    assert reference_of(library, bench.plan) is None


def test_the_next_batch_is_one_key_away_and_the_last_is_weighed_while_it_runs(qtbot, library):
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    plan = library.save_plan(replace(PLAN, machine="Drum Six", lot=library.save_lot(Lot("Rwanda Isuka")).name))
    queue.add(library, plan, 2)
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    qtbot.waitExposed(window)
    desk, session, roast = window.desk, window.desk.session, window.roast
    now = [1000.0]
    desk.clock.run_by(lambda: now[0])
    session.set_machine(machine)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    roast.setFocus()
    qtbot.keyClick(roast, Qt.Key.Key_Q)
    assert session.phase == "ready"
    roast.refresh()
    assert roast._side.ready.isVisible()
    qtbot.keyClick(roast, Qt.Key.Key_F)
    qtbot.keyClicks(QApplication.focusWidget(), f"irnel;{session.label};5.000;Rwanda Isuka")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert "right" in session.message, "a scanner types like a keyboard"
    qtbot.keyClick(roast, Qt.Key.Key_Return)
    assert checks(session)[0].done
    for seconds in (0, 300, 260, 95):
        now[0] += seconds
        qtbot.keyClick(roast, Qt.Key.Key_Space)
    roast.refresh()
    first = session.label
    assert session.phase == "cooling"
    assert "Q takes the next: 0002" in cue_of(session, Units(), following=roast.preparing.following).detail
    qtbot.keyClick(roast, Qt.Key.Key_Q)
    roast.refresh()
    qtbot.keyClick(roast, Qt.Key.Key_Space)
    assert session.phase == "drying"
    qtbot.keyClick(roast, Qt.Key.Key_W)
    entry = QApplication.focusWidget()
    qtbot.keyClicks(entry, "4.35")
    roast.weigh._save.click()
    weighed = library.batch(library.find_batch(first))
    assert (weighed.roasted_kg, weighed.status) == (4.35, "dropped"), "its colour is still to come"
    assert session.phase == "drying"
    roast.setFocus()
    qtbot.keyClick(roast, Qt.Key.Key_W)
    assert roast.weighing.owed is not None, "and is asked for again"
