"""What a station may do, as roles of the database itself: it is the server that refuses, whatever a program tries.

Each role may do what those before it may. Rights are on tables: *bench* weighs, cups, measures and packs; *roast* records
batches, plans and learns machines; *manage* changes everything else too.
"""

from __future__ import annotations

from sqlalchemy import Connection, text

from firnel.core.words import tr
from firnel.store.opening import open_engine
from firnel.store.tables import metadata
from firnel.store.writing import LibraryError, library_path, library_url, writing

#: Tables that each role may write, besides those of the role before it.
WRITES: dict[str, tuple[str, ...]] = {
    "read": ("stations",),  # to be heard of as a station is no change
    "bench": (
        "batches", "bench_notes", "corrections", "deeds", "lots", "measurements", "notes", "tables_set", "orders", "packed",
        "live",
    ),
    "roast": (
        "readings", "parts", "marks", "moves", "waiting", "counters", "drafts", "machine_log", "machine_models", "plans",
        "plan_versions", "house",
    ),
    "manage": ("coffees", "machines"),
}  # fmt: skip
ROLES = tuple(WRITES)


def grant_role(library: str, user: str, role: str) -> bool:
    """Let a user of the server do what a role may, and no more; the user is made if there is none. Returns whether it was.

    Parameters
    ----------
    library : URL of a library on a PostgreSQL server, as its owner.
    user : name of the database user.
    role : read, bench, roast or manage.

    Raises
    ------
    LibraryError : if the library lies in a file, or this user may not give rights; nothing has changed then.
    ValueError : if there is no such role.
    """
    if role not in WRITES:
        raise ValueError(tr("{!r} is no role: {}.", role, ", ".join(ROLES)))
    if library_path(library_url(library)) is not None:
        raise LibraryError(tr("A library in a file has no roles: the rights of the file are its own."))
    engine = open_engine(library)
    try:
        with writing(engine) as connection:
            database = str(connection.execute(text("SELECT current_database()")).scalar_one())
            for name in ROLES:
                _make_group(connection, database, name)
            made = not _exists(connection, user)
            if made:
                _do(connection, f"CREATE ROLE {_quoted(connection, user)} LOGIN")
            for name in ROLES:
                group = _quoted(connection, _group(database, name))
                verb, to = ("GRANT", "TO") if name == role else ("REVOKE", "FROM")
                _do(connection, f"{verb} {group} {to} {_quoted(connection, user)}")
        return made
    finally:
        engine.dispose()


def _make_group(connection: Connection, database: str, role: str) -> None:
    group = _group(database, role)
    quoted = _quoted(connection, group)
    if not _exists(connection, group):
        _do(connection, f"CREATE ROLE {quoted} NOLOGIN")
    _do(connection, f"GRANT CONNECT ON DATABASE {_quoted(connection, database)} TO {quoted}")
    _do(connection, f"GRANT USAGE ON SCHEMA public TO {quoted}")
    _do(connection, f"GRANT SELECT ON ALL TABLES IN SCHEMA public TO {quoted}")
    _do(connection, f"GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {quoted}")
    for one in ROLES[: ROLES.index(role) + 1]:
        for table in WRITES[one]:
            _do(connection, f"GRANT INSERT, UPDATE, DELETE ON {_quoted(connection, table)} TO {quoted}")


def _group(database: str, role: str) -> str:
    """Roles are the whole server's: those of another library on it have other names."""
    return f"{database}_{role}"


def _exists(connection: Connection, name: str) -> bool:
    return connection.execute(text("SELECT 1 FROM pg_roles WHERE rolname = :name"), {"name": name}).first() is not None


def _quoted(connection: Connection, name: str) -> str:
    return connection.dialect.identifier_preparer.quote_identifier(name)


def _do(connection: Connection, statement: str) -> None:
    connection.exec_driver_sql(statement.replace("%", "%%"))


def unnamed_tables() -> set[str]:
    """Tables that no role may write: none, or a new one was forgotten here."""
    return set(metadata.tables) - {table for tables in WRITES.values() for table in tables}
