"""Opening a library: made if new, migrated if old, refused with a clear sentence and left untouched if neither.

A migration is one transaction: whenever it is cut short, the library is as it was. The copy made before it is kept.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from uuid import uuid4

from sqlalchemy import Connection, Engine, MetaData, func, inspect, select, text
from sqlalchemy.exc import ArgumentError, DBAPIError, OperationalError

from firnel.core.words import tr
from firnel.store.copies import copy_database, free_name
from firnel.store.server import in_no_hurry, transaction_options
from firnel.store.tables import HEAD, house, metadata
from firnel.store.writing import (
    WRITES,
    LibraryError,
    library_path,
    library_url,
    make_engine,
    refusal,
    refuse_in_words,
    shown,
    watch_file,
)

#: The name under which a library knows which one it is, wherever it is moved to.
IDENTITY = "identity"
#: How long to wait for another program that brings the same library up to date: on a slow disk that takes a while. [ms]
MIGRATION_MS = 120_000
#: Of all who open a database on a server at once, one brings it up to date: the number of the lock that they agree on.
SERVER_LOCK = 0x46524E4C


class DamagedLibraryError(LibraryError):
    """The file is no Firnel library, or a damaged one."""


class NewerLibraryError(LibraryError):
    """The library was written by a newer Firnel."""


def open_engine(library: str | Path) -> Engine:
    """An engine on the library at the present version.

    Raises
    ------
    LibraryError : if it cannot be opened; nothing has been changed then.
    """
    url = library_url(library)
    try:
        path = library_path(url)
    except ArgumentError as error:
        raise LibraryError(tr("{} is neither a file nor a database address.", library)) from error
    if path is not None:
        _refuse_damaged(path)
    engine = make_engine(url)
    try:
        _bring_up_to_date(engine, path)
    except LibraryError:
        engine.dispose()
        raise
    except UnicodeDecodeError as error:  # names of tables that are none
        engine.dispose()
        raise DamagedLibraryError(_damaged_sentence(shown(url))) from error
    except DBAPIError as error:
        engine.dispose()
        said = refusal(error, shown(url))
        if said is None or not isinstance(error, OperationalError):
            raise DamagedLibraryError(_damaged_sentence(shown(url))) from error
        raise LibraryError(said) from error
    refuse_in_words(engine)
    if path is not None:
        watch_file(engine, path)
    return engine


def identity_of(connection: Connection) -> str:
    """Which library this is."""
    document = connection.execute(select(house.c.document).where(house.c.name == IDENTITY)).scalar()
    return str((document or {}).get("id", ""))


def _refuse_damaged(path: Path) -> None:
    """Look at the file itself before SQLite may write beside it."""
    try:
        if path.is_dir():
            raise LibraryError(tr("{} is a folder; a library is a file.", path))
        if not path.parent.exists():
            raise LibraryError(tr("The folder {} does not exist, so no library can be made there.", path.parent))
        if path.exists() and not path.is_file():
            raise DamagedLibraryError(_damaged_sentence(path))
        if not path.exists() or path.stat().st_size == 0:
            return
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise LibraryError(tr("The library {} cannot be read: {}.", path, error.strerror)) from error
    if head != b"SQLite format 3\x00":
        raise DamagedLibraryError(_damaged_sentence(path))


def _bring_up_to_date(engine: Engine, path: Path | None) -> None:
    where = str(path or shown(engine.url.render_as_string(hide_password=False)))
    with engine.connect() as connection:
        found, wanting = _state(connection, where)
    if not wanting:
        return
    if path is not None and found is not None:
        _copy_before(path)
    with in_no_hurry(MIGRATION_MS / 1000.0), _alone(engine) as connection:
        found, wanting = _state(connection, where)  # another process may have been quicker
        if wanting:
            if found is None:
                _clear_a_start_cut_short(connection)
            migrate(connection)
            _check(connection, where)


def _state(connection: Connection, where: str) -> tuple[str | None, bool]:
    """The version of the tables, None where there are none yet, and whether they are to be brought up to date."""
    names = set(inspect(connection).get_table_names())
    found = None
    if "alembic_version" in names:
        found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    if found is None and names:
        if names - {"alembic_version", *metadata.tables}:
            raise DamagedLibraryError(tr("{} holds other tables than Firnel's: it was left as it is.", where))
        if any(connection.execute(text(f'SELECT 1 FROM "{name}" LIMIT 1')).first() for name in names & set(metadata.tables)):
            raise DamagedLibraryError(_damaged_sentence(where))
    if found == HEAD and not set(metadata.tables) <= names:
        raise DamagedLibraryError(_damaged_sentence(where))
    if found is not None and found > HEAD:
        raise NewerLibraryError(
            tr(
                "The library {} was written by a newer Firnel (version {}; this one writes {}). Update Firnel to "
                "open it; the file was left as it is.",
                where,
                found,
                HEAD,
            )
        )
    return found, found != HEAD


@contextmanager
def _alone(engine: Engine) -> Iterator[Connection]:
    """One transaction with nobody else writing; tables that others point to can be made anew in it."""
    with engine.connect().execution_options(**transaction_options(engine)) as connection:
        if engine.dialect.name == "sqlite":
            connection.exec_driver_sql("COMMIT")  # of the transaction that begins by itself: in one, the next line is not heard
            connection.exec_driver_sql("PRAGMA foreign_keys = OFF")
            connection.exec_driver_sql(f"PRAGMA busy_timeout = {MIGRATION_MS}")
            connection.exec_driver_sql("BEGIN IMMEDIATE")
        elif engine.dialect.name == "postgresql":
            for patience in ("lock_timeout", "statement_timeout"):
                connection.exec_driver_sql(f"SET LOCAL {patience} = {MIGRATION_MS}")
            connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({SERVER_LOCK})")
        connection = connection.execution_options(**{WRITES: True})
        try:
            yield connection
            connection.commit()
        finally:
            if connection.in_transaction():
                connection.rollback()
            if engine.dialect.name == "sqlite":
                connection.connection.invalidate()  # with its pragma


def _clear_a_start_cut_short(connection: Connection) -> None:
    """Empty tables without a version: an older Firnel was killed while it made them."""
    left = MetaData()
    left.reflect(connection)
    left.drop_all(connection)


def migrate(connection: Connection, to: str = "head") -> None:
    """Bring the tables up to a version, inside the caller's transaction."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    config.attributes["connection"] = connection
    command.upgrade(config, to)
    if to == "head" and not identity_of(connection):
        connection.execute(house.delete().where(house.c.name == IDENTITY))
        connection.execute(house.insert().values(name=IDENTITY, document={"id": uuid4().hex}))


def _check(connection: Connection, where: str) -> None:
    """What was migrated must hold together before it is kept."""
    if connection.dialect.name != "sqlite":
        return
    wrong = connection.exec_driver_sql("PRAGMA foreign_key_check").first()
    said = connection.exec_driver_sql("PRAGMA quick_check(1)").scalar()
    if wrong is not None or said != "ok":
        why = said if wrong is None else tr("the table {} is torn", wrong[0])
        raise DamagedLibraryError(
            tr(
                "The library {} could not be brought up to date: {}. It was left as it is; firnel library check tells more.",
                where,
                why,
            )
        )
    connection.execute(select(func.count()).select_from(metadata.tables["batches"]))


def _copy_before(path: Path) -> None:
    """A copy of the library as it was; one that was made before is never written over."""
    copy_database(path, free_name(path.with_name(f"{path.stem}-before-{HEAD}{path.suffix}")))


def _damaged_sentence(where: object) -> str:
    return tr("{} is not a Firnel library, or it is damaged. It was left as it is; open a copy, or another library.", where)
