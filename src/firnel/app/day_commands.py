"""``firnel day``, ``coffees`` and ``orders``: what is sold, ordered, planned, weighed and packed, without a window."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, datetime
from pathlib import Path
from typing import Any, TypeVar

import click

from firnel.app.command_parts import CouldNotError, json_option, library_option, opened, say_json
from firnel.app.paper import on_paper
from firnel.core.day.coffee import Blending, Coffee, Component, Level
from firnel.core.day.order import Order, OrderError, day_in
from firnel.core.units import Units
from firnel.core.words import as_number
from firnel.exchange.report import write_workbook
from firnel.store.library import Library
from firnel.work.day import orders as shop
from firnel.work.day.day_report import day_document, day_report
from firnel.work.day.planning import DaySheet, can_we, day_sheet, send_to_queue
from firnel.work.day.shelf_stock import on_shelf
from firnel.work.day.succession import let_follow

Answer = TypeVar("Answer")

day_option = click.option("--date", "day_text", default="today", show_default=True, help="2026-12-04, friday, tomorrow.")


@click.group()
def day() -> None:
    """The plan of a day: what is roasted for the orders, where and when; what to weigh and to pack."""


@day.command("plan")
@library_option
@day_option
@click.option("--queue", "to_queue", is_flag=True, help="Let the planned batches wait to be roasted, each with its number.")
@json_option
def day_plan(library_at: str | None, day_text: str, to_queue: bool, as_json: bool) -> None:
    """Plan a day anew from what is ordered, on the shelf, roasted and waiting."""
    with opened(library_at) as library:
        sheet = _sheet(library, day_text)
        if to_queue:
            queued = send_to_queue(library, sheet)
            click.echo(f"{len(queued)} batches wait: {queued[0].number} to {queued[-1].number}.", err=True)
        _show(sheet, as_json)


@day.command("show")
@library_option
@day_option
@json_option
def day_show(library_at: str | None, day_text: str, as_json: bool) -> None:
    """Show a day: batches, what to weigh, what to pack, what falls short."""
    with opened(library_at) as library:
        _show(_sheet(library, day_text), as_json)


@day.command("export")
@library_option
@day_option
@click.option("-o", "--output", type=click.Path(path_type=Path), required=True, help="A file that ends in .xlsx or .pdf.")
@json_option
def day_export(library_at: str | None, day_text: str, output: Path, as_json: bool) -> None:
    """Write a day's sheet as a spreadsheet or on paper."""
    if output.suffix.lower() not in (".xlsx", ".pdf"):
        raise click.UsageError(f"{output.name} ends in neither .xlsx nor .pdf.")
    with opened(library_at) as library:
        sheet = _sheet(library, day_text)
        report = day_report(sheet, Units())
    try:
        if output.suffix.lower() == ".xlsx":
            write_workbook(output, report)
        else:
            on_paper(output, report)
    except OSError as error:
        raise CouldNotError(f"{output} cannot be written: {error.strerror}.") from error
    if as_json:
        say_json({"file": str(output), **day_document(sheet)})
    else:
        click.echo(f"Wrote {output}", err=True)


@day.command("can")
@library_option
@click.option("--kg", type=float, required=True, help="Roasted weight.")
@click.option("--by", "day_text", required=True, help="2026-12-04, thursday, tomorrow.")
@json_option
def day_can(library_at: str | None, kg: float, day_text: str, as_json: bool) -> None:
    """Whether so much can be roasted by a day, beside what is ordered."""
    with opened(library_at) as library:
        said = _quiet(lambda: can_we(library, kg, _day(day_text)))
    if as_json:
        say_json({"kg": kg, "by": _day(day_text).isoformat(), "can": said.startswith("Yes"), "said": said})
    else:
        click.echo(said)


@click.group()
def orders() -> None:
    """What is ordered of which coffee."""


@orders.command("list")
@library_option
@json_option
def orders_list(library_at: str | None, as_json: bool) -> None:
    """Open orders, the first due first."""
    with opened(library_at) as library:
        found = shop.open_orders(library)
    if as_json:
        say_json([_order_document(order) for order in found])
    for order in found if not as_json else ():
        click.echo(f"{order.id:>4}  {order.due:%a %d %b}  {order.kg:7.2f} kg  {order.coffee}  {order.customer}".rstrip())


@orders.command("add")
@click.argument("words", nargs=-1)
@click.option("--file", "path", type=click.Path(path_type=Path), help="A CSV or XLSX table of orders.")
@library_option
@json_option
def orders_add(words: tuple[str, ...], path: Path | None, library_at: str | None, as_json: bool) -> None:
    """Take an order as it is said: firnel orders add 12 kg House blend friday for Corner Café; or a table of them."""
    if bool(words) == (path is not None):
        raise click.UsageError("say one order in words, or name a table with --file.")
    with opened(library_at) as library:
        if path is not None:
            found = shop.take_in_orders(library, path, date.today())
        else:
            found = shop.add_lines(library, " ".join(words), date.today())
    if as_json:
        say_json([_order_document(order) for order in found])
    for order in found if not as_json else ():
        click.echo(f"{order.kg:g} kg of {order.coffee} for {order.due:%A %-d %B}.")


@orders.command("cancel")
@click.argument("number", type=int)
@library_option
def orders_cancel(number: int, library_at: str | None) -> None:
    """An order is not wanted any more."""
    with opened(library_at) as library:
        order = _order(library, number)
        shop.cancel(library, order)
    click.echo(f"Cancelled: {order.kg:g} kg of {order.coffee} for {order.due:%A %-d %B}.")


@orders.command("pack")
@click.argument("number", type=int)
@library_option
def orders_pack(number: int, library_at: str | None) -> None:
    """An order is packed from the shelf, the oldest roast that is not past first."""
    with opened(library_at) as library:
        order = _order(library, number)
        shop.pack(library, order, date.today())
    click.echo(f"Packed: {order.kg:g} kg of {order.coffee}.")


@orders.command("unpack")
@click.argument("number", type=int)
@library_option
def orders_unpack(number: int, library_at: str | None) -> None:
    """An order that was packed is taken back: its coffee lies on the shelf again."""
    with opened(library_at) as library:
        order = next((one for one in shop.packed_orders(library) if one.id == number), None)
        if order is None:
            raise CouldNotError(f"There is no packed order {number}.")
        shop.unpack(library, order)
    click.echo(f"Taken back: {order.kg:g} kg of {order.coffee}.")


@click.group()
def coffees() -> None:
    """What is sold."""


@coffees.command("list")
@library_option
@json_option
def coffees_list(library_at: str | None, as_json: bool) -> None:
    """The coffees, each with its lots and shares."""
    with opened(library_at) as library:
        found = shop.coffees(library)
    if as_json:
        say_json([_coffee_document(coffee) for coffee in found])
    for coffee in found if not as_json else ():
        parts = ", ".join(f"{100 * part.share:g} % {part.lot}" for part in coffee.components)
        click.echo(f"{coffee.name}  {coffee.level.value}  {parts}")


@coffees.command("shelf")
@library_option
@json_option
def coffees_shelf(library_at: str | None, as_json: bool) -> None:
    """Roasted coffee that is not packed yet, the oldest first, and how it has rested."""
    with opened(library_at) as library:
        there = on_shelf(library, date.today())
    if as_json:
        say_json(
            [
                {
                    "batch": one.batch,
                    "lot": one.lot,
                    "roasted": one.roasted.isoformat(),
                    "days": one.days,
                    "kg": round(one.kg, 3),
                    "coffees": list(one.coffees),
                    "rest": one.rest.value if one.rest is not None else None,
                }
                for one in there
            ]
        )
    for one in there if not as_json else ():
        rest = one.rest.value if one.rest is not None else "of no coffee"
        click.echo(f"{one.kg:7.2f} kg  {one.batch}  {one.lot}  {one.roasted:%d %b}, {one.days} days: {rest}")


@coffees.command("add")
@click.argument("name")
@click.option("--of", "parts", multiple=True, required=True, metavar="LOT[=SHARE%][:PLAN,…]", help="A lot, its share, plans.")
@click.option("--level", type=click.Choice([level.value for level in Level]), default=Level.MEDIUM.value, show_default=True)
@click.option("--green", is_flag=True, help="The green is blended before the roast.")
@click.option("--last", is_flag=True, help="Decaffeinated or flavoured: roasted after all others.")
@library_option
@json_option
def coffees_add(
    name: str, parts: tuple[str, ...], level: str, green: bool, last: bool, library_at: str | None, as_json: bool
) -> None:
    """Sell a coffee of one lot or of several: --of "Rwanda Isuka=60%:Isuka filter" --of …"""
    with opened(library_at) as library:
        plans = {plan.name.lower(): plan.id for plan in library.plans() if plan.id is not None}
        components = tuple(_component(part, len(parts), plans) for part in parts)
        blending = Blending.GREEN if green else Blending.ROASTED
        wanted = Coffee(name, components, blending, Level(level), last)
        kept = shop.keep_coffee(library, wanted)
        for sentence in shop.misfits_of(library, kept):
            click.echo(sentence, err=True)
    if as_json:
        say_json(_coffee_document(kept))
    else:
        click.echo(f"{kept.name} is sold.")


@coffees.command("follow")
@click.argument("name")
@click.argument("lot")
@click.option("--by", "follows", help="The lot that takes its place; without it the one that says so of itself.")
@library_option
@json_option
def coffees_follow(name: str, lot: str, follows: str | None, library_at: str | None, as_json: bool) -> None:
    """In the coffee NAME another lot takes the place of LOT, by plans of its own."""
    with opened(library_at) as library:
        coffee = next((one for one in shop.coffees(library) if one.name.lower() == name.lower()), None)
        if coffee is None:
            raise CouldNotError(f"No coffee is called {name!r}.")
        done = let_follow(library, coffee, lot, date.today(), follows)
    for sentence in done.said:
        click.echo(sentence, err=True)
    if as_json:
        say_json(_coffee_document(done.coffee))
    else:
        click.echo(f"{done.follows} takes the place of {done.lot} in {done.coffee.name}.")


def _sheet(library: Library, day_text: str) -> DaySheet:
    wanted = _day(day_text)
    return _quiet(lambda: day_sheet(library, wanted))


def _day(text: str) -> date:
    try:
        found, _ = day_in(text, date.today())
    except OrderError as error:
        raise CouldNotError(str(error)) from error
    if found is None:
        raise CouldNotError(f"{text!r} is no day: write 2026-12-04, friday or tomorrow.")
    return found


def _quiet(what: Callable[[], Answer]) -> Answer:
    """Standard output is for the answer alone: the solver's own remarks go to standard error."""
    with _output_to_errors():
        return what()


@contextmanager
def _output_to_errors() -> Iterator[None]:
    try:
        out, err = sys.__stdout__.fileno(), sys.__stderr__.fileno()  # type: ignore[union-attr]  # None without a console
    except (AttributeError, OSError, ValueError):
        yield
        return
    sys.stdout.flush()
    kept = os.dup(out)
    os.dup2(err, out)
    try:
        yield
    finally:
        os.dup2(kept, out)
        os.close(kept)


def _order(library: Library, number: int) -> Order:
    found = next((order for order in shop.open_orders(library) if order.id == number), None)
    if found is None:
        raise CouldNotError(f"There is no open order {number}.")
    return found


def _component(text: str, count: int, plans: dict[str, int]) -> Component:
    head, _, names = text.partition(":")
    lot, _, share = head.partition("=")
    try:
        part = as_number(share.strip().removesuffix("%")) / 100.0 if share.strip() else 1.0 / count
    except ValueError:
        raise CouldNotError(f"{share.strip()!r} is no share: write 60%.") from None
    wanted = [name.strip() for name in names.split(",") if name.strip()]
    missing = [name for name in wanted if name.lower() not in plans]
    if missing:
        raise CouldNotError(f"No plan is called {missing[0]!r}.")
    return Component(lot.strip(), part, tuple(plans[name.lower()] for name in wanted))


def _order_document(order: Order) -> dict[str, Any]:
    return {
        "id": order.id,
        "coffee": order.coffee,
        "kg": order.kg,
        "due": order.due.isoformat(),
        "customer": order.customer,
        "packs": [{"count": count, "kg": kg} for count, kg in order.packs],
        "every_days": order.every_days,
        "state": order.state,
    }


def _coffee_document(coffee: Coffee) -> dict[str, Any]:
    return {
        "id": coffee.id,
        "name": coffee.name,
        "level": coffee.level.value,
        "last": coffee.last,
        "blending": coffee.blending.value,
        "components": [{"lot": one.lot, "share": one.share, "plans": list(one.plans)} for one in coffee.components],
        "packs_kg": list(coffee.packs_kg),
        "ready_days": coffee.ready_days,
        "past_days": coffee.past_days,
    }


def _show(sheet: DaySheet, as_json: bool) -> None:
    if as_json:
        say_json(day_document(sheet))
        return
    click.echo(f"{sheet.day:%A %-d %B %Y}")
    for station in sheet.plan.stations:
        batches = [block for block in sheet.plan.of(station.name) if block.share is not None]
        if batches:
            click.echo(f"\n{station.name}")
        for block in batches:
            share = block.share
            if share is not None:
                moment: datetime = sheet.at(block.start_s)
                click.echo(
                    f"  {moment:%H:%M}  {share.load_kg:6.2f} kg  {share.need.lot} · {share.need.coffee.name}: {block.why}"
                )
    if sheet.weigh:
        click.echo("\nTo weigh")
    for row in sheet.weigh:
        loads = " + ".join(f"{count} x {load:g}" for count, load in row.loads)
        click.echo(f"  {row.kg:7.2f} kg  {row.lot}  ({loads})")
    if sheet.pack:
        click.echo("\nTo pack")
    for entry in sheet.pack:
        left = "ready" if entry.ready else f"{entry.to_roast_kg:.2f} kg to roast"
        click.echo(f"  {entry.order.kg:7.2f} kg  {entry.order.coffee}  {entry.order.customer}  ({left})")
    for sentence in (*sheet.short, *sheet.moves):
        click.echo(f"! {sentence}")
