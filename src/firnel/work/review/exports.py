"""Several batches at once, each in a file of its own, in any form that one batch can have."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from firnel.core.words import tr
from firnel.exchange.whole_file import write_whole
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.review.records import export_text
from firnel.work.review.reports import Report, batch_report, file_part, write_workbook
from firnel.work.settings import Settings

FORMS = ("csv", "json", "xlsx", "pdf")


def every_batch(library: Library) -> list[int]:
    """Every batch of a library that was roasted, the newest first."""
    return [line.id for line in library.batch_lines(BatchFilter(statuses=("done", "dropped")), limit=1_000_000)]


def export_batches(
    library: Library,
    keys: Sequence[int],
    form: str,
    folder: Path,
    settings: Settings,
    on_paper: Callable[[Path, Report], None],
    progress: Callable[[float], bool] = lambda done: True,
) -> list[Path]:
    """Write batches into a folder, each file whole or not at all; what was written.

    Parameters
    ----------
    library, keys, form, folder : which ones, in which of `FORMS`, and where to.
    settings : units and words of what is read by people.
    on_paper : writes a report as a PDF.
    progress : told the share that is done [0..1]; what it returns says whether to go on.

    Raises
    ------
    ValueError : if there is no such form.
    OSError : if the folder cannot be written.
    """
    if form not in FORMS:
        raise ValueError(tr("Batches are not written as {!r}: {}.", form, ", ".join(FORMS)))
    folder.mkdir(parents=True, exist_ok=True)
    written: list[Path] = []
    for number, key in enumerate(keys):
        if not progress(number / max(len(keys), 1)):
            break
        record = library.batch(key)
        path = folder / f"batch-{file_part(record.label)}-{key}.{form}"
        if form in ("csv", "json"):
            write_whole(path, export_text(library, record, form))
        else:
            report = batch_report(library, key, settings)
            (write_workbook if form == "xlsx" else on_paper)(path, report)
        written.append(path)
    return written
