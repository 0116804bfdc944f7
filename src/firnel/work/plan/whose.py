"""The lot and the machine of a plan or a batch in the library: by key, and by name only where it comes from elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

from firnel.core.day.coffee import Blending
from firnel.core.green.blended import BlendedLot, blended
from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Lot, Machine
from firnel.store.batch_list import BatchLine
from firnel.store.library import Library


def machine_of(library: Library, of: Plan | BatchRecord | BatchLine) -> Machine | None:
    """Its machine; None where the library has none."""
    if not of.machine and of.machine_id is None:
        return None
    key, name = of.machine_id, of.machine
    return next((one for one in library.machines() if (one.id == key if key is not None else one.name == name)), None)


def lot_of(library: Library, of: Plan | BatchRecord | BatchLine) -> Lot | None:
    """Its lot, of a coffee whose green is blended before the roast all of them as one; None where the library has none."""
    lots = library.lots()
    plan_id = of.id if isinstance(of, Plan) else of.plan_id
    if plan_id is not None and (blend := green_blends(library, lots).get(plan_id)) is not None:
        return blend
    if not of.lot and of.lot_id is None:
        return None
    key, name = of.lot_id, of.lot
    return next((one for one in lots if (one.id == key if key is not None else one.name == name)), None)


def green_blends(library: Library, lots: Sequence[Lot] | None = None) -> dict[int, BlendedLot]:
    """The blended green of each plan by which it is roasted, by the plan's id."""
    coffees = [one for one in library.order_book.coffees() if one.blend and one.blending is Blending.GREEN]
    if not coffees:
        return {}
    known = {lot.name: lot for lot in (library.lots() if lots is None else lots)}
    found: dict[int, BlendedLot] = {}
    for coffee in sorted(coffees, key=lambda one: not one.archived):  # what is sold now has the last word
        parts = [(known[part.lot], part.share) for part in coffee.components if part.lot in known]
        if len(parts) > 1:
            found |= {plan: blended(coffee.name, parts) for plan in coffee.components[0].plans}
    return found


def plan_of(library: Library, of: BatchRecord | BatchLine) -> Plan | None:
    """The plan of a batch as it is now; None where it had none, or the library has it not."""
    if not of.plan and of.plan_id is None:
        return None
    key, name = of.plan_id, of.plan
    return next((one for one in library.plans() if (one.id == key if key is not None else one.name == name)), None)
