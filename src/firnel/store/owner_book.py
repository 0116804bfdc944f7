"""Who writes a batch: the Firnel that records it, one that was left behind, one that takes it over."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Engine, select, update

from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine, BatchList
from firnel.store.batch_rows import label_of
from firnel.store.deeds import keep_deed
from firnel.store.floor_book import is_away
from firnel.store.locks import Owner
from firnel.store.tables import batches
from firnel.store.writing import writing


class OwnerBook:
    """Of one library.

    Parameters
    ----------
    engine : of the library.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine, self._list = engine, BatchList(engine)

    def unowned(self, now: datetime) -> list[BatchLine]:
        """Batches that were being recorded on this computer when the Firnel that did so ended.

        Those that one still records are left out; those of another station are taken over there by a person's word.
        """
        return self._by_owner(now, owned=False, here=True)

    def busy(self, now: datetime) -> list[BatchLine]:
        """Batches that some Firnel records at present."""
        return self._by_owner(now, owned=True)

    def _by_owner(self, now: datetime, owned: bool, here: bool = False) -> list[BatchLine]:
        lines = self._list.page(BatchFilter(statuses=("ready", "roasting")))
        query = select(batches.c.id, batches.c.owner, batches.c.seen_at).where(batches.c.id.in_([line.id for line in lines]))
        with self._engine.connect() as connection:
            owners = {key: (Owner.read(text), seen_at) for key, text, seen_at in connection.execute(query)}
        found = []
        for line in lines:
            owner, seen_at = owners[line.id]
            at_work = owner is not None and owner.alive(seen_at, now.timestamp())
            elsewhere = here and owner is not None and owner.station != Owner.here().station
            if at_work == owned and not elsewhere:
                found.append(line)
        return found

    def take_over(self, key: int, owner: Owner, now: datetime, by_word: bool = False) -> bool:
        """Become the one who writes a batch; False if somebody else does, who is at work.

        By a person's word it is enough that the other station has not been heard of for a while.
        """
        with writing(self._engine) as connection:
            row = connection.execute(select(batches.c.owner, batches.c.seen_at).where(batches.c.id == key)).one_or_none()
            if row is None:
                return False
            held = Owner.read(row.owner)
            others = held is not None and held != owner and held.alive(row.seen_at, now.timestamp())
            if others and not (by_word and is_away(connection, key)):
                return False
            values = {"owner": owner.text, "seen_at": now.timestamp()}
            if others:
                keep_deed(
                    connection,
                    tr(
                        "took over batch {} from {}",
                        label_of(connection, key),
                        held.station if held is not None else tr("nobody"),
                    ),
                )
            connection.execute(update(batches).where(batches.c.id == key).values(**values))
        return True
