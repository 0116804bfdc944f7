"""The live rate of rise against a 30 s trailing difference and its lag, where the truth is known and where it is not.

The simulator and the drawn machines tell their true derivative; of the logged machines, whose thermometers wander by some
tenths of a degree over some seconds, a cubic Savitzky-Golay filter over 91 s of the whole record stands for it.
"""

from dataclasses import replace
from pathlib import Path

import numpy as np
import other_machines  # noqa: F401 - finds the logs of the tests
from drawn_machines import draw
from drawn_machines import roast as roast_drawn
from logged import MACHINES, batches_of, record_of, rows
from report import Line
from scipy.signal import savgol_coeffs, savgol_filter

from firnel.core.known_course import Course, live_rate_on_course
from firnel.core.model.fitting import identify
from firnel.core.model.identification import modelled
from firnel.core.rate_of_rise import live_rate_of_rise
from firnel.core.vocabulary import Control, MarkKind, Role
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad

MOVES = ((0, 0.0, 0.25), (45, 0.62, 0.25), (260, 0.5, 0.4), (370, 0.42, 0.5), (500, 0.36, 0.6), (620, 0.25, 0.75))


def roast(kind: str, seed: int, noise: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Times and readings of beans and air at one of three sampling rates; times and true rate."""
    rng = np.random.default_rng(seed)
    constants = replace(KINDS[kind], noise_c=noise)
    roaster = DrumRoaster(constants, rng, steel_c=206.0)
    roaster.bean_probe_c = 199.0
    heat = constants.first(Role.HEAT)
    gas, air = (constants.controls[control].high for control in (heat, Control.AIRFLOW))
    roaster.set(Control.AIRFLOW, 0.25 * air)
    roaster.charge(GreenLoad(constants.load_kg * rng.uniform(0.7, 1.0)))
    step = float(rng.choice([0.5, 1.0, 2.0]))
    t, seen, air_c, true_t, true = [], [], [], [], []
    while roaster.t < 760:
        for when, level, flow in MOVES:
            if abs(roaster.t - when) < 0.125:
                roaster.set(heat, level * gas * rng.uniform(0.9, 1.1))
                roaster.set(Control.AIRFLOW, flow * air)
        roaster.step(0.25)
        true_t.append(roaster.t)
        true.append(roaster.bean_probe_c)
        if not t or roaster.t - t[-1] >= step - 0.01:
            t.append(roaster.t)
            for column, value in zip((seen, air_c), roaster.read(), strict=True):
                column.append(value)
    return np.array(t), np.array(seen), np.array(air_c), np.array(true_t), 60 * np.gradient(np.array(true), np.array(true_t))


def trailing_difference(t: np.ndarray, bean: np.ndarray, seconds: float = 30.0) -> np.ndarray:
    back = np.searchsorted(t, t - seconds)
    with np.errstate(divide="ignore", invalid="ignore"):
        return 60 * (bean - bean[back]) / (t - t[back])


def causal_savgol(t: np.ndarray, bean: np.ndarray, window: int) -> np.ndarray:
    """A quadratic Savitzky-Golay derivative at the end of its window: it uses only the past."""
    weights = savgol_coeffs(window, 2, deriv=1, delta=float(t[1] - t[0]), pos=window - 1, use="dot")
    rate = np.full(t.size, np.nan)
    for index in range(window - 1, t.size):
        rate[index] = 60 * weights @ bean[index - window + 1 : index + 1]
    return rate


def lag(t: np.ndarray, rate: np.ndarray, true_t: np.ndarray, true: np.ndarray) -> float:
    """By how much the truth must be delayed to fit the rate best. [s]"""
    delays = np.arange(0.0, 31.0)
    errors = [np.nanmean((rate - np.interp(t - delay, true_t, true)) ** 2) for delay in delays]
    return float(delays[int(np.argmin(errors))])


Roast = tuple[np.ndarray, np.ndarray, np.ndarray, float, tuple[float, ...], np.ndarray]


def drawn_roasts(count: int = 12) -> list[Roast]:
    """Times, readings of beans and air, charge, moves and true rate of a roast of each of some drawn machines."""
    found = []
    for number in range(count):
        one = draw(number)
        true: list[float] = []
        green = replace(next(iter(one.lots.values()))[1], mass_kg=0.85 * one.body.load_kg)
        came = roast_drawn(one.body, one.house, green, np.random.default_rng(number), probe=true)
        table = np.array(came.rows)
        rate = 60.0 * np.gradient(np.array(true), table[:, 0])
        found.append((*table[:, :3].T, came.charge_t, tuple(move.t for move in came.moves), rate))
    return found


def logged_roasts() -> list[Roast]:
    """The same of every logged batch, with what stands for the truth."""
    return [logged_roast(row["file"]) for row in rows()]


def logged_roast(file: str) -> Roast:
    """One of them."""
    record = record_of(file)
    known = np.isfinite(record.trace.bean)
    t, bean, air = (column[known] for column in (record.trace.t, record.trace.bean, record.trace.air))
    charge, drop = (record.mark(kind).t for kind in (MarkKind.CHARGE, MarkKind.DROP))
    moves = [t[1:][np.diff(record.trace.control(control)[known]) != 0.0] for control in (Control.GAS, Control.AIRFLOW)]
    grid = np.arange(charge, drop, 1.0)
    smooth = 60.0 * savgol_filter(np.interp(grid, t, bean), 91, 3, deriv=1)
    truth = np.interp(t, grid, smooth)
    truth[(t < charge) | (t >= drop)] = np.nan
    return t, bean, air, charge, tuple(np.sort(np.concatenate(moves)).tolist()), truth


def against(live: np.ndarray, t: np.ndarray, seen: np.ndarray, charge: float, truth: np.ndarray) -> tuple[float, float, float]:
    """RMS error of a live rate as a share of that of a 30 s trailing difference, and the lag of either. [s]"""
    base, known = trailing_difference(t, seen), np.isfinite(truth)
    late = (t > charge + 120.0) & (t < t[known][-1] - 25.0)
    ratio = np.sqrt(np.nanmean((live - truth)[late] ** 2) / np.nanmean((base - truth)[late] ** 2))
    return float(ratio), *(lag(t[late], rate[late], t[known], truth[known]) for rate in (live, base))


def against_difference(roasts: list[Roast], aired: bool) -> tuple[float, float]:
    """RMS error and lag of the live rate as shares of those of a 30 s trailing difference, means over the roasts."""
    ratios, lags = [], []
    for t, seen, air, charge, moves, truth in roasts:
        live = live_rate_of_rise(t, seen, charge, moves, None, air if aired else None).c_per_min
        ratio, mine, theirs = against(live, t, seen, charge, truth)
        ratios.append(ratio)
        lags.append((mine, theirs))
    mine, theirs = np.mean(lags, axis=0)
    return float(np.mean(ratios)), float(mine / theirs)


def on_course() -> tuple[float, float]:
    """The same of the logged machines with a model beside the readings, on six batches that it has not seen."""
    ratios, lags = [], []
    for name, machine in MACHINES.items():
        batches, files = batches_of(name), {row["file"].removesuffix(".csv"): row["file"] for row in rows()}
        fitted = identify(batches[:8], machine.useful_load_kg, machine.heat_kinds)
        for batch in batches[8:14]:
            t, seen, air, charge, moves, truth = logged_roast(files[batch.label])
            made = modelled(fitted, batch, known=False)
            live = live_rate_on_course(t, seen, charge, moves, Course(made.t + charge, made.bean_probe[:, 0]), air)
            ratio, mine, theirs = against(live, t, seen, charge, truth)
            ratios.append(ratio)
            lags.append((mine, theirs))
    mine, theirs = np.mean(lags, axis=0)
    return float(np.mean(ratios)), float(mine / theirs)


def run(folder: Path) -> list[Line]:
    lines = []
    ratio, later = on_course()
    lines.append(Line("logged, with a model: live rate, RMS error", ratio, "times", 0.8, "30 s trailing difference"))
    lines.append(Line("logged, with a model: its lag", later, "times", 0.5, "the same"))
    for sort, roasts in (("drawn", drawn_roasts()), ("logged", logged_roasts())):
        for aired, with_what in ((True, "with the air"), (False, "the beans alone")):
            ratio, later = against_difference(roasts, aired)
            lines.append(Line(f"{sort}, {with_what}: live rate, RMS error", ratio, "times", 0.8, "30 s trailing difference"))
            lines.append(Line(f"{sort}, {with_what}: its lag", later, "times", 0.5, "the same"))
    return [*lines, *on_simulator()]


def on_simulator() -> list[Line]:
    """Accuracy, lag, spikes and gaps on the simulator's machines."""
    ratios, against_savgol, lags, base_lags, spike, gap = [], [], [], [], [], []
    for kind in KINDS:
        for seed in range(100, 106):
            t, seen, air, true_t, true = roast(kind, seed, 0.2 if seed % 2 else 0.4)
            late, truth = t > 110, np.interp(t, true_t, true)
            moves = tuple(when for when, _, _ in MOVES[1:])
            live, base = live_rate_of_rise(t, seen, 0.0, moves, None, air).c_per_min, trailing_difference(t, seen)

            def rms(rate: np.ndarray, late: np.ndarray = late, truth: np.ndarray = truth) -> float:
                return float(np.sqrt(np.nanmean((rate - truth)[late] ** 2)))

            ratios.append(rms(live) / rms(base))
            lags.append(lag(t[late], live[late], true_t, true))
            base_lags.append(lag(t[late], base[late], true_t, true))
            window = int(2 * round(24.0 / (t[1] - t[0]) / 2) + 1)
            against_savgol.append(rms(live) / rms(causal_savgol(t, seen, window)))
            spiked = seen.copy()
            spiked[t.size // 2] += 130.0
            spike.append(np.abs(live_rate_of_rise(t, spiked, 0.0, moves, None, air).c_per_min - live).max())
            out = (t > 400) & (t < 410)
            missing = live_rate_of_rise(t[~out], seen[~out], 0.0, moves, None, air[~out]).c_per_min
            gap.append(np.sqrt(np.mean((missing - truth[~out])[t[~out] > 410] ** 2)))
    return [
        Line("live rate, RMS error", float(np.mean(ratios)), "times", 0.5, "30 s trailing difference"),
        Line("its lag", float(np.mean(lags) / np.mean(base_lags)), "times", 1.0, f"the same; {np.mean(base_lags):.1f} s"),
        Line("live rate, RMS error", float(np.mean(against_savgol)), "times", 0.8, "causal Savitzky-Golay over 24 s"),
        Line("one reading 130 degC off moves the rate by", float(np.max(spike)), "degC/min", 1.0),
        Line("RMS error after ten seconds without readings", float(np.mean(gap)), "degC/min", 1.2),
    ]
