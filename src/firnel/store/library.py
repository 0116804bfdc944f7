"""Reading and writing a library: lots, machines, plans and batches as the core's plain values."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from sqlalchemy import delete, func, insert, select, update

from firnel.core.plan import Plan
from firnel.core.stages import check_mark_order
from firnel.core.vocabulary import (
    BatchRecord,
    FloatArray,
    Found,
    Lot,
    Machine,
    Mark,
    MarkKind,
)
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine, BatchList, PageEnd
from firnel.store.batch_rows import (
    discard_batch,
    insert_batch,
    insert_moves,
    insert_notes,
    label_of,
    or_none,
    read_marks,
    read_moves,
    read_notes,
    read_trace,
    reading_columns,
    refresh_search,
    write_marks,
)
from firnel.store.bench_book import BenchBook
from firnel.store.deeds import keep_deed, sign
from firnel.store.draft_book import DraftBook
from firnel.store.floor_book import FloorBook, end_live
from firnel.store.locks import FileClaim, claim_library
from firnel.store.lot_book import LotBook
from firnel.store.machine_book import MachineBook
from firnel.store.mend_book import MendBook
from firnel.store.opening import identity_of, open_engine
from firnel.store.order_book import OrderBook
from firnel.store.owner_book import OwnerBook
from firnel.store.pending import ENDED
from firnel.store.plan_book import PlanBook
from firnel.store.rows import aware, insert_many
from firnel.store.server import Pulse, pulse_of
from firnel.store.stamp import FileStamp, Stamp
from firnel.store.tables import batches, house, lots, machines, marks, notes, plans, readings
from firnel.store.waiting_book import WaitingBook
from firnel.store.writing import library_path, library_url, sound, writing

Kept = TypeVar("Kept")

#: Digits of the longest id that any database takes.
ID_DIGITS = 18


class NotInLibraryError(LookupError):
    """What was asked for is not in the library; the message says what there is instead."""


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
        self._lock: FileClaim | None = None
        self._stamp = FileStamp(self.path) if self.path is not None else None
        self.lot_book, self.machine_book = LotBook(self.engine), MachineBook(self.engine)
        self.plan_book, self.bench_book = PlanBook(self.engine), BenchBook(self.engine)
        self.batch_list = BatchList(self.engine)
        self.waiting_book, self.draft_book = WaitingBook(self.engine), DraftBook(self.engine)
        self.mend_book, self.order_book = MendBook(self.engine), OrderBook(self.engine)
        self.floor_book, self.owner_book = FloorBook(self.engine), OwnerBook(self.engine)

    def lock_for_roasting(self) -> None:
        """Keep other Firnels from roasting on this library.

        Raises
        ------
        LibraryInUseError : if one does already.
        """
        if self.path is not None and self._lock is None:
            self._lock = claim_library(self.path)

    def sign(self, station: str, who: str) -> None:
        """What is done from now on is done by this person at this station."""
        sign(self.engine, station, who)

    @property
    def pulse(self) -> Pulse | None:
        """Whether the server of this library answers; None for a file."""
        return pulse_of(self.engine)

    @property
    def left_cleanly(self) -> bool:
        """Whether the last window on this library ended as it should; to be asked while it is kept for roasting."""
        return self._lock is None or self._lock.clean

    @property
    def stamp(self) -> Stamp | None:
        """Equal as long as nothing was written into the file; None for a server, or where that cannot be told."""
        return self._stamp.now() if self._stamp is not None else None

    def close(self) -> None:
        """Let go of the library."""
        if self._stamp is not None:
            self._stamp.close()
        if self.pulse is not None:
            self.pulse.end()
        self.engine.dispose()
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    # Lots, machines, plans

    def _held(self, name: str, read: Callable[[], list[Kept]]) -> list[Kept]:
        return self._stamp.held(name, read) if self._stamp is not None else read()

    def lots(self) -> list[Lot]:
        """All lots, by name."""
        return self._held("lots", self.lot_book.all)

    def save_lot(self, lot: Lot, since: Lot | None = None) -> Lot:
        """Add a lot, or change the one with its id; see `LotBook.save`."""
        return self.lot_book.save(lot, since)

    def machines(self) -> list[Machine]:
        """All machines, by name."""
        return self._held("machines", self.machine_book.all)

    def house(self, name: str) -> Mapping[str, Any]:
        """What the house has decided under a name; empty if nothing."""
        with self.engine.connect() as connection:
            return connection.execute(select(house.c.document).where(house.c.name == name)).scalar() or {}

    def save_house(self, name: str, document: Mapping[str, Any]) -> None:
        """Keep what the house has decided."""
        with writing(self.engine) as connection:
            connection.execute(delete(house).where(house.c.name == name))
            connection.execute(insert(house).values(name=name, document=dict(document)))
            keep_deed(connection, tr("changed the house's {}", name))

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
            there = ", ".join(m.name for m in known) or tr("no machines yet")
            raise NotInLibraryError(tr("No one machine is called {!r}; the library has {}.", name, there))
        return found[0]

    def save_machine(self, machine: Machine, since: Machine | None = None) -> Machine:
        """Add a machine, or change the one with its id; see `MachineBook.save`."""
        return self.machine_book.save(machine, since)

    def plans(self) -> list[Plan]:
        """All plans, by name."""
        return self._held("plans", self.plan_book.all)

    def save_plan(self, plan: Plan, why: str = "", since: int | None = None) -> Plan:
        """Add a plan, or a new version of the one with its id; see `PlanBook.save`."""
        return self.plan_book.save(plan, why, since)

    # The list of batches

    def batch_lines(
        self, wanted: BatchFilter, after: PageEnd | None = None, limit: int = 200, offset: int = 0
    ) -> list[BatchLine]:
        """One page of the list; see `BatchList.page`."""
        return self.batch_list.page(wanted, after, limit, offset)

    def any_roasted(self) -> bool:
        """Whether a batch was ever marked by a hand here: not only taken in from files."""
        with self.engine.connect() as connection:
            return connection.execute(select(marks.c.t).where(marks.c.found == Found.KEY.value).limit(1)).first() is not None

    def find_batch(self, reference: str) -> int:
        """Id of a batch given by its label or its id.

        Raises
        ------
        NotInLibraryError : if there is none.
        """
        with self.engine.connect() as connection:
            query = select(batches.c.id).where(batches.c.label == reference).order_by(batches.c.started.desc())
            found = connection.execute(query).scalars().first()
            if found is None and reference.isdecimal() and len(reference) <= ID_DIGITS:
                found = connection.execute(select(batches.c.id).where(batches.c.id == int(reference))).scalar()
        if found is None:
            raise NotInLibraryError(tr("There is no batch {!r} in this library.", reference))
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
        **more: Any,
    ) -> tuple[int, str]:
        """Begin a batch; the next free number is its label unless one is given that is free. Returns id and label.

        Parameters
        ----------
        more : further columns of the row: ``room_c``, ``operator``, ``owner``, ``token``, ``plan_version``.
        """
        values = {
            "lot_id": lot_id, "machine_id": machine_id, "plan_id": plan_id, "load_kg": load_kg, "started": started,
            "status": status, **more,
        }  # fmt: skip
        with writing(self.engine) as connection:
            return insert_batch(connection, values, label)

    def add_record(self, record: BatchRecord, machine: Machine | None = None, lot: Lot | None = None) -> int:
        """Add a whole batch, as from a file, or nothing of it. Its lot and machine are found by name, or added. Returns the id.

        Parameters
        ----------
        record : a label that is taken gets the next free number.
        machine : to be added, or changed, together with the batch.
        lot : that of the batch with what was measured of it; of one that is there only what nobody has told yet is filled in.

        Raises
        ------
        MarkOrderError : if its marks contradict each other.
        """
        check_mark_order(record.marks)
        trace = record.trace
        with writing(self.engine) as connection:
            lot_id = self.lot_book.fill_in(connection, lot or Lot(record.lot)) if record.lot else None
            if machine is not None:
                machine_id = self.machine_book.save_in(connection, machine)
            elif record.machine:
                machine_id = self.machine_book.save_in(connection, Machine(record.machine, "imported"))
            else:
                machine_id = None
            plan = select(plans.c.id).where(plans.c.name == record.plan).order_by(plans.c.id).limit(1)
            values = {
                "lot_id": lot_id, "machine_id": machine_id,
                "plan_id": connection.execute(plan).scalar() if record.plan else None,
                "load_kg": record.load_kg, "started": record.started, "status": record.status, "room_c": record.room_c,
                "roasted_kg": record.roasted_kg, "colour_whole": record.colour_whole, "colour_ground": record.colour_ground,
                "remark": record.remark, "operator": record.operator, "left_out": record.left_out, "tags": record.tags,
                "declined": record.declined,
            }  # fmt: skip
            key, _ = insert_batch(connection, values, record.label or None)
            rows = [
                {
                    "batch_id": key, "seq": seq, "t": t, "bean": or_none(bean), "air": or_none(air), "quality": quality,
                    **reading_columns(controls),
                }
                for seq, (t, bean, air, controls, quality) in enumerate(trace.rows)
            ]  # fmt: skip
            insert_many(connection, readings, rows)
            insert_moves(connection, key, record.moves)
            insert_notes(connection, key, record.notes)
            write_marks(connection, key, record.marks)
            refresh_search(connection, key)
        return key

    def same_log(self, record: BatchRecord) -> str | None:
        """The label of a batch with just the readings of this one: it was taken in before. None where there is none."""
        trace = record.trace
        if not trace.t.size:
            return None
        first, last, count = float(trace.t[0]), float(trace.t[-1]), int(trace.t.size)
        query = (
            select(batches.c.id, batches.c.label)
            .join(readings, (readings.c.batch_id == batches.c.id) & (readings.c.seq == count - 1))
            .where(func.abs(readings.c.t - last) < 1e-6, func.abs(readings.c.bean - or_none(trace.bean[-1])) < 1e-6)
        )
        with self.engine.connect() as connection:
            for key, label in connection.execute(query):
                other = read_trace(connection, key)
                if other.t.size == count and abs(other.t[0] - first) < 1e-6 and _alike(other.bean, trace.bean):
                    return str(label)
        return None

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
        with self.engine.connect() as connection, sound(self.engine):
            row = connection.execute(query).one_or_none()
            if row is None:
                raise NotInLibraryError(tr("There is no batch with id {} in this library.", key))
            return BatchRecord(
                label=row.label, lot=row.lot or "", machine=row.machine or "", started=aware(row.started),
                trace=read_trace(connection, key), marks=read_marks(connection, key), moves=read_moves(connection, key),
                notes=read_notes(connection, key), load_kg=row.load_kg, roasted_kg=row.roasted_kg,
                colour_whole=row.colour_whole, colour_ground=row.colour_ground, room_c=row.room_c,
                plan=row.plan or "", remark=row.remark, status=row.status, id=key, operator=row.operator,
                left_out=row.left_out, lot_id=row.lot_id, machine_id=row.machine_id, plan_id=row.plan_id, tags=row.tags,
                declined=row.declined,
            )  # fmt: skip

    def bean_curves(self, keys: Sequence[int], every: int = 4) -> dict[int, tuple[FloatArray, FloatArray]]:
        """Every so many readings of the bean probe of many batches at once: log times [s] and readings [degC], by id."""
        query = (
            select(readings.c.batch_id, readings.c.t, readings.c.bean)
            .where(readings.c.batch_id.in_(keys), readings.c.seq % every == 0)
            .order_by(readings.c.batch_id, readings.c.seq)
        )
        with self.engine.connect() as connection, sound(self.engine):
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

    def mark_readings(self, keys: Sequence[int], kind: MarkKind) -> dict[int, float]:
        """The bean readings at a mark of many batches, by id, of those that have one. [degC]"""
        query = select(marks.c.batch_id, marks.c.bean).where(marks.c.batch_id.in_(keys), marks.c.kind == kind.value)
        with self.engine.connect() as connection:
            return {key: bean for key, bean in connection.execute(query) if bean is not None}

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
        with writing(self.engine) as connection:
            write_marks(connection, key, wanted)

    def set_results(self, key: int, columns: Mapping[str, Any], status: str | None = None) -> None:
        """Write down what scale, colour meter and roaster say of a batch: columns of its row."""
        values = dict(columns) | ({"status": status} if status is not None else {})
        with writing(self.engine) as connection:
            connection.execute(update(batches).where(batches.c.id == key).values(**values))
            refresh_search(connection, key)
            keep_deed(connection, tr("weighed batch {}", label_of(connection, key)))

    def set_status(self, key: int, status: str) -> None:
        """Set how far a batch is: ready, roasting, dropped, done or discarded."""
        with writing(self.engine) as connection:
            if status in ENDED:
                end_live(connection, key)
            if status == "discarded":
                discard_batch(connection, key)
            else:
                connection.execute(update(batches).where(batches.c.id == key).values(status=status, owner=""))

    def leave_out(self, key: int, why: str) -> None:
        """Leave a batch out of charts and fits for a reason, or count it again where the reason is empty."""
        with writing(self.engine) as connection:
            connection.execute(update(batches).where(batches.c.id == key).values(left_out=why.strip()))

    @property
    def identity(self) -> str:
        """Which library this is, wherever it lies."""
        with self.engine.connect() as connection:
            return identity_of(connection)


def _alike(first: FloatArray, second: FloatArray) -> bool:
    return bool(np.allclose(first, second, atol=1e-6, equal_nan=True))
