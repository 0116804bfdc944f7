"""Looking ahead while it roasts: the ensemble that follows, the landing, advice, what is told, and a batch without a window."""

import queue
import threading
from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
from conftest import PATIENCE_S
from logged import MACHINES, batches_of, fitted_to, lot_of, record_of
from made import reading, trace_of
from PyQt6.QtCore import Qt
from test_plan_and_cue import PLAN
from test_rate_of_rise import wandering

from firnel.app.window import make_application, make_window
from firnel.core.ending import moved_end, moved_rule
from firnel.core.guidance import Advice, Choice, advise, further_steps, may_advise, steps_wanted, steps_within
from firnel.core.known_course import Course
from firnel.core.landing import expected_off, landing_of
from firnel.core.model.document import model_to_document
from firnel.core.model.driven import HandMove
from firnel.core.model.following import Follower
from firnel.core.model.foretelling import DropRule, Forecast, Interval, Marks
from firnel.core.model.learning import traits_of
from firnel.core.model.logged import logged_batch
from firnel.core.model.replay import forecaster_at, held
from firnel.core.model.solving import solve
from firnel.core.plan import Anchor, Plan, PlannedMove, Targets, due_moves, expected_marks
from firnel.core.units import Units
from firnel.core.vocabulary import USUAL_CONTROLS, Control, ControlScale, Found, Mark, MarkKind, Move, Quality
from firnel.devices.clock import Clock
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.roast.advice_words import told_line, warnings_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.coming import Coming, coming_of, lost_of
from firnel.work.roast.drop_cue import drop_cue
from firnel.work.roast.guided import Guidance
from firnel.work.roast.headless import Headless
from firnel.work.roast.judging import Judge, _as_far_as
from firnel.work.roast.live_forecast import LiveForecast
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.lookout import Beside, at_once, not_at_all
from firnel.work.roast.remedy import LEAST_BACK, rescue
from firnel.work.roast.session import RoastSession
from firnel.work.roast.steps import Ask, ahead_of, made_up, step_of
from firnel.work.settings import Settings

FITTED_TO = batches_of("south")[:8]
SOUTH = replace(MACHINES["south"], first_crack_c=197.0, yellow_c=155.0)
WANTED = Targets(charge_c=190.0, drying_s=325.0, browning_s=310.0, development_s=110.0, drop_c=206.0)
BATCH = batches_of("south")[9]


@pytest.fixture(scope="module")
def model():
    return fitted_to("south", 8)


@pytest.fixture(scope="module")
def plan(model):
    asked = Plan("House", "south", "south-010", 0.85, targets=WANTED)
    return solve(model, SOUTH, asked, traits_of(BATCH), WANTED).plan


def cut(batch, at):
    """The batch as it was known at a second."""
    count = int(at / batch.step)
    hands = type(batch.hands)(batch.hands.heat[:count], batch.hands.air[:count], batch.hands.drum[:count])
    known = {name: t if (t := getattr(batch, name)) is not None and t <= at else None for name in ("yellow_t", "first_crack_t")}
    return replace(batch, hands=hands, bean=batch.bean[: count + 1], air=batch.air[: count + 1], drop_t=None, **known)


def test_following_a_batch_is_the_same_as_replaying_it(model):
    at = BATCH.first_crack_t + 20.0
    follower = Follower(model, 7)
    for moment in (*np.arange(20.0, at, 20.0), at):
        ensemble, marks = follower.follow(cut(BATCH, moment))
    whole = forecaster_at(model, cut(BATCH, at), at, np.random.default_rng(7))
    rule, hands = DropRule(90.0), held(BATCH, at)
    live, replayed = (one.forecast(hands, rule, marks) for one in (ensemble, whole))
    assert live.drop_c.value == pytest.approx(replayed.drop_c.value, abs=0.8)
    assert marks.first_crack_t == BATCH.first_crack_t


def test_the_air_line_goes_on_from_where_the_air_probe_is(model):
    at = BATCH.first_crack_t - 60.0
    off = []
    for by in (0.0, 10.0):  # a probe that reads ten degrees more than any of the fit did
        batch = replace(BATCH, air=BATCH.air + by)
        told = forecaster_at(model, cut(batch, at), at, np.random.default_rng(7)).forecast(
            held(batch, at), DropRule(90.0), Marks()
        )
        off.append(told.air[:4].mean() - batch.air[round(at / batch.step)])
    assert abs(off[1] - off[0]) < 3.0


def test_a_mark_taken_back_is_forgotten(model):
    at = BATCH.yellow_t + 60.0
    follower = Follower(model, 7)
    follower.follow(cut(BATCH, at))
    late = replace(cut(BATCH, at), yellow_t=BATCH.yellow_t + 40.0)
    ensemble, marks = follower.follow(late)
    fresh, _ = Follower(model, 7).follow(late)
    assert marks.yellow_t == BATCH.yellow_t + 40.0
    np.testing.assert_allclose(ensemble.steel, fresh.steel)


def test_what_hangs_on_a_mark_to_come_moves_with_its_forecast():
    marks = (Mark(MarkKind.CHARGE, 10.0), Mark(MarkKind.YELLOW, 300.0))
    planned = expected_marks(PLAN, marks, 320.0)
    told = {MarkKind.FIRST_CRACK: planned[MarkKind.FIRST_CRACK] - 25.0, MarkKind.DROP: 1.0}
    ahead = expected_marks(PLAN, marks, 320.0, told)
    assert ahead[MarkKind.FIRST_CRACK] == planned[MarkKind.FIRST_CRACK] - 25.0
    assert ahead[MarkKind.DROP] == ahead[MarkKind.FIRST_CRACK] + PLAN.targets.development_s, "development time rules"
    before, after = (
        {e.index: e.due_t for e in due_moves(PLAN, marks, 320.0, told=which) if e.move.anchor == "first_crack"}
        for which in (None, told)
    )
    assert all(before[index] - after[index] == 25.0 for index in before)


def forecast(crack, drop_c, spread=1.0, development=90.0):
    def told(value, half):
        return Interval(value, value - half, value + half)

    return Forecast(
        400.0,
        "model",
        None,
        told(crack, 5.0 * spread),
        told(crack + development, 5.0),
        told(drop_c, spread),
        told(development, 0.0),
    )


BOX = replace(PLAN, targets=Targets(200.0, 300.0, 240.0, 90.0, 206.0), tolerances={"drop_c": 1.0, "browning_s": 5.0})
CAME = {MarkKind.CHARGE: 0.0, MarkKind.YELLOW: 300.0}


def choices(*drops):
    return [Choice(Control.GAS, 1.8, to, forecast(540.0, drop)) for to, drop in drops]


def test_half_the_way_is_advised_where_all_of_it_would_spoil_the_drop():
    landing = landing_of(BOX, forecast(512.0, 206.0), CAME)
    ways = {-1: (519.0, 205.2), -2: (526.0, 204.4), -4: (540.0, 202.8)}
    tried = [Choice(Control.GAS, 1.8, 1.8 + 0.1 * by, forecast(*ways[by])) for by in (-1, *further_steps(-4))]
    advice = advise(BOX, landing, tried, CAME)
    assert (advice.off.name, advice.choice.to) == ("browning_s", pytest.approx(1.6))
    assert further_steps(0) == further_steps(1) == ()


def test_browning_waits_for_a_yellow_that_is_near_and_is_not_spoilt_meanwhile():
    charged = {MarkKind.CHARGE: 0.0}

    def seen(yellow, crack, drop):
        return replace(forecast(crack, drop), yellow=Interval(yellow, yellow - 3.0, yellow + 3.0))

    for yellow, spoken in ((450.0, True), (415.0, False), (395.0, False)):  # it is 400 s now
        off = next(one for one in expected_off(BOX, seen(yellow, 600.0, 206.0), charged) if one.name == "browning_s")
        assert (off.by, off.outside) == (600.0 - yellow - 240.0, spoken)
    hot = landing_of(BOX, seen(415.0, 600.0, 209.0), charged)
    shorter, longer = (Choice(Control.GAS, 1.8, 1.5, seen(415.0, crack, 206.0)) for crack in (560.0, 620.0))
    assert advise(BOX, hot, [shorter], charged) is None
    assert advise(BOX, hot, [longer], charged).off.name == "drop_c"


def test_in_the_box_nothing_is_advised():
    landing = landing_of(BOX, forecast(541.0, 206.4), CAME)
    assert landing.inside
    assert advise(BOX, landing, choices((1.7, 206.0), (1.9, 206.8)), CAME) is None


def test_outside_the_box_the_move_that_brings_it_back_is_advised():
    landing = landing_of(BOX, forecast(540.0, 209.0), CAME)
    advice = advise(BOX, landing, choices((1.7, 208.2), (1.9, 209.8), (1.4, 206.1)), CAME)
    assert (advice.choice.to, advice.off.name) == (1.4, "drop_c")
    assert advice.becomes == pytest.approx(0.1)
    scale = SOUTH.controls[Control.GAS]
    assert steps_wanted(BOX, landing, [(-1, forecast(540.0, 208.2)), (1, forecast(540.0, 209.8))], CAME, scale) == -4
    assert steps_wanted(BOX, landing_of(BOX, forecast(540.0, 206.1), CAME), [(-1, forecast(540.0, 205.0))], CAME, scale) == 0


def test_a_hand_goes_twice_as_far_where_the_end_would_be_missed_by_far():
    cracked, scale = CAME | {MarkKind.FIRST_CRACK: 540.0}, SOUTH.controls[Control.GAS]
    weak = [(-1, forecast(540.0, 210.9))]  # a tenth of a degree for a step
    before, after = (
        steps_wanted(BOX, landing_of(BOX, forecast(540.0, 211.0), came), weak, came, scale) for came in (CAME, cracked)
    )
    assert after == 2 * before < 0
    cold = [(1, forecast(540.0, 201.1))]
    far = landing_of(BOX, forecast(540.0, 201.0), cracked)
    assert steps_wanted(BOX, far, cold, cracked, scale, coasts=True) == -after, "more heat is more heat"
    hot = landing_of(BOX, forecast(540.0, 211.0), cracked)
    out = steps_wanted(BOX, hot, weak, cracked, scale, coasts=True)
    assert out == -33 < after, "two thirds of five degrees; put out, if that is what it takes"
    out = steps_wanted(BOX, hot.whole_if_hot(), weak, cracked, scale, coasts=True)
    assert out == -50, "all of them by heat that answers late"
    astray = steps_wanted(BOX, landing_of(BOX, forecast(540.0, 218.0), CAME), [(-1, forecast(540.0, 217.6))], CAME, scale)
    assert astray == -30 < before, "nobody nibbles at twelve degrees"


def test_late_heat_is_turned_up_no_further_than_was_logged_late():
    scale = ControlScale("kPa", 0.0, 5.0, 0.2)
    assert steps_within(9, 1.0, (0.0, 1.65), scale) == 3, "three whole steps, and no part of a fourth"
    assert steps_within(90, 1.0, (0.0, float("inf")), scale) == 20, "no log holds late heat: the scale bounds it"
    assert steps_within(9, 2.0, (0.0, 1.6), scale) == 0, "what stands above already is not turned down for that"
    assert steps_within(-9, 1.0, (0.55, 1.6), scale) == -2, "nor below what was logged"


def test_in_development_a_part_of_what_is_off_is_left_and_a_tolerance_is_worth_a_move():
    cracked = CAME | {MarkKind.FIRST_CRACK: 540.0}
    hot = landing_of(BOX, forecast(540.0, 209.0), cracked)  # 3 K of a tolerance of 1
    for landing, came, to in (
        (hot, cracked, 1.7), (hot.whole_if_hot(), cracked, 1.6), (landing_of(BOX, forecast(540.0, 209.0), CAME), CAME, 1.6),
    ):  # fmt: skip
        advice = advise(BOX, landing, choices((1.6, 206.1), (1.7, 207.0)), came)
        assert advice.choice.to == to, "in development doubt is not chased to the end, but for heat that answers late"
    cold = landing_of(BOX, forecast(540.0, 203.0), cracked).whole_if_hot()
    assert advise(BOX, cold, choices((2.1, 205.9), (1.9, 205.0)), cracked).choice.to == 1.9
    far = landing_of(BOX, forecast(540.0, 213.0), cracked)
    assert advise(BOX, far, choices((1.0, 210.8)), cracked) is not None, "2.2 of 7 K is less than a part, and worth its while"
    assert advise(BOX, far, choices((1.0, 212.4)), cracked) is None, "0.6 K of seven is neither"


def test_far_off_before_first_crack_a_quarter_is_worth_a_move_too():
    for off_c, gained_c, advised in (
        (5.0, 1.6, True),
        (5.0, 1.1, False),
        (2.2, 0.7, False),
        (12.0, 3.1, True),
        (12.0, 2.9, False),
    ):
        landing = landing_of(BOX, forecast(540.0, 206.0 + off_c), CAME)
        advice = advise(BOX, landing, choices((1.0, 206.0 + off_c - gained_c)), CAME)
        assert (advice is not None) is advised, (off_c, gained_c)


def test_a_move_that_hardly_helps_or_spoils_another_target_is_not_advised():
    landing = landing_of(BOX, forecast(540.0, 209.0), CAME)
    assert advise(BOX, landing, choices((1.7, 208.7)), CAME) is None
    spoils = [Choice(Control.GAS, 1.8, 1.0, forecast(580.0, 206.0))]
    assert advise(BOX, landing, spoils, CAME) is None


def test_a_late_yellow_is_mended_though_browning_gets_shorter_by_what_can_be_mended_there():
    """Else nothing was said of a yellow 25 to 40 s late through all of drying: heat that helps it shortens browning too."""

    def told(yellow, crack):
        return replace(forecast(crack, 206.0), at=100.0, yellow=Interval(yellow, yellow - 8.0, yellow + 8.0))

    charged = {MarkKind.CHARGE: 0.0}
    landing = landing_of(BOX, told(325.0, 565.0), charged)
    for crack, advised in ((538.0, True), (525.0, False)):
        step = [Choice(Control.GAS, 1.8, 2.1, told(311.0, crack))]
        assert (advise(BOX, landing, step, charged) is not None) is advised, crack


def test_no_advice_takes_a_batch_where_first_crack_does_not_come_any_more():
    """Less heat for a yellow that comes too soon was advised although the beans then never got to their drop."""
    early = replace(forecast(540.0, 206.0), at=100.0, yellow=Interval(275.0, 270.0, 280.0))
    later = replace(early, yellow=Interval(295.0, 290.0, 300.0))
    never = replace(later, first_crack=None, drop_t=None, drop_c=None, development_s=None)
    charged = {MarkKind.CHARGE: 0.0}
    landing = landing_of(BOX, early, charged)
    for comes, advised in ((later, True), (never, False)):
        step = [Choice(Control.GAS, 1.8, 1.5, comes)]
        assert (advise(BOX, landing, step, charged) is not None) is advised


def test_a_lost_batch_is_brought_back_by_more_than_a_step_that_stands_about_the_border(model, plan):
    """A hand one step low of the plan's own heat was sent that one step up, again and again, and never got there."""
    ask = ask_at(plan, 150.0)
    own = PlannedMove(Control.GAS, 0.0, Anchor.CHARGE, 100.0)
    step, high = SOUTH.controls[Control.GAS].step, SOUTH.controls[Control.GAS].high
    gas = np.where(ask.trace.t > ask.now - 50.0, 0.0, ask.trace.control(Control.GAS))
    trace = replace(ask.trace, controls={**ask.trace.controls, Control.GAS: gas})
    ask = replace(ask, trace=trace, plan=replace(plan, moves=(replace(own, to=step),)), done={0: ask.now - 50.0})
    never = Coming("lost", 0.0, "", never=MarkKind.FIRST_CRACK)
    gets_there, lost = forecast(540.0, 206.0), replace(forecast(540.0, 206.0), first_crack=None)

    def told(from_to):
        def made(tried):
            return Choice(Control.GAS, tried.setting, tried.to, gets_there if tried.to > from_to else lost)

        return rescue(never, ask, made, None, {}, high)

    assert told(0.0).remedy.to >= LEAST_BACK * high > step
    assert told(-1.0) == replace(never, by_plan=True), "as it stands it gets there: what is still planned keeps it"


def test_the_nearer_first_crack_the_less_the_drop_pays_for_the_clock():
    """Heat for a crack that was ten seconds late, half a minute before its last move, had cost two degrees of the drop."""
    for at, advised in ((200.0, True), (440.0, False)):
        landing = landing_of(BOX, replace(forecast(560.0, 206.0), at=at), CAME)
        step = [Choice(Control.GAS, 1.8, 2.0, replace(forecast(545.0, 208.2), at=at))]
        assert (advise(BOX, landing, step, CAME) is not None) is advised, at


def test_the_clock_inside_a_stage_is_not_chased():
    assert landing_of(BOX, forecast(547.0, 206.0), CAME).clear, "seven seconds"
    assert not landing_of(BOX, forecast(575.0, 206.0), CAME).clear
    names = [off.name for off in expected_off(BOX, forecast(575.0, 206.0), CAME | {MarkKind.FIRST_CRACK: 575.0})]
    assert names == ["drop_c", "development_s"], "what has come is not regretted"


# The end, moved a little

TIGHT = replace(BOX, tolerances={"drop_c": 0.7, "development_s": 3.0})


def ending(off_c, at=620.0, per_minute=6.0, plan=TIGHT):
    """A batch that cracked at 540 s and reads so much too hot when its development is over at 630 s."""
    t = np.arange(at, 700.0, 4.0)
    bean = 206.0 + off_c + per_minute / 60.0 * (t - 630.0)
    dropped = 630.0 if not plan.drop_rules else 630.0 - 60.0 * off_c / per_minute
    return replace(forecast(540.0, 206.0 + off_c), at=at, drop_t=Interval(dropped, dropped - 1, dropped + 1), fan_t=t,
                   fan=np.stack([bean - 0.5, bean, bean + 0.5]))  # fmt: skip


@pytest.mark.parametrize(
    ("off_c", "more", "moved"),
    [
        (0.3, {}, 0.0),  # lands as it is
        (0.6, {}, -2.0),  # 0.1 K a second: the least that brings 0.6 K within 0.6 of 0.7 K
        (-0.6, {}, 2.0),
        (0.85, {}, -2.0),  # near the edge of both tolerances, where there is no better
        (0.98, {}, -2.4),  # as late as a hand may be it is not expected to do, but it may
        (1.6, {}, 0.0),  # it would not: the time that leads is kept
        (0.75, {"at": 560.0}, 0.0),  # long before the end heat is the better hand
        (-0.75, {"per_minute": -2.0}, -2.5),  # it cools: earlier is hotter, and no moment is better
        (10.0, {"at": 600.0, "per_minute": 12.0}, -10.0),  # hotter by more than a whole usual rise: no clock is worth that
        (8.0, {"at": 600.0, "per_minute": 12.0}, 0.0),  # not surely
        (10.0, {"at": 580.0, "per_minute": 12.0}, 0.0),  # told near the end
        (30.0, {"at": 590.0, "per_minute": 24.0}, -30.0),  # no development is cut below a minute
    ],
)
def test_the_end_moves_inside_its_tolerance_where_that_may_land_it_in_the_box(off_c, more, moved):
    assert moved_end(TIGHT, ending(off_c, **more), 540.0) == pytest.approx(moved, abs=0.5)


def test_an_end_that_was_cut_does_not_come_and_go():
    hardly = ending(8.2, at=600.0, per_minute=12.0)  # the near end of the interval lies below eight degrees by now
    assert moved_end(TIGHT, hardly, 540.0) == 0.0
    assert moved_end(TIGHT, hardly, 540.0, before_s=-10.0) == pytest.approx(-1.0, abs=0.5)
    assert moved_end(TIGHT, ending(7.8, at=600.0, per_minute=12.0), 540.0, before_s=-10.0) == 0.0


def test_where_temperature_leads_the_end_moves_inside_the_temperatures_tolerance():
    hot = replace(TIGHT, wins="drop_c")
    early = ending(0.35, plan=hot)  # 206 degrees are reached 3.5 s before the development is over
    moved = moved_end(hot, early, 540.0)
    assert moved == pytest.approx(1.7, abs=0.5), "1.8 s before: 0.6 of the three seconds"
    rule = moved_rule(DropRule(None, 206.0), early, moved)
    assert rule.drop_c == pytest.approx(206.0 + 0.1 * moved, abs=0.02)
    assert moved_rule(DropRule(90.0), ending(0.75), -2.0).development_s == 88.0


def test_the_countdown_goes_by_the_moved_end_and_holds_still_in_its_last_seconds(session):
    readings(session)
    for at in (240.0, 440.0):
        session.time.now = 100.0 + at
        session.mark_next(session.time.now)
    session.time.now += 65.0
    readings(session, 3)

    def told(moved_s, drop_c=206.2):
        expected, marks = forecast(440.0, drop_c), {MarkKind.DROP: 530.0 + moved_s}
        session.take_guidance(Guidance(session.now(), expected, marks, landing_of(BOX, expected, CAME), moved_s=moved_s))
        return drop_cue(session, Units())

    plain, moved = told(0.0), told(-3.0)
    assert moved.left_s == pytest.approx(plain.left_s - 3.0)
    assert moved.sentence == "3 s earlier, so that it lands in the box: it drops at 206.2 °C."
    assert session.expected()[MarkKind.DROP] == pytest.approx(session.now() + moved.left_s)
    session.time.now += 10.0
    cut = told(-9.0, 214.5)
    assert cut.sentence == "9 s earlier, as it comes far too hot: it drops at 214.5 °C."
    session.time.now += cut.left_s - 2.0
    assert told(0.0).left_s == pytest.approx(2.0), "a hand counts along already"


# On a record, as it comes in


def ask_at(plan, at, machine=SOUTH, **fields):
    record = record_of("south-010")
    now = record.charge_t + at
    keep = record.trace.t <= now
    trace = record.trace.part(keep)
    marks = tuple(mark for mark in record.marks if mark.t <= now)
    moves = tuple(move for move in record.moves if move.t <= now)
    return Ask("1", now, trace, marks, moves, {}, machine, plan, lot_of("south-010"), record.load_kg, **fields)


def test_guidance_has_marks_landing_and_ghosts_on_either_side(model, plan):
    live = LiveForecast(model)
    for at in (60.0, 200.0, 400.0):
        guidance = live.answer(ask_at(plan, at))
    assert guidance.forecast.basis == "model"
    assert guidance.marks[MarkKind.FIRST_CRACK] > guidance.at
    named = {ghost.name: ghost.drop_c for ghost in guidance.ghosts}
    assert named["one step less"] <= named["as planned"] <= named["one step more"]
    assert {off.name for off in guidance.landing.off} == {"browning_s", "drop_c", "development_s"}


def test_a_charge_of_which_nobody_told_the_load_is_followed_with_more_doubt(model, plan):
    ask = ask_at(plan, 90.0)
    known, guessed = (LiveForecast(model).answer(one).forecast for one in (ask, replace(ask, load_kg=None, lot=None)))
    assert guessed.basis == "model"
    assert guessed.yellow.high - guessed.yellow.low > 1.1 * (known.yellow.high - known.yellow.low)


def test_without_a_model_the_curve_is_carried_on_and_nothing_advised(plan):
    guidance = LiveForecast(None).answer(ask_at(plan, 400.0))
    assert guidance.forecast.basis == "curve"
    assert (guidance.ghosts, guidance.advice) == ((), None)
    assert LiveForecast(None).answer(replace(ask_at(plan, 400.0), marks=())) is None


def test_a_hotter_plan_than_the_batch_is_advised_more_heat(model, plan):
    hotter = replace(plan, targets=replace(plan.targets, drop_c=plan.targets.drop_c + 2.0), tolerances={"drop_c": 0.5})
    live, advised = LiveForecast(model), []
    for at in np.arange(60.0, 720.0, 15.0):
        guidance = live.answer(ask_at(hotter, float(at)))
        if guidance is not None and guidance.advice is not None and guidance.advice.off.name == "drop_c":
            advised.append(guidance.advice.choice)
    assert advised
    heat = [choice for choice in advised if choice.control == Control.GAS]
    assert heat
    assert all(choice.to > choice.setting for choice in heat)


# In a session


@pytest.fixture
def session(library):
    time = SimpleNamespace(now=100.0)
    made = RoastSession(library, Clock(lambda: time.now))
    machine = library.save_machine(
        replace(SOUTH, controls={control: replace(scale, reported=False) for control, scale in SOUTH.controls.items()})
    )
    made.set_machine(machine)
    kept = library.save_plan(replace(BOX, machine="south"))
    made.prepare(BatchOrder(None, machine, kept, 0.8))
    made.time = time
    made.mark_next(100.0)
    yield made
    made.close()


def advice(move=None, to=1.5):
    landing = landing_of(BOX, forecast(540.0, 209.0), CAME)
    choice = Choice(Control.GAS, 1.8, to, forecast(540.0, 206.1), move)
    return Guidance(0.0, forecast(540.0, 209.0), {}, landing, advice=advise(BOX, landing, [choice], CAME))


def readings(session, count=8, bean=190.0, quality=Quality.GOOD):
    for step in range(count):
        session.time.now += 1.0
        session.take_reading(reading(session.time.now, bean + 0.1 * step, 220.0, quality=quality))


def test_the_models_course_carries_the_rate_until_the_charge_is_another(session):
    t = np.arange(0.0, 400.0, 2.0)
    rate = 12.0 - 9.0 * (1.0 - np.exp(-np.clip(t - 140.0, 0.0, None) / 8.0))  # turned down by a hand that the model knows of
    course, alone = Course(t, 100.0 + np.cumsum(rate) / 30.0), LiveTrace()  # in log time, which begins with the charge here
    for step, off in enumerate(wandering(3, 200)):
        session.time.now += 1.0
        at = session.time.now
        bean = float(np.interp(at - 100.0, course.t, course.bean)) + off
        session.take_reading(reading(at, bean, 220.0))
        alone.append(float(step), bean, None, {}, Quality.GOOD)
        # From the middle on nothing can be worked out any more: the last course still reaches on.
        session.take_guidance(replace(advice(), course=course) if step < 100 else None)
    told = [trace.column("rate")[-90:] for trace in (session.trace, alone)]
    true = np.interp(session.time.now - 100.0 - np.arange(90.0)[::-1], t, rate)
    off = [np.sqrt(np.mean((values - true) ** 2)) for values in told]
    assert off[0] < 0.8 * off[1]
    session.trace.set_charge(-10.0)
    assert session.trace._course is None, "it hung on the charge"


def test_advice_stands_long_enough_to_be_read_and_is_taken_by_a_key(session):
    readings(session)
    session.take_guidance(advice())
    session.time.now += 5.0
    session.take_guidance(replace(advice(), advice=None))
    assert session.advice is not None, "five seconds are not enough to read it"
    readings(session, 2)
    line = told_line(session, Units())
    assert (line.urgency, line.text) == ("advice", "Gas 1.800 → 1.500 mbar now")
    assert line.why == "Drop expected 3.0 °C hot; this brings it to 0.1 °C hot."
    assert "5.4 °F hot" in told_line(session, Units(temperature="°F")).why
    session.take_advice(session.time.now)
    assert session.moves[-1].to == 1.5
    assert session.advice is None
    session.take_advice(session.time.now)
    assert "no advice" in session.message


def test_in_a_long_development_an_advice_has_longer_to_show_what_comes_of_it():
    cracked = {MarkKind.FIRST_CRACK: 600.0}
    told = [may_advise(25.0, cracked, left_s=left_s) for left_s in (0.0, 60.0, 100.0, 280.0)]
    assert told == [True, True, False, False]
    assert may_advise(46.0, cracked, left_s=280.0)
    assert may_advise(25.0, cracked, sooner=True, left_s=280.0), "nothing came of the last one"
    assert not may_advise(25.0, {})


def test_the_setting_that_is_advised_does_not_flicker(session):
    seen = []
    for second in range(40):
        readings(session, 1)
        session.take_guidance(advice(to=1.5 if second % 2 else 1.48))
        seen.append(session.advice.choice.to)
    assert seen == 40 * [1.48]
    readings(session, 1)
    session.take_guidance(advice(to=1.2))
    assert session.advice.choice.to == 1.2, "another setting is told"


def test_advice_on_a_planned_move_changes_that_move_and_can_be_undone(session):
    index = next(i for i, move in enumerate(BOX.moves) if move.control == Control.GAS)
    readings(session)
    session.take_guidance(advice(move=index, to=1.2))
    session.take_advice(session.time.now)
    changed = next(entry for entry in session.due() if entry.index == index)
    assert changed.move.to == 1.2
    session.undo()
    assert next(entry for entry in session.due() if entry.index == index).move.to == BOX.moves[index].to


def test_advice_on_a_move_that_is_due_says_what_the_cue_asks_for_and_ends_with_the_move(session):
    index = next(i for i, move in enumerate(BOX.moves) if move.control == Control.GAS)
    planned, entry = f"{BOX.moves[index].to:.3f}", next(entry for entry in session.due() if entry.index == index)

    def told(to):
        choice = Choice(Control.GAS, BOX.moves[index].to, to, forecast(540.0, 206.1), index)
        session._advising.advice = replace(advice().advice, choice=choice)
        return told_line(session, Units()).text

    readings(session)
    session.set_control(Control.GAS, 1.8, session.time.now)
    assert told(1.2).startswith(f"Gas 1.200 mbar, not {planned}, ")
    assert told(1.8).startswith(f"Gas stays at 1.800 mbar, not to {planned}, ")
    session.time.now += max(entry.due_t - session.now(), 0.0) + 2.0
    readings(session)
    assert told(1.8) == f"Gas stays at 1.800 mbar, not to {planned}"
    assert told(1.2) == f"Gas 1.800 → 1.200 mbar now, not to {planned}"
    session.set_control(Control.GAS, 1.2, session.time.now)
    assert session.advice is None, "the move is made otherwise"


def test_warnings_come_before_advice_and_fire_before_all(session):
    session.time.now += 45.0
    for _ in range(8):
        session.time.now += 1.0
        session.take_reading(reading(session.time.now, 251.0, 335.0, quality=Quality.FROZEN))
    session.take_guidance(advice())
    line = told_line(session, Units())
    assert line.urgency == "warn"
    assert line.text.startswith("Heat off now: beans at 251 °C. Not burning: beans out")
    assert any("frozen" in text for text in line.more)
    assert session.advice is None, "nothing is advised from a frozen probe"
    session.time.now += 30.0
    assert any("No reading for 0:30" in warned.text for warned in warnings_of(session, Units()))


def test_the_window_shows_where_it_lands_and_takes_advice(qtbot, library, model, plan):
    machine = library.save_machine(
        replace(SOUTH, controls={control: replace(scale, reported=False) for control, scale in SOUTH.controls.items()})
    )
    library.machine_book.save_model(machine.id, model_to_document(model, ["gas"]))
    lot = library.save_lot(lot_of("south-010"))
    kept = library.save_plan(replace(plan, moves=()))  # the hand of the record has its own
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    qtbot.waitExposed(window)
    desk, record = window.desk, record_of("south-010")
    time = SimpleNamespace(now=1000.0)
    desk.clock.run_by(lambda: time.now)
    desk.session.set_machine(machine)
    desk.session.prepare(BatchOrder(lot, machine, kept, record.load_kg))
    moves = list(record.moves)
    for second in range(int(record.charge_t) + 260):
        time.now = 1000.0 + second
        index = int(np.searchsorted(record.trace.t, second))
        while moves and moves[0].t <= second:
            desk.session.set_control(moves[0].control, moves.pop(0).to, time.now)
        if second == int(record.charge_t):
            desk.session.mark_next(time.now)
        trace = record.trace
        desk.look_by(at_once if second % 20 == 0 else not_at_all)
        desk.take_reading(reading(time.now, float(trace.bean[index]), float(trace.air[index])))
    desk.look_by(at_once)
    desk.look_ahead()
    window.roast.refresh()
    assert desk.session.foreseen is not None
    assert window.roast._side.cards.landing.isVisible()
    assert any(word in window.roast.told.accessibleName() for word in ("irst crack", "Lands", "dvice"))
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.roast.setFocus()
    desk.session.take_guidance(advice())
    qtbot.keyClick(window.roast, Qt.Key.Key_A)
    assert desk.session.moves[-1].to == 1.5
    desk.look_by(lambda work, done, failed: failed("nothing to go by"))
    desk.look_ahead()
    assert "No forecast" in desk.session.message


def test_a_batch_without_a_window_finds_its_marks_and_tells_what_falls_due(library, plan):
    record, time, told = record_of("south-010"), SimpleNamespace(now=0.0), []
    desk = Desk(library, Settings(), lambda function: function())
    desk.clock.run_by(lambda: time.now)
    machine = library.save_machine(SOUTH)
    desk.session.set_machine(machine)
    desk.session.prepare(BatchOrder(None, machine, library.save_plan(replace(plan, lot="")), record.load_kg))
    watch = Headless(desk.session, told.append)
    columns = (record.trace.t, record.trace.bean, record.trace.air, record.trace.control(Control.GAS))
    told_of = [index for index, t in enumerate(record.trace.t) if index % 3 == 0 or t > 720.0]  # the log ends with the drop
    for t, bean, air, gas in zip(*(column[told_of] for column in columns), strict=True):
        time.now = float(t)
        desk.take_reading(reading(time.now, float(bean), float(air), float(gas)))
        watch.look()
    desk.session.close()
    marks = {entry["mark"]: entry["t"] for entry in told if entry["event"] == "mark"}
    truth = {mark.kind.value: mark.t - record.charge_t for mark in record.marks}
    assert list(marks) == ["charge", "turning", "yellow", "first_crack", "drop"]
    assert marks["drop"] == pytest.approx(truth["drop"], abs=6.0)
    assert marks["first_crack"] == pytest.approx(truth["first_crack"], abs=60.0), "by the machine's usual reading"
    cues = [entry for entry in told if entry["event"] == "cue"]
    assert len(cues) >= len(plan.moves) - 1
    assert all(entry["t"] >= entry["due_t"] - 0.1 for entry in cues)
    soon = [entry for entry in told if entry["event"] == "soon"]
    assert soon, "a hand cannot see a countdown here"
    assert all(0.0 < entry["due_t"] - entry["t"] <= 10.0 for entry in soon)
    drops = [entry for entry in (*soon, *cues) if entry.get("mark") == "drop"]
    assert [entry["event"] for entry in drops] == ["soon", "cue"]
    assert desk.session.marks[MarkKind.YELLOW].found is Found.CURVE


def test_a_program_is_told_each_step_with_its_figures_also_where_only_they_differ(session):
    told = []
    watch = Headless(session, told.append, by_hand=True)

    def advised(by):
        readings(session, 12)  # an advice stands for ten seconds
        session.take_guidance(by)
        watch.look()

    for by in (advice(), advice(), advice(to=1.3), None):
        advised(by)
    steps = [(one["event"], one["to"]) for one in told if one["event"] in ("advice", "withdrawn")]
    assert steps == [("advice", 1.5), ("withdrawn", 1.5), ("advice", 1.3), ("withdrawn", 1.3)]
    first = next(one for one in told if one["event"] == "advice")
    assert (first["control"], first["from"], first["move"], first["target"]) == ("gas", 1.8, None, "drop_c")
    assert first["off"] > abs(first["becomes"])
    stall = Coming("stall", 40.0, "stall coming", advice().advice.choice)
    advised(replace(advice(), advice=None, coming=(stall,)))
    warning = told[-1]
    session.say("No advice yet.")
    watch.look()
    watch.look()
    assert [one["text"] for one in told if one["event"] == "said"] == ["No advice yet."]
    assert (warning["event"], warning["control"], warning["from"], warning["to"]) == ("warning", "gas", 1.8, 1.5)
    stalls = lambda: [one for one in told if one["event"] == "warning" and "control" in one]  # noqa: E731
    before = len(stalls())
    for _ in range(7):  # it stays true
        advised(replace(advice(), advice=None, coming=(stall,)))
    assert len(stalls()) == before + 1, "again after a minute, and no more often"
    lands = [one for one in told if one["event"] == "landing"]
    assert [(one["place"], one["drop_c"], one["development_s"]) for one in lands] == [("outside", 209.0, 90.0)], "told once"


@pytest.mark.parametrize(("lead_s", "ahead"), [(0.0, 2.0), (3.0, 3.0)])
def test_the_drop_is_called_as_long_before_as_a_hand_needs_that_sees_no_countdown(session, lead_s, ahead):
    told = []
    watch = Headless(session, told.append, by_hand=True)
    session.take_around(replace(session.around, lead_s=lead_s))
    for kind, at in ((MarkKind.YELLOW, 400.0), (MarkKind.FIRST_CRACK, 640.0)):
        session.time.now = at
        session.mark(kind, at)
    while session.time.now < 640.0 + BOX.targets.development_s:
        readings(session, 1)
        watch.look()
    soon, cue = (one for one in told if one.get("mark") == "drop")
    assert (soon["event"], cue["event"]) == ("soon", "cue")
    assert cue["due_t"] == soon["due_t"] == pytest.approx(540.0 + BOX.targets.development_s)
    assert cue["due_t"] - cue["t"] == pytest.approx(ahead)


def test_once_the_hand_has_gone_marks_are_taken_as_they_are_found(session):
    told = []
    watch = Headless(session, told.append, by_hand=True)
    session.time.now += 60.0
    session.find(Mark(MarkKind.TURNING, session.now() - 10.0, 90.0, Found.CURVE))
    readings(session, 12)
    watch.look()
    assert MarkKind.YELLOW not in session.marks, "the hand is waited for"
    watch.left_alone()
    watch.look()
    assert MarkKind.YELLOW in session.marks
    assert any("No more input" in event["text"] for event in told if event["event"] == "said")


def test_without_a_window_too_a_slow_forecast_keeps_nothing_waiting():
    calls, go, found, why = queue.Queue(), threading.Event(), [], []
    beside = Beside(calls.put)
    beside(lambda: go.wait(30.0), found.append, why.append)
    beside(lambda: 1 // 0, found.append, why.append)
    assert not found, "asked for, not waited for"
    go.set()
    for _ in range(2):
        calls.get(timeout=PATIENCE_S)()
    beside.finish()
    assert (found, why) == ([True], ["integer division or modulo by zero"]), "a failure is told, and ends nothing"


# Trouble before it comes


def test_heat_that_is_off_is_told_at_once_with_the_way_back_and_a_strange_machine_is_not_called_too_weak(model, plan, session):
    """In drying the probe rises for minutes behind the turn by the drum alone: no stall shows yet, and yellow never comes."""
    ask = ask_at(plan, 150.0)
    high = SOUTH.controls[Control.GAS].high
    own, less = PlannedMove(Control.GAS, 0.8 * high, Anchor.CHARGE, 100.0), PlannedMove(Control.GAS, 0.0, Anchor.YELLOW, 10.0)

    def with_heat(share, since, moves):
        gas = np.where(ask.trace.t > ask.now - since, share * high, ask.trace.control(Control.GAS))
        trace = replace(ask.trace, controls={**ask.trace.controls, Control.GAS: gas})
        return replace(ask, trace=trace, plan=replace(plan, moves=moves), done={0: ask.now - 50.0})

    def lost(model, share):
        guidance = LiveForecast(model).answer(with_heat(share, 60.0, (own,)))
        assert guidance.forecast.first_crack is None
        return guidance, [one for one in guidance.coming if one.kind == "lost"]

    strange = replace(model, report=replace(model.report, batches=()))
    guidance, (never,) = lost(model, 0.0)
    assert (never.remedy.setting, never.remedy.to) == (0.0, own.to), "back to where the plan has it by now"
    assert never.remedy.forecast.first_crack is not None
    assert lost(strange, 0.0)[1]
    assert [one.never for one in lost(strange, 0.1)[1]] == [MarkKind.FIRST_CRACK], "not one member in ten gets there"
    own_hand = LiveForecast(strange).answer(replace(with_heat(0.1, 60.0, (own,)), plan=None))
    assert not [one for one in own_hand.coming if one.kind == "lost"], "who leads alone may be about to turn it up"
    readings(session)
    session.take_guidance(guidance)
    assert told_line(session, Units()).text.startswith("Yellow does not come like this: gas 0.000 → ")
    soak = replace(own, anchor=Anchor.TURNING, offset_s=10.0)  # the turn has not come yet: nobody knows when
    early = ask_at(plan, 60.0)
    quiet = np.where(early.trace.t > early.now - 55.0, 0.0, early.trace.control(Control.GAS))
    early = replace(early, trace=replace(early.trace, controls={**early.trace.controls, Control.GAS: quiet}))
    early = replace(early, marks=tuple(mark for mark in early.marks if mark.kind is not MarkKind.TURNING))
    waiting, none = (LiveForecast(model).answer(replace(early, plan=replace(plan, moves=moves))) for moves in ((soak,), ()))
    assert [one.kind for one in waiting.coming if one.kind == "lost"] == []
    assert [one.kind for one in none.coming if one.kind == "lost"] == ["lost"]
    live, hung = LiveForecast(model), (own, less)
    late = replace(plan, targets=replace(plan.targets, drying_s=160.0), course=None)
    live.answer(with_heat(0.0, 60.0, hung))
    back = live.answer(replace(with_heat(0.8, 5.0, hung), plan=replace(late, moves=hung)))
    assert back.forecast.yellow is not None, "what hangs on yellow waits for it, and is not what keeps it from coming"
    (hung_on,) = [one for one in back.coming if one.never is MarkKind.FIRST_CRACK]
    assert (hung_on.by_plan, hung_on.remedy) == (True, None), "as the plan puts the heat out then; now it stands high enough"
    session.take_guidance(back)
    assert told_line(session, Units()).text == "First crack does not come with the moves that are planned: leave gas higher."


def test_a_start_that_the_hand_never_made_is_told_and_no_landing_of_beans_that_do_not_get_there(model, plan, session):
    """The plan begins with the heat on, the hand left it off: no stall before the turn, no box, but the way to the start."""
    for at in (20.0, 140.0):
        ask = ask_at(plan, at)
        gas = np.where(ask.trace.t > record_of("south-010").charge_t - 60.0, 0.0, ask.trace.control(Control.GAS))
        trace = replace(ask.trace, controls={**ask.trace.controls, Control.GAS: gas})
        start = {**plan.start, Control.GAS: 0.8 * SOUTH.controls[Control.GAS].high}
        off = replace(ask, trace=trace, moves=(), plan=replace(plan, start=start, moves=()))
        guidance = LiveForecast(model).answer(off)
        assert [one.kind for one in guidance.coming] == ["lost"]
        assert (guidance.coming[0].never, guidance.coming[0].remedy.to) == (MarkKind.YELLOW, start[Control.GAS])
        assert guidance.forecast.drop_c is None
        assert guidance.landing.place is None


def test_without_a_window_too_a_control_that_stands_off_the_plans_start_is_told_at_the_charge(session):
    told, begins = [], {Control.GAS: 2.4, Control.AIRFLOW: 25.0}
    watch = Headless(session, told.append, by_hand=True)
    session.order = replace(session.order, plan=replace(session.order.plan, start=begins))
    session.set_control(Control.AIRFLOW, 25.0, session.time.now)
    session.set_control(Control.GAS, 0.0, session.time.now - 5.0)
    for _ in range(3):
        readings(session, 1)
        watch.look()
    (cue,) = [one for one in told if one["event"] == "cue"]
    assert (cue["control"], cue["to"], cue["anchor"], cue["due_t"]) == ("gas", 2.4, "charge", 0.0)
    assert cue["text"] == "Gas 0.000 → 2.400 mbar, as the plan begins"


@pytest.mark.parametrize(("rises", "found"), [(4.0, None), (0.5, MarkKind.FIRST_CRACK), (-1.0, MarkKind.FIRST_CRACK)])
def test_a_batch_that_takes_longer_than_is_looked_ahead_is_not_lost(rises, found):
    t = np.arange(60.0, 960.0, 4.0)
    slow = Forecast(
        60.0, "model", Interval(700.0, 690.0, 710.0), fan_t=t, fan=np.tile(150.0 + rises * (t - 60.0) / 60.0, (3, 1))
    )
    never = lost_of(slow, cracked=False, planned=True)
    assert (never.never if never is not None else None) == found
    assert lost_of(slow, False, True, (300.0, 500.0)).never is MarkKind.FIRST_CRACK, "the plan has had it for minutes by then"


def fan(rate_of):
    """A forecast whose bean rises at the given rates. [degC/min]"""
    t = np.arange(400.0, 640.0, 4.0)
    bean = 180.0 + np.concatenate([[0.0], np.cumsum(np.array([rate_of(moment) for moment in t[:-1]]) * 4.0 / 60.0)])
    told = Interval(540.0, 535.0, 545.0)
    curves = np.stack([bean - 1, bean, bean + 1])
    yellow, drop = Interval(300.0, 300.0, 300.0), Interval(630.0, 625.0, 635.0)
    return Forecast(440.0, "model", yellow, told, drop, fan_t=t, fan=curves)


@pytest.mark.parametrize(
    ("rate_of", "kind"),
    [
        (lambda t: 7.0 if t < 480 else 1.0, "stall"),
        (lambda t: 11.0 if t < 480 else 4.5, "crash"),
        (lambda t: 6.0 if t < 500 else 9.5, "flick"),
        (lambda t: 8.0 - 0.01 * (t - 400.0), None),
    ],
)
def test_a_stall_a_crash_and_a_flick_are_told_before_they_come(rate_of, kind):
    found = coming_of(fan(rate_of))
    assert [one.kind for one in found] == ([kind] if kind else [])
    assert all(20.0 <= one.in_s <= 100.0 for one in found)
    assert all("coming" in one.sentence for one in found)


@pytest.mark.parametrize(
    ("crack", "drop_c", "told"), [(500.0, 212.0, False), (570.0, 212.0, True), (500.0, 200.0, True), (540.0, 206.0, True)]
)
def test_no_heat_is_asked_for_against_a_stall_of_a_batch_that_comes_too_soon_and_too_hot(model, crack, drop_c, told):
    landing = landing_of(BOX, forecast(crack, drop_c), CAME)
    assert landing.heat_to_spare is not told
    look = SimpleNamespace(ask=ask_at(BOX, 440.0), cracked=False, zero=0.0)
    found = Judge(model)._trouble(look, fan(lambda t: 7.0 if t < 480 else 1.0), landing, None)
    assert [one.kind for one in found] == (["stall"] if told else [])


def test_heat_is_never_advised_below_its_least_and_put_out_only_for_the_end():
    scale = replace(SOUTH.controls[Control.GAS], least=1.0)
    machine = replace(SOUTH, controls=SOUTH.controls | {Control.GAS: scale})
    ask = ask_at(None, 400.0, machine)
    at = float(ask.trace.control(Control.GAS)[-1])
    assert step_of(ask, (), -1).to == pytest.approx(at - scale.step)
    assert step_of(ask, (), -200).to == pytest.approx(1.0 + scale.step), "a hand one step low must not put the fire out"
    for stands in (1.0, 1.0 + scale.step):
        gas = np.full_like(ask.trace.t, stands)
        low = replace(ask, trace=replace(ask.trace, controls=ask.trace.controls | {Control.GAS: gas}))
        assert step_of(low, (), -1) is None
        cracked = replace(low, marks=(*low.marks, Mark(MarkKind.FIRST_CRACK, low.now - 5.0)))
        assert step_of(cracked, (), -1).to == 0.0, "a coast, from the last step that a hand cannot slip off too"
    assert step_of(replace(ask, machine=replace(machine, controls={})), (), 1) is None


def test_what_stands_now_is_what_goes_on_not_what_stood_when_the_last_step_of_the_record_began(plan):
    ask = ask_at(plan, 400.0)
    batch = logged_batch(record_of("south-010"), SOUTH, lot_of("south-010"), until=ask.now)
    gas = ask.trace.controls[Control.GAS].copy()
    gas[-1] = 0.4  # moved just now
    ask = replace(ask, trace=replace(ask.trace, controls=ask.trace.controls | {Control.GAS: gas}))
    later = (replace(due_moves(plan, ask.marks, ask.now)[0], move=PlannedMove(Control.GAS, 2.0, Anchor.TIME), due_t=ask.now),)
    zero = record_of("south-010").charge_t
    assert np.ptp(ahead_of(ask, batch, 400.0, zero, ()).heat) == 0.0
    assert ahead_of(ask, batch, 400.0, zero, ()).heat[0] < 0.5 * ahead_of(ask, batch, 400.0, zero, later).heat[0]


def test_in_development_a_stall_is_told_only_where_the_drop_comes_cold(model, plan):
    ask = ask_at(plan, 690.0)
    assert any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks)
    told = {}
    for wanted in (211.0, 203.0):
        aimed = replace(plan, moves=(), targets=replace(plan.targets, drop_c=wanted))
        guidance = LiveForecast(model).answer(replace(ask, plan=aimed))
        told[wanted] = guidance.landing.cold, any(one.kind == "stall" for one in guidance.coming)
    assert told == {211.0: (True, True), 203.0: (False, False)}


def test_no_more_heat_is_advised_in_development_than_was_logged_from_yellow_on(model, plan):
    ask = ask_at(plan, 645.0)
    gas = ask.trace.controls[Control.GAS].copy()
    gas[ask.trace.t > record_of("south-010").charge_t + 600.0] = 2.0
    ask = replace(ask, moves=(), trace=replace(ask.trace, controls=ask.trace.controls | {Control.GAS: gas}))
    ask = replace(ask, plan=replace(plan, moves=(), tolerances={"drop_c": 0.7}, targets=replace(plan.targets, drop_c=206.3)))
    told = {}
    for most in (3.0, 9.0):
        low = (HandMove(Control.GAS, 1.0, Anchor.FIRST_CRACK, 0.0),)
        driven = tuple(replace(one, start={Control.GAS: most}, moves=low) for one in model.driven)
        advice = LiveForecast(replace(model, driven=driven)).answer(ask).advice
        told[most] = advice.choice.to if advice is not None else 0.0
    assert told[3.0] <= 3.0 < told[9.0] < 9.0


def test_a_fire_that_went_out_is_never_met_with_silence(model, plan):
    """Gas off in browning: first crack is out of reach, and what brings it back is told, as far as this house ever went."""
    ask = ask_at(plan, 560.0)
    gas = ask.trace.controls[Control.GAS].copy()
    gas[ask.trace.t > record_of("south-010").charge_t + 480.0] = 0.0
    ask = replace(ask, moves=(), trace=replace(ask.trace, controls=ask.trace.controls | {Control.GAS: gas}))
    guidance = LiveForecast(model).answer(replace(ask, plan=replace(plan, moves=())))
    assert guidance.forecast.first_crack is None
    (stall,) = guidance.coming
    logged = [level for one in model.driven for levels in one.levels(Control.GAS) for level in levels]
    assert min(logged) <= stall.remedy.to <= max(logged)
    assert stall.remedy.forecast.first_crack is not None


def test_below_the_least_that_was_logged_a_gas_burner_may_be_out(model):
    logged = min(level for one in model.driven for levels in one.levels(Control.GAS) for level in levels if level > 0.0)
    assert model.burns_from(SOUTH, Control.GAS) == logged > 0.0
    told = replace(SOUTH, controls=SOUTH.controls | {Control.GAS: replace(SOUTH.controls[Control.GAS], least=0.5)})
    assert model.burns_from(told, Control.GAS) == 0.5
    assert model.burns_from(replace(SOUTH, heat="electric"), Control.GAS) == 0.0, "a heater has no flame to lose"


def test_airflow_is_advised_where_heat_cannot_help_and_only_where_its_effect_was_seen(model, plan):
    ask = ask_at(plan, 620.0)
    at = float(ask.trace.control(Control.GAS)[-1])
    fixed = replace(SOUTH, controls=SOUTH.controls | {Control.GAS: replace(SOUTH.controls[Control.GAS], low=at, high=at)})
    wanted = replace(plan, moves=(), targets=replace(plan.targets, drop_c=208.0))
    ask = replace(ask, machine=fixed, plan=wanted)
    moved = [d for d in model.driven if d.of(Control.AIRFLOW)]
    assert len(moved) >= 3
    advice = LiveForecast(model).answer(ask).advice
    assert advice is not None
    assert advice.choice.control == Control.AIRFLOW
    assert abs(advice.becomes) < abs(advice.off.by)
    assert model.seen["airflow"].inside(advice.choice.to) == advice.choice.to
    unseen = replace(model, driven=tuple(replace(d, moves=d.of(Control.GAS)) for d in model.driven))
    assert LiveForecast(unseen).answer(ask).advice is None


def test_a_planned_move_that_falls_due_soon_is_the_one_that_is_changed(plan):
    ask = ask_at(plan, 400.0)
    due = [e for e in due_moves(plan, ask.marks, ask.now) if e.move.control == Control.GAS and e.done_t is None]
    soon = replace(due[-1], due_t=ask.now + 20.0)
    step = step_of(ask, (soon,), 2)
    assert (step.move, step.setting) == (soon.index, soon.move.to)
    assert step.due[0].move.to == pytest.approx(soon.move.to + 2 * SOUTH.controls[Control.GAS].step)
    assert step_of(ask, (replace(soon, due_t=ask.now + 200.0),), 1).move is None
    missed = [entry for entry in due if entry.due_t is not None and entry.due_t <= ask.now][-1]
    far = replace(missed.move, to=missed.move.to + 8 * SOUTH.controls[Control.GAS].step)
    moves = tuple(far if index == missed.index else move for index, move in enumerate(plan.moves))
    ask = replace(ask, plan=replace(plan, moves=moves))
    (whole, half) = made_up(ask, (), {}, Control.GAS)
    assert (whole.to, whole.move) == (far.to, None), "of a move that was missed, the way to where it went"
    assert min(whole.to, whole.setting) < half.to < max(whole.to, whole.setting)
    (left,) = made_up(ask, (soon,), {}, Control.GAS)
    assert (left.move, left.to) == (soon.index, whole.setting), "while the next one is about to fall due: to leave that one"
    coast = replace(soon, move=replace(soon.move, to=0.0))
    assert step_of(ask, (replace(coast, due_t=ask.now - 2.0),), -1) is None, "it is due: nothing is sooner"
    sooner = step_of(ask, (coast,), -1)
    assert sooner.move is None, "a coast cannot be less: the step is at once"
    assert 0.0 < sooner.to < sooner.setting
    more = step_of(ask, (coast,), 1)
    assert (more.move, more.setting) == (None, sooner.setting), "nor is a small fire more than none: the step is at once too"
    assert step_of(ask, (replace(coast, due_t=ask.now - 2.0),), 1).move == soon.index


# By hand


def by_hand(record, every=30.0):
    """The same batch, its display read every so many seconds, to the degree, the controls only as keyed."""
    trace = record.trace
    keep = np.searchsorted(trace.t, np.arange(record.charge_t - 15.0, trace.t[-1], every))
    moves = tuple(replace(move, found=Found.KEY) for move in record.moves)
    none = np.full(keep.size, np.nan)
    bean = np.round(trace.bean[keep])
    columns = (trace.t[keep], bean, none, none, none, none)
    return replace(record, trace=trace_of(columns, np.full(keep.size, int(Quality.HAND))), moves=moves)


@pytest.mark.parametrize("every", [30.0, 60.0])
def test_readings_by_hand_are_looked_ahead_with_wider_honesty(model, plan, every):
    at, record = 400.0, record_of("south-010")
    begin = record.charge_t
    probed = ask_at(plan, at)
    read = by_hand(record, every)
    trace = read.trace
    early = trace.t <= begin + at
    keyed = trace.part(early)
    moves = tuple(Move(control, 0.0, float(record.trace.control(control)[0])) for control in USUAL_CONTROLS) + tuple(
        move for move in read.moves if move.t <= begin + at
    )
    hand = replace(probed, trace=keyed, moves=moves, now=begin + at)
    told, sure = LiveForecast(model).answer(hand), LiveForecast(model).answer(probed)
    assert told.forecast.basis == "model"
    assert told.landing is not None
    width, narrow = (one.forecast.first_crack.high - one.forecast.first_crack.low for one in (told, sure))
    assert width > narrow
    assert abs(told.marks[MarkKind.FIRST_CRACK] - sure.marks[MarkKind.FIRST_CRACK]) < 20.0


def test_a_mark_between_two_readings_by_hand_is_taken_at_once(model, plan):
    at, record = 640.0, by_hand(record_of("south-010"), 60.0)
    logged = logged_batch(
        replace(record, moves=tuple(Move(c, 0.0, 2.0) for c in USUAL_CONTROLS)), SOUTH, until=record.charge_t + at
    )
    assert len(logged.hands) == at / logged.step, "time goes by without readings"
    assert np.isfinite(logged.bean).sum() < 14
    assert np.isfinite(logged.bean[0])


def test_a_member_that_runs_away_does_not_end_the_forecast(model):
    at = BATCH.first_crack_t + 10.0
    ensemble = forecaster_at(model, cut(BATCH, at), at, np.random.default_rng(7))
    calm = ensemble.forecast(held(BATCH, at), DropRule(90.0), Marks(BATCH.yellow_t, BATCH.first_crack_t))
    ensemble._state.bean[:20], ensemble._state.steel[20:40] = np.nan, 1e30
    ensemble.advance(held(BATCH, at), float("nan"), float("nan"))
    assert np.isfinite(ensemble.steel).all()
    after = ensemble.forecast(held(BATCH, at), DropRule(90.0), Marks(BATCH.yellow_t, BATCH.first_crack_t))
    assert np.isfinite(after.fan).all()
    assert calm.drop_c is not None
    ensemble._state.bean[:] = np.nan
    with pytest.raises(ArithmeticError, match="every member"):
        ensemble.advance(held(BATCH, at), float("nan"), float("nan"))


def test_a_remedy_against_a_stall_goes_as_far_as_the_advice_does():
    far = Choice(Control.GAS, 0.5, 1.25, forecast(540.0, 206.0))
    given = Advice(far, landing_of(BOX, forecast(540.0, 202.0), CAME).off[-1], 0.1)
    stall = Coming("stall", 60.0, "It stalls.", Choice(Control.GAS, 0.5, 0.75, forecast(540.0, 203.0)))
    assert _as_far_as(stall, given).remedy is far
    assert _as_far_as(stall, replace(given, choice=replace(far, to=0.25))).remedy.to == 0.75, "the other way"
    later = replace(given, choice=replace(far, move=2))
    assert _as_far_as(stall, replace(later, off=replace(later.off, kind="end"))).remedy.to == 0.75, "that is for later"
    assert _as_far_as(stall, replace(later, off=replace(later.off, kind="development"))).remedy is None, "it lands the batch"
    assert _as_far_as(stall, None) is stall
