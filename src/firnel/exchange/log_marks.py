"""Marks of a log: told ones, those that a column of the file names, and what the curve shows of the rest."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from itertools import compress

import numpy as np

from firnel.core.mark_finding import charge_shows, exchanged, find_charge, find_drop, find_turning
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.vocabulary import FloatArray, Found, Mark, MarkKind, Note, Trace
from firnel.core.words import printable, tr
from firnel.exchange.cells import cell_of
from firnel.exchange.errors import ImportRefusedError

#: What people call the marks, in English and German; capitals and what stands between words do not count.
_CALLED: dict[MarkKind, str] = {
    MarkKind.CHARGE: "charge, charged, charging, load, loaded, beans in, einfüllen, füllen, einwurf",
    MarkKind.TURNING: "turning, turning point, tp, wende, wendepunkt, umkehrpunkt",
    MarkKind.YELLOW: "yellow, yellow point, yellowing, dry end, end of drying, drying end, de, gelb, ende der trocknung",
    MarkKind.FIRST_CRACK: "first crack, first crack start, start of first crack, fc, fcs, fc start, 1st crack, "
    "1st crack start, 1c, 1 crack, erster crack, 1 knacken",
    MarkKind.FIRST_CRACK_END: "first crack end, end of first crack, fce, fc end, 1st crack end, 1c end, ende des first crack, "
    "ende first crack, erster crack ende",
    MarkKind.SECOND_CRACK: "second crack, second crack start, start of second crack, sc, scs, sc start, 2nd crack, 2c, "
    "2 crack, zweiter crack",
    MarkKind.DROP: "drop, dropped, dump, dumped, discharge, unload, beans out, auswurf, ablassen, entleeren",
}
_MARK_WORDS = {words: kind for kind, called in _CALLED.items() for words in called.split(", ")}
#: So many words that are no marks are kept as notes, so long each: a column that says more is no column of marks.
MOST_NOTES, LONGEST_NOTE = 50, 200


def _kind(words: str) -> MarkKind | None:
    return _MARK_WORDS.get(" ".join(re.split(r"[^\w]+|_", words.lower())).strip())


def parse_mark_name(name: str) -> MarkKind:
    """The mark of that name.

    Raises
    ------
    ImportRefusedError : if there is no such mark.
    """
    kind = _kind(name)
    if kind is None:
        raise ImportRefusedError(tr("{!r} is no mark; use {}.", name, ", ".join(kind.value for kind in MarkKind)))
    return kind


def marks_in_column(
    body: Sequence[Sequence[str]], index: int | None, t: FloatArray, keep: np.ndarray, inside: np.ndarray
) -> tuple[dict[MarkKind, float], tuple[Note, ...]]:
    """Moments of the marks that a column names, the first of each counts; and what else it says, as notes.

    Parameters
    ----------
    body : cells of the file, line by line.
    index : of the column; None where there is none.
    t : moments of the lines that were kept, shape (n,). [s]
    keep : which lines of ``body`` those are.
    inside : which of them belong to the batch, shape (n,).
    """
    if index is None:
        return {}, ()
    cells = [cell_of(row, index) for row, kept in zip(body, keep, strict=True) if kept]
    found: dict[MarkKind, float] = {}
    notes, before = list[Note](), ""
    for moment, cell in compress(zip(t, cells, strict=True), inside):
        kind = _kind(cell)
        if kind is not None:
            found.setdefault(kind, float(moment))
        elif cell and cell != before:
            notes.append(Note(float(moment), "remark", printable(cell)[:LONGEST_NOTE]))
        before = cell
    return found, tuple(notes) if len(notes) <= MOST_NOTES else ()


def marks_of(
    trace: Trace, in_file: Mapping[MarkKind, float], told: Mapping[str, float], name: str, said: list[str]
) -> tuple[Mark, ...]:
    """Marks in their order: told ones win over the file's, and those over what the curve shows.

    Parameters
    ----------
    trace : of the batch alone.
    in_file : what a column of marks says. [s]
    told : what the user said, by name. [s of the log]
    name : of the file, for sentences.
    said : gets what was found from the curve, or left out.

    Raises
    ------
    ImportRefusedError : if a mark lies outside the log, there is none of a told name, or their order makes no sense.
    """
    given = dict(in_file) | {parse_mark_name(word): t for word, t in told.items()}
    first, last = float(trace.t[0]), float(trace.t[-1])
    beside = max(2.0 * float(np.median(np.diff(trace.t))), 2.0)  # a mark may lie a reading or two beyond
    for kind, t in given.items():
        if not first - beside <= t <= last + beside:
            where = tr("outside the log, which runs from {:g} to {:g} s", first, last)
            raise ImportRefusedError(tr("{}: {} at {:g} s lies {}.", name, kind.words, t, where))
    found = {kind: Mark(kind, t, trace.bean_at(t), Found.GIVEN) for kind, t in given.items()}

    def from_curve(kind: MarkKind, t: float | None) -> None:
        if t is not None and kind not in found:
            found[kind] = Mark(kind, t, trace.bean_at(t), Found.CURVE)
            said.append(tr("{} found from the curve at {:.0f} s", kind.words, t))

    shown, of_air = find_charge(trace.t, trace.bean), find_charge(trace.t, trace.air)
    if of_air is not None and exchanged(trace.t, trace.bean, trace.air, of_air):
        said.append(tr("“bean” is hotter than “air” where the beans fall in: exchanged? Name the columns the other way"))
    charge = found.get(MarkKind.CHARGE)
    if charge is not None and charge_shows(trace.t, trace.bean, charge.t) is False:
        falls = tr("it falls at {:.0f} s", shown) if shown is not None else tr("it falls nowhere")
        said.append(tr("the bean probe does not fall at the charge that was told, {:.0f} s: {}", charge.t, falls))
    from_curve(MarkKind.CHARGE, shown)
    if MarkKind.CHARGE not in found:
        said.append(tr("no charge found: tell it, as charge=SECONDS of the log"))
        return tuple(sorted(found.values(), key=lambda mark: mark.t))
    charge_t = found[MarkKind.CHARGE].t
    from_curve(MarkKind.TURNING, find_turning(trace.t, trace.bean, charge_t))
    later = trace.t > charge_t + 180.0
    second = find_charge(trace.t[later], trace.bean[later])
    if second is not None and second > charge_t + 300.0 and second > float(trace.t[later][0]) + 1.0:
        said.append(
            tr("there is a second charge at {:.0f} s: only the first batch was marked, split the log for the other", second)
        )
        end = trace.t < second - 5.0
        from_curve(MarkKind.DROP, find_drop(trace.t[end], trace.bean[end], charge_t, trace.air[end]))
    else:
        from_curve(MarkKind.DROP, find_drop(trace.t, trace.bean, charge_t, trace.air))
    marks = tuple(sorted(found.values(), key=lambda mark: mark.t))
    try:
        check_mark_order(marks)
    except MarkOrderError as error:
        guessed = [mark.kind for mark in marks if mark.found is Found.CURVE and mark.kind is not MarkKind.CHARGE]
        kept = tuple(mark for mark in marks if mark.kind not in guessed)
        try:
            check_mark_order(kept)
        except MarkOrderError:
            raise ImportRefusedError(f"{name}: {error}") from error
        said.append(tr("marks found from the curve contradict the given ones and were left out"))
        return kept
    return marks
