"""What drum roasters have in common: eleven that were fitted, as so many spreads away from what was guessed beforehand.

Made by ``bench/learn_drums.py`` from the logs of seven machines and from the simulated ones: what beans take up by fits that had
it to find, all else by fits that had not, with which first crack of left-out machines came nearer (docs/trials.md).
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from firnel.core.vocabulary import FloatArray

#: Of what is seen to go together so much is believed: eleven drums are few for so many numbers. [-]
BELIEVED = 0.5
#: A number that one drum's logs hardly tell of can end far out; what is learned from it for others ends here. [spreads]
FARTHEST = 2.5
#: However alike the drums are, the next one differs by this. [spreads of the guess]
LEAST_SPREAD = 0.35
#: Of some numbers it is thought otherwise how far apart drums lie: at least, on top of what is seen, and at most. Probes are
#: chosen and changed by whoever owns a drum. A burner answers within seconds, and most of its heat goes by the air (from memory
#: of such machines): how much goes the slow way, by the steel, shows little in logs whose moves come at the same readings each
#: time, and whatever else the equations lack there is taken for it. Then all late moves are foretold too small.
SPREADS: Mapping[str, tuple[float, float]] = {
    "probe_lag": (1.0, np.inf),
    "air_probe_lag": (1.0, np.inf),
    "idle_lag": (1.0, np.inf),
    "heat_lag": (LEAST_SPREAD, 0.8),
    "steel_share": (LEAST_SPREAD, 0.4),
}
#: Those lie about what was guessed, and not about what was fitted.
AS_GUESSED = ("steel_share",)

#: The numbers that drums have in common, those of a main source of heat alone.
NUMBERS = (
    "power", "steel_share", "heat_lag", "steel_capacity", "steel_air", "steel_loss", "air_flow", "air_leak", "bean_air",
    "bean_steel", "probe_lag", "probe_pull", "bare_pull", "air_probe_lag", "air_probe_steel", "evaporation", "own_heat",
    "own_heat_k", "load_exponent", "air_exponent", "draft_exponent", "steel_over_probe", "steel_by_air", "steel_first_batch",
    "idle_lag", "idle_air", "heat_before", "uptake_by_density",
    "bean_heat_130", "bean_heat_155", "bean_heat_180", "bean_heat_205",
)  # fmt: skip
#: By machine, in the order of `NUMBERS`.
DRUMS: Mapping[str, tuple[float, ...]] = {
    "north": (0.56, -1.01, 4.51, -0.26, 2.69, -1.00, 0.04, 0.30, 2.66, -1.89, 0.99, 2.56, 1.44, -0.36, 1.01, 0.77, 0.63, 4.23, -2.05, -0.64, -0.40, -4.43, 1.43, 0.02, 0.00, 0.00, 1.24, -0.06, 0.33, 0.06, -1.44, -0.56),
    "south": (0.37, 0.68, -0.06, 0.09, 3.35, -1.05, 1.37, -1.36, 2.73, -3.64, 0.64, 1.87, 1.60, -0.50, 1.46, 1.40, 0.71, -0.28, -1.57, 0.59, 0.08, -1.26, 0.04, -0.48, 0.00, -0.00, -0.49, 0.05, 0.24, -0.09, -1.45, -0.18),
    "west": (0.72, 1.85, -0.88, -0.41, 2.37, -0.60, -0.08, 0.75, 2.28, -2.55, 0.67, 3.69, 1.18, -0.18, -0.19, 1.50, 0.93, -1.09, -1.33, 1.75, -4.98, 0.13, 0.02, -0.55, 2.64, 3.06, 0.00, 0.87, 1.07, -0.80, -1.10, 0.91),
    "east": (2.32, 0.36, -5.00, 1.11, 0.44, -0.57, 0.64, 1.89, 2.17, -2.88, 1.25, 3.65, 1.34, 0.45, 0.69, 1.66, 2.09, 0.73, -1.93, -0.59, -2.23, 3.18, -1.92, -1.33, 0.22, 1.55, 0.00, 0.23, 2.11, 0.57, -1.09, 0.98),
    "mill": (0.92, 1.11, -1.15, 0.23, 0.82, 0.52, -2.23, 1.70, 0.15, -3.93, 2.02, 1.93, 1.67, -0.04, -0.70, 1.30, 1.10, 1.63, -1.92, 0.72, -2.61, 0.74, -0.26, -1.08, 5.00, 0.21, -0.00, -0.11, 1.37, 0.38, -1.35, 0.51),
    "tower": (0.69, 2.73, -1.97, 0.09, -0.20, 0.70, -2.94, 2.33, 0.02, -3.48, 1.91, 2.27, 0.97, 0.11, -0.12, 1.64, 1.65, 3.30, -1.30, 1.75, -4.06, 1.15, -0.44, -1.02, 4.48, 1.01, 0.00, -0.33, 2.03, 0.55, -1.84, 0.73),
    "harbour": (0.33, 5.00, 0.78, -0.03, 1.29, 0.04, -3.70, 0.43, 2.43, -1.95, 0.71, 2.91, 1.22, 0.73, 0.69, 1.51, 1.85, 5.00, -1.24, -3.12, 0.04, -0.04, -0.08, 0.23, 0.12, 1.16, -0.00, -2.10, 2.73, 0.22, -1.39, -0.21),
    "Drum Six": (-0.07, -1.17, -0.41, -0.93, -0.00, -0.88, -0.32, -1.03, -0.49, 0.58, 1.06, -0.81, 0.97, 0.15, -1.81, 0.75, 1.47, -3.58, 1.13, 0.32, -0.96, -1.11, 0.90, -0.54, 1.41, 0.31, -0.00, -0.62, -0.37, -0.59, 0.38, -0.30),
    "Long Fifteen": (0.28, 0.64, -0.07, -0.15, -0.70, 0.69, -0.74, -0.85, -1.20, 0.12, 1.16, -0.12, 0.71, 0.63, -1.72, 0.88, 1.71, -3.54, 0.85, 0.20, -0.84, -0.56, 0.92, -0.55, 0.77, -0.56, 0.00, -0.58, 0.09, -0.26, 0.68, -0.30),
    "Sample One": (0.57, 0.80, -0.06, -0.06, 0.20, 0.37, 0.48, -0.52, -0.36, 0.95, 0.89, 0.55, 0.97, 0.31, -1.73, 0.59, 0.86, -4.27, 1.25, 0.17, 0.68, -0.01, -0.16, -0.31, -1.22, -1.39, 0.00, -0.70, -0.12, -0.33, 0.70, 0.51),
    "Ridge Nine": (1.07, 0.85, -0.41, -0.52, -0.26, -0.53, 0.12, -1.02, -0.06, 0.20, 1.06, -0.03, -0.00, 0.21, -0.57, 0.21, -0.22, -0.82, 0.38, 0.00, -0.14, -0.89, 0.93, -0.58, 0.74, -0.53, 0.00, -0.69, -0.21, -0.63, 0.11, -0.20),
}  # fmt: skip


def mean_and_covariance() -> tuple[FloatArray, FloatArray]:
    """Mean, shape (k,), and covariance, shape (k, k), over drums, in the order of `NUMBERS`. [spreads of the guess]"""
    if not DRUMS:
        return np.zeros(len(NUMBERS)), np.eye(len(NUMBERS))
    rows = np.clip(list(DRUMS.values()), -FARTHEST, FARTHEST)
    about = rows - rows.mean(axis=0)
    covariance = about.T @ about / max(len(rows) - 1, 1)
    least, most = np.transpose([SPREADS.get(name, (LEAST_SPREAD, np.inf)) for name in NUMBERS])
    seen = np.diag(covariance) + least**2
    together = BELIEVED * covariance
    np.fill_diagonal(together, seen)
    narrower = np.minimum(1.0, most / np.sqrt(seen))
    mean = np.where(np.isin(NUMBERS, AS_GUESSED), 0.0, rows.mean(axis=0))
    return mean, together * np.outer(narrower, narrower)
