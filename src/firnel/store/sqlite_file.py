"""The file of a library as SQLite opens it, also on a disk that has no room left, or that nothing may be written to.

Beside a file in write-ahead mode SQLite lays an index of 32 KiB, and without it nothing is read
(https://www.sqlite.org/walformat.html#shm). Where even that cannot be, a library that was closed as it should is read as it
lies, by a connection that is given up after each use: it writes nothing, and would not see what others write.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import time
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, event

from firnel.core.words import tr

#: How long to wait for another program's lock. [ms]
BUSY_MS = 5000
#: How long to wait between two tries where SQLite itself does not wait. [ms]
PAUSE_MS = 20
#: A disk with less room than that is full. [bytes]
ROOM_BYTES = 65_536
#: What SQLite says where a file may be sound, but cannot be looked at.
NOT_NOW = tuple(f"SQLITE_{why}" for why in ("BUSY", "LOCKED", "IOERR", "FULL", "CANTOPEN", "READONLY", "PERM", "NOMEM", "AUTH"))
#: Under this name lies with each connection why it can only read; empty where it writes too.
ONLY_READS = "firnel_only_reads"


def disk_is_full(path: Path) -> bool:
    """Whether the disk that holds a file has no room left."""
    try:
        return shutil.disk_usage(path.parent).free < ROOM_BYTES
    except OSError:
        return False


def for_lack_of_room(error: BaseException | None, path: Path) -> bool:
    """Whether SQLite could not do something because the disk that holds *path* is full."""
    if not isinstance(error, sqlite3.Error):
        return False
    name = getattr(error, "sqlite_errorname", "")
    return name in ("SQLITE_FULL", "SQLITE_IOERR_SHMSIZE") or (name.startswith("SQLITE_IOERR") and disk_is_full(path))


def tells_of_damage(error: sqlite3.Error) -> bool:
    """Whether SQLite says that a file is damaged; one that cannot be looked at now may be sound."""
    return not getattr(error, "sqlite_errorname", "").startswith(NOT_NOW)


def full_sentence(where: object) -> str:
    """What is told of a full disk."""
    return tr("The disk that holds {} is full. Free some space and try again.", where)


def rights_sentence(where: object) -> str:
    """What is told of a file or folder that may not be written."""
    return tr("The library {} cannot be written: check the rights of the file and its folder.", where)


def open_through(engine: Engine, path: Path) -> None:
    """Have an engine open its file to read and write; where that cannot be, as it lies."""

    def connect(dialect: Any, record: Any, arguments: list[Any], options: dict[str, Any]) -> sqlite3.Connection:
        connection: sqlite3.Connection = dialect.loaded_dbapi.connect(*arguments, **options)
        record.info[ONLY_READS] = ""
        try:
            _prepare(connection)
        except sqlite3.Error as error:
            connection.close()
            if not _only_its_index_cannot_be(error, path):
                raise
            record.info[ONLY_READS] = full_sentence(path) if for_lack_of_room(error, path) else rights_sentence(path)
            return _as_it_lies(path, **options)
        return connection

    def given_back(_connection: Any, record: Any) -> None:
        if record.info.get(ONLY_READS):
            record.invalidate()

    event.listen(engine, "do_connect", connect)
    event.listen(engine, "checkin", given_back)


def read_file(path: Path) -> sqlite3.Connection:
    """A connection that reads a file and changes nothing in it.

    Raises
    ------
    sqlite3.Error : if it cannot be opened.
    """
    connection = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=BUSY_MS / 1000.0)
    try:
        connection.execute("PRAGMA schema_version").fetchall()
    except sqlite3.Error as error:
        connection.close()
        if not _only_its_index_cannot_be(error, path):
            raise
        return _as_it_lies(path)
    return connection


def _only_its_index_cannot_be(error: sqlite3.Error, path: Path) -> bool:
    """Whether a file can be read as it lies: all that was written is in it, and only nothing can be laid beside it."""
    name = getattr(error, "sqlite_errorname", "")
    if not (for_lack_of_room(error, path) or name.startswith(("SQLITE_CANTOPEN", "SQLITE_READONLY"))):
        return False
    beside = (path.with_name(path.name + suffix) for suffix in ("-wal", "-journal"))
    try:
        whole = not any(log.exists() and log.stat().st_size for log in beside)
        return whole and os.access(path, os.R_OK) and path.stat().st_size > 0
    except OSError:
        return False


def _as_it_lies(path: Path, **options: Any) -> sqlite3.Connection:
    options = {"timeout": BUSY_MS / 1000.0, **options, "uri": True}
    connection: sqlite3.Connection = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro&immutable=1", **options)
    connection.isolation_level = None
    return connection


def _prepare(connection: sqlite3.Connection) -> None:
    connection.isolation_level = None  # transactions begin and end where SQLAlchemy says so, tables included
    cursor = connection.cursor()
    cursor.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
    cursor.execute("PRAGMA foreign_keys = ON")
    # Each connection of the pool has a cache of its own; the system's lies beneath it. [KiB, negative by SQLite's custom]
    cursor.execute("PRAGMA cache_size = -512")
    _write_ahead(cursor)
    # FULL: what was committed outlasts a power cut too; at two commits a second it costs nothing.
    cursor.execute("PRAGMA synchronous = FULL")
    cursor.close()


def _write_ahead(cursor: sqlite3.Cursor) -> None:
    """SQLite does not wait by itself where several programs turn to the write-ahead log at once."""
    for _ in range(BUSY_MS // PAUSE_MS):
        try:
            cursor.execute("PRAGMA journal_mode = WAL")
            return
        except sqlite3.OperationalError as error:
            if "locked" not in str(error):
                raise
            time.sleep(PAUSE_MS / 1000.0)
    cursor.execute("PRAGMA journal_mode = WAL")
