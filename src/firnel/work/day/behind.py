"""All that stands behind a coffee that is looked at: its lots and plans, what they give, and what it is cupped against."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from firnel.core.day.coffee import Blending, Coffee
from firnel.core.plan import Plan
from firnel.store.library import Library
from firnel.work.bench.mixes import mix_words, reference_of
from firnel.work.day.orders import coffees, open_orders
from firnel.work.day.shelf_stock import BlendFacts, blend_facts, on_shelf
from firnel.work.day.succession import followers


@dataclass(frozen=True)
class Behind:
    """What a coffee costs and can give; the mix that a blend of roasted coffee is held against, in words; lots with those
    that take their place; and the lots and plans that a coffee can be made of."""

    facts: BlendFacts
    reference: str | None
    follows: tuple[tuple[str, str], ...]
    lots: tuple[str, ...]
    plans: tuple[Plan, ...]


@dataclass(frozen=True)
class Sold:
    """A coffee, what of it is on the shelf, and what is ordered. [kg]"""

    coffee: Coffee
    shelf_kg: float
    ordered_kg: float


def sold(library: Library, today: date) -> list[Sold]:
    """All coffees as they stand; what is on the shelf counts for the first coffee that it can be."""
    there, orders = on_shelf(library, today), open_orders(library)
    return [
        Sold(
            coffee,
            sum(one.kg for one in there if one.coffees[:1] == (coffee.name,)),
            sum(order.kg for order in orders if order.coffee == coffee.name),
        )
        for coffee in coffees(library)
    ]


def mixed_after(coffee: Coffee) -> bool:
    """Whether it is a blend that is mixed after the roast."""
    return coffee.blend and coffee.blending is Blending.ROASTED


def behind(library: Library, coffee: Coffee) -> Behind:
    """Look at what stands behind a coffee."""
    reference = reference_of(library, coffee.name) if mixed_after(coffee) else None
    return Behind(
        blend_facts(library, coffee),
        None if reference is None else mix_words(library, reference),
        tuple(followers(library, coffee)),
        tuple(lot.name for lot in library.lots() if not lot.archived and not lot.sample),
        tuple(plan for plan in library.plans() if not plan.archived and plan.machine_id is not None),
    )
