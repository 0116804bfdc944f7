"""``./run demo``: the window on the demo library with the simulated roaster connected; without a display, a walk.

The walk goes through every view on a virtual screen and writes a picture of each.
"""

from __future__ import annotations

import argparse
import gc
import json
import os
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from firnel.app.crash import begin_log
from firnel.app.ends import end_on_signals, leave, through
from firnel.app.language import speak_as_set
from firnel.app.start import loaded, small_matrices
from firnel.core.words import tr

if TYPE_CHECKING:
    from firnel.store.library import Library

#: Any change to how the demo library is made gets a new name, so that an old one is not used on; another version of the models
#: in it is one (`firnel.core.model.document.VERSION`, not loaded for this).
MODELS = 7
DEMO_NAME = f"demo-18-{MODELS}.sqlite"
PLAN = "Isuka filter"
ROASTERY = "Quillbank Roastery"


def demo_library(
    folder: Path, name: str = DEMO_NAME, today: datetime | None = None, told: Callable[[str], None] | None = None
) -> Path:
    """The demo library in a folder; built at the first start, which takes a minute: ``told`` hears how far it is.

    Raises
    ------
    OSError, LibraryError : if it cannot be written; nothing of it is left then.
    """
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / name
    if path.exists():
        return path
    if told is None:
        loaded(window=False)
    from firnel.app.demo_library import build_demo_library  # slow to load, and needed only once

    def progress(words: str) -> None:
        if told is not None:
            told(words)
        if sys.stderr.isatty():
            print(f"\r\033[K{words}", end="", file=sys.stderr, flush=True)

    build_demo_library(path, today, progress)
    print("\r\033[K" if sys.stderr.isatty() else "", tr("The demo library was made: {}", path), sep="", file=sys.stderr)
    return path


def use_settings_of(folder: Path) -> None:
    """The demo has settings of its own, and speaks as they say: to be called before anything else of the window is loaded."""
    os.environ.setdefault("FIRNEL_SETTINGS", str((folder / "settings.json").resolve()))
    speak_as_set()


def start_simulator(plan_at: Path, speed: float, panel: bool, *more: str) -> tuple[subprocess.Popen[str], str]:
    """Start the simulated roaster; returns the process and its device address."""
    from firnel.work.machines.simulated import simulator_command

    command = simulator_command("--port", "0", "--plan", str(plan_at), "--speed", str(speed), "--seed", "7")
    command += ["--panel"] if panel else []
    process = subprocess.Popen([*command, *more], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    line = process.stdout.readline() if process.stdout else ""
    if not line:
        process.wait(5)
        raise RuntimeError("The simulated roaster did not start.")
    port = json.loads(line)["port"]
    return process, f"modbus://127.0.0.1:{port}?map=gas-6"


def write_plan(library: Library, name: str, path: Path) -> None:
    """Write a plan of the library as a file."""
    from firnel.core.plan_document import plan_to_document

    plan = next(plan for plan in library.plans() if plan.name == name)
    path.write_text(json.dumps(plan_to_document(plan)), encoding="utf-8")


def main() -> int:
    """Run the demo."""
    parser = argparse.ArgumentParser(prog="./run demo", description="Firnel with demo data and a simulated roaster.")
    parser.add_argument("--speed", type=float, default=1.0, help="seconds of roasting in one second of ours, up to 60")
    parser.add_argument("--folder", type=Path, default=Path(".demo"), help="where the demo library is kept")
    parser.add_argument("--walk", type=Path, help="write a picture of every view into this folder and end")
    parser.add_argument("--theme", choices=["day", "night", "both"], default="day", help="themes of the walk")
    parser.add_argument(
        "--until", choices=["seen", "painted", "ready"], help="end with its frame, its first picture, or all there"
    )
    given = parser.parse_args()
    if not 0.1 <= given.speed <= 60.0:
        parser.error(f"a speed of {given.speed:g} cannot be: 0.1 to 60.")
    small_matrices()
    begin_log()
    end_on_signals()
    use_settings_of(given.folder)
    walk = given.walk
    if walk is None and os.environ.get("FIRNEL_NO_DISPLAY"):
        walk = given.folder / "pictures"
    if walk is not None:
        from firnel.app.walk import SHOWN_DAY, walk_through

        loaded()

        # The pictures always show the same day, whatever day they are made on.
        library_at = demo_library(given.folder, "pictures-" + DEMO_NAME, SHOWN_DAY)
        return walk_through(library_at, walk, given.theme)
    return show_demo(given.folder, given.speed, given.until)


def show_demo(folder: Path, speed: float, until: str | None = None) -> int:
    """The window on the demo library of a folder with the simulated roaster; settings of its own. Returns the exit code."""
    from firnel.app.first import begin

    first = begin(ROASTERY, framed=not (folder / DEMO_NAME).exists())
    if until == "seen":
        return 0
    from firnel.store.writing import LibraryError

    end_on_signals()
    try:
        library_at = demo_library(folder, told=first.tell)
    except (OSError, LibraryError) as error:
        why = f"{error.filename}: {error.strerror}" if isinstance(error, OSError) else str(error).rstrip(".")
        print(tr("The demo library cannot be made: {}.", why), file=sys.stderr)
        return 1
    from firnel.app.demo_tour import offer_tour
    from firnel.app.window import begin_work, connect_first, make_window, show_instead
    from firnel.store.library import Library
    from firnel.ui.shared.background import left_running
    from firnel.work.desk import spill_folder
    from firnel.work.roast.batch_order import BatchOrder

    try:
        library = Library(library_at)
        library.lock_for_roasting()
    except LibraryError as error:
        print(error, file=sys.stderr)
        return 1
    window = make_window(library, first.settings, first.look, spill_at=spill_folder())
    show_instead(first, window)
    window.roast.ready.connect(loaded)
    if until is not None:
        {"painted": window.roast.painted, "ready": window.roast.ready}[until].connect(first.application.quit)
        code = first.application.exec()
        window.close()
        return code
    begin_work(window)
    offer_tour(window)
    plan_at = library_at.with_name("plan.json")
    write_plan(library, PLAN, plan_at)
    process, url = start_simulator(plan_at, speed, True, "--again", "240")
    try:
        connect_first(window, url)
        if not window.notice.isVisible():
            plan = next(plan for plan in library.plans() if plan.name == PLAN)
            machine = next(m for m in library.machines() if m.id == plan.machine_id)
            lot = next(lot for lot in library.lots() if lot.id == plan.lot_id)
            window.desk.prepare(BatchOrder(lot, machine, plan, plan.load_kg))
        code = first.application.exec()
    finally:
        process.terminate()
        with suppress(subprocess.TimeoutExpired):
            process.wait(5)
    if left_running():
        leave(code)
    return code


if __name__ == "__main__":
    gc.disable()  # until `loaded`
    through(main)
