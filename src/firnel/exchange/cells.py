"""Words in the cells of tables: what begins like a formula is written as text, and read as what it was."""

from __future__ import annotations

from typing import Any

from firnel.core.words import printable

#: How a formula begins in the programs that open such tables.
BEGINNINGS = ("=", "+", "-", "@", "\t", "\r")


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
