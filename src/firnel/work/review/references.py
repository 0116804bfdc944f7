"""The batch that others are to be like: chosen for each plan, kept by the house."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Machine
from firnel.core.words import tr
from firnel.store.library import Library, NotInLibraryError
from firnel.work.plan.whose import machine_of, plan_of
from firnel.work.review.records import BatchSheet, sheet_of

NAME = "references"


def reference_key(library: Library, plan: Plan | None) -> int | None:
    """Id of the reference batch of a plan; None where none was chosen."""
    if plan is None or plan.id is None:
        return None
    return _kept(library).get(str(plan.id))


def reference_of(library: Library, plan: Plan | None) -> BatchRecord | None:
    """The reference batch of a plan; None where none was chosen, or it is not there any more."""
    key = reference_key(library, plan)
    if key is None:
        return None
    try:
        return library.batch(key)
    except NotInLibraryError:
        return None


@dataclass(frozen=True)
class OpenedBatch:
    """A batch that is looked at: its sheet, its machine as it is now, and whether it is the reference of its plan."""

    sheet: BatchSheet
    machine: Machine | None
    is_reference: bool


def opened(library: Library, key: int) -> OpenedBatch:
    """Read all that is shown of a batch, and work its sheet out."""
    record = library.batch(key)
    plan = plan_of(library, record) if record.plan_id is not None else None
    return OpenedBatch(sheet_of(record), machine_of(library, record), reference_key(library, plan) == key)


def set_reference(library: Library, plan: Plan, batch_id: int | None) -> None:
    """Choose the reference of a plan, or none.

    Raises
    ------
    ValueError : if the plan is not in the library.
    """
    if plan.id is None:
        raise ValueError(tr("the plan {!r} is not in the library.", plan.name))
    kept = {name: key for name, key in _kept(library).items() if name != str(plan.id)}
    if batch_id is not None:
        kept[str(plan.id)] = batch_id
    library.save_house(NAME, {"plans": kept})


def _kept(library: Library) -> dict[str, int]:
    return dict(library.house(NAME).get("plans", {}))
