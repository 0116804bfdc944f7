"""Cells of tables: what stands in them, and words that begin like a formula, written as text and read as what they were."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import printable

#: How a formula begins in the programs that open such tables.
BEGINNINGS = ("=", "+", "-", "@", "\t", "\r")
#: A number with its unit, as some write it into each cell.
_WITH_UNIT = re.compile(r"([+-]?\d+(?:\.\d+)?) ?(?:s|sec|min|°|°?[CFcf]|%|[kMh]?Pa|mbar|inH2O|inWC|psi|k?W|rpm|Hz|[VA])")


def text_cell(value: Any) -> Any:
    """A cell for a CSV table: words that would be taken for a formula get a mark before them."""
    return f"'{value}" if isinstance(value, str) and value.startswith(BEGINNINGS) else value


def cell_text(text: str) -> str:
    """What stood in a cell before `text_cell`."""
    return text[1:] if text.startswith("'") and text[1:].startswith(BEGINNINGS) else text


def append_row(sheet: Any, row: list[Any]) -> None:
    """Add a row to a spreadsheet, words as words."""
    sheet.append([printable(value) if isinstance(value, str) else value for value in row])
    for cell in sheet[sheet.max_row]:
        if isinstance(cell.value, str) and cell.value.startswith(BEGINNINGS):
            cell.data_type = "s"
            cell.quotePrefix = True


def cell_of(row: Sequence[str], index: int) -> str:
    """One cell, empty where the row is too short."""
    return row[index].strip() if index < len(row) else ""


def number_of(cell: str, decimal: str) -> float:
    """The number in a cell, with a unit behind it or not, NaN where there is none."""
    said = cell.replace(decimal, ".") if decimal == "," else cell
    try:
        return float(said)
    except ValueError:
        known = _WITH_UNIT.fullmatch(said)
        return float(known[1]) if known else math.nan


def numbers_of(body: Iterable[Sequence[str]], index: int, decimal: str) -> FloatArray:
    """A column of numbers, NaN where there is none, shape (n,)."""
    return np.array([number_of(cell_of(row, index), decimal) for row in body])
