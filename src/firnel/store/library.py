"""Reading and writing a library: lots, machines, plans and batches as the core's plain values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import Connection, Select, delete, func, insert, select, update

from firnel.core.plan import Plan
from firnel.core.stages import check_mark_order, stages_of
from firnel.core.vocabulary import (
    BatchRecord,
    Control,
    FloatArray,
    Found,
    Lot,
    Machine,
    Mark,
    MarkKind,
    Move,
    Note,
    Trace,
)
from firnel.store.bench_book import BenchBook
from firnel.store.lot_book import LotBook
from firnel.store.machine_book import MachineBook
from firnel.store.opening import RoastingLock, library_path, library_url, open_engine
from firnel.store.plan_book import PlanBook
from firnel.store.rows import aware, new_key
from firnel.store.tables import batches, house, lots, machines, marks, moves, notes, plans, readings


class NotInLibraryError(LookupError):
    """What was asked for is not in the library; the message says what there is instead."""


@dataclass(frozen=True)
class BatchFilter:
    """Which batches a list shows; empty fields let all through. ``since`` and ``until`` are UTC."""

    text: str = ""
    lot_id: int | None = None
    machine_id: int | None = None
    since: datetime | None = None
    until: datetime | None = None
    statuses: tuple[str, ...] = ()


@dataclass(frozen=True)
class BatchLine:
    """One line of the list of batches."""

    id: int
    label: str
    started: datetime
    lot: str
    machine: str
    plan: str
    status: str
    load_kg: float | None
    roasted_kg: float | None
    colour_ground: float | None
    drying_s: float | None
    browning_s: float | None
    development_s: float | None
    total_s: float | None
    drop_c: float | None
    colour_whole: float | None = None
    room_c: float | None = None
    operator: str = ""

    @property
    def loss(self) -> float | None:
        """Weight loss [0..1]; None until weighed."""
        if not self.load_kg or self.roasted_kg is None:
            return None
        return 1.0 - self.roasted_kg / self.load_kg


#: Where a page of the list ended: the next one begins after it.
PageEnd = tuple[datetime, int]


class Library:
    """A library of batches, on a file or a database server.

    Parameters
    ----------
    library : path of the file, or a database URL.

    Raises
    ------
    LibraryError : if it cannot be opened.
    """

    def __init__(self, library: str | Path) -> None:
        self.url = library_url(library)
        self.path = library_path(self.url)
        self.engine = open_engine(library)
        self._lock: RoastingLock | None = None
        self.lot_book, self.machine_book = LotBook(self.engine), MachineBook(self.engine)
        self.plan_book, self.bench_book = PlanBook(self.engine), BenchBook(self.engine)

    def lock_for_roasting(self) -> None:
        """Keep other Firnels from roasting on this library.

        Raises
        ------
        LibraryInUseError : if one does already.
        """
        if self.path is not None and self._lock is None:
            self._lock = RoastingLock(self.path)

    def close(self) -> None:
        """Let go of the library."""
        self.engine.dispose()
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    # Lots, machines, plans

    def lots(self) -> list[Lot]:
        """All lots, by name."""
        return self.lot_book.all()

    def save_lot(self, lot: Lot) -> Lot:
        """Add a lot, or change the one with its id; see `LotBook.save`."""
        return self.lot_book.save(lot)

    def machines(self) -> list[Machine]:
        """All machines, by name."""
        return self.machine_book.all()

    def house(self, name: str) -> Mapping[str, Any]:
        """What the house has decided under a name; empty if nothing."""
        with self.engine.connect() as connection:
            return connection.execute(select(house.c.document).where(house.c.name == name)).scalar() or {}

    def save_house(self, name: str, document: Mapping[str, Any]) -> None:
        """Keep what the house has decided."""
        with self.engine.begin() as connection:
            connection.execute(delete(house).where(house.c.name == name))
            connection.execute(insert(house).values(name=name, document=dict(document)))

    def machine(self, name: str) -> Machine:
        """The machine of that name, or the only one whose name begins so.

        Raises
        ------
        NotInLibraryError : if there is none, or several.
        """
        known = self.machines()
        exact = [m for m in known if m.name.lower() == name.lower()]
        found = exact or [m for m in known if m.name.lower().startswith(name.lower())]
        if len(found) != 1:
            there = ", ".join(m.name for m in known) or "no machines yet"
            raise NotInLibraryError(f"No one machine is called {name!r}; the library has {there}.")
        return found[0]

    def save_machine(self, machine: Machine) -> Machine:
        """Add a machine, or change the one with its id; a taken name returns that machine unchanged."""
        return self.machine_book.save(machine)

    def plans(self) -> list[Plan]:
        """All plans, by name."""
        return self.plan_book.all()

    def save_plan(self, plan: Plan, why: str = "") -> Plan:
        """Add a plan, or a new version of the one with its id; ``why`` is the reason for the change."""
        return self.plan_book.save(plan, why)

    # The list of batches

    def batch_lines(self, wanted: BatchFilter, after: PageEnd | None = None, limit: int = 200) -> list[BatchLine]:
        """One page of the list, newest first, from behind ``after`` on."""
        query = _filtered(
            select(
                batches.c.id, batches.c.label, batches.c.started, lots.c.name, machines.c.name, plans.c.name, batches.c.status,
                batches.c.load_kg, batches.c.roasted_kg, batches.c.colour_ground, batches.c.drying_s, batches.c.browning_s,
                batches.c.development_s, batches.c.total_s, batches.c.drop_c, batches.c.colour_whole, batches.c.room_c,
                batches.c.operator,
            )
            .outerjoin(lots, batches.c.lot_id == lots.c.id)
            .outerjoin(machines, batches.c.machine_id == machines.c.id)
            .outerjoin(plans, batches.c.plan_id == plans.c.id),
            wanted,
        )  # fmt: skip
        if after is not None:
            started, key = after
            query = query.where((batches.c.started < started) | ((batches.c.started == started) & (batches.c.id < key)))
        query = query.order_by(batches.c.started.desc(), batches.c.id.desc()).limit(limit)
        with self.engine.connect() as connection:
            return [
                BatchLine(row[0], row[1], aware(row[2]), row[3] or "", row[4] or "", row[5] or "", *row[6:])
                for row in connection.execute(query)
            ]

    def count_batches(self, wanted: BatchFilter) -> int:
        """How many batches the filter lets through."""
        with self.engine.connect() as connection:
            return int(connection.execute(_filtered(select(func.count()).select_from(batches), wanted)).scalar_one())

    def unfinished_batches(self) -> list[BatchLine]:
        """Batches that were being recorded when Firnel ended."""
        return self.batch_lines(BatchFilter(statuses=("ready", "roasting")))

    def find_batch(self, reference: str) -> int:
        """Id of a batch given by its label or its id.

        Raises
        ------
        NotInLibraryError : if there is none.
        """
        with self.engine.connect() as connection:
            query = select(batches.c.id).where(batches.c.label == reference).order_by(batches.c.started.desc())
            found = connection.execute(query).scalars().first()
            if found is None and reference.isdecimal():
                found = connection.execute(select(batches.c.id).where(batches.c.id == int(reference))).scalar()
        if found is None:
            raise NotInLibraryError(f"There is no batch {reference!r} in this library.")
        return int(found)

    # One batch

    def new_batch(
        self,
        lot_id: int | None,
        machine_id: int | None,
        plan_id: int | None,
        load_kg: float | None,
        started: datetime,
        label: str | None = None,
        status: str = "ready",
        room_c: float | None = None,
        operator: str = "",
    ) -> tuple[int, str]:
        """Begin a batch; the next free number is its label unless one is given. Returns id and label."""
        with self.engine.begin() as connection:
            label = label or _next_label(connection)
            result = connection.execute(
                insert(batches).values(
                    label=label, lot_id=lot_id, machine_id=machine_id, plan_id=plan_id, load_kg=load_kg,
                    plan_version=select(plans.c.version).where(plans.c.id == plan_id).scalar_subquery(),
                    started=started, status=status, clock_rate=1.0, remark="", room_c=room_c, operator=operator,
                )
            )  # fmt: skip
            key = new_key(result)
            _refresh_search(connection, key)
        return key, label

    def next_labels(self, count: int) -> list[str]:
        """The numbers that the next batches are going to get."""
        with self.engine.connect() as connection:
            first = int(_next_label(connection))
        return [f"{first + index:04d}" for index in range(count)]

    def add_record(self, record: BatchRecord) -> int:
        """Add a whole batch, as from a file. Its lot and machine are found by name, or added. Returns the id."""
        check_mark_order(record.marks)
        lot_id = self.save_lot(Lot(record.lot)).id if record.lot else None
        machine_id = None
        if record.machine:
            machine_id = next((m.id for m in self.machines() if m.name == record.machine), None)
            if machine_id is None:
                machine_id = self.save_machine(Machine(record.machine, "imported")).id
        plan_id = next((plan.id for plan in self.plans() if plan.name == record.plan), None)
        key, _ = self.new_batch(
            lot_id, machine_id, plan_id, record.load_kg, record.started, record.label or None, record.status, record.room_c
        )
        trace = record.trace
        columns = (trace.t, trace.bean, trace.air, trace.gas, trace.airflow, trace.drum)
        rows = [
            {"batch_id": key, "seq": seq, **dict(zip(_SERIES, map(_or_none, row), strict=True)), "quality": int(quality)}
            for seq, (*row, quality) in enumerate(zip(*columns, trace.quality, strict=True))
        ]
        with self.engine.begin() as connection:
            if rows:
                connection.execute(insert(readings), rows)
            _insert_moves(connection, key, record.moves)
            _insert_notes(connection, key, record.notes)
        self.set_marks(key, record.marks)
        self.set_results(key, record.roasted_kg, record.colour_whole, record.colour_ground, record.remark)
        return key

    def batch(self, key: int) -> BatchRecord:
        """Everything known of one batch.

        Raises
        ------
        NotInLibraryError : if there is none of that id.
        """
        query = (
            select(batches, lots.c.name.label("lot"), machines.c.name.label("machine"), plans.c.name.label("plan"))
            .outerjoin(lots, batches.c.lot_id == lots.c.id)
            .outerjoin(machines, batches.c.machine_id == machines.c.id)
            .outerjoin(plans, batches.c.plan_id == plans.c.id)
            .where(batches.c.id == key)
        )
        with self.engine.connect() as connection:
            row = connection.execute(query).one_or_none()
            if row is None:
                raise NotInLibraryError(f"There is no batch with id {key} in this library.")
            return BatchRecord(
                label=row.label, lot=row.lot or "", machine=row.machine or "", started=aware(row.started),
                trace=_trace(connection, key), marks=_marks(connection, key), moves=_moves(connection, key),
                notes=_notes(connection, key), load_kg=row.load_kg, roasted_kg=row.roasted_kg,
                colour_whole=row.colour_whole, colour_ground=row.colour_ground, room_c=row.room_c,
                plan=row.plan or "", remark=row.remark, status=row.status, id=key,
            )  # fmt: skip

    def bean_curves(self, keys: Sequence[int], every: int = 4) -> dict[int, tuple[FloatArray, FloatArray]]:
        """Every so many readings of the bean probe of many batches at once: log times [s] and readings [degC], by id."""
        query = (
            select(readings.c.batch_id, readings.c.t, readings.c.bean)
            .where(readings.c.batch_id.in_(keys), readings.c.seq % every == 0)
            .order_by(readings.c.batch_id, readings.c.seq)
        )
        with self.engine.connect() as connection:
            table = np.array([tuple(row) for row in connection.execute(query)], float).reshape(-1, 3)
        return {key: (table[own, 1], table[own, 2]) for key in keys if (own := table[:, 0] == key).any()}

    def all_marks(self, keys: Sequence[int]) -> dict[int, dict[MarkKind, float]]:
        """The marks of many batches at once, by id: log time [s] by kind."""
        query = select(marks.c.batch_id, marks.c.kind, marks.c.t).where(marks.c.batch_id.in_(keys))
        found: dict[int, dict[MarkKind, float]] = {}
        with self.engine.connect() as connection:
            for key, kind, t in connection.execute(query):
                found.setdefault(key, {})[MarkKind(kind)] = t
        return found

    def mark_reading(self, key: int, kind: MarkKind) -> float | None:
        """The bean reading at a mark of a batch, without reading all of the batch. [degC]"""
        query = select(marks.c.bean).where(marks.c.batch_id == key, marks.c.kind == kind.value)
        with self.engine.connect() as connection:
            return connection.execute(query).scalar()

    def drop_delays(self, machine_id: int, kind: str, limit: int) -> list[float]:
        """How long after a note of that kind the newest batches of a machine were dropped, newest first. [s]"""
        query = (
            select(marks.c.t - notes.c.t)
            .join_from(marks, notes, (marks.c.batch_id == notes.c.batch_id) & (notes.c.kind == kind))
            .join(batches, batches.c.id == marks.c.batch_id)
            .where(marks.c.kind == MarkKind.DROP.value, batches.c.machine_id == machine_id)
            .order_by(batches.c.started.desc())
            .limit(limit)
        )
        with self.engine.connect() as connection:
            return [float(delay) for delay in connection.execute(query).scalars()]

    def journal_state(self, key: int) -> tuple[float, float, float]:
        """Where the journal of a batch stood: log time [s], wall time [s], clock rate."""
        query = select(batches.c.last_t, batches.c.last_wall, batches.c.clock_rate, batches.c.started).where(
            batches.c.id == key
        )
        with self.engine.connect() as connection:
            last_t, last_wall, rate, started = connection.execute(query).one()
        return last_t or 0.0, last_wall or aware(started).timestamp(), rate

    def set_marks(self, key: int, wanted: Iterable[Mark]) -> None:
        """Replace the marks of a batch.

        Raises
        ------
        MarkOrderError : if they contradict each other; the old ones stay then.
        """
        wanted = tuple(wanted)
        check_mark_order(wanted)
        with self.engine.begin() as connection:
            write_marks(connection, key, wanted)

    def set_results(
        self,
        key: int,
        roasted_kg: float | None,
        colour_whole: float | None,
        colour_ground: float | None,
        remark: str,
        status: str | None = None,
    ) -> None:
        """Write down what scale, colour meter and roaster say of a batch."""
        values: dict[str, Any] = {
            "roasted_kg": roasted_kg, "colour_whole": colour_whole, "colour_ground": colour_ground, "remark": remark
        }  # fmt: skip
        if status is not None:
            values["status"] = status
        with self.engine.begin() as connection:
            connection.execute(update(batches).where(batches.c.id == key).values(**values))
            _refresh_search(connection, key)

    def set_status(self, key: int, status: str) -> None:
        """Set how far a batch is: ready, roasting, dropped, done or discarded."""
        with self.engine.begin() as connection:
            connection.execute(update(batches).where(batches.c.id == key).values(status=status))


_SERIES = ("t", "bean", "air", "gas", "airflow", "drum")


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


def _next_label(connection: Connection) -> str:
    """The number after the highest one in use among the newest batches."""
    recent = connection.execute(select(batches.c.label).order_by(batches.c.id.desc()).limit(50)).scalars()
    return f"{max((int(label) for label in recent if label.isdecimal()), default=0) + 1:04d}"


def _refresh_search(connection: Connection, key: int) -> None:
    """One lower-case column holds all that the search looks at: a single scan, no joins."""
    query = (
        select(batches.c.label, lots.c.name, machines.c.name, plans.c.name, lots.c.origin, lots.c.process, batches.c.remark)
        .select_from(batches)
        .outerjoin(lots, batches.c.lot_id == lots.c.id)
        .outerjoin(machines, batches.c.machine_id == machines.c.id)
        .outerjoin(plans, batches.c.plan_id == plans.c.id)
        .where(batches.c.id == key)
    )
    words = " ".join(str(part) for part in connection.execute(query).one() if part).lower()
    connection.execute(update(batches).where(batches.c.id == key).values(search_text=words))


def _filtered(query: Select[Any], wanted: BatchFilter) -> Select[Any]:
    for word in wanted.text.lower().split():
        query = query.where(batches.c.search_text.contains(word, autoescape=True))
    if wanted.lot_id is not None:
        query = query.where(batches.c.lot_id == wanted.lot_id)
    if wanted.machine_id is not None:
        query = query.where(batches.c.machine_id == wanted.machine_id)
    if wanted.since is not None:
        query = query.where(batches.c.started >= wanted.since)
    if wanted.until is not None:
        query = query.where(batches.c.started < wanted.until)
    if wanted.statuses:
        query = query.where(batches.c.status.in_(wanted.statuses))
    return query


def _or_none(value: float) -> float | None:
    return None if value is None or not np.isfinite(value) else float(value)


def _trace(connection: Connection, key: int) -> Trace:
    columns = [getattr(readings.c, name) for name in _SERIES]
    query = select(*columns, readings.c.quality).where(readings.c.batch_id == key).order_by(readings.c.seq)
    rows = connection.execute(query).all()
    if not rows:
        return Trace.empty()
    table: FloatArray = np.array([tuple(row) for row in rows], dtype=float)
    return Trace.from_columns((table[:, column] for column in range(6)), table[:, 6].astype(np.int64))


def _marks(connection: Connection, key: int) -> tuple[Mark, ...]:
    query = select(marks.c.kind, marks.c.t, marks.c.bean, marks.c.found).where(marks.c.batch_id == key).order_by(marks.c.t)
    return tuple(Mark(MarkKind(kind), t, bean, Found(found)) for kind, t, bean, found in connection.execute(query))


def _moves(connection: Connection, key: int) -> tuple[Move, ...]:
    query = select(moves.c.control, moves.c.t, moves.c.value, moves.c.found).where(moves.c.batch_id == key)
    rows = connection.execute(query.order_by(moves.c.t, moves.c.id))
    return tuple(Move(Control(control), t, to, Found(found)) for control, t, to, found in rows)


def _notes(connection: Connection, key: int) -> tuple[Note, ...]:
    query = select(notes.c.t, notes.c.kind, notes.c.text).where(notes.c.batch_id == key)
    return tuple(Note(t, kind, text) for t, kind, text in connection.execute(query.order_by(notes.c.t, notes.c.id)))


def _insert_moves(connection: Connection, key: int, wanted: Sequence[Move]) -> None:
    rows = [{"batch_id": key, "control": m.control.value, "t": m.t, "value": m.to, "found": m.found.value} for m in wanted]
    if rows:
        connection.execute(insert(moves), rows)


def _insert_notes(connection: Connection, key: int, wanted: Sequence[Note]) -> None:
    rows = [{"batch_id": key, "t": note.t, "kind": note.kind, "text": note.text} for note in wanted]
    if rows:
        connection.execute(insert(notes), rows)


def write_moves_and_notes(connection: Connection, key: int, all_moves: Sequence[Move], all_notes: Sequence[Note]) -> None:
    """Replace moves and notes of a batch, inside the caller's transaction."""
    connection.execute(delete(moves).where(moves.c.batch_id == key))
    connection.execute(delete(notes).where(notes.c.batch_id == key))
    _insert_moves(connection, key, all_moves)
    _insert_notes(connection, key, all_notes)
