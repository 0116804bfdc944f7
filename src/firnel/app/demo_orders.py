"""The coffees that the invented roastery sells, and what is ordered of them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from firnel.core.day.coffee import Coffee, Component, Level
from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot
from firnel.store.library import Library
from firnel.work.day.orders import add_lines, keep_coffee

#: Coffee, level, whether it goes last, and its lots: share and plans.
SOLD: tuple[tuple[str, Level, tuple[tuple[str, float, tuple[str, ...]], ...]], ...] = (
    ("Isuka Filter", Level.LIGHT, (("Rwanda Isuka", 1.0, ("Isuka filter",)),)),
    ("Mwelika Filter", Level.LIGHT, (("Tanzania Mwelika", 1.0, ("Mwelika filter",)),)),
    ("Mparazi Natural", Level.MEDIUM, (("Burundi Mparazi", 1.0, ("Mparazi gentle",)),)),
    ("Lindal Espresso", Level.MEDIUM, (("Bolivia Cerro Lindal", 1.0, ("Lindal espresso",)),)),
    ("Quillbank House", Level.DARK, (
        ("Bolivia Cerro Lindal", 0.6, ("Lindal espresso",)), ("India Kelavani", 0.4, ("Kelavani house",)),
    )),
    ("Rwebisho Natural", Level.MEDIUM, (("Uganda Rwebisho", 1.0, ("Rwebisho three heaters",)),)),
)  # fmt: skip
#: Days ahead that are due today or on the next days, and what is wanted.
ORDERED = (
    (0, "60 x 250 g Isuka Filter every week", "Heron Street Café"),
    (0, "12 kg Quillbank House", "The Slow Ferry"),
    (0, "8 x 1 kg Mwelika Filter", "Tern & Daughters"),
    (0, "6 kg Mparazi Natural", "Heron Street Café"),
    (0, "4 x 5 kg Lindal Espresso every week", "Lamplight Canteen"),
    (0, "9 kg Rwebisho Natural", "The Slow Ferry"),
    (1, "25 kg Quillbank House", "Lamplight Canteen"),
    (3, "40 x 250 g Mparazi Natural", "Tern & Daughters"),
)


#: What is coming: the picking that follows a lot which runs low, and samples of what may be bought.
COMING = (
    Lot("India Velakuni", "India", "Velakuni estate", "selection", "honey", 1180, "2026-10", "2026-11", 60.0, 702.0,
        0.109, price_per_kg=7.1, bags=2, replaces="India Kelavani"),
    Lot("Uganda Namora", "Uganda", "Namora", "local mix", "washed", 1560, "2026-09", on_hand_kg=0.35,
        density_g_per_l=721.0, moisture=0.111, remark="Clean in the bag; roast it at 100 g.", sample="offer"),
    Lot("Rwanda Tuvira", "Rwanda", "Tuvira hill", "red bourbon", "natural", 1820, "2026-08", on_hand_kg=0.5,
        density_g_per_l=715.0, moisture=0.116, remark="As the arrival last year?", sample="pre-shipment"),
)  # fmt: skip


def sell(library: Library, plans: Mapping[str, Plan], today: datetime, since: datetime) -> None:
    """Put the coffees on sale: what was roasted ``since`` then is on the shelf; and take the orders."""
    for name, level, parts in SOLD:
        ids = [tuple(key for plan in own if (key := plans[plan].id) is not None) for _, _, own in parts]
        components = tuple(Component(lot, share, keys) for (lot, share, _), keys in zip(parts, ids, strict=True))
        keep_coffee(library, Coffee(name, components, level=level), since.astimezone(UTC))
    day = today.astimezone().date()
    for ahead, what, whom in ORDERED:
        add_lines(library, f"{what} {day + timedelta(days=ahead):%Y-%m-%d} for {whom}", day)
