"""The plans of a library: each with all its versions, and which batches were roasted by which."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, Engine, Row, Select, func, insert, select

from firnel.core.plan import Plan
from firnel.core.plan_document import plan_from_document, plan_to_document
from firnel.core.words import tr
from firnel.store.deeds import keep_deed
from firnel.store.rows import aware, upsert
from firnel.store.tables import batches, lots, machines, plan_versions, plans
from firnel.store.writing import ChangedMeanwhileError, writing

#: What may change in a plan without making a new version of it: the drawn curve follows from the rest.
NOT_A_CHANGE = ("name", "curve", "course")
#: Of so many batches that a version made the labels are told.
LAST = 4


@dataclass(frozen=True)
class PlanVersion:
    """One version of a plan: its number, when and why it was saved; how many batches it made, the last labels, oldest first."""

    number: int
    saved_at: datetime
    why: str
    plan: Plan
    count: int
    last: tuple[str, ...]


class PlanBook:
    """Reads and writes the plans of an engine's library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Plan]:
        """All plans, by name, each in its newest version."""
        with self._engine.connect() as connection:
            return [_plan(row) for row in connection.execute(_query().order_by(plans.c.name))]

    def save(self, plan: Plan, why: str = "", since: int | None = None, at: datetime | None = None) -> Plan:
        """Add a plan, or a new version of the one with its id; what changes nothing but its name makes no version.

        Parameters
        ----------
        plan : with its id if it is kept already.
        why : the roaster's reason for the change, in words.
        since : the version that was read before: then another that came meanwhile is not gone over unseen.
        at : when this version was made; now if None.

        Raises
        ------
        ChangedMeanwhileError : if there is a newer version than ``since``; nothing is kept then.
        """
        document = plan_to_document(plan)
        with writing(self._engine) as connection:
            known = None
            if plan.id is not None:
                # On a server the row is held until this transaction ends: two that save at once get a version each.
                held = select(plans.c.document, plans.c.version).where(plans.c.id == plan.id).with_for_update()
                known = connection.execute(held).one_or_none()
            if known is not None and since is not None and known.version > since:
                said = tr(
                    "Somebody else has kept version {} of {} meanwhile: look at it in its versions.", known.version, plan.name
                )
                again = tr("Keep again and yours becomes version {}.", known.version + 1)
                raise ChangedMeanwhileError(f"{said} {again}", known.version)
            changed = known is None or _substance(known.document) != _substance(document)
            version = 1 if known is None else known.version + changed
            key = upsert(connection, plans, plan.id, {
                "name": plan.name,
                "lot_id": _key_of(connection, lots, plan.lot_id, plan.lot),
                "machine_id": _key_of(connection, machines, plan.machine_id, plan.machine),
                "document": document,
                "version": version,
                "archived": plan.archived,
            })  # fmt: skip
            if changed:
                keep_deed(connection, tr("kept version {} of the plan {}{}", version, plan.name, f": {why}" if why else ""))
                connection.execute(
                    insert(plan_versions).values(
                        plan_id=key, number=version, saved_at=at or datetime.now(UTC), why=why, document=document
                    )
                )
            return _plan(connection.execute(_query().where(plans.c.id == key)).one())

    def versions(self, key: int) -> list[PlanVersion]:
        """All versions of a plan, the newest first."""
        query = select(plan_versions).where(plan_versions.c.plan_id == key).order_by(plan_versions.c.number.desc())
        own = batches.c.plan_id == key
        counted = select(batches.c.plan_version, func.count()).where(own).group_by(batches.c.plan_version)
        with self._engine.connect() as connection:
            counts, last = Counter[int](), dict[int, list[tuple[datetime, str]]]()
            for version, count in connection.execute(counted):
                counts[version or 1] += count
                newest = select(batches.c.started, batches.c.label).where(own, batches.c.plan_version == version)
                found = connection.execute(newest.order_by(batches.c.started.desc()).limit(LAST))
                last[version or 1] = sorted([*last.get(version or 1, []), *((row.started, row.label) for row in found)])
            return [
                PlanVersion(
                    row.number, aware(row.saved_at), row.why, plan_from_document(row.document, id=key, version=row.number),
                    counts[row.number], tuple(label for _, label in last.get(row.number, [])[-LAST:]),
                )
                for row in connection.execute(query)
            ]  # fmt: skip

    def used_by(self, batch_key: int) -> Plan | None:
        """The plan of a batch as it was when the batch was begun; None if it had none."""
        query = (
            select(plan_versions.c.document, plan_versions.c.number, batches.c.plan_id)
            .join(plan_versions, plan_versions.c.plan_id == batches.c.plan_id)
            .where(batches.c.id == batch_key, plan_versions.c.number == batches.c.plan_version)
        )
        with self._engine.connect() as connection:
            row = connection.execute(query).one_or_none()
        return None if row is None else plan_from_document(row.document, id=row.plan_id, version=row.number)


def _key_of(connection: Connection, table: Any, key: int | None, name: str) -> int | None:
    """The lot or machine of a plan: by its key, or, where the plan comes from elsewhere, by its name."""
    if key is not None and connection.execute(select(table.c.id).where(table.c.id == key)).scalar() is not None:
        return key
    found: int | None = connection.execute(select(table.c.id).where(table.c.name == name)).scalar()
    return found


def _query() -> Select[Any]:
    return (
        select(plans, lots.c.name.label("lot_name"), machines.c.name.label("machine_name"))
        .outerjoin(lots, plans.c.lot_id == lots.c.id)
        .outerjoin(machines, plans.c.machine_id == machines.c.id)
    )


def _substance(document: dict[str, Any]) -> dict[str, Any]:
    """A document without what is no change, and with what an older one left out."""
    full = plan_to_document(plan_from_document(document))
    return {name: value for name, value in full.items() if name not in NOT_A_CHANGE}


def _plan(row: Row[Any]) -> Plan:
    return plan_from_document(
        row.document, id=row.id, name=row.name, lot=row.lot_name or "", machine=row.machine_name or "", version=row.version,
        lot_id=row.lot_id, machine_id=row.machine_id, archived=row.archived,
    )  # fmt: skip
