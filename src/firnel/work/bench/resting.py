"""When a batch is due on the table: at a day, at two, and rested."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.bench.cupping import coffees_of
from firnel.work.bench.weighing import reckoned_colour

#: Best from so many days after the roast, by level; common practice, no published source. [days]
LIGHT_ABOVE, DARK_BELOW = 64.0, 55.0
RESTED_DAYS = {"dark": 3.0, "medium": 7.0, "light": 14.0}


@dataclass(frozen=True)
class Due:
    """A batch and when it is to be cupped: which occasion, and the moment."""

    line: BatchLine
    occasion: str
    at: datetime


def level_of(line: BatchLine) -> str:
    """light, medium or dark, by the colour or what goes with the loss; common practice, no published source."""
    colour = reckoned_colour(line.colour_ground, line.loss)
    if colour is None:
        return "medium"
    return "light" if colour > LIGHT_ABOVE else "medium" if colour > DARK_BELOW else "dark"


def rest_calendar(library: Library, now: datetime, days: float = 21.0) -> list[Due]:
    """What is due on the table of the batches of the last days: at a day, at two, and rested; less what was cupped since.

    The first that is still to come stands first, what is overdue by more than two days is let go.
    """
    cupped: dict[int, list[datetime]] = {}
    for table in library.bench_book.tables(("cupping",)):
        for coffee in (one for one in coffees_of(table) if one.mix is None):
            cupped.setdefault(coffee.batch_id, []).append(table.at)
    found = []
    since = BatchFilter(since=now - timedelta(days=days), statuses=("done", "dropped"))
    for line in library.batch_lines(since, limit=300):
        rested = RESTED_DAYS[level_of(line)]
        for occasion, after in ((tr("24 h"), 1.0), (tr("48 h"), 2.0), ("rested", rested)):
            at = line.started + timedelta(days=after)
            done = any(abs((when - at).total_seconds()) < 43200.0 * max(after / 2.0, 1.0) for when in cupped.get(line.id, []))
            if not done and at > now - timedelta(days=2):
                found.append(Due(line, occasion, at))
    return sorted(found, key=lambda due: due.at)
