"""Care of a machine as the roaster does it: what is due, probe checks and their history, seasoning."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from firnel.core.machine.capacity import load_warnings
from firnel.core.machine.care import CARE_JOBS, SEASONING, SEASONING_LOADS, CareState, DoneBatch, care_states
from firnel.core.machine.probes import ProbeCheckError, check_offset, step_response
from firnel.core.vocabulary import Machine, Probe
from firnel.exchange.csv_log import read_csv_log
from firnel.exchange.errors import ImportRefusedError
from firnel.store.library import BatchFilter, Library
from firnel.store.machine_book import LogEntry

__all__ = [
    "CARE_JOBS",
    "SEASONING",
    "SEASONING_LOADS",
    "CareSheet",
    "ImportRefusedError",
    "ProbeCheckError",
    "care_sheet",
    "load_warnings",
    "measure_step",
    "note_done",
    "note_probe_check",
    "note_seasoning",
]


@dataclass(frozen=True)
class CareSheet:
    """Where the care of a machine stands."""

    states: tuple[CareState, ...]
    checks: tuple[str, ...]  #: probe checks in words, newest first
    seasoned: int  #: loads of the seasoning run that is under way; 0 if none


def care_sheet(library: Library, machine: Machine, now: datetime) -> CareSheet:
    """Work out what is due on a machine."""
    if machine.id is None:
        return CareSheet((), (), 0)
    lines = library.batch_lines(BatchFilter(machine_id=machine.id, statuses=("done", "dropped")), limit=2000)
    batches = [DoneBatch(line.started, line.load_kg or 0.0) for line in lines]
    log = library.machine_book.log(machine.id)
    done = {str(entry.document["job"]): entry.at for entry in log if "job" in entry.document}
    checks = [_check_words(entry) for entry in reversed(log) if entry.kind == "probe"]
    loads = [entry for entry in log if entry.kind == "seasoning"]
    finished = [index for index, entry in enumerate(loads) if entry.document.get("finished")]
    under_way = len(loads) - (finished[-1] + 1 if finished else 0)
    return CareSheet(care_states(batches, done, now), tuple(checks), under_way)


def _check_words(entry: LogEntry) -> str:
    document: Mapping[str, Any] = entry.document
    day = f"{entry.at.astimezone():%d %b %y}"
    if document.get("kind") == "step":
        return f"{day} · {document['probe']}: 63 % of a step in {document['lag_s']:.1f} s"
    try:
        check = check_offset(document["kind"], document["read_c"], document.get("altitude_m", 0.0))
    except ProbeCheckError as error:
        return f"{day} · {document.get('probe', 'probe')}: {error}"
    expected = f"{check.read_c:.1f} °C in {document['kind']} water of {check.expected_c:.1f} °C"
    return f"{day} · {document['probe']}: {expected}, {check.verdict}"


def note_done(library: Library, machine: Machine, job: str, at: datetime | None = None) -> None:
    """Write down that a job was done (now).

    Raises
    ------
    ValueError : if there is no such job.
    """
    if job not in {known.key for known in CARE_JOBS}:
        raise ValueError(f"there is no job {job!r}.")
    _log(library, machine, "care", {"job": job}, at)


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
    return f"{check.offset_c:+.1f} °C against {check.expected_c:.1f} °C: {check.verdict}"


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
    library.save_machine(replace(machine, probes=changed))


def note_seasoning(library: Library, machine: Machine, at: datetime | None = None) -> int:
    """One seasoning load is roasted and thrown away. Returns how many are done; the last one finishes the run."""
    done = care_sheet(library, machine, datetime.now(UTC)).seasoned + 1
    _log(library, machine, "seasoning", {"load": done, "finished": done >= SEASONING_LOADS}, at)
    return done


def _log(library: Library, machine: Machine, kind: str, document: Mapping[str, Any], at: datetime | None) -> None:
    if machine.id is None:
        raise ValueError(f"{machine.name} is not in the library yet.")
    library.machine_book.add_log(machine.id, LogEntry(kind, at or datetime.now(UTC), document))
