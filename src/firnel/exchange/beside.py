"""A table beside old logs: a row for each log, with what was written down of it and of its green coffee."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from firnel.core.vocabulary import Lot, MarkKind
from firnel.core.words import as_number, tr
from firnel.exchange.cells import cell_text
from firnel.exchange.csv_log import ImportWishes
from firnel.exchange.encoding import decoded
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.lot_tables import lot_value
from firnel.exchange.table_rows import table_rows

#: Marks that a table may tell, in seconds of the log's own time, or as minutes:seconds.
MARKS = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)
#: What follows a heading, and by what a figure is multiplied and moved then; the pound is that of NIST SP 811.
_AS_IT_IS = (1.0, 0.0)
_POUND, _FAHRENHEIT = (0.45359237, 0.0), (1.0 / 1.8, -32.0 / 1.8)
_MASS = {"kg": _AS_IT_IS, "g": (0.001, 0.0), "lb": _POUND, "lbs": _POUND, "": _AS_IT_IS}
_SECONDS = {"s": _AS_IT_IS, "sec": _AS_IT_IS, "seconds": _AS_IT_IS, "min": (60.0, 0.0), "": _AS_IT_IS}
_DEGREES = {"": _AS_IT_IS, "c": _AS_IT_IS, "°c": _AS_IT_IS, "f": _FAHRENHEIT, "°f": _FAHRENHEIT}
#: Days as they are written; of 2/11 nobody can tell the month.
_DAYS = ("%d.%m.%Y", "%d.%m.%Y %H:%M", "%d.%m.%Y %H:%M:%S")


@dataclass(frozen=True)
class _Field:
    """Headings without their unit, what each unit that may follow is worth, and what the figure may be then."""

    known: tuple[str, ...]
    units: Mapping[str, tuple[float, float]] = field(default_factory=lambda: {"": _AS_IT_IS})
    most: tuple[float, float] | None = None  #: None: words


#: By the name of what it tells; where two share a heading ("charge"), the unit behind it decides.
_FIELDS: Mapping[str, _Field] = {
    "file": _Field(("file", "log", "filename", "file name")),
    "machine": _Field(("machine", "roaster")),
    "lot": _Field(("lot", "coffee", "bean", "green")),
    "process": _Field(("process", "processing")),
    "operator": _Field(("operator", "who", "roasted by")),
    "started": _Field(("started", "start", "date", "day")),
    "moisture": _Field(("moisture", "moisture wet basis", "moisture content"), dict.fromkeys(("", "%", "percent"), _AS_IT_IS)),
    "density_g_per_l": _Field(("density", "bulk density"), dict.fromkeys(("", "g per l", "g/l"), _AS_IT_IS)),
    **{kind.value: _Field((kind.value.replace("_", " "), *more), _SECONDS, (-7200.0, 86400.0))
       for kind, *more in ((MARKS[0],), (MARKS[1],), (MARKS[2], "1st crack", "fc"), (MARKS[3],))},
    "load_kg": _Field(("load", "green", "green weight", "charge"), _MASS, (0.01, 1000.0)),
    "roasted_kg": _Field(("roasted", "roasted weight", "out"), _MASS, (0.001, 1000.0)),
    "room_c": _Field(("room", "ambient"), _DEGREES, (-40.0, 60.0)),
    "colour_whole": _Field(("colour whole", "color whole", "whole"), most=(0.0, 200.0)),
    "colour_ground": _Field(("colour ground", "color ground", "ground", "colour", "color"), most=(0.0, 200.0)),
}  # fmt: skip
_GREEN = ("process", "moisture", "density_g_per_l")
_OF_WISHES = ("machine", "operator", "load_kg", "roasted_kg", "room_c", "colour_whole", "colour_ground", "started")


@dataclass(frozen=True)
class Beside:
    """What a table says of one log: of the batch, and of its lot, where that was measured or named."""

    wishes: ImportWishes
    lot: Lot | None = None

    def under(self, told: ImportWishes) -> Beside:
        """With what was told otherwise on top of it."""
        values = {
            name: value for name in (*_OF_WISHES, "lot", "temperature") if (value := getattr(told, name)) not in (None, "")
        }
        wishes = replace(self.wishes, columns=told.columns, marks={**self.wishes.marks, **told.marks}, **values)
        lot = self.lot if self.lot is None or not told.lot else replace(self.lot, name=told.lot)
        return Beside(wishes, lot)


def is_table(path: Path) -> bool:
    """Whether a file has a row for each log instead of a row for each moment."""
    if path.suffix.lower() in (".json", ".firnel"):
        return False
    if path.suffix.lower() == ".xlsx":
        return True
    try:
        with path.open("rb") as file:
            raw = file.read(20_000)
    except OSError:
        return False
    headings = (decoded(raw) or "").partition("\n")[0].strip().replace(";", ",").replace("\t", ",").split(",")
    return "file" in {_column(cell)[0] for cell in headings}


def _column(cell: object) -> tuple[str, str]:
    """What a heading means, and its unit; nothing where it is not known."""
    text = str(cell or "").strip().strip('"').lower()
    for sign in "_()[],":
        text = text.replace(sign, " ")
    words = text.split()
    for name, one in _FIELDS.items():
        for unit in sorted(one.units, key=len, reverse=True):
            parts = unit.split()
            if words[len(words) - len(parts) :] == parts and " ".join(words[: len(words) - len(parts)]) in one.known:
                return name, unit
    return "", ""


def read_beside(path: Path) -> tuple[dict[str, Beside], tuple[str, ...]]:
    """What a table says of each log, by the name of its file without ending; and its headings that say nothing here.

    Logs whose green coffee has the same measurements and no name share a lot, which is called by the first of them.

    Raises
    ------
    ImportRefusedError : if it is no table with a column for the file, or a figure in it is none.
    """
    rows = table_rows(path)
    columns = [_column(cell) for cell in rows[0]]
    if "file" not in [name for name, _ in columns]:
        raise ImportRefusedError(tr("{} has no column “file”: it must say which log each row is about.", path.name))
    unknown = tuple(str(cell) for cell, (name, _) in zip(rows[0], columns, strict=True) if not name and str(cell or "").strip())
    found: dict[str, Beside] = {}
    unnamed: dict[tuple[Any, ...], str] = {}
    for number, row in enumerate(rows[1:], start=2):
        told = _row(path.name, number, columns, row)
        if "file" not in told:
            continue
        stem = Path(told["file"]).stem
        green = {name: told[name] for name in _GREEN if name in told}
        lot = told.get("lot") or (unnamed.setdefault(tuple(green.items()), stem) if green else "")
        wishes = ImportWishes(
            lot=lot,
            marks={kind.value: told[kind.value] for kind in MARKS if kind.value in told},
            **{name: told[name] for name in _OF_WISHES if name in told},
        )
        found[stem] = Beside(wishes, Lot(lot, **green) if lot else None)
    return found, unknown


def _row(name: str, number: int, columns: Sequence[tuple[str, str]], row: Sequence[Any]) -> dict[str, Any]:
    told: dict[str, Any] = {}
    for (what, unit), cell in zip(columns, row, strict=False):
        text = cell_text(str(cell if cell is not None else "").strip())
        if not what or what in told or not text:
            continue
        try:
            told[what] = _READ.get(what, _figure)(what, unit, text)
        except ValueError as error:
            raise ImportRefusedError(tr("{}, row {}: {}.", name, number, str(error).rstrip("."))) from None
    return told


def _figure(what: str, unit: str, text: str) -> Any:
    """Words as they are; a figure in the unit that is kept."""
    one = _FIELDS[what]
    if one.most is None:
        return lot_value(text, what, None)
    words = what.replace("_kg", "").replace("_c", "").replace("_", " ")
    if ":" in text and one.units is _SECONDS:
        minutes, _, seconds = text.partition(":")
        if not (minutes + seconds).replace(".", "").isdecimal():
            raise ValueError(tr("{} {!r} is not a figure", words, text))
        return 60.0 * float(minutes) + float(seconds)
    try:
        figure = as_number(text)
    except ValueError:
        raise ValueError(tr("{} {!r} is not a figure", words, text)) from None
    factor, offset = one.units[unit]
    figure, (low, high) = figure * factor + offset, one.most
    if not low <= figure <= high:
        raise ValueError(tr("{} {} cannot be: {:g} to {:g}", words, text, low, high))
    return figure


def _moisture(what: str, unit: str, text: str) -> Any:
    """A share, or per cent: no green coffee holds less than one of the latter."""
    try:
        as_share = not unit and as_number(text) < 1.0
    except ValueError:
        as_share = False
    return lot_value(text, what, 1.0 if as_share else 0.01)


def _density(what: str, unit: str, text: str) -> Any:
    return lot_value(text, what, 1.0)


def _day(what: str, unit: str, text: str) -> datetime:
    for read in (datetime.fromisoformat, *(_by(form) for form in _DAYS)):
        try:
            return read(text).astimezone(UTC)
        except (ValueError, OverflowError, OSError):
            continue
    raise ValueError(tr("{!r} is no day that can be read: write 2026-11-02, or 2026-11-02 14:30", text))


def _by(form: str) -> Callable[[str], datetime]:
    return lambda text: datetime.strptime(text, form)


_READ: Mapping[str, Callable[[str, str, str], Any]] = {
    "moisture": _moisture, "density_g_per_l": _density, "started": _day,
}  # fmt: skip
