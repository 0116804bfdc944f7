"""The batches that wait to be roasted, in their order; kept in the library, so that every window shows the same."""

from __future__ import annotations

from dataclasses import dataclass, replace

from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.store.waiting_book import Waiting
from firnel.work.plan.whose import green_blends
from firnel.work.roast.batch_order import BatchOrder

__all__ = [
    "OnOffer",
    "Waiting",
    "add",
    "next_for",
    "on_offer",
    "order_of",
    "put_back",
    "queue",
    "raise_up",
    "remove",
    "taken_out",
    "waiting_for",
]

#: A load that was labelled for a plan is this one's where their weights agree to this share.
SAME_LOAD = 0.005


def queue(library: Library) -> list[Waiting]:
    """All that wait, first things first; green that is blended before goes under the name of its coffee."""
    return _named(library, library.waiting_book.all())


def _named(library: Library, waiting: list[Waiting]) -> list[Waiting]:
    blends = green_blends(library)
    return [replace(one, lot=blends[one.plan.id].name) if one.plan.id in blends else one for one in waiting]


def taken_out(library: Library) -> list[Waiting]:
    """What was taken out, the latest first."""
    return library.waiting_book.taken_out()


def add(library: Library, plan: Plan, count: int = 1, load_kg: float | None = None, printed: bool = False) -> list[Waiting]:
    """Put batches of a plan at the end, each with its number.

    Raises
    ------
    ValueError : if the plan is not kept yet, or the count makes no sense.
    """
    if plan.id is None:
        raise ValueError(tr("the plan {!r} is not kept yet: save it first.", plan.name))
    if not 1 <= count <= 60:
        raise ValueError(tr("{} batches cannot be queued at once: 1 to 60.", count))
    return _named(library, library.waiting_book.add(plan, count, load_kg if load_kg is not None else plan.load_kg, printed))


def remove(library: Library, one: Waiting) -> None:
    """Take one out; its number stays its own."""
    library.waiting_book.set_state(one.id, "out")


def put_back(library: Library, one: Waiting) -> None:
    """One that was taken out waits again, under its number."""
    library.waiting_book.set_state(one.id, "waiting")


def raise_up(library: Library, one: Waiting) -> None:
    """Let one go before the one ahead of it."""
    waiting = queue(library)
    index = next((index for index, other in enumerate(waiting) if other.id == one.id), 0)
    if index > 0:
        library.waiting_book.swap(one.id, waiting[index - 1].id)


def all_for(library: Library, machine: Machine | None) -> list[Waiting]:
    """What this machine can roast, first things first; any machine's where none is connected."""
    own = None if machine is None else machine.id
    return [one for one in queue(library) if own is None or one.machine_id in (None, own)]


def next_for(library: Library, machine: Machine | None) -> Waiting | None:
    """The first of them."""
    return next(iter(all_for(library, machine)), None)


@dataclass(frozen=True)
class OnOffer:
    """What a batch can be prepared of, nothing that was put away; and what waits, first things first."""

    lots: list[Lot]
    machines: list[Machine]
    plans: list[Plan]
    waiting: list[Waiting]

    @property
    def next(self) -> Waiting | None:
        """The one that waits next."""
        return next(iter(self.waiting), None)


def on_offer(library: Library, machine: Machine | None) -> OnOffer:
    """What a batch can be prepared of on a machine."""
    return OnOffer(
        [lot for lot in library.lots() if not lot.archived],
        [one for one in library.machines() if not one.archived],
        [plan for plan in library.plans() if not plan.archived],
        all_for(library, machine),
    )


def waiting_for(library: Library, order: BatchOrder) -> Waiting | None:
    """The load that waits for what is to be prepared: the same plan, version and weight."""
    plan = order.plan
    if plan is None or plan.id is None:
        return None
    for one in queue(library):
        same = one.plan.id == plan.id and one.plan.version == plan.version
        if same and _near(one.load_kg, order.load_kg):
            return one
    return None


def order_of(library: Library, one: Waiting) -> BatchOrder:
    """What is to be prepared for it: the plan as it was when it was queued."""
    lot = next((lot for lot in library.lots() if lot.id == one.lot_id), None)
    machine = next((machine for machine in library.machines() if machine.id == one.machine_id), None)
    return BatchOrder(lot, machine, one.plan, one.load_kg, waiting_id=one.id)


def _near(first: float | None, second: float | None) -> bool:
    if first is None or second is None:
        return True
    return abs(first - second) <= SAME_LOAD * max(first, second)
