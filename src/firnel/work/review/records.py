"""The records as views and commands use them: sheets of batches, corrections, lots and machines.

The JSON documents are loaded when one is wanted: their library is slow to load, and the window starts without them.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from firnel.core.events import Event, find_events
from firnel.core.mark_finding import find_turning
from firnel.core.rate_of_rise import RateCurve, live_rate_of_rise, smooth_rate_of_rise
from firnel.core.stages import Stages, check_mark_order, stages_of
from firnel.core.vocabulary import BatchRecord, Control, Found, Lot, Mark, MarkKind, Role, usual_role
from firnel.core.words import tr
from firnel.exchange.csv_log import (
    Imported,
    ImportWishes,
    read_csv_log,
    read_csv_logs,
    with_results,
    with_wishes,
    write_csv_log,
)
from firnel.exchange.errors import ImportRefusedError, TakenInBeforeError
from firnel.store.batch_list import BatchFilter, BatchLine, PageEnd
from firnel.store.library import Library, NotInLibraryError
from firnel.store.writing import LibraryError, refusal
from firnel.work.machines.imported import placed
from firnel.work.plan.whose import machine_of

__all__ = [
    "BatchFilter", "BatchLine", "BatchSheet", "ImportRefusedError", "ImportWishes", "Imported", "Library",
    "LibraryError", "NotInLibraryError", "PageEnd", "TakenInBeforeError", "export_text", "import_file", "import_read",
    "read_file", "sheet_of", "show_document",
    "with_mark",
]  # fmt: skip


def refusal_of(error: BaseException | None) -> str:
    """What a library that refuses has to say, as a sentence; empty where the error is another one."""
    from sqlalchemy.exc import DBAPIError

    if isinstance(error, LibraryError):
        return str(error)
    return (refusal(error, tr("the library")) or "") if isinstance(error, DBAPIError) else ""


@dataclass(frozen=True)
class BatchSheet:
    """All that Review shows of one batch: the record, and what follows from it."""

    record: BatchRecord
    stages: Stages
    rate: RateCurve
    events: tuple[Event, ...]


def sheet_of(record: BatchRecord) -> BatchSheet:
    """Work out the sheet of a batch."""
    moves_t = tuple(move.t for move in record.moves if usual_role(move.control) is not Role.MOTION)
    charge = record.mark(MarkKind.CHARGE)
    trace, drop = record.trace, record.mark(MarkKind.DROP)
    # Behind the drop the probe reads an empty drum; smoothing across that corner would bend the end of the roast.
    until = trace.t.size if drop is None else int(np.searchsorted(trace.t, drop.t, side="right"))
    rate = smooth_rate_of_rise(trace.t[:until], trace.bean[:until], charge.t if charge else None, moves_t)
    return BatchSheet(record, stages_of(record.marks), rate, find_events(trace, rate, record.marks, record.moves))


def with_mark(record: BatchRecord, kind: MarkKind, t: float | None) -> BatchRecord:
    """The record with one mark set to log time ``t`` [s], or taken away.

    The turning point follows a corrected charge.
    """
    marks = {mark.kind: mark for mark in record.marks if mark.kind is not kind}
    if t is not None:
        marks[kind] = Mark(kind, t, record.trace.bean_at(t), Found.GIVEN)
    if kind is MarkKind.CHARGE and t is not None:
        marks.pop(MarkKind.TURNING, None)
        turning = find_turning(record.trace.t, record.trace.bean, t)
        if turning is not None:
            marks[MarkKind.TURNING] = Mark(MarkKind.TURNING, turning, record.trace.bean_at(turning), Found.CURVE)
    return replace(record, marks=tuple(sorted(marks.values(), key=lambda mark: mark.t)))


def read_file(path: Path, wishes: ImportWishes) -> Imported:
    """Read a batch from a CSV log or a Firnel JSON document.

    Raises
    ------
    ImportRefusedError : if it cannot be taken in.
    """
    return read_files(path, wishes)[0]


def read_files(path: Path, wishes: ImportWishes) -> list[Imported]:
    """The same, and all further batches that a log holds, each read by wishes of its own.

    Raises
    ------
    ImportRefusedError : if one cannot be taken in.
    """
    try:
        there = path.is_file()
    except (OSError, ValueError):
        there = False  # a name that no file can have
    if not there:
        raise ImportRefusedError(tr("There is no file {}.", path))
    if path.suffix.lower() in (".json", ".firnel"):
        from firnel.exchange.batch_document import read_batch_document

        read = [Imported(with_wishes(read_batch_document(path), wishes), (tr("a Firnel batch document"),), wishes=wishes)]
    else:
        read = [read_csv_log(path, wishes)] if wishes.part else read_csv_logs(path, wishes)
    return [_with_results(path, one) for one in read]


def _with_results(path: Path, read: Imported) -> Imported:
    record = with_results(read.record, read.wishes)
    if record.roasted_kg is not None and record.load_kg is not None and record.roasted_kg >= record.load_kg:
        raise ImportRefusedError(
            tr("{}: roasted {:g} kg is not less than the green load of {:g} kg.", path.name, record.roasted_kg, record.load_kg)
        )
    return replace(read, record=record)


def import_file(library: Library, path: Path, wishes: ImportWishes, again: bool = False) -> tuple[int, Imported]:
    """Read a file and add its batch to the library, whole or not at all; a label that is taken gets the next free number.

    Parameters
    ----------
    library, path, wishes : where to, what, and what the user said beforehand.
    again : take it in though the library has a batch with just these readings.

    Raises
    ------
    ImportRefusedError : if it cannot be taken in.
    """
    return import_read(library, path.name, read_file(path, wishes), again)


def import_read(
    library: Library, name: str, imported: Imported, again: bool = False, lot: Lot | None = None
) -> tuple[int, Imported]:
    """Add the batch that was read from a file of that name, with what is known of its lot; otherwise as `import_file`.

    Raises
    ------
    ImportRefusedError : if it cannot be taken in.
    """
    record = imported.record
    check_mark_order(record.marks)
    if not again and (label := library.same_log(record)) is not None:
        raise TakenInBeforeError(name, label)
    on = placed(library, record, imported.units)
    key = library.add_record(on.record, on.machine, lot)
    return key, replace(imported, said=(*imported.said, *on.said))


def export_text(library: Library, record: BatchRecord, form: str) -> str:
    """A batch as ``csv`` or ``json`` text."""
    if form == "json":
        from firnel.exchange.batch_document import batch_to_document

        return json.dumps(batch_to_document(record).model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"
    units: Mapping[Control, str] = {}
    if record.machine:
        machine = machine_of(library, record)
        units = {control: scale.unit for control, scale in machine.controls.items()} if machine else {}
    return write_csv_log(record, units)


def show_document(record: BatchRecord) -> dict[str, Any]:
    """The document of ``firnel show --json``: seconds count from charge, SI and degC, null where unknown."""
    from firnel.exchange.batch_document import series

    sheet = sheet_of(record)
    zero = record.charge_t
    trace, stages = record.trace, sheet.stages
    moves_t = tuple(move.t for move in record.moves if usual_role(move.control) is not Role.MOTION)
    live = live_rate_of_rise(trace.t, trace.bean, zero if record.mark(MarkKind.CHARGE) else None, moves_t, None, trace.air)
    marks: dict[str, Any] = {kind.value: None for kind in MarkKind}
    for mark in record.marks:
        marks[mark.kind.value] = {
            "t": round(mark.t - zero, 3), "log_t": round(mark.t, 3), "bean": mark.bean, "found": mark.found.value
        }  # fmt: skip
    return {
        "id": record.id,
        "label": record.label,
        "status": record.status,
        "started": record.started.isoformat(),
        "lot": record.lot or None,
        "machine": record.machine or None,
        "plan": record.plan or None,
        "load_kg": record.load_kg,
        "roasted_kg": record.roasted_kg,
        "loss": record.loss,
        "room_c": record.room_c,
        "colour": {"whole": record.colour_whole, "ground": record.colour_ground},
        "remark": record.remark,
        "operator": record.operator,
        "tags": record.tags,
        "left_out": record.left_out,
        "marks": marks,
        "stages": {name: stage.seconds if stage else None for name, stage in stages.named()}
        | {"total": stages.total_s, "development_ratio": stages.development_ratio},
        "moves": [
            {"t": round(m.t - zero, 3), "control": str(m.control), "to": m.to, "found": m.found.value} for m in record.moves
        ],
        "notes": [{"t": round(note.t - zero, 3), "kind": note.kind, "text": note.text} for note in record.notes],
        "ror": {
            "t": series(sheet.rate.t - zero, 3),
            "c_per_min": series(sheet.rate.c_per_min, 3),
            "sd": series(sheet.rate.sd, 3),
            "live_t": series(trace.t - zero, 3),
            "live_c_per_min": series(live.c_per_min, 3),
        },
        "events": [
            {"kind": e.kind, "from": round(e.start - zero, 2), "to": round(e.end - zero, 2), "likely_cause": e.likely_cause}
            for e in sheet.events
        ],
    }
