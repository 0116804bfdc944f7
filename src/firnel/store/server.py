"""A library on a database server: how long it is waited for, and what it says as a sentence.

A server that is gone answers nobody; one that stands still holds whoever waits for it. A thread in a hurry (the window's own)
waits a moment only, and once a server has kept it waiting, it is refused at once until the server has been heard of again.
"""

from __future__ import annotations

import logging
import re
import select
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from sqlalchemy import Engine, event
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import DBAPIError, InvalidatePoolError, OperationalError

from firnel.core.words import tr

if TYPE_CHECKING:
    from psycopg import Connection as ServerConnection

log = logging.getLogger(__name__)

#: Patience with a server: until it answers at all [s], with one statement, with a lock, and with sent bytes [ms].
CONNECT_S, STATEMENT_MS, LOCK_MS, SENT_MS = 5, 20_000, 5_000, 8_000
#: The server gives a statement up by itself; one that says nothing at all is given up a little later. [s]
SILENT_S = STATEMENT_MS / 1000.0 + 3.0
#: A silent server is asked again after so long; and an answer is never waited for less than this. [s]
AGAIN_S, LEAST_S = 1.0, 0.3
#: A connection that was used a moment ago is taken to be there still: asking each time would double every wait. [s]
FRESH_S = 5.0
#: What a transaction is told to be, where a connection otherwise has none: each statement is its own, and no more is sent.
WHOLE, AT_ONE_MOMENT = "READ COMMITTED", "REPEATABLE READ"

_thread = threading.local()


def hurry(seconds: float | None) -> None:
    """The calling thread waits so long for an answer of a server, no longer; None for the usual patience."""
    _thread.seconds = seconds


@contextmanager
def in_no_hurry(seconds: float) -> Iterator[None]:
    """The calling thread waits this long for an answer meanwhile."""
    before = getattr(_thread, "seconds", None)
    hurry(seconds)
    try:
        yield
    finally:
        hurry(before)


class Pulse:
    """Whether a server answers, as the threads in a hurry have found it.

    Parameters
    ----------
    connect : a fresh connection to it, with the usual patience.
    """

    def __init__(self, connect: Callable[[], ServerConnection[Any]]) -> None:
        self._connect = connect
        self._lock = threading.Lock()
        self._ended = threading.Event()
        self._asking = False
        self._heard: list[Callable[[bool], None]] = []
        self.silent = False  #: a thread in a hurry is refused at once

    def listen(self, heard: Callable[[bool], None]) -> None:
        """Be told when the server falls silent (False) and when it is back (True); from another thread."""
        self._heard.append(heard)

    def end(self) -> None:
        """Nobody wants to know any more."""
        self._ended.set()
        self._heard.clear()

    @property
    def patience_s(self) -> float:
        """How long the calling thread waits for an answer. [s]"""
        seconds = getattr(_thread, "seconds", None)
        return SILENT_S if seconds is None else float(seconds)

    @property
    def refuses(self) -> bool:
        """Whether the calling thread is not to ask at all."""
        return self.silent and getattr(_thread, "seconds", None) is not None

    def missed(self) -> None:
        """An answer did not come in time: from now on the server is asked from a thread of its own until it answers."""
        with self._lock:
            if self._asking or self._ended.is_set():
                return
            self._asking = True
        self._tell(silent=True)
        threading.Thread(target=self._ask, name="pulse", daemon=True).start()

    def _ask(self) -> None:
        import psycopg

        while not self._ended.is_set():
            try:
                with self._connect() as connection:
                    connection.execute(b"SELECT 1")
                break
            except psycopg.Error as error:
                log.info("the server does not answer yet: %s", type(error).__name__)
                self._ended.wait(AGAIN_S)
        with self._lock:
            self._asking = False
        self._tell(silent=False)

    def _tell(self, silent: bool) -> None:
        self.silent = silent
        for heard in tuple(self._heard):
            heard(not silent)


def options_of(url: str) -> dict[str, Any]:
    """What an engine on a server is made with: one that is gone is told in seconds, one that came back is gone on with."""
    patience: dict[str, Any] = {"connect_timeout": CONNECT_S}
    if _spoken(make_url(url)):
        patience |= {
            "options": f"-c statement_timeout={STATEMENT_MS} -c lock_timeout={LOCK_MS} -c timezone=UTC",
            "keepalives_idle": CONNECT_S, "keepalives_interval": 2, "keepalives_count": 3, "tcp_user_timeout": SENT_MS,
            "application_name": "firnel",
        }  # fmt: skip
        return {"connect_args": patience, "isolation_level": "AUTOCOMMIT", "use_native_hstore": False}
    return {"connect_args": patience, "pool_pre_ping": True}


def _spoken(url: URL) -> bool:
    """Whether it is a server that Firnel knows the ways of."""
    return url.get_backend_name() == "postgresql" and url.get_driver_name() == "psycopg"


def transaction_options(engine: Engine, level: str = WHOLE) -> dict[str, Any]:
    """What a connection is told so that its statements are one transaction; nothing where they are by themselves."""
    return {"isolation_level": level} if _spoken(engine.url) else {}


def pulse_of(engine: Engine) -> Pulse | None:
    """Whether the server of an engine answers; None for a file, which always does."""
    return getattr(engine.dialect, "firnel_pulse", None)


def be_patient(engine: Engine) -> None:
    """Have an engine on a PostgreSQL server wait as long as the asking thread has time for; any other stays as it is."""
    if not _spoken(engine.url):
        return
    import psycopg  # an extra that only stations need

    class Patient(psycopg.Connection[Any]):
        def wait(self, gen: Any, *more: Any, **named: Any) -> Any:
            if pulse.refuses:
                self.pgconn.finish()
                raise psycopg.OperationalError(tr("it has been silent for a while"))
            # A connection that came late has used up part of what its first answer may take.
            patience, _thread.lost = max(pulse.patience_s - getattr(_thread, "lost", 0.0), LEAST_S), 0.0
            try:
                return super().wait(gen, *more, **({"timeout": patience} | named))
            except psycopg.OperationalError:
                if self.pgconn.status == psycopg.pq.ConnStatus.OK and self.pgconn.transaction_status == busy:
                    self.pgconn.finish()  # what it would still say is nobody's answer any more
                    pulse.missed()
                    raise psycopg.OperationalError(tr("it did not answer in time")) from None
                raise

    def connect(_dialect: Any, _record: Any, words: Any, named: Any) -> Any:
        wanted.update(named)
        seconds = getattr(_thread, "seconds", None)
        if seconds is None:
            return Patient.connect(*words, **named)
        if pulse.refuses:
            raise psycopg.OperationalError(tr("it has been silent for a while"))
        begun = time.monotonic()
        made = _connected(lambda: Patient.connect(*words, **named), float(seconds), pulse)
        _thread.lost = time.monotonic() - begun
        return made

    busy = psycopg.pq.TransactionStatus.ACTIVE
    wanted: dict[str, Any] = {}
    pulse = Pulse(lambda: Patient.connect(**wanted))
    event.listen(engine, "do_connect", connect)
    event.listen(engine, "checkin", _note_use)
    event.listen(engine, "checkout", _refuse_dead)
    engine.dialect.firnel_pulse = pulse  # type: ignore[attr-defined]  # the engine's own place for it


def _note_use(_connection: Any, record: Any) -> None:
    record.info["used"] = time.monotonic()


def _refuse_dead(connection: ServerConnection[Any], record: Any, _proxy: Any) -> None:
    """A connection that the server has closed, or that does not answer after a while, gives way to a new one."""
    import psycopg

    try:
        told = select.poll()
        told.register(connection.fileno(), select.POLLIN)
        if told.poll(0):  # unasked it says nothing but that it goes
            connection.pgconn.consume_input()
        if time.monotonic() - record.info.get("used", time.monotonic()) > FRESH_S:
            connection.execute(b"SELECT 1")
    except psycopg.Error as error:
        raise InvalidatePoolError(str(error)) from error


def _connected(connect: Callable[[], Any], seconds: float, pulse: Pulse) -> Any:
    """A connection, if there is one in time; one that comes too late is closed."""
    import psycopg

    lock = threading.Condition()
    came: list[Any] = []
    late = False

    def work() -> None:
        try:
            found = connect()
        except psycopg.Error as error:
            found = error
        with lock:
            if late and not isinstance(found, Exception):
                found.close()
            came.append(found)
            lock.notify()

    threading.Thread(target=work, name="connect", daemon=True).start()
    with lock:
        lock.wait_for(lambda: came, seconds)
        late = not came
    if late:
        pulse.missed()
        raise psycopg.OperationalError(tr("it did not answer in time"))
    if isinstance(came[0], Exception):
        raise came[0]
    return came[0]


def refusal_of_a_server(error: DBAPIError, said: str, where: str) -> str | None:
    """Why a server refuses; what it says itself may name who asked, never the password."""
    if "lock timeout" in said or "deadlock" in said:
        return tr("The library {} is being written by another station. Nothing was changed: try again.", where)
    if "statement timeout" in said:
        return tr("The library {} took too long to answer. Nothing was changed: try again.", where)
    if "No space left" in said or "could not extend file" in said:
        return tr("The disk that holds {} is full. Free some space and try again.", where)
    if "permission denied" in said or "must be owner" in said:
        return tr("This user may not do that in the library {}. Nothing was changed.", where)
    if "read-only transaction" in said:
        return tr("The library {} can only be read at present. Nothing was changed.", where)
    if found := re.search(r"value too long for type character varying\((\d+)\)", said):
        return tr("A text is longer than the {} letters that the library has room for. Nothing was changed.", found[1])
    if "out of range" in said:
        return tr("A figure is larger than the library has room for. Nothing was changed.")
    if isinstance(error, OperationalError) or error.connection_invalidated:
        return tr(
            "The library {} does not answer: {}.",
            where,
            said.splitlines()[0].rstrip(".") if said else tr("the connection broke"),
        )
    return None
