"""All that a house keeps beside its readings, as plain rows; and back into any library, where keys are others."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    Boolean,
    Column,
    Connection,
    Date,
    DateTime,
    Engine,
    Float,
    Integer,
    Table,
    insert,
    select,
    update,
)
from sqlalchemy.exc import DBAPIError

from firnel.core.words import tr
from firnel.store import tables as t
from firnel.store.opening import IDENTITY
from firnel.store.rows import aware
from firnel.store.writing import at_one_moment, writing

#: What batches hang on, and what hangs on batches, each behind what it needs itself.
BEFORE = (t.machines, t.lots, t.plans, t.plan_versions, t.machine_models, t.machine_log, t.measurements, t.coffees, t.orders)
BEHIND = (t.corrections, t.bench_notes, t.tables_set, t.parts, t.packed, t.waiting, t.house)
#: By what a row is known; others are the same where all of them is.
NAMED = {"machines": ("name",), "lots": ("name",), "plans": ("name", "machine_id", "lot_id"), "coffees": ("name",),
         "waiting": ("number",), "house": ("name",), "machine_models": ("machine_id",), "parts": ("batch_id", "lot_id"),
         "plan_versions": ("plan_id", "number")}  # fmt: skip
#: Keys in another library by those in the archive, by table.
Keys = dict[str, dict[int, int]]
#: A blend's reference is kept by the house under this name, with the coffee's key behind it.
BLEND_REFERENCE = "blend reference "


class ArchiveError(ValueError):
    """An archive that cannot be taken in; the message says what is wrong with it."""


def rows_of(engine: Engine) -> dict[str, list[dict[str, Any]]]:
    """The rows of all these tables, by table, moments and days as text."""
    found: dict[str, list[dict[str, Any]]] = {}
    with at_one_moment(engine) as connection:
        for table in (*BEFORE, *BEHIND):
            query = select(table).order_by(*table.primary_key.columns)
            rows = [{name: _told(value) for name, value in row._mapping.items()} for row in connection.execute(query)]
            found[table.name] = [row for row in rows if table is not t.house or row["name"] != IDENTITY]
        kept = select(t.batches.c.id, t.batches.c.label, t.batches.c.plan_id, t.batches.c.plan_version).order_by(t.batches.c.id)
        found["batches"] = [dict(row._mapping) for row in connection.execute(kept)]
    return found


def taken_numbers(engine: Engine, rows: Sequence[Mapping[str, Any]], keys: Keys) -> list[str]:
    """Numbers of batches that wait in the archive, and that another batch has here: those are not taken in."""
    told = {str(row.get("number")): keys.get("plans", {}).get(row.get("plan_id") or 0) for row in rows}
    with engine.connect() as connection:
        here = connection.execute(select(t.waiting.c.number, t.waiting.c.plan_id).where(t.waiting.c.number.in_(told)))
        return sorted(number for number, plan in here if told[number] != plan)


def take_in(
    engine: Engine, rows: Mapping[str, Sequence[Mapping[str, Any]]], which: Sequence[Table], keys: Keys
) -> dict[str, int]:
    """Add the rows that are not there yet, in one transaction; returns how many, by table.

    Parameters
    ----------
    engine : of the library.
    rows : as `rows_of` gives them.
    which : tables, each behind what it needs.
    keys : filled with the keys that rows have here. A row that hangs on one that did not come is passed over.

    Raises
    ------
    ArchiveError : if a row does not fit; nothing of these tables is taken in then.
    """
    added: dict[str, int] = {}
    with writing(engine) as connection:
        for table in which:
            own = keys.setdefault(table.name, {})
            for row in rows.get(table.name, ()):
                values = _values(table, row, keys)
                if values is None:
                    continue
                key = _there(connection, table, values)
                if key is None:
                    key = _add(connection, table, values)
                    added[table.name] = added.get(table.name, 0) + 1
                if isinstance(row.get("id"), int) and key:
                    own[row["id"]] = key
    return added


def place_batches(engine: Engine, rows: Sequence[Mapping[str, Any]], keys: Keys) -> None:
    """Say of batches that were added by which version of which plan they were roasted."""
    with writing(engine) as connection:
        for row in rows:
            key, plan = keys["batches"].get(row["id"]), keys["plans"].get(row.get("plan_id") or 0)
            if key is not None and plan is not None:
                by = update(t.batches).where(t.batches.c.id == key)
                connection.execute(by.values(plan_id=plan, plan_version=row.get("plan_version")))


def _told(value: Any) -> Any:
    if isinstance(value, datetime):
        return aware(value).isoformat()
    return value.isoformat() if isinstance(value, date) else value


def _values(table: Table, row: Mapping[str, Any], keys: Keys) -> dict[str, Any] | None:
    """A row as this library would have it, without its key; None where what it hangs on did not come.

    Raises
    ------
    ArchiveError : naming the table and the column that does not fit.
    """
    found: dict[str, Any] = {}
    for column in table.columns:
        if (column.name == "id" and not column.foreign_keys) or column.name not in row:
            continue
        value = _read(table, column, row[column.name])
        for foreign in column.foreign_keys:
            if value is not None:
                value = keys.get(foreign.column.table.name, {}).get(value)
                if value is None:
                    return None
        found[column.name] = value
    if table.name in REKEYED:
        try:
            found = REKEYED[table.name](found, keys)
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise ArchiveError(tr("{}: {} does not fit ({}).", table.name, _what(row), error)) from error
    return found


def _read(table: Table, column: Column[Any], value: Any) -> Any:
    if value is None:
        if not column.nullable:
            raise ArchiveError(tr("{}: {} is missing.", table.name, column.name))
        return None
    kind = column.type
    try:
        if isinstance(kind, DateTime):
            return aware(datetime.fromisoformat(value))
        if isinstance(kind, Date):
            return date.fromisoformat(value)
    except (TypeError, ValueError) as error:
        raise ArchiveError(tr("{}: {} of {!r} is no day.", table.name, column.name, value)) from error
    fits = {Boolean: bool, Integer: int, Float: int | float, t.Words: str, t.Lines: str}
    wanted = next((python for sql, python in fits.items() if isinstance(kind, sql)), None)
    if wanted is not None and (not isinstance(value, wanted) or (isinstance(value, bool) and wanted is not bool)):
        raise ArchiveError(tr("{}: {} of {!r} cannot be.", table.name, column.name, value))
    if isinstance(value, str) and isinstance(kind, t.Words) and len(value) > kind.most:
        raise ArchiveError(tr("{}: {} of {} characters is too long.", table.name, column.name, len(value)))
    return value


def _there(connection: Connection, table: Table, values: Mapping[str, Any]) -> int | None:
    """The key of the row that is this one already; 0 where it has none of its own; None where there is none."""
    named = NAMED.get(table.name)
    plain = {name: value for name, value in values.items() if not isinstance(value, dict | list)}
    wanted = {name: values[name] for name in named} if named is not None else plain
    query = select(table)
    for name, value in wanted.items():
        query = query.where(table.c[name].is_(None) if value is None else table.c[name] == value)
    for row in connection.execute(query):
        same = named is not None or all(row._mapping[name] == value for name, value in values.items() if name not in plain)
        if same:
            return int(row._mapping["id"]) if "id" in table.c and not table.c["id"].foreign_keys else 0
    return None


def _add(connection: Connection, table: Table, values: Mapping[str, Any]) -> int:
    try:
        made = connection.execute(insert(table).values(**values)).inserted_primary_key
    except DBAPIError as error:
        raise ArchiveError(
            tr("{}: {} does not fit ({}).", table.name, _what(values), str(error.orig).splitlines()[0])
        ) from error
    return int(made[0]) if made is not None and isinstance(made[0], int) else 0


def _what(row: Mapping[str, Any]) -> str:
    return repr(str(row.get("name") or row.get("number") or row.get("id") or tr("an entry"))[:60])


def _coffee(row: dict[str, Any], keys: Keys) -> dict[str, Any]:
    plans = keys["plans"]
    parts = [part | {"plans": [plans[key] for key in part["plans"] if key in plans]} for part in row["document"]["components"]]
    return row | {"document": row["document"] | {"components": parts}}


def _table(row: dict[str, Any], keys: Keys) -> dict[str, Any]:
    known, document = keys["batches"], dict(row["document"])
    for name in ("a", "b"):  # of a triangle or paired test
        if name in document:
            document[name] = known.get(document[name], 0)
    if "coffees" in document:
        document["coffees"] = [
            entry | {"batch": known.get(entry["batch"], 0)} | ({"mix": _mix(entry["mix"], known)} if "mix" in entry else {})
            for entry in document["coffees"]
        ]
    return row | {"document": document}


def _mix(document: Mapping[str, Any], known: Mapping[int, int]) -> dict[str, Any]:
    return {**document, "parts": [[known.get(key, 0), share] for key, share in document["parts"]]}


def _house(row: dict[str, Any], keys: Keys) -> dict[str, Any]:
    name, document = row["name"], row["document"]
    if name == "references":
        plans, known = keys["plans"], keys["batches"]
        pairs = {plans.get(int(plan)): known.get(key) for plan, key in document.get("plans", {}).items()}
        document = {"plans": {str(plan): key for plan, key in pairs.items() if plan and key}}
    elif name.startswith(BLEND_REFERENCE):
        coffee = keys["coffees"].get(int(name.removeprefix(BLEND_REFERENCE)), 0)
        name, document = f"{BLEND_REFERENCE}{coffee}", _mix(document, keys["batches"])
    return row | {"name": name, "document": document}


REKEYED: dict[str, Callable[[dict[str, Any], Keys], dict[str, Any]]] = {
    "coffees": _coffee,
    "tables_set": _table,
    "house": _house,
}
