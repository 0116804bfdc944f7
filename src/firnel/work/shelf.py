"""What lies in the library, for whoever asks the desk: lists, single records, and what is put back. See `Desk.ask`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

from firnel.core.names import check_name
from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Lot, Machine, Mark
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine, PageEnd
from firnel.store.bench_book import TableSet
from firnel.store.library import Library
from firnel.store.writing import ChangedMeanwhileError

__all__ = [
    "ChangedMeanwhileError",
    "batch",
    "batch_lines",
    "count_batches",
    "courses",
    "lots",
    "machines",
    "plans",
    "save_lot",
    "save_machine",
    "save_plan",
    "set_marks",
    "set_status",
    "tables",
    "unowned_batches",
]


def lots(library: Library) -> list[Lot]:
    """All lots, by name, archived ones too."""
    return library.lots()


def machines(library: Library) -> list[Machine]:
    """All machines, by name, archived ones too."""
    return library.machines()


def plans(library: Library) -> list[Plan]:
    """All plans, by name, archived ones too."""
    return library.plans()


def batch_lines(
    library: Library, wanted: BatchFilter, after: PageEnd | None = None, limit: int = 200, offset: int = 0
) -> list[BatchLine]:
    """One page of the list of batches, in the filter's order."""
    return library.batch_lines(wanted, after, limit, offset)


def courses(library: Library, keys: Sequence[int]) -> dict[int, tuple[tuple[float, float], ...]]:
    """The marks of batches that have a reading, as seconds from the charge and °C, by batch."""
    return library.batch_list.courses(keys)


def count_batches(library: Library, wanted: BatchFilter) -> int:
    """How many batches the filter lets through."""
    return library.batch_list.count(wanted)


def batch(library: Library, key: int) -> BatchRecord:
    """Everything known of one batch."""
    return library.batch(key)


def unowned_batches(library: Library, now: datetime) -> list[BatchLine]:
    """Batches that were being recorded by a Firnel that has ended."""
    return library.owner_book.unowned(now)


def tables(library: Library, kinds: tuple[str, ...]) -> list[TableSet]:
    """Tables that were set, the newest first."""
    return library.bench_book.tables(kinds)


def save_lot(library: Library, lot: Lot, since: Lot | None = None) -> Lot:
    """Add a lot, or change what differs from ``since`` of the one with its id.

    Raises
    ------
    ChangedMeanwhileError : if another has changed the same of it since it was read.
    """
    return library.save_lot(lot, since)


def save_machine(library: Library, machine: Machine, since: Machine | None = None) -> Machine:
    """Add a machine, or change what of it differs from how it was read.

    Raises
    ------
    ValueError : if nobody can read its name.
    ChangedMeanwhileError : if another has changed the same meanwhile; nothing is changed then.
    """
    check_name(tr("a machine"), machine.name)
    return library.save_machine(machine, since)


def save_plan(library: Library, plan: Plan, why: str = "") -> Plan:
    """Add a plan, or a new version of the one with its id."""
    return library.save_plan(plan, why)


def set_marks(library: Library, key: int, marks: Iterable[Mark], who: str = "") -> None:
    """Replace the marks of a batch; where they stood is kept."""
    library.mend_book.correct_marks(key, marks, who)


def set_status(library: Library, key: int, status: str) -> None:
    """Set how far a batch is."""
    library.set_status(key, status)


def leave_out(library: Library, key: int, why: str) -> None:
    """Leave a batch out of charts and fits, or count it again."""
    library.leave_out(key, why)


def stocktake(library: Library, key: int, kg: float) -> None:
    """So many kilograms of a lot are there now."""
    library.lot_book.count(key, kg)


def add_reason(library: Library, key: int, word: str) -> None:
    """Add a word to why a batch is left out."""
    library.leave_out(key, f"{library.batch(key).left_out}, {word}")
