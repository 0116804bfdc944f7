"""The batches that wait to be roasted, in their order; kept by the house, so that every window shows the same."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from firnel.core.plan import Plan
from firnel.core.vocabulary import Machine
from firnel.store.library import Library
from firnel.work.roast.session import BatchOrder

NAME = "queue"


@dataclass(frozen=True)
class Queued:
    """One batch that waits: the number it is going to get, its plan and load [kg]."""

    number: str
    plan: Plan
    load_kg: float | None


def queue(library: Library) -> list[Queued]:
    """All that wait, first things first; batches of plans that are gone are left out."""
    plans = {plan.id: plan for plan in library.plans()}
    kept = [(plans[key], entry["load_kg"]) for entry in _entries(library) if (key := entry["plan"]) in plans]
    return [Queued(number, plan, load) for number, (plan, load) in zip(library.next_labels(len(kept)), kept, strict=True)]


def add(library: Library, plan: Plan, count: int = 1, load_kg: float | None = None) -> None:
    """Put batches of a plan at the end.

    Raises
    ------
    ValueError : if the plan is not kept yet, or the count makes no sense.
    """
    if plan.id is None:
        raise ValueError(f"the plan {plan.name!r} is not kept yet: save it first.")
    if not 1 <= count <= 60:
        raise ValueError(f"{count} batches cannot be queued at once: 1 to 60.")
    entry = {"plan": plan.id, "load_kg": load_kg if load_kg is not None else plan.load_kg}
    _keep(library, [*_entries(library), *[entry] * count])


def remove(library: Library, index: int) -> None:
    """Take one out."""
    entries = _entries(library)
    _keep(library, entries[:index] + entries[index + 1 :])


def raise_up(library: Library, index: int) -> None:
    """Let one go before the one ahead of it."""
    entries = _entries(library)
    if 0 < index < len(entries):
        entries[index - 1 : index + 1] = entries[index], entries[index - 1]
        _keep(library, entries)


def next_for(library: Library, machine: Machine | None) -> tuple[int, Queued] | None:
    """The first that this machine can roast, and its place; any machine's where none is connected."""
    for index, one in enumerate(queue(library)):
        if machine is None or one.plan.machine in ("", machine.name):
            return index, one
    return None


def order_of(library: Library, one: Queued) -> BatchOrder:
    """What is to be prepared for it."""
    lot = next((lot for lot in library.lots() if lot.name == one.plan.lot), None)
    machine = next((machine for machine in library.machines() if machine.name == one.plan.machine), None)
    return BatchOrder(lot, machine, one.plan, one.load_kg)


def prepared(library: Library, order: BatchOrder) -> None:
    """A batch was prepared: if it is one that waits, it waits no more."""
    plan = order.plan
    if plan is None:
        return
    index = next((index for index, one in enumerate(queue(library)) if one.plan.id == plan.id), None)
    if index is not None:
        remove(library, index)


def _entries(library: Library) -> list[dict[str, Any]]:
    return [dict(entry) for entry in library.house(NAME).get("batches", [])]


def _keep(library: Library, entries: list[dict[str, Any]]) -> None:
    library.save_house(NAME, {"batches": entries})
