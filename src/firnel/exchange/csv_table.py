"""A log as a table of text: its lines, and which column is what by its heading."""

from __future__ import annotations

import csv
import re
from collections.abc import Collection, Mapping, Sequence
from itertools import zip_longest
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
    "bean": ("bean", "bohne", "product", "probe1", "probe 1", "bt"),
    "air": ("air", "luft", "exhaust", "environment", "probe2", "probe 2", "et"),
    "gas": ("gas", "burner", "heat", "power", "brenner", "leistung"),
    "drum": ("drum", "trommel", "rpm", "speed"),
    "mark": ("mark", "event", "milestone"),
}
#: A heading with one of these tells how fast something changes: no reading of it.
_RATES = re.compile(r"delta|δ|∆|\bror\b|(^|_)ror(_|$)|\brise\b|/ ?min|per min|anstieg")
#: And with one of these a temperature: no setting of a control.
_TEMPERATURES = re.compile(r"temp|°|\bdeg|[_ (\[][cf][)\]]?$")
#: A probe has so many unlike readings, or in this share of its lines, and comes as high: else it is a setting. [degC or degF]
MOST_ALIKE, DIFFERENT, WARM = 20, 0.2, 60.0
#: Headings are looked for among so many lines, above so many of numbers in a row.
MOST_ABOVE, IN_A_ROW = 60, 3
#: Words in a heading that tell the unit of a control.
_UNIT_WORDS = {
    "kpa": "kPa", "mbar": "mbar", "hpa": "mbar", "inh2o": "inH2O", "inwc": "inH2O", "pa": "Pa", "pct": "%", "%": "%",
    "percent": "%", "rpm": "rpm", "hz": "Hz", "kw": "kW", "w": "W", "step": "step", "steps": "step",
}  # fmt: skip
_UNIT_CELLS = {*_UNIT_WORDS, "s", "sec", "seconds", "min", "ms", "c", "f", "degc", "degf", "c/min", "f/min"}
#: A source of heat that is called so is one of several, and goes by its own name; without a unit where it reads no more than
#: settings in percent do: else it may be a probe. [%]
_OWN_SOURCES = ("hot air", "radiant", "infrared", "drum heat", "drum power", "air heat")
MOST_PERCENT = 100.0
#: Shorter words count only by themselves.
MOST_SHORT = 3


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
    counts = {mark: sorted(line.count(mark) for line in sample) or [0] for mark in ";\t,|"}
    delimiter = max(counts, key=lambda mark: (counts[mark][len(counts[mark]) // 2], mark == ";"))
    if not any(delimiter in line for line in sample):
        raise ImportRefusedError(tr("{} has only one column; a log needs at least time and bean temperature.", name))
    decimal = "," if delimiter != "," and any(re.search(r"\d,\d", line) for line in sample) else "."
    try:
        return list(csv.reader(lines, delimiter=delimiter)), delimiter, decimal
    except csv.Error as error:
        raise ImportRefusedError(tr("{} is no table that can be read: {}.", name, error)) from error


def split_header(rows: list[list[str]]) -> tuple[list[str], list[list[str]], int]:
    """Headings, none where the first row is of numbers; the rows of readings; and how many lines stand above the headings.

    Units in a row of their own stand behind the headings that they belong to.
    """
    first = next((at for at in range(min(len(rows), MOST_ABOVE)) if all(map(_of_numbers, rows[at : at + IN_A_ROW]))), None)
    if first is None:
        first = 1 if _of_words(rows[0]) else 0
    if first == 0 or not _of_words(rows[first - 1]):
        return [], rows[first:], first
    header, above = [cell.strip() for cell in rows[first - 1]], first - 1
    if above and _of_words(rows[above - 1]) and all(_is_unit(cell) for cell in header if cell):
        names = [cell.strip() for cell in rows[above - 1]]
        header = [" ".join(filter(None, both)) for both in zip_longest(names, header, fillvalue="")]
        above -= 1
    return header, rows[first:], above


def _is_unit(cell: str) -> bool:
    return cell.lower().strip("[]() ").replace("°", "") in _UNIT_CELLS


def _of_numbers(row: Sequence[str]) -> bool:
    begin = [cell.strip()[:2].lstrip("+-") for cell in row if cell.strip()]
    numbers = sum(text[:1].isdigit() for text in begin)
    return numbers >= max(2, len(begin) - numbers)


def _of_words(row: Sequence[str]) -> bool:
    known = [cell for cell in row if cell.strip()]
    return sum(bool(re.search(r"[^\W\d_]", cell)) or cell.strip() == "%" for cell in known) >= max(1, (len(known) + 1) // 2)


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
        wanted = column.lower()
        at = [i for i, cell in enumerate(lowered) if cell == wanted] or [
            i
            for i, cell in enumerate(lowered)
            if cell.startswith(f"{wanted} ")  # with its unit from the row below
        ]
        if at:
            found[field_name] = at[0]
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
    found |= _by_words(header, body, decimal, found, set(own.values()))
    found |= {key: index for key, index in own.items() if index not in found.values()}
    return found


def _by_words(
    header: Sequence[str], body: Sequence[Sequence[str]], decimal: str, known: Mapping[str, int], own: Collection[int]
) -> dict[str, int]:
    """Columns by the words of their headings, beside those that are ``known`` and the machine's ``own``."""
    found = dict(known)

    def called(words: Sequence[str]) -> list[int]:
        """Columns left that are called so: what is just the word before what has it among others, "air" before "hot air"."""
        named = sorted(enumerate(header), key=lambda pair: _control_heading(pair[1])[0] not in words)
        return [at for at, cell in named if at not in found.values() and at not in own and _named(cell, words)]

    for field_name, words in _NAMES.items():
        fitting = (at for at in called(words) if _may_be(field_name, header[at], body, at, decimal))
        if field_name not in found and (at := next(fitting, None)) is not None:
            found[field_name] = at
    # What is called so must do for beans where nothing else will; and "air" that reads like a setting is the airflow.
    beans = [at for at in called(_NAMES["bean"]) if not _RATES.search(header[at].lower())]
    settings = [at for at in called(_NAMES["air"]) if _reads_percent(body, at, decimal)]
    for field_name, left in (("bean", beans), ("airflow", settings)):
        if field_name not in found and left:
            found[field_name] = left[0]
    return found


def _named(cell: str, words: Sequence[str]) -> bool:
    """Whether a heading has one of the words in it; a short one only by itself."""
    parts = set(re.split(r"[^a-z0-9äöüß]+|_", cell.lower()))
    return any(word in (parts if len(word) < MOST_SHORT else cell.lower()) for word in words)


def _may_be(field_name: str, cell: str, body: Sequence[Sequence[str]], index: int, decimal: str) -> bool:
    """Whether a column that is called so can be what its heading says."""
    if field_name in ("time", "mark"):
        return True
    if _RATES.search(cell.lower()):
        return False
    if field_name not in NO_CONTROLS:
        return not _TEMPERATURES.search(cell.lower())
    numbers = numbers_of(body, index, decimal)
    known = numbers[np.isfinite(numbers)]
    unlike = np.unique(known).size >= min(MOST_ALIKE, DIFFERENT * known.size)
    return not known.size or bool(unlike and np.abs(known).max() >= WARM)


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
