"""A ladder read: a score against what was climbed, with its fit, the best of it, and the window that is as good."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: The window is where the fit loses no more than this against its best; common practice, no published source. [points]
WINDOW_POINTS = 0.5
#: Rungs nearer than this are one. [s, or K]
APART = 5.0
#: A parabola needs so many rungs of so many different heights.
LEAST_RUNGS, LEAST_HEIGHTS = 4, 3


@dataclass(frozen=True)
class LadderFit:
    """A parabola through the rungs: on ``x`` (n,) its mean and 80 % band [points], the best place and its 80 % interval.

    ``best`` is None where the parabola has no top among the rungs; ``window`` is where it is within half a point of its best.
    """

    x: FloatArray
    mean: FloatArray
    low: FloatArray
    high: FloatArray
    best: float | None
    best_low: float | None
    best_high: float | None
    window: tuple[float, float] | None
    words: str


def fit_ladder(heights: FloatArray, scores: FloatArray, seed: int = 0) -> LadderFit | None:
    """Fit scores against what was climbed, both shape (n,); None with too few rungs.

    The interval of the top is drawn from the fit's own covariance: the top is a quotient, and no normal.
    """
    known = np.isfinite(heights) & np.isfinite(scores)
    x, y = heights[known], scores[known]
    if x.size < LEAST_RUNGS or np.unique(np.round(x / APART)).size < LEAST_HEIGHTS:
        return None
    from scipy import stats  # takes longer to load than all of Firnel: only where it is wanted

    middle, scale = float(x.mean()), float(np.ptp(x)) / 2.0
    z = (x - middle) / scale
    design = np.vander(z, 3)
    coefficients, *_ = np.linalg.lstsq(design, y, rcond=None)
    left = y - design @ coefficients
    free = max(x.size - 3, 1)
    variance = max(float(left @ left) / free, 0.05**2)
    covariance = variance * np.linalg.inv(design.T @ design)
    at = np.linspace(x.min(), x.max(), 121)
    rows = np.vander((at - middle) / scale, 3)
    mean = rows @ coefficients
    half = float(stats.t.ppf(0.9, free)) * np.sqrt(np.einsum("ij,jk,ik->i", rows, covariance, rows))
    draws = np.random.default_rng(seed).multivariate_normal(coefficients, covariance, 2000)
    tops = _tops(draws, at, middle, scale)
    best: float | None = float(at[int(np.argmax(mean))])
    good = at[mean >= mean.max() - WINDOW_POINTS]
    window = (float(good[0]), float(good[-1]))
    inside = coefficients[0] < 0 and at[0] < (best or 0.0) < at[-1]
    low, high = (float(q) for q in np.quantile(tops, (0.1, 0.9)))
    if not inside:
        side = "upper" if best == at[-1] else "lower"
        if coefficients[0] >= 0:
            return LadderFit(
                at, mean, mean - half, mean + half, None, None, None, None, tr("No top: the rungs do not differ enough.")
            )
        words = tr("The best lies at the {} end: climb on.", side)
        return LadderFit(at, mean, mean - half, mean + half, None, low, high, window, words)
    sure = "" if high - low < 0.5 * float(np.ptp(x)) else tr(" The top is not sure: roast more rungs about it.")
    return LadderFit(at, mean, mean - half, mean + half, best, low, high, window, tr("A window is found.{}", sure))


def _tops(draws: FloatArray, at: FloatArray, middle: float, scale: float) -> FloatArray:
    """Where each drawn parabola is highest within the rungs."""
    rows = np.vander((at - middle) / scale, 3)
    return np.asarray(at[np.argmax(rows @ draws.T, axis=0)])
