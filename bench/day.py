"""A day of forty batches in the real window, wound on: memory after the fifth batch against after the last, readings kept."""

import os
import time
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from made import reading
from plan import fit
from PyQt6.QtWidgets import QApplication
from report import Line

from firnel.app.demo_batches import LOTS, TROUBLES, roast_record
from firnel.app.window import make_application, make_window
from firnel.core.model.document import model_to_document
from firnel.core.model.solving import solve
from firnel.core.plan import Plan
from firnel.core.vocabulary import Control, MarkKind
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.bench.results import Results
from firnel.work.day import queue
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.settings import Settings

BATCHES, HOURS = 40, 12.0
#: Each batch is looked ahead this often here, to keep the bench short. [s]
ASK_EVERY_S = 20


def resident_mb() -> float:
    """Memory of this process. [MB]"""
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 2**20


def run(folder: Path) -> list[Line]:
    make_application()
    one, lot = fit("Drum Six", "gas-6", np.random.default_rng(31)), LOTS[list(LOTS)[0]].lot
    now = [1000.0]
    window = make_window(Library(folder / "library.sqlite"), Settings(), Look(make_application()), keep=lambda settings: None)
    window.show()
    desk, session = window.desk, window.desk.session
    desk.clock.run_by(lambda: now[0])
    library = desk.library
    machine = library.save_machine(one.machine)
    library.machine_book.save_model(machine.id, model_to_document(one.model, ["gas"]))
    kept = library.save_lot(lot)
    asked = Plan("House", machine.name, kept.name, one.load_kg, "filter", "times", one.usual)
    plan = library.save_plan(solve(one.model, one.machine, asked, one.green(kept.name), one.usual).plan)
    record = roast_record(plan, TROUBLES[""], "1", datetime.now(UTC), np.random.default_rng(5))
    queue.add(library, plan, BATCHES)
    desk.session.set_machine(machine)
    trace = record.trace
    marks = {round(mark.t): mark.kind for mark in record.marks if mark.kind is not MarkKind.TURNING}
    pause = int((HOURS * 3600 - BATCHES * trace.t.size) / BATCHES)
    fed, short, sizes, begun = 0, 0, [], time.perf_counter()

    def read(index: int) -> None:
        now[0] += 1.0
        row = (
            trace.bean[index],
            trace.air[index],
            trace.control(Control.GAS)[index],
            trace.control(Control.AIRFLOW)[index],
            trace.control(Control.DRUM)[index],
        )
        desk.look_by(at_once if index % ASK_EVERY_S == 0 else not_at_all)
        desk.take_reading(reading(now[0], *(float(value) for value in row)))
        if index % 10 == 0:
            window.roast.refresh()
        QApplication.processEvents()

    for number in range(BATCHES):
        window.roast.take_next()
        key, before = session.batch_id, fed
        for index in range(trace.t.size):
            read(index)
            fed += 1
            if index in marks:
                session.mark(marks[index], now[0])
        session.flush()
        short += fed - before - library.batch(key).trace.t.size
        session.weigh(Results(one.load_kg * 0.86, None, None, ""))
        for _ in range(pause):  # between batches
            now[0] += 1.0
            desk.take_reading(reading(now[0], 190.0 + 0.02 * (fed % 50), 200.0, 1.4, 25.0, 58.0))
            QApplication.processEvents()
        if number in (4, BATCHES - 1):
            sizes.append(resident_mb())
    taken = time.perf_counter() - begun
    hours = (now[0] - 1000.0) / 3600.0
    print(f"  {BATCHES} batches, {hours:.1f} h, {fed} readings in {taken:.0f} s; {sizes[0]:.0f} MB, then {sizes[1]:.0f} MB")
    window.close()
    return [
        Line("memory grown after the fifth batch", 100.0 * (sizes[1] / sizes[0] - 1.0), "%", 5.0, "after the fifth batch"),
        Line("readings lost", float(short), "", 0.0),
    ]
