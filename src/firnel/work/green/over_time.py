"""What a lot was over time: moisture, water activity, density, stock, the scores of its batches, and prices about it."""

from __future__ import annotations

from datetime import UTC, date, datetime, time

from firnel.core.vocabulary import Lot
from firnel.core.words import later, tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores
from firnel.work.courses import Course, Point
from firnel.work.green.intake import worked_out

#: Of a lot so many of the newest batches are looked at.
MOST = 2000
#: What is measured: the lot's field that follows from it, the factor to the unit that is shown, unit and digits.
MEASURED = {
    later("Moisture"): ("moisture", 100.0, "%", 1),
    later("Water activity"): ("water_activity", 1.0, "", 2),
    later("Density"): ("density_g_per_l", 1.0, "g/L", 0),
    later("Bean size"): ("mean_mm", 1.0, "mm", 1),
}
#: A day so many years from here is a slip of the hand, and would make the others one spot.
MIDDLE, FARTHEST = 2030, 50
STOCK, SCORE, PRICE = later("Stock"), later("Score"), later("Price")


def lot_courses(library: Library, lot: Lot, now: datetime) -> tuple[Course, ...]:
    """All kinds of figures of which at least one is known, in kilograms and the roastery's own currency.

    Parameters
    ----------
    library : to look in.
    lot : a lot of it.
    now : where the stock ends.
    """
    if lot.id is None:
        return ()
    taken = [(m.taken_at, worked_out(m.kind, m.document)[1]) for m in library.lot_book.measurements(lot.id)]
    found = []
    for name, (field, by, unit, digits) in MEASURED.items():
        own = tuple(Point(at, by * value) for at, figures in taken if (value := figures.get(field)) is not None)
        found.append(Course(name, unit, digits, own))
    lines = library.batch_lines(BatchFilter(lot_id=lot.id), limit=MOST)
    charged = [(line.started, line.load_kg) for line in lines if line.load_kg and line.status not in ("ready", "discarded")]
    if lot.on_hand_kg is not None:
        left, stock = lot.on_hand_kg, [Point(now, lot.on_hand_kg)]
        for started, load_kg in charged:  # back in time, from what is there now
            stock.append(Point(started, left))
            left += load_kg
        begun = _at(lot.arrival) or (charged[-1][0] if charged else None)
        if begun is not None and begun < stock[-1].at:
            stock.append(Point(begun, left))
        found.append(Course(STOCK, "kg", 1, tuple(reversed(stock)), steps=True))
    known = cup_scores(library)
    scores = tuple(Point(line.started, known[line.id], line.label) for line in reversed(lines) if line.id in known)
    found.append(Course(SCORE, "points", 2, scores))
    prices = [
        (other.id == lot.id, Point(at, other.price_per_kg, other.name))
        for other in library.lots()
        if other.price_per_kg is not None and (at := _at(other.arrival)) is not None
    ]
    own = tuple(point for is_own, point in prices if is_own)
    others = tuple(sorted((point for is_own, point in prices if not is_own), key=lambda point: point.at))
    found.append(Course(PRICE, tr("a kg"), 2, own, others if own else ()))
    return tuple(course for course in found if course.points)


def _at(told: str) -> datetime | None:
    """The moment of a day that is written as ``2026-08-14``, or as ``2026-08``; None for what is no day of coffee in store."""
    for written in (told, f"{told}-01"):
        try:
            day = date.fromisoformat(written)
        except ValueError:
            continue
        return datetime.combine(day, time(12), UTC) if abs(day.year - MIDDLE) < FARTHEST else None
    return None
