"""The roast journal: what happens is on disk within a second, written from a thread of its own.

The session hands over readings, and the marks, moves and notes as they stand. If the disk is full the
writer keeps everything in memory, says so, and tries again until it succeeds.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlalchemy import func, insert, select, update
from sqlalchemy.exc import DBAPIError

from firnel.core.vocabulary import Mark, Move, Note
from firnel.store.library import Library, write_marks, write_moves_and_notes
from firnel.store.tables import batches, readings

#: How long a reading may wait for company before it is written. [s]
PATIENCE = 0.3

ReadingRow = tuple[float, float | None, float | None, float | None, float | None, float | None, int]


@dataclass(frozen=True)
class _Pending:
    rows: tuple[ReadingRow, ...]
    marks: tuple[Mark, ...] | None
    moves_and_notes: tuple[tuple[Move, ...], tuple[Note, ...]] | None
    status: str | None

    @property
    def empty(self) -> bool:
        return not self.rows and self.marks is None and self.moves_and_notes is None and self.status is None


class Journal:
    """Writes one batch as it happens.

    Parameters
    ----------
    library : that the batch is in.
    key : id of the batch.
    clock_rate : tells how fast the clock runs, for going on after a crash.
    on_trouble : called from the writer's thread with a sentence when the disk refuses, and with None when it is well again.
    """

    def __init__(
        self, library: Library, key: int, clock_rate: Callable[[], float], on_trouble: Callable[[str | None], None]
    ) -> None:
        self._library, self.key, self._clock_rate, self._on_trouble = library, key, clock_rate, on_trouble
        self._condition = threading.Condition()
        self._rows: list[ReadingRow] = []
        self._marks: tuple[Mark, ...] | None = None
        self._moves_and_notes: tuple[tuple[Move, ...], tuple[Note, ...]] | None = None
        self._status: str | None = None
        self._closing = False
        self._written = threading.Event()
        self._written.set()
        with library.engine.connect() as connection:
            last = connection.execute(select(func.max(readings.c.seq)).where(readings.c.batch_id == key)).scalar()
        self._seq = 0 if last is None else last + 1
        self._thread = threading.Thread(target=self._run, name="journal", daemon=True)
        self._thread.start()

    def reading(self, row: ReadingRow) -> None:
        """Write one reading: log time, bean, air, gas, airflow, drum, quality."""
        with self._condition:
            self._rows.append(row)
            self._wake()

    def marks(self, marks: Sequence[Mark]) -> None:
        """The marks as they stand now."""
        with self._condition:
            self._marks = tuple(marks)
            self._wake()

    def moves_and_notes(self, moves: Sequence[Move], notes: Sequence[Note]) -> None:
        """The moves and notes as they stand now."""
        with self._condition:
            self._moves_and_notes = (tuple(moves), tuple(notes))
            self._wake()

    def status(self, status: str) -> None:
        """How far the batch is."""
        with self._condition:
            self._status = status
            self._wake()

    def flush(self, timeout: float = 5.0) -> bool:
        """Wait until all that was handed over is on disk; False if that did not happen in time."""
        return self._written.wait(timeout)

    def close(self, timeout: float = 5.0) -> bool:
        """Write what is left and end; False if the disk still refuses."""
        with self._condition:
            self._closing = True
            self._condition.notify()
        self._thread.join(timeout)
        return not self._thread.is_alive() and self._written.is_set()

    def _wake(self) -> None:
        self._written.clear()
        self._condition.notify()

    def _take(self) -> _Pending:
        pending = _Pending(tuple(self._rows), self._marks, self._moves_and_notes, self._status)
        self._rows, self._marks, self._moves_and_notes, self._status = [], None, None, None
        return pending

    def _give_back(self, pending: _Pending) -> None:
        """What could not be written goes back in front; newer marks and moves have the last word."""
        self._rows = [*pending.rows, *self._rows]
        if self._marks is None:
            self._marks = pending.marks
        if self._moves_and_notes is None:
            self._moves_and_notes = pending.moves_and_notes
        self._status = self._status or pending.status

    def _run(self) -> None:
        trouble = False
        while True:
            with self._condition:
                while self._written.is_set() and not self._closing:
                    self._condition.wait()
                if not self._closing:
                    self._condition.wait(PATIENCE)  # let a few readings gather
                pending, closing = self._take(), self._closing
            try:
                if not pending.empty:
                    self._write(pending)
            except DBAPIError as error:
                trouble = True
                with self._condition:
                    self._give_back(pending)
                self._on_trouble(_trouble_sentence(error))
                if closing:
                    return
                time.sleep(0.5)
                continue
            if trouble:
                trouble = False
                self._on_trouble(None)
            with self._condition:
                if not self._rows and self._marks is None and self._moves_and_notes is None and self._status is None:
                    self._written.set()
                    if closing:
                        return

    def _write(self, pending: _Pending) -> None:
        with self._library.engine.begin() as connection:
            if pending.rows:
                names = ("t", "bean", "air", "gas", "airflow", "drum", "quality")
                rows = [
                    {"batch_id": self.key, "seq": self._seq + offset, **dict(zip(names, row, strict=True))}
                    for offset, row in enumerate(pending.rows)
                ]
                connection.execute(insert(readings), rows)
                where = {"last_t": pending.rows[-1][0], "last_wall": time.time(), "clock_rate": self._clock_rate()}
                connection.execute(update(batches).where(batches.c.id == self.key).values(**where))
            if pending.marks is not None:
                write_marks(connection, self.key, pending.marks)
            if pending.moves_and_notes is not None:
                write_moves_and_notes(connection, self.key, *pending.moves_and_notes)
            if pending.status is not None:
                connection.execute(update(batches).where(batches.c.id == self.key).values(status=pending.status))
        self._seq += len(pending.rows)


def _trouble_sentence(error: DBAPIError) -> str:
    said = str(error.orig)
    if "full" in said:
        return "The disk is full. Firnel keeps the batch in memory and writes it as soon as there is room: free some space now."
    if "locked" in said:
        return "Another program locks the library. Firnel keeps the batch in memory and writes it as soon as it can."
    return f"The library cannot be written ({said}). Firnel keeps the batch in memory and tries again."
