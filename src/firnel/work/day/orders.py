"""Coffees that are sold and orders for them: typed, pasted, read from a table, changed, packed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from firnel.core.day.coffee import Blending, Coffee, CoffeeError, Component, GreenFacts, Level, Rest, check_coffee, misfits
from firnel.core.day.need import Stock
from firnel.core.day.order import Order, OrderError, check_order, day_in, order_from_line
from firnel.core.words import tr
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.table_rows import table_rows
from firnel.store.library import Library
from firnel.store.writing import ChangedMeanwhileError, LibraryError

__all__ = [
    "Blending",
    "ChangedMeanwhileError",
    "Coffee",
    "CoffeeError",
    "Component",
    "ImportRefusedError",
    "Level",
    "LibraryError",
    "Order",
    "OrderError",
    "Rest",
    "Stock",
    "add_lines",
    "cancel",
    "change",
    "coffees",
    "keep_coffee",
    "misfits_of",
    "names_of_green_blends",
    "open_orders",
    "pack",
    "read_orders",
    "stock_of",
    "take_again",
    "take_in_orders",
]

#: Headings of a table of orders, as people write them.
HEADINGS = {
    "coffee": ("coffee", "product", "item", "name"),
    "kg": ("kg", "weight", "weight kg", "roasted kg", "amount"),
    "packs": ("packs", "count", "quantity", "qty", "pieces"),
    "pack": ("pack", "pack g", "pack kg", "size"),
    "due": ("due", "date", "day", "for when", "ship"),
    "customer": ("customer", "for", "client", "for whom"),
}


def coffees(library: Library) -> list[Coffee]:
    """All coffees that are sold, by name."""
    return [coffee for coffee in library.order_book.coffees() if not coffee.archived]


def keep_coffee(library: Library, coffee: Coffee, now: datetime | None = None) -> Coffee:
    """Add a coffee, or change the one with its id; its lots and plans must be in the library.

    Raises
    ------
    CoffeeError : if it makes no sense, or names what is not there.
    ChangedMeanwhileError : if another has changed it since it was read.
    """
    check_coffee(coffee)
    lots = {lot.name for lot in library.lots()}
    plans = {plan.id: plan for plan in library.plans()}
    for part in coffee.components:
        if part.lot not in lots:
            raise CoffeeError(tr("{} is to be of {!r}, which is no lot of this library.", coffee.name, part.lot))
        for key in part.plans:
            if key not in plans:
                raise CoffeeError(tr("{} goes by a plan that is not kept any more (number {}).", coffee.name, key))
            if plans[key].machine_id is None:
                raise CoffeeError(tr("the plan {!r} is for no machine: a coffee needs one that says where.", plans[key].name))
    return library.order_book.save_coffee(coffee, now or datetime.now(UTC))


def misfits_of(library: Library, coffee: Coffee) -> list[str]:
    """What of its lots does not go together in one drum, in sentences."""
    lots = {lot.name: lot for lot in library.lots()}
    known = [lots[part.lot] for part in coffee.components if part.lot in lots]
    return misfits(coffee, [GreenFacts(lot.name, lot.moisture, lot.density_g_per_l, lot.mean_mm, lot.process) for lot in known])


def open_orders(library: Library, until: date | None = None) -> list[Order]:
    """Orders that are open, the first due first."""
    return library.order_book.orders(("open",), until)


def packed_orders(library: Library) -> list[Order]:
    """Orders that were packed."""
    return library.order_book.orders(("packed",))


def read_orders(library: Library, text: str, today: date) -> list[Order]:
    """Orders as they are typed or pasted, one a line, without taking them.

    Raises
    ------
    OrderError : on the first line that is not understood, with its number where there are several.
    """
    sold, found = coffees(library), []
    lines = [line for line in text.splitlines() if line.strip()]
    for number, line in enumerate(lines, 1):
        try:
            found.append(order_from_line(line, sold, today))
        except OrderError as error:
            raise OrderError(str(error) if len(lines) == 1 else tr("Line {}: {} Nothing was taken.", number, error)) from error
    if not found:
        order_from_line("", sold, today)
    return found


def add_lines(library: Library, text: str, today: date) -> list[Order]:
    """Take orders as they are typed or pasted: all of them, or none.

    Raises
    ------
    OrderError : on the first line that is not understood.
    """
    return library.order_book.add_orders(read_orders(library, text, today), datetime.now(UTC))


def take_in_orders(library: Library, path: Path, today: date) -> list[Order]:
    """Take orders from a CSV or XLSX table: coffee, kg (or packs and pack), due, customer; or one line of words in each row.

    Raises
    ------
    ImportRefusedError : if it is no table, or a row is not understood: then nothing is taken.
    """
    rows = table_rows(path)
    columns = _columns(rows[0])
    if "coffee" not in columns:
        text = "\n".join(" ".join(str(cell) for cell in row if cell not in (None, "")) for row in rows)
        try:
            return add_lines(library, text, today)
        except OrderError as error:
            raise ImportRefusedError(f"{path.name}: {error}") from error
    sold, found = coffees(library), []
    for number, row in enumerate(rows[1:], 2):
        cells = {name: row[at] for name, at in columns.items() if at < len(row) and row[at] not in (None, "")}
        if not cells:
            continue
        try:
            found.append(_order_of(cells, sold, today))
        except (OrderError, ValueError) as error:
            raise ImportRefusedError(tr("{}, row {}: {} Nothing was taken.", path.name, number, error)) from error
    return library.order_book.add_orders(found, datetime.now(UTC))


def change(library: Library, order: Order, today: date) -> Order:
    """Change an open order.

    Raises
    ------
    OrderError : if it cannot be so.
    ChangedMeanwhileError : if another has changed it since it was read.
    """
    return library.order_book.change_order(check_order(order, today))


def cancel(library: Library, order: Order) -> Order:
    """An order is not wanted any more; it stays in the record."""
    return library.order_book.change_order(replace(order, state="cancelled"))


def take_again(library: Library, order: Order) -> Order:
    """A cancelled order is wanted after all."""
    return library.order_book.change_order(replace(order, state="open"))


def stock_of(library: Library) -> list[tuple[int, Stock]]:
    """Roasted coffee on the shelf with the ids of its batches, since the first coffee was sold.

    A batch of green that was blended before the roast is of no single lot: it goes under the name of its coffee.
    """
    since = library.order_book.first_sold()
    if since is None:
        return []
    named = names_of_green_blends(coffees(library))
    return [(key, replace(one, lot=named.get(one.plan or 0, one.lot))) for key, one in library.order_book.stock(since)]


def names_of_green_blends(sold: Sequence[Coffee]) -> dict[int, str]:
    """The coffee of each plan by which green is roasted that was blended before."""
    return {key: one.name for one in sold if one.blend and one.blending is Blending.GREEN for key in one.components[0].plans}


def pack(library: Library, order: Order, day: date, fresh_too: bool = True) -> Order:
    """Pack an order from the shelf, the oldest that is not past first.

    Raises
    ------
    OrderError : if there is not enough of it; nothing is taken then.
    ChangedMeanwhileError : if another has packed it meanwhile.
    """
    from firnel.core.day.need import needs_of

    known = {coffee.name: coffee for coffee in coffees(library)}
    stock = stock_of(library)
    keys = {id(one): key for key, one in stock}
    missing, taken = needs_of([order], known, [one for _, one in stock], day, fresh_too)
    if missing:
        lacks = tr(" and ").join(tr("{:.2f} kg of {}", need.kg, need.lot) for need in missing)
        raise OrderError(tr("{} cannot be packed yet: {} is not roasted and weighed.", order.coffee, lacks))
    return library.order_book.pack(order, [(keys[id(one.stock)], one.kg) for one in taken], datetime.now(UTC))


def unpack(library: Library, order: Order) -> Order:
    """A packed order is taken back: its coffee lies on the shelf again."""
    return library.order_book.unpack(order)


def _columns(headings: Sequence[Any]) -> dict[str, int]:
    found: dict[str, int] = {}
    for at, heading in enumerate(headings):
        word = " ".join(str(heading).lower().replace("(", " ").replace(")", " ").replace("_", " ").split())
        for name, words in HEADINGS.items():
            if word in words and name not in found:
                found[name] = at
    return found


def _order_of(cells: dict[str, Any], sold: Sequence[Coffee], today: date) -> Order:
    """The order of one row: put together as a line, so that both are understood alike."""
    if "kg" in cells:
        amount = tr("{:g} kg", _figure(cells["kg"]))
    else:
        size = _figure(cells.get("pack", 0.0))
        amount = tr("{:g} x {:g} g", _figure(cells.get("packs", 0.0)), size * 1000 if size < 20 else size)
    due = cells.get("due")
    if isinstance(due, datetime):
        when: date | None = due.date()
    elif isinstance(due, date):
        when = due
    else:
        when, _ = day_in(str(due), today) if due is not None else (None, "")
        if due is not None and when is None:
            raise OrderError(tr("{!r} is not understood as a day: write 2026-12-04.", due))
    order = order_from_line(f"{amount} {cells['coffee']}", sold, today)
    return check_order(replace(order, due=when or order.due, customer=str(cells.get("customer", "")).strip()), today)


def _figure(value: Any) -> float:
    try:
        return float(str(value).replace(",", "."))
    except ValueError:
        raise OrderError(tr("{!r} is no figure.", value)) from None
