"""The list of batches with 100,000 in the library: first rows, search, count; against counting rows in plain SQLite."""

import sqlite3
import statistics
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from PyQt6.QtCore import QObject
from report import Line
from sqlalchemy import insert

from firnel.app.window import make_application
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.rows import insert_many
from firnel.store.tables import batches, lots, machines
from firnel.ui.review.batch_model import BatchModel
from firnel.ui.shared.asking import Asking
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.settings import Settings

COUNT = 100_000


def timed(function, times: int = 7) -> float:
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        function()
        taken.append(time.perf_counter() - begun)
    return 1000 * statistics.median(taken)


def fill(library: Library) -> None:
    library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    names = [f"Lot {number} Isuka" for number in range(200)]
    with library.engine.begin() as connection:
        connection.execute(insert(lots), [{"name": name} for name in names])
        lot_ids = list(connection.execute(lots.select()))
        machine = connection.execute(machines.select()).first()
        start = datetime(2016, 1, 1, tzinfo=UTC)
        rows = [
            {
                "label": f"{number:06d}", "lot_id": lot_ids[number % 200].id, "machine_id": machine.id, "status": "done",
                "started": start + timedelta(minutes=50 * number), "load_kg": 5.0, "roasted_kg": 4.3,
                "clock_rate": 1.0, "remark": "",
                "drying_s": 290.0, "browning_s": 220.0, "development_s": 92.0, "total_s": 602.0, "drop_c": 205.0,
                "search_text": f"{number:06d} lot {number % 200} isuka drum six",
            }
            for number in range(COUNT)
        ]  # fmt: skip
        insert_many(connection, batches, rows)


def searched(model: BatchModel, wanted: BatchFilter) -> None:
    """As a search line does it."""
    model.show_first(wanted, model.question(wanted)())


def run(folder: Path) -> list[Line]:
    make_application()
    path = folder / "library.sqlite"
    library = Library(path)
    fill(library)
    desk, over = Desk(library, Settings(), lambda call: call()), QObject()
    model = BatchModel(desk, Asking(desk, over, print))
    plain = sqlite3.connect(path)
    scan = timed(lambda: plain.execute("SELECT count(*) FROM batches WHERE search_text LIKE '%zzz%'").fetchone())
    first = timed(lambda: searched(model, BatchFilter()))
    none = timed(lambda: searched(model, BatchFilter(text="no such lot")))
    rare = timed(lambda: searched(model, BatchFilter(text="099 isuka")))
    count = timed(lambda: library.batch_list.count(BatchFilter(text="isuka")))
    plain.close()
    library.close()
    print(f"  search: rare word {rare:.0f} ms, word that is nowhere {none:.0f} ms, count {count:.0f} ms (in the background)")
    return [
        Line("first rows", first, "ms", 200.0),
        Line("slowest search", max(none, rare), "ms", 300.0),
        Line("slowest search", max(none, rare) / scan, "times", 4.0, "one scan in plain SQLite"),
    ]
