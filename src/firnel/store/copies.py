"""Copies of a library: one before each migration, one a day for a fortnight, and those that are asked for."""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Callable
from contextlib import closing
from datetime import date
from pathlib import Path

from firnel.core.words import tr
from firnel.store.sqlite_file import for_lack_of_room, full_sentence, read_file, tells_of_damage
from firnel.store.writing import LibraryError

#: Copies of so many days are kept.
KEPT_DAYS = 14


def copy_database(source: Path, target: Path, progress: Callable[[float], bool] | None = None) -> Path:
    """Copy a library whole, also while it is being written; the copy appears only when it is complete.

    Parameters
    ----------
    source, target : files; nothing may lie at the target.
    progress : told the share that is done; the copy is given up where it says False.

    Raises
    ------
    LibraryError : if it cannot be copied; nothing lies at the target then.
    """
    _refuse_taken(target)
    fresh = target.with_name(f".{target.name}.{os.getpid()}.part")
    cancelled = False

    def told(_status: int, left: int, of: int) -> None:
        nonlocal cancelled
        if progress is not None and of and not progress(1.0 - left / of):
            cancelled = True
            raise LibraryError(tr("The copy was given up."))

    try:
        if not source.is_file():
            raise LibraryError(tr("There is no library {}.", source))
        with (
            closing(read_file(source)) as old,
            closing(sqlite3.connect(fresh)) as new,
        ):
            old.backup(new, pages=4096, progress=told)
            new.execute("PRAGMA journal_mode = DELETE")
        _to_disk(fresh)
        os.link(fresh, target)  # refuses where another process was quicker
    except (OSError, sqlite3.Error) as error:
        raise LibraryError(_not_copied(source, target, error)) from error
    finally:
        for part in (fresh, fresh.with_name(fresh.name + "-journal")):
            part.unlink(missing_ok=True)
    return target


def copy_files(source: Path, target: Path) -> Path:
    """Copy a library's files as they are, damage and all, to look into or to mend; the original stays as it is.

    Raises
    ------
    LibraryError : if something lies at the target, which is left as it is.
    OSError : if they cannot be copied; nothing lies at the target then.
    """
    import shutil

    _refuse_taken(target)
    suffixes = ("", "-wal", "-shm")
    try:
        for suffix in suffixes:
            part = source.with_name(source.name + suffix)
            if part.exists():
                shutil.copyfile(part, target.with_name(target.name + suffix))  # and not its rights: it is to be worked on
    except OSError:
        for suffix in suffixes:
            target.with_name(target.name + suffix).unlink(missing_ok=True)
        raise
    return target


def _refuse_taken(target: Path) -> None:
    if target.exists():
        raise LibraryError(tr("{} is there already, and was left as it is.", target))


def free_name(wanted: Path) -> Path:
    """This name, or the first with a number at which nothing lies yet."""
    found, number = wanted, 2
    while found.exists():
        found, number = wanted.with_name(f"{wanted.stem}-{number}{wanted.suffix}"), number + 1
    return found


def daily_folder(path: Path) -> Path:
    """Where the copies of each day of a library lie."""
    return path.with_name(f"{path.stem}-copies")


def daily_copy(path: Path, today: date) -> Path | None:
    """Make today's copy unless there is one, and let those go that are older than a fortnight. Returns the new copy.

    Raises
    ------
    LibraryError : if it cannot be made.
    """
    folder = daily_folder(path)
    target = folder / f"{path.stem}-{today.isoformat()}{path.suffix}"
    if target.exists():
        return None
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise LibraryError(tr("No daily copies can be kept in {}: {}.", folder, error.strerror)) from error
    for stale in folder.glob(f".{path.stem}-*.part*"):
        stale.unlink(missing_ok=True)
    made = copy_database(path, target)
    for old in sorted(folder.glob(f"{path.stem}-????-??-??{path.suffix}"))[:-KEPT_DAYS]:
        old.unlink(missing_ok=True)
    return made


def check_file(path: Path, whole: bool) -> list[str]:
    """What is wrong with a library's file; empty where it is sound.

    Parameters
    ----------
    path : of the file.
    whole : look through every index too, which takes longer.

    Raises
    ------
    LibraryError : if it cannot be looked at now: nothing is known of it then.
    """
    try:
        with closing(read_file(path)) as connection:
            said = connection.execute(f"PRAGMA {'integrity_check' if whole else 'quick_check'}(20)").fetchall()
            torn = connection.execute("PRAGMA foreign_key_check").fetchall() if said == [("ok",)] else []
    except sqlite3.Error as error:
        if tells_of_damage(error):
            return [str(error)]
        full = for_lack_of_room(error, path)
        raise LibraryError(
            full_sentence(path) if full else tr("The library {} cannot be looked at: {}.", path, error)
        ) from error
    wrong = [str(line) for (line,) in said if line != "ok"]
    if torn:
        wrong.append(tr("{} rows of {} point to rows that are gone", len(torn), torn[0][0]))
    return wrong


def _not_copied(source: Path, target: Path, error: OSError | sqlite3.Error) -> str:
    full = error.errno in (errno.ENOSPC, errno.EDQUOT) if isinstance(error, OSError) else for_lack_of_room(error, target)
    if full:
        return tr("The library {} cannot be copied: the disk of {} is full.", source, target)
    said = error.strerror if isinstance(error, OSError) and error.strerror else error
    return tr("The library {} cannot be copied to {}: {}.", source, target, said)


def _to_disk(path: Path) -> None:
    with path.open("rb") as file:
        os.fsync(file.fileno())
