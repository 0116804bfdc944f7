"""What a lot can be: a name that can be read, figures that green coffee can have."""

from __future__ import annotations

import math

from firnel.core.names import check_name
from firnel.core.vocabulary import Lot

#: The longest text of a fact, and of the remark.
LONGEST_FACT, LONGEST_REMARK = 100, 2000
#: Lowest and highest of each figure; common practice, no published source. [as in `Lot`]
BOUNDS: dict[str, tuple[float, float, str]] = {
    "altitude_m": (-100.0, 4000.0, " m"),
    "density_g_per_l": (450.0, 950.0, " g/L"),
    "moisture": (0.03, 0.20, ", as a share of the weight"),
    "water_activity": (0.1, 1.0, ""),
    "mean_mm": (3.0, 10.0, " mm"),
    "bags": (0.0, 1e5, ""),
    "price_per_kg": (0.0, 1e6, " a kg"),
    "on_hand_kg": (0.0, 1e6, " kg"),
}
WORDS = {
    "altitude_m": "An altitude", "density_g_per_l": "A density", "moisture": "A moisture", "water_activity": "A water activity",
    "mean_mm": "A bean size", "bags": "A number of bags", "price_per_kg": "A price", "on_hand_kg": "A weight on hand",
}  # fmt: skip
TEXTS = ("origin", "station", "variety", "process", "harvest", "arrival", "replaces")


def check_lot(lot: Lot) -> None:
    """Refuse what no lot can be.

    Raises
    ------
    ValueError : with a sentence on what is wrong.
    """
    check_name("a lot", lot.name)
    for name, (low, high, unit) in BOUNDS.items():
        value = getattr(lot, name)
        if value is not None and not (math.isfinite(value) and low <= value <= high):
            raise ValueError(f"{WORDS[name]} of {value:g} cannot be: it lies between {low:g} and {high:g}{unit}.")
    for name in TEXTS:
        if len(getattr(lot, name)) > LONGEST_FACT:
            raise ValueError(f"The {name} of {lot.name} is longer than {LONGEST_FACT} letters.")
    if len(lot.remark) > LONGEST_REMARK:
        raise ValueError(f"The remark on {lot.name} is longer than {LONGEST_REMARK} letters.")
