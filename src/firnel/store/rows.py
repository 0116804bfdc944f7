"""Small steps that every book of the library takes with rows."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, CursorResult, insert, update


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


def aware(moment: datetime) -> datetime:
    """SQLite forgets the time zone; what is stored is UTC."""
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
