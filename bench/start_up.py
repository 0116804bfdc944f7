"""Start to first paint, against an empty PyQt6 + pyqtgraph window started the same way."""

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

from report import Line

from firnel.app.demo import DEMO_NAME, demo_library

EMPTY = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMainWindow
import pyqtgraph as pg
application = QApplication(sys.argv)
window = QMainWindow(); window.setCentralWidget(pg.PlotWidget()); window.resize(1280, 800); window.show()
QTimer.singleShot(0, application.quit)
application.exec()
"""


def seconds(command: list[str], environment: dict[str, str], times: int = 7) -> float:
    taken = []
    subprocess.run(command, check=True, env=environment, stderr=subprocess.DEVNULL, timeout=60)
    for _ in range(times):
        begun = time.perf_counter()
        subprocess.run(command, check=True, env=environment, stderr=subprocess.DEVNULL, timeout=60)
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def run(folder: Path) -> list[Line]:
    demo_library(folder)
    environment = os.environ | {"FIRNEL_SETTINGS": str(folder / "settings.json")}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)  # as on a user's machine: compiled once, at the first start
    empty = seconds([sys.executable, "-c", EMPTY], environment)
    demo = [sys.executable, "-m", "firnel.app.demo", "--folder", str(folder), "--until"]
    seen, painted, ready = (seconds([*demo, until], environment) for until in ("seen", "painted", "ready"))
    print(
        f"  empty window {1000 * empty:.0f} ms, Firnel's frame {1000 * seen:.0f} ms, its view {1000 * painted:.0f} ms, "
        f"with its curves {1000 * ready:.0f} ms"
    )
    numpy = seconds([sys.executable, "-c", "import numpy"], environment)
    program = str(Path(sys.executable).with_name("firnel"))
    version = seconds([program, "--version"], environment)
    listed = seconds([program, "batches", "--library", str(folder / DEMO_NAME)], environment)
    told = ", ".join(f"{what} {1000 * took:.0f} ms" for what, took in (("--version", version), ("batches", listed)))
    print(f"  importing NumPy {1000 * numpy:.0f} ms, firnel {told}")
    return [
        Line("start of the command line", version / numpy, "times", 2.0, "importing NumPy"),
        Line("start to first paint, the frame", seen / empty, "times", 1.5, "an empty PyQt6 + pyqtgraph window"),
        Line("start until the view is painted", painted / empty, "times", 2.0, "the same"),
        Line("start until the curves are there too", ready / empty, "times", 2.5, "the same"),
        Line("second start of the demo", ready, "s", 3.0),
    ]
