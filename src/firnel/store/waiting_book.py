"""The batches that wait: each with its number, plan and version, lot, machine, load and place. A number is a promise."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Engine, Row, Select, func, insert, select, update

from firnel.core.plan import Plan
from firnel.core.plan_document import plan_from_document
from firnel.store.batch_rows import begin_waiting, next_number
from firnel.store.tables import lots, machines, plan_versions, plans, waiting
from firnel.store.writing import writing


@dataclass(frozen=True)
class Waiting:
    """One batch that waits: its number, the plan as it was queued, lot, machine, load [kg]; whether it is labelled, weighed."""

    id: int
    number: str
    plan: Plan
    load_kg: float | None
    lot: str
    machine: str
    lot_id: int | None
    machine_id: int | None
    printed: bool
    weighed: bool = False


class WaitingBook:
    """Reads and writes what waits in a library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Waiting]:
        """All that wait, first things first."""
        with self._engine.connect() as connection:
            return [_waiting(row) for row in connection.execute(_query().where(waiting.c.state == "waiting"))]

    def taken_out(self, limit: int = 20) -> list[Waiting]:
        """What was taken out, the latest first: it can be put back under its number."""
        query = _query().where(waiting.c.state == "out").order_by(None).order_by(waiting.c.id.desc()).limit(limit)
        with self._engine.connect() as connection:
            return [_waiting(row) for row in connection.execute(query)]

    def add(self, plan: Plan, count: int, load_kg: float | None, printed: bool = False) -> list[Waiting]:
        """Put batches of a plan, as it is now, at the end; each gets its number, for good."""
        with writing(self._engine) as connection:
            place = connection.execute(select(func.max(waiting.c.place))).scalar() or 0
            ids = connection.execute(select(plans.c.lot_id, plans.c.machine_id).where(plans.c.id == plan.id)).one()
            numbers = []
            for offset in range(count):
                numbers.append(next_number(connection))
                values: dict[str, Any] = {
                    "number": numbers[-1], "plan_id": plan.id, "plan_version": plan.version, "lot_id": ids.lot_id,
                    "machine_id": ids.machine_id, "load_kg": load_kg, "place": place + 1 + offset, "state": "waiting",
                    "printed": printed,
                }  # fmt: skip
                connection.execute(insert(waiting).values(**values))
            rows = connection.execute(_query().where(waiting.c.number.in_(numbers))).all()
        return [_waiting(row) for row in rows]

    def set_state(self, key: int, state: str) -> None:
        """Take one out (``out``) or put it back (``waiting``). Its number stays its own; no other gets a new one."""
        with writing(self._engine) as connection:
            connection.execute(update(waiting).where(waiting.c.id == key, waiting.c.state != "begun").values(state=state))

    def printed(self, keys: list[int]) -> None:
        """Labels of these were printed."""
        with writing(self._engine) as connection:
            connection.execute(update(waiting).where(waiting.c.id.in_(keys)).values(printed=True))

    def weighed(self, key: int, done: bool = True) -> None:
        """The load of one stands weighed, or does not."""
        with writing(self._engine) as connection:
            connection.execute(update(waiting).where(waiting.c.id == key).values(weighed=done))

    def begin(self, key: int) -> str | None:
        """One is begun; its number, or None where another Firnel was quicker."""
        with writing(self._engine) as connection:
            return begin_waiting(connection, key)

    def swap(self, first: int, second: int) -> None:
        """Let two change places."""
        with writing(self._engine) as connection:
            places = {key: _place(connection, key) for key in (first, second)}
            for key, other in ((first, second), (second, first)):
                connection.execute(update(waiting).where(waiting.c.id == key).values(place=places[other]))


def _place(connection: Connection, key: int) -> int:
    return int(connection.execute(select(waiting.c.place).where(waiting.c.id == key)).scalar_one())


def _query() -> Select[Any]:
    version = (plan_versions.c.plan_id == waiting.c.plan_id) & (plan_versions.c.number == waiting.c.plan_version)
    return (
        select(
            waiting, plans.c.name.label("plan_name"), plan_versions.c.document, lots.c.name.label("lot_name"),
            machines.c.name.label("machine_name"),
        )
        .join(plans, plans.c.id == waiting.c.plan_id)
        .join(plan_versions, version)
        .outerjoin(lots, lots.c.id == waiting.c.lot_id)
        .outerjoin(machines, machines.c.id == waiting.c.machine_id)
        .order_by(waiting.c.place, waiting.c.id)
    )  # fmt: skip


def _waiting(row: Row[Any]) -> Waiting:
    lot, machine = row.lot_name or "", row.machine_name or ""
    plan = plan_from_document(
        row.document, id=row.plan_id, name=row.plan_name, version=row.plan_version, lot=lot, machine=machine,
        lot_id=row.lot_id, machine_id=row.machine_id,
    )  # fmt: skip
    return Waiting(row.id, row.number, plan, row.load_kg, lot, machine, row.lot_id, row.machine_id, row.printed, row.weighed)
