r"""Roast level: weight loss and colour from the bean's temperature over time.

Lost are water, as the model dries it, and dry matter as gas and chaff, by an Arrhenius rate. The colour index
fades from green to dark:

.. math:: \ln\frac{c_0 - c_\infty}{c - c_\infty} = B \int e^{-E/T_b} dt

``A`` and ``B`` are fitted to weighed and measured batches; the activation temperatures are kept, for a handful of
batches cannot tell.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.model.simulation import KELVIN, Simulated
from firnel.core.vocabulary import FloatArray

#: Activation temperatures of dry matter loss and of colour, from memory of kinetics of roasting (110 and 95 kJ/mol). [K]
LOSS_K, COLOUR_K = 13200.0, 11400.0
#: Colour index of green and of the darkest roast; common practice, no published source.
GREEN_COLOUR, DARK_COLOUR = 92.0, 25.0
#: Logarithms of the usual rates, and how far they are trusted, before a batch was weighed or measured.
USUAL_LOSS_RATE, USUAL_COLOUR_RATE, RATE_SD = 19.2, 17.6, 0.7
LOSS_MISFIT, COLOUR_MISFIT = 0.004, 1.5


@dataclass(frozen=True)
class RoastLevel:
    """Fitted rates, as logarithms, and the misfit left: of loss as a share, of colour in index points."""

    loss_rate: float = USUAL_LOSS_RATE
    colour_rate: float = USUAL_COLOUR_RATE
    loss_sd: float = 0.02
    colour_sd: float = 6.0
    batches: int = 0

    def loss(self, simulated: Simulated, moisture: float, until: float | None = None) -> FloatArray:
        """Weight loss, shape (m,), at time ``until`` [s] or the end; ``moisture`` of the green, wet basis."""
        return np.asarray(self.losses(simulated, moisture)[_index(simulated, until)])

    def colour(self, simulated: Simulated, until: float | None = None) -> FloatArray:
        """Colour index, shape (m,), at time ``until`` [s] or the end."""
        return np.asarray(self.colours(simulated)[_index(simulated, until)])

    def losses(self, simulated: Simulated, moisture: float) -> FloatArray:
        """Weight loss at every moment, shape (n + 1, m)."""
        water = (1.0 - moisture) * (simulated.moisture[0] - simulated.moisture)
        return np.asarray(water + (1.0 - moisture) * np.exp(self.loss_rate) * _burnt(simulated, LOSS_K))

    def colours(self, simulated: Simulated) -> FloatArray:
        """Colour index at every moment, shape (n + 1, m)."""
        faded = np.exp(self.colour_rate) * _burnt(simulated, COLOUR_K)
        return np.asarray(DARK_COLOUR + (GREEN_COLOUR - DARK_COLOUR) * np.exp(-faded))


def _index(simulated: Simulated, until: float | None) -> int:
    return -1 if until is None else int(np.clip(np.searchsorted(simulated.t, until), 0, simulated.t.size - 1))


def _burnt(simulated: Simulated, activation: float) -> FloatArray:
    """Integral of the Arrhenius factor over time, shape (n + 1, m). [s]"""
    factor = np.exp(-activation / (simulated.bean + KELVIN))
    steps = 0.5 * (factor[1:] + factor[:-1]) * np.diff(simulated.t)[:, None]
    return np.vstack([np.zeros((1, factor.shape[1])), np.cumsum(steps, axis=0)])


@dataclass(frozen=True)
class LevelSample:
    """A batch that was weighed or measured, as the model made it."""

    simulated: Simulated
    moisture: float
    drop_t: float
    loss: float | None
    colour: float | None


def fit_level(samples: Sequence[LevelSample]) -> RoastLevel:
    """Rates from weighed and measured batches, each shrunk towards the usual."""
    usual = RoastLevel()
    losses, colours = [], []
    for sample in samples:
        index = _index(sample.simulated, sample.drop_t)
        if sample.loss is not None and 0.0 < sample.loss < 0.4:
            water = (1.0 - sample.moisture) * float(sample.simulated.moisture[0, 0] - sample.simulated.moisture[index, 0])
            burnt = (1.0 - sample.moisture) * float(_burnt(sample.simulated, LOSS_K)[index, 0])
            losses.append((np.log(max(sample.loss - water, 0.002) / burnt), LOSS_MISFIT / max(sample.loss - water, 0.01)))
        if sample.colour is not None and DARK_COLOUR < sample.colour < GREEN_COLOUR:
            faded = np.log((GREEN_COLOUR - DARK_COLOUR) / (sample.colour - DARK_COLOUR))
            burnt = float(_burnt(sample.simulated, COLOUR_K)[index, 0])
            colours.append((np.log(faded / burnt), COLOUR_MISFIT / ((sample.colour - DARK_COLOUR) * faded)))
    loss_rate, colour_rate = _shrunk(USUAL_LOSS_RATE, losses), _shrunk(USUAL_COLOUR_RATE, colours)
    level = RoastLevel(loss_rate, colour_rate, usual.loss_sd, usual.colour_sd, len(samples))
    off_loss = [float(level.loss(s.simulated, s.moisture, s.drop_t)[0]) - s.loss for s in samples if s.loss is not None]
    off_colour = [float(level.colour(s.simulated, s.drop_t)[0]) - s.colour for s in samples if s.colour is not None]
    return RoastLevel(
        loss_rate, colour_rate, _spread(off_loss, usual.loss_sd), _spread(off_colour, usual.colour_sd), len(samples)
    )


def _shrunk(usual: float, seen: Sequence[tuple[float, float]]) -> float:
    """Mean of what was seen and of what is usual, weighed by how well each is known."""
    weights = [1.0 / (sd**2 + 0.05**2) for _, sd in seen]
    prior = 1.0 / RATE_SD**2
    return (prior * usual + sum(w * value for w, (value, _) in zip(weights, seen, strict=True))) / (prior + sum(weights))


def _spread(off: Sequence[float], usual: float) -> float:
    """Root mean square of what is left, held by three imagined batches of the usual spread."""
    return float(np.sqrt((3.0 * usual**2 * (1.0 if len(off) < 2 else 0.05) + sum(x * x for x in off)) / (3.0 + len(off))))
