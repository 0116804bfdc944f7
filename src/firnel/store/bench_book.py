"""What the bench notes of batches, and the tables that were set: cuppings, triangle and paired tests."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine, delete, insert, select, update

from firnel.core.words import tr
from firnel.store.rows import aware, new_key
from firnel.store.tables import bench_notes, tables_set
from firnel.store.writing import writing


@dataclass(frozen=True)
class BenchNote:
    """One entry of the bench on a batch: kind (colour, inspection), when, and its figures."""

    batch_id: int
    kind: str
    at: datetime
    document: Mapping[str, Any]
    id: int | None = None


@dataclass(frozen=True)
class TableSet:
    """A table that was set for cuppers or tasters; what stands where is told only when it is revealed."""

    kind: str
    name: str
    at: datetime
    document: Mapping[str, Any] = field(default_factory=dict)
    revealed: bool = False
    id: int | None = None


class BenchBook:
    """Reads and writes them for an engine's library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def note(self, batch_id: int, kind: str, document: Mapping[str, Any], at: datetime | None = None) -> int:
        """Add an entry on a batch; returns its id."""
        values = {"batch_id": batch_id, "kind": kind, "at": at or datetime.now(UTC), "document": dict(document)}
        with writing(self._engine) as connection:
            return new_key(connection.execute(insert(bench_notes).values(**values)))

    def notes(self, batch_id: int | None = None, kind: str | None = None) -> list[BenchNote]:
        """Entries, oldest first; of one batch or kind only if told."""
        query = select(bench_notes).order_by(bench_notes.c.at, bench_notes.c.id)
        if batch_id is not None:
            query = query.where(bench_notes.c.batch_id == batch_id)
        if kind is not None:
            query = query.where(bench_notes.c.kind == kind)
        with self._engine.connect() as connection:
            return [BenchNote(row.batch_id, row.kind, aware(row.at), row.document, row.id) for row in connection.execute(query)]

    def forget(self, key: int) -> None:
        """Take an entry away."""
        with writing(self._engine) as connection:
            connection.execute(delete(bench_notes).where(bench_notes.c.id == key))

    def save(self, table: TableSet) -> TableSet:
        """Add a table, or change the one with its id."""
        values = {
            "kind": table.kind, "name": table.name, "at": table.at, "revealed": table.revealed, "document": dict(table.document)
        }  # fmt: skip
        with writing(self._engine) as connection:
            if table.id is None:
                key = new_key(connection.execute(insert(tables_set).values(**values)))
            else:
                key = table.id
                connection.execute(update(tables_set).where(tables_set.c.id == key).values(**values))
        return TableSet(table.kind, table.name, table.at, dict(table.document), table.revealed, key)

    def table(self, key: int) -> TableSet:
        """One table as it is kept now.

        Raises
        ------
        LookupError : if there is none.
        """
        with self._engine.connect() as connection:
            row = connection.execute(select(tables_set).where(tables_set.c.id == key)).one_or_none()
        if row is None:
            raise LookupError(tr("there is no table {}.", key))
        return TableSet(row.kind, row.name, aware(row.at), row.document, row.revealed, row.id)

    def change(self, key: int, how: Callable[[TableSet], Mapping[str, Any]]) -> TableSet:
        """Change a table by what it is at that moment, in one transaction: two that enter at once both stay.

        Parameters
        ----------
        key : of the table.
        how : its new document, of the table as it is kept; what it raises leaves everything as it was.
        """
        with writing(self._engine) as connection:
            row = connection.execute(select(tables_set).where(tables_set.c.id == key).with_for_update()).one()
            table = TableSet(row.kind, row.name, aware(row.at), row.document, row.revealed, row.id)
            document = dict(how(table))
            connection.execute(update(tables_set).where(tables_set.c.id == key).values(document=document))
        return TableSet(table.kind, table.name, table.at, document, table.revealed, key)

    def tables(self, kinds: tuple[str, ...] = ()) -> list[TableSet]:
        """All tables, the newest first; of some kinds only if told."""
        query = select(tables_set).order_by(tables_set.c.at.desc(), tables_set.c.id.desc())
        if kinds:
            query = query.where(tables_set.c.kind.in_(kinds))
        with self._engine.connect() as connection:
            return [
                TableSet(row.kind, row.name, aware(row.at), row.document, row.revealed, row.id)
                for row in connection.execute(query)
            ]
