"""What was spilled beside the settings is brought into the library again, once nobody writes those batches any more."""

from __future__ import annotations

import logging
from collections.abc import Collection
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import Connection, delete, select

from firnel.core.words import tr
from firnel.store.batch_rows import (
    begin_waiting,
    insert_batch,
    refresh_search,
)
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.pending import RUNNING, Pending, row_of, write_rows, write_state
from firnel.store.rows import insert_many
from firnel.store.spill import Spilled, spilled_in
from firnel.store.tables import batches, readings
from firnel.store.writing import writing

log = logging.getLogger(__name__)

#: Readings of two stations no further apart are one. [s]
SAME_S = 0.25


def recover(library: Library, folder: Path, now: float, at_work: Collection[str] = ()) -> list[str]:
    """Bring in what lies in a folder for this library; a sentence for each batch, also for those that have to wait.

    Parameters
    ----------
    library : that refused it before.
    folder : beside the settings, or a refuge.
    now : time of day. [s of the epoch]
    at_work : batches that this process writes now, by their tokens.

    Raises
    ------
    LibraryError : if the library still refuses; all files stay then.
    """
    waiting, said = list(spilled_in(folder)), []
    identity = library.identity if waiting else ""
    for spilled in waiting:
        owner = Owner.read(spilled.process)
        if (
            spilled.library != identity
            or spilled.token in at_work
            or (owner is not None and owner != Owner.here() and owner.alive(None, now))
        ):
            continue
        with writing(library.engine) as connection:
            label = _bring_in(connection, spilled)
        if label == "":
            continue  # another station still roasts it: when that is done
        if label is None:
            said.append(tr("{} holds readings of a batch that is not in this library; it was left there.", spilled.path))
            continue
        spilled.path.unlink(missing_ok=True)
        log.info("spill %s brought in", spilled.path.name)
        said.append(tr("Batch {}: what the library would not take before is in it now.", label))
    return said


def _bring_in(connection: Connection, spilled: Spilled) -> str | None:
    pending = spilled.pending
    query = select(batches.c.id, batches.c.seen_at, batches.c.label, batches.c.clock_rate, batches.c.status)
    row = connection.execute(query.where(batches.c.token == spilled.token)).one_or_none()
    if row is None and pending.birth is not None:
        birth: dict[str, Any] = pending.birth | {"token": spilled.token}
        waiting_id = birth.pop("waiting_id", None)
        number = begin_waiting(connection, waiting_id) if waiting_id is not None else None
        key, _ = insert_batch(connection, birth, number, promised=number is not None)
        row = connection.execute(query.where(batches.c.id == key)).one()
    elif row is None and spilled.key is not None:
        row = connection.execute(query.where(batches.c.id == spilled.key, batches.c.label == spilled.label)).one_or_none()
    if row is None:
        return None
    key = row.id
    later = select(readings.c.t).where(readings.c.batch_id == key, readings.c.seq >= spilled.seq).order_by(readings.c.seq)
    there = connection.execute(later).scalars().all()
    if any(abs(t - one[0]) > 1e-6 for t, one in zip(there, pending.rows, strict=False)):  # another station has gone on with it
        if row.status in RUNNING:
            return ""
        _fill_in(connection, key, pending)
        return str(row.label)
    skipped = min(len(there), len(pending.rows))  # the library has these
    rate = 1.0 if row.clock_rate is None else row.clock_rate
    write_rows(connection, key, spilled.seq + skipped, pending.rows[skipped:], spilled.at, rate)
    if row.seen_at is None or row.seen_at <= spilled.at:  # else the library took newer ones afterwards
        write_state(connection, key, pending)
    refresh_search(connection, key)
    return str(row.label)


def _fill_in(connection: Connection, key: int, pending: Pending) -> None:
    """Of a batch that another station has gone on with: only what that one did not see goes in, in its place by time."""
    table = readings.c
    there = connection.execute(select(readings).where(table.batch_id == key).order_by(table.seq)).mappings().all()
    seen = np.array([row["t"] for row in there], dtype=float)
    missing = [row for row in pending.rows if not seen.size or float(np.abs(seen - row[0]).min()) > SAME_S]
    if not missing:
        return
    rows = [dict(row) for row in there] + [row_of(key, 0, row) for row in missing]
    rows.sort(key=lambda row: float(row["t"]))
    connection.execute(delete(readings).where(table.batch_id == key))
    insert_many(connection, readings, [row | {"seq": place} for place, row in enumerate(rows)])
