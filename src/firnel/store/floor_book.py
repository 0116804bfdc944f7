"""Who else works on this library at present, and what they roast. Moments are the server's own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, Engine, delete, func, insert, select, update

from firnel.core.vocabulary import Mark
from firnel.core.words import tr
from firnel.store.batch_rows import read_marks
from firnel.store.locks import Owner
from firnel.store.rows import aware
from firnel.store.tables import batches, deeds, live, lots, machines, readings, stations
from firnel.store.writing import LibraryError, writing

#: A station that has not been heard of for so long is away. [s]
AWAY_S = 15.0
#: Stations that have been away for longer are forgotten. [s]
FORGOTTEN_S = 30.0 * 86_400.0


class NameTakenError(LibraryError):
    """Another station of that name is at work."""


@dataclass(frozen=True)
class Station:
    """One computer at work on the library; ``silent_s`` is how long ago it was heard of. [s]"""

    name: str
    who: str
    version: str
    silent_s: float
    clock_off_s: float

    @property
    def away(self) -> bool:
        """Whether it has not been heard of for a while."""
        return self.silent_s > AWAY_S


@dataclass(frozen=True)
class Running:
    """A batch that some station roasts: its row, what the station says of it, and how long ago it said so. [s]"""

    key: int
    label: str
    lot: str
    machine: str
    station: str
    who: str
    load_kg: float | None
    owner: str
    said: Mapping[str, Any]
    silent_s: float

    @property
    def away(self) -> bool:
        """Whether its station has not been heard of for a while."""
        return self.silent_s > AWAY_S


@dataclass(frozen=True)
class Deed:
    """What somebody did, where and when."""

    at: datetime
    station: str
    who: str
    what: str


class FloorBook:
    """Reads and writes what the stations tell each other."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def beat(self, name: str, who: str, version: str) -> datetime:
        """Be heard of as a station. Returns the server's time.

        Raises
        ------
        NameTakenError : if another one of that name is at work.
        """
        process = Owner.here().text
        with writing(self._engine) as connection:
            now = _now(connection)
            row = connection.execute(select(stations).where(stations.c.name == name)).one_or_none()
            if row is not None and row.process != process and (now - aware(row.seen_at)).total_seconds() < AWAY_S:
                there = Owner.read(row.process)
                if there is None or there.station != Owner.here().station or there.alive(None, 0.0):
                    where = tr(" on {}", there.station) if there is not None else ""
                    raise NameTakenError(
                        tr("Another station{} is called {} too: give this one another name in Settings.", where, name)
                    )
            values = {"process": process, "who": who, "version": version, "seen_at": now}
            if connection.execute(update(stations).where(stations.c.name == name).values(**values)).rowcount == 0:
                connection.execute(insert(stations).values(name=name, **values))
        return now

    def keep_clock(self, name: str, off_s: float) -> None:
        """How far a station's clock is ahead of the server's. [s]"""
        with writing(self._engine) as connection:
            connection.execute(update(stations).where(stations.c.name == name).values(clock_off_s=off_s))

    def leave(self, name: str) -> None:
        """The station ends its work."""
        own = (stations.c.name == name) & (stations.c.process == Owner.here().text)
        with writing(self._engine) as connection:
            connection.execute(delete(stations).where(own))

    def now(self) -> datetime:
        """The server's time."""
        with self._engine.connect() as connection:
            return _now(connection)

    def stations(self) -> list[Station]:
        """Who is, or was lately, at work; by name."""
        with self._engine.connect() as connection:
            now = _now(connection)
            rows = connection.execute(select(stations).order_by(stations.c.name)).all()
        found = [
            Station(row.name, row.who, row.version, max((now - aware(row.seen_at)).total_seconds(), 0.0), row.clock_off_s)
            for row in rows
        ]
        return [one for one in found if one.silent_s < FORGOTTEN_S]

    def running(self) -> list[Running]:
        """The batches that are roasted at present, and those whose station fell silent meanwhile; by their number."""
        query = (
            select(
                batches.c.id, batches.c.label, lots.c.name.label("lot"), machines.c.name.label("machine"), live.c.station,
                batches.c.operator, batches.c.load_kg, batches.c.owner, batches.c.seen_at, live.c.document, live.c.at,
            )
            .outerjoin(lots, batches.c.lot_id == lots.c.id)
            .outerjoin(machines, batches.c.machine_id == machines.c.id)
            .outerjoin(live, batches.c.id == live.c.batch_id)
            .where(batches.c.status.in_(("ready", "roasting")), batches.c.owner != "")
            .order_by(batches.c.label)
        )  # fmt: skip
        with self._engine.connect() as connection:
            now = _now(connection)
            rows = connection.execute(query).all()
        found = []
        for row in rows:
            owner = Owner.read(row.owner)
            at = aware(row.at).timestamp() if row.at is not None else row.seen_at or 0.0  # before it has said anything
            silent = now.timestamp() - at
            found.append(
                Running(
                    row.id, row.label, row.lot or "", row.machine or "",
                    row.station or (owner.station if owner is not None else ""), row.operator, row.load_kg, row.owner,
                    row.document or {}, max(silent, 0.0),
                )
            )  # fmt: skip
        return found

    def course(self, key: int, after: int = -1) -> tuple[list[tuple[int, float, float | None]], tuple[Mark, ...]]:
        """Readings behind a place (place, log time [s], bean [degC]) and all marks of a batch so far."""
        query = select(readings.c.seq, readings.c.t, readings.c.bean)
        query = query.where(readings.c.batch_id == key, readings.c.seq > after).order_by(readings.c.seq)
        with self._engine.connect() as connection:
            rows = [(place, t, bean) for place, t, bean in connection.execute(query)]
            return rows, read_marks(connection, key)

    def deeds(self, limit: int = 50) -> list[Deed]:
        """What was done last, newest first."""
        query = select(deeds).order_by(deeds.c.at.desc(), deeds.c.id.desc()).limit(limit)
        with self._engine.connect() as connection:
            return [Deed(aware(row.at), row.station, row.who, row.what) for row in connection.execute(query)]


def write_live(connection: Connection, key: int, station: str, document: Mapping[str, Any]) -> None:
    """What a station says of its batch now, inside the caller's transaction."""
    values = {"station": station, "at": _now(connection), "document": dict(document)}
    if connection.execute(update(live).where(live.c.batch_id == key).values(**values)).rowcount == 0:
        connection.execute(insert(live).values(batch_id=key, **values))


def end_live(connection: Connection, key: int) -> None:
    """Nothing more is said of a batch."""
    connection.execute(delete(live).where(live.c.batch_id == key))


def is_away(connection: Connection, key: int) -> bool:
    """Whether the station that roasts a batch has not been heard of for a while."""
    at = connection.execute(select(live.c.at).where(live.c.batch_id == key)).scalar()
    return at is not None and (_now(connection) - aware(at)).total_seconds() > AWAY_S


def _now(connection: Connection) -> datetime:
    """The time of day of whoever keeps the library."""
    if connection.dialect.name == "postgresql":
        return aware(connection.execute(select(func.clock_timestamp())).scalar_one())
    return datetime.now(UTC)
