"""What is being worked on in a library and not kept yet: it is there again after a crash."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine, delete, insert, select

from firnel.store.tables import drafts
from firnel.store.writing import writing


class DraftBook:
    """Reads and writes drafts by name."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def read(self, name: str) -> Mapping[str, Any] | None:
        """The draft of that name; None where there is none."""
        with self._engine.connect() as connection:
            document: Mapping[str, Any] | None = connection.execute(
                select(drafts.c.document).where(drafts.c.name == name)
            ).scalar()
        return document

    def keep(self, name: str, document: Mapping[str, Any]) -> None:
        """Keep a draft in place of the one before."""
        with writing(self._engine) as connection:
            connection.execute(delete(drafts).where(drafts.c.name == name))
            connection.execute(insert(drafts).values(name=name, changed_at=datetime.now(UTC), document=dict(document)))

    def leave(self, name: str) -> None:
        """The draft was kept as what it was made for, or left on purpose."""
        with writing(self._engine) as connection:
            connection.execute(delete(drafts).where(drafts.c.name == name))
