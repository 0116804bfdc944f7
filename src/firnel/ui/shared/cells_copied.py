"""Figures on the clipboard, for a spreadsheet."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PyQt6.QtWidgets import QApplication


def copy_cells(rows: Iterable[Sequence[str]]) -> None:
    """Rows of cells, as a spreadsheet takes them: it knows no minus but the hyphen."""
    board = QApplication.clipboard()
    if board is not None:
        board.setText("\n".join("\t".join(row) for row in rows).replace("\u2212", "-"))
