"""How wide what is told must be: by what came of earlier forecasts, so that eight intervals in ten hold."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

#: Half an 80 % interval of a normal, in standard deviations.
HALF_80 = 1.2816
#: Before a machine has shown its own, intervals are this wide, as if so many forecasts had said so; from drums that were drawn
#: and logged (`bench/machines.py`), rounded.
USUAL, IMAGINED = 0.6, 5.0
#: The same of first crack of a lot that is new to the machine: how far its lots lie apart is seen in few of them, and all
#: batches of one tell the same. As if so many lots had said so; from other drums that were drawn.
USUAL_NEW, IMAGINED_LOTS = 0.7, 3.0
#: One that was off by more than this many standard deviations counts as if by this; factors stay between these.
MOST_OFF, NARROWEST, WIDEST = 2.6, 0.4, 2.5
#: Errors of marks and landings have heavier tails than a normal: the few far ones weigh more in their root mean square than
#: they do for eight in ten. By so much less; from drums that were drawn, strange and logged (`bench/machines.py`), rounded.
TAILS = 0.88


@dataclass(frozen=True)
class Widths:
    """By how much intervals are stretched about their middle: of the ensemble for yellow, first crack, the landing and the fan
    of the bean probe; and of the steel that idling tells."""

    yellow: float = 1.0
    crack: float = 1.0
    new_lot: float = 1.0  #: of first crack, where the lot never came to one on this machine
    landing: float = 1.0
    fan: float = 1.0
    steel: float = 1.0


def new_lot_stretch(lots: Iterable[Sequence[tuple[float, float]]]) -> float:
    """The factor for first crack of a new lot, from what came of such forecasts, lot by lot: pairs as `stretch` takes them."""
    squares = ([(error / half) ** 2 for error, half in lot if half > 0.0] for lot in lots)
    return stretch([(float(np.sqrt(np.mean(of))), 1.0) for of in squares if of], USUAL_NEW, imagined=IMAGINED_LOTS)


def stretch(
    off: Sequence[tuple[float, float]],
    usual: float = USUAL,
    widest: float = WIDEST,
    tails: float = 1.0,
    imagined: float = IMAGINED,
) -> float:
    """The factor by which intervals are to be stretched.

    Parameters
    ----------
    off : what came less what was said, and half the 80 % interval that was said with it, in one unit.
    usual : what is thought beforehand.
    widest : no factor is larger.
    tails : by how much less what came counts, where its tails are heavy.
    imagined : as if so many had said ``usual``.
    """
    scaled = np.array([HALF_80 * error / half for error, half in off if half > 0.0])
    scaled = np.clip(np.abs(scaled), 0.0, max(MOST_OFF, widest))
    square = (imagined * usual**2 + float(np.sum((tails * scaled) ** 2))) / (imagined + scaled.size)
    return float(np.clip(np.sqrt(square), NARROWEST, widest))
