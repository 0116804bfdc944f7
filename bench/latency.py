"""From the arrival of a reading to the painted screen, with four hours of readings at 2 Hz on the chart; GUI thread load."""

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from made import reading
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication
from report import Line

from firnel.app.window import make_application, make_window
from firnel.core.model.document import model_to_document
from firnel.core.vocabulary import Control, Lot
from firnel.devices.reading import Reading
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.desk import machine_of_kind
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.settings import Settings

HOURS, RATE = 4, 2


class PaintWatch(QObject):
    """Notes when the curves were last begun to be painted."""

    def __init__(self) -> None:
        super().__init__()
        self.painted = 0.0

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """See paint events go by."""
        if event.type() == QEvent.Type.Paint:
            self.painted = time.perf_counter()
        return False


def watched(window, feed: Callable[[int], Reading], indices: range, now: list[float], step: float) -> tuple[np.ndarray, float]:  # type: ignore[no-untyped-def]
    """Time from each reading until everything that it changes is painted [ms], and how long the GUI thread was busy. [s]"""
    watch = PaintWatch()
    window.roast.curves._top.plot.viewport().installEventFilter(watch)
    taken, busy = [], 0.0
    for index in indices:
        now[0] += step
        arrived = time.perf_counter()
        window.desk._post(lambda index=index: window.desk.take_reading(feed(index)))
        while watch.painted < arrived:
            QApplication.processEvents()
        QApplication.processEvents()
        taken.append(time.perf_counter() - arrived)
        busy += taken[-1]
        # The next reading of life comes half a second later; a tenth of that is enough to let timers run.
        rest = time.perf_counter() + 0.05
        while time.perf_counter() < rest:
            QApplication.processEvents()
            time.sleep(0.002)
    return 1000 * np.array(taken), busy / len(taken)


def opened(folder: Path, now: list[float]):  # type: ignore[no-untyped-def]
    """A window on a library of its own, whose clock is turned by hand."""
    window = make_window(Library(folder / "library.sqlite"), Settings(), Look(make_application()), keep=lambda settings: None)
    window.show()
    window.desk.clock.run_by(lambda: now[0])
    return window


def with_forecast(folder: Path) -> float:
    """Readings to screen while each is followed by a forecast of the machine's model, 99th percentile. [ms]"""
    from plan import fit

    now = [0.0]
    one = fit("Drum Six", "gas-6", np.random.default_rng(31))
    window = opened(folder, now)
    desk, library, trace = window.desk, window.desk.library, one.record.trace
    machine = library.save_machine(one.machine)
    library.machine_book.save_model(machine.id, model_to_document(one.model, ["gas"]))
    charge_t = int(one.record.charge_t)
    desk.session.set_machine(machine)
    desk.session.prepare(BatchOrder(library.save_lot(Lot("a lot")), machine, None, one.load_kg))
    desk.look_by(not_at_all)

    def feed(index: int) -> Reading:
        row = (
            trace.bean[index],
            trace.air[index],
            trace.control(Control.GAS)[index],
            trace.control(Control.AIRFLOW)[index],
            trace.control(Control.DRUM)[index],
        )
        return reading(now[0], *(float(value) for value in row))

    for index in range(charge_t + 360):
        now[0] += 1.0
        if index == charge_t:
            desk.session.mark_next(now[0])
        desk.take_reading(feed(index))
    desk.look_by(at_once)
    ms, _ = watched(window, feed, range(charge_t + 360, charge_t + 560), now, 1.0)
    print(f"  with a forecast at each reading: median {np.median(ms):.1f} ms; there: {desk.session.foreseen is not None}")
    desk.session.close()
    window.close()
    return float(np.percentile(ms, 99))


def run(folder: Path) -> list[Line]:
    make_application()
    now = [0.0]
    (folder / "plain").mkdir()
    window = opened(folder / "plain", now)
    session, library = window.desk.session, window.desk.library
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    session.prepare(BatchOrder(library.save_lot(Lot("a lot")), machine, None, 5.0))
    count = HOURS * 3600 * RATE
    rng = np.random.default_rng(0)
    bean = 90 + 110 * (1 - np.exp(-np.arange(count) / (900.0 * RATE))) + 0.2 * rng.standard_normal(count)
    window.hide()  # filled in without drawing
    session.mark_next(now[0])
    for index in range(count - 400):
        now[0] += 1 / RATE
        session.take_reading(reading(now[0], float(bean[index]), float(bean[index]) + 20, 2.4, 50.0, 58.0))
    window.show()

    def feed(index: int) -> Reading:
        return reading(now[0], float(bean[index]), float(bean[index]) + 20, 2.4, 50.0, 58.0)

    ms, busy = watched(window, feed, range(count - 400, count), now, 1 / RATE)
    print(f"  {len(session.trace)} readings on the chart; median {np.median(ms):.1f} ms")
    session.close()
    window.close()
    return [
        Line("reading to screen, 99th percentile", float(np.percentile(ms, 99)), "ms", 50.0),
        Line("the same with a forecast at each reading", with_forecast(folder), "ms", 50.0),
        Line("GUI thread busy at 2 readings a second", 100 * RATE * busy, "% of a core", 10.0),
    ]
