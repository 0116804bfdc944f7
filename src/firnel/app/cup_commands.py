"""``firnel cup``: a table set for cuppers, scored blind and revealed, without a window."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, cast, get_args

import click

from firnel.app.command_parts import CouldNotError, json_option, library_option, opened, say_json
from firnel.core.cup.scores import Form
from firnel.store.bench_book import TableSet
from firnel.work.bench import cupping
from firnel.work.review.records import Library

#: How scores and words are typed.
SCORE, WORD = "PART=FIGURE", "STAGE=WORD,WORD"


@click.group()
def cup() -> None:
    """Set a table, take down what cuppers score blind, and reveal it."""


@cup.command("set")
@click.argument("batches", nargs=-1, required=True)
@click.option("--cupper", "cuppers", multiple=True, required=True, help="Who cups (repeatable).")
@click.option("--name", default="", help="What the table is called.")
@click.option("--form", type=click.Choice(get_args(Form)), default="attributes", show_default=True, help="How it is scored.")
@click.option("--cups", type=int, default=cupping.USUAL_CUPS, show_default=True, help="Cups of each coffee.")
@click.option("--with-references", "add", is_flag=True, help="The references of their plans stand on the table too.")
@library_option
@json_option
def set_table(
    batches: tuple[str, ...], cuppers: tuple[str, ...], name: str, form: str, cups: int, add: bool, library_at: str | None,
    as_json: bool,
) -> None:  # fmt: skip
    """Set a table of BATCHES; their codes are drawn, and each cupper's order."""
    with opened(library_at) as library:
        keys = [library.find_batch(batch) for batch in batches]
        keys = cupping.with_references(library, keys) if add else keys
        try:
            table = cupping.set_table(library, name, keys, cuppers, datetime.now(UTC), cast("Form", form), cups)
        except ValueError as error:
            raise CouldNotError(str(error)) from error
    _say_table(table, as_json)


@cup.command("enter")
@click.argument("table", type=int)
@click.argument("code")
@click.option("--cupper", required=True, help="Whose it is.")
@click.option("--score", "scores", multiple=True, metavar=SCORE, help="A part of the form (repeatable).")
@click.option("--light", type=int, help="Cups with a light defect.")
@click.option("--heavy", type=int, help="Cups with a heavy defect.")
@click.option("--word", "words", multiple=True, metavar=WORD, help="Notes of a stage: dry, wet, break, hot, warm, cool.")
@library_option
@json_option
def enter(
    table: int, code: str, cupper: str, scores: tuple[str, ...], light: int | None, heavy: int | None, words: tuple[str, ...],
    library_at: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Take down what one cupper scores for the coffee under CODE; what was entered before and is not named stays."""
    with opened(library_at) as library:
        kept = _table(library, table)
        before = cupping.entry_of(kept, cupper, code)
        values: dict[str, Any] = {"scores": before["scores"] | {name: _figure(at) for name, at in _parted(scores, SCORE)}}
        noted = {stage: [word.strip() for word in said.split(",") if word.strip()] for stage, said in _parted(words, WORD)}
        values["words"] = before["words"] | noted
        if strange := set(values["words"]) - set(cupping.STAGES):
            raise CouldNotError(f"There is no stage {min(strange)!r}: {', '.join(cupping.STAGES)}.")
        values |= {name: count for name, count in (("light", light), ("heavy", heavy)) if count is not None}
        try:
            kept = cupping.enter(library, kept, cupper, code, **values)
        except ValueError as error:
            raise CouldNotError(str(error)) from error
    _say_table(kept, as_json)


@cup.command("show")
@click.argument("table", type=int)
@library_option
@json_option
def show_table(table: int, library_at: str | None, as_json: bool) -> None:
    """A table as it stands: codes, each cupper's order, and what is not scored whole yet."""
    with opened(library_at) as library:
        kept = _table(library, table)
    _say_table(kept, as_json)


@cup.command("reveal")
@click.argument("table", type=int)
@library_option
@json_option
def reveal(table: int, library_at: str | None, as_json: bool) -> None:
    """End the cupping: nothing is entered any more, and `firnel cuppings` tells what came of it."""
    with opened(library_at) as library:
        kept = cupping.reveal(library, _table(library, table))
    _say_table(kept, as_json)


def _table(library: Library, key: int) -> TableSet:
    try:
        table = library.bench_book.table(key)
    except LookupError as error:
        raise CouldNotError(f"There is no table {key} in this library.") from error
    if table.kind != "cupping":
        raise CouldNotError(f"Table {key} is a test of differences, no cupping.")
    return table


def _parted(texts: tuple[str, ...], wanted: str) -> list[tuple[str, str]]:
    """What is typed as NAME=VALUE."""
    parts = [text.partition("=") for text in texts]
    for text, (name, parted, value) in zip(texts, parts, strict=True):
        if not (name and parted and value):
            raise click.UsageError(f"{text!r} is not {wanted}.")
    return [(name.strip(), value.strip()) for name, _, value in parts]


def _figure(text: str) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise click.UsageError(f"{text!r} is no figure.") from error


def _say_table(table: TableSet, as_json: bool) -> None:
    document, missing = table.document, cupping.missing(table)
    codes = [coffee.code for coffee in cupping.coffees_of(table)]
    if as_json:
        say_json({
            "id": table.id, "name": table.name, "at": table.at.isoformat(), "revealed": table.revealed,
            "form": document["form"], "parts": list(cupping.parts_for(table)), "cups": document["cups"], "codes": codes,
            "orders": document["orders"],
            "scores": {
                cupper: {code: cupping.score_of(table, cupper, code) for code in codes} for cupper in document["cuppers"]
            },
            "missing": missing,
        })  # fmt: skip
        return
    click.echo(f"Table {table.id}, {table.name}: {', '.join(codes)}{'; revealed' if table.revealed else ''}")
    for cupper, order in document["orders"].items():
        click.echo(f"  {cupper:<16} {' '.join(order)}")
    for words in missing:
        click.echo(f"  not scored whole yet: {words}")
