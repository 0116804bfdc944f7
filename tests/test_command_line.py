"""The command line keeps its contract: names, keys, exit codes, one sentence when something cannot be done."""

import json
import subprocess
import sys
from pathlib import Path

import click
import pytest
from click.testing import CliRunner
from conftest import PATIENCE_S, make_record
from logged import MARKS, record_of, row_of

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
    assert set(shown["ror"]) == {"t", "c_per_min", "sd", "live_t", "live_c_per_min"}
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
    assert "taken in before, as batch 0001" in firnel("import", out, code=1).stderr
    firnel("import", out, "--again")
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
        (("show", "9" * 30), 1, "There is no batch '999"),
        (("import", "/nowhere.csv"), 1, "There is no file"),
        (("export", "77", "--format", "csv"), 1, "There is no batch"),
        (("export", "77", "--format", "pie"), 2, "pie"),
        (("import", LOGS / "north-003.csv", "--mark", "yellow"), 2, "not NAME=VALUE"),
        (("import", LOGS / "north-003.csv", "--mark", "yellow=soon"), 2, "soon"),
        (("import", LOGS / "north-003.csv", "--columns", "time=zzz"), 1, "no column 'zzz'"),
        (("simulator", "--machine", "balloon"), 1, "There is no machine kind 'balloon'"),
        (("simulator", "--speed", "99", "--port", "0"), 2, "60 times"),
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


# Machines and their models

NORTH = ("north-001", "north-003", "north-005", "north-006", "north-007", "north-008")


@pytest.fixture(scope="session")
def north(tmp_path_factory):
    """A library with six logs of a machine that the simulator is not, fitted; made by the commands alone."""
    folder = tmp_path_factory.mktemp("north")
    library = str(folder / "north.sqlite")

    def call(*arguments):
        return CliRunner().invoke(main, [*arguments, "--library", library])

    for name in NORTH:
        row = row_of(name)
        marks = [f"--mark={kind.value}={row[column]}" for kind, column in MARKS.items()]
        done = call("import", str(LOGS / f"{name}.csv"), "--machine", "north", "--lot", name, "--load", row["green_kg"],
                    "--room", row["room_c"], *marks)  # fmt: skip
        assert done.exit_code == 0, done.stderr
    fitted = call("machine", "fit", "north", "--json")
    assert fitted.exit_code == 0, fitted.stderr
    return call, json.loads(fitted.stdout), folder


def test_a_machine_of_imported_logs_has_the_scales_that_they_show(north):
    call, _, _ = north
    shown = json.loads(call("machine", "show", "north", "--json").stdout)
    assert shown["controls"]["gas"]["unit"] == "kPa"
    assert shown["controls"]["gas"]["high"] == 5.0
    assert shown["controls"]["airflow"]["high"] == 100.0
    assert shown["useful_load_kg"] == 2.5
    assert 150.0 < shown["yellow_c"] < 168.0
    assert "2.5 kg" in call("machine", "list").stdout


def test_a_fit_says_its_constants_and_how_good_it_is(north):
    _, fit, _ = north
    assert set(fit) >= {"machine", "batches", "constants", "rms_bean_c", "rms_air_c", "held_out_rms_bean_c"}
    assert fit["machine"] == "north"
    assert len(fit["batches"]) == 6
    assert fit["constants"]["power"]["unit"] == "kW"
    for constant in fit["constants"].values():
        assert constant["sd"] > 0
    assert fit["rms_bean_c"] < 3.0
    assert any("had not seen" in sentence for sentence in fit["trust"])


def test_a_table_is_set_scored_blind_and_revealed(north):
    call, _, _ = north
    table = json.loads(call("cup", "set", "0001", "0002", "--cupper", "Asha", "--name", "Noon", "--json").stdout)
    key, (code, _) = str(table["id"]), table["codes"]
    assert sorted(table["orders"]["Asha"]) == table["codes"]
    for part in table["parts"]:
        said = call(
            "cup", "enter", key, code, "--cupper", "Asha", "--score", f"{part}=8", "--word", "hot=plum, cocoa", "--json"
        )
    told = json.loads(said.stdout)
    assert told["scores"]["Asha"][code] == 80.0, "ten parts of eight; a sum of parts as cup scores are, common practice"
    assert told["missing"] == [f"Asha: {table['codes'][1]}"]
    assert "runs from 6 to 10" in call("cup", "enter", key, code, "--cupper", "Asha", "--score", "flavour=80").stderr
    assert "'Bo' does not cup" in call("cup", "enter", key, code, "--cupper", "Bo").stderr
    assert "no table 99" in call("cup", "show", "99").stderr
    assert call("cup", "enter", key, code, "--cupper", "Asha", "--score", "flavour").exit_code == 2
    assert json.loads(call("cup", "reveal", key, "--json").stdout)["revealed"]
    assert "is revealed" in call("cup", "enter", key, code, "--cupper", "Asha", "--score", "flavour=7").stderr
    (came,) = [one for one in json.loads(call("cuppings", "--json").stdout) if one["name"] == "Noon"]
    best = came["coffees"][0]
    assert (best["score"], best["words"]) == (80.0, ["plum", "cocoa"])


def test_figures_over_time_and_batches_put_right(north):
    call, _, _ = north
    chart = json.loads(call("charts", "--by", "machine", "--of", "north", "--json").stdout)
    values = [batch["value"] for batch in chart["batches"]]
    assert len(values) == 6
    assert chart["centre"] == pytest.approx(sum(values) / 6)
    # Limits of an individuals chart: mean and 2.66 mean moving ranges (NIST/SEMATECH e-Handbook, 6.3.2.2).
    steps = [abs(b - a) for a, b in zip(values, values[1:], strict=False)]
    assert chart["high"] - chart["centre"] == pytest.approx(2.66 * sum(steps) / 5, rel=1e-3)
    assert "no plan called 'Monday'" in call("charts", "--of", "Monday").stderr
    before = json.loads(call("show", "0003", "--json").stdout)["marks"]
    mended = call("mend", "0003", "--mark", f"yellow={before['yellow']['t'] + 4.0}", "--remark", "late finger", "--json")
    told = json.loads(mended.stdout)
    assert told["marks"]["yellow"]["t"] == pytest.approx(before["yellow"]["t"] + 4.0)
    assert told["marks"]["drop"] == before["drop"]
    kept = {one["what"]: (one["before"], one["after"]) for one in told["mended"]}
    assert kept["remark"][1] == "late finger"
    assert kept["yellow"] == tuple(f"{before['yellow']['t'] + by:.1f} s" for by in (0.0, 4.0)), (
        "where the finger was is not lost"
    )
    for wrong in ("yellow=9999", f"yellow={before['drop']['t'] - 1.0}", "yellow=nan"):
        assert call("mend", "0003", "--mark", wrong).exit_code == 1
    assert call("mend", "0003", "--mark", "purple=3").exit_code == 2
    assert json.loads(call("mend", "0003", "--json").stdout)["marks"] == told["marks"], "nothing was written"
    call("mend", "0003", "--mark", f"yellow={before['yellow']['t']}", "--leave-out", "probe fell out")
    assert len(json.loads(call("charts", "--by", "machine", "--of", "north", "--json").stdout)["batches"]) == 5
    call("mend", "0003", "--leave-out", "")


def test_the_care_of_a_machine_is_noted_and_told(north):
    call, _, _ = north
    noted = call(
        "machine", "care", "north", "--done", "chaff", "--every", "tray=20", "--check", "air:ice=0.4", "--by", "Ines", "--json"
    )
    jobs = {job["job"]: job for job in json.loads(noted.stdout)["jobs"]}
    assert (jobs["chaff"]["used"], jobs["tray"]["every"], jobs["burner"]["due"]) == (0.0, 20.0, True)
    assert "against 0.0 °C: fine" in noted.stderr
    told = json.loads(call("machine", "care", "north", "--json").stdout)["entries"]
    assert any("by Ines" in entry["words"] for entry in told)
    for wrong, why in (
        (("--done", "hope"), "no job"),
        (("--moved", "nose"), "has no 'nose' probe"),
        (("--every", "tray=0"), "cannot be"),
    ):
        refused = call("machine", "care", "north", *wrong)
        assert (refused.exit_code, why in refused.stderr) == (1, True)
    assert call("machine", "care", "north", "--check", "bean=98").exit_code == 1


def test_the_record_of_a_machine_is_told_kind_by_kind(north):
    call, _, _ = north
    told = json.loads(call("machine", "record", "north", "--json").stdout)
    kinds = {kind["kind"]: kind for kind in told["kinds"]}
    assert list(kinds) == ["yellow", "crack_far", "crack", "landing", "move", "steel", "loss", "colour"]
    crack = kinds["crack"]
    assert (crack["horizon_s"], crack["unit"]) == (90.0, "s")
    assert 8.0 < crack["off"] < 18.0
    assert crack["told"] == (crack["off"] <= 15.0), "farther off it has not earned to be said"
    assert 0 < crack["held"] <= crack["n"]
    assert kinds["steel"]["n"] == 0, "its logs hold no idling"
    assert "two minutes of idling" in kinds["steel"]["why_not"]


def test_a_forecast_uses_only_what_was_known_at_that_second(north, tmp_path):
    call, _, folder = north
    whole = json.loads(call("forecast", "0002", "--at", "400", "--json").stdout)
    assert set(whole) >= {"at", "basis", "yellow", "first_crack", "drop", "landing"}
    assert whole["basis"] == "model"
    assert whole["yellow"] == {"t": 285.0, "lo80": 285.0, "hi80": 285.0}, "it had come"
    assert whole["first_crack"]["lo80"] < whole["first_crack"]["t"] < whole["first_crack"]["hi80"]
    assert set(whole["drop"]) >= {"t", "lo80", "hi80", "bean", "bean_lo80", "bean_hi80"}
    assert set(whole["landing"]) == {"development_s", "drop_c"}
    assert "fitted with this batch" in whole["why"]
    # A log that the fit has not seen, whole and cut off at that second: what came later must not show.
    cut, row = tmp_path / "cut.csv", row_of("north-012")
    lines = (LOGS / "north-012.csv").read_text().splitlines()
    cut.write_text("\n".join(line for line in lines if line.startswith("time") or float(line.split(",")[0]) <= 480.0))
    of = ("--machine", "north", "--lot", "never roasted", "--load", row["green_kg"], "--room", row["room_c"])
    known = ("--mark", "charge=0", "--mark", f"yellow={row['yellow_s']}")
    later = ("--mark", f"first_crack={row['first_crack_s']}", "--mark", f"drop={row['drop_s']}")
    made = []
    for path, marks in ((LOGS / "north-012.csv", known + later), (cut, known)):
        label = call("import", str(path), *of, *marks).stdout.split()[1]
        made.append(json.loads(call("forecast", label, "--at", "480", "--json").stdout))
    assert made[0]["first_crack"] == pytest.approx(made[1]["first_crack"], rel=1e-9)
    assert made[0]["yellow"] == pytest.approx(made[1]["yellow"], rel=1e-9)
    assert folder.exists()


def test_without_a_fit_the_curve_is_carried_on_and_says_so(firnel, csv):
    firnel("import", csv, "--machine", "unfitted", "--mark", "charge=60")
    made = json.loads(firnel("forecast", "0001", "--at", "400", "--json").stdout)
    assert made["basis"] == "curve"
    assert "how much was charged" in made["why"]
    assert "from the curve" in firnel("forecast", "0001", "--at", "400").stdout


def test_a_log_that_is_in_no_library_can_be_forecast(north):
    call, _, _ = north
    path = str(LOGS / "north-012.csv")
    made = json.loads(call("forecast", path, "--at", "480", "--machine", "north", "--load", "2.125", "--json").stdout)
    assert made["basis"] == "model"
    assert made["first_crack"]["t"] == pytest.approx(float(row_of("north-012")["first_crack_s"]), abs=60.0)
    untold = json.loads(call("forecast", path, "--at", "480", "--machine", "north", "--json").stdout)
    assert (untold["basis"], "nobody told its load" in untold["why"]) == ("model", True)
    curve = json.loads(call("forecast", path, "--at", "480", "--json").stdout)
    assert curve["basis"] == "curve"


def test_a_plan_is_simulated_on_the_fitted_machine(north, tmp_path):
    call, _, _ = north
    plan = {
        "name": "p", "machine": "north", "load_kg": 1.75, "start": {"gas": 3.3, "airflow": 35},
        "targets": {"charge_c": 200.0, "development_s": 100.0},
        "moves": [{"control": "gas", "to": 2.0, "anchor": "yellow", "offset_s": 0}],
    }  # fmt: skip
    path, curve = tmp_path / "plan.json", tmp_path / "curve.csv"
    path.write_text(json.dumps(plan))
    done = call("simulate", "--machine", "north", "--plan", str(path), "--csv", str(curve), "--json")
    made = json.loads(done.stdout)
    assert made["stages"]["development"] == pytest.approx(100.0)
    assert made["marks"]["drop"]["t"] == pytest.approx(made["stages"]["total"], abs=0.1)
    assert len(made["curve"]["t"]) == len(made["curve"]["bean"]) == len(made["curve"]["ror"])
    assert curve.read_text().startswith("time_s,bean_c,air_c,ror_c_per_min")
    colder = json.loads(call("simulate", "--machine", "north", "--plan", str(path), "--soak-steel", "120", "--json").stdout)
    assert colder["stages"]["drying"] > made["stages"]["drying"]
    assert (made["loss"], made["colour"]) == (None, None), "nothing was weighed or measured on it yet"
    assert "loss not told yet, colour not told yet" in call("simulate", "--machine", "north", "--plan", str(path)).stdout


def test_machines_are_added_by_kind_by_document_and_by_their_scales(firnel, tmp_path):
    firnel("machine", "add", "Drum Six", "--kind", "gas-6")
    shown = firnel("machine", "show", "Drum Six", "--json").stdout
    path = tmp_path / "m.json"
    path.write_text(shown)
    firnel("machine", "add", "Twin", "--file", str(path))
    sources = ("--source", "hot_air=hot-air:%:0:100:5", "--source", "Glow plug=radiant:%:0:100:5:10")
    firnel("machine", "add", "Two Heats", "--load", "6", *sources)
    two = json.loads(firnel("machine", "show", "Two Heats", "--json").stdout)["controls"]
    assert [(key, one["name"], one["kind"], one["least"]) for key, one in two.items()][:2] == [
        ("hot_air", "", "hot-air", 0.0), ("glow_plug", "Glow plug", "radiant", 10.0)
    ]  # fmt: skip
    own = firnel("machine", "add", "Own", "--load", "2.5", "--gas", "mbar:0:10:0.5:1", "--airflow", "%:0:100:5", "--json")
    scale = {"unit": "mbar", "low": 0.0, "high": 10.0, "step": 0.5, "least": 1.0, "reported": True}
    assert scale.items() <= json.loads(own.stdout)["controls"]["gas"].items()
    names = [m["name"] for m in json.loads(firnel("machine", "list", "--json").stdout)]
    assert names == ["Drum Six", "Own", "Twin", "Two Heats"]
    assert "Nothing is learned of Own yet" in firnel("machine", "show", "Own").stdout


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (["machine", "add", "X"], 2, "--kind, --file, or --load"),
        (["machine", "add", "X", "--kind", "gas-99"], 2, "gas-99"),
        (["machine", "add", "X", "--kind", "gas-6", "--file", "m.json"], 2, "use one"),
        (["machine", "add", "X", "--load", "5", "--gas", "kPa"], 2, "UNIT:LOW:HIGH:STEP"),
        (["machine", "add", "X", "--load", "5", "--gas", "kPa:4:1:0.1"], 2, "must rise"),
        (["machine", "add", "X", "--load", "5", "--useful", "9"], 1, "cannot be"),
        (["machine", "add", "X", "--file", "none.json"], 1, "cannot be read"),
        (["machine", "show", "Nobody"], 1, "No one machine"),
        (["machine", "fit", "Nobody"], 1, "No one machine"),
        (["forecast", "0099", "--at", "100"], 1, "no batch"),
        (["forecast", "0099"], 2, "--at"),
        (["simulate", "--machine", "Nobody", "--plan", "p.json"], 1, "No one machine"),
    ],
)
def test_what_a_machine_command_cannot_do_is_one_sentence(firnel, arguments, code, words):
    done = firnel(*arguments, code=code)
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_a_fit_says_what_it_lacks(firnel, csv):
    firnel("machine", "add", "Drum Six", "--kind", "gas-6")
    none = firnel("machine", "fit", "Drum Six", code=1)
    assert "no batch yet that can be learned from" in none.stderr
    firnel("import", csv, "--machine", "Drum Six", "--mark", "charge=60")
    unloaded = firnel("machine", "fit", "Drum Six", code=1)
    assert "with their loads" in unloaded.stderr
    named = firnel("machine", "fit", "Drum Six", "--batches", "0001", code=1)
    assert "how much was charged" in named.stderr
    assert "nothing was read" in firnel("forecast", "0001", "--at", "-5", code=1).stderr


def test_plans_that_cannot_be_read_are_told(north, tmp_path):
    call, _, _ = north
    for content, words in (("{", "no JSON"), ("{}", "no plan"), ('{"name": "x"}', "no load")):
        path = tmp_path / "p.json"
        path.write_text(content)
        done = call("simulate", "--machine", "north", "--plan", str(path))
        assert done.exit_code == 1
        assert words in done.stderr
    assert "cannot be read" in call("simulate", "--machine", "north", "--plan", str(tmp_path / "none.json")).stderr


def test_a_plan_is_solved_written_and_simulated(north, tmp_path):
    call, _, _ = north
    path = tmp_path / "solved.json"
    targets = ("--charge", "200", "--drying", "290", "--browning", "270", "--development", "100")
    of = ("--machine", "north", "--load", "1.75", "--lot", "north-003")
    done = call("plan", "solve", *of, *targets, "--within", "drop=0.7,development_s=3", "-o", str(path), "--json")
    document = json.loads(done.stdout)
    assert document["tolerances"] == {"drop_c": 0.7, "development_s": 3.0}
    assert {"met", "not_met", "moves", "curve"} <= set(document)
    assert document["met"]["drying_s"]["got"] == pytest.approx(290.0, abs=2.0) or document["not_met"]
    assert {"control", "to", "unit", "anchor", "expected_t"} <= set(document["moves"][0])
    again = json.loads(call("simulate", "--machine", "north", "--plan", str(path), "--json").stdout)
    assert again["stages"]["development"] == pytest.approx(100.0, abs=0.5)
    told = call("plan", "solve", "--machine", "north", "--load", "1.75", "--reference", "0002")
    assert "wanted" in told.stdout
    assert "gas to" in told.stdout
    assert call("plan", "solve", "--machine", "north", "--load", "1.75", "--drop", "120").exit_code == 1
    for wrong in (("--approach", "ear"), ("--within", "taste=1"), ("--within", "drop"), ("--within", "drop=-1")):
        assert call("plan", "solve", "--machine", "north", "--load", "1.75", *wrong).exit_code == 2


@pytest.mark.parametrize(
    ("content", "device", "words"),
    [
        (None, "hand:", "cannot be read"),
        ("{", "hand:", "no JSON"),
        ('{"targets": {}}', "hand:", "is no plan"),
        ('{"name": "x", "machine": "m"}', "nowhere://", "leads nowhere"),
    ],
)
def test_a_batch_without_a_window_is_refused_in_a_sentence(tmp_path, content, device, words):
    path = tmp_path / "plan.json"
    if content is not None:
        path.write_text(content)
    told = ("roast", "--device", device, "--plan", str(path), "--library", str(tmp_path / "library.sqlite"))
    done = CliRunner().invoke(main, told)
    assert done.exit_code == 1
    assert words in done.stderr
    assert CliRunner().invoke(main, ["roast", "--plan", str(path)]).exit_code == 2


def test_a_batch_without_a_window_that_never_drops_is_kept_and_told(tmp_path):
    path = tmp_path / "plan.json"
    path.write_text('{"name": "x", "machine": "m", "load_kg": 1.0}')
    at = str(tmp_path / "library.sqlite")
    library = Library(at)
    library.set_status(library.add_record(record_of("south-001")), "roasting")  # as a kill leaves it
    library.close()
    done = CliRunner().invoke(main, ["roast", "--device", "hand:", "--plan", str(path), "--timeout", "0.5", "--library", at])
    assert done.exit_code == 1
    assert "never came to its drop" in done.stderr
    assert "Batch south-001 was being roasted when Firnel ended: its readings are kept" in done.stderr


def test_the_command_line_loads_nothing_that_it_does_not_need():
    heavy = "{'numpy', 'scipy', 'sqlalchemy', 'PyQt6', 'pint'} & set(sys.modules)"
    told = subprocess.run(
        [sys.executable, "-c", f"import sys; from firnel.app.commands import main; print({heavy})"],
        capture_output=True, text=True, check=True, timeout=PATIENCE_S,
    )  # fmt: skip
    assert told.stdout.strip() == "set()"
    context = click.Context(main)
    names = main.list_commands(context)
    assert {"gui", "demo", "import", "plan", "weigh"} <= set(names)
    for name in names:
        assert main.get_command(context, name).name == name, "each is where it is said to be"
    assert main.get_command(context, "brew") is None
    shown = CliRunner().invoke(main, ["--help"]).output
    assert all(f"  {name} " in shown for name in names)


def test_a_file_that_the_computer_refuses_is_told_in_a_sentence(firnel):
    firnel("batches")
    for words in (("library", "backup", "x" * 300), ("library", "copy", "x" * 300)):
        assert "File name too long." in firnel(*words, code=1).output
