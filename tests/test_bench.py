"""The bench: scale, colours, inspection, cuppings and tests, from the records to the window."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from conftest import make_record
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLabel
from test_plan_and_cue import PLAN

from firnel.app.window import make_application, make_window
from firnel.core.cup.scores import SECTIONS
from firnel.core.vocabulary import Lot
from firnel.devices.scale import ScaleError, StandInScale, read_weight, weight_in
from firnel.store.batch_list import BatchFilter
from firnel.ui.theme.look import Look
from firnel.work.bench import cupping, resting, telling_apart
from firnel.work.bench.results import check_results
from firnel.work.bench.weighing import (
    Results,
    inspection_of,
    keep_colours,
    keep_inspection,
    level_word,
    usual_loss,
    usual_loss_of,
)
from firnel.work.plan.whose import lot_of
from firnel.work.review.references import set_reference
from firnel.work.settings import Settings

AT = datetime(2026, 11, 9, 10, 0, tzinfo=UTC)

UNWEIGHED = Results(None, None, None, "").columns


@pytest.fixture
def house(library):
    library.save_plan(PLAN)
    records = [replace(make_record(f"{n:04d}"), plan=PLAN.name, roasted_kg=4.35 + 0.01 * (n % 3)) for n in range(1, 7)]
    keys = [
        library.add_record(replace(record, started=record.started + timedelta(hours=n))) for n, record in enumerate(records)
    ]
    return library, keys


@pytest.fixture
def window(qtbot, house):
    made = make_window(house[0], Settings(cup_form="affective"), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(made, before_close_func=lambda w: w.desk.session.close())
    made.show()
    qtbot.waitExposed(made)
    return made


@pytest.mark.parametrize(
    ("line", "kg"), [("ST,GS,+   4.312kg", 4.312), ("  4312 g", 4.312), ("9,50 lb", 4.309), ("no weight here", None)]
)
def test_a_weight_is_found_in_what_a_scale_prints(line, kg):
    assert weight_in(line) == (None if kg is None else pytest.approx(kg, abs=1e-3))


def test_the_scale_is_read_once_it_stands():
    scale = StandInScale(4.312)
    try:
        assert read_weight(scale.port) == pytest.approx(4.312, abs=1e-3)
        scale._swings = 10_000
        with pytest.raises(ScaleError, match="come to rest"):
            read_weight(scale.port, patience_s=1.0)
    finally:
        scale.close()
    with pytest.raises(ScaleError, match="cannot be read"):
        read_weight("/dev/no-scale")


def test_a_loss_is_placed_among_the_lots_batches(house):
    library, keys = house
    line = library.batch_lines(BatchFilter(), limit=1)[0]
    usual = usual_loss_of(library, line)
    assert usual.batches == 5
    assert usual.words(0.129).startswith("As usual")
    assert ("check the scale" in usual.words(0.20), usual.doubts(0.20), usual.doubts(0.129)) == (True, True, False)
    blended = replace(lot_of(library, line), id=None)
    assert usual_loss(library, blended, "another plan") is None, "other lots say nothing of a blend"
    assert level_word(68.0, Settings().levels) == "medium light"
    assert level_word(68.0, {"house light": 100.0, "house dark": 60.0}) == "house light"
    assert level_word(None, Settings().levels) == ""


def test_what_the_eye_found_and_every_colour_reading_is_kept(house):
    library, keys = house
    keep_inspection(library, keys[0], {"beans": 200, "scorched": 6, "uneven": 2, "remark": "tips dark"})
    assert inspection_of(library, keys[0]) == {"scorched": 0.03, "uneven": 2.0}
    keep_colours(library, keys[0], Results(None, 66.5, 68.0, "", (66.0, 67.0), (68.0,)))
    assert library.bench_book.notes(keys[0], "colour")[0].document["whole"] == [66.0, 67.0]
    with pytest.raises(ValueError, match="how many were looked at"):
        keep_inspection(library, keys[0], {"beans": 5, "scorched": 6})
    with pytest.raises(ValueError, match="graded 0"):
        keep_inspection(library, keys[0], {"uneven": 7})
    with pytest.raises(ValueError, match="another scale"):
        check_results(None, Results(None, 60.0, None, "", (166.0, -46.0)))


def scored(library, table, cupper, marks):
    """One cupper's scores: the same mark in every section, by the batch behind the code."""
    for coffee in cupping.coffees_of(table):
        if coffee.batch_id in marks:
            values = {"scores": dict.fromkeys(SECTIONS, marks[coffee.batch_id]), "words": {"hot": ["grassy"]}}
            table = cupping.enter(library, table, cupper, coffee.code, **values)
    return table


def test_a_cupping_is_blind_until_it_is_revealed_and_survives_who_leaves(house):
    library, keys = house
    set_reference(library, library.plans()[0], keys[5])
    on_it = cupping.with_references(library, keys[:3])
    assert on_it == [*keys[:3], keys[5]], "the reference is always offered"
    table = cupping.set_table(library, "Monday", on_it, ["Asha", "Bo", " Cléo "], AT, "affective", 2, seed=1)
    codes = [coffee.code for coffee in cupping.coffees_of(table)]
    assert codes == sorted(codes), "the list does not give the order away"
    assert sum(coffee.reference for coffee in cupping.coffees_of(table)) == 1
    assert cupping.reprint_codes(table) == tuple(codes)
    table = scored(library, table, "Asha", dict(zip(on_it, (6, 7, 5, 8), strict=True)))
    table = scored(library, table, "Bo", dict(zip(on_it, (6, 8, 5, 8), strict=True)))
    table = scored(library, table, "Cléo", {on_it[0]: 9})
    assert cupping.missing(table)[0].startswith("Cléo: ")
    table = cupping.leave(library, table, "Cléo")
    assert cupping.missing(table) == []
    with pytest.raises(ValueError, match="not revealed yet"):
        cupping.results(library, table)
    with pytest.raises(ValueError, match="aroma"):
        cupping.enter(library, table, "Bo", codes[0], scores={"aroma": 12})
    with pytest.raises(ValueError, match="no code 999"):
        cupping.enter(library, table, "Bo", "999")
    with pytest.raises(ValueError, match="does not cup"):
        cupping.enter(library, table, "Dan", codes[0])
    table = cupping.reveal(library, table)
    told, agreed = cupping.results(library, table)
    assert [one.coffee.batch_id for one in told][:2] == [on_it[3], on_it[1]]
    assert told[0].score == 0.65625 * 64 + 52.75
    assert agreed.w > 0.9, "who left half-way is not ranked"
    first = next(one for one in told if one.coffee.batch_id == on_it[0])
    assert first.cuppers == 3, "what was scored whole counts"
    assert "grassy" in cupping.cup_words(library, on_it[0])
    assert cupping.cup_scores(library)[on_it[3]] == told[0].score
    with pytest.raises(ValueError, match="is revealed"):
        cupping.enter(library, table, "Bo", codes[0])


@pytest.mark.parametrize(
    ("batches", "people", "cups", "words"),
    [([], ["Asha"], 2, "one coffee and one cupper"), ([1], ["Bo", "Bo"], 2, "same name"), ([1], ["Bo"], 0, "1 to 10")],
)
def test_a_table_that_makes_no_sense_is_not_set(house, batches, people, cups, words):
    with pytest.raises(ValueError, match=words):
        cupping.set_table(house[0], "x", batches, people, AT, cups=cups)


def test_a_triangle_is_judged_exactly(house):
    library, keys = house
    table = telling_apart.set_test(library, "triangle", keys[0], keys[1], ["Asha", "Bo", "Cléo"] * 4, AT, seed=3)
    assert telling_apart.verdict(table) is None
    for index, serving in enumerate(table.document["servings"]):
        order = serving["order"]
        odd = next(place for place, letter in enumerate(order) if order.count(letter) == 1)
        right = index < 8
        table = telling_apart.answer(library, table, index, serving["codes"][odd if right else (odd + 1) % 3])
    told = telling_apart.verdict(table)
    assert (told.correct, told.answers, told.shown) == (8, 12, True)  # ISO 4120: 8 of 12 at 0.05
    with pytest.raises(ValueError, match="not served"):
        telling_apart.answer(library, table, 0, "000")
    with pytest.raises(ValueError, match="from itself"):
        telling_apart.set_test(library, "paired", keys[0], keys[0], ["Asha"], AT)


def test_each_batch_is_due_after_a_day_two_and_rested(house):
    library, keys = house
    now = datetime(2026, 11, 3, 9, 0, tzinfo=UTC)
    due = resting.rest_calendar(library, now)
    first = [one for one in due if one.line.id == keys[0]]
    assert [one.occasion for one in first] == ["24 h", "48 h", "rested"]
    assert (first[2].at - first[2].line.started).days == 14, "light: common practice, no published source"
    cupping.set_table(library, "quick", [keys[0]], ["Asha"], now)
    assert [one.occasion for one in resting.rest_calendar(library, now) if one.line.id == keys[0]] == ["48 h", "rested"]


def test_a_table_is_set_scored_and_told_in_the_window(qtbot, house, window, tmp_path):
    library, keys = house
    window.show_station("Bench")
    bench = window.view("Bench")
    bench.rest.cup_wanted.emit(keys[:2])
    page = bench.cup
    assert sorted(page.ticks.ticked()) == sorted(keys[:2])
    page.cuppers.setText("Asha")
    page.set_it()
    form = page.form
    assert form.code.count() == 2
    for mark in (6, 8):
        for field in form.figures.values():
            field.setText(str(mark))
        form.notes["hot"].setText("sweet, bright")
        qtbot.keyClick(list(form.figures.values())[-1], Qt.Key.Key_Return)
    assert form.code.currentIndex() == 1, "the next code came by itself"
    qtbot.keyClicks(form.notes["dry"], "cocoa")
    library.save_lot(Lot("Uganda Ruhinda", "Uganda"))
    bench.read()
    assert form.notes["dry"].text() == "cocoa", "what is typed stays"
    form.notes["dry"].setText("")
    bench.read()
    assert form.code.currentIndex() == 1, "and where she was"
    page.print_codes(tmp_path / "codes.pdf")
    assert (tmp_path / "codes.pdf").read_bytes().startswith(b"%PDF")
    page.reveal()
    assert page._told.isVisibleTo(page)
    assert any("1. 000" in shown.text() for shown in page._told.findChildren(QLabel))
    assert page._told._lines.accessibleDescription().startswith("fragrance 8.00, aroma 8.00")


def test_an_unscored_table_is_revealed_only_when_asked_twice(house, window):
    library, keys = house
    cupping.set_table(library, "half", keys[:2], ["Asha"], AT)
    window.show_station("Bench")
    window.view("Bench").tabs.choose_named("Cup")
    page = window.view("Bench").cup
    page.reveal()
    assert not library.bench_book.tables()[0].revealed
    page.reveal()
    assert library.bench_book.tables()[0].revealed


def test_a_test_is_set_and_answered_in_the_window(qtbot, house, window):
    library, keys = house
    window.show_station("Bench")
    page = window.view("Bench").apart
    page.begin()
    page.set_it()
    assert "a test is of two" in page._setting_said.text()
    for key in keys[:2]:
        page.ticks.tick(key)
    page.tasters.setText("Asha, Bo, Asha")
    page.set_it()
    assert len(page.answers) == 3
    for choice in page.answers:
        assert isinstance(choice, QComboBox)
        choice.setCurrentIndex(1)
    page.reveal()
    assert "p = " in page._verdict.text()
    assert not page.answers[0].isEnabled()


def test_weight_from_the_scale_and_the_look_go_into_the_record(qtbot, house, window):
    library, keys = house
    library.set_results(keys[2], UNWEIGHED, status="dropped")
    scale = StandInScale(4.36)
    window.desk.settings = replace(window.desk.settings, scale_port=scale.port)
    window.show_station("Bench")
    page = window.view("Bench").weigh
    page.read_scale()
    qtbot.waitUntil(lambda: "4.36" in page._form._roasted.text())
    scale.close()
    assert "As usual" in page._form._said.text()
    page._form._ground.setText("68 69,0 70")
    page.inspection.fields["scorched"].setValue(4)
    page.inspection._on_keep()
    page._form._save.click()
    record = library.batch(keys[2])
    assert (record.roasted_kg, record.colour_ground) == (pytest.approx(4.36, abs=1e-3), 69.0)
    assert inspection_of(library, keys[2])["scorched"] == 0.04
    assert np.mean(library.bench_book.notes(keys[2], "colour")[0].document["ground"]) == 69.0
