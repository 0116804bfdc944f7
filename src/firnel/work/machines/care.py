"""Care of a machine as the roaster does it: what is due, probe checks and their history, seasoning."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from firnel.core.machine.capacity import load_warnings
from firnel.core.machine.care import (
    CARE_JOBS,
    SEASON_STEPS,
    SEASONING,
    SEASONING_LOADS,
    TUMBLE_S,
    CareState,
    DoneBatch,
    care_states,
    jobs_at,
)
from firnel.core.machine.probes import ProbeCheckError, check_offset, step_response
from firnel.core.vocabulary import Machine, Probe
from firnel.core.words import inside, tr
from firnel.exchange.csv_log import read_csv_log
from firnel.exchange.errors import ImportRefusedError
from firnel.store.library import Library
from firnel.store.machine_book import LogEntry
from firnel.work.machines.meters import METER
from firnel.work.machines.moved import MOVED, reads_beans

__all__ = [
    "CARE_JOBS",
    "SEASONING",
    "SEASONING_LOADS",
    "SEASON_STEPS",
    "TUMBLE_S",
    "CareSheet",
    "ImportRefusedError",
    "ProbeCheckError",
    "care_sheet",
    "due_words",
    "keep_interval",
    "load_warnings",
    "measure_step",
    "note_done",
    "note_probe_check",
    "note_probe_moved",
    "note_seasoning",
    "probe_places",
    "strike_entry",
]


@dataclass(frozen=True)
class LoggedEntry:
    """One entry of the log: its key, its words, and whether it was taken away."""

    key: int
    words: str
    struck: bool


@dataclass(frozen=True)
class CareSheet:
    """Where the care of a machine stands."""

    states: tuple[CareState, ...]
    entries: tuple[LoggedEntry, ...]  #: care, probe checks and seasoning as they were noted, newest first
    done: Mapping[str, str]  #: when each job was last done and by whom, by its key
    seasoned: int  #: loads of the seasoning run that is under way; 0 if none


def care_sheet(library: Library, machine: Machine, now: datetime) -> CareSheet:
    """Work out what is due on a machine."""
    if machine.id is None:
        return CareSheet((), (), {}, 0)
    batches = [DoneBatch(started, load_kg) for started, load_kg in library.batch_list.loads(machine.id, 2000)]
    log = library.machine_book.log(machine.id)
    done = {str(entry.document["job"]): entry.at for entry in log if "job" in entry.document}
    away = library.machine_book.log(machine.id, struck=True)
    both = sorted([(entry, False) for entry in log] + [(entry, True) for entry in away], key=lambda pair: pair[0].at)
    entries = tuple(LoggedEntry(entry.id or 0, _entry_words(entry), struck) for entry, struck in reversed(both))
    noted = [entry for entry in log if "job" in entry.document]
    last = {str(entry.document["job"]): tr("{:%-d %b %y}{}", entry.at.astimezone(), _by(entry)) for entry in noted}
    loads = [entry for entry in log if entry.kind == "seasoning"]
    finished = [index for index, entry in enumerate(loads) if entry.document.get("finished")]
    under_way = len(loads) - (finished[-1] + 1 if finished else 0)
    order = {job.key: place for place, job in enumerate(CARE_JOBS)}
    states = sorted(
        care_states(batches, done, now, jobs_at(machine.care)), key=lambda state: order[state.job.key]
    )  # no row moves under a pointer
    return CareSheet(tuple(states), entries, last, under_way)


def due_words(library: Library, machine: Machine, now: datetime) -> str:
    """What is due on a machine, in a line; empty where nothing is, or its care was never noted."""
    sheet = care_sheet(library, machine, now)
    if not sheet.done:
        return ""
    due = [inside(state.job.title) for state in sheet.states if state.due]
    return tr("Due on {}: {}.", machine.name, ", ".join(due)) if due else ""


def keep_interval(library: Library, machine: Machine, job: str, every: float | None) -> Machine:
    """Another interval for a job on a machine, the usual one for None. Returns the machine.

    Raises
    ------
    ValueError : if there is no such job, or the interval is none.
    """
    known = next((one for one in CARE_JOBS if one.key == job), None)
    if known is None:
        raise ValueError(tr("there is no job {!r}.", job))
    care = {key: value for key, value in machine.care.items() if key != job}
    if every is not None and every != known.every:
        care[job] = known.at(every).every
    return library.save_machine(replace(machine, care=care), machine)


def _by(entry: LogEntry) -> str:
    who = entry.document.get("by", "")
    return tr(" by {}", who) if who else ""


def _entry_words(entry: LogEntry) -> str:
    if entry.kind == "probe":
        return _check_words(entry) + _by(entry)
    day = tr("{:%d %b %y}", entry.at.astimezone())
    if entry.kind == METER:
        another = tr("another meter, ") if entry.document.get("new") else ""
        return tr("{} · {}meter at {:g} {}{}", day, another, entry.document["value"], entry.document["unit"], _by(entry))
    if entry.kind == "seasoning":
        return tr("{} · seasoning load {}{}", day, entry.document.get("load", "?"), _by(entry))
    key = str(entry.document.get("job", "care"))
    title = next((job.title for job in CARE_JOBS if job.key == key), key)
    return f"{day} · {title}{_by(entry)}"


def strike_entry(library: Library, key: int, struck: bool) -> None:
    """Take an entry of the log away, or bring it back."""
    library.machine_book.strike(key, struck)


def _check_words(entry: LogEntry) -> str:
    document: Mapping[str, Any] = entry.document
    day = tr("{:%d %b %y}", entry.at.astimezone())
    if document.get("kind") == MOVED:
        return tr("{} · {}: moved or changed", day, document["probe"])
    if document.get("kind") == "step":
        return tr("{} · {}: 63 % of a step in {:.1f} s", day, document["probe"], document["lag_s"])
    try:
        check = check_offset(document["kind"], document["read_c"], document.get("altitude_m", 0.0))
    except ProbeCheckError as error:
        return f"{day} · {document.get('probe', 'probe')}: {error}"
    expected = tr("{:.1f} °C in {} water of {:.1f} °C", check.read_c, tr(document["kind"]), check.expected_c)
    return f"{day} · {document['probe']}: {expected}, {check.verdict}"


def note_done(library: Library, machine: Machine, job: str, at: datetime | None = None, by: str = "") -> int:
    """Write down that a job was done (now), and by whom. Returns the key of the entry.

    Raises
    ------
    ValueError : if there is no such job.
    """
    if job not in {known.key for known in CARE_JOBS}:
        raise ValueError(tr("there is no job {!r}.", job))
    return _log(library, machine, "care", {"job": job, "by": by}, at)


def note_probe_check(
    library: Library, machine: Machine, probe: str, kind: str, read_c: float, at: datetime | None = None
) -> str:
    """Keep a probe's reading in ice or boiling water; returns the verdict.

    Raises
    ------
    ProbeCheckError : if it is no offset.
    """
    check = check_offset(kind, read_c, machine.altitude_m)
    document = {"job": "probe", "probe": probe, "kind": kind, "read_c": read_c, "altitude_m": machine.altitude_m}
    _log(library, machine, "probe", document, at)
    _keep_on_probe(library, machine, probe, offset_c=check.offset_c)
    return tr("{:+.1f} K against {:.1f} °C: {}", check.offset_c, check.expected_c, check.verdict)


def probe_places(machine: Machine) -> list[str]:
    """Where a machine has probes; the two that every machine has where none were told."""
    return [probe.place for probe in machine.probes] or ["bean", "air"]


def note_probe_moved(library: Library, machine: Machine, probe: str, at: datetime | None = None, by: str = "") -> str:
    """Keep that a probe was moved or changed (now); returns what follows from it, in a sentence.

    Raises
    ------
    ValueError : if the machine has no such probe.
    """
    places = probe_places(machine)
    if probe not in places:
        raise ValueError(tr("{} has no {!r} probe: {}.", machine.name, probe, ", ".join(places)))
    beans = reads_beans(probe, places)
    _log(library, machine, "probe", {"probe": probe, "kind": MOVED, "beans": beans, "by": by}, at)
    if not beans:
        return tr("Noted: {} was moved or changed.", probe)
    return tr(
        "Noted. Readings of older plans and marks may be some degrees off now: the next batch shows by how much, and plans "
        "get a version with its readings. Until then no advice is given; drive it by colour, sound and time."
    )


def measure_step(library: Library, machine: Machine, probe: str, path: Path) -> float:
    """The time constant of a probe from a logged plunge; it is kept with the probe. [s]

    Raises
    ------
    ProbeCheckError, ImportRefusedError : if the log holds no step, or is none.
    """
    trace = read_csv_log(path).record.trace
    lag = step_response(trace.t, trace.bean)
    _log(library, machine, "probe", {"probe": probe, "kind": "step", "lag_s": lag}, None)
    _keep_on_probe(library, machine, probe, lag_s=lag)
    return lag


def _keep_on_probe(library: Library, machine: Machine, place: str, **figures: float) -> None:
    known = {probe.place for probe in machine.probes}
    probes = machine.probes if place in known else (*machine.probes, Probe(place))
    changed = tuple(replace(probe, **figures) if probe.place == place else probe for probe in probes)  # type: ignore[arg-type]
    library.save_machine(replace(machine, probes=changed), machine)


def note_seasoning(library: Library, machine: Machine, at: datetime | None = None, by: str = "") -> int:
    """One seasoning load is roasted and thrown away. Returns how many are done; the last one finishes the run."""
    done = care_sheet(library, machine, datetime.now(UTC)).seasoned + 1
    _log(library, machine, "seasoning", {"load": done, "finished": done >= SEASONING_LOADS, "by": by}, at)
    return done


def _log(library: Library, machine: Machine, kind: str, document: Mapping[str, Any], at: datetime | None) -> int:
    if machine.id is None:
        raise ValueError(tr("{} is not in the library yet.", machine.name))
    return library.machine_book.add_log(machine.id, LogEntry(kind, at or datetime.now(UTC), document))
