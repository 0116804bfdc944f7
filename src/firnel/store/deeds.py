"""Who did what: written in the same transaction as the deed itself."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import Connection, Engine, insert

from firnel.store.tables import deeds

#: A deed is told in so many characters at most.
MOST = 400


def sign(engine: Engine, station: str, who: str) -> None:
    """Whatever is done through this engine from now on is done by this person at this station."""
    engine.dialect.firnel_signed = (station, who)  # type: ignore[attr-defined]  # the engine's own place for it


def keep_deed(connection: Connection, what: str) -> None:
    """Write down what is done, inside the caller's transaction; of an engine that nobody has signed nothing is."""
    signed = getattr(connection.dialect, "firnel_signed", None)
    if signed is not None:
        station, who = signed
        connection.execute(insert(deeds).values(at=datetime.now(UTC), station=station, who=who, what=what[:MOST]))
