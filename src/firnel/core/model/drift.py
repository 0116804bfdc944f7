"""What the model leaves out, as drift of the bean probe away from it: before first crack, and in development.

Crack, steam and smoke change the heat balance in ways that the equations do not hold, and so does what they simplify. What
the machine's own batches show of it is learned: a mean in each range below first crack, and from there on a mean and a
spread. It is added to what is run forward.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from firnel.core.crossing import crossing
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.simulation import Simulated
from firnel.core.vocabulary import FloatArray

#: Spread where nothing was learned yet, in how many imagined batches it is held; what is likely at all. [degC/min]
USUAL_SD, IMAGINED, SHRINK_SD = 0.3, 2.0, 0.6
#: Drift before the crack is looked at over windows of this length. [s]
WINDOW_S = 90.0
#: The drift after it is looked at until so long before the drop. [s]
BEFORE_DROP_S = 6.0
#: The ranges below first crack in which the drift is learned, in this many readings at least, and not while the load falls in.
RANGES_C, FEWEST, FROM_S = (-80.0, -50.0, -30.0, -14.0, 0.0), 6, 75.0
#: What is likely of it in one of them. [degC/min]
RANGE_SD = 0.5
#: The ranges of time since first crack in which development is looked at; what is likely of one to go otherwise than the
#: whole, and how much of one a batch must last to tell of it. [s], [degC/min], [s]
SINCE_S, SINCE_SD, LASTS_S = (0.0, 20.0, 40.0, 60.0, 90.0, 150.0), 1.0, 15.0
#: So long before a drop it is looked at how much otherwise it came than was said then; what is likely of that, and of a
#: single batch. Further ahead than the last of these it is nought: what is said at first crack is put right as a whole.
#: [s], [degC], [s]
SOON_S, SOON_SD, SOON_FROM_S = (12.0, 20.0, 30.0, 45.0), 0.5, 60.0


@dataclass(frozen=True)
class Drift:
    """Drift of the bean probe away from the model: spread before first crack, mean and spread after it [degC/min].

    ``rates`` is the mean of it in each of `RANGES_C`. [degC/min] ``since`` is by how much more it is than the mean after first
    crack in each of `SINCE_S`: steam takes heat for a minute, then the rate flicks up. [degC/min] ``soon`` is by how much more
    the probe comes to in so many seconds of development (`SOON_S`) than the members say that follow it. [degC]
    """

    before_sd: float = USUAL_SD
    after_mean: float = 0.0
    after_sd: float = USUAL_SD
    rates: tuple[float, ...] = (0.0,) * (len(RANGES_C) - 1)
    since: tuple[float, ...] = (0.0,) * (len(SINCE_S) - 1)
    soon: tuple[float, ...] = (0.0,) * len(SOON_S)

    def shortly(self, ahead: FloatArray) -> FloatArray:
        """What is added to the probe so many seconds ahead, any shape, once it has cracked. [degC]"""
        return np.interp(ahead, (0.0, *SOON_S, SOON_FROM_S), (0.0, *self.soon, 0.0))

    def after(self, seconds: FloatArray) -> FloatArray:
        """What is known of it comes to in so many seconds since first crack, any shape. [degC]"""
        beside = np.append(0.0, np.cumsum(np.array(self.since) * np.diff(SINCE_S) / 60.0))
        return np.asarray(self.after_mean * seconds / 60.0 + np.interp(seconds, SINCE_S, beside), dtype=np.float64)

    def gained(self, t: FloatArray, below_c: FloatArray) -> FloatArray:
        """What it comes to by the times ``t`` (n,) [s] in members that are so far below first crack then (n, m). [degC]"""
        rates = np.array([0.0, *self.rates, 0.0])[np.searchsorted(RANGES_C, below_c, side="right")]
        return np.vstack([np.zeros_like(below_c[:1]), np.cumsum(rates[1:] * np.diff(t)[:, None] / 60.0, axis=0)])

    def onto(self, made: Simulated, crack_c: float) -> Simulated:
        """A whole roast as the model makes it, with the drift of its probe from first crack on, at ``crack_c``. [degC]"""
        crack = crossing(made.t, made.bean, np.full(made.bean.shape[1], crack_c))
        since = np.clip(made.t[:, None] - crack, 0.0, None)
        return replace(made, bean_probe=made.bean_probe + self.after(since))


def learn_drift(made: Sequence[tuple[LoggedBatch, Simulated]]) -> Drift:
    """Drift from batches and what the model makes of them."""
    before: list[float] = []
    after: list[float] = []
    rates: list[list[float]] = []
    beside: list[list[float]] = []
    for batch, simulated in made:
        count = min(simulated.t.size, batch.bean.size)
        t, off = simulated.t[:count], batch.bean[:count] - simulated.bean_probe[:count, 0]
        crack, drop = batch.first_crack_t, batch.drop_t
        if crack is None or drop is None or drop - crack < 30.0:
            continue
        at = _level(t, off, crack)
        after.append(60.0 * (_level(t, off, drop - BEFORE_DROP_S) - at) / (drop - BEFORE_DROP_S - crack))
        beside.append(_beside(t - crack, off - at, drop - BEFORE_DROP_S - crack, after[-1]))
        before.append(60.0 * (at - _level(t, off, crack - WINDOW_S)) / WINDOW_S)
        below = simulated.bean[:count, 0] - np.interp(crack, t, simulated.bean[:count, 0]) - at
        inside = (t >= FROM_S) & (t <= crack) & np.isfinite(off)
        ranges = [inside & (below >= low) & (below < high) for low, high in pairwise(RANGES_C)]
        rates.append([60.0 * _slope(t[known], off[known]) for known in ranges])
    mean = shrunk(after, SHRINK_SD, USUAL_SD)
    by_range = tuple(shrunk(column, RANGE_SD, RANGE_SD) for column in zip(*rates, strict=True)) or Drift.rates
    since = tuple(shrunk(column, SINCE_SD, SINCE_SD) for column in zip(*beside, strict=True)) or Drift.since
    return Drift(_spread(before, _mean(np.array(before))), mean, _spread(after, mean), by_range, since)


def learn_soon(drift: Drift, late: Sequence[Sequence[float]], told_rate: float) -> Drift:
    """The drift with what drops came otherwise than was said at `SOON_S` before them, one row for each batch. [degC]

    Parameters
    ----------
    told_rate : what was added to the mean drift since then: it makes up for some of it. [degC/min]
    """
    if not late:
        return drift
    means = (shrunk(column, SOON_SD, SOON_SD) for column in zip(*late, strict=True))
    return replace(drift, soon=tuple(mean - told_rate * ahead / 60.0 for mean, ahead in zip(means, SOON_S, strict=True)))


def _beside(since: FloatArray, off: FloatArray, end: float, mean: float) -> list[float]:
    """By how much more than ``mean`` [degC/min] it was in each of `SINCE_S`, up to ``end`` [s]; NaN where it did not last."""
    found = []
    for begun, over in pairwise(SINCE_S):
        over = min(over, end)
        lasted = over - begun >= LASTS_S
        gained = _level(since, off, over) - (_level(since, off, begun) if begun else 0.0)
        found.append(60.0 * gained / (over - begun) - mean if lasted else float("nan"))
    return found


def _slope(t: FloatArray, off: FloatArray) -> float:
    """Of a line through it; NaN where there is too little."""
    return float(np.polyfit(t - t[0], off, 1)[0]) if t.size >= FEWEST else float("nan")


def shrunk(values: Sequence[float] | FloatArray, likely_sd: float, usual_sd: float) -> float:
    """Their mean, nearer to nought the less they agree; ``likely_sd`` of it, ``usual_sd`` of a single one of few."""
    known = np.array([value for value in values if np.isfinite(value)])
    if not known.size:
        return 0.0
    return float(known.sum() / (known.size + (known.var() if known.size > 2 else usual_sd**2) / likely_sd**2))


def _level(t: FloatArray, off: FloatArray, at: float) -> float:
    return _mean(off[np.abs(t - at) <= 8.0])


def _mean(values: FloatArray) -> float:
    return float(np.nanmean(values)) if np.isfinite(values).any() else float("nan")


def _spread(values: Sequence[float], mean: float) -> float:
    known = np.array([value for value in values if np.isfinite(value)])
    # One of them tells of the mean.
    return float(np.sqrt((IMAGINED * USUAL_SD**2 + np.nansum((known - mean) ** 2)) / (IMAGINED + max(known.size - 1, 0))))
