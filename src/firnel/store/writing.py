"""The connection to a library: reads that disturb nobody, writes that are whole, and refusals in one sentence."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import Connection, Engine, Transaction, create_engine, event
from sqlalchemy.engine import ExceptionContext, make_url
from sqlalchemy.exc import ArgumentError, DBAPIError

from firnel.core.words import tr
from firnel.store.server import AT_ONE_MOMENT, be_patient, options_of, refusal_of_a_server, transaction_options
from firnel.store.sqlite_file import ONLY_READS, for_lack_of_room, full_sentence, open_through, rights_sentence

#: Execution option of a connection that is going to write.
WRITES = "firnel_writes"


class LibraryError(Exception):
    """A library that cannot be opened, read or written; the message is for the user."""


class LibraryReadError(LibraryError):
    """The library does not answer, or not soundly."""


class LibraryWriteError(LibraryError):
    """The library cannot be written at present; what was to be written is not."""


class LibraryUnsureError(LibraryWriteError):
    """Whether what was written has been kept is not known."""


class LibraryGoneError(LibraryWriteError):
    """The file that was opened is not there any more, or another one lies in its place."""


class ChangedMeanwhileError(LibraryError):
    """Somebody else has changed it since it was read; the message says what, ``version`` which one there is now."""

    def __init__(self, message: str, version: int = 0) -> None:
        super().__init__(message)
        self.version = version


def library_url(library: str | Path) -> str:
    """The SQLAlchemy URL of a path or URL."""
    given = str(library)
    if "://" in given:
        return given
    path = str(Path(given).expanduser().resolve())
    return f"sqlite:///{quote(path, safe='/ ')}"  # in a URL a % or a ? of a name says something else


def library_path(url: str) -> Path | None:
    """The file behind a URL; None for a database server."""
    parsed = make_url(url)
    return Path(parsed.database) if parsed.get_backend_name() == "sqlite" and parsed.database else None


def shown(url: str) -> str:
    """A URL as it may be shown: without its password; a file as its path."""
    path = library_path(url)
    return str(path) if path is not None else make_url(url).render_as_string(hide_password=True)


def make_engine(url: str) -> Engine:
    """An engine whose transactions are whole: SQLite's own half-hearted ones are replaced by real ones.

    Raises
    ------
    LibraryError : if the address is none, or its driver is missing.
    """
    path = library_path(url)
    if make_url(url).get_backend_name() == "sqlite" and str(path) in ("None", ":memory:"):
        raise LibraryError(tr("{} names no file: a library that lies in memory alone would be lost.", url))
    more: dict[str, Any] = {} if path is not None else options_of(url)
    try:
        engine = create_engine(url, hide_parameters=True, **more)
    except (ArgumentError, ImportError) as error:
        raise LibraryError(tr("The library {} cannot be opened: {}.", shown(url), error)) from error
    if path is not None:
        open_through(engine, path)
        event.listen(engine, "begin", _begin_sqlite)
    else:
        be_patient(engine)
    return engine


@contextmanager
def writing(engine: Engine) -> Iterator[Connection]:
    """One transaction that writes: all of it is kept, or nothing.

    Raises
    ------
    LibraryWriteError : if the library cannot be written; nothing of it has been then.
    """
    _refuse_gone(engine)
    try:
        with engine.connect().execution_options(**{WRITES: True}, **transaction_options(engine)) as connection:
            transaction = connection.begin()
            try:
                yield connection
            except BaseException:
                transaction.rollback()
                raise
            _commit(transaction, engine)
    except LibraryReadError as error:
        raise LibraryWriteError(str(error)) from error
    except DBAPIError as error:
        if refused := refusal(error, place_of(engine)):
            raise LibraryWriteError(refused) from error
        raise


def at_one_moment(engine: Engine) -> Connection:
    """A connection that sees everything as it is when it is first asked, whatever is written meanwhile."""
    return engine.connect().execution_options(**transaction_options(engine, AT_ONE_MOMENT))


def _commit(transaction: Transaction, engine: Engine) -> None:
    """A server that falls silent now may have kept it: nobody can know."""
    try:
        transaction.commit()
    except LibraryReadError as error:
        if library_path(str(engine.url)) is not None:
            raise
        raise LibraryUnsureError(tr("{} Whether that was kept is not known: look before you do it again.", error)) from error


def place_of(engine: Engine) -> str:
    """Where a library lies, as it may be shown."""
    return shown(engine.url.render_as_string(hide_password=False))


def refuse_in_words(engine: Engine) -> None:
    """Have whatever the library itself refuses come as a `LibraryReadError` with a sentence, whoever asks."""

    def told(context: ExceptionContext) -> LibraryReadError | None:
        error = context.sqlalchemy_exception
        if context.is_pre_ping or not isinstance(error, DBAPIError):
            return None
        said = refusal(error, place_of(engine))
        return LibraryReadError(said) if said else None

    event.listen(engine, "handle_error", told)


def watch_file(engine: Engine, path: Path) -> None:
    """Remember which file was opened, so that no write goes into one that has been deleted or replaced."""
    engine.dialect.firnel_file = (path, _identity(path))  # type: ignore[attr-defined]  # the engine's own place for it


def refusal(error: DBAPIError, where: str) -> str | None:
    """Why the library refuses, as one sentence; None where the statement is to blame, not the library."""
    said = str(error.orig)
    if isinstance(error.orig, sqlite3.IntegrityError | sqlite3.ProgrammingError | sqlite3.InterfaceError):
        return None
    if not isinstance(error.orig, sqlite3.Error):
        return refusal_of_a_server(error, said, where)
    if for_lack_of_room(error.orig, Path(where)):
        return full_sentence(where)
    if "locked" in said:
        return tr("The library {} is locked by another program. Close that one and try again.", where)
    if "readonly" in said or "unable to open" in said:
        return rights_sentence(where)
    if "malformed" in said or "not a database" in said or "corrupt" in said:
        return _damaged(where)
    if isinstance(error.orig, sqlite3.OperationalError | sqlite3.DatabaseError) or error.connection_invalidated:
        return tr("The library {} does not answer: {}.", where, said.splitlines()[0])
    return None


@contextmanager
def sound(engine: Engine) -> Iterator[None]:
    """What cannot stand in a row, as a damaged page of a file holds it, is told as a damaged library."""
    try:
        yield
    except (ValueError, TypeError, OverflowError) as error:
        raise LibraryReadError(_damaged(place_of(engine))) from error


def _damaged(where: str) -> str:
    return tr("The library {} is damaged. It was left as it is; firnel library check tells more, restore brings a copy.", where)


def _refuse_gone(engine: Engine) -> None:
    watched = getattr(engine.dialect, "firnel_file", None)
    if watched is None:
        return
    path, before = watched
    now = _identity(path)
    if now is None:
        raise LibraryGoneError(tr("The library {} is not there any more: was it deleted or moved? Put it back.", path))
    if now != before:
        raise LibraryGoneError(
            tr("Another file lies in the place of the library {}. Put the old one back, or start again.", path)
        )


def _identity(path: Path) -> tuple[int, int] | None:
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _begin_sqlite(connection: Connection) -> None:
    """A writer takes its lock at the beginning: what it reads first is then still so when it writes."""
    writes = connection.get_execution_options().get(WRITES)
    if writes and (why := connection.connection.info.get(ONLY_READS)):
        raise LibraryReadError(why)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")
