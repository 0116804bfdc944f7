"""How long a hand waits for a view: looked at first, and again, alone and beside a thread that computes without a pause."""

import threading
import time
from pathlib import Path

from PyQt6.QtWidgets import QApplication
from report import Line

from firnel.app.demo import DEMO_NAME, demo_library
from firnel.app.window import begin_work, make_application, make_window
from firnel.store.library import Library
from firnel.ui.main_window import MainWindow
from firnel.ui.shared.actions import STATIONS
from firnel.ui.theme.look import Look
from firnel.work.settings import Settings

VIEWS = tuple(name for name in STATIONS if name != "Roast")
#: So long the window may take to have its views made, and rests between two looks. [s]
AHEAD_S, REST_S = 60.0, 0.4


def turn(seconds: float) -> None:
    """Let the window live."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.005)


def looks(window: MainWindow) -> dict[str, float]:
    """How long each view takes from the click until it is painted. [ms]"""
    taken = {}
    for name in VIEWS:
        begun = time.perf_counter()
        window.show_station(name)
        QApplication.processEvents()
        taken[name] = 1000.0 * (time.perf_counter() - begun)
        turn(REST_S)
    return taken


def compute(stop: threading.Event) -> None:
    """Python code that never waits for anything."""
    total = 0
    while not stop.is_set():
        for number in range(2000):
            total += number * number


def run(folder: Path) -> list[Line]:
    demo_library(folder)
    application = make_application()
    window = make_window(Library(folder / DEMO_NAME), Settings(), Look(application), keep=lambda _: None)
    window.resize(1280, 800)
    window.show()
    begin_work(window)
    begun = time.monotonic()
    while len(window.stations.made) < len(STATIONS) and time.monotonic() < begun + AHEAD_S:
        turn(0.2)
    print(f"  {len(window.stations.made)} views made after {time.monotonic() - begun:.0f} s")
    first, again = looks(window), looks(window)
    stop = threading.Event()
    busy = threading.Thread(target=compute, args=(stop,))
    busy.start()
    beside = looks(window)
    stop.set()
    busy.join()
    for what, taken in (("first", first), ("again", again), ("beside a busy thread", beside)):
        print(f"  {what}: " + ", ".join(f"{name} {ms:.0f} ms" for name, ms in taken.items()))
    window.close()
    return [
        Line("first look at a view, the slowest", max(first.values()), "ms", 300.0),
        Line("again, the slowest", max(again.values()), "ms", 200.0),
        Line("beside a thread that computes", sum(beside.values()) / sum(again.values()), "times", 2.5, "without one"),
    ]
