"""A log as a table of text: its lines, and which column is what by its heading."""

from __future__ import annotations

import csv
import re
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

import numpy as np

from firnel.core.vocabulary import MOST_CONTROLS, Control
from firnel.core.words import tr
from firnel.exchange.cells import numbers_of
from firnel.exchange.encoding import decoded
from firnel.exchange.errors import ImportRefusedError

MOST_BYTES, MOST_ROWS = 64_000_000, 400_000
FIELDS = ("time", "bean", "air", "gas", "airflow", "drum")
#: Columns that are no controls.
NO_CONTROLS = ("time", "bean", "air", "mark")

#: Words by which a column is known, most telling first. The order of the fields matters: airflow before air.
_NAMES: dict[str, tuple[str, ...]] = {
    "time": ("time", "elapsed", "seconds", "zeit", "tiempo", "tempo"),
    "airflow": ("airflow", "air flow", "fan", "damper", "draft", "air_flow", "luftstrom", "lüfter", "gebläse"),
    "bean": ("bean", "bohne", "product", "probe1", "probe 1"),
    "air": ("air", "luft", "exhaust", "environment", "probe2", "probe 2"),
    "gas": ("gas", "burner", "heat", "power", "brenner", "leistung"),
    "drum": ("drum", "trommel", "rpm", "speed"),
    "mark": ("mark", "event", "milestone"),
}
#: Words in a heading that tell the unit of a control.
_UNIT_WORDS = {
    "kpa": "kPa", "mbar": "mbar", "inh2o": "inH2O", "pct": "%", "%": "%", "percent": "%", "pa": "Pa", "rpm": "rpm", "hz": "Hz",
    "kw": "kW", "w": "W", "step": "step", "steps": "step",
}  # fmt: skip
#: A source of heat that is called so is one of several, and goes by its own name; without a unit where it reads no more than
#: settings in percent do: else it may be a probe. [%]
_OWN_SOURCES = ("hot air", "radiant", "infrared", "drum heat", "drum power", "air heat")
MOST_PERCENT = 100.0


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
    text = decoded(raw)
    if text is None:
        raise ImportRefusedError(tr("{} is a binary file, not a CSV log.", path.name))
    return text


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


def columns_of(
    header: list[str],
    body: list[list[str]],
    wished: Mapping[str, str],
    name: str,
    decimal: str = ".",
    own_names: Mapping[str, str] | None = None,
) -> dict[str, int]:
    """Which column is what: as wished, as the machine's own controls are called, else by the words of its heading.

    Parameters
    ----------
    header, body, decimal : of the table.
    wished : heading or number of the column for each reading.
    name : of the file, for messages.
    own_names : keys of the machine's controls by what they are called, in small letters.

    Raises
    ------
    ImportRefusedError : if a wished one is missing.
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
    probes = {word for known in NO_CONTROLS for word in _NAMES[known]}  # whatever a machine calls its fan
    for index, cell in enumerate(header):
        called = {cell.strip().lower(), _control_heading(cell)[0]} - probes
        key = next((key for words, key in (own_names or {}).items() if words in called), None)
        if key is not None and key not in found and index not in found.values():
            found[key] = index
    sources = {index for index in range(len(header)) if _reads_percent(body, index, decimal)}
    own = _own_controls(header, found, name, sources)
    for field_name, words in _NAMES.items():
        # A heading that is just the word goes before one that has it among others: "air" before "hot air".
        for index, cell in sorted(enumerate(header), key=lambda pair: _control_heading(pair[1])[0] not in words):
            if field_name in found or index in found.values() or index in own.values():
                continue
            if any(word in cell.lower() for word in words):
                found[field_name] = index
    found |= {key: index for key, index in own.items() if index not in found.values()}
    return found


def _reads_percent(body: Sequence[Sequence[str]], index: int, decimal: str) -> bool:
    numbers = numbers_of(body, index, decimal)
    known = numbers[np.isfinite(numbers)]
    return bool(known.size) and float(known.min()) >= 0.0 and float(known.max()) <= MOST_PERCENT


def _own_controls(header: list[str], found: Mapping[str, int], name: str, in_percent: Collection[int]) -> dict[str, int]:
    """Columns that are controls by their unit, or by a source's name, and that no usual word names, by key.

    Raises
    ------
    ImportRefusedError : if two columns are one control.
    """
    own: dict[str, int] = {}
    for index, cell in enumerate(header):
        words, unit = _control_heading(cell)
        if unit is None and index in in_percent and any(word in words for word in _OWN_SOURCES):
            unit = "%"
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
