"""The lot and the machine of a plan or a batch in the library: by key, and by name only where it comes from elsewhere."""

from __future__ import annotations

from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Lot, Machine
from firnel.store.library import BatchLine, Library


def machine_of(library: Library, of: Plan | BatchRecord | BatchLine) -> Machine | None:
    """Its machine; None where the library has none."""
    if not of.machine and of.machine_id is None:
        return None
    key, name = of.machine_id, of.machine
    return next((one for one in library.machines() if (one.id == key if key is not None else one.name == name)), None)


def lot_of(library: Library, of: Plan | BatchRecord | BatchLine) -> Lot | None:
    """Its lot; None where the library has none."""
    if not of.lot and of.lot_id is None:
        return None
    key, name = of.lot_id, of.lot
    return next((one for one in library.lots() if (one.id == key if key is not None else one.name == name)), None)


def plan_of(library: Library, of: BatchRecord | BatchLine) -> Plan | None:
    """The plan of a batch as it is now; None where it had none, or the library has it not."""
    if not of.plan and of.plan_id is None:
        return None
    key, name = of.plan_id, of.plan
    return next((one for one in library.plans() if (one.id == key if key is not None else one.name == name)), None)
