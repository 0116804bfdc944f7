"""The rows of a table in a file, CSV or spreadsheet: bounded, and refused in a sentence."""

from __future__ import annotations

import csv
import io
import logging
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from firnel.core.words import tr
from firnel.exchange.encoding import decoded
from firnel.exchange.errors import ImportRefusedError

log = logging.getLogger(__name__)

MOST_ROWS, MOST_BYTES, MOST_COLUMNS = 20_000, 20_000_000, 200


def table_rows(path: Path) -> list[Sequence[Any]]:
    """All rows of a table, the headings first.

    Raises
    ------
    ImportRefusedError : if it is no table, is empty, or is too large for one.
    """
    rows = _spreadsheet(path) if path.suffix.lower() == ".xlsx" else _text(path)
    if not rows:
        raise ImportRefusedError(tr("{} is empty.", path.name))
    if len(rows) > MOST_ROWS:
        raise ImportRefusedError(tr("{} has {} rows; a table has at most {} here.", path.name, len(rows), MOST_ROWS))
    return rows


def _text(path: Path) -> list[Sequence[Any]]:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ImportRefusedError(
                tr("{} is larger than {:.0f} MB: it is no table to be read here.", path.name, MOST_BYTES / 1000000.0)
            )
        text = decoded(path.read_bytes())
    except OSError as error:
        raise ImportRefusedError(tr("{} cannot be read: {}.", path.name, error.strerror)) from error
    if text is None:
        raise ImportRefusedError(tr("{} is no text file.", path.name))
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    try:
        return list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise ImportRefusedError(tr("{} is no table that can be read: {}.", path.name, error)) from error


def _spreadsheet(path: Path) -> list[Sequence[Any]]:
    from zipfile import BadZipFile, ZipFile

    from openpyxl import load_workbook

    try:
        with ZipFile(path) as packed:
            if sum(part.file_size for part in packed.infolist()) > MOST_BYTES:
                raise ImportRefusedError(
                    tr("{} unpacks to more than {:.0f} MB: it is no table to be read here.", path.name, MOST_BYTES / 1000000.0)
                )
        book = load_workbook(path, read_only=True, data_only=True)
        rows: list[Sequence[Any]] = []
        for row in book.worksheets[0].iter_rows(max_row=MOST_ROWS + 2, max_col=MOST_COLUMNS, values_only=True):
            if any(cell is not None for cell in row):
                rows.append(row)
        book.close()
    except ImportRefusedError:
        raise
    except OSError as error:
        raise ImportRefusedError(tr("{} cannot be read: {}.", path.name, error.strerror)) from error
    except BadZipFile as error:
        raise ImportRefusedError(tr("{} is no spreadsheet.", path.name)) from error
    except Exception as error:  # a torn one breaks the reader in any of its parts
        log.info("a spreadsheet could not be read", exc_info=True)
        raise ImportRefusedError(tr("{} is no spreadsheet that can be read ({}).", path.name, type(error).__name__)) from error
    return rows
