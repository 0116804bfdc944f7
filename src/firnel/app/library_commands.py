"""``firnel library``: look whether a library is sound, copy it, and bring a copy back."""

from __future__ import annotations

from pathlib import Path

import click

from firnel.app.command_parts import CouldNotError, default_library, json_option, library_option, opened, say_json
from firnel.store.roles import ROLES, grant_role
from firnel.work.library_care import LibraryError, back_up, check_library, copy_library, restore

#: What a user of the server may do, in words.
MAY = {
    "read": "look at everything, and change nothing",
    "bench": "weigh, cup, measure and pack",
    "roast": "roast and plan, and do the bench's work",
    "manage": "change everything",
}


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


@library.command("role")
@click.argument("user")
@click.option("--as", "role", type=click.Choice(ROLES), required=True, help="What that user may do.")
@library_option
def library_role(user: str, role: str, library_at: str | None) -> None:
    """Let USER of the database server read, do the bench's work, roast, or manage everything; made if there is none yet."""
    try:
        made = grant_role(library_at or str(default_library()), user, role)
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    more = " It is new, and has no password yet: give it one with the server's own means." if made else ""
    click.echo(f"{user} may {MAY[role]}.{more}", err=True)


@library.command("log")
@click.option("--last", type=click.IntRange(1, 10000), default=50, show_default=True, help="So many.")
@library_option
@json_option
def library_log(last: int, library_at: str | None, as_json: bool) -> None:
    """Who did what, the newest first."""
    with opened(library_at) as found:
        deeds = found.floor_book.deeds(last)
    if as_json:
        say_json([{"at": one.at.isoformat(), "station": one.station, "who": one.who, "what": one.what} for one in deeds])
        return
    for one in deeds:
        who = " · ".join(part for part in (one.who, one.station) if part) or "–"
        click.echo(f"{one.at.astimezone():%Y-%m-%d %H:%M}  {who}: {one.what}")
