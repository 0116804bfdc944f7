"""The forecast: an ensemble carried along by readings, the curve where there is no model, and a plan run on the model."""

from dataclasses import replace

import numpy as np
import pytest
from logged import MACHINES, batches_of, fitted_to
from made import idled, reading, trace_of
from test_plan_and_cue import PLAN
from test_rate_of_rise import moved_roast

from firnel.core.curve_forecast import curve_forecast
from firnel.core.model.document import model_to_document
from firnel.core.model.drift import Drift, learn_soon
from firnel.core.model.forecast import Forecaster
from firnel.core.model.foretelling import DropRule, Interval, Marks, interval
from firnel.core.model.identification import modelled
from firnel.core.model.learning import crack_time, traits_of
from firnel.core.model.leaving import persisting
from firnel.core.model.planned import PlanCannotRunError, plan_hands, run_plan
from firnel.core.model.replay import as_made, bean_by, forecast_at, forecaster_at, held
from firnel.core.model.simulation import about_middle
from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
from firnel.core.vocabulary import Control, MarkKind, Quality, Trace
from firnel.work.desk import Desk
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.picture import roast_picture
from firnel.work.roast.steel import steel_now
from firnel.work.settings import Settings

FITTED_TO, HELD_OUT = batches_of("south")[:8], batches_of("south")[8:]


@pytest.fixture(scope="module")
def model():
    return fitted_to("south", 8)


def rng():
    return np.random.default_rng(4)


def early(model, batch, before=90.0):
    at = batch.first_crack_t - before
    rule = DropRule(development_s=batch.drop_t - batch.first_crack_t)
    return forecast_at(model, batch, at, as_made(batch, at), rule, rng())


def test_ninety_seconds_before_the_crack_its_moment_is_known(model):
    off = [abs(early(model, batch).first_crack.value - batch.first_crack_t) for batch in HELD_OUT]
    assert np.median(off) < 15.0, "lots new to the machine"


def test_where_nobody_marks_what_has_come_lies_in_the_past_and_where_a_hand_does_it_has_not(model):
    for batch in HELD_OUT[:4]:
        quiet, at = replace(batch, yellow_t=None, first_crack_t=None), batch.first_crack_t + 40.0
        both, rule = (MarkKind.YELLOW, MarkKind.FIRST_CRACK), DropRule(100.0)
        told = forecast_at(model, quiet, at, held(quiet, at), rule, rng(), unmarked=both)
        assert told.yellow.low <= batch.yellow_t <= told.yellow.high < at
        assert told.first_crack.value == pytest.approx(batch.first_crack_t, abs=25.0)
        waits, at = replace(batch, first_crack_t=None), batch.first_crack_t + 10.0
        told = forecast_at(model, waits, at, held(waits, at), rule, rng(), unmarked=both[1:])
        assert told.first_crack.value >= at - batch.step, "it was not heard yet"


def test_the_model_beats_the_straight_line(model):
    reading = np.median([np.interp(b.first_crack_t, b.t, b.bean) for b in FITTED_TO])
    ours, line = [], []
    for batch in HELD_OUT:
        at = batch.first_crack_t - 90.0
        near = (batch.t > at - 30.0) & (batch.t <= at)
        slope, level = np.polyfit(batch.t[near] - at, batch.bean[near], 1)
        line.append(abs(at + (reading - level) / slope - batch.first_crack_t))
        ours.append(abs(early(model, batch).first_crack.value - batch.first_crack_t))
    assert np.median(ours) < 0.5 * np.median(line)


def test_intervals_hold_most_of_the_time_and_narrow_as_the_crack_comes_near(model):
    holds = []
    for batch in HELD_OUT:
        far, near = early(model, batch, 240.0).first_crack, early(model, batch, 60.0).first_crack
        holds += [f.low <= batch.first_crack_t <= f.high for f in (far, near)]
        assert near.high - near.low < far.high - far.low
    assert np.mean(holds) >= 0.6, "80 % intervals, twelve trials"


def test_readings_pull_the_members_together(model):
    batch = HELD_OUT[0]
    spread = [np.std(forecaster_at(model, batch, at, rng()).steel) for at in (0.0, 120.0, 400.0)]
    assert spread[2] < spread[0]


def test_a_colder_drum_is_noticed_while_it_roasts(model):
    batch = HELD_OUT[0]
    cold = replace(batch, bean=batch.bean - np.clip(batch.t / 100.0, 0.0, 1.0) * 6.0)
    assert early(model, cold).first_crack.value > early(model, batch).first_crack.value + 10.0


@pytest.mark.parametrize("more", [3.0, -3.0])
def test_a_rate_at_which_the_probe_keeps_leaving_the_model_is_carried_on(model, more, monkeypatch):
    """As on a drum that is driven as no log of it was: its equations go wrong for minutes, not for a reading."""
    batch, at, ahead = HELD_OUT[0], 330.0, 60.0
    made = modelled(model.fitted, batch, known=False)
    bean = np.interp(batch.t, made.t, made.bean_probe[:, 0])
    leaving = replace(batch, bean=bean + more * np.clip(batch.t - 210.0, 0.0, None) / 60.0)

    def off():
        told = forecast_at(model, leaving, at, as_made(leaving, at), DropRule(development_s=100.0), rng())
        return abs(np.interp(at + ahead, told.fan_t, told.fan[1]) - np.interp(at + ahead, batch.t, leaving.bean))

    followed = off()
    monkeypatch.setattr("firnel.core.model.leaving.FEWEST", 100)  # none is
    without = off()
    assert followed < 0.6 * without, (followed, without)


def test_of_a_probe_that_wanders_nothing_is_carried_on():
    """Its mean counts by what it is clear of the noise that neighbours tell (the positive part of James and Stein, 1961)."""
    noise = 1.5 * np.random.default_rng(7).standard_normal(15)
    assert abs(persisting(noise, 6)) < 0.1
    assert persisting(2.0 + 0.2 * noise / 1.5, 6) == pytest.approx(2.0, abs=0.25)
    assert persisting(np.full(15, 0.1), 6) == 0.0, "nor of what is nobody's to see"
    assert persisting(np.full(3, 5.0), 3) == 0.0, "nor of a look or two"


def test_after_first_crack_only_development_counts(model):
    batch = HELD_OUT[1]
    at = batch.first_crack_t + 20.0
    rule = DropRule(development_s=100.0)
    made = forecast_at(model, batch, at, held(batch, at), rule, rng())
    assert made.first_crack == Interval(batch.first_crack_t, batch.first_crack_t, batch.first_crack_t)
    assert made.drop_t.value == pytest.approx(batch.first_crack_t + 100.0)
    assert made.development_s.value == pytest.approx(100.0)
    assert made.drop_c.low < made.drop_c.value < made.drop_c.high
    assert made.cloud.shape == (2, 200)


def test_what_comes_between_the_last_word_and_the_drop_is_learned_and_said_only_shortly_before(model):
    batch = batches_of("south")[8]
    drop, crack = batch.drop_t, batch.first_crack_t
    plain = replace(model, drift=replace(model.drift, soon=Drift.soon))
    hot = replace(model, drift=learn_soon(plain.drift, 6 * [[0.5, 0.5, 0.5, 0.5]], 0.0))
    assert hot.drift.soon == pytest.approx(4 * [0.5], abs=0.1)
    assert learn_soon(plain.drift, 6 * [[0.5, 0.5, 0.5, 0.5]], 0.6).soon[3] == pytest.approx(hot.drift.soon[3] - 0.45)

    def said(which, ahead):
        rule, rng = DropRule(development_s=drop - crack), np.random.default_rng(2)
        return forecast_at(which, batch, drop - ahead, as_made(batch, drop - ahead, 120.0), rule, rng).drop_c.value

    assert said(hot, 20.0) - said(plain, 20.0) == pytest.approx(hot.drift.soon[1], abs=0.05)
    assert drop - crack > 61.0
    assert said(hot, 61.0) == pytest.approx(said(plain, 61.0), abs=0.05)


def test_a_drop_that_is_overdue_can_only_come_now(model):
    batch = HELD_OUT[1]
    at = batch.first_crack_t + 20.0
    made = forecast_at(model, batch, at, held(batch, at), DropRule(development_s=10.0), rng())
    assert (made.drop_t.value, made.development_s.value) == pytest.approx((at, 20.0), abs=2.0), "as far as the readings go"
    assert made.drop_c.value == pytest.approx(np.interp(at, batch.t, batch.bean), abs=1.0)
    t, bean = rising(570.0)
    made = curve_forecast(t, bean, (), DropRule(10.0), Marks(yellow_t=250.0, first_crack_t=550.0), 155.0, 190.0)
    assert (made.drop_t.value, made.development_s.value) == (t[-1], t[-1] - 550.0)


def test_a_drop_at_a_temperature_has_an_open_time(model):
    batch = HELD_OUT[1]
    made = forecast_at(model, batch, batch.first_crack_t, as_made(batch, batch.first_crack_t), DropRule(drop_c=203.0), rng())
    assert made.drop_t.low < made.drop_t.value
    assert made.drop_c.value == pytest.approx(203.0, abs=0.4)


def test_what_most_members_never_reach_is_not_foretold(model):
    batch = HELD_OUT[1]
    made = forecast_at(model, batch, 400.0, as_made(batch, 400.0), DropRule(drop_c=400.0), rng())
    assert made.drop_t is None
    assert made.drop_c is None
    assert made.development_s is None


def test_missing_readings_and_spikes_leave_no_nan(model):
    batch = HELD_OUT[2]
    bean, air = batch.bean.copy(), np.full_like(batch.air, np.nan)
    bean[(batch.t > 200) & (batch.t < 260)] = np.nan
    made = early(model, replace(batch, bean=bean, air=air, air_at_charge=float("nan")))
    assert np.isfinite(made.fan).all()
    assert np.isfinite(made.first_crack.value)


def test_a_reading_is_taken_in_with_less_of_its_noise_and_without_a_lag():
    batch = batches_of("south")[3]
    straight = 150.0 + 0.15 * batch.t
    noisy = replace(batch, bean=straight + np.random.default_rng(4).normal(0.0, 0.5, batch.t.size))
    stops = range(round(150.0 / batch.step), batch.bean.size)
    off = np.array([bean_by(noisy, stop) - straight[stop] for stop in stops])
    # The end of a least-squares line through n readings has (4n - 2) / (n (n + 1)) of their variance. Textbook.
    assert np.std(off) == pytest.approx(0.5 * np.sqrt(30.0 / 72.0), rel=0.15)
    assert abs(np.mean(off)) < 0.05, "a mean of the eight would lag by a degree"
    early = round(60.0 / batch.step)
    assert bean_by(noisy, early) == noisy.bean[early]
    keyed = replace(noisy, by_hand=True)
    assert bean_by(keyed, stops[5]) == keyed.bean[stops[5]]


def test_the_same_seed_gives_the_same_forecast(model):
    assert early(model, HELD_OUT[0]).first_crack == early(model, HELD_OUT[0]).first_crack


def test_the_fan_begins_where_the_probe_is(model):
    batch = HELD_OUT[3]
    made = early(model, batch)
    assert made.fan[1, 0] == pytest.approx(np.interp(made.at, batch.t, batch.bean), abs=2.0)
    assert (made.fan[0] <= made.fan[1]).all()
    assert (made.fan[1] <= made.fan[2]).all()


def test_an_interval_tells_members_that_never_arrive_as_late():
    assert interval(np.array([1.0, 2.0, 3.0, 4.0, np.inf])).high is None
    assert interval(np.array([1.0, np.inf, np.inf])) is None
    assert interval(np.array([])) is None
    assert interval(np.full(10, 5.0)) == Interval(5.0, 5.0, 5.0)


def test_more_gas_brings_the_crack_sooner(model):
    batch = HELD_OUT[0]
    at = batch.first_crack_t - 200.0
    ensemble = forecaster_at(model, batch, at, rng())
    hands = held(batch, at)
    more = replace(hands, heat=np.minimum(hands.heat * 1.15, 1.0))
    rule = DropRule(development_s=90.0)
    sooner, usual = ensemble.forecast(more, rule, Marks()), ensemble.forecast(hands, rule, Marks())
    assert sooner.first_crack.value < usual.first_crack.value


def test_members_scatter_about_the_roast_of_the_numbers_in_the_middle(model):
    plain = replace(model, drift=Drift())
    said = [forecast_at(plain, b, 0.0, as_made(b, 0.0), DropRule(90.0), rng()).first_crack.value for b in FITTED_TO]
    late = np.array(said) - [crack_time(plain, batch) for batch in FITTED_TO]
    assert abs(np.median(late)) < 5.0, "the mean of members that scatter cracks seven seconds late"


def test_a_member_that_ran_away_moves_none_of_the_others():
    told = about_middle(np.array([[1.0, 3.0, np.nan, -1e9, 10.0], [1.0, 3.0, 2.0, 2.0, np.inf]]))
    assert told[0, :2] == pytest.approx([9.0, 11.0])
    assert told[1] == pytest.approx([1.0, 3.0, 2.0, 2.0]), "nor does a middle one that did"


def test_a_lot_that_was_fitted_is_known_together_with_its_drum(model):
    def early_half(batch):
        told = forecast_at(model, batch, 0.0, as_made(batch, 0.0), DropRule(90.0), rng()).first_crack
        return told.value - told.low

    known = [early_half(batch) / early_half(replace(batch, lot="another")) for batch in FITTED_TO[:4]]
    assert np.mean(known) < 0.72, "0.78 where what it takes up is drawn without regard to the drum"


def test_a_forecaster_is_made_from_the_charge_alone(model):
    batch = HELD_OUT[0]
    blind = replace(batch, bean=batch.bean[:1], air=batch.air[:1])
    ensemble = Forecaster(model.fitted, model.yellow, model.crack, model.drift, blind, rng())
    made = ensemble.forecast(held(batch, 0.0), DropRule(90.0), Marks())
    assert made.basis == "model"
    assert made.yellow.value > 200.0


# Without a model


def rising(until, noise=0.0):
    t = np.arange(0.0, until, 1.0)
    level = 205.0 - 140.0 * np.exp(-t / 300.0)
    return t, level + noise * np.random.default_rng(1).standard_normal(t.size)


def test_the_curve_is_carried_on_and_says_that_it_is_the_curve():
    t, bean = rising(620.0, 0.1)
    truth = -300.0 * np.log((205.0 - 190.0) / 140.0)
    made = curve_forecast(t, bean, (), DropRule(90.0), Marks(yellow_t=250.0), 155.0, 190.0)
    assert made.basis == "curve"
    assert made.first_crack.low <= truth <= made.first_crack.high
    assert made.yellow == Interval(250.0, 250.0, 250.0)
    assert made.drop_t.value == pytest.approx(made.first_crack.value + 90.0)
    far = curve_forecast(*rising(350.0, 0.1), (), DropRule(90.0), Marks(), 155.0, 190.0)
    assert (
        far.first_crack.high is None
        or far.first_crack.high - far.first_crack.low > made.first_crack.high - made.first_crack.low
    )
    quiet = curve_forecast(t, bean, (), DropRule(90.0), Marks(), 155.0, 190.0, heard=False)
    assert quiet.yellow.low < -300.0 * np.log((205.0 - 155.0) / 140.0) < quiet.yellow.high < t[-1]
    assert quiet.first_crack == made.first_crack, "what is still to come comes as before"


def test_by_the_curve_the_air_tells_sooner_that_the_gas_was_turned_down():
    """Half a minute after a hand that nobody told of, the bean probe a minute ahead."""
    off = []
    for seed in range(4):
        t, bean, air, _ = moved_roast(seed)
        part, later = t <= 325.0, float(np.mean(bean[(t > 382.0) & (t < 388.0)]))
        told = [curve_forecast(t[part], bean[part], (), DropRule(90.0), Marks(200.0), 150.0, 230.0, air=over)
                for over in (None, air[part])]  # fmt: skip
        off.append([abs(float(one.fan[1][60]) - later) for one in told])
    alone, aired = np.mean(off, axis=0)
    assert aired < 0.6 * alone


def test_a_falling_or_flat_curve_foretells_nothing():
    t = np.arange(0.0, 60.0)
    made = curve_forecast(t, 200.0 - 2.0 * t, (), DropRule(90.0), Marks(), 155.0, 197.0)
    assert made.first_crack is None
    assert made.drop_t is None
    flat = curve_forecast(np.arange(0.0, 300.0), np.full(300, 160.0), (), DropRule(90.0), Marks(), 155.0, 197.0)
    assert flat.first_crack is None or flat.first_crack.value > 600.0


def test_the_curve_can_be_dropped_at_a_temperature():
    t, bean = rising(560.0)
    made = curve_forecast(t, bean, (300.0,), DropRule(drop_c=197.0), Marks(yellow_t=250.0, first_crack_t=550.0), 155.0, 190.0)
    assert made.drop_t.low <= made.drop_t.value
    assert made.development_s.value == pytest.approx(made.drop_t.value - 550.0)
    assert curve_forecast(t, bean, (), DropRule(), Marks(first_crack_t=550.0), 155.0, 190.0).drop_t is None


# A plan on the model


def plan_for_south(**changes):
    moves = (
        PlannedMove(Control.GAS, 4.5, Anchor.YELLOW, 10.0),
        PlannedMove(Control.AIRFLOW, 60.0, Anchor.FIRST_CRACK, -20.0),
        PlannedMove(Control.GAS, 3.0, Anchor.BEAN, at_c=185.0),
    )
    start = {Control.GAS: 6.6, Control.AIRFLOW: 35.0, Control.DRUM: 60.0}
    plan = Plan("test", "south", "", 0.85, targets=Targets(charge_c=192.0, development_s=95.0), start=start, moves=moves)
    return replace(plan, **changes)


def test_a_plan_is_run_with_its_moves_at_their_marks(model):
    green = traits_of(HELD_OUT[0])
    roast = run_plan(model, MACHINES["south"], plan_for_south(), green)
    marks = roast.marks
    order = [marks[kind] for kind in (MarkKind.CHARGE, MarkKind.TURNING, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)]
    assert order == sorted(order)
    assert 40.0 < marks[MarkKind.TURNING] < 110.0, "60-95 s; common practice, no published source"
    assert roast.expected_t[0] == pytest.approx(marks[MarkKind.YELLOW] + 10.0, abs=1.5)
    assert roast.expected_t[1] == pytest.approx(marks[MarkKind.FIRST_CRACK] - 20.0, abs=1.5)
    assert np.interp(roast.expected_t[2], roast.simulated.t, roast.simulated.bean_probe[:, 0]) == pytest.approx(185.0, abs=1.0)
    assert roast.drop_t == pytest.approx(marks[MarkKind.FIRST_CRACK] + 95.0)
    assert 0.10 < roast.loss < 0.20
    assert 40.0 < roast.colour < 80.0


def test_a_colder_drum_makes_the_same_plan_late(model):
    green = traits_of(HELD_OUT[0])
    usual, cold = (run_plan(model, MACHINES["south"], plan_for_south(), green, steel_c=steel) for steel in (190.0, 160.0))
    assert cold.marks[MarkKind.YELLOW] > usual.marks[MarkKind.YELLOW] + 5.0


def test_a_plan_that_never_cracks_says_so_with_none(model):
    weak = plan_for_south(start={Control.GAS: 0.5, Control.AIRFLOW: 35.0}, moves=())
    roast = run_plan(model, MACHINES["south"], weak, traits_of(HELD_OUT[0]))
    assert roast.marks[MarkKind.FIRST_CRACK] is None
    assert roast.drop_t is None


@pytest.mark.parametrize(
    ("changes", "words"), [({"load_kg": None}, "no load"), ({"targets": Targets(charge_c=192.0)}, "when to drop")]
)
def test_a_plan_that_lacks_something_is_refused(model, changes, words):
    with pytest.raises(PlanCannotRunError, match=words):
        run_plan(model, MACHINES["south"], plan_for_south(**changes), traits_of(HELD_OUT[0]))


def test_a_plans_settings_hold_from_move_to_move():
    hands = plan_hands(PLAN, MACHINES["south"], tuple(100.0 * (n + 1) for n in range(len(PLAN.moves))))
    for index, move in enumerate(PLAN.moves):
        if move.control == Control.GAS:
            at = int(100.0 * (index + 1) / 2.0) + 1
            assert hands.heat[at] == pytest.approx(np.sqrt(min(move.to / 10.0, 1.0)))


# Steel while it idles


def idling(drift, gas=2.0):
    t = np.arange(0.0, 120.0, 1.0)
    bean = 190.0 + drift * (1.0 - np.exp(-t / 45.0))
    columns = (t, bean, bean + 5.0, np.full_like(t, gas), np.full_like(t, 35.0), np.full_like(t, 60.0))
    return trace_of(columns, np.zeros(t.size, np.int64))


def test_a_soaked_drum_is_told_from_one_that_is_not(model):
    assert steel_now(model, MACHINES["south"], idling(0.0)) is None, "no idling of it was ever logged: nobody knows"
    model = idled(model)
    cold, warm, hot = (steel_now(model, MACHINES["south"], idling(drift)) for drift in (-15.0, 0.0, 15.0))
    assert cold.steel_c < warm.steel_c < hot.steel_c
    assert 0.0 < warm.sd_c < 8.0
    spiked = idling(0.0)
    spiked.quality[-1] = int(Quality.SPIKE)
    assert steel_now(model, MACHINES["south"], spiked).steel_c == pytest.approx(warm.steel_c, abs=1.0), (
        "the last reading may be bad"
    )


def test_without_enough_idling_or_gas_nothing_is_said_of_the_steel(model):
    model, whole = idled(model), idling(0.0)
    short = whole.part(slice(8))
    assert steel_now(model, MACHINES["south"], short) is None
    assert steel_now(model, MACHINES["south"], idling(0.0, np.nan)) is None
    assert steel_now(model, MACHINES["south"], Trace.empty()) is None


def test_the_roast_view_shows_the_steel_until_the_charge(model, library):
    machine = library.save_machine(MACHINES["south"])
    library.machine_book.save_model(machine.id, model_to_document(idled(model), ["gas"]))
    seconds = [1000.0]
    desk = Desk(library, Settings(), lambda call: call())
    desk.clock.run_by(lambda: seconds[0])
    desk.session.set_machine(machine)
    for _ in range(60):
        seconds[0] += 1.0
        desk.take_reading(reading(seconds[0], 190.0, 196.0, 2.0, 35.0, 60.0))
    rows = roast_picture(desk.session, Settings()).rows
    assert rows[0][0] == "drum steel"
    assert rows[0][2].endswith("°C")
    desk.session.prepare(BatchOrder(machine=machine, load_kg=0.8))
    desk.session.mark(MarkKind.CHARGE, seconds[0])
    seconds[0] += 1.0
    desk.take_reading(reading(seconds[0], 185.0, 190.0, 2.0, 35.0, 60.0))
    assert roast_picture(desk.session, Settings()).rows[0][0] != "drum steel"
    desk.session.close()
