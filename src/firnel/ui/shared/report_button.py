"""A button that writes what is shown as a report, on paper or as a spreadsheet."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

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
    """Ask where a report is to be written, and write it; ``say`` tells where, or why not."""
    chosen, _ = QFileDialog.getSaveFileName(over, "Write the report", f"{report.title}.{ending}", f"*.{ending}")
    if not chosen:
        return
    try:
        write_as(Path(chosen), report)
    except OSError as error:
        say(f"{chosen} cannot be written: {error.strerror or error}.")
        return
    say(f"Written: {chosen}")


def report_button(make: Callable[[], Report | None], say: Callable[[str], None]) -> QPushButton:
    """A button with a menu of the forms.

    Parameters
    ----------
    make : the report of what is shown; None where nothing is.
    say : tells where it was written, or why not.
    """
    found = button("Report", "What is shown, on paper or as a spreadsheet")
    menu = QMenu(found)

    def write(ending: str) -> None:
        try:
            report = make()
            if report is None:
                say("Nothing is shown that could be reported.")
                return
            save_report(found, report, ending, say)
        except ValueError as error:
            say(str(error))

    for name, ending in FORMS:
        entry = menu.addAction(f"{name} …")
        if entry is not None:
            entry.triggered.connect(partial(_plain, write, ending))
    found.setMenu(menu)
    return found


def _plain(write: Callable[[str], None], ending: str, _checked: bool = False) -> None:
    write(ending)
