"""``firnel library``: look whether a library is sound, copy it, and bring a copy back."""

from __future__ import annotations

from pathlib import Path

import click

from firnel.app.command_parts import CouldNotError, default_library, json_option, library_option, say_json
from firnel.work.library_care import LibraryError, back_up, check_library, copy_library, restore


@click.group()
def library() -> None:
    """The library itself: check it, back it up, restore it."""


@library.command("check")
@library_option
@json_option
def library_check(library_at: str | None, as_json: bool) -> None:
    """Look through the whole file. Nothing in it is changed."""
    try:
        wrong = check_library(library_at or default_library())
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    if as_json:
        say_json({"sound": not wrong, "wrong": list(wrong)})
    elif not wrong:
        click.echo("The library is sound.")
    if wrong:
        said = f"The library is damaged: {wrong[0]}" + (f" (and {len(wrong) - 1} more)" if len(wrong) > 1 else "")
        raise CouldNotError(f"{said}. firnel library restore brings a copy back.")


@library.command("backup")
@click.argument("file", type=click.Path(path_type=Path))
@library_option
def library_backup(file: Path, library_at: str | None) -> None:
    """Copy the library to FILE, whole, also while a batch is being recorded."""
    try:
        back_up(library_at or default_library(), file)
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    click.echo(f"Wrote {file}", err=True)


@library.command("restore")
@click.argument("file", type=click.Path(path_type=Path))
@library_option
def library_restore(file: Path, library_at: str | None) -> None:
    """Put the copy FILE in the place of the library; what was there is kept beside it."""
    try:
        kept = restore(file, library_at or default_library())
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    click.echo("The library is restored." + (f" What was there is kept as {kept.name}." if kept else ""), err=True)


@library.command("copy")
@click.argument("to_url")
@library_option
@json_option
def library_copy(to_url: str, library_at: str | None, as_json: bool) -> None:
    """Copy the whole library to TO_URL, a file or a database server, and compare both row by row."""
    try:
        counts = copy_library(library_at or default_library(), to_url)
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    if as_json:
        say_json(counts)
    else:
        click.echo(f"Copied and compared: {sum(counts.values())} rows, {counts['batches']} batches.", err=True)
