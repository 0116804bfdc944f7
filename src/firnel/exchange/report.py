"""A report as plain blocks: the same for paper and for a spreadsheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import as_number, tr
from firnel.exchange.cells import append_row
from firnel.exchange.whole_file import whole_file


@dataclass(frozen=True)
class Heading:
    """A heading of a part."""

    text: str


@dataclass(frozen=True)
class Text:
    """A paragraph; a caution stands apart."""

    text: str
    caution: bool = False


@dataclass(frozen=True)
class Table:
    """Rows of texts under headings; the first ``words`` columns hold words, the others figures."""

    name: str
    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    words: int = 1


@dataclass(frozen=True)
class Curve:
    """One line of a chart: name, colour role, whether it is dashed, and its points, shape (n,)."""

    name: str
    role: str
    dashed: bool
    x: FloatArray
    y: FloatArray


@dataclass(frozen=True)
class Chart:
    """Curves on one axis: times as clocks, or stages of width one."""

    name: str
    unit: str
    curves: tuple[Curve, ...]
    stages: bool = False
    high: float = 190.0  #: on paper. [points]


Block = Heading | Text | Table | Chart


@dataclass(frozen=True)
class Report:
    """A report: its title, what it is about, and its blocks."""

    title: str
    about: str
    blocks: tuple[Block, ...] = field(default=())


def write_workbook(path: Path, report: Report) -> None:
    """Write a report as a spreadsheet: texts on the first sheet, each table and chart on one of its own.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    from openpyxl import Workbook
    from openpyxl.styles import Font

    book = Workbook()
    first = book.active
    if first is None:
        raise OSError(tr("{} cannot be written: the spreadsheet has no sheet.", path))
    first.title = tr("Report")
    append_row(first, [report.title])
    append_row(first, [report.about])
    first["A1"].font = Font(bold=True, size=16)
    first.column_dimensions["A"].width = 100
    taken = {tr("Report")}
    for block in report.blocks:
        if isinstance(block, Heading | Text):
            append_row(first, [block.text])
            continue
        sheet = book.create_sheet(_sheet_name(block.name, taken))
        rows = _table_rows(block) if isinstance(block, Table) else _chart_rows(block)
        for number, row in enumerate(rows, start=1):
            append_row(sheet, list(row))
            if number == 1:
                for cell in sheet[1]:
                    cell.font = Font(bold=True)
        sheet.freeze_panes = "A2"
    with whole_file(path) as fresh:
        book.save(fresh)


def _sheet_name(name: str, taken: set[str]) -> str:
    """A name that a spreadsheet takes: short, without its reserved signs, and no second of its kind."""
    base = "".join(" " if sign in "[]:*?/\\" else sign for sign in name).strip()[:26] or tr("Sheet")
    found, number = base, 2
    while found in taken:
        found, number = f"{base} {number}", number + 1
    taken.add(found)
    return found


def _table_rows(table: Table) -> list[Sequence[object]]:
    return [[tr(heading) for heading in table.headings], *([_figure(cell) for cell in row] for row in table.rows)]


def _figure(text: str) -> object:
    """A figure where the text is nothing else, so that it can be reckoned with; a number of a batch, ``0042``, stays one."""
    if text.startswith("0") and text[1:2].isdecimal():
        return text
    try:
        return as_number(text)
    except ValueError:
        return text


def _chart_rows(chart: Chart) -> list[Sequence[object]]:
    unit = tr("stage") if chart.stages else "s"
    headings = [f"{tr(curve.name)}, {tr(of)}" for curve in chart.curves for of in (unit, chart.unit)]
    rows: list[Sequence[object]] = [headings]
    longest = max((curve.x.size for curve in chart.curves), default=0)
    for index in range(longest):
        row: list[object] = []
        for curve in chart.curves:
            inside = index < curve.x.size
            row += [
                round(float(curve.x[index]), 4) if inside else None,
                round(float(curve.y[index]), 3) if inside and np.isfinite(curve.y[index]) else None,
            ]
        rows.append(row)
    return rows
