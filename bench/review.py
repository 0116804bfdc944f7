"""Review at size: two hundred batches over each other, panned; a stage-aligned comparison; control charts over ten thousand."""

import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication
from report import Line
from sqlalchemy import insert

from firnel.app.demo_batches import LOTS, RECIPES, TROUBLES, plan_of, roast_record
from firnel.app.window import make_application
from firnel.core.review.comparison import STAGES, aligned, difference
from firnel.core.units import Units
from firnel.store.library import Library
from firnel.store.tables import batches
from firnel.ui.review.compare_page import ComparePage
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.review.compare_picture import compare
from firnel.work.review.over_time import over_time
from firnel.work.settings import Settings

OVERLAID, CHARTED, FRAMES = 200, 10_000, 60


def overlay(library: Library, keys: list[int]) -> tuple[float, float]:
    """Seconds to work out and draw an overlay, and frames a second while it is panned."""
    look = Look(make_application())
    page = ComparePage(Desk(library, Settings(), lambda call: call()), look)
    page.resize(1160, 760)
    page.show()
    QApplication.processEvents()
    begun = time.perf_counter()
    page.show_picture(compare(library, keys, "charge", Units()))
    QApplication.processEvents()
    page.grab()
    drawn = time.perf_counter() - begun
    begun = time.perf_counter()
    for frame in range(FRAMES):
        page.top.plot.getPlotItem().getViewBox().translateBy(x=2.0 if frame % 2 else 1.0)
        page.top.plot.viewport().repaint()
        QApplication.processEvents()
    panned = FRAMES / (time.perf_counter() - begun)
    page.close()
    return drawn, panned


def run(folder: Path) -> list[Line]:
    library = Library(folder / "library.sqlite")
    recipe = RECIPES[0]
    machine = library.save_machine(machine_of_kind(recipe.machine, "gas-6"))
    library.save_lot(LOTS[recipe.lot].lot)
    plan = library.save_plan(plan_of(recipe, machine))
    rng = np.random.default_rng(3)
    started = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
    roasted = [roast_record(plan, TROUBLES[""], "", started, rng) for _ in range(8)]
    keys = [
        library.add_record(replace(roasted[n % 8], label=f"{n:05d}", started=started + timedelta(hours=n)))
        for n in range(OVERLAID)
    ]
    drawn, panned = overlay(library, keys)
    pair = [library.batch(key) for key in keys[:2]]
    begun = time.perf_counter()
    for _ in range(5):
        difference(aligned(pair[0], STAGES), aligned(pair[1], STAGES))
    compared = (time.perf_counter() - begun) / 5
    values = rng.normal(95.0, 3.0, CHARTED)
    rows = [
        {
            "label": f"c{n}", "machine_id": machine.id, "plan_id": plan.id, "status": "done", "remark": "", "clock_rate": 1.0,
            "started": started + timedelta(minutes=20 * n), "development_s": float(value), "load_kg": 5.0, "search_text": "",
        }
        for n, value in enumerate(values)
    ]  # fmt: skip
    with library.engine.begin() as connection:
        connection.execute(insert(batches), rows)
    begun = time.perf_counter()
    told = over_time(library, "development_s", "plan", plan.name)
    charted = time.perf_counter() - begun
    print(
        f"  {OVERLAID} batches drawn in {drawn:.2f} s, {panned:.0f} frames a second; {len(told.lines) if told else 0} charted"
    )
    library.close()
    return [
        Line("overlay of 200 batches, worked out and drawn", drawn, "s", 1.0),
        Line("one frame while it is panned", 1000.0 / panned, "ms", 1000.0 / 30.0),
        Line("stage-aligned comparison of two", 1000.0 * compared, "ms", 100.0),
        Line("control chart over 10,000 batches", charted, "s", 1.0),
    ]
