"""A library written out whole in open forms, and taken in again, into this library or another."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from firnel.core.stages import MarkOrderError
from firnel.core.words import tr
from firnel.exchange.batch_document import read_batch_document
from firnel.exchange.documents import read_json
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.whole_file import write_whole
from firnel.store.archive import BEFORE, BEHIND, ArchiveError, Keys, place_batches, rows_of, take_in, taken_numbers
from firnel.store.library import Library

#: All that is no batch stands in this file of the folder.
HOUSE = "house.json"
FORMAT, VERSION = "firnel-house", 1
#: Plans with all their versions of twenty years; what is larger is no house.
MOST_BYTES = 2_000_000_000


@dataclass(frozen=True)
class TakenIn:
    """What came of an archive: rows added, by table, batches among them; batches that were there; sentences of what was not."""

    added: Mapping[str, int]
    there: int
    refused: tuple[str, ...]


def write_house(library: Library, folder: Path, files: Mapping[int, str]) -> None:
    """Lots, machines with their models and care, plans, coffees, orders and cuppings, into a folder beside the batches.

    Parameters
    ----------
    library, folder : from where, and where to.
    files : name of the file of each batch, by its key.

    Raises
    ------
    OSError : if it cannot be written.
    """
    rows = rows_of(library.engine)
    batches = [row | {"file": files[row["id"]]} for row in rows.pop("batches") if row["id"] in files]
    document = {"format": FORMAT, "version": VERSION, "batches": batches, "tables": rows}
    write_whole(folder / HOUSE, json.dumps(document, indent=1, ensure_ascii=False))


def is_archive(path: Path) -> bool:
    """Whether a folder holds a library that was written out whole."""
    return path.is_dir() and (path / HOUSE).is_file()


def read_archive(library: Library, folder: Path, progress: Callable[[float], bool] = lambda done: True) -> TakenIn:
    """Take in what is not there yet; what has the same name here stays as it is. Done once more, it adds nothing.

    Parameters
    ----------
    library, folder : where to, and from where.
    progress : told the share done [0..1]; answers False to stop: what came so far stays, and is known the next time.

    Raises
    ------
    ImportRefusedError : if the folder holds no such thing, or an entry does not fit.
    """
    document = read_json(folder / HOUSE, MOST_BYTES)
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ImportRefusedError(tr("{} is no library that Firnel has written.", folder / HOUSE))
    if document.get("version") != VERSION:
        raise ImportRefusedError(tr("{} was written by another version of Firnel.", folder / HOUSE))
    tables, batches = document.get("tables"), document.get("batches")
    if not (isinstance(tables, dict) and isinstance(batches, list) and all(map(_is_entry, batches)) and _is_rows(tables)):
        raise ImportRefusedError(tr("{} is damaged: its tables cannot be read.", folder / HOUSE))
    keys: Keys = {}
    try:
        added = take_in(library.engine, tables, BEFORE, keys)
        known, there, refused = keys.setdefault("batches", {}), 0, list[str]()
        for number, entry in enumerate(batches):
            if not progress(number / max(len(batches), 1)):
                return TakenIn(added, there, (*refused, tr("Stopped: what came so far stays.")))
            try:
                key, new = _batch(library, folder, entry["file"])
            except (ImportRefusedError, MarkOrderError) as error:
                refused.append(str(error))
                continue
            known[entry["id"]] = key
            there += not new
            if new:
                added["batches"] = added.get("batches", 0) + 1
                place_batches(library.engine, [entry], keys)
        if taken := taken_numbers(library.engine, tables.get("waiting", []), keys):
            refused.append(tr("{} wait here for another batch: let those of the archive wait once more.", ", ".join(taken)))
        for name, count in take_in(library.engine, tables, BEHIND, keys).items():
            added[name] = added.get(name, 0) + count
    except ArchiveError as error:
        raise ImportRefusedError(f"{folder / HOUSE}: {error}") from error
    return TakenIn(added, there, tuple(refused))


def _batch(library: Library, folder: Path, name: str) -> tuple[int, bool]:
    """The key of a batch, and whether it is new here."""
    if Path(name).name != name:
        raise ImportRefusedError(tr("{!r} is no file of this folder.", name))
    record = read_batch_document(folder / name)
    label = library.same_log(record)
    return (library.add_record(record), True) if label is None else (library.find_batch(label), False)


def _is_entry(entry: Any) -> bool:
    return isinstance(entry, dict) and isinstance(entry.get("id"), int) and isinstance(entry.get("file"), str)


def _is_rows(tables: Mapping[str, Any]) -> bool:
    return all(isinstance(rows, list) and all(isinstance(row, dict) for row in rows) for rows in tables.values())
