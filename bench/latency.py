"""From the arrival of a reading to the painted screen, with four hours of readings at 2 Hz on the chart; GUI thread load."""

import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication
from report import Line

from firnel.app.window import make_application, make_window
from firnel.core.vocabulary import Lot
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.roast_session import BatchOrder
from firnel.work.settings import Settings

HOURS, RATE = 4, 2


class PaintWatch(QObject):
    """Notes when the curves were last painted."""

    def __init__(self) -> None:
        super().__init__()
        self.painted = 0.0

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """See paint events go by."""
        if event.type() == QEvent.Type.Paint:
            self.painted = time.perf_counter()
        return False


def run(folder: Path) -> list[Line]:
    make_application()
    now = [0.0]
    library = Library(folder / "library.sqlite")
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    window.show()
    desk, session = window.desk, window.desk.session
    desk.clock = session.clock = Clock(lambda: now[0])
    session._start = desk.clock.now()
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    session.prepare(BatchOrder(library.save_lot(Lot("a lot")), machine, None, 5.0))
    count = HOURS * 3600 * RATE
    rng = np.random.default_rng(0)
    bean = 90 + 110 * (1 - np.exp(-np.arange(count) / (900.0 * RATE))) + 0.2 * rng.standard_normal(count)
    session.on_change_kept, session._on_change = session._on_change, lambda: None  # fill in without drawing
    session.mark_next(now[0])
    for index in range(count - 400):
        now[0] += 1 / RATE
        session.take_reading(Reading(now[0], float(bean[index]), float(bean[index]) + 20, 2.4, 50.0, 58.0))
    session._on_change = session.on_change_kept
    watch = PaintWatch()
    viewport = window.roast.curves._top.plot.viewport()
    viewport.installEventFilter(watch)
    taken, busy = [], 0.0
    for index in range(count - 400, count):
        now[0] += 1 / RATE
        arrived = time.perf_counter()
        desk._post(lambda index=index: session.take_reading(
            Reading(now[0], float(bean[index]), float(bean[index]) + 20, 2.4, 50.0, 58.0)
        ))  # fmt: skip
        while watch.painted < arrived:
            QApplication.processEvents()
        QApplication.processEvents()
        taken.append(watch.painted - arrived)
        busy += time.perf_counter() - arrived
        # The next reading of life comes half a second later; a tenth of that is enough to let timers run.
        time.sleep(0.05)
    ms = 1000 * np.array(taken)
    print(f"  {len(session.trace)} readings on the chart; median {np.median(ms):.1f} ms")
    session.close()
    window.close()
    return [
        Line("reading to screen, 99th percentile", float(np.percentile(ms, 99)), "ms", 50.0),
        Line("GUI thread busy at 2 readings a second", 100 * RATE * busy / len(ms), "% of a core", 10.0),
    ]
