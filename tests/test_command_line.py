"""The command line keeps its contract: names, keys, exit codes, one sentence when something cannot be done."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner
from conftest import make_record

from firnel.app.commands import main
from firnel.exchange.csv_log import write_csv_log
from firnel.store.library import Library

LOGS = Path(__file__).parent / "logs"


@pytest.fixture
def firnel(tmp_path):
    at = str(tmp_path / "library.sqlite")

    def run(*arguments, code=0):
        extra = [] if arguments[0] == "simulator" else ["--library", at]
        result = CliRunner().invoke(main, [*map(str, arguments), *extra])
        assert result.exit_code == code, result.output
        return result

    run.library = at
    return run


@pytest.fixture
def csv(tmp_path):
    path = tmp_path / "roast.csv"
    path.write_text(write_csv_log(make_record()))
    return path


def test_a_log_is_taken_in_and_shown_with_the_keys_of_the_contract(firnel):
    taken = json.loads(
        firnel("import", LOGS / "north-003.csv", "--machine", "north", "--lot", "A", "--load", "1.75",
               "--mark", "yellow=285", "--mark", "first_crack=519,drop=621", "--json").stdout
    )  # fmt: skip
    label = taken["imported"][0]["label"]
    shown = json.loads(firnel("show", label, "--json").stdout)
    assert {"id", "lot", "machine", "load_kg", "roasted_kg", "loss", "colour", "marks", "stages", "ror", "events"} <= set(shown)
    assert shown["marks"]["charge"]["t"] == 0.0
    assert {"t", "log_t", "bean", "found"} <= set(shown["marks"]["yellow"])
    assert shown["marks"]["yellow"]["found"] == "given"
    assert shown["marks"]["turning"]["found"] == "curve"
    # tests/logs/batches.csv: charge 0, yellow 285, first crack 519, drop 621 s.
    assert shown["stages"] == {"drying": 285.0, "browning": 234.0, "development": 102.0, "total": 621.0,
                               "development_ratio": pytest.approx(102 / 621)}  # fmt: skip
    assert set(shown["ror"]) == {"t", "c_per_min", "sd", "live_c_per_min"}
    assert len(shown["ror"]["t"]) == len(shown["ror"]["c_per_min"])
    assert shown["loss"] is None
    for event in shown["events"]:
        assert {"kind", "from", "to", "likely_cause"} == set(event)


def test_guesses_go_to_standard_error_and_json_stays_one_document(firnel, csv):
    result = firnel("import", csv, "--json")
    assert len(json.loads(result.stdout)["imported"]) == 1
    assert "temperatures in °C" in result.stderr


def test_the_list_holds_what_was_taken_in(firnel, csv):
    firnel("import", csv, "--machine", "Drum Six")
    listed = json.loads(firnel("batches", "--json").stdout)
    assert [(batch["label"], batch["machine"], batch["total_s"]) for batch in listed] == [
        ("0001", "Drum Six", pytest.approx(640, abs=3))
    ]
    assert "0001" in firnel("batches").stdout
    assert [m["name"] for m in json.loads(firnel("machine", "list", "--json").stdout)] == ["Drum Six"]


@pytest.mark.parametrize("form", ["csv", "json"])
def test_an_export_can_be_taken_in_again(firnel, csv, tmp_path, form):
    firnel("import", csv, "--lot", "A", "--mark", "first_crack=600")
    out = tmp_path / f"out.{form}"
    firnel("export", "0001", "--format", form, "-o", out)
    firnel("import", out)
    first, second = (json.loads(firnel("show", label, "--json").stdout) for label in ("0001", "0002"))
    for kind in ("charge", "yellow", "first_crack", "drop"):
        assert first["marks"][kind]["t"] == pytest.approx(second["marks"][kind]["t"], abs=1e-3)


def test_text_for_people_has_stages_and_marks(firnel, csv):
    firnel("import", csv)
    said = firnel("show", "1").stdout
    assert "first crack" in said
    assert "development" in said
    assert "1:40" in said


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (("show", "77"), 1, "There is no batch '77'"),
        (("import", "/nowhere.csv"), 1, "There is no file"),
        (("export", "77", "--format", "csv"), 1, "There is no batch"),
        (("export", "77", "--format", "pie"), 2, "pie"),
        (("import", LOGS / "north-003.csv", "--mark", "yellow"), 2, "not NAME=VALUE"),
        (("import", LOGS / "north-003.csv", "--mark", "yellow=soon"), 2, "soon"),
        (("import", LOGS / "north-003.csv", "--columns", "time=zzz"), 1, "no column 'zzz'"),
        (("simulator", "--machine", "balloon"), 1, "There is no machine kind 'balloon'"),
        (("simulator", "--speed", "99", "--port", "0"), 1, "60 times"),
        (("simulator", "--plan", "/nowhere.json"), 1, "cannot be read"),
        (("nonsense",), 2, "No such command"),
    ],
)
def test_what_cannot_be_done_is_one_sentence_and_the_right_exit_code(firnel, arguments, code, words):
    result = firnel(*arguments, code=code)
    assert words in result.stderr
    if code == 1:
        assert result.stdout == ""
        assert "Traceback" not in result.stderr


def test_a_library_that_cannot_be_opened_is_told(tmp_path):
    path = tmp_path / "letters.sqlite"
    path.write_text("dear customer")
    result = CliRunner().invoke(main, ["batches", "--library", str(path)])
    assert result.exit_code == 1
    assert "not a Firnel library" in result.stderr


def test_reading_commands_work_while_a_window_has_the_library(firnel, csv):
    firnel("import", csv)
    window = Library(firnel.library)
    window.lock_for_roasting()
    assert "0001" in firnel("batches").stdout
    window.close()


def test_the_command_is_installed_and_knows_its_version():
    done = subprocess.run([sys.executable, "-m", "firnel", "--version"], capture_output=True, text=True, check=True)
    assert done.stdout.startswith("firnel, version")
