import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from conftest import make_record
from made import trace_of
from scipy.signal import savgol_filter

from firnel.core.events import find_events
from firnel.core.mark_finding import find_charge, find_drop, find_turning
from firnel.core.rate_of_rise import smooth_rate_of_rise
from firnel.core.stages import MarkOrderError, check_mark_order, stages_of
from firnel.core.vocabulary import Control, Mark, MarkKind, Move, Quality
from firnel.exchange.csv_log import read_csv_log

LOGS = Path(__file__).parent / "logs"


def read(name):
    with (LOGS / name).open() as file:
        rows = list(csv.DictReader(file))
    return tuple(np.array([float(row[key]) for row in rows]) for key in ("time_s", "bean_c", "air_c"))


def hand_marks():
    with (LOGS / "batches.csv").open() as file:
        return [
            pytest.param(row["file"], float(row["charge_s"]), float(row["drop_s"]), id=row["file"])
            for row in csv.DictReader(file)
        ]


# Logs of two machines that the simulator is not; charge and drop as a human finger set them (tests/logs/batches.csv).
@pytest.mark.parametrize(("name", "charge", "drop"), hand_marks())
def test_charge_and_drop_are_found_where_a_hand_marked_them(name, charge, drop):
    t, bean, air = read(f"{name}.csv")
    found = find_charge(t, bean)
    assert found == pytest.approx(charge, abs=3.0)
    dropped = find_drop(t, bean, found, air)
    # Where the bean probe rises on in the empty drum up to the end of the log, nobody can tell: then nothing is told.
    rises_on = bean[t > drop + 4.0].size < 5 or np.median(bean[-5:]) > np.interp(drop, t, bean) - 1.0
    assert dropped == pytest.approx(drop, abs=3.0) or (dropped is None and rises_on)
    # The lowest point of SciPy's Savitzky-Golay over 25 s, an outside smoother: the probes are noisy, and the bottom is flat.
    smooth = savgol_filter(bean, int(25 / np.median(np.diff(t))) | 1, 2)
    turned = find_turning(t, bean, found)
    assert turned == pytest.approx(t[np.argmin(smooth)], abs=5.0) or np.interp(turned, t, smooth) < smooth.min() + 1.0


@pytest.mark.parametrize("step", [0.5, 1.0, 2.0, 5.0])
def test_a_charge_in_the_middle_of_a_log_is_found_where_it_happened(step):
    trace = make_record(step=step).trace
    noisy = trace.bean + 0.3 * np.random.default_rng(2).standard_normal(trace.t.size)
    assert find_charge(trace.t, noisy) == pytest.approx(60.0, abs=3.0)


def test_marks_of_a_log_that_repeats_each_reading_a_hundred_times_are_those_of_the_readings():
    t, bean, _ = read("east-001.csv")
    often = np.arange(t[0], t[-1], 0.01)
    held = bean[np.searchsorted(t, often, side="right") - 1]
    charge = find_charge(often, held)
    assert charge == pytest.approx(find_charge(t, bean), abs=1.0)
    assert find_turning(often, held, charge) == pytest.approx(find_turning(t, bean, charge), abs=1.5)
    assert find_drop(often, held, charge) == pytest.approx(find_drop(t, bean, charge), abs=2.0)


def test_a_spike_is_no_charge():
    t = np.arange(0, 200, 1.0)
    bean = np.full_like(t, 200.0)
    bean[50] = 60.0
    assert find_charge(t, bean) is None


def test_a_cooling_drum_is_no_charge():
    t = np.arange(0, 900, 1.0)
    assert find_charge(t, 220 - t * 0.1) is None


def test_a_log_that_ends_in_mid_roast_has_no_drop():
    trace = make_record().trace
    part = trace.t < 500
    assert find_drop(trace.t[part], trace.bean[part], 60.0) is None


def test_a_probe_that_jumped_away_and_back_in_mid_roast_was_no_drop():
    trace = make_record().trace
    away = trace.bean + np.where((trace.t >= 420.0) & (trace.t < 445.0), 80.0, 0.0)
    part = trace.t < 500
    assert find_drop(trace.t[part], away[part], 60.0) is None
    assert find_drop(trace.t, away, 60.0) == find_drop(trace.t, trace.bean, 60.0)


@pytest.mark.parametrize("to_c", [320.0, 260.0])
def test_a_probe_left_bare_in_a_drum_whose_heat_stayed_on_tells_the_drop_by_its_rise(to_c):
    t, bean = make_record().trace.t, make_record().trace.bean.copy()
    left = t > 700.0
    bean[left] = bean[700] + (to_c - bean[700]) * (1.0 - np.exp(-(t[left] - 700.0) / 40.0))
    tail = np.arange(1.0, 121.0)  # then the heat goes out
    t, bean = np.append(t, t[-1] + tail), np.append(bean, bean[-1] - 0.4 * tail)
    assert find_drop(t, bean, 60.0) == pytest.approx(700.0, abs=2.0)
    assert find_drop(t, np.interp(t, t[::5], bean[::5]), 60.0) == pytest.approx(700.0, abs=5.0)


def test_the_turn_is_not_told_before_it_has_happened():
    trace = make_record().trace
    lowest = trace.t[np.argmin(np.where(trace.t < 300, trace.bean, 999))]
    before = trace.t <= lowest - 5
    assert find_turning(trace.t[before], trace.bean[before], 60.0) is None
    assert find_turning(trace.t, trace.bean, 60.0) == pytest.approx(lowest, abs=5.0)


def test_stages_are_what_a_stopwatch_would_say():
    marks = [Mark(MarkKind.CHARGE, 90, 200), Mark(MarkKind.TURNING, 165, 90), Mark(MarkKind.YELLOW, 390, 150),
             Mark(MarkKind.FIRST_CRACK, 600, 195), Mark(MarkKind.DROP, 690, 204)]  # fmt: skip
    stages = stages_of(marks)
    assert [stage.seconds for _, stage in stages.named()] == [300, 210, 90]
    assert stages.total_s == 600
    assert stages.development_ratio == pytest.approx(0.15)
    # Drying rises from the turn, not from the charge reading: 60 degC in 225 s.
    assert stages.drying.rise_c == 60
    assert stages.drying.mean_rate == pytest.approx(16.0)


def test_a_missing_mark_leaves_its_stages_open():
    stages = stages_of([Mark(MarkKind.CHARGE, 0), Mark(MarkKind.DROP, 600)])
    assert stages.total_s == 600
    assert all(stage is None for _, stage in stages.named())


@pytest.mark.parametrize(
    ("marks", "words"),
    [
        ([Mark(MarkKind.CHARGE, 0), Mark(MarkKind.CHARGE, 5)], "charge is marked twice"),
        ([Mark(MarkKind.CHARGE, 100), Mark(MarkKind.YELLOW, 50)], "yellow at 50 s is not after charge at 100 s"),
        ([Mark(MarkKind.FIRST_CRACK, 600), Mark(MarkKind.DROP, 600)], "drop at 600 s is not after first crack"),
    ],
)
def test_marks_that_contradict_each_other_are_refused_in_words(marks, words):
    with pytest.raises(MarkOrderError, match=words):
        check_mark_order(marks)


def events_of(bean_rate, moves=()):
    """Events of a roast whose rate after the turn is given over time since charge."""
    t = np.arange(0, 720, 1.0)
    bean = 90 + np.cumsum(np.array([bean_rate(x) if x > 70 else 0.0 for x in t])) / 60
    trace = trace_of((t, bean, bean, *(np.full_like(t, np.nan),) * 3), np.zeros(t.size, np.int64))
    marks = [Mark(MarkKind.CHARGE, 0), Mark(MarkKind.TURNING, 70), Mark(MarkKind.YELLOW, 300),
             Mark(MarkKind.FIRST_CRACK, 560), Mark(MarkKind.DROP, 660)]  # fmt: skip
    return find_events(trace, smooth_rate_of_rise(t, bean, 0.0), marks, moves)


def test_a_smoothly_falling_rate_has_no_events():
    assert events_of(lambda t: 20 - t / 50) == ()


def test_a_flick_is_found_and_laid_to_the_gas():
    found = events_of(
        lambda t: 20 - t / 50 + (6 if 570 < t < 610 else 0), [Move(Control.GAS, 200, 1.2), Move(Control.GAS, 555, 2.0)]
    )
    assert [event.kind for event in found][0] == "flick"
    assert found[0].start == pytest.approx(570, abs=15)
    assert found[0].likely_cause.startswith("gas 1.2 to 2")


def test_a_crash_without_a_move_is_not_blamed_on_one():
    found = [event for event in events_of(lambda t: 20 - t / 50 - (5 if t > 590 else 0)) if event.kind == "crash"]
    assert found[0].likely_cause == "no move in the minute before"


def test_a_stall_is_told():
    kinds = {event.kind for event in events_of(lambda t: 12 - t / 60 if t < 580 else 0.8)}
    assert "stall" in kinds


def test_gaps_and_spikes_are_told():
    record = make_record()
    keep = (record.trace.t < 400) | (record.trace.t > 415)
    quality = record.trace.quality.copy()
    quality[200] = int(Quality.SPIKE)
    trace = replace(record.trace, quality=quality).part(keep)
    found = find_events(trace, smooth_rate_of_rise(trace.t, trace.bean, 60.0), record.marks, ())
    assert [(event.kind, event.start) for event in found if event.kind in ("gap", "spike")] == [
        ("spike", 200.0),
        ("gap", 399.0),
    ]


def test_the_shared_logs_are_imported_with_their_moves():
    imported = read_csv_log(LOGS / "north-003.csv")
    assert {move.control for move in imported.record.moves} >= {Control.GAS, Control.AIRFLOW}
    assert imported.record.mark(MarkKind.CHARGE).t == 0.0
    assert replace(imported.record, label="x").loss is None
