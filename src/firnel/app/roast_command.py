"""``firnel roast``: a batch without a window."""

from __future__ import annotations

import json
import queue
import signal
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from firnel.app.command_parts import CouldNotError, json_option, library_option, opened, say_json
from firnel.core.plan import Plan
from firnel.core.plan_document import plan_from_document
from firnel.core.vocabulary import Lot, Machine, MarkKind
from firnel.work.desk import AddressError, Desk, machine_of_kind
from firnel.work.review.records import Library, show_document
from firnel.work.roast.headless import Headless
from firnel.work.roast.session import BatchOrder
from firnel.work.settings import Settings

#: After the drop so much more is recorded. [s]
AFTER_DROP_S = 20.0


@click.command()
@click.option("--device", "url", required=True, help="Where the readings come from, as modbus://HOST:PORT?map=KIND.")
@click.option("--plan", "plan_at", type=click.Path(path_type=Path), required=True, help="Plan document.")
@click.option("--follow", is_flag=True, help="Print each mark, cue, advice and warning as it comes, as JSON lines.")
@click.option("--timeout", "most_s", type=float, default=3600.0, show_default=True, help="Give up after this many seconds.")
@library_option
@json_option
def roast(url: str, plan_at: Path, follow: bool, most_s: float, library_at: str | None, as_json: bool) -> None:
    """Record one batch without a window. The readings come from the device; Firnel reads and tells, it commands nothing."""
    plan = _plan_from(plan_at)
    with opened(library_at) as library:
        key = _roasted(library, url, plan, follow, most_s)
        if as_json:
            say_json(show_document(library.batch(key)))
        elif not follow:
            click.echo(f"Batch {library.batch(key).label} is recorded.")


def _plan_from(path: Path) -> Plan:
    try:
        document = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise CouldNotError(f"{path} cannot be read: {error.strerror}.") from error
    except ValueError as error:
        raise CouldNotError(f"{path} is no JSON document: {error}.") from error
    try:
        return plan_from_document(document)
    except ValueError as error:
        raise CouldNotError(str(error)) from error


def _machine_of(library: Library, plan: Plan, url: str) -> Machine:
    """The plan's machine, or a stand-in of the kind the address names."""
    known = next((machine for machine in library.machines() if machine.name == plan.machine), None)
    if known is not None:
        return known
    kind = url.partition("map=")[2].partition("&")[0] or "gas-6"
    return library.save_machine(machine_of_kind(plan.machine or kind, kind))


def _roasted(library: Library, url: str, plan: Plan, follow: bool, most_s: float) -> int:
    """Record until the beans have dropped; the key of the batch."""
    calls: queue.Queue[Callable[[], None]] = queue.Queue()
    desk = Desk(library, Settings(), calls.put)
    session, machine = desk.session, _machine_of(library, plan, url)
    kept = next((known for known in library.plans() if known.name == plan.name), None)
    lot = next((known for known in library.lots() if known.name == plan.lot), Lot(plan.lot) if plan.lot else None)
    lot = library.save_lot(lot) if lot is not None and lot.id is None else lot

    def tell(document: dict[str, Any]) -> None:
        if follow:
            click.echo(json.dumps(document, ensure_ascii=False))

    try:
        desk.connect(url, machine)
    except AddressError as error:
        raise CouldNotError(str(error)) from error
    session.prepare(BatchOrder(lot, machine, plan if kept is None else _as_kept(plan, kept), plan.load_kg))
    key, watch, begun = session.batch_id, Headless(session, tell), session.now()
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    try:
        while session.now() - begun < most_s and not _finished(session.now(), watch, desk):
            try:
                calls.get(timeout=0.5)()
            except queue.Empty:
                continue
            watch.look()
    except KeyboardInterrupt:
        click.echo("Stopped; what was recorded is kept.", err=True)
    finally:
        desk.disconnect()
        session.close()
    if key is None or not watch.dropped:
        raise CouldNotError("The batch never came to its drop; what was recorded is kept.")
    return key


def _as_kept(plan: Plan, kept: Plan) -> Plan:
    """The plan as in the file, known by the one that is kept under its name."""
    return replace(plan, id=kept.id, version=kept.version)


def _finished(now: float, watch: Headless, desk: Desk) -> bool:
    drop = desk.session.marks.get(MarkKind.DROP)
    return watch.dropped and drop is not None and now - drop.t > AFTER_DROP_S
