"""Batches back to back at thirty times the speed of life, with the real window: memory, threads and handles stay flat.

``python bench/soak.py MINUTES`` (of life; 60 for the full form).
"""

import os
import sys
import tempfile
import threading
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from report import Line

from firnel.app.simulator import make_plant
from firnel.app.window import make_application, make_window
from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
from firnel.core.vocabulary import Control, MarkKind
from firnel.devices.simulator.server import SimulatorServer
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.ui.theme.look import Look
from firnel.work.bench.results import Results
from firnel.work.desk import machine_of_kind
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings

SPEED = 30.0
PLAN = Plan(
    "soak", load_kg=5.0, targets=Targets(200.0, 300.0, 240.0, 90.0, 206.0), start={Control.GAS: 0.5},
    moves=(PlannedMove(Control.GAS, 2.4, Anchor.CHARGE, 45.0), PlannedMove(Control.GAS, 1.4, Anchor.YELLOW, 0.0)),
)  # fmt: skip


def _memory_mb() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def run(folder: Path, minutes: float = 3.0) -> list[Line]:
    library = Library(folder / "library.sqlite")
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    plan = library.save_plan(PLAN)
    server = SimulatorServer(make_plant("gas-6", SPEED, 7, None, PLAN, again_s=60.0))
    server.start()
    application = make_application()
    window = make_window(library, Settings(), Look(application), keep=lambda _: None, spill_at=folder / "spill")
    window.show()
    window.desk.connect(f"modbus://127.0.0.1:{server.port}?map=gas-6", machine)
    session, end, fed = window.desk.session, time.monotonic() + 60.0 * minutes, 0
    begun: tuple[float, int, int] | None = None
    done = 0
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.005)
        if session.phase == "idle":
            window.desk.prepare(BatchOrder(None, machine, plan, 5.0))
        _press(window)
        if session.phase == "cooling" and session.now() - session.marks[MarkKind.DROP].t > 20.0:
            fed += len(session.trace)
            session.weigh(Results(4.3, None, None, ""))
            done += 1
            if done == 3:  # what is loaded at the first batches is no leak
                begun = (_memory_mb(), threading.active_count(), len(os.listdir("/proc/self/fd")))
    now = (_memory_mb(), threading.active_count(), len(os.listdir("/proc/self/fd")))
    window.end()
    server.stop()
    again = Library(folder / "library.sqlite")
    kept = sum(
        again.batch(line.id).trace.t.size for line in again.batch_lines(BatchFilter(statuses=("dropped", "done")), limit=10_000)
    )
    again.close()
    begun = begun or now
    print(f"  {done} batches in {minutes:g} min; memory {begun[0]:.0f} -> {now[0]:.0f} MB")
    return [
        Line("memory grown since the third batch", 100.0 * (now[0] / begun[0] - 1.0), "%", 5.0),
        Line("threads more than then", float(now[1] - begun[1]), "", 1.0),
        Line("handles more than then", float(now[2] - begun[2]), "", 4.0),
        Line("readings lost", float(max(fed - kept, 0)), "", 0.0),
    ]


def _press(window) -> None:  # type: ignore[no-untyped-def]
    """The marks that the curve does not show by itself."""
    session = window.desk.session
    level, machine = session.trace.level, session.machine
    if level is None or machine is None or MarkKind.TURNING not in session.marks:
        return
    wanted = {MarkKind.YELLOW: machine.yellow_c, MarkKind.FIRST_CRACK: machine.first_crack_c, MarkKind.DROP: 206.0}
    kind = session.next_expected()
    if kind in wanted and level >= wanted[kind]:
        session.mark_next(window.desk.clock.now())


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parent))
    with tempfile.TemporaryDirectory() as made:
        run(Path(made), float(sys.argv[1]) if len(sys.argv) > 1 else 60.0)
