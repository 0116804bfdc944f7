"""A batch as one JSON document, with a published schema (docs/batch.schema.json). SI and degC; seconds count from charge."""

from __future__ import annotations

import json
import math
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from firnel.core.vocabulary import BatchRecord, Control, FloatArray, Found, Mark, MarkKind, Move, Note, Trace
from firnel.exchange.errors import ImportRefusedError

Series = list[float | None]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class MarkPart(_Part):
    """A milestone."""

    kind: MarkKind
    t: float = Field(description="seconds from charge")
    bean: float | None = Field(None, description="bean probe, degrees Celsius")
    found: Found = Found.GIVEN


class MovePart(_Part):
    """A change of one control."""

    control: Control
    t: float = Field(description="seconds from charge")
    to: float = Field(description="new setting on the machine's own scale")
    found: Found = Found.GIVEN


class NotePart(_Part):
    """A word from the trier, or a remark."""

    t: float
    kind: str
    text: str


class ReadingsPart(_Part):
    """The readings as columns of equal length; null where a value was not read."""

    t: list[float] = Field(description="seconds from charge")
    bean: Series = Field(description="degrees Celsius")
    air: Series = Field(description="degrees Celsius")
    gas: Series
    airflow: Series
    drum: Series
    quality: list[int] = Field(description="bits: 1 spike, 2 frozen, 4 out of range, 8 keyed in by hand")


class BatchDocument(_Part):
    """A Firnel batch."""

    format: Literal["firnel-batch"] = "firnel-batch"
    version: Literal[1] = 1
    label: str
    started: datetime
    charge_log_t: float = Field(0.0, description="seconds from the start of the record to the charge")
    lot: str = ""
    machine: str = ""
    plan: str = ""
    status: str = "done"
    load_kg: float | None = None
    roasted_kg: float | None = None
    colour_whole: float | None = None
    colour_ground: float | None = None
    room_c: float | None = None
    remark: str = ""
    marks: list[MarkPart] = []
    moves: list[MovePart] = []
    notes: list[NotePart] = []
    readings: ReadingsPart


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of a batch document."""
    schema = BatchDocument.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Firnel batch", **schema}


def batch_to_document(record: BatchRecord) -> BatchDocument:
    """The document of a batch."""
    zero = record.charge_t
    trace = record.trace
    return BatchDocument(
        label=record.label,
        started=record.started,
        charge_log_t=zero,
        lot=record.lot,
        machine=record.machine,
        plan=record.plan,
        status=record.status,
        load_kg=record.load_kg,
        roasted_kg=record.roasted_kg,
        colour_whole=record.colour_whole,
        colour_ground=record.colour_ground,
        room_c=record.room_c,
        remark=record.remark,
        marks=[MarkPart(kind=m.kind, t=m.t - zero, bean=m.bean, found=m.found) for m in record.marks],
        moves=[MovePart(control=m.control, t=m.t - zero, to=m.to, found=m.found) for m in record.moves],
        notes=[NotePart(t=note.t - zero, kind=note.kind, text=note.text) for note in record.notes],
        readings=ReadingsPart(
            t=[round(float(t) - zero, 6) for t in trace.t],
            bean=series(trace.bean),
            air=series(trace.air),
            gas=series(trace.gas),
            airflow=series(trace.airflow),
            drum=series(trace.drum),
            quality=[int(bits) for bits in trace.quality],
        ),
    )


def document_to_batch(document: BatchDocument) -> BatchRecord:
    """The batch in a document.

    Raises
    ------
    ImportRefusedError : if the columns are of different length, or time does not go forward.
    """
    zero, columns = document.charge_log_t, document.readings
    lengths = {len(getattr(columns, name)) for name in ("t", "bean", "air", "gas", "airflow", "drum", "quality")}
    if len(lengths) != 1:
        raise ImportRefusedError(f"Batch {document.label}: the columns of readings differ in length ({sorted(lengths)}).")
    t = np.array(columns.t, float) + zero
    if t.size and not (np.diff(t) > 0).all():
        raise ImportRefusedError(f"Batch {document.label}: the times of its readings do not go forward.")
    trace = Trace(
        t, _array(columns.bean), _array(columns.air), _array(columns.gas), _array(columns.airflow), _array(columns.drum),
        np.array(columns.quality, np.int64),
    )  # fmt: skip
    return BatchRecord(
        label=document.label,
        lot=document.lot,
        machine=document.machine,
        started=document.started if document.started.tzinfo else document.started.replace(tzinfo=UTC),
        trace=trace,
        marks=tuple(Mark(m.kind, m.t + zero, m.bean, m.found) for m in document.marks),
        moves=tuple(Move(m.control, m.t + zero, m.to, m.found) for m in document.moves),
        notes=tuple(Note(note.t + zero, note.kind, note.text) for note in document.notes),
        load_kg=document.load_kg,
        roasted_kg=document.roasted_kg,
        colour_whole=document.colour_whole,
        colour_ground=document.colour_ground,
        room_c=document.room_c,
        plan=document.plan,
        remark=document.remark,
        status=document.status,
    )


def read_batch_document(path: Path) -> BatchRecord:
    """Read a batch from a JSON file.

    Raises
    ------
    ImportRefusedError : if the file is no Firnel batch; the message names the first entry that is wrong.
    """
    try:
        raw = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise ImportRefusedError(f"{path} cannot be read: {error.strerror}.") from error
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise ImportRefusedError(f"{path.name} is not JSON: {error}.") from error
    try:
        return document_to_batch(BatchDocument.model_validate(raw))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the document"
        raise ImportRefusedError(f"{path.name} is no Firnel batch: {where}: {first['msg']}.") from error


def series(values: FloatArray, digits: int = 9) -> Series:
    """An array as JSON numbers, null where it is not finite."""
    return [round(float(value), digits) if math.isfinite(value) else None for value in values]


def _array(values: Series) -> FloatArray:
    return np.array([np.nan if value is None else value for value in values], float)
