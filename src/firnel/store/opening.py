"""Opening a library: made if new, migrated if old, refused with a clear sentence and left untouched if neither."""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import sqlite3
from pathlib import Path
from typing import IO, Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ArgumentError, DatabaseError, OperationalError

from firnel.store.tables import HEAD

#: How long to wait for another program's lock. [ms]
BUSY_MS = 5000


class LibraryError(Exception):
    """A library that cannot be opened; the message is for the user, the file has not been touched."""


class LibraryInUseError(LibraryError):
    """Another Firnel has the library open for roasting."""


class DamagedLibraryError(LibraryError):
    """The file is no Firnel library, or a damaged one."""


class NewerLibraryError(LibraryError):
    """The library was written by a newer Firnel."""


def library_url(library: str | Path) -> str:
    """The SQLAlchemy URL of a path or URL."""
    given = str(library)
    return given if "://" in given else f"sqlite:///{Path(given).expanduser().resolve()}"


def library_path(url: str) -> Path | None:
    """The file behind a URL; None for a database server."""
    parsed = make_url(url)
    return Path(parsed.database) if parsed.get_backend_name() == "sqlite" and parsed.database else None


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
        raise LibraryError(f"{library} is neither a file nor a database address.") from error
    if path is not None:
        _refuse_damaged(path)
    try:
        engine = create_engine(url)
    except (ArgumentError, ImportError) as error:
        raise LibraryError(f"The library {library} cannot be opened: {error}.") from error
    if path is not None:
        event.listen(engine, "connect", _prepare_sqlite)
    try:
        with engine.connect() as connection:
            _bring_up_to_date(connection, path)
    except LibraryError:
        engine.dispose()
        raise
    except OperationalError as error:
        engine.dispose()
        raise LibraryError(_operational_sentence(path or url, error)) from error
    except DatabaseError as error:
        engine.dispose()
        raise DamagedLibraryError(_damaged_sentence(path or url)) from error
    return engine


def copy_library(source: Path, target: Path) -> Path:
    """Copy a library with its journal files, to look into or to mend; the original stays as it is."""
    for suffix in ("", "-wal", "-shm"):
        part = source.with_name(source.name + suffix)
        if part.exists():
            shutil.copy2(part, target.with_name(target.name + suffix))
    return target


class RoastingLock:
    """One Firnel roasts on a library at a time; held as a file lock, which a killed process gives back by itself.

    Raises
    ------
    LibraryInUseError : if another one has it.
    """

    def __init__(self, path: Path) -> None:
        self._file: IO[str] = path.with_name(path.name + ".lock").open("a+")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            self._file.seek(0)
            holder = self._file.read().strip()
            self._file.close()
            who = f" (process {holder})" if holder else ""
            raise LibraryInUseError(f"Another Firnel{who} has the library {path} open. Close it there first.") from error
        self._file.truncate(0)
        self._file.write(str(os.getpid()))
        self._file.flush()

    def release(self) -> None:
        """Let another one have it."""
        with contextlib.suppress(OSError):
            fcntl.flock(self._file, fcntl.LOCK_UN)
        self._file.close()


def _prepare_sqlite(connection: sqlite3.Connection, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
    cursor.execute("PRAGMA foreign_keys = ON")
    # Each connection of the pool has a cache of its own; the system's lies beneath it. [KiB, negative by SQLite's custom]
    cursor.execute("PRAGMA cache_size = -512")
    cursor.execute("PRAGMA journal_mode = WAL")
    # FULL: what was committed outlasts a power cut too; at two commits a second it costs nothing.
    cursor.execute("PRAGMA synchronous = FULL")
    cursor.close()


def _refuse_damaged(path: Path) -> None:
    """Look at the file itself before SQLite may write beside it."""
    if path.is_dir():
        raise LibraryError(f"{path} is a folder; a library is a file.")
    if not path.parent.exists():
        raise LibraryError(f"The folder {path.parent} does not exist, so no library can be made there.")
    if not path.exists() or path.stat().st_size == 0:
        return
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise LibraryError(f"The library {path} cannot be read: {error.strerror}.") from error
    if head != b"SQLite format 3\x00":
        raise DamagedLibraryError(_damaged_sentence(path))


def _bring_up_to_date(connection: Connection, path: Path | None) -> None:
    names = set(inspect(connection).get_table_names())
    found = None
    if "alembic_version" in names:
        found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    elif names:
        raise DamagedLibraryError(f"{path or 'The database'} holds other tables than Firnel's: it was left as it is.")
    if found == HEAD:
        if "batches" not in names:
            raise DamagedLibraryError(_damaged_sentence(path or "database"))
        return
    if found is not None and found > HEAD:
        raise NewerLibraryError(
            f"The library {path or ''} was written by a newer Firnel (version {found}; this one writes {HEAD}). "
            "Update Firnel to open it; the file was left as it is."
        )
    if path is not None and found is not None:
        copy_library(path, path.with_name(f"{path.stem}-before-{HEAD}{path.suffix}"))
    _migrate(connection)


def _migrate(connection: Connection) -> None:
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
    connection.commit()


def _damaged_sentence(where: object) -> str:
    return f"{where} is not a Firnel library, or it is damaged. It was left as it is; open a copy, or another library."


def _operational_sentence(where: object, error: OperationalError) -> str:
    said = str(error.orig)
    if "locked" in said:
        return f"The library {where} is locked by another program. Close that one and try again."
    if "readonly" in said or "unable to open" in said:
        return f"The library {where} cannot be written: check the rights of the file and its folder."
    if "full" in said:
        return f"The disk that holds {where} is full. Free some space and try again."
    return f"The library {where} cannot be opened: {said}."
