"""The live rate of rise against the simulator's true derivative, against a 30 s trailing difference and its lag."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from report import Line
from scipy.signal import savgol_coeffs

from firnel.core.rate_of_rise import live_rate_of_rise
from firnel.core.vocabulary import Control
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad

MOVES = ((0, 0.0, 0.25), (45, 0.62, 0.25), (260, 0.5, 0.4), (370, 0.42, 0.5), (500, 0.36, 0.6), (620, 0.25, 0.75))


def roast(kind: str, seed: int, noise: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Times and readings at one of three sampling rates; times and true rate."""
    rng = np.random.default_rng(seed)
    constants = replace(KINDS[kind], noise_c=noise)
    roaster = DrumRoaster(constants, rng, steel_c=206.0)
    roaster.bean_probe_c = 199.0
    gas, air = (constants.controls[control].high for control in (Control.GAS, Control.AIRFLOW))
    roaster.set(Control.AIRFLOW, 0.25 * air)
    roaster.charge(GreenLoad(constants.load_kg * rng.uniform(0.7, 1.0)))
    step = float(rng.choice([0.5, 1.0, 2.0]))
    t, seen, true_t, true = [], [], [], []
    while roaster.t < 760:
        for when, heat, flow in MOVES:
            if abs(roaster.t - when) < 0.125:
                roaster.set(Control.GAS, heat * gas * rng.uniform(0.9, 1.1))
                roaster.set(Control.AIRFLOW, flow * air)
        roaster.step(0.25)
        true_t.append(roaster.t)
        true.append(roaster.bean_probe_c)
        if not t or roaster.t - t[-1] >= step - 0.01:
            t.append(roaster.t)
            seen.append(roaster.read()[0])
    return np.array(t), np.array(seen), np.array(true_t), 60 * np.gradient(np.array(true), np.array(true_t))


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


def run(folder: Path) -> list[Line]:
    ratios, against_savgol, lags, base_lags, spike, gap = [], [], [], [], [], []
    for kind in KINDS:
        for seed in range(100, 106):
            t, seen, true_t, true = roast(kind, seed, 0.2 if seed % 2 else 0.4)
            late, truth = t > 110, np.interp(t, true_t, true)
            moves = tuple(when for when, _, _ in MOVES[1:])
            live, base = live_rate_of_rise(t, seen, 0.0, moves).c_per_min, trailing_difference(t, seen)

            def rms(rate: np.ndarray, late: np.ndarray = late, truth: np.ndarray = truth) -> float:
                return float(np.sqrt(np.nanmean((rate - truth)[late] ** 2)))

            ratios.append(rms(live) / rms(base))
            lags.append(lag(t[late], live[late], true_t, true))
            base_lags.append(lag(t[late], base[late], true_t, true))
            window = int(2 * round(24.0 / (t[1] - t[0]) / 2) + 1)
            against_savgol.append(rms(live) / rms(causal_savgol(t, seen, window)))
            spiked = seen.copy()
            spiked[t.size // 2] += 130.0
            spike.append(np.abs(live_rate_of_rise(t, spiked, 0.0, moves).c_per_min - live).max())
            out = (t > 400) & (t < 410)
            missing = live_rate_of_rise(t[~out], seen[~out], 0.0, moves).c_per_min
            gap.append(np.sqrt(np.mean((missing - truth[~out])[t[~out] > 410] ** 2)))
    return [
        Line("live rate, RMS error", float(np.mean(ratios)), "times", 0.5, "30 s trailing difference"),
        Line("its lag", float(np.mean(lags) / np.mean(base_lags)), "times", 1.0, f"the same; {np.mean(base_lags):.1f} s"),
        Line("live rate, RMS error", float(np.mean(against_savgol)), "times", 0.8, "causal Savitzky-Golay over 24 s"),
        Line("one reading 130 degC off moves the rate by", float(np.max(spike)), "degC/min", 1.0),
        Line("RMS error after ten seconds without readings", float(np.mean(gap)), "degC/min", 1.2),
    ]
