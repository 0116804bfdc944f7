"""How fast the bean probe keeps leaving the model while a batch runs, where that is more than noise.

Where the equations go wrong they do so for minutes: on a drum that is driven as no log of it was, the probe keeps rising
faster or slower than is foretold. That the bias of a model is worth following beside its state is of Dee and da Silva [1]_.

References
----------
.. [1] D. P. Dee, A. M. da Silva, "Data assimilation in the presence of forecast bias",
   Quarterly Journal of the Royal Meteorological Society 124 (1998) 269-295.
"""

from __future__ import annotations

import numpy as np

from firnel.core.vocabulary import FloatArray

#: The rate is a mean over so long, of so many takes at least. [s]
OVER_S, FEWEST = 60.0, 4
#: How neighbours differ over so long [s] tells the noise of one take; it is not less than this [degC/min], and counts so often.
SCATTER_S, LEAST_NOISE, CLEAR = 150.0, 0.3, 4.0
#: It dies away over so long: a hand that answers it, or steel that comes after, ends it. [s]
LASTS_S = 120.0


class Leaving:
    """Of one batch: what each take says of it goes in, what is to come of it out."""

    def __init__(self) -> None:
        self._takes: list[tuple[float, float]] = []

    def note(self, t: float, rate: float) -> None:
        """The probe left the members at ``rate`` [degC/min] in the time up to ``t``. [s]"""
        self._takes = [*(take for take in self._takes if take[0] > t - SCATTER_S), (t, rate)]

    def comes_to(self, now: float, ahead_s: FloatArray) -> FloatArray:
        """What the probe will have left the members by, so many seconds behind ``now`` [s], any shape. [degC]"""
        rates = np.array([rate for _, rate in self._takes])
        late = sum(t > now - OVER_S - 1e-6 for t, _ in self._takes)
        return np.asarray(persisting(rates, late) * LASTS_S * -np.expm1(-ahead_s / LASTS_S) / 60.0)


def persisting(rates: FloatArray, late: int) -> float:
    """What is more than noise in the mean of the latest rates at which a probe leaves its model. [degC/min]

    How neighbours differ tells the noise of one, and so that of their mean; a mean that is not clear of it is nought, as by the
    positive part of James and Stein's estimator. Of a thermometer that wanders nothing is left.

    Parameters
    ----------
    rates : one after the other, shape (n,). [degC/min]
    late : how many of the last of them count.
    """
    if late < FEWEST:
        return 0.0
    mean = float(rates[-late:].mean())
    noise = max(0.5 * float(np.mean(np.diff(rates) ** 2)), LEAST_NOISE**2) / late
    return mean * max(1.0 - CLEAR * noise / mean**2, 0.0) if mean else 0.0
