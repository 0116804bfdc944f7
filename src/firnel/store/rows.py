"""Small steps that every book of the library takes with rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, CursorResult, insert, update

#: So many rows are added at once.
AT_ONCE = 5000


def new_key(result: CursorResult[Any]) -> int:
    """The key that the database gave a new row."""
    key = result.inserted_primary_key
    if key is None:
        raise RuntimeError("the database gave the new row no key.")
    return int(key[0])


def upsert(connection: Connection, table: Any, key: int | None, values: Mapping[str, Any]) -> int:
    """Change the row with this key, or add one; returns the key."""
    if key is None:
        return new_key(connection.execute(insert(table).values(**values)))
    connection.execute(update(table).where(table.c.id == key).values(**values))
    return key


def insert_many(connection: Connection, table: Any, rows: Sequence[Mapping[str, Any]]) -> None:
    """Add any number of rows, so many at once that a server answers in between."""
    for start in range(0, len(rows), AT_ONCE):
        connection.execute(insert(table), list(rows[start : start + AT_ONCE]))


def aware(moment: datetime) -> datetime:
    """SQLite forgets the time zone; what is stored is UTC."""
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
