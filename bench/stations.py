"""Four stations on one server: three roast at 2 Hz while the fourth searches and weighs; the server is killed meanwhile."""

import threading
import time
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from conftest import make_record
from report import Line
from server import running
from sqlalchemy.exc import DBAPIError

from firnel.core.vocabulary import Control
from firnel.store.journal import Journal
from firnel.store.library import BatchFilter, Library
from firnel.store.writing import LibraryError

#: How long the stations roast, how often each reads, how often the server is killed meanwhile. [s], [Hz], []
LASTS_S, RATE_HZ, KILLED = 60.0, 2.0, 5
ROASTING = 3


def roast(url: str, end: float, given: list[tuple[str, list[float]]]) -> None:
    """Roast one batch, reading by reading, until the end; what was handed over is noted."""
    library = Library(url)
    told: list[str | None] = []
    journal = Journal(library, {"status": "ready", "started": datetime.now(UTC), "load_kg": 5.0}, lambda: 1.0, told.append)
    times: list[float] = []
    begun = time.monotonic()
    while time.monotonic() < end:
        t = round(time.monotonic() - begun, 3)
        journal.reading((t, 180.0 + 0.1 * t, 200.0, {Control.GAS: 2.0}, 0))
        times.append(t)
        time.sleep(1.0 / RATE_HZ)
    while not journal.close(10.0):
        pass
    given.append((journal.label, times))
    library.close()


def look_about(url: str, end: float, took: list[float], refused: list[str]) -> None:
    """Search and weigh without a pause; a server that is gone is told, and asked again."""
    library = Library(url)
    keys = [line.id for line in library.batch_lines(BatchFilter(), limit=30)]
    rng = np.random.default_rng(3)
    while time.monotonic() < end:
        begun = time.monotonic()
        try:
            library.batch_lines(BatchFilter(text="isuka"), limit=50)
            library.set_results(int(rng.choice(keys)), {"roasted_kg": float(rng.uniform(4.1, 4.5))})
            took.append(time.monotonic() - begun)
        except (LibraryError, DBAPIError) as error:
            refused.append(str(error).splitlines()[0])
        time.sleep(0.02)
    library.close()


def run(folder: Path) -> list[Line]:
    given: list[tuple[str, list[float]]] = []
    took: list[float] = []
    refused: list[str] = []
    with running() as server:
        url = server.url(server.new_database())
        first = Library(url)
        for number in range(30):
            first.add_record(make_record(f"9{number:03d}", 5.0))
        first.close()
        end = time.monotonic() + LASTS_S
        threads = [threading.Thread(target=roast, args=(url, end, given)) for _ in range(ROASTING)]
        threads.append(threading.Thread(target=look_about, args=(url, end, took, refused)))
        for thread in threads:
            thread.start()
        for _ in range(KILLED):
            time.sleep(LASTS_S / (KILLED + 1))
            server.stop()
            time.sleep(1.5)
            server.start()
        for thread in threads:
            thread.join(LASTS_S + 60.0)
        library = Library(url)
        lost = doubled = 0
        for label, times in given:
            there = library.batch(library.find_batch(label)).trace.t
            lost += len(set(times) - {round(float(t), 3) for t in there})
            doubled += there.size - np.unique(there).size
        library.close()
    count = sum(len(times) for _, times in given)
    print(f"  {count} readings of {len(given)} batches, server killed {KILLED} times")
    print(f"  {len(took)} actions, {len(refused)} told as refused")
    return [
        Line("readings lost", float(lost), "", 0.0),
        Line("readings doubled", float(doubled), "", 0.0),
        Line("batches that did not end", float(ROASTING - len(given)), "", 0.0),
        Line("search and weigh, 99 of 100", 1000.0 * float(np.quantile(took, 0.99)), "ms", 150.0),
    ]


if __name__ == "__main__":
    run(Path())
