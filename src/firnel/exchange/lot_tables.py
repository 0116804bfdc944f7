"""Lots as a table, CSV or spreadsheet: one lot a row, units in the headings, and back."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from firnel.core.green.check import LONGEST
from firnel.core.vocabulary import Lot
from firnel.core.words import as_number, tr
from firnel.exchange.cells import append_row, cell_text, text_cell
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.table_rows import table_rows
from firnel.exchange.whole_file import whole_file, write_whole

#: Heading, field, and what the figure is multiplied by on the way in.
COLUMNS: tuple[tuple[str, str, float | None], ...] = (
    ("lot", "name", None),
    ("origin", "origin", None),
    ("station", "station", None),
    ("variety", "variety", None),
    ("process", "process", None),
    ("altitude m", "altitude_m", 1.0),
    ("harvest", "harvest", None),
    ("arrival", "arrival", None),
    ("bags", "bags", 1.0),
    ("on hand kg", "on_hand_kg", 1.0),
    ("price per kg", "price_per_kg", 1.0),
    ("density g/L", "density_g_per_l", 1.0),
    ("moisture %", "moisture", 0.01),
    ("water activity", "water_activity", 1.0),
    ("bean mm", "mean_mm", 1.0),
    ("replaces", "replaces", None),
    ("remark", "remark", None),
)
#: What a figure may be, by its field.
_LIMITS = {
    "altitude_m": (-100.0, 4000.0),
    "bags": (0.0, 1e5),
    "on_hand_kg": (0.0, 1e6),
    "price_per_kg": (0.0, 1e6),
    "density_g_per_l": (450.0, 950.0),
    "moisture": (0.03, 0.20),
    "water_activity": (0.2, 0.95),
    "mean_mm": (3.0, 10.0),
}
MOST_LETTERS = 200


@dataclass(frozen=True)
class TakenLots:
    """Lots of a table, and what was left out with the reason."""

    lots: tuple[Lot, ...]
    said: tuple[str, ...]


def write_lots(lots: Iterable[Lot], path: Path) -> None:
    """Write lots as ``.xlsx`` or else as CSV.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    rows = [[heading for heading, _, _ in COLUMNS], *([_cell(lot, name, by) for _, name, by in COLUMNS] for lot in lots)]
    if path.suffix.lower() == ".xlsx":
        from openpyxl import Workbook

        book = Workbook()
        sheet = book.active
        if sheet is None:
            raise RuntimeError("the new workbook has no sheet.")
        sheet.title = tr("Lots")
        for row in rows:
            append_row(sheet, row)
        sheet.freeze_panes = "B2"
        with whole_file(path) as fresh:
            book.save(fresh)
        return
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([text_cell(cell) for cell in row] for row in rows)
    write_whole(path, out.getvalue())


def _cell(lot: Lot, name: str, by: float | None) -> Any:
    value = getattr(lot, name)
    return round(value / by, 4) if by is not None and value is not None else value


def read_lots(path: Path) -> TakenLots:
    """Read lots from a table with headings as `write_lots` writes them; others are left out and told.

    Raises
    ------
    ImportRefusedError : if it is no such table.
    """
    rows = table_rows(path)
    headings = [str(cell or "").strip().lower() for cell in rows[0]]
    known = {heading.lower(): (name, by) for heading, name, by in COLUMNS}
    if "lot" not in headings:
        raise ImportRefusedError(tr("{} has no column “lot”; the headings are {}.", path.name, ", ".join(known)))
    said = [
        tr("column “{}” is not known and was left out", heading) for heading in headings if heading and heading not in known
    ]
    lots = []
    for number, row in enumerate(rows[1:], start=2):
        cells = dict(zip(headings, row, strict=False))
        if not str(cells.get("lot") or "").strip():
            continue
        try:
            lots.append(
                Lot(**{name: lot_value(cells[heading], name, by) for heading, (name, by) in known.items() if heading in cells})
            )
        except ValueError as error:
            said.append(tr("row {} was left out: {}", number, error))
    if not lots and not said:
        raise ImportRefusedError(tr("{} names no lot.", path.name))
    return TakenLots(tuple(lots), tuple(said))


def lot_value(cell: Any, name: str, by: float | None) -> Any:
    """A cell as the lot's field of that name, multiplied; None where it is empty.

    Raises
    ------
    ValueError : if it is no figure, one that no lot has, or words that cannot be kept.
    """
    text = cell_text(str(cell if cell is not None else "").strip())
    if by is None:
        most = LONGEST.get(name, MOST_LETTERS)
        if len(text) > most or any(ord(sign) < 32 for sign in text):
            raise ValueError(tr("{} has more than {} letters, or some that cannot be printed", name, most))
        return text
    if not text:
        return None
    try:
        figure = as_number(text) * by
    except ValueError:
        raise ValueError(tr("{} {!r} is not a figure", name, text)) from None
    low, high = _LIMITS[name]
    if not low <= figure <= high:
        raise ValueError(tr("{} {} cannot be: {:g} to {:g}", name, text, low / by, high / by))
    return round(figure) if name == "bags" else round(figure, 6)
