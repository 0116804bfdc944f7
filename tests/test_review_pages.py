"""Review's pages in the window, and what is written from them: reports, spreadsheets, open data."""

import csv
import json
import re
import threading
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import make_record
from logged import MACHINES, lot_of, record_of
from openpyxl import load_workbook
from PyQt6.QtWidgets import QFileDialog, QProgressDialog
from test_guidance import model  # noqa: F401 - a fixture
from test_plan_and_cue import PLAN

from firnel.app.commands import main
from firnel.app.window import make_application, make_window
from firnel.core.model.document import model_to_document
from firnel.core.plan import Targets
from firnel.core.units import Units
from firnel.core.vocabulary import MarkKind
from firnel.store.batch_list import BatchFilter
from firnel.store.bench_book import TableSet
from firnel.ui.review.list_tools import write_batches
from firnel.ui.shared import report_button
from firnel.ui.shared.report_button import write_as
from firnel.ui.theme.look import Look
from firnel.work.plan.planning import solve_plan
from firnel.work.review import reports
from firnel.work.review.references import reference_key
from firnel.work.review.sameness import judge
from firnel.work.settings import Settings

SECTIONS = ("fragrance", "aroma", "flavour", "aftertaste", "acidity", "sweetness", "mouthfeel", "overall")


def cupped(library, scores, words=()):
    """A revealed table of one cupper: marks by batch."""
    coffees = [{"batch": key, "code": f"{200 + n}", "reference": False} for n, key in enumerate(scores)]
    entries = {
        coffee["code"]: {"scores": dict.fromkeys(SECTIONS, scores[coffee["batch"]]), "words": {"hot": list(words)}}
        for coffee in coffees
    }
    document = {"form": "affective", "cups": 2, "coffees": coffees, "cuppers": ["Asha"], "orders": {}, "left": []}
    table = TableSet("cupping", "Tuesday", datetime(2026, 11, 4, tzinfo=UTC), document | {"entries": {"Asha": entries}}, True)
    return library.bench_book.save(table)


@pytest.fixture
def house(library):
    library.save_plan(PLAN)
    keys = []
    for number in range(1, 7):
        record = make_record(f"{number:04d}")
        marks = tuple(replace(m, t=m.t + 6.0 * number) if m.kind is MarkKind.DROP else m for m in record.marks)
        started = record.started + timedelta(hours=number)
        keys.append(library.add_record(replace(record, plan=PLAN.name, marks=marks, started=started)))
    return library, keys


@pytest.fixture
def review(qtbot, house):
    window = make_window(house[0], Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    qtbot.waitExposed(window)
    window.show_station("Review")
    view = window.view("Review")
    qtbot.waitUntil(lambda: view._record is not None)
    yield view
    for page in (view, view.finder, view.compare, view.same, view.time, view.ladder):
        page.background.wait()


def choose(qtbot, view, label):
    view.search.setText(label)
    view.finder.search_now()
    qtbot.waitUntil(lambda: view._record is not None and view._record.label == label)


def test_batches_are_added_from_the_list_and_drawn_over_each_other(qtbot, review):
    choose(qtbot, review, "0001")
    review.compare.clear_all()
    review.tabs.choose(1)
    for label in ("0002", "0003"):
        choose(qtbot, review, label)
        review.compare.add.click()
    page = review.compare
    qtbot.waitUntil(lambda: page._picture is not None and len(page._picture.drawn) == 3)
    assert page._against.text() == "Against 0001"
    assert page.top.accessibleDescription() == "0001 solid, 0002 dashed, 0003 dotted"
    headings = [cell.text() for cell in page._table._rows[0]]
    assert headings[1:3] == ["0001", "0002"]
    page.at.setCurrentIndex(page.at.count() - 1)
    qtbot.waitUntil(lambda: page._picture.stages)
    low, high = page.top.plot.getPlotItem().getViewBox().viewRange()[0]
    assert (low, high) == (pytest.approx(0.0, abs=0.05), pytest.approx(3.0, abs=0.05))
    page.keys = [1]
    page._candidate = 1
    page.clear_all()
    qtbot.waitUntil(lambda: len(page._picture.drawn) == 1)
    assert "Ctrl+D" in page._against.text()


def test_a_reference_is_chosen_and_the_next_batch_judged_by_it(qtbot, review, house):
    library, keys = house
    choose(qtbot, review, "0001")
    review._reference.click()
    assert reference_key(library, library.plans()[0]) == keys[0]
    review.tabs.choose(2)
    choose(qtbot, review, "0005")
    qtbot.waitUntil(lambda: review.same.judged is not None and review.same.judged.against == "reference 0001")
    assert "development" in review.same.verdict.text()
    assert "dropped 0:24 late" in review.same.causes.text()
    assert set(review.same.curves.lines) == set(review.same.rates.lines) == {"0001", "0005"}, "both are drawn"
    choose(qtbot, review, "0001")
    review._reference.click()
    assert reference_key(library, library.plans()[0]) is None


def test_a_batch_without_a_plan_cannot_be_a_reference(qtbot, review, house):
    library, _ = house
    library.add_record(replace(make_record("0099"), started=datetime(2026, 11, 9, tzinfo=UTC)))
    review.refresh()
    choose(qtbot, review, "0099")
    review._reference.click()
    assert not review._reference.isChecked()
    assert "without one" in review.sheet.head.subtitle.text()


def test_charts_and_how_well_plans_are_kept_are_shown(qtbot, review):
    review.tabs.choose(3)
    page = review.time
    qtbot.waitUntil(lambda: page.told is not None)
    assert page.words.text().startswith("Development of 6 batches")
    qtbot.waitUntil(lambda: len(page._kept._rows) > 1 and page._kept._rows[1][0].text() == PLAN.name)
    page.by.setCurrentIndex(2)
    qtbot.waitUntil(lambda: page.name.currentText() == "Drum Six")
    page.figure.setCurrentIndex(5)
    qtbot.waitUntil(lambda: page.told is not None and page.told.name == "drop_c")
    axis = page.values.plot.getPlotItem().getAxis("left")
    assert axis.tickStrings([205.0], 1.0, 1.0) == ["205.0"]
    page.show_chart(None)
    assert "nothing to chart" in page.words.text()


def test_a_ladder_is_read_and_its_best_becomes_a_plan(qtbot, review, house):
    library, keys = house
    cupped(library, dict(zip(keys, (4, 6, 7, 7, 6, 4), strict=True)))
    wanted = []
    review.plan_wanted.connect(wanted.append)
    review.tabs.choose(4)
    page = review.ladder
    qtbot.waitUntil(lambda: page.read is not None and page.read.fit is not None)
    assert "A window is found" in page.words.text()
    page.take.click()
    assert wanted[0].targets.development_s == pytest.approx(120.0, abs=5.0)
    assert "drop_c" not in wanted[0].wanted.asked, "what follows from development is left to it"


def test_an_edit_that_the_cup_calls_for_goes_into_a_new_version(qtbot, library, model):  # noqa: F811
    machine = library.save_machine(MACHINES["south"])
    library.machine_book.save_model(machine.id, model_to_document(model, ["gas"]))
    library.save_lot(lot_of("south-010"))
    asked = Targets(charge_c=190.0, development_s=110.0)
    from firnel.core.plan import Plan

    usual = Targets(charge_c=190.0, drying_s=325.0, browning_s=310.0, development_s=110.0, drop_c=206.0)
    solved = solve_plan(library, machine, Plan("House", "south", "south-010", 0.85, targets=asked), usual)
    plan = library.save_plan(solved.plan)
    record = record_of("south-010")
    dropped = record.mark(MarkKind.FIRST_CRACK).t + 110.0
    marks = tuple(replace(m, t=dropped) if m.kind is MarkKind.DROP else m for m in record.marks)
    key = library.add_record(
        replace(record, machine="south", plan="House", marks=marks, roasted_kg=None, colour_ground=None, colour_whole=None)
    )
    cupped(library, {key: 5}, ["grassy", "grassy"])
    edit = judge(library, key, Units()).edits[0]
    assert edit.words.startswith("Development 1:50 → 2:10: grassy in the cup, 2 times.")
    assert "Expected: drop +" in edit.words
    assert edit.plan.targets.development_s == 130.0
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    window.show_station("Review")
    view = window.view("Review")
    view.tabs.choose(2)
    qtbot.waitUntil(lambda: view.same.judged is not None and bool(view.same.judged.edits))
    view.same._on_take(view.same.judged.edits[0])
    kept = next(one for one in library.plans() if one.id == plan.id)
    assert (kept.version, kept.targets.development_s) == (2, 130.0)
    assert library.plan_book.versions(plan.id)[0].why == "grassy in the cup, 2 times"
    assert "version 2" in view.same.causes.text()
    view.same.background.wait()


# Written


def test_every_report_is_written_on_paper_and_as_a_spreadsheet(house, tmp_path):
    library, keys = house
    Look(make_application())
    table = cupped(library, {keys[0]: 6, keys[1]: 8}, ["sweet"])
    units = Units("°F", "lb")
    made = {
        "batch": reports.batch_report(library, keys[0], Settings(temperature="°F", mass="lb")),
        "comparison": reports.comparison_report(library, keys[:3], "stages", units),
        "session": reports.session_report(library, table),
        "month": reports.month_report(library, 2026, 11, units),
    }
    for name, report in made.items():
        for ending in ("pdf", "xlsx"):
            write_as(tmp_path / f"{name}.{ending}", report)
        assert (tmp_path / f"{name}.pdf").read_bytes().startswith(b"%PDF")
    batch = load_workbook(tmp_path / "batch.xlsx")
    assert batch["Report"]["A1"].value == "Batch 0001"
    marks = {row[0]: row[1] for row in batch["Marks"].iter_rows(values_only=True)}
    assert marks["first crack"] == "9:00"
    curve = np.array([row[:2] for row in batch["Bean and air"].iter_rows(min_row=2, values_only=True)], float)
    assert curve[0, 0] == 0.0
    assert np.nanmax(curve[:, 1]) > 350.0, "in the chosen unit"
    session = [row[1:4] for row in load_workbook(tmp_path / "session.xlsx")["Results"].iter_rows(min_row=2, values_only=True)]
    assert session[0] == ("0002", 201, 94.75), "the best first: 0.65625 x 64 + 52.75"
    month = load_workbook(tmp_path / "month.xlsx")
    assert "6 batches" in month["Report"]["A3"].value
    assert month["Batches"].max_row == 7
    by_machine = list(month["By machine"].iter_rows(min_row=2, values_only=True))
    lines = library.batch_lines(BatchFilter())
    assert sum(row[1] for row in by_machine) == len(lines) == 6
    weighed = [line for line in lines if line.loss is not None]
    loss = 100 * (1.0 - sum(line.roasted_kg for line in weighed) / sum(line.load_kg for line in weighed))
    assert str(by_machine[0][4]).removesuffix(" %") == f"{loss:.1f}"
    against = load_workbook(tmp_path / "comparison.xlsx")
    assert "0002 against 0001" in against.sheetnames


def test_a_long_report_turns_the_page_and_a_bad_place_is_refused(tmp_path):
    Look(make_application())
    rows = tuple((f"row {n}", f"{n}.5") for n in range(120))
    report = reports.Report(
        "Long", "many rows", (reports.Table("Rows", ("name", "figure"), rows), reports.Text("x" * 400, True))
    )
    write_as(tmp_path / "long.pdf", report)
    assert (tmp_path / "long.pdf").read_bytes().count(b"/Type /Page\n") >= 3
    with pytest.raises(OSError, match="cannot be written"):
        write_as(tmp_path / "no" / "such.pdf", report)
    write_as(tmp_path / "long.xlsx", replace(report, blocks=(report.blocks[0], report.blocks[0])))
    book = load_workbook(tmp_path / "long.xlsx")
    assert book.sheetnames == ["Report", "Rows", "Rows 2"]
    assert book["Rows"]["B2"].value == 0.5, "figures are figures"


def test_what_cannot_be_reported_says_why(house):
    library, keys = house
    blind = library.bench_book.save(
        TableSet("cupping", "blind", datetime.now(UTC), {"coffees": [], "cuppers": [], "entries": {}, "left": []})
    )
    with pytest.raises(ValueError, match="not revealed"):
        reports.session_report(library, blind)
    library.set_marks(keys[0], ())
    with pytest.raises(ValueError, match="no mark for charge"):
        reports.comparison_report(library, keys[:1], "stages", Units())


def test_a_batch_is_exported_in_every_form_and_everything_at_once(house, tmp_path):
    library, keys = house
    cupped(library, {keys[0]: 6})
    library.bench_book.note(keys[0], "inspection", {"beans": 100, "quakers": 2})
    at = str(tmp_path / "library.sqlite")
    call = CliRunner().invoke
    for form, magic in (("pdf", b"%PDF"), ("xlsx", b"PK"), ("csv", b""), ("json", b"{")):
        out = tmp_path / f"one.{form}"
        done = call(main, ["export", "0001", "--format", form, "-o", str(out), "--library", at])
        assert done.exit_code == 0, done.output
        assert out.read_bytes().startswith(magic)
    refused = call(main, ["export", "0001", "--format", "pdf", "--library", at])
    assert refused.exit_code == 2
    assert "-o" in refused.output
    folder = tmp_path / "all"
    assert call(main, ["export", "all", "--format", "json", "-o", str(folder), "--library", at]).exit_code == 0
    with (folder / "batches.csv").open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 6
    assert float(rows[0]["development_s"]) == pytest.approx(136.0)
    assert len(list(folder.glob("batch-*.json"))) == 6
    bench = json.loads((folder / "bench.json").read_text(encoding="utf-8"))
    assert bench["notes"][0]["quakers"] == 2
    assert bench["tables"][0]["name"] == "Tuesday"
    bad = call(main, ["export", "0001", "--format", "xlsx", "-o", str(tmp_path / "no" / "x.xlsx"), "--library", at])
    assert bad.exit_code == 1


def test_reports_and_exports_are_written_while_the_window_goes_on(qtbot, house, review, tmp_path, monkeypatch):
    main, where = threading.get_ident(), []
    monkeypatch.setattr(
        report_button, "write_as", lambda path, report: where.append(threading.get_ident()) or write_as(path, report)
    )
    chosen = [str(tmp_path / "batch.xlsx"), str(tmp_path / "no such folder" / "batch.xlsx")]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (chosen.pop(0), ""))
    said = []
    written = report_button.report_button(review._batch_report, said.append)
    qtbot.addWidget(written)
    xlsx = written.menu().actions()[1]
    for told in (f"Written: {tmp_path}/batch.xlsx", "cannot be written: No such file or directory."):
        xlsx.trigger()
        qtbot.waitUntil(lambda told=told: bool(said) and said[-1].endswith(told))
    assert where
    assert main not in where
    assert load_workbook(tmp_path / "batch.xlsx")["Report"]["A1"].value == f"Batch {review._record.label}"
    told = []
    write_batches(written, review._desk, house[1], "csv", tmp_path / "all", told.append)
    assert not told, "it has only begun"
    qtbot.waitUntil(lambda: bool(told))
    assert told == [f"Written into {tmp_path}/all: 6 files."]
    write_batches(written, review._desk, house[1] * 20, "pdf", tmp_path / "some", told.append)
    next(shown for shown in written.findChildren(QProgressDialog) if shown.labelText() == "120 batches as PDF").canceled.emit()
    qtbot.waitUntil(lambda: len(told) > 1)
    assert re.search(r"Written into .*: \d+ files?, \d+ left out\.", told[1]), told[1]
