"""Batches mended in Review: order and results corrected, split at a forgotten drop, joined after a crash."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from firnel.core.mark_finding import find_charge, find_drop, find_turning
from firnel.core.vocabulary import BatchRecord, Found, Mark, MarkKind
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.mend_book import Correction
from firnel.work.bench.results import Results, check_results
from firnel.work.review.records import sheet_of

__all__ = ["Correction", "all_tags", "corrections", "join", "level_filter", "look_through", "mend", "second_charge", "split"]

#: So many batches are looked through at a time.
AT_ONCE = 25
#: A second charge lies so long after the first; common practice, no published source. [s]
NEXT_CHARGE_S = 240.0


def mend(library: Library, record: BatchRecord, values: Mapping[str, Any], who: str) -> int:
    """Mend a batch; how many values were otherwise. The old ones are kept.

    Raises
    ------
    ValueError : if a figure cannot be; nothing is written then.
    """
    if record.id is None:
        raise ValueError(tr("This batch is not in the library."))
    load = values.get("load_kg", record.load_kg)
    if load is not None and not 0.0 < load < 1000.0:
        raise ValueError(tr("A load of {:g} kg cannot be roasted.", load))
    results = Results(
        values.get("roasted_kg", record.roasted_kg), values.get("colour_whole", record.colour_whole),
        values.get("colour_ground", record.colour_ground), str(values.get("remark", record.remark)),
    )  # fmt: skip
    if not results.empty:
        check_results(load, results)
    if len(str(values.get("operator", ""))) > 80:
        raise ValueError(tr("Who roasted: a name of up to 80 letters."))
    return library.mend_book.correct(record.id, values, who)


def corrections(library: Library, key: int) -> list[Correction]:
    """What was mended in a batch, the oldest first."""
    return library.mend_book.corrections(key)


def second_charge(record: BatchRecord) -> float | None:
    """When beans fell in a second time though the first batch was never dropped, in log time; None where they did not. [s]"""
    t, bean = record.trace.t, record.trace.bean
    later = t > record.charge_t + NEXT_CHARGE_S
    return find_charge(t[later], bean[later]) if later.sum() > 30 else None


def split(library: Library, record: BatchRecord, at_t: float, who: str) -> int:
    """Split a batch at a moment of its log [s]; what can be found of marks in both parts is found. The id of the second.

    Raises
    ------
    ValueError : if nothing lies on one of the sides.
    """
    if record.id is None:
        raise ValueError(tr("This batch is not in the library."))
    # The probe falls where the beans fall in; a little before that the second batch begins.
    second = library.mend_book.split(record.id, at_t, who)
    for key in (record.id, second):
        _find_marks(library, key)
    return second


def _find_marks(library: Library, key: int) -> None:
    record = library.batch(key)
    t, bean, air = record.trace.t, record.trace.bean, record.trace.air
    marks = {mark.kind: mark for mark in record.marks}

    def found(kind: MarkKind, at: float | None) -> None:
        if at is not None and kind not in marks:
            marks[kind] = Mark(kind, at, record.trace.bean_at(at), Found.CURVE)

    found(MarkKind.CHARGE, find_charge(t, bean))
    if MarkKind.CHARGE in marks:
        charge_t = marks[MarkKind.CHARGE].t
        found(MarkKind.TURNING, find_turning(t, bean, charge_t))
        known = air if np.isfinite(air).any() else None
        found(MarkKind.DROP, find_drop(t, bean, charge_t, known))
    library.set_marks(key, sorted(marks.values(), key=lambda mark: mark.t))


def join(library: Library, record: BatchRecord, other: str, who: str) -> str:
    """Join a batch with the one of that label, whichever came first; the label of the one that is whole then.

    Raises
    ------
    ValueError : if they do not follow each other on one machine.
    LookupError : if there is no such batch.
    """
    if record.id is None:
        raise ValueError(tr("This batch is not in the library."))
    second = library.batch(library.find_batch(other))
    first, second = (record, second) if record.started <= second.started else (second, record)
    if first.id is None or second.id is None or first.id == second.id:
        raise ValueError(tr("A batch is joined with another one."))
    library.mend_book.join(first.id, second.id, who)
    return first.label


def look_through(library: Library, stopped: Callable[[], bool] = lambda: False) -> int:
    """Work out what went wrong in batches where nobody has looked yet, so that it can be searched for; in how many."""
    done = 0
    for key in library.mend_book.without_events(AT_ONCE):
        if stopped():
            break
        record = library.batch(key)
        kinds = [event.kind for event in sheet_of(record).events] if record.trace.t.size > 20 else []
        library.mend_book.set_events(key, [kind for kind in kinds if kind != "spike" or kinds.count("spike") > 2])
        done += 1
    return done


def level_filter(text: str, levels: Mapping[str, float]) -> tuple[str, tuple[float, float] | None]:
    """A search text without the house's word for a level, and the ground colours that word stands for."""
    scale = sorted((limit, word.lower()) for word, limit in levels.items())
    lower = text.lower()
    for number, (limit, word) in sorted(enumerate(scale), key=lambda pair: -len(pair[1][1])):
        if lower == word or f" {word} " in f" {lower} ":
            low = scale[number - 1][0] if number else -1.0
            return " ".join(f" {lower} ".replace(f" {word} ", " ", 1).split()), (low, limit)
    return text, None


def all_tags(library: Library) -> list[str]:
    """Every tag that was given, by name."""
    lines = library.batch_lines(BatchFilter(statuses=("done", "dropped")), limit=3000)
    return sorted({tag for line in lines for tag in line.tags.split()})
