"""Running a batch, driven by a clock and readings that the test hands over."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from conftest import make_record
from made import reading
from test_plan_and_cue import PLAN

from firnel.core.units import clock
from firnel.core.vocabulary import Control, Found, Lot, MarkKind, Quality
from firnel.devices.clock import Clock
from firnel.store.batch_list import BatchFilter
from firnel.work.bench.results import Results
from firnel.work.desk import machine_of_kind
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.before_charge import tick_next
from firnel.work.roast.cue import cue_of
from firnel.work.roast.picture import roast_picture
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings


class Bench:
    """A session, and a machine that roasts the usual record."""

    def __init__(self, library, reported=True):
        self.time = 500.0
        self.clock = Clock(lambda: self.time)
        self.session = RoastSession(library, self.clock)
        machine = machine_of_kind("Drum Six", "gas-6")
        if not reported:
            machine = replace(machine, controls={c: replace(s, reported=False) for c, s in machine.controls.items()})
        self.machine = library.save_machine(machine)
        self.lot = library.save_lot(Lot("Rwanda Isuka"))
        self.plan = library.save_plan(PLAN)
        self.session.set_machine(self.machine)
        self.trace = make_record().trace
        self.reported = reported

    def order(self, plan=True):
        return BatchOrder(self.lot, self.machine, self.plan if plan else None, 5.0)

    def feed(self, until, start=None, **changes):
        """Readings of the record, one a second, up to its second ``until``."""
        begin = self.at if start is None else start
        for second in range(int(begin), int(until)):
            self.time += 1.0
            values = {"bean": float(self.trace.bean[second]), "air": float(self.trace.air[second])} | changes
            if self.reported:
                values = {"gas": float(self.trace.control(Control.GAS)[second]), "airflow": 50.0, "drum": 58.0} | values
            self.session.take_reading(reading(self.time, **values))
        self.at = until

    at = 0


@pytest.fixture
def bench(library):
    made = Bench(library)
    yield made
    made.session.close()


@pytest.fixture
def quiet_bench(library):
    made = Bench(library, reported=False)
    yield made
    made.session.close()


def press(bench, kind=None):
    return bench.session.mark_next(bench.time) if kind is None else bench.session.mark(kind, bench.time)


def test_one_key_sets_the_marks_in_their_order(bench):
    session = bench.session
    assert press(bench) is None, "nothing is expected while no batch is prepared"
    session.prepare(bench.order())
    bench.feed(61)
    for until, kind, phase in ((340, "charge", "drying"), (600, "yellow", "browning"), (700, "first_crack", "development")):
        assert press(bench).kind == kind
        assert session.phase == phase
        bench.feed(until)
    assert press(bench).kind is MarkKind.DROP
    assert session.phase == "cooling"
    assert press(bench) is None
    assert session.marks[MarkKind.TURNING].found is Found.CURVE
    assert session.marks[MarkKind.YELLOW].bean == pytest.approx(bench.trace.bean[339], abs=0.01)


def test_a_forgotten_charge_is_found_where_it_happened(bench):
    bench.session.prepare(bench.order())
    start = bench.session.now()
    bench.feed(110)
    charge = bench.session.marks[MarkKind.CHARGE]
    assert charge.found is Found.CURVE
    assert charge.t - start == pytest.approx(60.0, abs=3.0)
    assert "found from the curve" in bench.session.message


def test_what_was_read_of_the_empty_drum_belongs_to_the_batch_prepared_behind_it(bench, library):
    bench.feed(40)
    bench.session.prepare(bench.order())
    assert bench.session.now() == pytest.approx(39.0)
    bench.feed(62)
    assert clock(press(bench, MarkKind.CHARGE).t) == "1:01"
    bench.feed(340)
    press(bench)
    bench.feed(700)
    press(bench, MarkKind.DROP)
    for _ in range(300):
        bench.feed(700, 699, bean=180.0)
    bench.session.prepare(bench.order())
    assert bench.session.now() == pytest.approx(180.0), "of a long rest as much as a fit looks at"
    assert float(bench.session.trace.column("bean").max()) == 180.0, "nothing of the last beans"
    bench.session.flush()
    assert library.batch(bench.session.last_id).trace.t[0] == pytest.approx(0.0)
    elsewhere = library.save_machine(machine_of_kind("Fifteen", "gas-15"))
    bench.session.prepare(replace(bench.order(), machine=elsewhere))
    assert len(bench.session.trace) == 0, "another drum"


def test_a_charge_without_a_prepared_batch_is_recorded_all_the_same(bench, library):
    bench.feed(130)
    session = bench.session
    assert session.recording
    assert session.phase == "drying"
    assert "without a prepared batch" in session.message
    session.close()
    record = library.batch(library.find_batch("0001"))
    assert record.trace.t.size > 60, "the readings before the charge are kept too"
    before = record.trace.t < record.charge_t
    assert np.median(record.trace.bean[before][-10:]) == pytest.approx(198.0, abs=2.0)
    assert record.status == "dropped"


def test_undo_takes_back_marks_moves_and_notes_one_by_one(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(300)
    press(bench)
    session.note("smell", "hay", bench.time)
    session.undo()
    assert session.notes == ()
    session.undo()
    assert MarkKind.YELLOW not in session.marks
    assert session.next_expected() is MarkKind.YELLOW
    session.undo()
    assert session.marks[MarkKind.CHARGE].found is Found.CURVE
    assert "that stands as the charge" in session.message
    session.undo()
    assert session.message == "Nothing to undo."


def test_a_charge_that_never_was_is_taken_back(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(30)
    press(bench)
    session.undo()
    assert session.phase == "ready"


def test_a_mark_is_nudged_but_not_into_the_future_or_past_its_neighbour(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(65)
    t = session.marks[MarkKind.CHARGE].t
    session.nudge(-2.0)
    assert session.marks[MarkKind.CHARGE].t == pytest.approx(t - 2.0)
    session.nudge(60.0)
    assert "future" in session.message
    bench.feed(300)
    press(bench)
    session.nudge(-500.0)
    assert "not after" in session.message
    assert session.marks[MarkKind.YELLOW].t == pytest.approx(session.now())


def test_moves_are_read_from_the_machine_and_ticked_off(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61, gas=0.0)
    press(bench)
    bench.feed(107, gas=0.0)
    for gas in (0.8, 1.6, 2.4):  # the knob is turned over three seconds: one move, stamped at its beginning
        bench.feed(bench.at + 1, gas=gas)
    made = [move for move in session.moves if move.control == Control.GAS]
    assert [move.to for move in made][-1] == 2.4
    assert made[-1].found is Found.MACHINE
    first = next(entry for entry in session.due() if entry.index == 0)
    assert first.done_t == made[-1].t


def test_moves_are_made_by_keys_where_the_machine_is_silent(quiet_bench):
    session = quiet_bench.session
    session.prepare(quiet_bench.order())
    quiet_bench.feed(61)
    press(quiet_bench)
    quiet_bench.feed(100)
    session.step_control(Control.GAS, 1, quiet_bench.time)
    session.step_control(Control.GAS, 1, quiet_bench.time)
    assert session.held[Control.GAS] == pytest.approx(0.2)
    assert len(session.moves) == 1, "steps at once are one move"
    quiet_bench.feed(104)
    session.confirm_move(quiet_bench.time)
    assert session.held[Control.GAS] == 2.4, "the planned value, at the key"
    quiet_bench.feed(110)
    assert session.trace.column("gas")[-1] == 2.4
    session.undo()
    assert next(entry for entry in session.due() if entry.index == 0).done_t is None


def test_a_machine_that_reports_its_gas_takes_no_key_for_it(bench):
    bench.session.step_control(Control.GAS, 1, bench.time)
    assert "move it there" in bench.session.message


def test_no_second_batch_while_one_is_in_the_drum(bench):
    bench.session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    with pytest.raises(ValueError, match="Batch 0001 is in the drum"):
        bench.session.prepare(bench.order())
    with pytest.raises(ValueError, match="load of −1 kg"):
        RoastSession(bench.session.library, bench.clock).prepare(BatchOrder(load_kg=-1.0))


def whole_batch(bench):
    session = bench.session
    session.prepare(bench.order())
    for until in (61, 340, 600, 700):
        bench.feed(until)
        press(bench)
    bench.feed(720)
    return session


@pytest.mark.parametrize(
    ("figures", "words"),
    [((5.2, 66, 68), "not less than the green"), ((-1, 66, 68), "above zero"), ((4.3, 120, 68), "from 0 to 100")],
)
def test_figures_that_cannot_be_are_refused_and_nothing_is_lost(bench, library, figures, words):
    session = whole_batch(bench)
    with pytest.raises(ValueError, match=words):
        session.weigh(Results(*figures, ""))
    session.weigh(Results(4.35, 66.0, None, "good"))
    record = library.batch(library.find_batch("0001"))
    assert (record.status, record.roasted_kg, record.colour_ground) == ("done", 4.35, None)
    assert record.trace.t.size == 720
    assert session.phase == "idle"


def test_a_batch_left_without_a_charge_is_no_batch(bench, library):
    bench.session.prepare(bench.order())
    bench.feed(20)
    bench.session.close()
    assert library.batch(library.find_batch("0001")).status == "discarded"


def test_spikes_and_frozen_readings_do_not_reach_the_rate(bench):
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(300)
    clean = session.trace.latest("rate")
    bench.feed(301, bean=380.0)
    assert session.trace.quality_at(len(session.trace) - 1) & Quality.SPIKE
    bench.feed(304)
    assert session.trace.latest("rate") == pytest.approx(clean, abs=1.0)
    bench.session.take_reading(reading(bench.time - 50, bean=150.0))
    assert (np.diff(session.trace.column("t")) > 0).all(), "time never goes backwards"


def cue(bench):
    return cue_of(bench.session, Settings().units)


def test_the_cue_says_what_is_next(bench):
    assert cue(bench).headline == "Prepare the next batch"
    bench.session.prepare(bench.order())
    bench.feed(30)
    assert cue(bench).headline == "Charge at 200 °C: 2 °C below"
    bench.feed(61, gas=0.0, airflow=25.0)
    press(bench)
    bench.feed(80, gas=0.0, airflow=25.0)
    said = cue(bench)
    assert (said.kicker, said.headline) == ("next move", "Gas 0.0 → 2.4 kPa in 0:26")
    assert said.clock_label == "drying"
    bench.feed(106, gas=0.0)
    assert cue(bench).headline.endswith("kPa now")
    assert cue(bench).urgency == "due"
    bench.feed(140, gas=0.0)
    assert cue(bench).headline == "Yellow in 3:41", "what comes next is the headline"
    assert "0:34 late: gas 0.0 → 2.4 kPa (Enter done, D let go)" in cue(bench).detail
    bench.session.confirm_move(bench.time)
    assert "late" not in cue(bench).detail
    assert "then gas 0.0 → 1.6 kPa 12 s after yellow" in cue(bench).detail, "as the machine reports it"


def test_the_cue_counts_cooling_and_a_drop_that_is_overdue(bench):
    session = whole_batch(bench)
    for _ in range(3):
        tick_next(session, bench.time)
    assert cue(bench).headline == "Cool, then weigh"
    bench.time += 300
    assert cue(bench).urgency == "warn", "over the cooling aim"
    for _ in range(4):
        session.undo()  # no drop yet
    said = cue(bench)
    assert (said.headline, said.clock_label, said.clock) == ("Dropped? Else drop now", "over by", "5:30")


def test_a_drop_by_temperature_is_over_since_the_beans_stood_there(bench, library):
    at_c = float(bench.trace.bean[680])
    bench.plan = library.save_plan(replace(PLAN, name="by heat", targets=replace(PLAN.targets, drop_c=at_c), wins="drop_c"))
    session = bench.session
    session.prepare(bench.order())
    for until in (61, 340, 600):
        bench.feed(until)
        press(bench)
    bench.feed(700)
    said = cue(bench)
    assert (said.headline, said.clock_label) == ("Drop now", "over by")
    t, bean = (session.trace.column(name) for name in ("t", "bean"))
    assert said.clock == clock(session.now() - t[(bean >= at_c) & (t >= session.marks[MarkKind.FIRST_CRACK].t)][0])


def test_the_picture_is_in_display_units_and_counts_from_charge(bench):
    session = whole_batch(bench)
    picture = roast_picture(session, Settings(temperature="°F", mass="lb"))
    assert np.nanmax(picture.curves.bean) == pytest.approx(np.nanmax(bench.trace.bean) * 1.8 + 32, abs=0.5)
    charge = next(label for label in picture.labels if label.text.startswith("charge"))
    assert charge.t == 0.0
    assert picture.batch_lines[1] == "11.02 lb on Drum Six"
    assert [row[0] for row in picture.rows if row[0].startswith("*")] == ["*drying", "*browning", "*development"]
    assert np.isnan(picture.curves.rate[picture.curves.t < 20]).all(), "no rate before the turn"
    assert picture.ribbons[0].done[-1][1] == pytest.approx(640.0, abs=1.5), "ribbons end at the drop"


def test_a_batch_that_was_left_is_resumed_with_all_that_hung_on_it(bench, library):
    session = bench.session
    session.prepare(bench.order())
    for until in (61, 340):
        bench.feed(until)
        press(bench)
    session.note("smell", "bread", bench.time)
    assert session.leave() == ""
    line = library.batch_lines(BatchFilter(statuses=("roasting",)))[0]
    later = RoastSession(library, bench.clock)
    later.set_machine(bench.machine)
    later.resume(line.id)
    assert later.phase == "browning"
    assert set(later.marks) == {MarkKind.CHARGE, MarkKind.TURNING, MarkKind.YELLOW}
    assert later.notes[0].text == "bread"
    assert later.order.plan.name == "test"
    assert len(later.trace) == 340
    assert later.trace.latest("rate") == pytest.approx(session.trace.latest("rate"), abs=0.05)
    later.close()


def test_what_came_between_the_start_and_the_answer_belongs_to_the_batch(bench, library):
    """A reading a second; Firnel is killed behind second 340, back ten seconds later, and asked for twenty."""
    session = bench.session
    session.prepare(bench.order())
    bench.feed(61)
    press(bench)
    bench.feed(340)
    assert session.leave() == ""
    line = library.batch_lines(BatchFilter(statuses=("roasting",)))[0]
    left, wall = bench.time, datetime.fromtimestamp(library.journal_state(line.id)[1], UTC)
    bench.clock.wall = lambda: wall + timedelta(seconds=bench.time - left)
    bench.time += 10.0
    bench.session = later = RoastSession(library, bench.clock)
    later.set_machine(bench.machine)
    gas = float(bench.trace.control(Control.GAS)[339])
    bench.feed(360, start=350, gas=gas)
    bench.feed(370, gas=gas - 1.0)
    before = len(library.batch(line.id).moves)
    later.resume(line.id)
    moved = [(move.control, move.to) for move in later.moves[before:]]
    assert moved == [("gas", pytest.approx(gas - 1.0))], "what was moved meanwhile, and no more"
    assert "11 s of readings are missing" in later.message
    t = later.trace.column("t")
    assert np.diff(t).max() == pytest.approx(11.0, abs=0.1)
    assert t[-1] == pytest.approx(later.now(), abs=0.5)
    later.leave()
    kept = library.batch(line.id).trace
    assert kept.t[-1] == pytest.approx(t[-1]), "and is in the library"
    assert kept.bean[-1] == pytest.approx(bench.trace.bean[369])
