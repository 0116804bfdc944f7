"""The lots of a library: what is on hand, and what was measured of each over time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, Engine, Row, func, insert, select, update

from firnel.core.vocabulary import Lot
from firnel.core.words import tr
from firnel.store.deeds import keep_deed
from firnel.store.rows import aware, upsert
from firnel.store.tables import batches, lots, measurements, parts
from firnel.store.writing import ChangedMeanwhileError, writing

#: Batches that have charged nothing.
NOTHING_CHARGED = ("ready", "discarded")


@dataclass(frozen=True)
class Measurement:
    """One measurement of a lot: kind (density, moisture, water_activity, screens, defects), when, and its figures."""

    kind: str
    taken_at: datetime
    document: Mapping[str, Any]
    id: int | None = None


class LotBook:
    """Reads and writes the lots of an engine's library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Lot]:
        """All lots, by name; on hand is what was counted less what was charged since."""
        since = (batches.c.started > lots.c.counted_at, batches.c.status.not_in(NOTHING_CHARGED))
        blended = select(parts.c.batch_id).where(parts.c.batch_id == batches.c.id).exists()
        whole = select(func.coalesce(func.sum(batches.c.load_kg), 0.0)).where(batches.c.lot_id == lots.c.id, *since, ~blended)
        of_blends = (
            select(func.coalesce(func.sum(batches.c.load_kg * parts.c.share), 0.0))
            .where(parts.c.lot_id == lots.c.id, parts.c.batch_id == batches.c.id, *since)
            .correlate(lots)
        )
        charged = whole.scalar_subquery() + of_blends.scalar_subquery()
        with self._engine.connect() as connection:
            return [_lot(row) for row in connection.execute(select(lots, charged.label("charged")).order_by(lots.c.name))]

    def save(self, lot: Lot, since: Lot | None = None) -> Lot:
        """Add a lot, or change the one with its id. A name that is taken belongs to that lot: it is returned unchanged.

        What is on hand of a new lot counts as counted now; of a known one it is changed only by `count`.

        Parameters
        ----------
        lot : as it is to be.
        since : as it was read before: then only what differs is changed, and what another has changed meanwhile stays.

        Raises
        ------
        ChangedMeanwhileError : if another has changed the same of it since; nothing is changed then.
        """
        with writing(self._engine) as connection:
            key = (
                self.save_in(connection, lot) if since is None or lot.id is None else _save_what_differs(connection, lot, since)
            )
        return next(saved for saved in self.all() if saved.id == key)

    def save_in(self, connection: Connection, lot: Lot) -> int:
        """`save` inside the caller's transaction; returns the key."""
        values = {key: value for key, value in asdict(lot).items() if key not in ("id", "on_hand_kg")}
        if lot.id is None:
            counted = datetime.now(UTC) if lot.on_hand_kg is not None else None
            values |= {"on_hand_kg": lot.on_hand_kg, "counted_at": counted}
        taken = connection.execute(select(lots.c.id).where(lots.c.name == lot.name)).scalar()
        if taken is None or taken == lot.id:
            keep_deed(connection, tr("{} the lot {}", tr("changed") if lot.id is not None else tr("added"), lot.name))
        return int(taken) if taken is not None and taken != lot.id else upsert(connection, lots, lot.id, values)

    def fill_in(self, connection: Connection, lot: Lot) -> int:
        """`save_in`; of a lot that has its name only what nobody has told yet is filled in."""
        row = connection.execute(select(lots).where(lots.c.name == lot.name)).one_or_none()
        if row is None:
            return self.save_in(connection, lot)
        told = {name: value for name, value in asdict(lot).items() if name not in ("id", "on_hand_kg") and value}
        fresh = {name: value for name, value in told.items() if row._mapping[name] in (None, "")}
        if fresh:
            connection.execute(update(lots).where(lots.c.id == row.id).values(**fresh))
            keep_deed(connection, tr("{} the lot {}", tr("changed"), lot.name))
        return int(row.id)

    def count(self, key: int, kg: float, at: datetime | None = None) -> None:
        """Stocktake: so many kilograms are there at a moment (now).

        Raises
        ------
        ValueError : if less than nothing is there.
        """
        if kg < 0:
            raise ValueError(tr("{:g} kg on hand cannot be: a stocktake finds nothing, or something.", kg))
        with writing(self._engine) as connection:
            values = {"on_hand_kg": kg, "counted_at": (at or datetime.now(UTC)).astimezone(UTC)}
            connection.execute(update(lots).where(lots.c.id == key).values(**values))
            keep_deed(connection, tr("counted {:g} kg of {}", kg, _name(connection, key)))

    def measurements(self, key: int, struck: bool = False) -> list[Measurement]:
        """What was measured of a lot, oldest first; or what of it was taken away."""
        query = select(measurements).where(measurements.c.lot_id == key, measurements.c.struck == struck)
        query = query.order_by(measurements.c.taken_at, measurements.c.id)
        with self._engine.connect() as connection:
            return [Measurement(row.kind, aware(row.taken_at), row.document, row.id) for row in connection.execute(query)]

    def add_measurement(self, key: int, measurement: Measurement, summary: Mapping[str, float | None]) -> int:
        """Keep a measurement, and what follows from it for the lot (``density_g_per_l`` and the like)."""
        with writing(self._engine) as connection:
            values = {
                "lot_id": key,
                "taken_at": measurement.taken_at.astimezone(UTC),
                "kind": measurement.kind,
                "document": dict(measurement.document),
            }
            made = connection.execute(insert(measurements).values(**values)).inserted_primary_key
            if summary:
                connection.execute(update(lots).where(lots.c.id == key).values(**summary))
            keep_deed(connection, tr("measured the {} of {}", measurement.kind.replace("_", " "), _name(connection, key)))
        return int(made[0]) if made is not None else 0

    def strike(self, key: int, struck: bool, summary: Mapping[str, float | None]) -> None:
        """Take a measurement away, or bring it back; ``summary`` is what follows for the lot from those that are left."""
        with writing(self._engine) as connection:
            lot_id = connection.execute(select(measurements.c.lot_id).where(measurements.c.id == key)).scalar_one()
            connection.execute(update(measurements).where(measurements.c.id == key).values(struck=struck))
            if summary:
                connection.execute(update(lots).where(lots.c.id == lot_id).values(**summary))


def _save_what_differs(connection: Connection, lot: Lot, since: Lot) -> int:
    """Change only what a hand has changed, and only where it still stands as it was read."""
    now = connection.execute(select(lots).where(lots.c.id == lot.id).with_for_update()).one()
    kept = {name: value for name, value in asdict(lot).items() if name not in ("id", "on_hand_kg")}
    changed = {name: value for name, value in kept.items() if value != getattr(since, name)}
    for name, value in changed.items():
        there = getattr(now, name)
        if there not in (getattr(since, name), value):
            what = name.replace("_", " ")
            raise ChangedMeanwhileError(
                tr("Somebody else has changed the {} of {} meanwhile to {}: look at it again.", what, since.name, there)
            )
    if changed.get("name") and connection.execute(select(lots.c.id).where(lots.c.name == lot.name)).scalar() is not None:
        changed.pop("name")  # it belongs to another lot
    if changed:
        connection.execute(update(lots).where(lots.c.id == lot.id).values(**changed))
        told = ", ".join(
            f"{name.replace('_', ' ')} {(tr('none') if value in (None, '') else value)}" for name, value in changed.items()
        )
        keep_deed(connection, tr("changed the lot {}: {}", since.name, told))
    return now.id  # type: ignore[no-any-return]  # of a row


def _name(connection: Connection, key: int) -> str:
    return str(connection.execute(select(lots.c.name).where(lots.c.id == key)).scalar_one())


def _lot(row: Row[Any]) -> Lot:
    values = dict(row._mapping)
    charged = values.pop("charged")
    del values["counted_at"]
    if values["on_hand_kg"] is not None:
        values["on_hand_kg"] = max(round(values["on_hand_kg"] - charged, 6), 0.0)
    return Lot(**values)
