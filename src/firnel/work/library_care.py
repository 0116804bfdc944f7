"""The library's own health: checked, copied by itself each day, backed up and restored."""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file, copy_database, copy_files, daily_copy, free_name
from firnel.store.library import Library
from firnel.store.locks import claim_library
from firnel.store.moving import copy_library
from firnel.store.sqlite_file import disk_is_full, full_sentence
from firnel.store.writing import LibraryError, library_path, library_url, shown

__all__ = [
    "LibraryError", "back_up", "check_library", "copy_library", "copy_of_today", "lack_of_room", "look_after_a_crash",
    "restore",
]  # fmt: skip


def check_library(library: str | Path) -> tuple[str, ...]:
    """What is wrong with a library; empty where it is sound.

    Raises
    ------
    LibraryError : if there is none, it lies on a server, or it cannot be looked at now.
    """
    return tuple(check_file(_file(library), whole=True))


def look_after_a_crash(library: Library) -> str:
    """A quick look where the last window did not end cleanly; what is wrong as a sentence, empty where nothing is."""
    if library.path is None or library.left_cleanly:
        return ""
    try:
        wrong = check_file(library.path, whole=False)
    except LibraryError as error:
        return str(error)
    if not wrong:
        return ""
    return tr("Part of the library is damaged ({}). Work on, and have it mended: firnel library check tells more.", wrong[0])


def lack_of_room(library: Library) -> str:
    """That the disk of a library is full and what comes of that, as a sentence; empty where there is room."""
    if library.path is None or not disk_is_full(library.path):
        return ""
    return tr("{} What is roasted meanwhile is kept, and written when there is room.", full_sentence(library.path))


def copy_of_today(library: Library, today: datetime) -> Path | None:
    """Keep today's copy of a library beside it, and those of the last fortnight.

    Raises
    ------
    LibraryError : if it cannot be made.
    """
    return None if library.path is None else daily_copy(library.path, today.astimezone().date())


def back_up(library: str | Path, target: Path, progress: Callable[[float], bool] | None = None) -> None:
    """Copy a library to a file at which nothing lies yet.

    Raises
    ------
    LibraryError : if it cannot be copied.
    """
    source = _file(library)
    if not target.parent.is_dir():
        raise LibraryError(tr("The folder {} does not exist, so no copy can be made there.", target.parent))
    copy_database(source, target, progress)


def restore(copy: Path, library: str | Path) -> Path | None:
    """Put a copy in the place of a library: whole, or not at all. Returns where the old one is kept; None if there was none.

    Raises
    ------
    LibraryError : if the copy is none, or somebody works on the library; nothing has changed then.
    """
    target = library_path(library_url(library))
    if target is None:
        raise LibraryError(
            tr("The library {} lies on a server: restore it with the server's tools.", shown(library_url(library)))
        )
    if not copy.is_file():
        raise LibraryError(tr("There is no file {}.", copy))
    if wrong := check_file(copy, whole=True):
        raise LibraryError(tr("{} is no sound library ({}). The library was left as it is.", copy, wrong[0]))
    fresh = target.with_name(f".{target.name}.{os.getpid()}.restore")
    claim = claim_library(target)
    try:
        copy_database(copy, fresh)
        _try_out(fresh)
        kept = _put_aside(target)
        fresh.replace(target)
    except OSError as error:
        raise LibraryError(tr("{} cannot be replaced: {}.", target, error.strerror)) from error
    finally:
        for suffix in ("", "-wal", "-shm"):
            fresh.with_name(fresh.name + suffix).unlink(missing_ok=True)
        claim.release()
    return kept


def _try_out(fresh: Path) -> None:
    """It must open, at the present version, before it takes the place of another."""
    opened = Library(fresh)
    opened.batch_list.count(BatchFilter())
    opened.close()


def _put_aside(target: Path) -> Path | None:
    """Keep what lies there, damaged or not, with its journal files; then nothing of it is in the way."""
    if not target.exists():
        return None
    try:
        current = Library(target)
        busy = current.owner_book.busy(datetime.now(UTC))
        current.close()
    except LibraryError:
        busy = []  # it cannot be opened: nobody records in it
    if busy:
        raise LibraryError(tr("Batch {} is being recorded in {}: restore when it is dropped.", busy[0].label, target))
    kept = copy_files(target, free_name(target.with_name(f"{target.stem}-before-restore{target.suffix}")))
    for suffix in ("-wal", "-shm"):
        target.with_name(target.name + suffix).unlink(missing_ok=True)
    return kept


def _file(library: str | Path) -> Path:
    path = library_path(library_url(library))
    if path is None:
        raise LibraryError(tr("The library {} lies on a server: use the server's own tools.", shown(library_url(library))))
    if not path.is_file():
        raise LibraryError(tr("There is no library {}.", path))
    return path
