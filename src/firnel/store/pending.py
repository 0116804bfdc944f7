"""What is to be written of a running batch, as one value: handed from the journal to the library, or to a spill."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, insert, select, update

from firnel.core.vocabulary import Control, Mark, Move, Note, Quality
from firnel.core.words import tr
from firnel.store.batch_rows import (
    OWN_COLUMNS,
    begin_waiting,
    discard_batch,
    reading_columns,
    refresh_search,
    write_marks,
    write_moves_and_notes,
    write_parts,
)
from firnel.store.deeds import keep_deed
from firnel.store.floor_book import end_live, write_live
from firnel.store.tables import batches, readings

#: Of a batch that somebody still roasts.
RUNNING = ("ready", "roasting")
#: From these on nobody watches a batch any more.
ENDED = ("dropped", "done", "discarded")
#: Log time [s], bean, air [degC], controls [machine scale], quality.
ReadingRow = tuple[float, float | None, float | None, Mapping[Control, float], int]


@dataclass(frozen=True)
class Corrected:
    """A control that truly stood at a setting from a moment on [s of log time]: what was keyed there was taken back.

    Without a control it is a reading by hand, keyed at that moment, that stands for nothing any more.
    """

    control: Control | None
    since: float
    value: float | None


@dataclass(frozen=True)
class Pending:
    """What is to be written of one batch; None where nothing changed."""

    rows: tuple[ReadingRow, ...] = ()
    corrected: tuple[Corrected, ...] = ()
    marks: tuple[Mark, ...] | None = None
    moves_and_notes: tuple[tuple[Move, ...], tuple[Note, ...]] | None = None
    results: dict[str, Any] | None = None
    status: str | None = None
    birth: dict[str, Any] | None = None
    live: tuple[str, Mapping[str, Any]] | None = None  #: station, and what it says of the batch now

    @property
    def empty(self) -> bool:
        """Whether there is nothing to write."""
        return self == Pending()

    @property
    def parts(self) -> tuple[Pending, ...]:
        """One for each thing that is to be written, in the order in which they depend on each other."""
        each = (
            Pending(birth=self.birth),
            Pending(rows=self.rows),
            Pending(corrected=self.corrected),
            Pending(marks=self.marks),
            Pending(moves_and_notes=self.moves_and_notes),
            Pending(results=self.results),
            Pending(live=self.live),
            Pending(status=self.status),
        )
        return tuple(part for part in each if not part.empty)

    def with_newer(self, newer: Pending) -> Pending:
        """This, and what came after it: readings follow, of all else the newer has the last word."""
        results = None if self.results is None and newer.results is None else (self.results or {}) | (newer.results or {})
        return Pending(
            (*self.rows, *newer.rows),
            (*self.corrected, *newer.corrected),
            newer.marks if newer.marks is not None else self.marks,
            newer.moves_and_notes if newer.moves_and_notes is not None else self.moves_and_notes,
            results,
            newer.status if newer.status is not None else self.status,
            newer.birth if newer.birth is not None else self.birth,
            newer.live if newer.live is not None else self.live,
        )


def finite_row(row: ReadingRow) -> ReadingRow:
    """A reading with None for what is no figure; a database has no other word for it."""
    t, bean, air, controls, quality = row

    def known(value: float | None) -> float | None:
        return value if value is not None and math.isfinite(value) else None

    return t, known(bean), known(air), {c: value for c, value in controls.items() if known(value) is not None}, quality


def row_of(key: int, seq: int, reading: ReadingRow) -> dict[str, Any]:
    """A reading as a row of its batch."""
    t, bean, air, controls, quality = reading
    row = {"batch_id": key, "seq": seq, "t": t, "bean": bean, "air": air, "quality": quality}
    return row | reading_columns(controls)


def write_rows(connection: Connection, key: int, first: int, rows: tuple[ReadingRow, ...], wall: float, rate: float) -> None:
    """Add readings to a batch, the first of them in place ``first``; and where its journal stands now."""
    if not rows:
        return
    connection.execute(insert(readings), [row_of(key, first + offset, row) for offset, row in enumerate(rows)])
    where = {"last_t": rows[-1][0], "last_wall": wall, "clock_rate": rate}
    connection.execute(update(batches).where(batches.c.id == key).values(**where))


def _correct_more(connection: Connection, key: int, control: Control, entry: Corrected) -> None:
    since = select(readings.c.seq, readings.c.more).where(readings.c.batch_id == key, readings.c.t >= entry.since)
    for seq, more in connection.execute(since).all():
        settings = {name: value for name, value in (more or {}).items() if name != control}
        if entry.value is not None:
            settings[str(control)] = entry.value
        at = (readings.c.batch_id == key) & (readings.c.seq == seq)
        connection.execute(update(readings).where(at).values(more=settings or None))


def _write_results(connection: Connection, key: int, values: dict[str, Any]) -> None:
    """Results, and the order of a batch that was charged before anybody had said what it is."""
    if (waits := values.pop("waiting_id", None)) is not None:
        begin_waiting(connection, waits)  # its number stays unused: the batch has one
    connection.execute(update(batches).where(batches.c.id == key).values(**values))
    if "plan_id" in values:
        write_parts(connection, key, values["plan_id"])
    label = connection.execute(select(batches.c.label).where(batches.c.id == key)).scalar()
    keep_deed(connection, tr("kept the results of batch {}", label))
    refresh_search(connection, key)


def write_state(connection: Connection, key: int, pending: Pending) -> None:
    """Write all but the readings, inside the caller's transaction."""
    for entry in pending.corrected:
        if entry.control is None:
            at = (readings.c.batch_id == key) & readings.c.t.between(entry.since - 1e-6, entry.since + 1e-6)
            struck = {"bean": None, "air": None, "quality": int(Quality.HAND | Quality.OUT_OF_RANGE)}
            connection.execute(update(readings).where(at).values(**struck))
            continue
        since = (readings.c.batch_id == key) & (readings.c.t >= entry.since)
        if entry.control in OWN_COLUMNS:
            connection.execute(update(readings).where(since).values({readings.c[entry.control]: entry.value}))
        else:
            _correct_more(connection, key, entry.control, entry)
    if pending.marks is not None:
        write_marks(connection, key, pending.marks)
    if pending.moves_and_notes is not None:
        write_moves_and_notes(connection, key, *pending.moves_and_notes)
    if pending.results is not None:
        _write_results(connection, key, dict(pending.results))
    if pending.live is not None:
        write_live(connection, key, *pending.live)
    if pending.status in ENDED:
        end_live(connection, key)
    if pending.status == "discarded":
        discard_batch(connection, key)
    elif pending.status is not None:
        connection.execute(update(batches).where(batches.c.id == key).values(status=pending.status))
