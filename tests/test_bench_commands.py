"""The bench without a window: weighing, whether it was the same, cuppings; and logs taken in with all that is known of them."""

import json
from dataclasses import replace
from datetime import UTC, datetime

import pytest
from click.testing import CliRunner
from conftest import make_record

from firnel.app.commands import main
from firnel.store.library import Library
from firnel.work.bench.cupping import enter, reveal, set_table
from firnel.work.review.records import export_text


@pytest.fixture
def place(tmp_path):
    return str(tmp_path / "library.sqlite")


@pytest.fixture
def said(place):
    def run(*words, fails=0):
        answer = CliRunner().invoke(main, [*words, "--library", place])
        assert answer.exit_code == fails, answer.output
        return answer.stderr if fails else json.loads(answer.stdout) if "--json" in words else answer.stdout

    return run


def test_a_batch_is_weighed_and_what_stood_there_is_kept(said, place, record):
    library = Library(place)
    key = library.add_record(
        replace(record, label="0007", load_kg=5.0, roasted_kg=None, colour_ground=None, colour_whole=None, status="dropped")
    )
    assert "colour to come" in said("weigh", "0007", "--roasted", "4.3")
    kept = said("weigh", "0007", "--roasted", "4.25", "--ground", "61", "--ground", "63", "--json")
    assert (kept["roasted_kg"], kept["colour"]["ground"], kept["status"], kept["missing"]) == (4.25, 62.0, "done", None)
    assert kept["loss"] == pytest.approx(0.15)
    assert [(one.before, one.after) for one in library.mend_book.corrections(key) if one.field == "roasted weight"][-1] == (
        "4.3",
        "4.25",
    )
    assert "is not less than the green load" in said("weigh", "0007", "--roasted", "5.2", fails=1)
    assert "Say what is measured" in said("weigh", "0007", fails=2)
    assert "no batch 'x'" in said("weigh", "x", "--roasted", "4", fails=1)
    library.close()


def test_a_batch_is_held_against_another(said, place):
    library = Library(place)
    for number in (1, 2):
        library.add_record(replace(make_record(f"000{number}", 5.0), roasted_kg=4.3))
    library.close()
    judged = said("compare", "0002", "--against", "0001", "--json")
    assert judged["same"] is True
    assert {one["word"] for one in judged["table"]} == {"same"}
    assert judged["verdict"] in said("compare", "0002", "--against", "0001")


def test_cuppings_are_told_only_once_they_are_revealed(said, place, record):
    library = Library(place)
    keys = [library.add_record(replace(record, label=f"000{number}")) for number in (1, 2)]
    table = set_table(library, "Friday", keys, ["Ana"], datetime(2026, 12, 4, tzinfo=UTC))
    assert said("cuppings", "--json")[0] == {
        "name": "Friday", "at": "2026-12-04T00:00:00+00:00", "revealed": False, "coffees": [], "agreement": None,
    }  # fmt: skip
    for coffee in table.document["coffees"]:
        table = enter(library, table, "Ana", coffee["code"], words={"taste": ["sweet"]})
    reveal(library, table)
    (told,) = said("cuppings", "--json", "--batch", "0001")
    assert {one["batch"] for one in told["coffees"]} == {"0001", "0002"}
    assert told["coffees"][0]["words"] == ["sweet"]
    library.close()


def test_a_log_is_taken_in_with_weight_colour_day_and_roaster(said, place, record, tmp_path):
    library = Library(tmp_path / "other.sqlite")
    log = tmp_path / "one.firnel"
    log.write_text(export_text(library, record, "json"), encoding="utf-8")
    library.close()
    words = ("--load", "5", "--roasted", "4.3", "--ground", "61", "--operator", "Ana", "--day", "2026-11-02T09:30")
    taken = said("import", str(log), *words, "--json")["imported"][0]["id"]
    there = Library(place)
    kept = there.batch(taken)
    assert (kept.load_kg, kept.roasted_kg, kept.colour_ground, kept.operator) == (5.0, 4.3, 61.0, "Ana")
    assert f"{kept.started.astimezone():%Y-%m-%d %H:%M}" == "2026-11-02 09:30"
    there.close()
    assert "is not less than" in said("import", str(log), "--again", "--load", "5", "--roasted", "5.5", fails=1)
