"""A batch at a glance, beside the figures that are typed for it: its curves, its marks, and the picture taken of its beans."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.units import Units, clock, linear_map
from firnel.core.vocabulary import FloatArray, MarkKind
from firnel.store.library import Library

#: Marks that are named over the curve.
NAMED = (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)


@dataclass(frozen=True)
class Glimpse:
    """Curves over seconds from the charge, in display units, shape (n,); moments with their words; path of a picture or ""."""

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    marks: tuple[tuple[float, str], ...]
    span: tuple[float, float]
    unit: str
    picture: str = ""


def glimpse(library: Library, key: int, units: Units) -> Glimpse:
    """A batch of the library at a glance.

    Raises
    ------
    LookupError : if it is not there.
    """
    record, (factor, offset) = library.batch(key), linear_map("°C", units.temperature)
    trace, zero, drop = record.trace, record.charge_t, record.mark(MarkKind.DROP)
    marks = tuple((mark.t - zero, f"{mark.kind.words} {clock(mark.t - zero)}") for mark in record.marks if mark.kind in NAMED)
    inspections = [note.document.get("picture") for note in library.bench_book.notes(key, "inspection")]
    end = drop.t - zero if drop is not None else (float(trace.t[-1]) - zero if trace.t.size else 600.0)
    pictures = [str(path) for path in inspections if path]
    shown = (trace.t - zero, trace.bean * factor + offset, trace.air * factor + offset)
    return Glimpse(*shown, marks, (-15.0, end + 15.0), units.temperature, pictures[-1] if pictures else "")
