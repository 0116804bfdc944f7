"""What is mended in batches afterwards: results and order corrected with the old value kept, batches split and joined."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Engine, insert, select, update

from firnel.core.stages import check_mark_order
from firnel.core.vocabulary import Mark, MarkKind
from firnel.core.words import later, tr
from firnel.store.batch_rows import (
    insert_batch,
    insert_moves,
    insert_notes,
    read_marks,
    read_moves,
    read_notes,
    refresh_search,
    write_marks,
    write_moves_and_notes,
    write_parts,
)
from firnel.store.deeds import keep_deed
from firnel.store.rows import aware
from firnel.store.tables import batches, corrections, lots, machines, plans, readings
from firnel.store.writing import writing

#: Columns of a batch that can be mended.
MENDABLE = (
    "roasted_kg", "colour_whole", "colour_ground", "load_kg", "room_c", "remark", "operator", "tags", "lot_id", "plan_id",
    "machine_id", "declined",
)  # fmt: skip
#: How they are kept, and told by `tr`.
FIELD_WORDS = {
    "roasted_kg": later("roasted weight"), "colour_whole": later("colour whole"), "colour_ground": later("colour ground"),
    "load_kg": later("load"), "room_c": later("room"), "remark": later("remark"), "operator": later("roaster"),
    "tags": later("tags"), "lot_id": later("lot"), "plan_id": later("plan"), "machine_id": later("machine"),
    "declined": later("not measured"),
}  # fmt: skip
_NAMES = {"lot_id": lots, "plan_id": plans, "machine_id": machines}


@dataclass(frozen=True)
class Correction:
    """One value that was mended: when, by whom, which field, and what stood there before and stands there since."""

    at: datetime
    who: str
    field: str
    before: str
    after: str


class MendBook:
    """Mends the batches of an engine's library; every old value is kept."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def correct(self, key: int, values: Mapping[str, Any], who: str, at: datetime | None = None) -> int:
        """Mend columns of a batch; how many were otherwise before.

        Raises
        ------
        ValueError : if a column is not one that can be mended.
        """
        if strange := set(values) - set(MENDABLE):
            raise ValueError(tr("{} cannot be mended.", ", ".join(sorted(strange))))
        with writing(self._engine) as connection:
            row = connection.execute(select(batches).where(batches.c.id == key)).one()
            changed = {name: value for name, value in values.items() if getattr(row, name) != value}
            for name, value in changed.items():
                before, after = (self._words(connection, name, one) for one in (getattr(row, name), value))
                _note(connection, key, who, FIELD_WORDS[name], before, after, at)
            if changed:
                connection.execute(update(batches).where(batches.c.id == key).values(**changed))
                if "plan_id" in changed:
                    write_parts(connection, key, changed["plan_id"])
                refresh_search(connection, key)
                keep_deed(
                    connection,
                    tr("noted the {} of batch {}", tr(", the ").join(tr(FIELD_WORDS[n]) for n in changed), row.label),
                )
        return len(changed)

    def correct_marks(self, key: int, wanted: Iterable[Mark], who: str, at: datetime | None = None) -> None:
        """Replace the marks of a batch; where each stood before is kept, in seconds from its charge.

        Raises
        ------
        MarkOrderError : if they contradict each other; the old ones stay then.
        """
        after = tuple(wanted)
        check_mark_order(after)
        with writing(self._engine) as connection:
            before = read_marks(connection, key)
            write_marks(connection, key, after)
            for kind in MarkKind:
                was, now = (_moment(marks, kind) for marks in (before, after))
                if was != now:
                    _note(connection, key, who, kind.value.replace("_", " "), was, now, at)

    @staticmethod
    def _words(connection: Connection, name: str, value: Any) -> str:
        table = _NAMES.get(name)
        if table is not None and value is not None:
            return str(connection.execute(select(table.c.name).where(table.c.id == value)).scalar() or value)
        return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)

    def corrections(self, key: int) -> list[Correction]:
        """What was mended in a batch, the oldest first."""
        query = select(corrections).where(corrections.c.batch_id == key).order_by(corrections.c.at, corrections.c.id)
        with self._engine.connect() as connection:
            return [Correction(aware(r.at), r.who, r.field, r.before, r.after) for r in connection.execute(query)]

    def split(self, key: int, at_t: float, who: str, at: datetime | None = None) -> int:
        """Make two batches of one at a moment of its log [s]: the first keeps what came before. The id of the second.

        Raises
        ------
        ValueError : if nothing lies on one of the sides.
        """
        with writing(self._engine) as connection:
            row = connection.execute(select(batches).where(batches.c.id == key)).one()
            table = _readings(connection, key)
            after = [one for one in table if one["t"] >= at_t]
            if not after or len(after) == len(table):
                raise ValueError(tr("A batch is split where readings lie on both sides."))
            started = aware(row.started) + timedelta(seconds=at_t / (row.clock_rate or 1.0))
            values = {
                "machine_id": row.machine_id, "started": started, "status": "dropped", "operator": row.operator,
                "room_c": row.room_c, "clock_rate": row.clock_rate,
            }  # fmt: skip
            second, label = insert_batch(connection, values)
            connection.execute(readings.delete().where(readings.c.batch_id == key, readings.c.t >= at_t))
            connection.execute(insert(readings), [_reading(one, second, seq, -at_t) for seq, one in enumerate(after)])
            marks, moves, notes = read_marks(connection, key), read_moves(connection, key), read_notes(connection, key)
            write_marks(connection, key, [mark for mark in marks if mark.t < at_t])
            write_moves_and_notes(
                connection, key, [move for move in moves if move.t < at_t], [note for note in notes if note.t < at_t]
            )
            write_marks(connection, second, _shifted([mark for mark in marks if mark.t >= at_t], -at_t))
            insert_moves(connection, second, _shifted([move for move in moves if move.t >= at_t], -at_t))
            insert_notes(connection, second, _shifted([note for note in notes if note.t >= at_t], -at_t))
            _note(connection, key, who, later("split"), "", tr("{} from {:.0f} s of the log on", label, at_t), at)
            _note(connection, second, who, later("split"), tr("{} from {:.0f} s of its log on", row.label, at_t), "", at)
        return second

    def join(self, first: int, second: int, who: str, at: datetime | None = None) -> None:
        """Put the readings, marks, moves and notes of the second batch behind those of the first; it stays, left out.

        Raises
        ------
        ValueError : if the second does not follow the first, or stands on another machine.
        """
        with writing(self._engine) as connection:
            rows = {key: connection.execute(select(batches).where(batches.c.id == key)).one() for key in (first, second)}
            one, two = rows[first], rows[second]
            by = (aware(two.started) - aware(one.started)).total_seconds() * (one.clock_rate or 1.0)
            of_first = select(readings.c.t, readings.c.seq).where(readings.c.batch_id == first)
            last = connection.execute(of_first.order_by(readings.c.seq.desc()).limit(1)).one_or_none()
            ends, seq = (float(last[0]), int(last[1])) if last is not None else (float("-inf"), -1)
            if one.machine_id != two.machine_id or not -5.0 <= by - ends <= LONGEST_GAP_S:
                raise ValueError(tr("Batch {} does not follow {} on the same machine.", two.label, one.label))
            behind = (row for row in _readings(connection, second) if row["t"] + by > ends)
            shifted = [_reading(row, first, seq + 1 + number, by) for number, row in enumerate(behind)]
            if shifted:
                connection.execute(insert(readings), shifted)
            marks = {mark.kind: mark for mark in read_marks(connection, first)}
            for mark in _shifted(read_marks(connection, second), by):
                if mark.kind not in marks and mark.kind is not MarkKind.CHARGE:
                    marks[mark.kind] = mark
            write_marks(connection, first, sorted(marks.values(), key=lambda mark: mark.t))
            insert_moves(connection, first, _shifted(read_moves(connection, second), by))
            insert_notes(connection, first, _shifted(read_notes(connection, second), by))
            values = {
                name: getattr(two, name)
                for name in ("roasted_kg", "colour_whole", "colour_ground", "load_kg", "lot_id", "plan_id")
                if getattr(one, name) is None and getattr(two, name) is not None
            }
            if values:
                connection.execute(update(batches).where(batches.c.id == first).values(**values))
            connection.execute(
                update(batches).where(batches.c.id == second).values(left_out=tr("joined to {}", one.label), status="done")
            )
            _note(connection, first, who, later("joined"), "", two.label, at)
            _note(connection, second, who, later("joined"), "", one.label, at)
            refresh_search(connection, first)

    def set_events(self, key: int, kinds: Sequence[str]) -> None:
        """What went wrong in a batch, so that it can be searched for."""
        with writing(self._engine) as connection:
            told = " ".join(sorted(set(kinds)))
            connection.execute(update(batches).where(batches.c.id == key).values(events=told))
            refresh_search(connection, key)

    def without_events(self, limit: int) -> list[int]:
        """Batches of which nobody has looked yet what went wrong, the newest first."""
        query = select(batches.c.id).where(batches.c.events.is_(None), batches.c.status.in_(("done", "dropped")))
        with self._engine.connect() as connection:
            return list(connection.execute(query.order_by(batches.c.started.desc()).limit(limit)).scalars())


#: Two batches further apart than this are not one. [s]
LONGEST_GAP_S = 900.0


def _readings(connection: Connection, key: int) -> Sequence[Mapping[str, Any]]:
    query = select(readings).where(readings.c.batch_id == key).order_by(readings.c.seq)
    return [dict(row) for row in connection.execute(query).mappings()]


def _reading(row: Mapping[str, Any], key: int, seq: int, by: float) -> dict[str, Any]:
    return {**row, "batch_id": key, "seq": seq, "t": row["t"] + by}


def _shifted(entries: Sequence[Any], by: float) -> list[Any]:
    return [replace(entry, t=entry.t + by) for entry in entries]


def _moment(marks: Sequence[Mark], kind: MarkKind) -> str:
    """When a mark stands, in words; empty where there is none."""
    zero = next((mark.t for mark in marks if mark.kind is MarkKind.CHARGE and kind is not MarkKind.CHARGE), 0.0)
    return next((f"{mark.t - zero:.1f} s" for mark in marks if mark.kind is kind), "")


def _note(connection: Connection, key: int, who: str, field: str, before: str, after: str, at: datetime | None) -> None:
    values = {"batch_id": key, "at": at or datetime.now(UTC), "who": who, "field": field, "before": before, "after": after}
    connection.execute(insert(corrections).values(**values))
