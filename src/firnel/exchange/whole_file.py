"""Files that are written whole or not at all: what lay there before stays until the new one is complete."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A path beside the wanted one to write to; it takes its place when all is written.

    Raises
    ------
    OSError : if it cannot be written; nothing has changed at the wanted place then.
    """
    fresh = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        yield fresh
        fresh.replace(path)
    finally:
        fresh.unlink(missing_ok=True)


def write_whole(path: Path, text: str) -> None:
    """Write a text, whole or not at all.

    Raises
    ------
    OSError : see `whole_file`.
    """
    with whole_file(path) as fresh:
        fresh.write_text(text, encoding="utf-8")
