"""The roast journal: what happens is on disk within a second, written from a thread of its own, and never dropped unconfirmed.

The session hands over readings, and the marks, moves, notes and results as they stand. Whatever keeps them out of the library
is told and tried again; until it succeeds they lie in a file beside the settings too (see `spill`).
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from sqlalchemy import Connection, func, select, update
from sqlalchemy.exc import DBAPIError

from firnel.core.vocabulary import Control, Mark, Move, Note
from firnel.core.words import tr
from firnel.store.batch_rows import (
    begin_waiting,
    insert_batch,
)
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.pending import RUNNING, Corrected, Pending, ReadingRow, finite_row, write_rows, write_state
from firnel.store.spill import Spill, spill_error
from firnel.store.tables import batches, readings
from firnel.store.writing import LibraryError, refusal, writing

log = logging.getLogger(__name__)

#: How long a reading may wait for company before it is written. [s]
PATIENCE = 0.3
#: The owner is heard of at least this often, readings or not. [s]
HEARTBEAT_S = 5.0
#: Pauses between attempts; the last one is kept. [s]
PAUSES = (0.5, 0.5, 1.0, 2.0)


class TakenOverError(LibraryError):
    """Another Firnel writes this batch now."""


class Journal:
    """Writes one batch as it happens.

    Parameters
    ----------
    library : that the batch is in.
    batch : id of the batch; or the columns of the row that it is to be begun with, and the ``waiting_id`` of the one whose
        number it takes.
    clock_rate : tells how fast the clock runs, for going on after a crash.
    on_trouble : called from the writer's thread with a sentence when the library refuses, and with None when it is well again.
    spill : where what waits is kept while the library refuses.
    owner : this process.
    by_word : the batch is taken from a station that has fallen silent, because a person says so.
    aside : the batch is begun by the writer's thread, and has no number before that; ``on_trouble`` is called with None then.

    Raises
    ------
    TakenOverError : if another Firnel that is at work writes that batch.
    """

    def __init__(
        self,
        library: Library,
        batch: int | dict[str, Any],
        clock_rate: Callable[[], float],
        on_trouble: Callable[[str | None], None],
        spill: Spill | None = None,
        owner: Owner | None = None,
        by_word: bool = False,
        aside: bool = False,
    ) -> None:
        self._library, self._clock_rate, self._on_trouble = library, clock_rate, on_trouble
        self._owner, self._spill = owner or Owner.here(), spill
        self._condition = threading.Condition()
        self.key: int | None = None
        self.label = ""
        self._token = uuid4().hex
        self._seq, self._unsure = 0, False
        self._pending = Pending()
        self._status = ""  # the one handed over last
        self._closing, self._leaving = False, False
        self._nowhere = False  # what waits could not be spilled either
        self._written = threading.Event()
        if isinstance(batch, int):
            self._take_over(batch, by_word)
            self._written.set()
        elif aside:
            self._pending = Pending(birth=batch)
        else:
            self._begin(batch)
        self._thread = threading.Thread(target=self._run, name="journal", daemon=True)
        self._thread.start()

    def _take_over(self, key: int, by_word: bool) -> None:
        if not self._library.owner_book.take_over(key, self._owner, datetime.now(UTC), by_word):
            raise TakenOverError(tr("That batch is recorded by another Firnel: it cannot be gone on with here."))
        with self._library.engine.connect() as connection:
            self._seq = self._there(connection, key)
            row = connection.execute(select(batches.c.label, batches.c.token).where(batches.c.id == key)).one()
        self.key, self.label, self._token = key, row.label, row.token or self._token

    def _begin(self, birth: dict[str, Any]) -> None:
        """The number is wanted now; where the library refuses, it comes with the first write that succeeds."""
        try:
            self._write(Pending(birth=birth))
            self._written.set()
        except (LibraryError, DBAPIError) as error:
            log.warning("a batch could not be begun in the library yet: %s", error)
            self._pending = Pending(birth=birth)
            self._on_trouble(_trouble_sentence(error))

    @property
    def waits(self) -> bool:
        """Whether something that was handed over is not in the library yet."""
        return not self._written.is_set()

    def reading(self, row: ReadingRow) -> None:
        """Write one reading: log time, bean, air, controls, quality."""
        self._add(rows=(finite_row(row),))

    def marks(self, marks: Sequence[Mark]) -> None:
        """The marks as they stand now."""
        self._add(marks=tuple(marks))

    def moves_and_notes(self, moves: Sequence[Move], notes: Sequence[Note]) -> None:
        """The moves and notes as they stand now."""
        self._add(moves_and_notes=(tuple(moves), tuple(notes)))

    def correct(self, control: Control, since: float, value: float | None) -> None:
        """A control truly stood at this setting from a moment on, whatever the readings since then say. [s]"""
        self._add(corrected=(Corrected(control, since, value),))

    def strike(self, t: float) -> None:
        """The reading keyed by hand at that moment stands for nothing any more. [s of log time]"""
        self._add(corrected=(Corrected(None, t, None),))

    def status(self, status: str) -> None:
        """How far the batch is."""
        self._status = status
        self._add(status=status)

    def live(self, station: str, document: Mapping[str, Any]) -> None:
        """What those are told who watch from other stations; only the newest is kept."""
        self._add(live=(station, dict(document)))

    def results(self, values: dict[str, Any]) -> None:
        """What the scale and the colour meter say: columns of the batch's row."""
        self._add(results=values)

    def flush(self, timeout: float = 5.0) -> bool:
        """Wait until all that was handed over is in the library; False if that did not happen in time."""
        return self._written.wait(timeout)

    def close(self, timeout: float = 5.0) -> bool:
        """Nothing more comes. False if not all is in the library yet: then the thread goes on trying until it is."""
        with self._condition:
            self._closing = True
            self._condition.notify()
        self._thread.join(timeout)
        return not self._thread.is_alive() and not self.waits

    def leave(self) -> bool:
        """The program ends: what is not in the library stays in the spill. False if it could not be kept there either."""
        with self._condition:
            self._closing = self._leaving = True
            self._condition.notify()
        self._thread.join(10.0)
        return not self.waits or self._spilled(self._pending)

    def _add(self, **parts: Any) -> None:
        with self._condition:
            self._pending = self._pending.with_newer(Pending(**parts))
            self._written.clear()
            self._condition.notify()

    def _run(self) -> None:
        failures, unborn = 0, self.key is None
        while (pending := self._next(failures)) is not None:
            left, error = self._try(pending)
            with self._condition:
                self._pending = left.with_newer(self._pending)
                waits, leaving = self._pending, self._leaving
                if waits.empty:
                    self._written.set()
            if error is None:
                if failures or unborn:
                    failures, unborn = 0, False
                    self._nowhere = False
                    self._on_trouble(None)
                    if self._spill is not None:  # what came meanwhile is in no spill
                        self._spill.forget(self._token)
                continue
            failures += 1
            self._nowhere = not self._spilled(waits)
            more = f" {spill_error(self._spill)}" if self._nowhere and self._spill is not None else ""
            self._on_trouble(_trouble_sentence(error) + more)
            if leaving:
                return

    def _next(self, failures: int) -> Pending | None:
        """What is to be written next; None when the journal is at its end."""
        with self._condition:
            if failures:
                self._condition.wait_for(lambda: self._leaving, PAUSES[min(failures, len(PAUSES)) - 1])
            elif not self._closing:
                if self._pending.empty:
                    self._condition.wait(HEARTBEAT_S)
                if not self._pending.empty and self._pending.birth is None:
                    self._condition.wait_for(lambda: self._closing, PATIENCE)  # let a few readings gather
            if self._closing and self._pending.empty:
                return None
            pending, self._pending = self._pending, Pending()
            return pending

    def _try(self, pending: Pending) -> tuple[Pending, Exception | None]:
        """Write; where one part is to blame, the others are written without it. What is left, and why."""
        try:
            self._write(pending)
        except Exception as error:
            log.warning("the journal could not write: %s", error, exc_info=not isinstance(error, LibraryError))
            if isinstance(error, LibraryError) or len(pending.parts) < 2:
                return pending, error
        else:
            return Pending(), None
        left, first = Pending(), None
        for part in pending.parts:
            try:
                self._write(part)
            except Exception as error:
                log.exception("a part of the journal could not be written")
                left, first = left.with_newer(part), first or error
        return left, first

    def _write(self, pending: Pending) -> None:
        unsure, self._unsure = self._unsure, True
        with writing(self._library.engine) as connection:
            key, label = self.key, self.label
            if pending.birth is not None and key is None:
                key, label = (self._born(connection) if unsure else None) or self._bear(connection, pending.birth)
            if key is None:
                raise LibraryError(tr("The batch is not in the library yet."))
            label = self._be_heard_of(connection, key, label)
            there = max(self._there(connection, key) - self._seq, 0) if unsure else 0
            rows = pending.rows[there:]
            write_rows(connection, key, self._seq + there, rows, time.time(), self._clock_rate())
            write_state(connection, key, pending)
            if pending.status == "discarded":
                label = str(connection.execute(select(batches.c.label).where(batches.c.id == key)).scalar_one())
        self.key, self.label, self._unsure = key, label, False
        self._seq += len(pending.rows)

    def _born(self, connection: Connection) -> tuple[int, str] | None:
        """The batch, where an answer was lost on its way: the library has begun it already."""
        query = select(batches.c.id, batches.c.label).where(batches.c.token == self._token)
        row = connection.execute(query).one_or_none()
        return None if row is None else (row.id, row.label)

    def _there(self, connection: Connection, key: int) -> int:
        """How many readings of it the library has."""
        last = connection.execute(select(func.max(readings.c.seq)).where(readings.c.batch_id == key)).scalar()
        return 0 if last is None else int(last) + 1

    def _bear(self, connection: Connection, birth: dict[str, Any]) -> tuple[int, str]:
        row = birth | {"owner": self._owner.text, "seen_at": time.time(), "token": self._token}
        waiting_id = row.pop("waiting_id", None)
        number = begin_waiting(connection, waiting_id) if waiting_id is not None else None
        return insert_batch(connection, row, number, promised=number is not None)

    def _be_heard_of(self, connection: Connection, key: int, label: str) -> str:
        """It is at work on this batch, also where somebody closed it meanwhile: nobody else writes it then. Its number now."""
        heard = {"seen_at": time.time()}
        own = (batches.c.id == key) & (batches.c.owner == self._owner.text)
        if connection.execute(update(batches).where(own).values(**heard)).rowcount:
            return label
        closed = (batches.c.id == key) & (batches.c.owner == "")
        if connection.execute(update(batches).where(closed).values(owner=self._owner.text, **heard)).rowcount == 0:
            raise TakenOverError(tr("Batch {} is written by another Firnel now.", label))
        if self._status in RUNNING:
            connection.execute(update(batches).where(batches.c.id == key).values(status=self._status))
        return str(connection.execute(select(batches.c.label).where(batches.c.id == key)).scalar_one())

    @property
    def kept_nowhere(self) -> bool:
        """Whether something of the batch lies in memory only."""
        return self.waits and self._nowhere

    @property
    def kept_in(self) -> str:
        """The folder in which is kept what the library would not take."""
        return str(self._spill.lies_in(self._token)) if self._spill is not None else ""

    @property
    def in_a_refuge(self) -> bool:
        """Whether it is kept where a computer that is switched off may not have it any more."""
        return self._spill is not None and self._spill.in_a_refuge(self._token)

    def _spilled(self, pending: Pending) -> bool:
        if self._spill is None:
            return False
        return self._spill.keep(self._token, self.key, self.label, self._seq, pending)


def _trouble_sentence(error: Exception) -> str:
    if isinstance(error, TakenOverError):
        return tr("{} What this one had not written yet is kept beside the settings.", error)
    said = ""
    if isinstance(error, DBAPIError):
        said = refusal(error, tr("the library")) or ""
    why = said or (str(error) if isinstance(error, LibraryError) else tr("The library cannot be written ({}).", error))
    return tr("{} Firnel keeps the batch and writes it as soon as it can.", why)
