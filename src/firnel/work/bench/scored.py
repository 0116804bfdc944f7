"""What was scored over time: every batch on a table that is told."""

from __future__ import annotations

from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores
from firnel.work.courses import Course, Point

#: So many of the newest batches are looked at.
MOST = 4000


def scored(library: Library) -> tuple[Course, ...]:
    """The mean score of each batch by the day it was roasted; none before a table was told."""
    known = cup_scores(library)
    if not known:
        return ()
    lines = library.batch_lines(BatchFilter(statuses=("done", "dropped")), limit=MOST)
    points = tuple(
        Point(line.started, known[line.id], f"{line.label} {line.lot}") for line in reversed(lines) if line.id in known
    )
    return (Course(tr("Score"), "points", 2, points),) if points else ()
