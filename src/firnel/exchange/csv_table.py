"""A log as a table of text: its lines, which column is what, and the numbers and times in them."""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from pathlib import Path

import numpy as np

from firnel.core.vocabulary import MOST_CONTROLS, Control, FloatArray
from firnel.core.words import tr
from firnel.exchange.errors import ImportRefusedError

MOST_BYTES, MOST_ROWS = 64_000_000, 400_000
FIELDS = ("time", "bean", "air", "gas", "airflow", "drum")
#: Columns that are no controls.
NO_CONTROLS = ("time", "bean", "air", "mark")

#: Words by which a column is known, most telling first. The order of the fields matters: airflow before air.
_NAMES: dict[str, tuple[str, ...]] = {
    "time": ("time", "elapsed", "seconds", "zeit", "tiempo", "tempo"),
    "airflow": ("airflow", "air flow", "fan", "damper", "draft", "air_flow"),
    "bean": ("bean", "product", "probe1", "probe 1"),
    "air": ("air", "exhaust", "environment", "probe2", "probe 2"),
    "gas": ("gas", "burner", "heat", "power"),
    "drum": ("drum", "rpm", "speed"),
    "mark": ("mark", "event", "milestone"),
}
#: Words in a heading that tell the unit of a control.
_UNIT_WORDS = {
    "kpa": "kPa", "mbar": "mbar", "inh2o": "inH2O", "pct": "%", "%": "%", "percent": "%", "pa": "Pa", "rpm": "rpm", "hz": "Hz",
    "kw": "kW", "w": "W", "step": "step", "steps": "step",
}  # fmt: skip
#: A source of heat that is called so is one of several, and goes by its own name.
_OWN_SOURCES = ("hot air", "radiant", "infrared", "drum heat", "drum power", "air heat")


def _control_heading(heading: str) -> tuple[str, str | None]:
    """Name and unit that a heading tells: ``hot_air_pct``, ``Burner (mbar)``; None for a unit that no control has."""
    words = [word for word in re.split(r"[^a-z0-9%]+", heading.lower()) if word]
    unit = next((_UNIT_WORDS[word] for word in words if word in _UNIT_WORDS), None)
    return " ".join(word for word in words if word not in _UNIT_WORDS), unit


def units_of(header: Sequence[str] | None, columns: Mapping[str, int]) -> dict[Control, str]:
    """Units of the controls: ``gas_kpa``, ``Airflow (%)``."""
    units: dict[Control, str] = {}
    for name, index in columns.items():
        if header and name not in NO_CONTROLS:
            _, unit = _control_heading(header[index])
            if unit is not None:
                units[Control(name)] = unit
    return units


def read_text(path: Path) -> str:
    """The text of a file, whatever it is written in.

    Raises
    ------
    ImportRefusedError : if it is none, empty, too large, or cannot be read.
    """
    try:
        size = path.stat().st_size
        if size == 0:
            raise ImportRefusedError(tr("{} is empty.", path.name))
        if size > MOST_BYTES:
            raise ImportRefusedError(
                tr(
                    "{} is {:.0f} MB; a roast log is smaller than {:.0f} MB.",
                    path.name,
                    size / 1000000.0,
                    MOST_BYTES / 1000000.0,
                )
            )
        raw = path.read_bytes()
    except OSError as error:
        raise ImportRefusedError(tr("{} cannot be read: {}.", path, error.strerror)) from error
    if b"\x00" in raw[:4096] and not raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise ImportRefusedError(tr("{} is a binary file, not a CSV log.", path.name))
    for encoding in ("utf-16",) if raw.startswith((b"\xff\xfe", b"\xfe\xff")) else ("utf-8-sig", "cp1252"):
        try:
            return raw.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise ImportRefusedError(tr("{} is not a text file that can be read.", path.name))


def rows_of(text: str, name: str) -> tuple[list[list[str]], str, str]:
    """Its rows, what parts their cells, and the mark before the parts of a number.

    Raises
    ------
    ImportRefusedError : if there are too many, or only one column.
    """
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if len(lines) > MOST_ROWS:
        raise ImportRefusedError(tr("{} has {} lines; a roast log has fewer than {}.", name, len(lines), MOST_ROWS))
    sample = lines[:50]
    delimiter = max(";\t,|", key=lambda mark: (min((line.count(mark) for line in sample), default=0), ";\t,|".index(mark) == 0))
    if not any(delimiter in line for line in sample):
        raise ImportRefusedError(tr("{} has only one column; a log needs at least time and bean temperature.", name))
    decimal = "," if delimiter != "," and any(re.search(r"\d,\d", line) for line in sample) else "."
    try:
        return list(csv.reader(lines, delimiter=delimiter)), delimiter, decimal
    except csv.Error as error:
        raise ImportRefusedError(tr("{} is no table that can be read: {}.", name, error)) from error


def split_header(rows: list[list[str]]) -> tuple[list[str], list[list[str]]]:
    """Headings, none where the first row is of numbers, and the rows below."""
    first = rows[0]
    has_letters = sum(bool(re.search(r"[A-Za-z]", cell)) for cell in first)
    return ([cell.strip() for cell in first], rows[1:]) if has_letters >= max(1, len(first) // 2) else ([], rows)


def columns_of(header: list[str], body: list[list[str]], wished: Mapping[str, str], name: str, decimal: str) -> dict[str, int]:
    """Which column is what: as wished, else by the words of its heading.

    Raises
    ------
    ImportRefusedError : if time or bean temperature is missing, or a wished one.
    """
    found: dict[str, int] = {}
    for wish, column in wished.items():
        try:
            field_name = wish if wish in _NAMES else str(Control.named(wish))
        except ValueError as error:
            raise ImportRefusedError(tr("There is no reading {!r}: {}", wish, error)) from error
        lowered = [cell.lower() for cell in header]
        if column.lower() in lowered:
            found[field_name] = lowered.index(column.lower())
        elif column.isdecimal() and 1 <= int(column) <= len(body[0] if body else header):
            found[field_name] = int(column) - 1
        else:
            raise ImportRefusedError(
                tr("{} has no column {!r}; it has {}.", name, column, ", ".join(header) or tr("no headings"))
            )
    own = _own_controls(header, found, name)
    for field_name, words in _NAMES.items():
        for index, cell in enumerate(header):
            if field_name in found or index in found.values() or index in own.values():
                continue
            if any(word in cell.lower() for word in words):
                found[field_name] = index
    found |= {key: index for key, index in own.items() if index not in found.values()}
    if not header and "time" not in found:
        found = {"time": 0, "bean": 1} | ({"air": 2} if body and len(body[0]) > 2 else {}) | found
    if "time" not in found or "bean" not in found:
        missing = tr("time") if "time" not in found else tr("bean temperature")
        raise ImportRefusedError(
            tr(
                "No column of {} looks like {}; say which with --columns time=…,bean=…. It has: {}.",
                name,
                missing,
                ", ".join(header),
            )
        )
    return found


def _own_controls(header: list[str], found: Mapping[str, int], name: str) -> dict[str, int]:
    """Columns that are controls by their unit and that no usual word names, by key.

    Raises
    ------
    ImportRefusedError : if two columns are one control.
    """
    own: dict[str, int] = {}
    for index, cell in enumerate(header):
        words, unit = _control_heading(cell)
        key = _control_key(words, unit) if index not in found.values() else None
        if key is None:
            continue
        if key in own:
            raise ImportRefusedError(
                tr("{} has two columns for {!r}: {} and {}. Rename one of them.", name, key, header[own[key]], cell)
            )
        if key not in found:
            own[key] = index
    if len(own) > MOST_CONTROLS:
        raise ImportRefusedError(
            tr("{} has {} columns that look like controls; {} are the most.", name, len(own), MOST_CONTROLS)
        )
    return own


def _control_key(words: str, unit: str | None) -> str | None:
    """The key of the control that a heading names; None where it names none, or no more than looks like one."""
    usual = {key: known for key, known in _NAMES.items() if key not in NO_CONTROLS}
    exact = next((key for key, known in usual.items() if words in known), None)
    if exact is not None or unit is None or not words:
        return exact
    looks = any(word in words for known in usual.values() for word in known)
    return None if looks and not any(word in words for word in _OWN_SOURCES) else str(Control.named(words[:20].strip()))


def cell_of(row: Sequence[str], index: int) -> str:
    """One cell, empty where the row is too short."""
    return row[index].strip() if index < len(row) else ""


def _number(cell: str, decimal: str) -> float:
    try:
        return float(cell.replace(decimal, ".") if decimal == "," else cell)
    except ValueError:
        return math.nan


def numbers_of(body: Iterable[Sequence[str]], index: int, decimal: str) -> FloatArray:
    """A column of numbers, NaN where there is none, shape (n,)."""
    return np.array([_number(cell_of(row, index), decimal) for row in body])


def times_of(body: Sequence[Sequence[str]], index: int, decimal: str, name: str) -> FloatArray:
    """Seconds from numbers, minutes:seconds, hours:minutes:seconds or dates with a time."""

    def seconds(cell: str) -> float:
        if ":" not in cell:
            return _number(cell, decimal)
        if "-" in cell or "T" in cell:
            try:
                return datetime.fromisoformat(cell).timestamp()
            except ValueError:
                return math.nan
        total = 0.0
        for part in cell.split(":"):
            total = total * 60.0 + _number(part, decimal)
        return total

    t = np.array([seconds(cell_of(row, index)) for row in body])
    if np.isfinite(t).sum() < 10:
        raise ImportRefusedError(tr("{} has no ten lines with a time in them; there is no roast in it.", name))
    if float(np.nanmin(t)) > 1e6:
        t = t - float(np.nanmin(t))  # clock times count from the first line
    return t


def going_forward(t: FloatArray, name: str) -> tuple[np.ndarray, int]:
    """Which lines go forward in time; a log that goes back often is refused."""
    keep = np.zeros(t.size, bool)
    newest = -math.inf
    for index, moment in enumerate(t):
        if math.isfinite(moment) and moment > newest:
            keep[index] = True
            newest = moment
    timed = int(np.isfinite(t).sum())
    dropped = timed - int(keep.sum())
    if dropped > 0.2 * timed:
        back = int(np.flatnonzero(np.diff(np.nan_to_num(t)) < 0)[0]) + 2 if (np.diff(np.nan_to_num(t)) < 0).any() else 0
        raise ImportRefusedError(
            tr(
                "In {} time goes backwards or stands still in {} of {} lines (first near line {}).",
                name,
                dropped,
                timed,
                back + 1,
            )
        )
    return keep, dropped
