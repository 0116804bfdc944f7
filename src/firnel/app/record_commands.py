"""Batches from the command line: taken in, listed, shown, written out."""

from __future__ import annotations

import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import click

from firnel.app.command_parts import (
    COLOUR,
    KG,
    ROOM_C,
    SECONDS,
    CouldNotError,
    json_option,
    library_option,
    opened,
    pairs_of,
    say_json,
)
from firnel.app.paper import on_paper
from firnel.core.stages import MarkOrderError
from firnel.core.units import clock
from firnel.exchange.whole_file import write_whole
from firnel.work.machines.old_logs import OldLog, as_told, batches_of, find_files, is_table, names_of, read_tables
from firnel.work.review.records import (
    BatchFilter,
    ImportRefusedError,
    ImportWishes,
    Library,
    TakenInBeforeError,
    export_text,
    import_read,
    sheet_of,
    show_document,
)


def _seconds(marks: dict[str, str]) -> dict[str, float]:
    try:
        return {name: SECONDS.convert(value, None, None) for name, value in marks.items()}
    except ValueError as error:
        raise click.BadParameter(f"{error}", param_hint="--mark") from error


@click.command("import")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@library_option
@click.option("--columns", multiple=True, help="time=…,bean=…,air=…,gas=…,airflow=…,drum=… (heading, or number from 1)")
@click.option("--temperature", type=click.Choice(["c", "f"]), help="Unit of the temperatures, if not as guessed.")
@click.option("--machine", default="", help="Machine the log is from.")
@click.option("--lot", default="", help="Lot that was roasted.")
@click.option("--load", "load_kg", type=KG, help="Green charged, kg.")
@click.option("--room", "room_c", type=ROOM_C, help="Room temperature, degC.")
@click.option("--mark", "marks", multiple=True, metavar="NAME=SECONDS", help="A mark, in the log's own seconds.")
@click.option("--roasted", "roasted_kg", type=KG, help="Roasted weight, kg.")
@click.option("--ground", type=COLOUR, help="Colour ground.")
@click.option("--whole", type=COLOUR, help="Colour of the whole beans.")
@click.option("--operator", default="", help="Who roasted.")
@click.option(
    "--day", type=click.DateTime(["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"]), help="When it was roasted, local."
)
@click.option("--again", is_flag=True, help="Take in a log once more that the library has already.")
@json_option
def import_(
    files: tuple[Path, ...], library_at: str | None, columns: tuple[str, ...], temperature: str | None, machine: str,
    lot: str, load_kg: float | None, room_c: float | None, marks: tuple[str, ...], roasted_kg: float | None,
    ground: float | None, whole: float | None, operator: str, day: datetime | None, again: bool, as_json: bool,
) -> None:  # fmt: skip
    """Take in roast logs: CSV, or batches that Firnel has exported as JSON. Each file is taken in whole, or not at all.

    A table (CSV or XLSX) with a column ``file``, named beside them or in their folder, fills in what was written down of each:
    machine, lot, process, moisture, density, load, roasted weight, room, day, colours, marks. What an option tells goes first.

    A folder that ``export all --format json`` has written brings back lots, machines, plans, models, orders and cuppings too.
    """
    wishes = ImportWishes(
        pairs_of(columns, "--columns"), temperature, machine, lot, load_kg, room_c, _seconds(pairs_of(marks, "--mark")),
        roasted_kg, whole, ground, operator, day.astimezone() if day is not None else None,
    )  # fmt: skip
    taken: list[dict[str, Any]] = []
    refused: list[dict[str, str]] = []

    def refuse(path: Path, why: str) -> None:
        refused.append({"file": str(path), "why": why})
        click.echo(why, err=True)

    with opened(library_at) as library:
        archives, logs, tables = _sorted_out(files, refuse)
        names = names_of(library)
        for path in archives:
            try:
                taken.append(_archive(library, path, as_json))
            except ImportRefusedError as error:
                refuse(path, str(error))
        for log in (one for told in _as_told(logs, tables, wishes, refuse) for one in batches_of(told, names)):
            try:
                if log.read is None:
                    raise ImportRefusedError(log.wrong)
                key, imported = import_read(library, log.path.name, log.read, again, log.green)
            except TakenInBeforeError as error:
                refuse(log.path, f"{error} --again takes it once more.")
                continue
            except (ImportRefusedError, MarkOrderError) as error:
                refuse(log.path, str(error))
                continue
            label = library.batch(key).label
            click.echo(f"{log.path.name}: {'; '.join(imported.said)}.", err=True)
            taken.append({"id": key, "label": label, "file": str(log.path), "said": list(imported.said)})
            if not as_json:
                click.echo(f"Batch {label} from {log.path.name}")
    if as_json:
        say_json({"imported": taken, "refused": refused})
    if refused:
        if len(taken) + len(refused) > 1:
            click.echo(f"{len(taken)} of {len(taken) + len(refused)} files were taken in.", err=True)
        click.echo(
            "What a log does not tell by itself is told by --columns, --mark, --load and others: firnel import --help.",
            err=True,
        )
        sys.exit(1)


def _sorted_out(places: tuple[Path, ...], refuse: Callable[[Path, str], None]) -> tuple[list[Path], list[Path], list[Path]]:
    """Whole libraries, logs, and the tables beside them."""
    from firnel.work.review.archive import is_archive

    archives, logs, tables = list[Path](), list[Path](), list[Path]()
    for path in places:
        try:
            if not path.is_dir():
                (tables if is_table(path) else logs).append(path)
            elif is_archive(path):
                archives.append(path)
            else:
                more = find_files([path])
                logs += more[0]
                tables += more[1]
        except ImportRefusedError as error:
            refuse(path, str(error))
    if tables and not logs:
        refuse(tables[0], f"{tables[0].name} tells of logs, and none is named: name them, or their folder, beside it.")
    return archives, logs, tables


def _as_told(logs: list[Path], tables: list[Path], wishes: ImportWishes, refuse: Callable[[Path, str], None]) -> list[OldLog]:
    """The logs with what tables say of them, under what was told of all; none where a table is wrong."""
    rows, said, wrong = read_tables(logs, tables)
    for table, why in wrong.items():
        refuse(table, why)
    for sentence in said:
        click.echo(sentence, err=True)
    return [as_told(path, rows, wishes) for path in logs] if not wrong else []


def _archive(library: Library, path: Path, as_json: bool) -> dict[str, Any]:
    """Take in a folder that holds a whole library."""
    from firnel.work.review.archive import read_archive

    came = read_archive(library, path)
    for sentence in came.refused:
        click.echo(sentence, err=True)
    if not as_json:
        told = ", ".join(f"{count} of {name.replace('_', ' ')}" for name, count in came.added.items()) or "nothing"
        click.echo(f"From {path}: {told} added; {came.there} batches were there already.")
    return {"folder": str(path), "added": dict(came.added), "there": came.there, "refused": list(came.refused)}


@click.command()
@library_option
@json_option
def batches(library_at: str | None, as_json: bool) -> None:
    """List the batches, newest first."""
    with opened(library_at) as library:
        after, lines = None, []
        while page := library.batch_lines(BatchFilter(), after, 1000):
            lines += page
            after = (page[-1].started, page[-1].id)
    if as_json:
        say_json(
            [
                {
                    "id": ln.id, "label": ln.label, "started": ln.started.isoformat(), "lot": ln.lot or None,
                    "machine": ln.machine or None, "plan": ln.plan or None, "status": ln.status, "load_kg": ln.load_kg,
                    "roasted_kg": ln.roasted_kg, "loss": ln.loss, "total_s": ln.total_s, "development_s": ln.development_s,
                    "drop_c": ln.drop_c,
                }
                for ln in lines
            ]
        )  # fmt: skip
        return
    if not lines:
        click.echo("No batches yet. Roast one in the window, or take in a log: firnel import FILE.", err=True)
    for ln in lines:
        drop = f"{ln.drop_c:.1f} °C" if ln.drop_c is not None else "–"
        click.echo(
            f"{ln.label:>6}  {ln.started.astimezone():%Y-%m-%d %H:%M}  {ln.lot or '–':<24.24} {ln.machine or '–':<16.16} "
            f"total {clock(ln.total_s):>5}  dev {clock(ln.development_s):>4}  drop {drop:>8}  {ln.status}"
        )


@click.command()
@click.argument("batch")
@library_option
@json_option
def show(batch: str, library_at: str | None, as_json: bool) -> None:
    """Show one batch, by its label or id."""
    with opened(library_at) as library:
        record = library.batch(library.find_batch(batch))
        if as_json:
            say_json(show_document(record))
            return
        sheet = sheet_of(record)
    zero = record.charge_t
    click.echo(f"Batch {record.label}: {record.lot or 'lot not told'} on {record.machine or 'an unknown machine'}")
    for mark in record.marks:
        bean = f"{mark.bean:.1f} °C" if mark.bean is not None else "–"
        click.echo(f"  {mark.kind.words:<16}{clock(mark.t - zero):>7}  {bean:>9}  ({mark.found.value})")
    for name, stage in sheet.stages.named():
        share = f"{100 * stage.share:.0f} %" if stage and stage.share is not None else ""
        click.echo(f"  {name:<16}{clock(stage.seconds if stage else None):>7}  {share:>9}")
    if record.loss is not None:
        click.echo(f"  loss {100 * record.loss:.1f} %")
    for event in sheet.events:
        click.echo(f"  {event.kind} at {clock(event.start - zero)}: {event.likely_cause or 'cause unknown'}")


@click.command()
@click.argument("batch")
@click.option("--format", "form", type=click.Choice(["csv", "json", "xlsx", "pdf"]), required=True)
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="File to write; standard output otherwise, for csv and json."
)
@library_option
def export(batch: str, form: str, output: Path | None, library_at: str | None) -> None:
    """Write one batch as CSV, JSON, XLSX or PDF; or ``all``, each in a file of its own, into the folder that is named."""
    if output is None and (form in ("xlsx", "pdf") or batch == "all"):
        raise click.UsageError("This needs a place to write to: -o.")
    try:
        with opened(library_at) as library:
            said = _exported(library, batch, form, output)
    except OSError as error:
        raise CouldNotError(f"{output} cannot be written: {error.strerror or error}.") from error
    if said is not None:
        click.echo(said, nl=False)
    else:
        click.echo(f"Wrote {output}", err=True)


def _exported(library: Library, batch: str, form: str, output: Path | None) -> str | None:
    """The text for standard output; None where a file or folder was written."""
    if batch == "all" and output is not None:
        _export_all(library, form, output)
        return None
    key = library.find_batch(batch)
    if form in ("csv", "json"):
        text = export_text(library, library.batch(key), form)
        if output is None:
            return text
        write_whole(output, text)
    elif output is not None:
        from firnel.work.review.reports import batch_report, write_workbook
        from firnel.work.settings import Settings

        report = batch_report(library, key, Settings())
        if form == "xlsx":
            write_workbook(output, report)
        else:
            on_paper(output, report)
    return None


def _export_all(library: Library, form: str, folder: Path) -> None:
    """Every batch, and with the open forms the tables of all of them."""
    from firnel.work.review.exports import every_batch, export_batches
    from firnel.work.review.reports import open_data
    from firnel.work.settings import Settings

    if form == "json":
        open_data(library, folder)
        return
    export_batches(library, every_batch(library), form, folder, Settings(), on_paper)
    if form == "csv":
        open_data(library, folder)
