"""Comparison, sameness, causes, changes, ladders and many batches over time, on records that are known."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import numpy as np
import pytest
from conftest import make_record
from logged import MACHINES, batches_of
from scipy import stats
from scipy.signal import savgol_filter
from test_guidance import model  # noqa: F401 - a fixture
from test_plan_and_cue import PLAN

from firnel.core.model.causes import Cause, likely_causes
from firnel.core.model.constants import Hands
from firnel.core.review.changes import changes
from firnel.core.review.comparison import (
    STAGES,
    CannotAlignError,
    Deviation,
    aligned,
    deviations,
    difference,
    figures_of,
    figures_wanted,
    quick_rate,
    was_the_same,
)
from firnel.core.review.ladders import fit_ladder
from firnel.core.units import Units
from firnel.core.vocabulary import Lot, MarkKind
from firnel.store.batch_list import BatchFilter
from firnel.store.bench_book import TableSet
from firnel.store.machine_book import LogEntry
from firnel.work.bench.weighing import keep_inspection
from firnel.work.desk import machine_of_kind
from firnel.work.review import over_time, sameness
from firnel.work.review.compare_picture import compare
from firnel.work.review.ladder_reading import ladder_names, plan_of_ladder, read_ladder
from firnel.work.review.references import set_reference
from firnel.work.review.sameness import cause_words, judge, laid_over


def later(record, seconds, **fields):
    """The same batch with its crack and drop later."""
    marks = tuple(
        replace(mark, t=mark.t + seconds) if mark.kind in (MarkKind.FIRST_CRACK, MarkKind.DROP) else mark
        for mark in record.marks
    )
    return replace(record, marks=marks, **fields)


# Laying over each other


def test_aligned_at_a_mark_or_stage_by_stage():
    record = make_record()
    at_charge, at_crack, by_stage = (aligned(record, at) for at in ("charge", "first_crack", STAGES))
    assert (at_charge.x[0], at_charge.x[-1]) == (0.0, 640.0)
    assert at_crack.x[-1] == 100.0
    assert (by_stage.x[0], by_stage.x[-1]) == (0.0, 3.0)
    yellow = record.mark(MarkKind.YELLOW)
    assert np.interp(1.0, by_stage.x, by_stage.bean) == pytest.approx(yellow.bean, abs=0.5)
    without = replace(record, marks=tuple(mark for mark in record.marks if mark.kind is not MarkKind.FIRST_CRACK))
    with pytest.raises(CannotAlignError, match="no mark for first crack"):
        aligned(without, STAGES)
    assert aligned(without, "charge").x.size == at_charge.x.size


def test_stage_by_stage_two_batches_of_unlike_length_lie_on_each_other():
    one = make_record()
    slow = replace(
        one,
        label="slow",
        trace=replace(one.trace, t=one.trace.t * 1.2),
        marks=tuple(replace(m, t=m.t * 1.2) for m in one.marks),
    )
    gap = difference(aligned(slow, STAGES), aligned(one, STAGES))
    assert np.nanmax(np.abs(gap.bean)) < 0.8
    in_time = difference(aligned(slow, "charge"), aligned(one, "charge"))
    assert np.nanmax(np.abs(in_time.bean)) > 5.0


def test_the_quick_rate_is_the_slope():
    t = np.arange(0.0, 300.0, 2.0)
    rate = quick_rate(t, 100.0 + 0.2 * t)
    np.testing.assert_allclose(rate, 12.0, atol=1e-6)
    assert np.isnan(quick_rate(t[:5], t[:5])).all()
    assert np.isnan(quick_rate(0.1 * t[:40], t[:40])).all(), "eight seconds, read five times each"
    bent = np.cumsum(np.random.default_rng(1).normal(0.0, 1.0, 200))
    seconds = np.arange(201.0)
    told = quick_rate(seconds, np.append(bent, 0.0))[:200]
    assert told == pytest.approx(60.0 * savgol_filter(bent, 31, 2, deriv=1), abs=1e-9), "as SciPy has it"


# The table, and whether it was the same


def test_deviations_have_the_trades_tolerances():
    # 5 % of a stage, some seconds of development, 1 degC, 0.5 points of loss, 2 of colour:
    # common practice, no published source.
    wanted = figures_of(make_record(), cup=86.0)
    came = wanted | {"browning_s": 1.04 * wanted["browning_s"], "drop_c": wanted["drop_c"] + 1.4, "colour_ground": 73.0}
    table = {one.name: one for one in deviations(came, wanted)}
    assert table["browning_s"].word == "same"
    assert table["drop_c"].word == "close"
    assert table["colour_ground"].word == "off"
    assert was_the_same(tuple(table.values())) is False
    assert was_the_same(deviations(wanted, wanted)) is True
    assert was_the_same(()) is None
    own = replace(PLAN, tolerances={"drop_c": 2.0})
    assert {one.name: one.word for one in deviations(came, wanted, own)}["drop_c"] == "same"
    assert figures_wanted(PLAN)["development_s"] == 90.0


def test_a_batch_is_judged_against_its_reference_or_its_plan(library):
    plan = library.save_plan(PLAN)
    reference = library.add_record(replace(make_record("0001"), plan=PLAN.name))
    same = library.add_record(replace(make_record("0002"), plan=PLAN.name))
    late = library.add_record(later(make_record("0003"), 15.0, plan=PLAN.name, colour_ground=64.0))
    alone = library.add_record(make_record("0004"))
    against_plan = judge(library, same, Units())
    assert against_plan.against == "plan test"
    set_reference(library, plan, reference)
    assert judge(library, same, Units()).same is True
    hotter = tuple(replace(m, bean=m.bean + 1.4) if m.kind is MarkKind.DROP else m for m in make_record().marks)
    close = judge(library, library.add_record(replace(make_record("0005"), plan=PLAN.name, marks=hotter)), Units())
    assert (close.same, close.verdict) == (False, "Close to reference 0001, a little outside: drop, crack to drop.")
    told = judge(library, late, Units())
    assert told.against == "reference 0001"
    assert told.same is False
    assert "browning" in told.verdict
    assert [one.label for one in laid_over(library, late, Units())] == ["0001", "0003"]
    trace = replace(make_record().trace, bean=np.full(make_record().trace.t.size, np.nan))
    unread = library.add_record(replace(make_record("0006"), plan=PLAN.name, trace=trace))
    assert [one.label for one in laid_over(library, unread, Units())] == ["0001"], "nothing to draw of it"
    assert told.why_none, "no model yet: it is said why no cause is told"
    assert "Nothing to judge it by" in judge(library, alone, Units()).verdict
    assert judge(library, late, Units(), against=same).against == "reference 0002"


def test_a_batch_that_missed_its_plan_does_not_change_it(library):
    plan = library.save_plan(PLAN)
    reference = library.add_record(replace(make_record("0001"), plan=PLAN.name))
    short = make_record("0002")
    marks = tuple(replace(m, t=m.t - 40.0) if m.kind is MarkKind.DROP else m for m in short.marks)
    key = library.add_record(replace(short, plan=PLAN.name, marks=marks, colour_ground=75.0))
    set_reference(library, plan, reference)
    told = judge(library, key, Units())
    assert told.causes[0] == ("it was dropped 0:40 early after first crack", 1.0)
    assert told.edits == ()
    assert "roast it as planned" in told.no_edits


def test_a_cause_that_lies_in_no_plan_is_seen_to_before_the_plan_is_changed(library, monkeypatch):
    plan = library.save_plan(PLAN)
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    reference = library.add_record(replace(make_record("0001"), plan=PLAN.name, colour_ground=70.0))
    key = library.add_record(replace(make_record("0002"), plan=PLAN.name, colour_ground=75.0, lot="Rwanda Nowhere"))
    set_reference(library, plan, reference)
    monkeypatch.setattr(sameness, "model_of", lambda *_: (SimpleNamespace(batches=9), ""))
    believed = [0.9]
    monkeypatch.setattr(sameness, "likely_causes", lambda *_: (Cause("fan", -0.3, believed[0]), Cause("none", 0.0, 0.1)))
    told = judge(library, key, Units())
    assert told.verdict.startswith("It is another lot, Rwanda Nowhere and not Rwanda Isuka.")
    assert told.edits == ()
    assert "see to the air first" in told.no_edits
    believed[0] = 0.5
    assert "see to the air" not in judge(library, key, Units()).no_edits, "who is not sure says nothing of it"


def test_the_look_asks_for_a_change_even_where_no_model_can_say_what_it_does(library):
    library.save_plan(replace(PLAN, targets=replace(PLAN.targets, development_s=100.0, drop_c=None)))
    key = library.add_record(replace(make_record("0002"), plan=PLAN.name))
    keep_inspection(library, key, {"beans": 100, "scorched": 5})
    edit = judge(library, key, Units()).edits[0]
    assert edit.words.startswith("Charge 200 → 195 °C: scorched beans.")
    assert edit.plan is None


# What is behind it

BATCHES = batches_of("south")


def colder(batch, by):
    """Readings as if the bean probe read so much too low from the charge on."""
    return replace(batch, bean=batch.bean - by, bean_at_charge=batch.bean_at_charge - by, label="off")


def test_a_batch_is_no_cause_of_itself(model):  # noqa: F811
    ranked = likely_causes(model, BATCHES[9], BATCHES[9])
    assert ranked[0].kind == "none"
    assert sum(cause.confidence for cause in ranked) == pytest.approx(1.0)


def test_a_probe_that_reads_low_is_told_from_the_rest(model):  # noqa: F811
    ranked = likely_causes(model, colder(BATCHES[9], 4.0), BATCHES[9])
    assert ranked[0].kind == "probe"
    assert ranked[0].amount == pytest.approx(-4.0, abs=1.2)
    assert "check it in boiling water" in cause_words(ranked[0], MACHINES["south"], Units())


def test_hands_that_stood_otherwise_are_told_as_moves(model):  # noqa: F811
    batch = BATCHES[9]
    from test_guidance import SOUTH

    heat = batch.hands.heat.copy()
    at = slice(int(batch.yellow_t / batch.step) + 10, int(batch.yellow_t / batch.step) + 50)
    heat[at] *= 0.7
    reference = replace(batch, hands=Hands(heat, batch.hands.air, batch.hands.drum), label="reference")
    causes = {cause.kind: cause for cause in likely_causes(model, batch, reference)}
    assert causes["gas"].amount == pytest.approx(80.0, abs=4.0)
    assert "for 1:20" in cause_words(causes["gas"], SOUTH, Units())


@pytest.mark.parametrize(
    ("kind", "amount", "words"),
    [
        ("steel", -12.0, "12 °C colder"),
        ("load", 0.08, "8 % heavier"),
        ("fan", -0.2, "20 % less air"),
        ("none", 0.0, "no cause"),
    ],
)
def test_causes_are_told_in_words(kind, amount, words):
    from firnel.core.model.causes import Cause

    assert words in cause_words(Cause(kind, amount, 0.9), MACHINES["south"], Units())


# What to change


def deviation(name, wanted, came, tolerance):
    return Deviation(name, name, "points", wanted, came, tolerance)


@pytest.mark.parametrize(
    ("words", "target", "sign"),
    [("grassy", "development_s", 1), ("roasty", "development_s", -1), ("papery", "browning_s", -1), ("thin", "browning_s", 1),
     ("ashy", "charge_c", -1), ("uneven", "drying_s", 1)],
)  # fmt: skip
def test_cup_words_become_edits(words, target, sign):
    # The rules of the trade: common practice, no published source.
    edit = changes([words])[0]
    assert edit.target == target
    assert np.sign(edit.by) == sign
    assert words in edit.why


def test_signs_that_agree_are_told_together_and_signs_that_do_not_cancel():
    together = changes(["grassy", "grassy"], {}, [deviation("colour_ground", 68.0, 73.0, 2.0)])
    assert len(together) == 1
    assert together[0].by == 30.0
    assert "2 times" in together[0].why
    assert changes(["grassy", "roasty"])[0].by == 5.0
    assert changes(["sweet"], {"scorched": 0.01}) == ()
    assert changes((), {"scorched": 0.05})[0].by == -5.0
    loss = Deviation("loss", "weight loss", "share", 0.13, 0.145, 0.005)
    assert changes((), {}, [loss])[0].by < 0


# Ladders


def test_a_ladder_finds_its_top_and_how_sure_it_is():
    rng = np.random.default_rng(2)
    heights = np.repeat([50.0, 65.0, 80.0, 95.0, 110.0], 3)
    scores = 86.0 - ((heights - 84.0) / 16.0) ** 2 + rng.normal(0.0, 0.25, heights.size)
    told = fit_ladder(heights, scores)
    assert told.best == pytest.approx(84.0, abs=3.0)
    assert told.best_low < 84.0 < told.best_high
    assert told.window[0] < 84.0 < told.window[1]
    # The mean of a parabola by NumPy's own least squares.
    expected = np.polyval(np.polyfit(heights, scores, 2), told.x)
    np.testing.assert_allclose(told.mean, expected, atol=1e-6)
    climbing = fit_ladder(heights, heights / 10.0 - ((heights - 150.0) / 60.0) ** 2)
    assert climbing.best is None
    assert "upper end" in climbing.words
    assert fit_ladder(heights[:3], scores[:3]) is None
    assert fit_ladder(np.array([60.0, 60.0, 61.0, 62.0]), np.ones(4)) is None, "rungs too near each other are one"
    assert "do not differ" in fit_ladder(heights, ((heights - 80.0) / 10.0) ** 2).words


def test_rungs_are_found_by_the_names_of_their_plans(library):
    for number, development in enumerate((60, 75, 90, 105, 120)):
        name = f"Isuka {development // 60}:{development % 60:02d}"
        library.save_plan(replace(PLAN, name=name))
        record = make_record(f"{number:04d}")
        marks = tuple(replace(m, t=600.0 + development) if m.kind is MarkKind.DROP else m for m in record.marks)
        library.add_record(replace(record, plan=name, marks=marks))
    assert ladder_names(library)[0] == "Isuka"
    read = read_ladder(library, "Isuka")
    assert read.heights.tolist() == [60.0, 75.0, 90.0, 105.0, 120.0]
    assert read.fit is None
    coffees = [{"batch": line.id, "code": f"{200 + n}", "reference": False} for n, line in enumerate(read.lines)]
    sections = ("fragrance", "aroma", "flavour", "aftertaste", "acidity", "sweetness", "mouthfeel", "overall")
    entries = {
        "Asha": {c["code"]: {"scores": dict.fromkeys(sections, mark)} for c, mark in zip(coffees, (4, 6, 7, 6, 4), strict=True)}
    }
    document = {
        "form": "affective",
        "cups": 2,
        "coffees": coffees,
        "cuppers": ["Asha"],
        "orders": {},
        "entries": entries,
        "left": [],
    }
    library.bench_book.save(TableSet("cupping", "ladder", datetime(2026, 11, 4, tzinfo=UTC), document, True))
    assert read_ladder(library, "Isuka").fit.best == pytest.approx(90.0, abs=2.0)
    assert plan_of_ladder(library, "Isuka").name.startswith("Isuka 1:")


# Many batches over time


@pytest.fixture
def season(library):
    """Forty batches of a plan on four machines' days; the drop drifts up with the room, and three were roasted by Bo."""
    from firnel.work.desk import machine_of_kind

    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    library.save_lot(Lot("Rwanda Isuka", arrival="2026-10-01"))
    library.save_plan(replace(PLAN, machine="Drum Six"))
    library.machine_book.add_log(machine.id, LogEntry("care", datetime(2026, 11, 1, tzinfo=UTC), {"job": "chaff"}))
    rng = np.random.default_rng(4)
    for number in range(40):
        room = 18.0 + 0.25 * number + float(rng.normal(0.0, 0.3))
        record = make_record(f"{number:04d}", step=5.0)
        marks = tuple(
            replace(m, bean=205.0 + 0.12 * (room - 22.0) + 0.05 * float(rng.normal())) if m.kind is MarkKind.DROP else m
            for m in record.marks
        )
        started = datetime(2026, 11, 2, 8, 0, tzinfo=UTC) + timedelta(days=number // 4, minutes=25 * (number % 4))
        library.add_record(replace(record, plan=PLAN.name, marks=marks, room_c=room, started=started))
    return library


def test_a_drift_is_charted_and_what_moved_with_it_is_ranked(season):
    told = over_time.over_time(season, "drop_c", "plan", PLAN.name)
    assert len(told.lines) == 40
    assert not told.chart.in_control
    assert told.lines[0].label == "0000", "oldest first"
    assert told.candidates[0].words in ("room temperature", "time itself", "time since cleaning", "age of the lot")
    room = next(one for one in told.candidates if one.words == "room temperature")
    values = [line.drop_c for line in told.lines]
    # Spearman's rho as SciPy has it.
    assert room.rho == pytest.approx(stats.spearmanr(values, [line.room_c for line in told.lines]).statistic)
    assert told.capability.inside > 0.5
    assert all(one.words != "batch of the day" for one in told.candidates), "that did not move with it"


def test_nothing_is_told_to_move_with_noise(season):
    rng = np.random.default_rng(11)
    companions = {"a": rng.normal(size=30), "b": rng.normal(size=30), "c": np.full(30, 2.0)}
    assert over_time.candidates(rng.normal(size=30), companions) == ()


def test_batches_are_chosen_by_plan_lot_machine_or_operator(season):
    assert over_time.choices(season, "machine") == ["Drum Six"]
    assert over_time.choices(season, "operator") == []
    assert len(over_time.chosen_lines(season, "lot", "Rwanda Isuka")) == 40
    assert over_time.over_time(season, "colour_whole", "machine", "Drum Six").chart.in_control
    assert over_time.over_time(season, "drop_c", "operator", "Bo") is None
    assert over_time.over_time(season, "crack_s", "plan", PLAN.name).wanted == 510.0


def test_replication_is_the_share_of_batches_in_tolerance(season):
    told = over_time.replication(season)[0]
    assert (told.plan, told.batches) == (PLAN.name, 40)
    assert told.kept == 0.0, "browning of 4:20 is not the 3:30 that the plan wants"
    assert told.development_sd == 0.0


def test_a_crowd_is_compared_by_its_bean_curves_alone(season):
    keys = [line.id for line in season.batch_lines(BatchFilter(), limit=40)]
    crowd = compare(season, keys, STAGES, Units())
    assert len(crowd.drawn) == 40
    assert crowd.drawn[0].x[-1] == pytest.approx(3.0, abs=0.05)
    few = compare(season, keys[:3], "charge", Units("°F"))
    assert len(few.differences) == 2
    assert len(few.tables) == 2
    assert few.drawn[0].bean.max() > 350.0, "in the chosen unit"
    season.set_marks(keys[0], ())
    lacking = compare(season, keys, "charge", Units())
    assert "1 batches lack" in lacking.complaints[0]
    assert "no mark for charge" in compare(season, keys[:2], "charge", Units()).complaints[0]
