"""A batch as one JSON document, with a published schema (docs/batch.schema.json). SI and degC; seconds count from charge."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from firnel.core.vocabulary import (
    MOST_CONTROLS,
    USUAL_CONTROLS,
    BatchRecord,
    Control,
    FloatArray,
    Found,
    Mark,
    MarkKind,
    Move,
    Note,
    Trace,
)
from firnel.core.words import tr
from firnel.exchange.documents import (
    AirC,
    BeanC,
    Colour,
    ControlName,
    Finite,
    Kg,
    Label,
    Name,
    Part,
    RoomC,
    Seconds,
    Words,
    checked,
    read_json,
)
from firnel.exchange.errors import ImportRefusedError

Series = list[Finite | None]


class MarkPart(Part):
    """A milestone."""

    kind: MarkKind
    t: Seconds = Field(description="seconds from charge")
    bean: BeanC | None = Field(None, description="bean probe, degrees Celsius")
    found: Found = Found.GIVEN


class MovePart(Part):
    """A change of one control."""

    control: ControlName
    t: Seconds = Field(description="seconds from charge")
    to: Finite = Field(description="new setting on the machine's own scale")
    found: Found = Found.GIVEN


class NotePart(Part):
    """A word from the trier, or a remark."""

    t: Seconds
    kind: Annotated[Name, Field(max_length=30)]
    text: Words


class ReadingsPart(Part):
    """The readings as columns of equal length; null where a value was not read."""

    t: list[Seconds] = Field(description="seconds from charge")
    bean: list[BeanC | None] = Field(description="degrees Celsius")
    air: list[AirC | None] = Field(description="degrees Celsius")
    gas: Series = Field([], description="of the control of that name, on the machine's own scale; empty where it has none")
    airflow: Series = Field([], description="the same")
    drum: Series = Field([], description="the same")
    controls: dict[ControlName, Series] = Field({}, max_length=MOST_CONTROLS, description="all other controls, by name")
    quality: list[int] = Field(description="bits: 1 spike, 2 frozen, 4 out of range, 8 keyed in by hand")


class BatchDocument(Part):
    """A Firnel batch."""

    format: Literal["firnel-batch"] = "firnel-batch"
    version: Literal[1] = 1
    label: Label
    started: datetime
    charge_log_t: Seconds = Field(0.0, description="seconds from the start of the record to the charge")
    lot: Name = ""
    machine: Name = ""
    plan: Name = ""
    status: Literal["ready", "roasting", "dropped", "done", "discarded"] = "done"
    load_kg: Kg | None = None
    roasted_kg: Kg | None = None
    colour_whole: Colour | None = None
    colour_ground: Colour | None = None
    room_c: RoomC | None = None
    remark: Words = ""
    operator: Annotated[Name, Field(max_length=80)] = ""
    left_out: Words = Field("", description="why it is left out of charts and fits; empty where it counts")
    tags: Words = Field("", description="the house's own words, separated by spaces")
    declined: Annotated[Name, Field(max_length=80)] = Field("", description="which results are not measured: weight, colour")
    marks: list[MarkPart] = Field([], max_length=20)
    moves: list[MovePart] = Field([], max_length=20_000)
    notes: list[NotePart] = Field([], max_length=20_000)
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
        operator=record.operator,
        left_out=record.left_out,
        tags=record.tags,
        declined=record.declined,
        marks=[MarkPart(kind=m.kind, t=m.t - zero, bean=m.bean, found=m.found) for m in record.marks],
        moves=[MovePart(control=str(m.control), t=m.t - zero, to=m.to, found=m.found) for m in record.moves],
        notes=[NotePart(t=note.t - zero, kind=note.kind, text=note.text) for note in record.notes],
        readings=ReadingsPart(
            t=[round(float(t) - zero, 6) for t in trace.t],
            bean=series(trace.bean),
            air=series(trace.air),
            **{control: series(trace.controls[control]) for control in USUAL_CONTROLS if control in trace.controls},
            controls={str(c): series(values) for c, values in trace.controls.items() if c not in USUAL_CONTROLS},
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
    usual = {control: values for control in USUAL_CONTROLS if (values := getattr(columns, control))}
    controls = {**usual, **{Control(name): values for name, values in columns.controls.items()}}
    lengths = {len(values) for values in (columns.t, columns.bean, columns.air, columns.quality, *controls.values())}
    if len(lengths) != 1:
        raise ImportRefusedError(
            tr("Batch {}: the columns of readings differ in length ({}).", document.label, sorted(lengths))
        )
    t = np.array(columns.t, float) + zero
    if t.size and not (np.diff(t) > 0).all():
        raise ImportRefusedError(tr("Batch {}: the times of its readings do not go forward.", document.label))
    if document.load_kg is not None and document.roasted_kg is not None and document.roasted_kg >= document.load_kg:
        raise ImportRefusedError(
            tr("Batch {}: {:g} kg roasted of {:g} kg green cannot be.", document.label, document.roasted_kg, document.load_kg)
        )
    if not 1990 <= document.started.year <= 2200:
        raise ImportRefusedError(tr("Batch {}: it was begun in the year {}?", document.label, document.started.year))
    read = {control: _array(values) for control, values in controls.items()}
    known = {control: values for control, values in read.items() if np.isfinite(values).any()}
    trace = Trace(t, _array(columns.bean), _array(columns.air), known, np.array(columns.quality, np.int64))
    return BatchRecord(
        label=document.label,
        lot=document.lot,
        machine=document.machine,
        started=document.started if document.started.tzinfo else document.started.replace(tzinfo=UTC),
        trace=trace,
        marks=tuple(Mark(m.kind, m.t + zero, m.bean, m.found) for m in document.marks),
        moves=tuple(Move(Control(m.control), m.t + zero, m.to, m.found) for m in document.moves),
        notes=tuple(Note(note.t + zero, note.kind, note.text) for note in document.notes),
        load_kg=document.load_kg,
        roasted_kg=document.roasted_kg,
        colour_whole=document.colour_whole,
        colour_ground=document.colour_ground,
        room_c=document.room_c,
        plan=document.plan,
        remark=document.remark,
        operator=document.operator,
        left_out=document.left_out,
        tags=document.tags,
        declined=document.declined,
        # Nobody records it here: one that was on its way when it was written is as far as it came.
        status={"ready": "discarded", "roasting": "dropped"}.get(document.status, document.status),
    )


def read_batch_document(path: Path) -> BatchRecord:
    """Read a batch from a JSON file.

    Raises
    ------
    ImportRefusedError : if the file is no Firnel batch; the message names the first entry that is wrong.
    """
    return document_to_batch(checked(BatchDocument, read_json(path), f"{path.name} is no Firnel batch"))


def series(values: FloatArray, digits: int = 9) -> Series:
    """An array as JSON numbers, null where it is not finite."""
    return [round(float(value), digits) if math.isfinite(value) else None for value in values]


def _array(values: Series) -> FloatArray:
    return np.array([np.nan if value is None else value for value in values], float)
