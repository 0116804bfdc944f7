"""The thread of a batch below the window: what is heard, what is left of a plan, an empty drum, a batch gone on with."""

from dataclasses import replace

import numpy as np
import pytest
from conftest import make_record
from made import reading
from test_plan_and_cue import PLAN
from test_roast_session import Bench, press

from firnel.core.plan import Anchor, PlannedMove, Rising, due_moves
from firnel.core.settling import Became
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Found, Mark, MarkKind, Note, Quality
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.roast.advice_words import Told
from firnel.work.roast.announcing import AGAIN_S, Announcer
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.cue import Cue, Rank, cue_of, matters_of
from firnel.work.roast.danger import burns
from firnel.work.roast.headless import Headless
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.lookout import not_at_all
from firnel.work.roast.mark_watch import curve_break
from firnel.work.roast.plan_thread import off_start, read_note, settled_of
from firnel.work.roast.readings_watch import sound
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings


@pytest.fixture
def bench(library):
    made = Bench(library)
    yield made
    made.session.close()


def cue(urgency, headline="Gas 2.4 → 1.6 kPa in 0:10"):
    return Cue("next move", headline, "", "", "", "", "", urgency)


def test_each_step_of_a_cue_is_heard_once_and_danger_again_and_again():
    announcer, calm = Announcer(), Told("")
    heard = [announcer.look(cue(urgency), calm, float(n)) for n, urgency in enumerate(("calm", "soon", "soon", "due", "due"))]
    assert [one.tone if one else None for one in heard] == [None, "soon", None, "move", None]
    assert heard[1].words == "Gas 2.4 to 1.6 kPa in 0:10", "an arrow is not spoken"
    warned = Told("No reading for 0:07: the clock and the keys go on.", "warn")
    assert announcer.look(cue("calm"), warned, 10.0).tone == "warning"
    later = replace(warned, text="No reading for 0:09: the clock and the keys go on.")
    assert announcer.look(cue("calm"), later, 12.0) is None, "only its figures have changed"
    assert announcer.look(cue("danger", "Heat off now"), calm, 20.0).tone == "warning"
    assert announcer.look(cue("danger", "Heat off now"), calm, 21.0) is None
    assert announcer.look(cue("danger", "Heat off now"), calm, 20.0 + AGAIN_S + 1.0).tone == "warning"


def test_ranks_stand_in_the_one_written_order(bench):
    assert list(Rank) == [Rank.DANGER, Rank.DROP, Rank.MARK, Rank.MOVE, Rank.REST]
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61, gas=0.0, airflow=25.0)
    press(bench)
    bench.feed(359, gas=0.0, airflow=25.0)
    ranks = [matter.rank for matter in matters_of(session, Units())]
    assert ranks == sorted(ranks)
    for matter in matters_of(session, Units()):
        assert len(matter.headline) <= 60, matter.headline


def test_a_move_on_a_temperature_falls_due_when_the_beans_are_there_and_not_when_the_plan_was():
    plan = replace(PLAN, moves=(PlannedMove(Control.GAS, 1.1, Anchor.BEAN, at_c=190.0),))
    charge = Mark(MarkKind.CHARGE, 60.0)
    planned = due_moves(plan, [charge], 500.0)[0].due_t
    t = np.arange(150.0, 500.0, 10.0)
    slow = Rising(t, np.linspace(90.0, 170.0, t.size), 170.0, 10.0)
    assert due_moves(plan, [charge], planned + 40.0, bean=slow)[0].due_t > planned + 40.0, "it is still to come"
    there = Rising(t, np.linspace(90.0, 195.0, t.size), 195.0, 10.0)
    assert due_moves(plan, [charge], 500.0, bean=there)[0].due_t < 500.0
    stuck = Rising(t, np.linspace(90.0, 150.0, t.size), 150.0, 0.2)
    assert due_moves(replace(plan, curve=None), [charge], 500.0, bean=stuck)[0].due_t is None, "nobody knows when"


def test_an_empty_drum_breaks_the_curve_and_a_hand_may_have_done_it():
    t = np.arange(0.0, 200.0, 1.0)
    heats = np.interp(t, [0, 150, 200], [150.0, 165.0, 190.0])
    assert curve_break(t[:165], heats[:165], 100.0, ()) == pytest.approx(150.0, abs=1.0), "where it broke"
    assert curve_break(t[:172:4], heats[:172:4], 100.0, ()) == pytest.approx(150.0, abs=4.0), "where readings come seldom"
    assert curve_break(t[:165], heats[:165], 100.0, (145.0,)) is None, "it was moved shortly before"
    assert curve_break(t, np.interp(t, [0, 200], [150.0, 170.0]), 100.0, ()) is None


def trace(*beans):
    made = LiveTrace()
    for second, bean in enumerate(beans):
        made.append(float(second), bean, 220.0, {Control.GAS: 1.0}, Quality.GOOD)
    return made


def test_a_limit_is_passed_by_rising_over_it_and_not_by_a_jump():
    assert burns(trace(*np.arange(220.0, 234.0, 0.5)), "bean", 230.0)
    assert not burns(trace(*[225.0] * 20, *[260.0] * 10), "bean", 230.0), "a wire that broke jumps"
    assert not burns(trace(*[225.0] * 20, 231.0, 232.0), "bean", 230.0), "two readings are none"


def test_what_several_readings_agree_in_is_no_spike_and_what_is_thrown_to_and_fro_is():
    calm = 200.0 + 0.05 * np.random.default_rng(4).standard_normal(90)
    climbs = trace(*calm, *np.arange(202.0, 262.0, 2.0))
    spikes = [bool(climbs.quality_at(index) & Quality.SPIKE) for index in range(90, 120)]
    assert sum(spikes) <= 3, "but for the last, of which the next will tell"
    thrown = trace(*calm, *[200.0 + 12.0 * (-1) ** index for index in range(20)])
    assert sum(bool(thrown.quality_at(index) & Quality.SPIKE) for index in range(90, 110)) >= 15


def test_hands_are_held_against_the_plans_start_before_and_just_after_the_charge(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61, gas=0.0)
    assert off_start(session) == {Control.AIRFLOW: (50.0, 25.0)}
    press(bench)
    bench.feed(70, gas=0.0)
    assert cue_of(session, Units()).kicker == "at the charge"
    bench.feed(95, gas=0.0)
    assert off_start(session) == {}, "after that it is past"


def test_a_hand_that_turns_a_control_through_the_charge_has_made_two_moves_and_answers_the_plan(bench):
    session, soak = bench.session, PlannedMove(Control.GAS, 0.0, Anchor.CHARGE)
    order = bench.order()
    session.prepare(replace(order, plan=replace(order.plan, moves=(soak, *order.plan.moves))))
    bench.feed(59, gas=0.0)
    bench.feed(61, gas=1.4)
    press(bench)
    bench.feed(64, gas=0.1)
    assert [move.to for move in session.moves if move.control == Control.GAS][-2:] == [1.4, 0.1]
    assert settled_of(session)[0].became is Became.MADE
    bench.feed(84, gas=0.5)
    assert Control.GAS not in off_start(session), "the plan itself has gone on from its start"


def test_the_next_charge_is_found_while_the_last_batch_still_cools(bench, library):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(700)
    bench.session.mark(MarkKind.YELLOW, bench.time - 300.0)
    bench.session.mark(MarkKind.FIRST_CRACK, bench.time - 95.0)
    bench.session.mark(MarkKind.DROP, bench.time)
    first = session.batch_id
    for second in range(400):  # the empty drum heats up again
        bench.time += 1.0
        session.take_reading(reading(bench.time, 190.0 + 0.03 * second, 220.0, 1.0, 50.0, 58.0))
    bench.feed(130, start=58)
    assert session.batch_id != first
    assert session.phase == "drying"
    assert "without a prepared batch" in session.message
    session.flush()
    assert library.batch(first).status == "dropped", "the last one still waits for its weight"
    assert library.batch(first).mark(MarkKind.DROP) is not None


def test_a_batch_that_is_gone_on_with_knows_what_became_of_its_moves(bench, library):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61, gas=0.0, airflow=25.0)
    press(bench)
    bench.feed(150, gas=0.0, airflow=25.0)
    session.dismiss()
    assert session.settled[0].became is Became.LET_GO
    session.flush()
    key = session.batch_id
    session.leave()
    later = RoastSession(library, bench.clock)
    later.set_machine(bench.machine)
    later.resume(key)
    assert later.settled[0].became is Became.LET_GO
    assert [note for note in later.notes if note.kind == "plan"] == [], "they are worked out, not noted twice"
    assert settled_of(later)[0].became is Became.LET_GO
    later.close()
    assert read_note(Note(1.0, "plan", "move 3, gas to 1.6: made otherwise at 1.9")) == (2, Became.OTHERWISE)
    assert read_note(Note(1.0, "plan", "something else")) is None


def test_nothing_is_foretold_from_a_gap_or_right_behind_it(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(200)
    assert sound(session)
    bench.time += 15.0
    assert not sound(session), "nothing comes"
    bench.feed(203)
    assert not sound(session), "it has just come back"
    bench.feed(212)
    assert sound(session)


def test_a_headless_hand_is_offered_what_it_forgot_and_cues_tell_what_was_answered(library):
    time, told = [0.0], []
    desk = Desk(library, Settings(), lambda call: call(), not_at_all)
    desk.clock.run_by(lambda: time[0])
    machine = library.save_machine(replace(machine_of_kind("Drum Six", "gas-6"), yellow_c=160.0, first_crack_c=197.0))
    desk.session.set_machine(machine)
    kept = library.save_plan(replace(PLAN, machine="Drum Six", lot="", curve=None))
    desk.prepare(BatchOrder(None, machine, kept, 5.0))
    watch = Headless(desk.session, told.append, by_hand=True)
    record = make_record()
    for t, bean, air in zip(record.trace.t, record.trace.bean, record.trace.air, strict=True):
        time[0] = float(t)
        if t == 61.0:
            desk.session.mark(MarkKind.CHARGE, 61.0)
        gas = 0.0 if t < 90.0 else 2.4
        desk.take_reading(reading(time[0], float(bean), float(air), gas, 25.0, 58.0))
        watch.look()
        if t > 420.0:
            break
    offers = [event for event in told if event["event"] == "offer"]
    assert [event["mark"] for event in offers] == ["yellow"], "offered once, and taken by nobody"
    assert MarkKind.YELLOW not in desk.session.marks
    first = next(event for event in told if event["event"] == "cue")
    assert (first["control"], first["became"]) == ("gas", "made"), "it was made before it fell due"
    assert first["text"].endswith(": made")
    desk.session.close()
    kept = library.batch(desk.session.last_id)
    assert kept.mark(MarkKind.YELLOW).found is Found.CURVE
    desk.shut_down()
