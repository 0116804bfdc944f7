"""Logs from before Firnel, many at once: what is guessed of each, what a table beside them says, and how they are taken in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from firnel.core.vocabulary import BatchRecord, Lot
from firnel.core.words import capital, some_of, tr
from firnel.exchange.beside import MARKS, Beside, is_table, read_beside
from firnel.exchange.csv_log import Imported, ImportWishes
from firnel.exchange.csv_table import FIELDS
from firnel.exchange.errors import ImportRefusedError
from firnel.store.library import Library
from firnel.store.writing import LibraryError
from firnel.work.review.records import import_read, read_files

__all__ = [
    "FIELDS", "MARKS", "ImportWishes", "OldLog", "TakenIn", "as_told", "find_files", "is_table", "look_at", "look_at_all",
    "mixed_words", "names_of", "read_beside", "read_tables", "take_in",
]  # fmt: skip

#: For each machine, the keys of its controls by what they are called.
Names = Mapping[str, Mapping[str, str]]
SUFFIXES = (".csv", ".tsv", ".txt", ".json")
#: More files than this in one go are a mistake: somebody's whole disk.
MOST_FILES = 5000
#: So many sentences about scales are said of all together.
MOST_TOLD = 2


@dataclass(frozen=True)
class OldLog:
    """One batch of a file, which mostly holds no other: what the hand or a table said of it and of its lot, what was read, and
    what is wrong with it.
    """

    path: Path
    wishes: ImportWishes = field(default_factory=ImportWishes)
    lot: Lot | None = None
    read: Imported | None = None
    wrong: str = ""

    @property
    def name(self) -> str:
        """Of its file, with its place there where that holds several."""
        return f"{self.path.stem} ({self.wishes.part + 1})" if self.read is not None and self.read.parts > 1 else self.path.stem

    @property
    def record(self) -> BatchRecord | None:
        """The batch as it would be taken in; None where the file cannot be."""
        return self.read.record if self.read is not None else None

    @property
    def green(self) -> Lot | None:
        """Its lot with what was measured of it, while it goes by that name."""
        return self.lot if self.lot is not None and self.lot.name == self.wishes.lot else None


@dataclass(frozen=True)
class TakenIn:
    """What came of it."""

    count: int
    left_out: tuple[str, ...]
    told: tuple[str, ...] = ()  #: how they were put on the scales of their machines, and what did not fit there

    @property
    def words(self) -> str:
        """In a sentence or two."""
        many = tr("No log was") if not self.count else tr("One log was") if self.count == 1 else tr("{} logs were", self.count)
        others = tr(" (and {} more)", len(self.told) - MOST_TOLD) if len(self.told) > MOST_TOLD else ""
        told = f" {capital('; '.join(self.told[:MOST_TOLD]))}{others}." if self.told else ""
        if not self.left_out:
            return tr("{} taken in.", many) + told
        more = tr(" and {} more", len(self.left_out) - 1) if len(self.left_out) > 1 else ""
        return tr("{} taken in. Left out: {}{}.", many, self.left_out[0], more) + told


def find_files(places: Iterable[Path]) -> tuple[list[Path], list[Path]]:
    """Logs and tables beside them in files and folders, by name.

    Raises
    ------
    ImportRefusedError : if there are none, or far too many.
    """
    found: dict[Path, None] = {}
    for place in places:
        inside = sorted(place.rglob("*")) if place.is_dir() else [place]
        for path in inside:
            if path.is_file() and path.suffix.lower() in (*SUFFIXES, ".xlsx"):
                found[path] = None
            if len(found) > MOST_FILES:
                raise ImportRefusedError(tr("There are more than {} files: choose a folder that holds logs only.", MOST_FILES))
    tables = [path for path in found if is_table(path)]
    logs = [path for path in found if path not in tables and path.suffix.lower() in SUFFIXES]
    if not logs:
        raise ImportRefusedError(tr("No logs there: Firnel reads {}.", ", ".join(SUFFIXES)))
    return logs, tables


def names_of(library: Library) -> Names:
    """What the controls of each machine are called, in small letters."""
    return {
        machine.name: {
            words.lower(): str(control) for control in machine.controls for words in (machine.word(control), control.words)
        }
        for machine in library.machines()
    }


def look_at(log: OldLog, names: Names) -> OldLog:
    """Read one batch of a file with what is said of it."""
    return batches_of(log, names)[0]


def batches_of(log: OldLog, names: Names) -> list[OldLog]:
    """Read a file with what is said of it: all its batches, or the one that is wished; ``names`` as `names_of` has them."""
    log = replace(log, wishes=replace(log.wishes, own_names=names.get(log.wishes.machine, {})))
    try:
        return [replace(log, wishes=read.wishes, read=read, wrong="") for read in read_files(log.path, log.wishes)]
    except ImportRefusedError as error:
        return [replace(log, read=None, wrong=str(error))]


def look_at_all(
    logs: Sequence[Path],
    tables: Sequence[Path],
    names: Names,
    progress: Callable[[float], bool],
    told: ImportWishes | None = None,
) -> tuple[list[OldLog], str]:
    """Read all files, with what tables beside them say under what was ``told`` of all; and what is wrong with the tables."""
    rows, said, wrong = read_tables(logs, tables)
    found = []
    for number, path in enumerate(logs):
        if not progress(number / len(logs)):
            break
        found += batches_of(as_told(path, rows, told or ImportWishes()), names)
    return found, " ".join((*wrong.values(), *said))


def as_told(path: Path, rows: Mapping[str, Beside], told: ImportWishes) -> OldLog:
    """A log that was not read yet, with what tables say of it under what was told."""
    row = rows.get(path.stem, Beside(ImportWishes())).under(told)
    return OldLog(path, row.wishes, row.lot)


def read_tables(logs: Sequence[Path], tables: Sequence[Path]) -> tuple[dict[str, Beside], list[str], dict[Path, str]]:
    """What tables say of the logs, by the names of their files without ending; what of them says nothing; which are wrong."""
    rows: dict[str, Beside] = {}
    said, wrong = list[str](), dict[Path, str]()
    for table in tables:
        try:
            more, unknown = read_beside(table)
        except ImportRefusedError as error:
            wrong[table] = str(error)
            continue
        rows |= more
        if unknown:
            said.append(tr("{}: {} is not read.", table.name, ", ".join(f"“{heading}”" for heading in unknown)))
        if lost := sorted(set(more) - {path.stem for path in logs}):
            said.append(tr("{} has rows of logs that are not here: {}.", table.name, some_of(lost)))
    return rows, said, wrong


def mixed_words(logs: Sequence[OldLog]) -> str:
    """Whether logs that are told to be one machine's look like those of several; a sentence, empty where they do not."""
    kinds: dict[str, dict[tuple[str, ...], list[str]]] = {}
    for log in logs:
        if log.read is None or log.path.suffix.lower() == ".json":
            continue
        units = log.read.units
        sign = tuple(f"{control.words} {units.get(control, '')}".strip() for control in log.read.record.trace.controls)
        kinds.setdefault(log.wishes.machine, {}).setdefault(sign, []).append(log.path.stem)
    for machine, signs in kinds.items():
        if len(signs) > 1:
            ways = "; ".join(
                tr("{} with {}", len(names), ", ".join(sign) or tr("no controls")) for sign, names in signs.items()
            )
            whose = tr("The logs of {}", machine) if machine else tr("These logs")
            return tr(
                "{} look like those of {} machines: {}. Choose the rows of each, and tell its machine.", whose, len(signs), ways
            )
    return ""


def take_in(library: Library, logs: Sequence[OldLog], progress: Callable[[float], bool]) -> TakenIn:
    """Take the logs in that can be, each whole or not at all; what is known already is left out."""
    count, left_out, told = 0, list[str](), list[str]()
    for number, log in enumerate(logs):
        if not progress(number / max(len(logs), 1)):
            left_out.append(tr("{} logs, when it was stopped", len(logs) - number))
            break
        if log.read is None:
            left_out.append(log.wrong or tr("{} was not read", log.path.name))
            continue
        try:
            _, taken = import_read(library, log.path.name, log.read, lot=log.green)
            told += taken.said[len(log.read.said) :]
            count += 1
        except (ImportRefusedError, ValueError) as error:
            left_out.append(str(error).rstrip("."))
        except LibraryError as error:
            left_out.append(tr("{} logs: {}", len(logs) - number, str(error).rstrip(".")))
            break
    return TakenIn(count, tuple(left_out), tuple(dict.fromkeys(told)))
