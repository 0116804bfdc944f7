"""The list of batches: which ones, in which order, page by page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, Select, func, select

from firnel.core.vocabulary import MarkKind
from firnel.store.rows import aware
from firnel.store.tables import batches, lots, machines, marks, plans
from firnel.store.writing import sound


@dataclass(frozen=True)
class BatchFilter:
    """Which batches a list shows; empty fields let all through. ``since`` and ``until`` are UTC."""

    text: str = ""
    lot_id: int | None = None
    machine_id: int | None = None
    since: datetime | None = None
    until: datetime | None = None
    statuses: tuple[str, ...] = ()
    counting: bool = False  #: only those that are not left out of charts and fits
    ground: tuple[float, float] | None = None  #: ground colour above the first and up to the second
    due: bool = False  #: only those that still wait for a weight or a colour
    order: str = "started"
    descending: bool = True


@dataclass(frozen=True)
class BatchLine:
    """One line of the list of batches."""

    id: int
    label: str
    started: datetime
    lot: str
    machine: str
    plan: str
    status: str
    load_kg: float | None
    roasted_kg: float | None
    colour_ground: float | None
    drying_s: float | None
    browning_s: float | None
    development_s: float | None
    total_s: float | None
    drop_c: float | None
    colour_whole: float | None = None
    room_c: float | None = None
    operator: str = ""
    left_out: str = ""
    lot_id: int | None = None
    machine_id: int | None = None
    plan_id: int | None = None
    tags: str = ""
    declined: str = ""
    events: str | None = None

    @property
    def loss(self) -> float | None:
        """Weight loss [0..1]; None until weighed."""
        if not self.load_kg or self.roasted_kg is None:
            return None
        return 1.0 - self.roasted_kg / self.load_kg


#: Where a page of the list ended: the next one begins after it.
PageEnd = tuple[datetime, int]


class BatchList:
    """Reads the list of one library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def page(self, wanted: BatchFilter, after: PageEnd | None = None, limit: int = 200, offset: int = 0) -> list[BatchLine]:
        """One page of the list, newest first, from behind ``after`` on; in another order from ``offset`` on."""
        query = _filtered(
            select(
                batches.c.id, batches.c.label, batches.c.started, lots.c.name, machines.c.name, plans.c.name, batches.c.status,
                batches.c.load_kg, batches.c.roasted_kg, batches.c.colour_ground, batches.c.drying_s, batches.c.browning_s,
                batches.c.development_s, batches.c.total_s, batches.c.drop_c, batches.c.colour_whole, batches.c.room_c,
                batches.c.operator, batches.c.left_out, batches.c.lot_id, batches.c.machine_id, batches.c.plan_id,
                batches.c.tags, batches.c.declined, batches.c.events,
            )
            .outerjoin(lots, batches.c.lot_id == lots.c.id)
            .outerjoin(machines, batches.c.machine_id == machines.c.id)
            .outerjoin(plans, batches.c.plan_id == plans.c.id),
            wanted,
        )  # fmt: skip
        if after is not None:
            started, key = after
            query = query.where((batches.c.started < started) | ((batches.c.started == started) & (batches.c.id < key)))
        query = query.order_by(*_order(wanted)).limit(limit).offset(offset)
        with self._engine.connect() as connection, sound(self._engine):
            return [
                BatchLine(row[0], row[1], aware(row[2]), row[3] or "", row[4] or "", row[5] or "", *row[6:])
                for row in connection.execute(query)
            ]

    def courses(self, keys: Sequence[int]) -> dict[int, tuple[tuple[float, float], ...]]:
        """The marks of batches that have a reading, as seconds from the charge and °C, by batch: a small curve in a list."""
        query = select(marks.c.batch_id, marks.c.kind, marks.c.t, marks.c.bean)
        query = query.where(marks.c.batch_id.in_(list(keys)), marks.c.bean.is_not(None)).order_by(marks.c.t)
        found: dict[int, list[tuple[str, float, float]]] = {}
        with self._engine.connect() as connection:
            for key, kind, t, bean in connection.execute(query):
                found.setdefault(key, []).append((kind, t, bean))
        courses = {}
        for key, course in found.items():
            zero = next((t for kind, t, _ in course if kind == MarkKind.CHARGE.value), None)
            if zero is not None:
                courses[key] = tuple((t - zero, bean) for _, t, bean in course)
        return courses

    def loads(self, machine_id: int, limit: int) -> list[tuple[datetime, float]]:
        """When the newest batches of a machine were roasted, and what was charged; the newest first. [kg]"""
        query = select(batches.c.started, batches.c.load_kg).where(
            batches.c.machine_id == machine_id, batches.c.status.in_(("done", "dropped"))
        )
        with self._engine.connect() as connection:
            found = connection.execute(query.order_by(batches.c.started.desc()).limit(limit))
            return [(aware(row.started), row.load_kg or 0.0) for row in found]

    def labels(self, keys: Sequence[int]) -> dict[int, str]:
        """The labels of batches by id, as far as they are there."""
        query = select(batches.c.id, batches.c.label).where(batches.c.id.in_(list(keys)))
        with self._engine.connect() as connection:
            return {row.id: row.label for row in connection.execute(query)}

    def plans(self, keys: Sequence[int]) -> dict[int, str]:
        """The names of the plans that batches were roasted by, by id; empty without one."""
        query = select(batches.c.id, plans.c.name).outerjoin(plans, batches.c.plan_id == plans.c.id)
        with self._engine.connect() as connection:
            return {key: name or "" for key, name in connection.execute(query.where(batches.c.id.in_(list(keys))))}

    def count(self, wanted: BatchFilter) -> int:
        """How many batches the filter lets through."""
        with self._engine.connect() as connection:
            return int(connection.execute(_filtered(select(func.count()).select_from(batches), wanted)).scalar_one())


#: What the list can be put in order by, besides the columns of the table.
_ORDERS = {
    "lot": lots.c.name, "machine": machines.c.name, "plan": plans.c.name,
    "loss": batches.c.roasted_kg / batches.c.load_kg, "ratio": batches.c.development_s / batches.c.total_s,
}  # fmt: skip


def _order(wanted: BatchFilter) -> tuple[Any, ...]:
    """Empty ones last, whichever way; equal ones by time."""
    column = _ORDERS[wanted.order] if wanted.order in _ORDERS else batches.c[wanted.order]
    descending = wanted.descending != (wanted.order == "loss")  # a larger share left is a smaller loss
    by = column.desc() if descending else column.asc()
    newest = (batches.c.started.desc(), batches.c.id.desc()) if wanted.descending else (batches.c.started, batches.c.id)
    return newest if wanted.order == "started" else (column.is_(None), by, *newest)


def _filtered(query: Select[Any], wanted: BatchFilter) -> Select[Any]:
    for word in wanted.text.lower().split():
        query = query.where(batches.c.search_text.contains(word, autoescape=True))
    if wanted.lot_id is not None:
        query = query.where(batches.c.lot_id == wanted.lot_id)
    if wanted.machine_id is not None:
        query = query.where(batches.c.machine_id == wanted.machine_id)
    if wanted.since is not None:
        query = query.where(batches.c.started >= wanted.since)
    if wanted.until is not None:
        query = query.where(batches.c.started < wanted.until)
    if wanted.ground is not None:
        query = query.where(batches.c.colour_ground > wanted.ground[0], batches.c.colour_ground <= wanted.ground[1])
    if wanted.due:
        unweighed = batches.c.roasted_kg.is_(None) & ~batches.c.declined.contains("weight")
        unseen = batches.c.colour_ground.is_(None) & batches.c.colour_whole.is_(None) & ~batches.c.declined.contains("colour")
        query = query.where(batches.c.status == "dropped", batches.c.left_out == "", unweighed | unseen)
    if wanted.counting:
        query = query.where(batches.c.left_out == "")
    if wanted.statuses:
        query = query.where(batches.c.status.in_(wanted.statuses))
    return query
