"""Plans of a machine whose bean probe was moved: their readings go along, as a new version of each."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime

from firnel.core.model.logged import LoggedBatch
from firnel.core.model.probe_shift import ProbeShift
from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.store.library import Library

#: How a note that a probe was moved or changed is kept in a machine's log.
MOVED = "moved"
#: What a house calls the place of its bean probe has one of these in it.
OF_BEANS = ("bean", "bohne")


def reads_beans(place: str, places: Sequence[str]) -> bool:
    """Whether the probe at a place is the one in the beans; the first where no place says so."""
    named = [one for one in places if any(word in one.lower() for word in OF_BEANS)]
    return place in (named or places[:1])


def probe_moves(library: Library, machine: Machine) -> list[datetime]:
    """When it was told that a machine's bean probe was moved or changed, oldest first."""
    if machine.id is None:
        return []
    notes = library.machine_book.log(machine.id, "probe")
    return [note.at for note in notes if note.document.get("kind") == MOVED and note.document.get("beans")]


def first_since(batches: Sequence[LoggedBatch], moves: Iterable[datetime]) -> list[LoggedBatch]:
    """Batches, oldest first, of which those know of it that came first after the bean probe was moved."""
    told = list(batches)
    for at in moves:
        since = (index for index, batch in enumerate(told) if batch.started is not None and batch.started >= at)
        first = next(since, None)
        if first is not None:
            told[first] = replace(told[first], probe_moved=True)
    return told


def plans_go_along(library: Library, machine: Machine, before: Iterable[ProbeShift], now: Iterable[ProbeShift]) -> int:
    """Give plans that were made on the former bean probe their readings on the present one.

    A plan that was kept since the probe was moved is left as it is: whoever kept it had the new readings before them.

    Parameters
    ----------
    library, machine : whose plans they are.
    before, now : shifts of its bean probe as they were known, and as they are.

    Returns
    -------
    int : how many plans have a new version.
    """
    known, found = ({shift.label: shift for shift in shifts} for shifts in (before, now))
    plans = [plan for plan in library.plans() if plan.machine_id == machine.id and not plan.archived]
    changed: set[int] = set()
    for label in {**known, **found}:
        shift = found.get(label) or known[label]
        by = sum(sign * of[label].by_c for of, sign in ((found, 1.0), (known, -1.0)) if label in of)
        if shift.since is None or not by:
            continue
        why = tr("the bean probe was moved before {}: its readings now", label)
        for index, plan in enumerate(plans):
            newest = library.plan_book.versions(plan.id)[0] if plan.id is not None else None
            if plan.id is None or newest is None or (newest.saved_at >= shift.since and newest.why != why):
                continue
            plans[index] = library.save_plan(plan.reading_more(by), why)
            changed.add(plan.id)
    return len(changed)
