"""What the model leaves out, as drift of the bean probe away from it: before first crack, and in development.

Crack, steam and smoke change the heat balance in ways that the equations do not hold. What the machine's own batches
show of it is learned as a mean and a spread in degC a minute, and added to what is run forward.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.model.logged import LoggedBatch
from firnel.core.model.simulation import Simulated
from firnel.core.vocabulary import FloatArray

#: Spread where nothing was learned yet, in how many imagined batches it is held; what is likely at all. [degC/min]
USUAL_SD, IMAGINED, SHRINK_SD = 0.3, 2.0, 0.6
#: Drift before the crack is looked at over windows of this length. [s]
WINDOW_S = 90.0


@dataclass(frozen=True)
class Drift:
    """Drift of the bean probe away from the model: spread before first crack, mean and spread after it. [degC/min]"""

    before_sd: float = USUAL_SD
    after_mean: float = 0.0
    after_sd: float = USUAL_SD


def learn_drift(made: Sequence[tuple[LoggedBatch, Simulated]]) -> Drift:
    """Drift from batches and what the model makes of them."""
    before: list[float] = []
    after: list[float] = []
    for batch, simulated in made:
        count = min(simulated.t.size, batch.bean.size)
        t, off = simulated.t[:count], batch.bean[:count] - simulated.bean_probe[:count, 0]
        crack, drop = batch.first_crack_t, batch.drop_t
        if crack is None or drop is None or drop - crack < 30.0:
            continue
        at = _level(t, off, crack)
        after.append(60.0 * (_level(t, off, drop - 6.0) - at) / (drop - crack))
        before.append(60.0 * (at - _level(t, off, crack - WINDOW_S)) / WINDOW_S)
    known = np.array([value for value in after if np.isfinite(value)])
    mean = (
        float(known.sum() / (known.size + (known.var() if known.size > 2 else USUAL_SD**2) / SHRINK_SD**2))
        if known.size
        else 0.0
    )
    return Drift(_spread(before, 0.0), mean, _spread(after, mean))


def _level(t: FloatArray, off: FloatArray, at: float) -> float:
    near = off[np.abs(t - at) <= 8.0]
    return float(np.nanmean(near)) if np.isfinite(near).any() else float("nan")


def _spread(values: Sequence[float], mean: float) -> float:
    known = np.array([value for value in values if np.isfinite(value)])
    return float(np.sqrt((IMAGINED * USUAL_SD**2 + np.sum((known - mean) ** 2)) / (IMAGINED + known.size)))
