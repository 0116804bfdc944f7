"""The gas or power meter of a machine: readings as they are noted, and what was used between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.store.machine_book import LogEntry

#: The kind of its entries in the machine's log.
METER = "meter"
#: No meter shows more.
MOST = 1e9


@dataclass(frozen=True)
class MeterReading:
    """What a meter showed; ``new`` where it was changed, so that nothing was used up to there."""

    at: datetime
    value: float
    new: bool = False


@dataclass(frozen=True)
class Used:
    """What a machine used between two readings of its meter."""

    machine: str
    amount: float
    unit: str
    since: datetime
    until: datetime


def unit_of(machine: Machine) -> str:
    """What its meter counts in.

    >>> unit_of(Machine("Drum Six", "6 kg gas drum", heat="gas"))
    'm³'
    """
    return "m³" if machine.heat == "gas" else "kWh"


def readings(library: Library, machine: Machine) -> list[MeterReading]:
    """What was noted of a machine's meter, in the order of time."""
    if machine.id is None:
        return []
    log = [entry for entry in library.machine_book.log(machine.id) if entry.kind == METER]
    found = [MeterReading(entry.at, float(entry.document["value"]), bool(entry.document.get("new"))) for entry in log]
    return sorted(found, key=lambda one: one.at)


def note_meter(
    library: Library, machine: Machine, value: float, at: datetime | None = None, by: str = "", new: bool = False
) -> str:
    """Keep what the meter shows; returns what was used since it was last read, in a sentence.

    Parameters
    ----------
    library, machine : where, and whose.
    value : that it shows, m³ of gas or kWh.
    at : when it was read; now if None.
    by : whom.
    new : whether this is another meter than before.

    Raises
    ------
    ValueError : if it is no reading, of a time to come, or does not lie between those before and behind it.
    """
    at, now = (at or datetime.now(UTC)).astimezone(UTC), datetime.now(UTC)
    if machine.id is None:
        raise ValueError(tr("{} is not in the library yet.", machine.name))
    if not math.isfinite(value) or not 0.0 <= value <= MOST:
        raise ValueError(tr("{:g} is no reading of a meter.", value))
    if at > now:
        raise ValueError(tr("A meter cannot be read in advance."))
    unit, known = unit_of(machine), readings(library, machine)
    before = max((one for one in known if one.at <= at), key=lambda one: one.at, default=None)
    behind = min((one for one in known if one.at > at), key=lambda one: one.at, default=None)
    if before is not None and not new and value < before.value:
        raise ValueError(
            tr(
                "The meter of {} stood at {:g} {} on {} already: another meter now?",
                machine.name,
                before.value,
                unit,
                _day(before.at),
            )
        )
    if behind is not None and not behind.new and value > behind.value:
        raise ValueError(tr("The meter of {} stood at {:g} {} only on {}.", machine.name, behind.value, unit, _day(behind.at)))
    document = {"value": value, "unit": unit, "new": new, "by": by}
    library.machine_book.add_log(machine.id, LogEntry(METER, at, document))
    if before is None or new:
        return tr("Noted: {:g} {}. What is used is told from the next reading on.", value, unit)
    return tr("Noted: {:g} {}, {:g} {} since {}.", value, unit, value - before.value, unit, _day(before.at))


def used(library: Library, machines: Sequence[Machine], since: datetime, until: datetime) -> tuple[Used, ...]:
    """What machines used between readings, the later of which falls into a span; nothing is split in between.

    A meter that is read each evening tells a day; one that is read once a month tells a month.
    """
    found = []
    for machine in machines:
        noted = readings(library, machine)
        steps = [
            (earlier, later)
            for earlier, later in zip(noted, noted[1:], strict=False)
            if since < later.at <= until and not later.new
        ]
        if steps:
            amount = sum(later.value - earlier.value for earlier, later in steps)
            found.append(Used(machine.name, amount, unit_of(machine), steps[0][0].at, steps[-1][1].at))
    return tuple(found)


def _day(at: datetime) -> str:
    return tr("{:%-d %B}", at.astimezone())
