"""Batches mended afterwards: corrected with the old value kept, split, joined, searched, written; colour and level."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import make_record
from PyQt6.QtCore import QDate, Qt
from PyQt6.QtWidgets import QLineEdit
from test_roast_session import Bench

from firnel.app.commands import main
from firnel.app.window import make_application, make_window
from firnel.core.vocabulary import Found, Lot, Mark, MarkKind, Note, Trace
from firnel.store.batch_list import BatchFilter
from firnel.ui.shared.weigh_sheet import WeighSheet
from firnel.ui.theme.look import Look
from firnel.work.bench.results import Results, check_results
from firnel.work.bench.weighing import as_index, level_word, reckoned_colour
from firnel.work.day import queue
from firnel.work.review import mending
from firnel.work.review.exports import export_batches
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings


def two_in_one():
    """A log in which a drop was forgotten: the same roast twice, one after the other."""
    one = make_record()
    t = np.concatenate([one.trace.t, one.trace.t + one.trace.t[-1] + 1.0])
    controls = {control: np.tile(series, 2) for control, series in one.trace.controls.items()}
    trace = Trace(t, np.tile(one.trace.bean, 2), np.tile(one.trace.air, 2), controls, np.zeros(t.size, np.int64))
    marks = (Mark(MarkKind.CHARGE, 60.0), Mark(MarkKind.YELLOW, 340.0))
    return replace(one, trace=trace, marks=marks, notes=(Note(300.0, "colour", "tan"), Note(1200.0, "smell", "bread")))


def test_what_is_mended_keeps_what_stood_there_before(library):
    key = library.add_record(make_record())
    lot = library.save_lot(Lot("Burundi Kavumu"))
    record = library.batch(key)
    values = {"roasted_kg": 4.30, "lot_id": lot.id, "operator": "Ana", "tags": "fair trial"}
    assert mending.mend(library, record, values, "Ana") == 4
    mended = library.batch(key)
    assert (mended.roasted_kg, mended.lot, mended.operator, mended.tags) == (4.30, "Burundi Kavumu", "Ana", "fair trial")
    told = {one.field: (one.before, one.after, one.who) for one in mending.corrections(library, key)}
    assert told["roasted weight"] == ("4.35", "4.3", "Ana")
    assert told["lot"] == ("Rwanda Isuka", "Burundi Kavumu", "Ana")
    assert mending.mend(library, mended, values, "Ana") == 0, "what is as it was is no correction"
    for wrong in ({"roasted_kg": 6.0}, {"load_kg": -1.0}, {"colour_ground": 140.0}, {"operator": "x" * 90}, {"status": "done"}):
        with pytest.raises(ValueError):
            mending.mend(library, mended, wrong, "Ana")
    assert (library.batch(key).roasted_kg, library.batch(key).operator) == (4.30, "Ana")


def test_a_forgotten_drop_is_split_and_both_parts_have_their_marks(library):
    key = library.add_record(two_in_one())
    record = library.batch(key)
    at = mending.second_charge(record)
    assert at == pytest.approx(730.0 + 60.0, abs=3.0), "beans fell in again"
    second = mending.split(library, record, at - 20.0, "Ana")
    first, later = library.batch(key), library.batch(second)
    assert first.trace.t.size + later.trace.t.size == record.trace.t.size, "no reading is lost"
    assert first.mark(MarkKind.DROP).found is Found.CURVE
    assert later.mark(MarkKind.CHARGE).t == pytest.approx(20.0, abs=3.0)
    assert (later.trace.t[0], later.started - first.started) == (pytest.approx(0.0, abs=1.0), timedelta(seconds=at - 20.0))
    assert [note.text for note in first.notes] == ["tan"]
    assert later.notes[0].t == pytest.approx(1200.0 - (at - 20.0))
    with pytest.raises(ValueError, match="both sides"):
        mending.split(library, first, 9000.0, "Ana")


def test_a_batch_in_two_parts_is_joined_and_nothing_is_thrown_away(library):
    whole = make_record()
    before, behind = (whole.trace.t < 400.0), (whole.trace.t >= 410.0)

    def part(of, label, seconds, marks):
        kept = whole.trace.part(of)
        trace = replace(kept, t=kept.t - seconds)
        shifted = tuple(replace(mark, t=mark.t - seconds) for mark in whole.marks if mark.kind in marks)
        started = whole.started + timedelta(seconds=seconds)
        return library.add_record(replace(whole, label=label, trace=trace, marks=shifted, started=started, roasted_kg=None))

    first = part(before, "0001", 0.0, (MarkKind.CHARGE, MarkKind.YELLOW))
    second = part(behind, "0002", 410.0, (MarkKind.FIRST_CRACK, MarkKind.DROP))
    assert mending.join(library, library.batch(second), "0001", "Ana") == "0001", "whichever is chosen"
    joined = library.batch(first)
    assert joined.trace.t.size == before.sum() + behind.sum()
    assert [round(mark.t) for mark in joined.marks] == [60, 340, 600, 700]
    left = library.batch(second)
    assert (left.left_out, left.trace.t.size) == ("joined to 0001", behind.sum())
    other = library.add_record(replace(whole, label="0009", started=whole.started + timedelta(days=1)))
    with pytest.raises(ValueError, match="does not follow"):
        mending.join(library, library.batch(other), "0001", "Ana")


@pytest.fixture
def review(qtbot, library):
    for number, words in enumerate((("Ana", "trial"), ("Benoît", ""), ("Ana", "export")), start=1):
        record = make_record(f"{number:04d}")
        notes = (Note(300.0, "smell", "hay"),) if number == 2 else ()
        started = record.started + timedelta(days=10 * number)
        colour, roasted = 60.0 + 5 * number, 4.40 - 0.05 * number
        library.add_record(
            replace(
                record, operator=words[0], tags=words[1], notes=notes, started=started, colour_ground=colour, roasted_kg=roasted
            )
        )
    window = make_window(library, Settings(operator="Ana"), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    window.show_station("Review")
    view = window.view("Review")
    for asks in (view, view.finder):
        asks.background.wait()
    return view


def labels(view):
    view.finder.search_now()
    return [view.model.line(row).label for row in range(view.model.rowCount())]


def test_the_list_is_searched_by_who_tag_note_level_event_and_days(review, library):
    for text, found in (("ana", ["0003", "0001"]), ("trial", ["0001"]), ("hay", ["0002"]), ("medium light", ["0002", "0001"])):
        review.search.setText(text)
        assert labels(review) == found, text
    review.search.setText("light")
    assert labels(review) == ["0003"], "a word for a level is that level only"
    library.mend_book.set_events(library.find_batch("0003"), ["flick", "stall"])
    review.search.setText("stall ana")
    assert labels(review) == ["0003"]
    review.search.setText("")
    review.finder._period.setCurrentIndex(review.finder._period.count() - 1)
    review.finder.first_day.setDate(QDate(2026, 11, 20))
    review.finder.last_day.setDate(QDate(2026, 11, 22))
    assert labels(review) == ["0002"], "from one day to another"
    assert mending.look_through(library) == 0, "it was looked through in the background already"


def test_the_list_is_put_in_order_by_any_column_that_is_shown(review):
    across = review.table.horizontalHeader()
    for column, order, first in ((4, Qt.SortOrder.DescendingOrder, "0003"), (4, Qt.SortOrder.AscendingOrder, "0001")):
        across.setSortIndicator(column, order)
        assert labels(review)[0] == first
    review.finder._show_columns(("Batch", "Who", "Level", "Total"))
    assert [column.heading for column in review.model.columns] == ["Batch", "Total", "Level", "Who"]
    across.setSortIndicator(3, Qt.SortOrder.DescendingOrder)
    assert labels(review)[0] == "0002", "by who roasted"
    assert review.model.data(review.model.index(0, 2)) == "medium light"


def test_a_batch_is_mended_on_its_sheet(qtbot, review, library):
    review.mend()
    sheet = review.mending
    sheet.roasted.setText("9")
    sheet._on_keep()
    assert "not less than the green load" in sheet._said.text()
    sheet.roasted.setText("4.111")
    sheet.tags.setText("  slow   day ")
    sheet._on_keep()
    key = review.record.id
    assert (library.batch(key).roasted_kg, library.batch(key).tags) == (4.111, "slow day")
    assert library.batch(key).load_kg == 5.0, "what was not touched is not rounded"
    assert {one.who for one in mending.corrections(library, key)} == {"Ana"}


def test_several_batches_are_written_in_every_form(review, library, tmp_path):
    review.table.selectAll()
    assert len(review.finder.ticked()) == 3
    paper = []
    for form in ("csv", "json", "xlsx", "pdf"):
        written = export_batches(
            library, review.finder.ticked(), form, tmp_path / form, Settings(), lambda path, _: paper.append(path)
        )
        assert len(written) == 3
    assert len(paper) == 3
    at = ["--library", str(library.path)]
    for form in ("pdf", "xlsx"):
        done = CliRunner().invoke(main, ["export", "all", "--format", form, "-o", str(tmp_path / f"all-{form}"), *at])
        assert done.exit_code == 0, done.output
        assert [path.suffix for path in (tmp_path / f"all-{form}").iterdir()] == [f".{form}"] * 3, "and not something else"


def test_nothing_is_saved_empty_and_a_batch_is_due_until_weight_and_colour_are_in(qtbot, library):
    with pytest.raises(ValueError, match="Nothing is typed"):
        check_results(5.0, Results(None, None, None, ""))
    word = Results(None, None, None, "fell on the floor")
    check_results(5.0, word)
    assert not word.complete
    assert Results(4.3, None, 66.0, "").complete
    assert Results(None, None, None, "", declined=("weight", "colour")).complete
    sheet, saved = WeighSheet(), []
    qtbot.addWidget(sheet)
    sheet.saved.connect(saved.append)
    sheet.begin("Weigh", 5.0, Settings().units)
    sheet._save.click()
    assert (saved, "Nothing is typed" in sheet._said.text()) == ([], True)


def test_another_meter_is_turned_into_the_houses_own_scale(qtbot):
    settings = Settings(meter_points=("50=60", "70=84"), colour_scale="house")
    assert as_index(60.0, settings.meter) == 72.0
    assert as_index(80.0, settings.meter) == 96.0, "carried on beyond its points"
    assert (as_index(60.0, ()), as_index(60.0, ((55.0, 62.0),))) == (60.0, 67.0)
    assert settings.units.colour_text(72.0) == "72.0 house", "the scale is named on the figure"
    for wrong in (("50",), ("50=60", "50=61"), ("a=b",)):
        with pytest.raises(ValueError, match="Colour meter"):
            Settings(meter_points=wrong)
    sheet, saved = WeighSheet(), []
    qtbot.addWidget(sheet)
    sheet.saved.connect(saved.append)
    sheet.begin("Weigh", 5.0, settings.units, meter=settings.meter)
    entries = {one.accessibleName(): one for one in sheet.findChildren(QLineEdit)}
    entries["Colour, ground"].setText("60 62")
    sheet._save.click()
    assert (saved[0].colour_ground, saved[0].ground, saved[0].by_meter) == (pytest.approx(73.2), (60.0, 62.0), True)


def test_one_word_for_one_level_whether_by_colour_or_by_loss():
    """Loss of 12 to 14 % is light, 15 to 17 medium, 18 to 21 dark: common practice, no published source."""
    levels = Settings().levels
    assert reckoned_colour(61.0, 0.2) == 61.0, "what was measured stands before what goes with the loss"
    words = [level_word(None, levels, loss) for loss in (0.13, 0.16, 0.20)]
    assert words == ["medium light", "medium", "medium dark"]
    assert level_word(reckoned_colour(None, 0.16), levels) == "medium"


def test_a_load_is_corrected_before_the_charge_and_keeps_its_number(library):
    bench = Bench(library)
    session = bench.session
    session.prepare(bench.order())
    label = session.label
    assert session.amend(BatchOrder(bench.lot, bench.machine, bench.plan, 4.6)) == label
    with pytest.raises(ValueError, match="cannot be roasted"):
        session.amend(BatchOrder(bench.lot, bench.machine, bench.plan, -1.0))
    session.flush()
    assert library.batch(session.batch_id).load_kg == 4.6
    bench.feed(130)
    with pytest.raises(ValueError, match="No batch is prepared"):
        session.amend(bench.order())
    session.close()
    assert len(library.batch_lines(BatchFilter())) == 1


def test_a_prepared_load_is_corrected_in_the_window_and_no_other_number_is_taken(qtbot, library):
    bench = Bench(library)
    machine = bench.machine
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    qtbot.waitExposed(window)
    window.desk.session.set_machine(machine)
    queued = queue.add(library, bench.plan)
    window.desk.prepare(BatchOrder(bench.lot, machine, bench.plan, 5.0))
    label = window.desk.session.label
    waiting = [one.number for one in queue.queue(library)]
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.roast.setFocus()
    qtbot.keyClick(window.roast, Qt.Key.Key_N)
    load = window.roast.prepare.findChild(QLineEdit, "figures")
    assert load.text() == "5.00", "what is prepared is shown"
    load.setText("4.40")
    window.roast.prepare._on_go()
    session = window.desk.session
    assert (session.label, session.order.load_kg) == (label, 4.4)
    assert [one.number for one in queue.queue(library)] == waiting, queued
    session.flush()
    assert library.batch(session.batch_id).load_kg == 4.4
