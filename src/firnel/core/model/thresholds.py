"""Yellow and first crack as bean temperatures: what the machine, the process, the density and the lot let expect.

A mark is the machine's mean, plus what density, moisture and process usually do, plus the lot's own deviation, plus
the batch's. All are normal, so what is expected of a new batch follows in closed form: few marks lean on the
machine, many on the lot.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.model.logged import USUAL_DENSITY, USUAL_MOISTURE
from firnel.core.vocabulary import FloatArray

#: Spread of a lot around what density, moisture and process let expect, and of a batch around its lot. [degC]
LOT_SD, BATCH_SD = 1.0, 0.65
#: Spread of the machine's mean, and of the effect of 50 g/L, of one point of moisture, of each process. [degC]
EFFECT_SD = (15.0, 1.0, 0.7, 1.5, 1.5)
#: Where no mark has been seen: common practice, no published source. [degC]
USUAL_YELLOW_C, USUAL_CRACK_C = 155.0, 197.0


@dataclass(frozen=True)
class GreenTraits:
    """What is known of the green that bears on its marks."""

    lot: str
    density: float = USUAL_DENSITY
    moisture: float = USUAL_MOISTURE
    process: str = ""

    def effects(self) -> FloatArray:
        """The row of the regression, shape (5,)."""
        process = self.process.lower()
        dried_whole = "natural" in process or "anaerobic" in process
        altered = "decaf" in process or "wet-hulled" in process
        return np.array(
            [1.0, (self.density - USUAL_DENSITY) / 50.0, (self.moisture - USUAL_MOISTURE) / 0.01, dried_whole, altered], float
        )


@dataclass(frozen=True)
class Threshold:
    """The bean temperature at which a mark comes: what has been seen so far.

    ``usual`` is expected before anything was seen; ``traits``, ``seen`` [degC] and ``labels`` are the marked batches.
    """

    usual: float
    traits: tuple[GreenTraits, ...] = ()
    seen: tuple[float, ...] = ()
    labels: tuple[str, ...] = ()

    def without(self, label: str) -> Threshold:
        """The same, had that batch not been marked: a forecast must not know its own batch's mark beforehand."""
        kept = [index for index in range(len(self.seen)) if index >= len(self.labels) or self.labels[index] != label]
        labels = tuple(self.labels[index] for index in kept if index < len(self.labels))
        return Threshold(self.usual, tuple(self.traits[i] for i in kept), tuple(self.seen[i] for i in kept), labels)

    def expect(self, green: GreenTraits) -> tuple[float, float]:
        """Mean and standard deviation for a batch to come of this green. [degC]"""
        weight = np.diag(np.square(EFFECT_SD))
        row = green.effects()
        own = float(row @ weight @ row) + LOT_SD**2 + BATCH_SD**2
        if not self.traits:
            return self.usual, float(np.sqrt(own))
        rows = np.stack([traits.effects() for traits in self.traits])
        same = np.array([[a.lot == b.lot for b in self.traits] for a in self.traits], float)
        covariance = rows @ weight @ rows.T + LOT_SD**2 * same + BATCH_SD**2 * np.eye(len(self.traits))
        across = rows @ weight @ row + LOT_SD**2 * np.array([traits.lot == green.lot for traits in self.traits], float)
        gain = np.linalg.solve(covariance, across)
        mean = self.usual + float(gain @ (np.array(self.seen) - self.usual))
        return mean, float(np.sqrt(max(own - float(gain @ across), BATCH_SD**2)))


def threshold_from(usual: float, marks: Sequence[tuple[GreenTraits, float]], labels: Sequence[str] = ()) -> Threshold:
    """A threshold from marked batches: the green, and the bean temperature at the mark [degC]; and their labels."""
    return Threshold(usual, tuple(traits for traits, _ in marks), tuple(float(seen) for _, seen in marks), tuple(labels))
