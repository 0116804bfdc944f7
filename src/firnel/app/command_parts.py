"""What all commands share: options, the opened library, one clear sentence when something cannot be done."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from firnel.core.stages import MarkOrderError
from firnel.store.writing import LibraryError
from firnel.work.review.records import ImportRefusedError, Library, NotInLibraryError

library_option = click.option("--library", "library_at", help="Library file or database URL (default: your data folder).")
json_option = click.option("--json", "as_json", is_flag=True, help="One JSON document on standard output.")


class CouldNotError(click.ClickException):
    """Could not be done: one clear sentence, exit code 1."""

    def show(self, file: Any = None) -> None:
        """The sentence alone."""
        click.echo(self.message, err=True)


def default_library() -> Path:
    """The library in the user's data folder, which is made if need be."""
    from platformdirs import user_data_path

    folder = user_data_path("firnel")
    folder.mkdir(parents=True, exist_ok=True)
    return folder / "library.sqlite"


@contextmanager
def opened(library_at: str | None) -> Iterator[Library]:
    """The library, with what goes wrong turned into one sentence."""
    try:
        library = Library(library_at or default_library())
    except LibraryError as error:
        raise CouldNotError(str(error)) from error
    try:
        yield library
    except (LibraryError, NotInLibraryError, ImportRefusedError, MarkOrderError, ValueError) as error:
        raise CouldNotError(str(error)) from error
    finally:
        library.close()


def say_json(document: Any) -> None:
    """One JSON document on standard output."""
    click.echo(json.dumps(document, ensure_ascii=False, allow_nan=False))
