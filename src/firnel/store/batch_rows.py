"""The rows of a batch, read and written inside a caller's transaction."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from sqlalchemy import Connection, Select, delete, func, insert, select, update

from firnel.core.day.coffee import Blending
from firnel.core.stages import stages_of
from firnel.core.vocabulary import Control, FloatArray, Found, Mark, MarkKind, Move, Note, Trace
from firnel.store.rows import new_key
from firnel.store.tables import batches, coffees, counters, lots, machines, marks, moves, notes, parts, plans, readings, waiting

#: Controls that have a column of their own in the table of readings; the rest stand together in one.
OWN_COLUMNS = (Control.GAS, Control.AIRFLOW, Control.DRUM)
#: The counter of batch numbers.
NUMBERS = "batch"
#: Longest number that counts: a label such as ``20261125`` is a word of its own.
NUMBER_DIGITS = 6
#: Notes that nobody looks for: what was ticked, asked and settled.
NOT_SEARCHED = ("check", "label", "drop asked", "plan")


def label_of(connection: Connection, key: int) -> str:
    """The number of a batch, as it is told."""
    return str(connection.execute(select(batches.c.label).where(batches.c.id == key)).scalar_one())


def insert_batch(
    connection: Connection, values: Mapping[str, Any], label: str | None = None, promised: bool = False
) -> tuple[int, str]:
    """Begin a batch; the next free number is its label unless one is given that nobody has, or that was promised to it.

    Returns id and label.
    """
    if label is None or (not promised and _taken(connection, label)):
        label = next_number(connection)
    elif label.isdecimal() and len(label) <= NUMBER_DIGITS:
        _count_to(connection, int(label))
    version = values.get("plan_version")
    if version is None:
        version = select(plans.c.version).where(plans.c.id == values.get("plan_id")).scalar_subquery()
    blank = {"clock_rate": 1.0, "remark": "", "operator": ""}
    made = connection.execute(insert(batches).values(**(blank | dict(values) | {"plan_version": version, "label": label})))
    key = new_key(made)
    write_parts(connection, key, values.get("plan_id"))
    refresh_search(connection, key)
    return key, label


def write_parts(connection: Connection, key: int, plan_id: int | None) -> None:
    """Where a batch is roasted by the plan of a coffee whose green is blended before: how much of its load each lot is."""
    connection.execute(delete(parts).where(parts.c.batch_id == key))
    if plan_id is None:
        return
    for (document,) in connection.execute(select(coffees.c.document).where(coffees.c.archived.is_(False))):
        of, together = document["components"], document["blending"] == Blending.GREEN.value
        if not together or len(of) < 2 or plan_id not in of[0]["plans"]:
            continue
        ids = {name: lot for lot, name in connection.execute(select(lots.c.id, lots.c.name))}
        rows = [{"batch_id": key, "lot_id": ids[one["lot"]], "share": one["share"]} for one in of if one["lot"] in ids]
        if rows:
            connection.execute(insert(parts), rows)
        return


def next_number(connection: Connection) -> str:
    """A number that no batch and no label has; it is given once and never again."""
    # On a server the row is held until this transaction ends; SQLite's writers wait for each other anyway.
    held = select(counters.c.value).where(counters.c.name == NUMBERS).with_for_update()
    number = (connection.execute(held).scalar() or 0) + 1
    while _taken(connection, f"{number:04d}"):
        number += 1
    _count_to(connection, number)
    return f"{number:04d}"


def _count_to(connection: Connection, number: int) -> None:
    last = connection.execute(select(counters.c.value).where(counters.c.name == NUMBERS)).scalar()
    if last is None:
        connection.execute(insert(counters).values(name=NUMBERS, value=number))
    elif number > last:
        connection.execute(update(counters).where(counters.c.name == NUMBERS).values(value=number))


def _taken(connection: Connection, label: str) -> bool:
    return any(
        connection.execute(select(column).where(column == label).limit(1)).first() is not None
        for column in (batches.c.label, waiting.c.number)
    )


def begin_waiting(connection: Connection, key: int) -> str | None:
    """A batch that waits is begun; its number, or None where it does not wait any more."""
    begun = connection.execute(
        update(waiting).where(waiting.c.id == key, waiting.c.state == "waiting").values(state="begun")
    ).rowcount
    return connection.execute(select(waiting.c.number).where(waiting.c.id == key)).scalar() if begun else None


def discard_batch(connection: Connection, key: int) -> None:
    """A batch that never was charged. The number of one that waited goes back to its load, which waits again."""
    label = connection.execute(select(batches.c.label).where(batches.c.id == key)).scalar_one()
    waits = connection.execute(
        update(waiting).where(waiting.c.number == label, waiting.c.state == "begun").values(state="waiting")
    ).rowcount
    values: dict[str, Any] = {"status": "discarded", "owner": ""}
    if waits:
        like = batches.c.label.startswith(f"{label}-not-charged", autoescape=True)
        count = connection.execute(select(func.count()).select_from(batches).where(like)).scalar_one()
        values["label"] = f"{label}-not-charged-{count + 1}"
    connection.execute(update(batches).where(batches.c.id == key).values(**values))
    refresh_search(connection, key)


def write_marks(connection: Connection, key: int, wanted: Sequence[Mark]) -> None:
    """Replace the marks of a batch and what the list shows of them, inside the caller's transaction."""
    connection.execute(delete(marks).where(marks.c.batch_id == key))
    rows = [{"batch_id": key, "kind": m.kind.value, "t": m.t, "bean": m.bean, "found": m.found.value} for m in wanted]
    if rows:
        connection.execute(insert(marks), rows)
    stages = stages_of(wanted)
    drop = next((mark for mark in wanted if mark.kind is MarkKind.DROP), None)
    summary: dict[str, float | None] = {f"{name}_s": stage.seconds if stage else None for name, stage in stages.named()}
    summary |= {"total_s": stages.total_s, "drop_c": drop.bean if drop else None}
    connection.execute(update(batches).where(batches.c.id == key).values(**summary))


def refresh_search(connection: Connection, key: int) -> None:
    """One lower-case column holds all that the search looks at: a single scan, no joins."""
    query = (
        select(
            batches.c.label,
            lots.c.name,
            machines.c.name,
            plans.c.name,
            lots.c.origin,
            lots.c.process,
            batches.c.remark,
            batches.c.operator,
            batches.c.tags,
            batches.c.events,
        )  # fmt: skip
        .select_from(batches)
        .outerjoin(lots, batches.c.lot_id == lots.c.id)
        .outerjoin(machines, batches.c.machine_id == machines.c.id)
        .outerjoin(plans, batches.c.plan_id == plans.c.id)
        .where(batches.c.id == key)
    )
    said = select(notes.c.kind, notes.c.text).where(notes.c.batch_id == key, notes.c.kind.not_in(NOT_SEARCHED))
    parts = [*connection.execute(query).one(), *(f"{kind} {text}" for kind, text in connection.execute(said))]
    words = " ".join(str(part) for part in parts if part).lower()
    connection.execute(update(batches).where(batches.c.id == key).values(search_text=words))


def or_none(value: float | None) -> float | None:
    """A figure, or None where it is none."""
    return None if value is None or not np.isfinite(value) else float(value)


def read_trace(connection: Connection, key: int) -> Trace:
    """The readings of a batch."""
    columns = [getattr(readings.c, name) for name in ("t", "bean", "air", *OWN_COLUMNS, "quality")]
    rows = connection.execute(select(*columns).where(readings.c.batch_id == key).order_by(readings.c.seq)).all()
    if not rows:
        return Trace.empty()
    table: FloatArray = np.array([tuple(row) for row in rows], dtype=float)
    series = [(control, table[:, 3 + index]) for index, control in enumerate(OWN_COLUMNS)]
    controls = {control: column for control, column in series if np.isfinite(column).any()}
    more = select(readings.c.seq, readings.c.more).where(readings.c.batch_id == key, readings.c.more.is_not(None))
    rest = connection.execute(more.order_by(readings.c.seq)).all()
    if rest:
        at = {seq: index for index, seq in enumerate(connection.execute(_places(key)).scalars())}
        for seq, settings in rest:
            for name, value in settings.items():
                column = controls.setdefault(Control(name), np.full(len(rows), np.nan))
                column[at[seq]] = value
    return Trace(table[:, 0], table[:, 1], table[:, 2], controls, table[:, 6].astype(np.int64))


def _places(key: int) -> Select[tuple[int]]:
    return select(readings.c.seq).where(readings.c.batch_id == key).order_by(readings.c.seq)


def reading_columns(controls: Mapping[Control, float]) -> dict[str, Any]:
    """What a reading's row holds of the controls; figures only."""
    known = {control: float(value) for control, value in controls.items() if value is not None and np.isfinite(value)}
    own: dict[str, Any] = {str(control): known.pop(control, None) for control in OWN_COLUMNS}
    return own | {"more": {str(control): value for control, value in known.items()} or None}


def read_marks(connection: Connection, key: int) -> tuple[Mark, ...]:
    """The marks of a batch, in their order."""
    query = select(marks.c.kind, marks.c.t, marks.c.bean, marks.c.found).where(marks.c.batch_id == key).order_by(marks.c.t)
    return tuple(Mark(MarkKind(kind), t, bean, Found(found)) for kind, t, bean, found in connection.execute(query))


def read_moves(connection: Connection, key: int) -> tuple[Move, ...]:
    """The moves of a batch, in their order."""
    query = select(moves.c.control, moves.c.t, moves.c.value, moves.c.found).where(moves.c.batch_id == key)
    rows = connection.execute(query.order_by(moves.c.t, moves.c.id))
    return tuple(Move(Control(control), t, to, Found(found)) for control, t, to, found in rows)


def read_notes(connection: Connection, key: int) -> tuple[Note, ...]:
    """The notes of a batch, in their order."""
    query = select(notes.c.t, notes.c.kind, notes.c.text).where(notes.c.batch_id == key)
    return tuple(Note(t, kind, text) for t, kind, text in connection.execute(query.order_by(notes.c.t, notes.c.id)))


def insert_moves(connection: Connection, key: int, wanted: Sequence[Move]) -> None:
    """Add moves to a batch."""
    rows = [{"batch_id": key, "control": str(m.control), "t": m.t, "value": m.to, "found": m.found.value} for m in wanted]
    if rows:
        connection.execute(insert(moves), rows)


def insert_notes(connection: Connection, key: int, wanted: Sequence[Note]) -> None:
    """Add notes to a batch."""
    rows = [{"batch_id": key, "t": note.t, "kind": note.kind, "text": note.text} for note in wanted]
    if rows:
        connection.execute(insert(notes), rows)


def write_moves_and_notes(connection: Connection, key: int, all_moves: Sequence[Move], all_notes: Sequence[Note]) -> None:
    """Replace moves and notes of a batch, inside the caller's transaction."""
    connection.execute(delete(moves).where(moves.c.batch_id == key))
    connection.execute(delete(notes).where(notes.c.batch_id == key))
    insert_moves(connection, key, all_moves)
    insert_notes(connection, key, all_notes)
    refresh_search(connection, key)
