"""Four stations on one server: three roast at 2 Hz while others search, weigh and watch; the server is killed, and frozen.

For longer than two minutes: FIRNEL_BENCH_MINUTES=60 ./run bench stations
"""

import os
import threading
import time
from collections import defaultdict
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import numpy as np
from conftest import make_record
from PyQt6.QtWidgets import QApplication
from report import Line
from server import running
from sqlalchemy.exc import DBAPIError

from firnel.app.window import begin_work, make_application, make_window
from firnel.core.vocabulary import Control
from firnel.store.batch_list import BatchFilter
from firnel.store.journal import Journal
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.server import hurry
from firnel.store.writing import LibraryError
from firnel.ui.bench.view import BenchView
from firnel.ui.review.view import ReviewView
from firnel.ui.shared.report_button import write_as
from firnel.ui.theme.look import Look
from firnel.work.settings import Settings
from firnel.work.stations.watch import StationWatch

#: How long the stations roast [s], how often each reads [Hz], and how often the server is killed or frozen meanwhile.
LASTS_S, RATE_HZ = 60.0 * float(os.environ.get("FIRNEL_BENCH_MINUTES", "2")), 2.0
STRUCK = max(6, min(20, round(LASTS_S / 60.0)))
#: So long it is down, or stands still. [s]
DOWN_S, FROZEN_S = 1.5, 6.0
ROASTING, HURRY_S = 3, 1.5
#: The window works against a server that is there: what a dead one does to it is told by the others.
WINDOW_S, PAUSE_S = 45.0, 0.15
VIEWS = ("Green", "Plan", "Day", "Roast", "Bench", "Review", "Machines")


def roast(url: str, number: int, end: float, given: list[tuple[str, list[float]]], read_at: dict[str, list[float]]) -> None:
    """Roast one batch, reading by reading, until the end; what was handed over is noted."""
    library = Library(url)
    told: list[str | None] = []
    row = {"status": "roasting", "started": datetime.now(UTC), "load_kg": 5.0}
    journal = Journal(library, row, lambda: 1.0, told.append, owner=Owner(f"drum-{number}", number, "bench"))
    times: list[float] = []
    read_at[journal.label] = clock = []
    begun = time.monotonic()
    while time.monotonic() < end:
        t = round(time.monotonic() - begun, 3)
        journal.reading((t, 180.0 + 0.1 * t, 200.0, {Control.GAS: 2.0}, 0))
        journal.live(f"drum {journal.label}", {"headline": f"{t:.0f} s"})
        times.append(t)
        clock.append(time.monotonic())
        time.sleep(1.0 / RATE_HZ)
    while not journal.close(10.0):
        pass
    given.append((journal.label, times))
    library.close()


def look_about(url: str, end: float, took: list[float], refused: list[float]) -> None:
    """Search and weigh without a pause, as a window's own thread does: one that is kept waiting is refused."""
    hurry(HURRY_S)
    library = Library(url)
    keys = [line.id for line in library.batch_lines(BatchFilter(text="isuka"), limit=30)]
    rng = np.random.default_rng(3)
    actions = (
        lambda: library.batch_lines(BatchFilter(text="isuka"), limit=50),
        lambda: library.set_results(int(rng.choice(keys)), {"roasted_kg": float(rng.uniform(4.1, 4.5))}),
        library.lots,
        lambda: library.batch(int(rng.choice(keys))),
    )
    number = 0
    while time.monotonic() < end:
        begun, number = time.monotonic(), number + 1
        try:
            actions[number % len(actions)]()
            took.append(time.monotonic() - begun)
        except (LibraryError, DBAPIError):
            refused.append(time.monotonic() - begun)
        time.sleep(0.02)
    library.close()


def watch(url: str, end: float, read_at: dict[str, list[float]], behind: list[float]) -> None:
    """See the others roast: how old the newest reading is that is seen. Without those moments in which nobody answers."""
    library = Library(url)
    hurry(HURRY_S)
    seen = StationWatch(library, lambda: ("watch", ""), lambda floor: None)
    seen.curves_wanted = True
    while time.monotonic() < end:
        try:
            for one in seen.look().batches:
                clock = read_at.get(one.running.label, [])
                if one.t.size and len(clock) >= one.t.size:
                    behind.append(time.monotonic() - clock[one.t.size - 1])
        except LibraryError:
            pass
        time.sleep(1.0)
    library.close()


def work_in_a_window(url: str, folder: Path, end: float) -> dict[str, list[float]]:
    """A fourth station's window: every view, the search, a batch, a weight, a print, as long as the others roast.

    Each action is timed from the press until its events are worked through, and so is what comes of it later: the longest
    that nothing else is answered. [s]
    """
    window = make_window(Library(url), Settings(), Look(make_application()), keep=lambda settings: None, spill_at=folder)
    window.resize(1280, 800)
    window.show()
    begin_work(window)
    review, bench = window.view("Review"), window.view("Bench")
    assert isinstance(review, ReviewView)
    assert isinstance(bench, BenchView)
    weighing = bench.weigh

    def weigh() -> None:
        weighing._form._roasted.setText(f"4.{int(10 * time.monotonic()) % 50:02d}")
        weighing._form._save.click()

    def printed() -> None:
        job = review._batch_report()
        if job is not None:
            review.background.run("print", lambda: write_as(folder / "sheet.pdf", job()), lambda _: None)

    actions = [(name, partial(window.show_station, name)) for name in VIEWS]
    actions += [("search", partial(review.search.setText, text)) for text in ("isuka", "9", "")]
    actions += [("choose a batch", lambda: review.table.selectRow(int(7 * time.monotonic()) % 20)), ("print", printed)]
    actions += [("weigh", weigh)]
    for name in VIEWS:
        window.show_station(name)  # each view is made once
        settle(1.0)
    took: dict[str, list[float]] = defaultdict(list)
    while time.monotonic() < end:
        for name, action in actions:
            begun = time.monotonic()
            action()
            QApplication.processEvents()
            held = time.monotonic() - begun
            took[name].append(max(held, settle(PAUSE_S)))
    window.desk.session.close()
    window.close()
    return took


def settle(seconds: float) -> float:
    """Let the window go on for a while; the longest that it was held meanwhile. [s]"""
    until, longest = time.monotonic() + seconds, 0.0
    while (begun := time.monotonic()) < until:
        QApplication.processEvents()
        longest = max(longest, time.monotonic() - begun)
        time.sleep(0.005)
    return longest


def in_a_window(folder: Path) -> list[Line]:
    """Three stations roast while a fourth's window is worked: how long it answers nothing else."""
    with running() as server:
        url = server.url(server.new_database())
        first = Library(url)
        for number in range(30):
            record = make_record(f"9{number:03d}", 5.0)
            first.add_record(record if number > 20 else replace(record, roasted_kg=None, colour_ground=None))
        first.close()
        end = time.monotonic() + WINDOW_S
        threads = [threading.Thread(target=roast, args=(url, number, end, [], {})) for number in range(ROASTING)]
        for thread in threads:
            thread.start()
        took = work_in_a_window(url, folder, end)
        for thread in threads:
            thread.join(60.0)
    slowest = sorted(took, key=lambda name: -float(np.quantile(took[name], 0.95)))[:4]
    told = ", ".join(f"{name} {1000 * float(np.quantile(took[name], 0.95)):.0f} ms" for name in slowest)
    every = np.concatenate([np.array(one) for one in took.values()])
    print(f"  {every.size} actions in a window beside {ROASTING} that roast; slowest, 95 of 100: {told}")
    return [Line("an action in a window, 99 of 100", 1000.0 * float(np.quantile(every, 0.99)), "ms", 150.0)]


def run(folder: Path) -> list[Line]:
    lines = in_a_window(folder)
    given: list[tuple[str, list[float]]] = []
    read_at: dict[str, list[float]] = {}
    took: list[float] = []
    refused: list[float] = []
    behind: list[float] = []
    with running() as server:
        url = server.url(server.new_database())
        first = Library(url)
        for number in range(30):
            first.add_record(make_record(f"9{number:03d}", 5.0))
        first.close()
        end = time.monotonic() + LASTS_S
        threads = [threading.Thread(target=roast, args=(url, number, end, given, read_at)) for number in range(ROASTING)]
        threads.append(threading.Thread(target=look_about, args=(url, end, took, refused)))
        threads.append(threading.Thread(target=watch, args=(url, end, read_at, behind)))
        for thread in threads:
            thread.start()
        for number in range(STRUCK):
            time.sleep(max(LASTS_S / (STRUCK + 1) - FROZEN_S, 2.0))
            if number % 2:
                server.freeze()
                time.sleep(FROZEN_S)
                server.freeze(still=False)
            else:
                server.stop()
                time.sleep(DOWN_S)
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
    print(f"  {count} readings of {len(given)} batches in {LASTS_S / 60.0:g} min; server killed or frozen {STRUCK} times")
    print(f"  {len(took)} actions done, {len(refused)} refused; the longest refusal {max(refused, default=0.0):.2f} s")
    return [
        *lines,
        Line("readings lost", float(lost), "", 0.0),
        Line("readings doubled", float(doubled), "", 0.0),
        Line("batches that did not end", float(ROASTING - len(given)), "", 0.0),
        Line("an action, 99 of 100", 1000.0 * float(np.quantile(took, 0.99)), "ms", 150.0),
        Line("an action that is refused, longest", max(refused, default=0.0), "s", HURRY_S + 0.5),
        Line("seen from another station, behind, median", float(np.median(behind)), "s", 2.0),
        Line("seen from another station, behind, 95 of 100", float(np.quantile(behind, 0.95)), "s", 8.0),
    ]


if __name__ == "__main__":
    run(Path())
