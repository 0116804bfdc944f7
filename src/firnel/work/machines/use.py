"""How a machine was used over the weeks: kilograms, batches, and how it lost weight."""

from __future__ import annotations

from collections import Counter
from datetime import datetime, timedelta

from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.courses import Course, Point

#: So far back it is looked [weeks], and so many of the newest batches.
WEEKS, MOST = 26, 4000


def machine_courses(library: Library, machine: Machine, now: datetime) -> tuple[Course, ...]:
    """Roasted green and batches of each of the last weeks, and the loss batch by batch; none before the first batch.

    Parameters
    ----------
    library : to look in.
    machine : one of it.
    now : where the last week ends.
    """
    if machine.id is None:
        return ()
    wanted = BatchFilter(machine_id=machine.id, statuses=("done", "dropped"), since=now - timedelta(weeks=WEEKS))
    lines = library.batch_lines(wanted, limit=MOST)
    if not lines:
        return ()
    kilograms, batches = Counter[datetime](), Counter[datetime]()
    for line in lines:
        week = week_of(line.started)
        kilograms[week] += line.load_kg or 0.0  # type: ignore[assignment]  # a counter of kilograms
        batches[week] += 1
    weeks = sorted(batches)
    losses = tuple(Point(line.started, 100.0 * line.loss, line.label) for line in reversed(lines) if line.loss is not None)
    courses = (
        Course(tr("Green a week"), "kg", 1, tuple(Point(week, float(kilograms[week])) for week in weeks), weeks=True),
        Course(tr("Batches a week"), "", 0, tuple(Point(week, float(batches[week])) for week in weeks), weeks=True),
        Course(tr("Loss"), "%", 1, losses),
    )
    return tuple(course for course in courses if course.points)


def week_of(moment: datetime) -> datetime:
    """The Monday, at local midnight, of a moment."""
    local = moment.astimezone()
    monday = local.date() - timedelta(days=local.weekday())
    return datetime(monday.year, monday.month, monday.day).astimezone()
