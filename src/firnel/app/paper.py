"""Reports on paper from the command line."""

from __future__ import annotations

import os
from pathlib import Path

from firnel.exchange.report import Report


def on_paper(output: Path, report: Report) -> None:
    """Write a report as PDF. Paper needs Qt's fonts, but no display.

    Raises
    ------
    OSError : if the file cannot be written.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from firnel.app.window import make_application
    from firnel.ui.shared.report_paper import write_report
    from firnel.ui.theme.look import Look

    Look(make_application())
    write_report(output, report)
