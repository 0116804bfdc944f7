"""A library copied whole to another place, a file or a server, and checked there row by row."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Integer, Row, Table, func, insert, select, text

from firnel.core.words import tr
from firnel.store.opening import IDENTITY, open_engine
from firnel.store.rows import aware
from firnel.store.tables import counters, house, metadata
from firnel.store.writing import LibraryError, at_one_moment, library_url, shown, writing

#: So many rows at once.
CHUNK = 2000


def copy_library(source: str | Path, target: str | Path, going: Callable[[float], bool] = lambda done: True) -> dict[str, int]:
    """Copy every row of a library into an empty one, and compare them all; whole, or nothing of it.

    Parameters
    ----------
    source, target : path or URL of each; the target is made if it is new.
    going : told the share done [0..1]; answers False to stop: then nothing was copied.

    Returns
    -------
    counts : rows of each table.

    Raises
    ------
    LibraryError : if either cannot be opened, the target holds something already, it was stopped, or a row did not arrive.
    """
    if library_url(source) == library_url(target):
        raise LibraryError(tr("A library cannot be copied onto itself."))
    here, there = open_engine(source), open_engine(target)
    try:
        tables = metadata.sorted_tables
        with at_one_moment(here) as reading, writing(there) as written:
            if not _is_new(written):
                raise LibraryError(tr("{} holds something already: copy into an empty library.", shown(library_url(target))))
            for table in (house, counters):
                written.execute(table.delete())
            total = sum(_count(reading, table) for table in tables) or 1
            done = 0
            for table in tables:
                for rows in _chunks(reading, table):
                    written.execute(insert(table), rows)
                    done += len(rows)
                    if not going(0.5 * done / total):
                        raise LibraryError(tr("Stopped: nothing was copied."))
            if there.dialect.name == "postgresql":
                _count_on(written)
            for table in tables:
                done += _compare(reading, written, table)
                if not going(min(0.5 * done / total, 1.0)):
                    raise LibraryError(tr("Stopped: nothing was copied."))
            return {table.name: _count(written, table) for table in tables}
    finally:
        here.dispose()
        there.dispose()


def _is_new(connection: Connection) -> bool:
    """Whether a library holds nothing but what a new one says of itself."""
    others = [table for table in metadata.sorted_tables if table not in (house, counters)]
    decided = select(func.count()).select_from(house).where(house.c.name != IDENTITY)
    return not any(_count(connection, table) for table in others) and not connection.execute(decided).scalar_one()


def _chunks(connection: Connection, table: Table) -> Iterator[list[dict[str, Any]]]:
    """All rows in the order of their keys."""
    answer = connection.execute(select(table).order_by(*table.primary_key.columns)).yield_per(CHUNK)
    for rows in answer.partitions(CHUNK):
        yield [_plain(row) for row in rows]


def _plain(row: Row[Any]) -> dict[str, Any]:
    """A row as it is the same on both: moments know their zone."""
    return {name: aware(value) if isinstance(value, datetime) else value for name, value in row._mapping.items()}


def _compare(here: Connection, there: Connection, table: Table) -> int:
    """How many rows are the same on both sides.

    Raises
    ------
    LibraryError : at the first that is not.
    """
    compared = 0
    for ours, theirs in zip(_chunks(here, table), _chunks(there, table), strict=False):
        for first, second in zip(ours, theirs, strict=True):
            if first != second:
                raise LibraryError(tr("A row of {} did not arrive as it was: nothing was copied.", table.name))
        compared += len(ours)
    if compared != _count(here, table):
        raise LibraryError(tr("Not every row of {} arrived: nothing was copied.", table.name))
    return compared


def _count(connection: Connection, table: Table) -> int:
    return int(connection.execute(select(func.count()).select_from(table)).scalar_one())


def _count_on(connection: Connection) -> None:
    """New rows get keys behind those that were copied."""
    for table in metadata.sorted_tables:
        keys = list(table.primary_key.columns)
        if len(keys) == 1 and isinstance(keys[0].type, Integer) and not keys[0].foreign_keys:
            last = connection.execute(select(func.max(keys[0]))).scalar()
            if last is not None:
                name = f"pg_get_serial_sequence('{table.name}', '{keys[0].name}')"
                connection.execute(text(f"SELECT setval({name}, :last)"), {"last": last})
