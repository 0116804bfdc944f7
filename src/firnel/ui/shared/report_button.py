"""A button that writes what is shown as a report, on paper or as a spreadsheet, while the window goes on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

from firnel.core.words import tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import button
from firnel.work.review.reports import Report, write_workbook

FORMS = (("PDF", "pdf"), ("XLSX", "xlsx"))


def write_as(path: Path, report: Report) -> None:
    """Write a report in the form of its ending.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    if path.suffix.lower() == ".xlsx":
        write_workbook(path, report)
        return
    from firnel.ui.shared.report_paper import write_report

    write_report(path, report)


def save_report(over: QWidget, report: Report, ending: str, say: Callable[[str], None]) -> None:
    """Ask where a report is to be written, and write it in the background; ``say`` tells where, or why not."""
    chosen, _ = QFileDialog.getSaveFileName(over, tr("Write the report"), f"{report.title}.{ending}", f"*.{ending}")
    if chosen:
        say(tr("Writing {} …", chosen))
        _background(over, say).run("write", partial(_written, Path(chosen), report), say)


def _written(path: Path, report: Report) -> str:
    try:
        write_as(path, report)
    except OSError as error:
        return tr("{} cannot be written: {}.", path, error.strerror or error)
    return tr("Written: {}", path)


def _background(over: QWidget, say: Callable[[str], None]) -> Background:
    """Where the reports of a widget are made and written: one for each."""
    known = next((one for one in over.children() if isinstance(one, Background)), None)
    return known or Background(over, say)


def report_button(make: Callable[[], Callable[[], Report] | None], say: Callable[[str], None]) -> QPushButton:
    """A button with a menu of the forms.

    Parameters
    ----------
    make : what makes the report of what is shown now, in the background and without the window; None where nothing is.
    say : tells where it was written, or why not.
    """
    found = button(tr("Report"), tr("What is shown, on paper or as a spreadsheet"))
    menu = QMenu(found)

    def write(ending: str) -> None:
        job = make()
        if job is None:
            say(tr("There is nothing on show to report."))
            return
        _background(found, say).run("make", job, partial(made, ending))

    def made(ending: str, report: Report) -> None:
        save_report(found, report, ending, say)

    for name, ending in FORMS:
        entry = menu.addAction(f"{name} …")
        if entry is not None:
            entry.triggered.connect(partial(_plain, write, ending))
    found.setMenu(menu)
    return found


def _plain(write: Callable[[str], None], ending: str, _checked: bool = False) -> None:
    write(ending)
