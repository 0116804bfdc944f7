import json
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
from conftest import make_record
from logged import LOGS
from test_store import assert_same

from firnel.core.vocabulary import Control, ControlScale, Found, Machine, MarkKind, Move, Note, Role
from firnel.exchange.batch_document import batch_to_document, document_to_batch, json_schema, read_batch_document
from firnel.exchange.csv_log import ImportWishes, read_csv_log, write_csv_log
from firnel.exchange.errors import ImportRefusedError
from firnel.work.machines.knowledge import usable_batches
from firnel.work.machines.old_logs import look_at_all, names_of, take_in
from firnel.work.review.records import export_text, import_file, import_read


@pytest.fixture
def write(tmp_path):
    def write_file(text, name="log.csv"):
        path = tmp_path / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    return write_file


def log(
    header="time_s,bean_c,air_c,gas_kpa,airflow_pct,drum_rpm",
    convert=lambda c: c,
    delimiter=",",
    decimal=".",
    step=1.0,
    time="{:.1f}".format,
):
    """The usual roast as CSV in some dialect."""
    trace = make_record(step=step).trace
    lines = [header] if header else []
    for t, bean, air, gas in zip(trace.t, trace.bean, trace.air, trace.control(Control.GAS), strict=True):
        cells = [time(t), f"{convert(bean):.1f}", f"{convert(air):.1f}", f"{gas:.2f}", "50", "58"]
        lines.append(delimiter.join(cell.replace(".", decimal) for cell in cells))
    return "\n".join(lines)


def minutes(t):
    return f"{int(t // 60):02d}:{t % 60:04.1f}"


def in_two(t):
    return f"{int(t // 60)},{int(t % 60)}"


def fahrenheit(c):
    return c * 1.8 + 32


DIALECTS = [
    pytest.param(log(), id="plain"),
    pytest.param(log(header="", delimiter="\t"), id="no heading, tabs"),
    pytest.param(
        log(header="Zeit;Bohnen bean;Luft air;Gas;airflow;Drum", delimiter=";", decimal=","), id="semicolons and decimal commas"
    ),
    pytest.param(log(header="Elapsed,Bean (F),Exhaust (F),Burner,Fan,Drum", convert=fahrenheit), id="fahrenheit by heading"),
    pytest.param(log(header="elapsed,bean,air,gas,fan,drum", convert=fahrenheit), id="fahrenheit by size"),
    pytest.param(log(time=minutes), id="minutes and seconds"),
    pytest.param(log("Min,Sec,bean,air,gas,fan,drum", time=in_two, step=4.0), id="minutes beside seconds"),
    pytest.param(log("minutes,seconds,bean,air,gas,fan,drum", time=in_two), id="the seconds alone called time"),
    pytest.param(log(step=0.5), id="every half second"),
    pytest.param(log(step=5.0), id="every five seconds"),
    pytest.param("\ufeff" + log(), id="byte order mark"),
    pytest.param(log().encode("utf-16"), id="utf-16"),
]


@pytest.mark.parametrize("text", DIALECTS)
def test_logs_in_many_dialects_are_the_same_roast(write, text):
    imported = read_csv_log(write(text))
    record, expected = imported.record, make_record()
    for kind, tolerance in ((MarkKind.CHARGE, 3.0), (MarkKind.DROP, 3.0)):  # the beans are found from the curve
        assert record.mark(kind).t == pytest.approx(expected.mark(kind).t, abs=tolerance)
    assert record.trace.bean_at(400.0) == pytest.approx(expected.trace.bean_at(400.0), abs=0.4)
    assert np.isfinite(record.trace.air).all()
    assert any("delimiter" in said for said in imported.said)


def test_hand_readings_every_half_minute_are_taken(write):
    trace = make_record().trace
    text = "time,bean\n" + "\n".join(f"{minutes(t)},{trace.bean_at(t):.0f}" for t in range(0, 720, 30))
    record = read_csv_log(
        write(text), ImportWishes(marks={"charge": 60, "yellow": 340, "first_crack": 600, "drop": 700})
    ).record
    assert record.trace.t.size == 24
    assert [mark.found for mark in record.marks if mark.kind is not MarkKind.TURNING] == [Found.GIVEN] * 4


def test_gaps_stay_gaps(write):
    lines = log().splitlines()
    record = read_csv_log(write("\n".join(lines[:300] + lines[340:]))).record
    assert np.diff(record.trace.t).max() == pytest.approx(41.0)


def test_marks_in_a_column_and_on_the_command_line(write):
    lines = log().splitlines()
    lines[0] += ",mark"
    for at, word in ((341, "Yellow"), (601, "first crack")):
        lines[at] += f",{word}"
    record = read_csv_log(write("\n".join(lines)), ImportWishes(marks={"first_crack": 605.0})).record
    assert record.mark(MarkKind.YELLOW).t == 340.0
    assert record.mark(MarkKind.FIRST_CRACK).t == 605.0, "what the user says wins"


def test_columns_can_be_told(write):
    text = log(header="a,b,c,d,e,f")
    record = read_csv_log(write(text), ImportWishes(columns={"time": "a", "bean": "2", "gas": "d"})).record
    assert np.isfinite(record.trace.control(Control.GAS)).all()
    assert np.isnan(record.trace.air).all()


def heaters_log(headings):
    """A log with columns under these headings, each setting at a level of its own."""
    trace = make_record().trace
    values = {name: np.full(trace.t.size, 30.0 + 5.0 * place) for place, name in enumerate(headings)}
    rows = zip(trace.t, trace.bean, trace.air, *(values[name] for name in headings), strict=True)
    lines = [",".join(["time", "bean", *headings, "air"])]
    lines += [",".join(f"{value:g}" for value in (t, bean, *more, air)) for t, bean, air, *more in rows]
    return "\n".join(lines)


def test_heaters_are_read_by_their_own_names_and_never_as_probe_or_gas(write):
    headings = ("hot_air", "radiant", "drum_heater", "airflow")
    read = read_csv_log(write(heaters_log(headings))).record.trace
    assert {str(control): values[-1] for control, values in read.controls.items()} == dict(
        zip(headings, (30, 35, 40, 45), strict=True)
    )
    assert read.air[-1] == pytest.approx(make_record().trace.air[-1], abs=0.1), "not the hot air that stands before it"


def test_columns_are_read_as_the_machine_calls_its_controls_and_what_is_lacking_is_told(write, library):
    scales = {
        Control("afterheat"): ControlScale("%", 0.0, 100.0, 5.0, role=Role.HEAT, name="Nachheizung"),
        Control("glow"): ControlScale("%", 0.0, 100.0, 5.0, role=Role.HEAT),
        Control.AIRFLOW: ControlScale("%", 0.0, 100.0, 5.0, name="air"),
    }
    library.save_machine(Machine("Twin", "own", "electric", 6.0, 5.0, controls=scales))
    path = write(heaters_log(("Nachheizung", "airflow")))
    (log,), _ = look_at_all([path], [], names_of(library), lambda _: True, ImportWishes(machine="Twin", load_kg=4.0))
    controls = log.record.trace.controls
    assert {str(control): values[-1] for control, values in controls.items()} == {"afterheat": 30.0, "airflow": 35.0}
    assert log.record.trace.air[-1] > 100.0, "whatever the machine calls its fan, that is a probe"
    _, taken = import_read(library, path.name, log.read)
    assert taken.said[-1] == "no column is read as the glow of Twin: tell it among the columns, as glow=HEADING"


@pytest.mark.parametrize(
    ("unit", "high", "factor", "words", "learned"),
    [
        # 1 mbar is 0.1 kPa and 0.4015 inches of water at 4 degC: NIST Special Publication 811, appendix B.8.
        ("kPa", 2.0, 0.1, "gas turned from mbar into kPa, as Other has it", True),
        ("inH2O", 8.0, 0.40146, "gas turned from mbar into inH2O, as Other has it", True),
        ("mbar", 12.0, 1.0, "gas goes to 13.25 mbar, beyond 12, where its scale on Other ends", True),
        ("mbar", 6.0, 1.0, "gas goes to 13.25 mbar, beyond 6, where its scale on Other ends", False),
        ("%", 100.0, 1.0, "gas is in mbar here, and in % on Other: is it the log of another machine?", True),
    ],
)
def test_a_log_in_other_units_is_put_on_the_scales_of_its_machine_or_what_is_wrong_is_told(
    library, unit, high, factor, words, learned
):
    scales = {Control.GAS: ControlScale(unit, 0.0, high, high / 40.0), Control.AIRFLOW: ControlScale("%", 0.0, 100.0, 5.0)}
    machine = library.save_machine(Machine("Other", "own", "gas", 12.0, 9.0, controls=scales))
    wishes = ImportWishes(machine="Other", load_kg=8.0, marks={MarkKind.CHARGE: 60.0})
    key, taken = import_file(library, LOGS / "mill-001.csv", wishes)
    assert words in " ".join(taken.said)
    (log,), _ = look_at_all([LOGS / "mill-002.csv"], [], names_of(library), lambda _: True, wishes)
    assert words[1:9] in take_in(library, [log], lambda _: True).words, "of many at once too"
    record, plain = library.batch(key), read_csv_log(LOGS / "mill-001.csv").record
    gas, before = (one.trace.controls[Control.GAS] for one in (record, plain))
    assert gas == pytest.approx(factor * before, rel=1e-4, abs=1e-5)
    assert {move.to for move in record.moves if move.control == Control.GAS} <= set(gas), "what hands did, as the gauge reads"
    batches, refused = usable_batches(library, machine)
    assert (len(batches), "is the log in other units" in " ".join(refused)) == ((2, False) if learned else (0, True))


@pytest.mark.parametrize(
    ("headings", "read", "said"),
    [
        ("Time (s),ROR,BT,ET,Burner,Air", "time 0, bean 2, air 3, gas 4, airflow 5", "not read: “ROR”"),
        ("t,delta bean,bean temperature [°C],exhaust [°C],Gas [mbar],x", "time 0, bean 2, air 3, gas 4", "“delta bean”, “x”"),
        ("time,Inlet,Bean mass,Drum temp,gas,Damper", "time 0, bean 2, gas 4, airflow 5", "“Inlet”, “Drum temp”"),
        ("A roast\nOf,2026-03-01\ntime,RoR,bean,air,gas,fan", "time 0, bean 2, air 3, gas 4, airflow 5", "2 lines above"),
        (
            "Time,R,Beans,Exhaust,Gas,Fan\n[s],[C/min],[°C],[°C],[kPa],[%]",
            "time 0, bean 2, air 3, gas 4, airflow 5",
            "“R [C/min]”",
        ),
    ],
)
def test_columns_are_what_their_headings_say_only_where_they_read_so_and_what_is_left_out_is_told(write, headings, read, said):
    trace = make_record().trace
    columns = (trace.t, np.gradient(trace.bean), trace.bean, trace.air, np.where(trace.t < 300.0, 2.5, 1.0))
    fan = np.where(trace.t < 300.0, 35.0, 60.0)
    lines = [",".join(f"{value:g}" for value in row) for row in zip(*columns, fan, strict=True)]
    made = read_csv_log(write("\n".join([headings, *lines])))
    for name, index in (pair.split() for pair in read.split(", ")):
        values = {"time": made.record.trace.t, "bean": made.record.trace.bean, "air": made.record.trace.air}.get(name)
        values = made.record.trace.control(Control(name)) if values is None else values
        assert values == pytest.approx((*columns, fan)[int(index)], rel=1e-4, abs=1e-4), name
    assert len(made.record.trace.controls) == read.count("gas") + read.count("airflow")
    assert said in " ".join(made.said)


def test_units_in_cells_a_wrong_heading_and_marks_by_other_names_are_understood_and_other_words_kept_as_notes(write):
    trace = make_record().trace
    words = {100: "Dry End", 200: "smells of bread", 600: "1st crack", 620: "FC-End", 690: "Auswurf"}
    rows = [f"{t:g} s,{1.8 * bean + 32.0:.1f} °,{words.get(int(t), '')}" for t, bean in zip(trace.t, trace.bean, strict=True)]
    made = read_csv_log(write("\n".join(["time,bean_c,event", *rows])))
    assert made.record.trace.bean == pytest.approx(trace.bean, abs=0.05), "no drum is as hot as that heading says"
    marks = {mark.kind: mark.t for mark in made.record.marks if mark.found is Found.GIVEN}
    kinds = (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.FIRST_CRACK_END, MarkKind.DROP)
    assert marks == dict(zip(kinds, (100.0, 600.0, 620.0, 690.0), strict=True))
    assert made.record.notes == (Note(200.0, "remark", "smells of bread"),)
    assert "kept as notes" in " ".join(made.said)


def test_columns_that_no_word_tells_are_known_by_how_they_run(write):
    cells = [line.split(",") for line in log(header="").splitlines()]
    mixed = "\n".join(["a;b;c;d;e", *(";".join((line[3], line[2], line[4], line[0], line[1])) for line in cells)])
    imported = read_csv_log(write(mixed))
    trace, expected = imported.record.trace, make_record().trace
    assert trace.bean_at(400.0) == pytest.approx(expected.bean_at(400.0), abs=0.4)
    assert np.interp(400.0, trace.t, trace.air) == pytest.approx(np.interp(400.0, expected.t, expected.air), abs=1.0)
    assert "bean = e (by how it runs)" in imported.said[0]
    flat = "\n".join(["a,b", *(f"{t},{20 + t % 30}" for t in range(300))])
    with pytest.raises(ImportRefusedError, match="looks like bean"):
        read_csv_log(write(flat))


@pytest.mark.parametrize(
    ("time", "said"),
    [
        (lambda t: f"{1000 * t:.0f}", "milliseconds"),
        (lambda t: f"{t / 60:.4f}", "minutes"),
        (lambda t: f"{45000 + t / 86400:.7f}", "days"),  # as a spreadsheet keeps a date
        (lambda t: f"{t // 2 * 2:.0f}", "lines share their moment"),
        (lambda t: f"23:{55 + t // 60:02.0f}:{t % 60:02.0f}" if t < 300 else f"0:{t // 60 - 5:02.0f}:{t % 60:02.0f}", ""),
        (lambda t: f"02/11/2026 {8 + t // 3600:.0f}:{t % 3600 // 60:02.0f}:{t % 60:04.1f} PM", ""),
    ],
)
def test_times_in_whatever_they_are_counted_are_seconds(write, time, said):
    imported = read_csv_log(write(log(time=time)))
    record, expected = imported.record, make_record()
    first = record.trace.t[0]
    assert record.mark(MarkKind.CHARGE).t - first == pytest.approx(expected.mark(MarkKind.CHARGE).t, abs=3.0)
    assert record.mark(MarkKind.DROP).t - first == pytest.approx(expected.mark(MarkKind.DROP).t, abs=3.0)
    assert any(said in words for words in imported.said)


def test_a_spike_does_not_make_fahrenheit_of_it(write):
    lines = log(header="time,bean,air,gas,fan,drum").splitlines()
    for at in range(40, 600, 50):
        cells = lines[at].split(",")
        lines[at] = ",".join([cells[0], "850.0", *cells[2:]])
    imported = read_csv_log(write("\n".join(lines)))
    assert imported.record.trace.bean_at(400.0) == pytest.approx(make_record().trace.bean_at(400.0), abs=0.4)
    assert "temperatures in °C (it reads up to" in " ".join(imported.said)


def test_a_log_with_dates_began_when_it_says(write):
    lines = [f"2026-11-02T08:{t // 60:02d}:{t % 60:02d}+01:00,{make_record().trace.bean_at(float(t)):.1f}" for t in range(720)]
    record = read_csv_log(write("\n".join(["stamp,bean", *lines]).replace("stamp", "time"))).record
    assert record.started == datetime(2026, 11, 2, 7, 0, tzinfo=UTC)


def day_log(header="time,bean"):
    """Three batches of one day in one log, the last one cut off soon after its charge."""
    trace, lines, at = make_record().trace, [header], 0.0
    for count in (730, 730, 200):
        lines += [f"{at + t:.0f},{bean:.1f}" for t, bean in zip(trace.t[:count], trace.bean[:count], strict=True)]
        at += count
        lines += [f"{at + t},{(180 if count == 730 else 70) + t / 5:.1f}" for t in range(100)]
        at += 100
    return "\n".join(lines)


def test_a_log_of_a_day_is_as_many_batches_as_were_roasted(write, library):
    path = write(day_log())
    second = read_csv_log(path, ImportWishes(part=1))
    assert any(words.startswith("one of 2 batches in this file, from 79") for words in second.said)
    marks = {kind: second.record.mark(kind).t for kind in (MarkKind.CHARGE, MarkKind.DROP)}
    assert marks == {MarkKind.CHARGE: pytest.approx(890.0, abs=3.0), MarkKind.DROP: pytest.approx(1530.0, abs=3.0)}
    first, *others = look_at_all([path], [], {}, lambda _: True, ImportWishes(lot="Isuka", roasted_kg=4.3))[0]
    assert first.record.trace.t[-1] < second.record.trace.t[0], "no reading is that of two batches"
    assert [(one.record.lot, one.record.roasted_kg) for one in (first, *others)] == [("Isuka", 4.3), ("Isuka", None)]
    assert take_in(library, [first, *others], lambda _: True).count == 2
    told = look_at_all([path], [], {}, lambda _: True, ImportWishes(marks={"charge": 891, "drop": 1528}))[0]
    assert [(one.record.mark(MarkKind.CHARGE).t, one.record.trace.t[0]) for one in told] == [(891.0, second.record.trace.t[0])]
    whole = read_csv_log(path, ImportWishes(marks={"charge": 60, "drop": 1528}))
    assert whole.parts == 1, "what a hand tells goes before what the curve shows"


def test_a_second_charge_behind_a_gap_is_no_drop_of_the_first_batch(write):
    trace = make_record().trace
    first = [f"{t:.0f},{bean:.1f}" for t, bean in zip(trace.t, trace.bean, strict=True) if t < 690.0]
    second = [f"{t + 830:.0f},{bean:.1f}" for t, bean in zip(trace.t, trace.bean, strict=True) if 60.0 <= t < 250.0]
    imported = read_csv_log(write("\n".join(["time,bean", *first, *second])))
    assert imported.record.mark(MarkKind.DROP) is None
    assert any("second charge at 89" in said for said in imported.said)


REFUSED = [
    pytest.param(b"", "is empty", id="empty"),
    pytest.param(b"\x00\x01\x02PNG" * 50, "binary file", id="binary"),
    pytest.param("one\ncolumn\nonly\n", "only one column", id="one column"),
    pytest.param("time,bean\n1,2\n2,3\n", "no 6 lines", id="too short"),
    pytest.param("time,bean\n" + "\n".join("x,y" for _ in range(50)), "no 6 lines", id="no numbers"),
    pytest.param("time,weight\n" + "\n".join(f"{t},1" for t in range(50)), "looks like bean", id="no bean column"),
    pytest.param("time,bean\n" + "\n".join(f"{t % 20},150" for t in range(100)), "time goes backwards", id="time goes round"),
    pytest.param("time,bean\n" + "\n".join(f"{t}," for t in range(100)), "fewer than 6 bean", id="no readings"),
]


@pytest.mark.parametrize(("text", "words"), REFUSED)
def test_what_is_no_log_is_refused_in_one_sentence(write, text, words):
    with pytest.raises(ImportRefusedError, match=words) as caught:
        read_csv_log(write(text))
    assert "log.csv" in str(caught.value)


def test_huge_files_are_refused_before_they_are_read(write, monkeypatch):
    monkeypatch.setattr("firnel.exchange.csv_table.MOST_BYTES", 1000)
    with pytest.raises(ImportRefusedError, match="smaller than"):
        read_csv_log(write(log()))


def test_contradicting_marks_are_refused(write):
    with pytest.raises(ImportRefusedError, match="yellow at 700 s is not before|is not after"):
        read_csv_log(write(log()), ImportWishes(marks={"charge": 60, "yellow": 650, "first_crack": 600}))
    with pytest.raises(ImportRefusedError, match="is no mark"):
        read_csv_log(write(log()), ImportWishes(marks={"blue": 60}))


def rich_record():
    return replace(
        make_record(),
        moves=(Move(Control.GAS, 120.0, 2.4, Found.MACHINE),),
        notes=(Note(300.0, "colour", "tan"),),
        plan="",
        room_c=None,
    )


def test_a_json_export_taken_in_again_is_the_same_batch(library, tmp_path):
    key = library.add_record(rich_record())
    path = tmp_path / "batch.json"
    path.write_text(export_text(library, library.batch(key), "json"))
    assert_same(read_batch_document(path), rich_record())
    again, _ = import_file(library, path, ImportWishes(), again=True)
    assert_same(library.batch(again), rich_record())
    assert library.batch(again).label == "0008", "a label that is taken gets the next number"


def test_a_csv_export_taken_in_again_has_the_same_curves_and_marks(write):
    record = make_record()
    back = read_csv_log(write(write_csv_log(record))).record
    np.testing.assert_allclose(np.interp(record.trace.t, back.trace.t, back.trace.bean), record.trace.bean, atol=1e-3)
    for mark in record.marks:
        assert back.mark(mark.kind).t == pytest.approx(mark.t)


def test_the_published_schema_is_the_present_one():
    published = Path(__file__).parents[1] / "docs" / "batch.schema.json"
    assert json.loads(published.read_text()) == json.loads(json.dumps(json_schema()))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: d.pop("readings"), "readings: field required"),
        (lambda d: d["marks"].append({"kind": "blue", "t": 1}), "marks.4.kind"),
        (lambda d: d["readings"]["bean"].pop(), "differ in length"),
        (lambda d: d["readings"]["t"].reverse(), "do not go forward"),
    ],
)
def test_documents_that_are_no_batch_are_refused_by_the_entry(write, change, words):
    document = batch_to_document(make_record()).model_dump(mode="json")
    change(document)
    with pytest.raises(ImportRefusedError, match=words):
        read_batch_document(write(json.dumps(document), "batch.json"))


def test_unknown_readings_are_null_in_json_and_nan_inside():
    record = make_record()
    record.trace.air[:] = np.nan
    document = batch_to_document(record)
    assert document.readings.air[0] is None
    assert "NaN" not in document.model_dump_json()
    assert np.isnan(document_to_batch(document).trace.air).all()
