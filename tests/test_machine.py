"""The machine as a thing: probe checks, capacity, care, its document; and its book in the library."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from firnel.core.machine.capacity import load_warnings, most_for_tray, swollen_litres
from firnel.core.machine.care import CARE_JOBS, SEASONING_LOADS, DoneBatch, care_states
from firnel.core.machine.probes import ProbeCheckError, boiling_point, check_offset, step_response
from firnel.core.vocabulary import Control, Machine, Probe
from firnel.store.machine_book import LogEntry
from firnel.work.desk import machine_of_kind
from firnel.work.machines.care import care_sheet, measure_step, note_done, note_probe_check, note_seasoning
from firnel.work.machines.files import duplicate, machine_to_text, read_machine_file

NOW = datetime(2026, 11, 20, 10, tzinfo=UTC)
MACHINE = replace(machine_of_kind("Drum Six", "gas-6"), tray_litres=19.0, altitude_m=1500.0)


# Boiling point of water against altitude: pressures of the U.S. Standard Atmosphere 1976 (101.325, 84.556, 70.108,
# 61.640 kPa), and saturation temperatures at them from steam tables; from memory of both, to 0.2 degC.
@pytest.mark.parametrize(("altitude", "boils"), [(0.0, 100.0), (1500.0, 95.0), (3000.0, 90.0), (4000.0, 86.8)])
def test_water_boils_lower_higher_up(altitude, boils):
    assert boiling_point(altitude) == pytest.approx(boils, abs=0.2)


@pytest.mark.parametrize("altitude", [-800.0, 9000.0])
def test_no_roastery_stands_there(altitude):
    with pytest.raises(ProbeCheckError, match="altitude"):
        boiling_point(altitude)


@pytest.mark.parametrize(
    ("kind", "read", "altitude", "verdict"),
    [
        ("boiling", 99.4, 0.0, "fine"),
        ("boiling", 95.2, 1500.0, "fine"),
        ("boiling", 99.8, 1500.0, "reads 4.8 K high"),
        ("ice", -2.0, 0.0, "reads 2.0 K low"),
    ],
)
def test_a_probe_is_judged_in_ice_and_boiling_water(kind, read, altitude, verdict):
    assert check_offset(kind, read, altitude).verdict.startswith(verdict)


@pytest.mark.parametrize(("kind", "read"), [("boiling", 212.0), ("ice", 32.0), ("tepid", 40.0)])
def test_fahrenheit_in_boiling_water_is_no_offset(kind, read):
    with pytest.raises(ProbeCheckError):
        check_offset(kind, read)


@pytest.mark.parametrize("lag", [4.0, 8.0, 20.0])
@pytest.mark.parametrize("step", [0.5, 1.0])
def test_the_time_constant_is_found_from_a_logged_plunge(lag, step):
    t = np.arange(0.0, 30.0 + 9.0 * lag, step)
    reading = np.where(t < 20.0, 24.0, 100.0 - 76.0 * np.exp(-np.maximum(t - 20.0, 0.0) / lag))
    noise = 0.1 * np.random.default_rng(2).standard_normal(t.size)
    assert step_response(t, reading + noise) == pytest.approx(lag, abs=0.06 * lag + 0.6 * step)


@pytest.mark.parametrize(
    ("reading", "words"),
    [
        (np.full(60, 24.0), "move by 0"),
        (np.full(5, 24.0), "too few"),
        (24.0 + 76.0 * (1.0 - np.exp(-np.maximum(np.arange(60.0) - 20.0, 0.0) / 40.0)), "not settled"),
    ],
    ids=["no step", "five readings", "taken out too soon"],
)
def test_a_log_without_a_step_says_so(reading, words):
    with pytest.raises(ProbeCheckError, match=words):
        step_response(np.arange(float(reading.size)), reading)


@pytest.mark.parametrize(
    ("load", "words"),
    [(5.0, ()), (5.5, ("useful",)), (7.0, ("maker's",)), (2.0, ("bare",)), (8.5, ("maker's", "overflow"))],
)
def test_a_load_is_checked_against_drum_tray_and_probe(load, words):
    said = load_warnings(MACHINE, load, 720.0)
    assert len(said) == len(words)
    for sentence, word in zip(said, words, strict=True):
        assert word in sentence


def test_beans_swell_into_the_tray():
    # Swelling to 1.5 to 2 times the volume is common practice, no published source.
    assert 1.5 * 5.0 / 0.720 < swollen_litres(5.0, 720.0) < 2.0 * 5.0 / 0.720
    assert swollen_litres(most_for_tray(MACHINE, 700.0), 700.0) == pytest.approx(19.0)
    assert most_for_tray(replace(MACHINE, tray_litres=None)) is None


def test_an_empty_load_is_refused():
    with pytest.raises(ValueError, match="0 kg"):
        load_warnings(MACHINE, 0.0)


def batches(count, load=5.0, ago=1):
    return [DoneBatch(NOW - timedelta(days=ago, minutes=number), load) for number in range(count)]


def test_care_counts_batches_kilograms_and_days_since_it_was_done():
    done = {"chaff": NOW - timedelta(days=2), "burner": NOW - timedelta(days=400), "fan": NOW - timedelta(hours=1)}
    states = {state.job.key: state for state in care_states(batches(7), done, NOW)}
    assert states["chaff"].due
    assert states["chaff"].words == "7 of 6 batches"
    assert states["burner"].due
    assert states["burner"].days == 400
    assert not states["fan"].due
    assert states["fan"].kg == 0.0
    assert states["duct"].kg == pytest.approx(35.0)
    assert states["probe"].due, "a check that was never noted is due"
    assert [state.used for state in care_states(batches(7), done, NOW)] == sorted(
        (state.used for state in states.values()), reverse=True
    )


def test_gas_and_fire_work_carries_its_caution():
    cautions = {job.key: job.caution for job in CARE_JOBS}
    assert "licensed" in cautions["burner"]
    assert "metal" in cautions["chaff"]


# In the library


@pytest.fixture
def machine(library):
    return library.save_machine(MACHINE)


def test_jobs_done_are_kept_and_count_from_then(library, machine, record):
    library.add_record(replace(record, machine=machine.name, started=NOW - timedelta(days=1)))
    before = {s.job.key: s.batches for s in care_sheet(library, machine, NOW).states}
    note_done(library, machine, "chaff", NOW)
    after = {s.job.key: s.batches for s in care_sheet(library, machine, NOW).states}
    assert (before["chaff"], after["chaff"], after["tray"]) == (1, 0, 1)
    with pytest.raises(ValueError, match="no job"):
        note_done(library, machine, "polish")


def test_probe_checks_have_a_history_and_the_probe_keeps_its_offset(library, machine):
    assert "fine" in note_probe_check(library, machine, "bean", "boiling", 95.3, NOW)
    machine = library.machine(machine.name)
    assert "high" in note_probe_check(library, machine, "bean", "ice", 3.0, NOW + timedelta(days=1))
    machine = library.machine(machine.name)
    assert machine.probes == (Probe("bean", offset_c=pytest.approx(3.0)),)
    checks = [entry.words for entry in care_sheet(library, machine, NOW).entries]
    assert "3.0 °C in ice water" in checks[0]
    assert "95.3 °C in boiling water of 95.0 °C, fine" in checks[1]
    assert not {s.job.key: s for s in care_sheet(library, machine, NOW + timedelta(days=2)).states}["probe"].due


def test_a_plunge_log_gives_the_probe_its_time_constant(library, machine, tmp_path):
    log = tmp_path / "plunge.csv"
    t = np.arange(0.0, 120.0)
    reading = np.where(t < 30, 24.0, 100.0 - 76.0 * np.exp(-np.maximum(t - 30, 0) / 7.0))
    log.write_text("time_s,bean_c\n" + "".join(f"{a:g},{b:.1f}\n" for a, b in zip(t, reading, strict=True)))
    assert measure_step(library, machine, "bean", log) == pytest.approx(7.0, abs=0.8)
    machine = library.machine(machine.name)
    assert machine.probes[0].lag_s == pytest.approx(7.0, abs=0.8)
    assert "63 % of a step" in care_sheet(library, machine, NOW).entries[0].words


def test_seasoning_takes_five_loads_and_then_begins_anew(library, machine):
    for number in range(1, SEASONING_LOADS + 1):
        assert note_seasoning(library, machine) == number
    assert care_sheet(library, machine, NOW).seasoned == 0
    assert note_seasoning(library, machine) == 1


def test_the_log_of_a_machine_can_be_taken_back(library, machine):
    key = library.machine_book.add_log(machine.id, LogEntry("care", NOW, {"job": "fan"}))
    assert [entry.id for entry in library.machine_book.log(machine.id, "care")] == [key]
    library.machine_book.strike(key, True)
    assert library.machine_book.log(machine.id) == []
    library.machine_book.strike(key, False)
    assert [entry.id for entry in library.machine_book.log(machine.id)] == [key], "and brought back"


def test_a_machine_comes_back_from_its_document_and_leaves_its_address_at_home(library, machine, tmp_path):
    full = library.save_machine(
        replace(machine, device_url="modbus://10.0.0.2?map=gas-6", probes=(Probe("bean", 4.0, 8.5, -0.4),), preheat="25 min")
    )
    path = tmp_path / "drum.json"
    path.write_text(machine_to_text(full), encoding="utf-8")
    assert "10.0.0.2" not in path.read_text()
    assert read_machine_file(path) == replace(full, id=None, device_url="")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("nothing", "no JSON document"),
        ("[]", "no machine document"),
        ('{"format": "firnel-machine-9"}', "no machine document of this Firnel"),
        ('{"format": "firnel-machine-1", "name": "X", "kind": "own", "wheels": 4}', "wheels"),
        ('{"format": "firnel-machine-1", "name": "X", "kind": "own", "useful_load_kg": 9, "stated_load_kg": 6}', "useful load"),
    ],
)
def test_what_is_no_machine_is_refused_in_words(tmp_path, text, words):
    path = tmp_path / "m.json"
    path.write_text(text)
    with pytest.raises(ValueError, match=words):
        read_machine_file(path)
    with pytest.raises(ValueError, match="cannot be read"):
        read_machine_file(tmp_path / "none.json")


def test_a_duplicate_takes_the_next_free_name(machine):
    copy = duplicate(machine, {"Drum Six", "Drum Six 2"})
    assert (copy.name, copy.id, copy.device_url) == ("Drum Six 3", None, "")
    assert copy.controls == machine.controls


def test_a_machine_without_gauge_or_air_probe_can_be_kept(library):
    bare = library.save_machine(Machine("Bare", "own", "gas", 3.0, 2.0))
    assert library.machine("Bare") == bare
    assert Control.GAS not in bare.controls
