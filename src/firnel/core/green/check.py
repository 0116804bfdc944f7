"""What a lot can be: a name that can be read, figures that green coffee can have."""

from __future__ import annotations

import math

from firnel.core.names import check_name
from firnel.core.vocabulary import Lot
from firnel.core.words import tr

#: The longest text of a remark.
LONGEST_REMARK = 2000
#: Lowest and highest of each figure; common practice, no published source. [as in `Lot`]
BOUNDS: dict[str, tuple[float, float, str]] = {
    "altitude_m": (-100.0, 4000.0, " m"),
    "density_g_per_l": (450.0, 950.0, " g/L"),
    "moisture": (0.03, 0.20, tr(", as a share of the weight")),
    "water_activity": (0.1, 1.0, ""),
    "mean_mm": (3.0, 10.0, " mm"),
    "bags": (0.0, 1e5, ""),
    "price_per_kg": (0.0, 1e6, tr(" a kg")),
    "on_hand_kg": (0.0, 1e6, " kg"),
}
WORDS = {
    "altitude_m": tr("An altitude"), "density_g_per_l": tr("A density"), "moisture": tr("A moisture"),
    "water_activity": tr("A water activity"), "mean_mm": tr("A bean size"), "bags": tr("A number of bags"),
    "price_per_kg": tr("A price"), "on_hand_kg": tr("A weight on hand"),
}  # fmt: skip
#: The longest text of each fact.
LONGEST = {
    "origin": 100, "station": 100, "variety": 100, "process": 100, "harvest": 40, "arrival": 40, "replaces": 120,
}  # fmt: skip


def check_lot(lot: Lot) -> None:
    """Refuse what no lot can be.

    Raises
    ------
    ValueError : with a sentence on what is wrong.
    """
    check_name(tr("a lot"), lot.name)
    for name, (low, high, unit) in BOUNDS.items():
        value = getattr(lot, name)
        if value is not None and not (math.isfinite(value) and low <= value <= high):
            raise ValueError(tr("{} of {:g} cannot be: it lies between {:g} and {:g}{}.", WORDS[name], value, low, high, unit))
    for name, most in LONGEST.items():
        if len(getattr(lot, name)) > most:
            raise ValueError(tr("The {} of {} is longer than {} letters.", name, lot.name, most))
    if len(lot.remark) > LONGEST_REMARK:
        raise ValueError(tr("The remark on {} is longer than {} letters.", lot.name, LONGEST_REMARK))
