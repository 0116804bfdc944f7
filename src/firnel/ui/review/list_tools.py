"""Two buttons under the list of batches: which columns it shows, and the chosen batches in files."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu, QProgressDialog, QPushButton, QWidget

from firnel.core.words import tr
from firnel.ui.review.batch_model import COLUMNS
from firnel.ui.shared.background import Background
from firnel.ui.shared.parts import button
from firnel.work.desk import Desk
from firnel.work.review.exports import FORMS, export_batches

#: How far the writing is, is shown where it takes longer than this. [ms]
SHOWN_AFTER_MS = 400


def columns_button(desk: Desk, show: Callable[[tuple[str, ...]], None]) -> QPushButton:
    """A button with a menu in which each column is ticked or not.

    Parameters
    ----------
    desk : whose settings name the columns.
    show : shows the columns that are ticked then.
    """
    found = button(tr("Columns"), tr("Which columns the list shows; a click on a heading puts it in order"))
    menu = QMenu(found)
    entries: dict[str, QAction] = {}

    def on_tick(_checked: bool = False) -> None:
        show(tuple(heading for heading, entry in entries.items() if entry.isChecked()))

    for column in COLUMNS:
        entry = menu.addAction(column.heading)
        if entry is not None:
            entry.setCheckable(True)
            entry.setChecked(column.heading in desk.settings.review_columns)
            entry.toggled.connect(on_tick)
            entries[column.heading] = entry
    found.setMenu(menu)
    return found


def export_button(desk: Desk, chosen: Callable[[], list[int]], say: Callable[[str], None]) -> QPushButton:
    """A button with a menu of the forms in which the chosen batches are written, each into a file of its own.

    Parameters
    ----------
    desk : with the library.
    chosen : the batches.
    say : tells what was written, or why not.
    """
    found = button(tr("Export"), tr("The chosen batches, each in a file of its own; several are chosen with Shift or Ctrl"))
    menu = QMenu(found)

    def write(form: str, _checked: bool = False) -> None:
        keys = chosen()
        if not keys:
            say(tr("Choose batches in the list first."))
            return
        folder = QFileDialog.getExistingDirectory(found, tr("{} batches as {} into", len(keys), form.upper()))
        if folder:
            write_batches(found, desk, keys, form, Path(folder), say)

    for form in FORMS:
        entry = menu.addAction(f"{form.upper()} …")
        if entry is not None:
            entry.triggered.connect(partial(write, form))
    found.setMenu(menu)
    return found


def write_batches(over: QWidget, desk: Desk, keys: list[int], form: str, folder: Path, say: Callable[[str], None]) -> None:
    """Write batches into a folder while the window goes on; it can be stopped, and ``say`` tells what came of it."""
    from firnel.ui.shared.report_paper import write_report

    shown = QProgressDialog(tr("{} batches as {}", len(keys), form.upper()), tr("Stop"), 0, 100, over)
    shown.setMinimumDuration(SHOWN_AFTER_MS)
    background = Background(over, say)
    ask, settings = desk.ask, desk.settings

    def work(progress: Callable[[float], bool]) -> str:
        try:
            written = ask(export_batches, keys, form, folder, settings, write_report, progress)
        except (OSError, ValueError) as error:
            return str(error)
        stopped = "" if len(written) >= len(keys) else tr(", {} left out", len(keys) - len(written))
        return tr("Written into {}: {} {}{}.", folder, len(written), tr("file") if len(written) == 1 else tr("files"), stopped)

    def done(sentence: str) -> None:
        shown.close()
        shown.deleteLater()
        background.deleteLater()
        say(sentence)

    stop = background.run_long("export", work, done, lambda share: shown.setValue(min(round(100 * share), 99)))
    shown.canceled.connect(stop)
