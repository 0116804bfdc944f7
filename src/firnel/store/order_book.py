"""Coffees and orders of a library, and what was packed for them. What another has changed meanwhile is never overwritten."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Engine, Row, Select, Table, delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError

from firnel.core.day.coffee import Blending, Coffee, Component, Level
from firnel.core.day.need import Stock
from firnel.core.day.order import Order
from firnel.core.words import tr
from firnel.store.deeds import keep_deed
from firnel.store.rows import aware, new_key
from firnel.store.tables import batches, coffees, lots, orders, packed
from firnel.store.writing import ChangedMeanwhileError, LibraryError, writing


class OrderBook:
    """Reads and writes the coffees and orders of an engine's library."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def coffees(self) -> list[Coffee]:
        """All coffees, by name, archived ones too."""
        with self._engine.connect() as connection:
            return [_coffee(row) for row in connection.execute(select(coffees).order_by(coffees.c.name))]

    def save_coffee(self, coffee: Coffee, since: datetime) -> Coffee:
        """Add a coffee, or change the one with its id.

        Parameters
        ----------
        coffee : as it is to be; its version is the one that was read.
        since : of a new one: what was roasted before is no stock of it.

        Raises
        ------
        ChangedMeanwhileError : if another has changed it since.
        LibraryError : if its name is taken.
        """
        values = {"name": coffee.name, "document": _document(coffee), "archived": coffee.archived}
        try:
            with writing(self._engine) as connection:
                if coffee.id is None:
                    key = new_key(connection.execute(insert(coffees).values(**values, since=since)))
                else:
                    key = coffee.id
                    _change(connection, coffees, key, coffee.version, values, coffee.name)
                return _coffee(connection.execute(select(coffees).where(coffees.c.id == key)).one())
        except IntegrityError as error:
            raise LibraryError(tr("A coffee is called {!r} already.", coffee.name)) from error

    def orders(self, states: Sequence[str] = ("open",), until: date | None = None) -> list[Order]:
        """Orders in these states, the first due first; only those due up to a day, if one is given."""
        query = _orders().where(orders.c.state.in_(states)).order_by(orders.c.due, orders.c.id)
        if until is not None:
            query = query.where(orders.c.due <= until)
        with self._engine.connect() as connection:
            return [_order(row) for row in connection.execute(query)]

    def add_orders(self, wanted: Sequence[Order], now: datetime) -> list[Order]:
        """Take orders: all of them, or none.

        Raises
        ------
        LibraryError : if a coffee is not there any more.
        """
        with writing(self._engine) as connection:
            keys = []
            for order in wanted:
                coffee_id = connection.execute(select(coffees.c.id).where(coffees.c.name == order.coffee)).scalar()
                if coffee_id is None:
                    raise LibraryError(tr("No coffee is called {!r} any more.", order.coffee))
                values = _values(order) | {"coffee_id": coffee_id, "entered_at": now}
                keys.append(new_key(connection.execute(insert(orders).values(**values))))
                keep_deed(connection, tr("took an order: {}", _told(order)))
            rows = {row.id: row for row in connection.execute(_orders().where(orders.c.id.in_(keys)))}
        return [_order(rows[key]) for key in keys]

    def change_order(self, order: Order) -> Order:
        """Change the order with this id; its version is the one that was read.

        Raises
        ------
        ChangedMeanwhileError : if another has changed it since.
        """
        with writing(self._engine) as connection:
            _change(connection, orders, order.id or 0, order.version, _values(order), tr("the order of {}", order.coffee))
            keep_deed(connection, tr("changed an order: {}, {}", _told(order), order.state))
            return _order(connection.execute(_orders().where(orders.c.id == order.id)).one())

    def pack(self, order: Order, parts: Sequence[tuple[int, float]], now: datetime) -> Order:
        """Take roasted coffee off the shelf for an order, which is packed then; the order that follows it is entered.

        Parameters
        ----------
        order : that is packed.
        parts : batch ids, and how much of each. [kg]
        now : UTC.

        Raises
        ------
        ChangedMeanwhileError : if the order was packed, changed or cancelled meanwhile.
        """
        with writing(self._engine) as connection:
            values = {"state": "packed"}
            _change(connection, orders, order.id or 0, order.version, values, tr("the order of {}", order.coffee))
            for batch_id, kg in parts:
                connection.execute(insert(packed).values(batch_id=batch_id, order_id=order.id, kg=kg, at=now))
            keep_deed(connection, tr("packed an order: {}", _told(order)))
            following = order.again()
            if following is not None:
                coffee_id = connection.execute(select(orders.c.coffee_id).where(orders.c.id == order.id)).scalar_one()
                connection.execute(insert(orders).values(**_values(following), coffee_id=coffee_id, entered_at=now))
            return _order(connection.execute(_orders().where(orders.c.id == order.id)).one())

    def unpack(self, order: Order) -> Order:
        """A packed order was not: what was taken for it lies on the shelf again, and the order that followed it goes.

        Raises
        ------
        ChangedMeanwhileError : if another has changed the order meanwhile.
        LibraryError : if it is not packed.
        """
        if order.state != "packed":
            raise LibraryError(tr("The order of {} is not packed.", order.coffee))
        with writing(self._engine) as connection:
            _change(connection, orders, order.id or 0, order.version, {"state": "open"}, tr("the order of {}", order.coffee))
            connection.execute(delete(packed).where(packed.c.order_id == order.id))
            following = order.again()
            if following is not None:
                coffee_id = connection.execute(select(orders.c.coffee_id).where(orders.c.id == order.id)).scalar_one()
                same = (orders.c.coffee_id == coffee_id, orders.c.due == following.due, orders.c.kg == following.kg)
                untouched = (orders.c.customer == following.customer, orders.c.state == "open", orders.c.version == 1)
                newest = select(func.max(orders.c.id)).where(*same, *untouched, orders.c.id > (order.id or 0)).scalar_subquery()
                connection.execute(delete(orders).where(orders.c.id == newest))
            keep_deed(connection, tr("took the packing of an order back: {}", _told(order)))
            return _order(connection.execute(_orders().where(orders.c.id == order.id)).one())

    def stock(self, since: datetime) -> list[tuple[int, Stock]]:
        """Roasted coffee on the shelf with the ids of its batches, of what was roasted since then and weighed."""
        taken = select(func.coalesce(func.sum(packed.c.kg), 0.0)).where(packed.c.batch_id == batches.c.id).scalar_subquery()
        query = (
            select(
                batches.c.id, batches.c.label, batches.c.plan_id, batches.c.started, batches.c.roasted_kg, lots.c.name, taken
            )
            .join(lots, lots.c.id == batches.c.lot_id)
            .where(batches.c.started >= since, batches.c.roasted_kg.is_not(None), batches.c.left_out == "")
            .where(batches.c.status.not_in(("discarded", "ready")))
            .order_by(batches.c.started)
        )
        with self._engine.connect() as connection:
            return [
                (key, Stock(label, lot, plan, aware(started).astimezone().date(), kg - gone))
                for key, label, plan, started, kg, lot, gone in connection.execute(query)
                if kg - gone > 0.0
            ]

    def first_sold(self) -> datetime | None:
        """Since when the first coffee is sold; None where none is."""
        with self._engine.connect() as connection:
            first = connection.execute(select(func.min(coffees.c.since))).scalar()
        return aware(first) if first is not None else None


def _change(connection: Connection, table: Table, key: int, version: int, values: dict[str, Any], what: str) -> None:
    """Change a row that still has the version that was read.

    Raises
    ------
    ChangedMeanwhileError : if it has another.
    """
    same = update(table).where(table.c.id == key, table.c.version == version).values(**values, version=version + 1)
    if connection.execute(same).rowcount == 0:
        raise ChangedMeanwhileError(tr("Somebody else has changed {} meanwhile: look at it again, then decide.", what))


def _told(order: Order) -> str:
    return tr("{:g} kg of {} for {}{}", order.kg, order.coffee, order.due, f", {order.customer}" if order.customer else "")


def _values(order: Order) -> dict[str, Any]:
    return {
        "kg": order.kg, "due": order.due, "customer": order.customer, "packs": [list(pack) for pack in order.packs],
        "every_days": order.every_days, "state": order.state,
    }  # fmt: skip


def _orders() -> Select[Any]:
    return select(orders, coffees.c.name.label("coffee_name")).join(coffees, coffees.c.id == orders.c.coffee_id)


def _order(row: Row[Any]) -> Order:
    packs = tuple((int(count), float(kg)) for count, kg in row.packs)
    return Order(row.coffee_name, row.kg, row.due, row.customer, packs, row.every_days, row.state, row.id, row.version)


def _document(coffee: Coffee) -> dict[str, Any]:
    return {
        "components": [{"lot": one.lot, "share": one.share, "plans": list(one.plans)} for one in coffee.components],
        "blending": coffee.blending.value, "level": coffee.level.value, "last": coffee.last,
        "packs_kg": list(coffee.packs_kg), "ready_days": coffee.ready_days, "past_days": coffee.past_days,
    }  # fmt: skip


def _coffee(row: Row[Any]) -> Coffee:
    document = row.document
    parts = tuple(Component(one["lot"], one["share"], tuple(one["plans"])) for one in document["components"])
    coffee = Coffee(
        row.name, parts, Blending(document["blending"]), Level(document["level"]), document["last"],
        tuple(document["packs_kg"]), document["ready_days"], document["past_days"],
    )  # fmt: skip
    return replace(coffee, id=row.id, version=row.version, archived=row.archived)
