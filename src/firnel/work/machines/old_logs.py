"""Logs from before Firnel, many at once: what is guessed of each, what a table beside them says, and how they are taken in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from firnel.core.vocabulary import BatchRecord, MarkKind
from firnel.core.words import tr
from firnel.exchange.csv_log import Imported, ImportWishes
from firnel.exchange.csv_table import FIELDS
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.table_rows import table_rows
from firnel.store.library import Library
from firnel.store.writing import LibraryError
from firnel.work.review.records import import_read, read_file

__all__ = [
    "FIELDS", "MARKS", "ImportWishes", "OldLog", "TakenIn", "find_files", "look_at", "look_at_all", "mixed_words",
    "read_beside", "take_in",
]  # fmt: skip

SUFFIXES = (".csv", ".tsv", ".txt", ".json")
#: More files than this in one go are a mistake: somebody's whole disk.
MOST_FILES = 5000
MARKS = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)
#: Headings of a table beside the logs, each with the words by which it is known.
_BESIDE: Mapping[str, tuple[str, ...]] = {
    "file": ("file", "log", "filename", "file name"),
    "machine": ("machine", "roaster"),
    "lot": ("lot", "coffee", "bean", "green"),
    "load_kg": ("green kg", "load kg", "load", "charge kg", "green weight", "green weight kg"),
    "roasted_kg": ("roasted kg", "roasted", "out kg", "roasted weight", "roasted weight kg"),
    "room_c": ("room c", "room", "ambient c", "ambient"),
    "colour_whole": ("colour whole", "color whole", "whole"),
    "colour_ground": ("colour ground", "color ground", "ground", "colour", "color"),
    "started": ("started", "start", "date", "day"),
    "operator": ("operator", "who", "roasted by"),
    "charge": ("charge s", "charge"),
    "yellow": ("yellow s", "yellow"),
    "first_crack": ("first crack s", "first crack", "fc s"),
    "drop": ("drop s", "drop"),
}
_WORDS, _MARKS = ("machine", "lot", "operator", "started"), tuple(kind.value for kind in MARKS)


@dataclass(frozen=True)
class OldLog:
    """One file: what the hand or a table said of it, what was read, and what is wrong with it."""

    path: Path
    wishes: ImportWishes = field(default_factory=ImportWishes)
    beside: Mapping[str, Any] = field(default_factory=dict)  #: roasted_kg, colours, operator, started
    read: Imported | None = None
    wrong: str = ""

    @property
    def record(self) -> BatchRecord | None:
        """The batch as it would be taken in; None where the file cannot be."""
        if self.read is None:
            return None
        return replace(self.read.record, **self.beside)


@dataclass(frozen=True)
class TakenIn:
    """What came of it."""

    count: int
    left_out: tuple[str, ...]

    @property
    def words(self) -> str:
        """In a sentence or two."""
        many = tr("No log was") if not self.count else tr("One log was") if self.count == 1 else tr("{} logs were", self.count)
        if not self.left_out:
            return tr("{} taken in.", many)
        more = tr(" and {} more", len(self.left_out) - 1) if len(self.left_out) > 1 else ""
        return tr("{} taken in. Left out: {}{}.", many, self.left_out[0], more)


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
    tables = [path for path in found if _is_table(path)]
    logs = [path for path in found if path not in tables and path.suffix.lower() in SUFFIXES]
    if not logs:
        raise ImportRefusedError(tr("No logs there: Firnel reads {}.", ", ".join(SUFFIXES)))
    return logs, tables


def _is_table(path: Path) -> bool:
    """Whether a file has a row for each log instead of a row for each moment."""
    if path.suffix.lower() == ".xlsx":
        return True
    if path.suffix.lower() == ".json":
        return False
    try:
        with path.open(encoding="utf-8-sig", errors="replace") as file:
            first = file.readline(10_000)
    except OSError:
        return False
    headings = first.strip().replace(";", ",").replace("\t", ",").split(",")
    return "file" in {_heading(cell) for cell in headings}


def _heading(cell: object) -> str:
    words = " ".join(str(cell or "").strip().strip('"').lower().replace("_", " ").replace("(", " ").replace(")", " ").split())
    return next((name for name, known in _BESIDE.items() if words in known), "")


def read_beside(path: Path) -> dict[str, dict[str, Any]]:
    """What a table says of each log, by the name of its file without ending.

    Raises
    ------
    ImportRefusedError : if it is no table with a column for the file, or a figure in it is none.
    """
    rows = table_rows(path)
    names = [_heading(cell) for cell in rows[0]]
    if "file" not in names:
        raise ImportRefusedError(tr("{} has no column “file”: it must say which log each row is about.", path.name))
    found: dict[str, dict[str, Any]] = {}
    for number, row in enumerate(rows[1:], start=2):
        told: dict[str, Any] = {}
        for name, cell in zip(names, row, strict=False):
            text = str(cell if cell is not None else "").strip()
            if name and name not in told and text:
                told[name] = text if name in ("file", *_WORDS) else _figure(path, number, name, text)
        if "file" in told:
            found[Path(told.pop("file")).stem] = told
    return found


def _figure(path: Path, number: int, name: str, text: str) -> float:
    if name in _MARKS and ":" in text:
        minutes, _, seconds = text.partition(":")
        text = (
            str(60.0 * float(minutes or 0) + float(seconds or 0)) if (minutes + seconds).replace(".", "").isdecimal() else text
        )
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise ImportRefusedError(
            tr("{}, row {}: {} {!r} is not a figure.", path.name, number, name.replace("_", " "), text)
        ) from None


def look_at(log: OldLog) -> OldLog:
    """Read one file with what is said of it."""
    try:
        return replace(log, read=read_file(log.path, log.wishes), wrong="")
    except ImportRefusedError as error:
        return replace(log, read=None, wrong=str(error))


def look_at_all(logs: Sequence[Path], tables: Sequence[Path], progress: Callable[[float], bool]) -> tuple[list[OldLog], str]:
    """Read all files, with what tables beside them say; and what is wrong with the tables."""
    told: dict[str, dict[str, Any]] = {}
    wrong = []
    for table in tables:
        try:
            told |= read_beside(table)
        except ImportRefusedError as error:
            wrong.append(str(error))
    found = []
    for number, path in enumerate(logs):
        if not progress(number / len(logs)):
            break
        found.append(look_at(with_beside(OldLog(path), told.get(path.stem, {}))))
    return found, " ".join(wrong)


def with_beside(log: OldLog, told: Mapping[str, Any]) -> OldLog:
    """The log with what a table says of it."""
    marks = {kind: told[kind] for kind in _MARKS if kind in told}
    wishes = replace(
        log.wishes,
        machine=told.get("machine", log.wishes.machine),
        lot=told.get("lot", log.wishes.lot),
        load_kg=told.get("load_kg", log.wishes.load_kg),
        room_c=told.get("room_c", log.wishes.room_c),
        marks={**log.wishes.marks, **marks},
    )
    beside = {name: told[name] for name in ("roasted_kg", "colour_whole", "colour_ground", "operator") if name in told}
    if (started := _moment(str(told.get("started", "")))) is not None:
        beside["started"] = started
    return replace(log, wishes=wishes, beside={**log.beside, **beside})


def _moment(text: str) -> datetime | None:
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        return None
    return moment.astimezone(UTC)


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
    count, left_out = 0, []
    for number, log in enumerate(logs):
        if not progress(number / max(len(logs), 1)):
            left_out.append(tr("{} logs, when it was stopped", len(logs) - number))
            break
        record = log.record
        if log.read is None or record is None:
            left_out.append(log.wrong or tr("{} was not read", log.path.name))
            continue
        try:
            import_read(library, log.path.name, replace(log.read, record=record))
            count += 1
        except (ImportRefusedError, ValueError) as error:
            left_out.append(str(error).rstrip("."))
        except LibraryError as error:
            left_out.append(tr("{} logs: {}", len(logs) - number, str(error).rstrip(".")))
            break
    return TakenIn(count, tuple(left_out))
