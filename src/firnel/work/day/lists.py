"""What to weigh of each lot, and what goes into each order."""

from __future__ import annotations

from collections.abc import Container, Sequence
from dataclasses import dataclass

from firnel.core.day.coffee import Blending
from firnel.core.day.need import Taken
from firnel.core.day.order import Order
from firnel.core.day.timeline import DayPlan
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.work.day import queue
from firnel.work.plan.whose import green_blends


@dataclass(frozen=True)
class WeighRow:
    """Green to weigh of one lot: how many batches of which load, all of it, and what is on hand. [kg]"""

    lot: str
    loads: tuple[tuple[int, float], ...]
    kg: float
    on_hand_kg: float | None
    weighed_kg: float = 0.0  #: of it what stands weighed


@dataclass(frozen=True)
class PackRow:
    """What goes into one order: of which batch how much, how it has rested; and what is still to be roasted. [kg]"""

    order: Order
    from_stock: tuple[Taken, ...]
    to_roast_kg: float

    @property
    def ready(self) -> bool:
        """Whether it can be packed now."""
        return self.to_roast_kg <= 0.0


def weigh_rows(plan: DayPlan, waiting: Sequence[queue.Waiting], library: Library) -> tuple[WeighRow, ...]:
    """Green to weigh by lot: of the plan, and of what waits and is not weighed."""
    loads: dict[str, list[float]] = {}
    for block in plan.batches:
        share = block.share
        if share is None:
            continue
        coffee = share.need.coffee
        if coffee.blend and coffee.blending is Blending.GREEN:
            for part in coffee.components:
                loads.setdefault(part.lot, []).append(share.load_kg * part.share)
        else:
            loads.setdefault(share.need.lot, []).append(share.load_kg)
    blends, stands = green_blends(library), dict[str, float]()
    for one in waiting:
        blend = blends.get(one.plan.id or 0)
        parts = [(lot.name, share) for lot, share in blend.parts] if blend is not None else [(one.lot, 1.0)]
        for name, of_load in parts if one.load_kg else ():
            load = (one.load_kg or 0.0) * of_load
            loads.setdefault(name, []).append(load)
            stands[name] = stands.get(name, 0.0) + (load if one.weighed else 0.0)
    on_hand = {lot.name: lot.on_hand_kg for lot in library.lots()}
    rows = []
    for lot, several in sorted(loads.items()):
        rounded = [round(load, 3) for load in several]
        counted = tuple((rounded.count(load), load) for load in dict.fromkeys(rounded))
        rows.append(WeighRow(lot, counted, sum(rounded), on_hand.get(lot), round(stands.get(lot, 0.0), 3)))
    return tuple(rows)


def short_of_green(weigh: Sequence[WeighRow], library: Library) -> list[str]:
    """Lots that do not suffice, and what takes their place."""
    said = []
    lots = [lot for lot in library.lots() if not lot.archived]
    for row in weigh:
        if row.on_hand_kg is None or row.kg <= row.on_hand_kg + 1e-6:
            continue
        follows = next((lot for lot in lots if lot.replaces == row.lot), None)
        lacks = tr(
            "{} is short by {:.1f} kg ({:.1f} to weigh, {:.1f} on hand)",
            row.lot,
            row.kg - row.on_hand_kg,
            row.kg,
            row.on_hand_kg,
        )
        if follows is None:
            said.append(f"{lacks}.")
            continue
        arrives = tr(", arrives {}", follows.arrival) if follows.arrival else ""
        have = tr(", {:.0f} kg", follows.on_hand_kg) if follows.on_hand_kg else ""
        said.append(tr("{}; {} takes its place{}{}.", lacks, follows.name, have, arrives))
    return said


def pack_rows(orders: Sequence[Order], taken: Sequence[Taken], expected: Container[int]) -> tuple[PackRow, ...]:
    """What goes into each order; what is only expected (by the ids of its stock) counts as to be roasted."""
    rows = []
    for order in orders:
        own = tuple(one for one in taken if one.order == order and id(one.stock) not in expected)
        missing = order.kg - sum(one.kg for one in own)
        rows.append(PackRow(order, own, round(missing, 3) if missing > 0.02 else 0.0))
    return tuple(rows)


def without_origin(lot: str) -> str:
    """A lot by its station, where room is short: the origin that its name begins with says less.

    >>> without_origin("Bolivia Cerro Lindal")
    'Cerro Lindal'
    """
    return lot.partition(" ")[2] or lot
