"""What the library knows of a batch that is to be prepared: gathered before it begins, on any thread."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from firnel.core.vocabulary import BatchRecord, Machine
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.day.queue import next_for, order_of, waiting_for
from firnel.work.machines.care import due_words
from firnel.work.plan.whose import green_blends
from firnel.work.review.references import reference_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.drop_cue import learned_lead

if TYPE_CHECKING:
    from firnel.core.model.learning import MachineModel

#: A machine that has stood for longer begins its day anew.
DAY = timedelta(hours=3)


@dataclass(frozen=True)
class Prepared:
    """An order with its green as it is charged, the load that waits for it, what is known around it (see `Around`), and what
    is learned of its machine; None where that was not read."""

    order: BatchOrder
    waits: int | None
    rested_s: float | None
    reference: BatchRecord | None
    lead_s: float
    care: str
    model: MachineModel | None


def prepared_without(order: BatchOrder) -> Prepared:
    """An order as it is, where the library cannot be asked."""
    return Prepared(order, order.waiting_id, None, None, 0.0, "", None)


def gather(library: Library, order: BatchOrder, machine: Machine | None, now: datetime) -> Prepared:
    """All that is wanted to begin a batch. A lot that was only typed is kept first.

    Parameters
    ----------
    library : to look in.
    order : what is to be prepared; green that is blended before the roast goes under the name of its coffee.
    machine : that it is roasted on, where the order names none.
    now : when that is.
    """
    if order.lot is not None and order.lot.id is None:
        order = replace(order, lot=library.save_lot(order.lot))
    if order.plan is not None and (blend := green_blends(library).get(order.plan.id or 0)) is not None:
        order = replace(order, lot=blend)
    waits = order.waiting_id
    if waits is None and (one := waiting_for(library, order)) is not None:
        waits = one.id
    machine, model = order.machine or machine, None
    if machine is not None and machine.id is not None:
        from firnel.work.machines.knowledge import model_of  # slow to load, and not wanted where no batch is roasted

        model = model_of(library, machine)[0]
    return Prepared(
        order,
        waits,
        _rested_s(library, machine, now),
        reference_of(library, order.plan),
        learned_lead(library, machine.id if machine is not None else None),
        due_words(library, machine, now) if machine is not None else "",
        model,
    )


def gather_next(library: Library, machine: Machine | None, now: datetime) -> Prepared | None:
    """The same of the load that waits first for a machine; None where none does."""
    found = next_for(library, machine)
    return gather(library, order_of(library, found), machine, now) if found is not None else None


def _rested_s(library: Library, machine: Machine | None, now: datetime) -> float | None:
    """How long ago this machine was dropped last, if that was today's work. [s]"""
    if machine is None or machine.id is None:
        return None
    wanted = BatchFilter(machine_id=machine.id, statuses=("done", "dropped"))
    last = next(iter(library.batch_lines(wanted, limit=1)), None)
    if last is None:
        return None
    rested = now - (last.started + timedelta(seconds=last.total_s or 0.0))
    return max(rested.total_seconds(), 0.0) if rested < DAY else None
