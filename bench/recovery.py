"""Kill -9 at fifty random moments of a roast: what is lost, and whether marks, moves and cues are resumed rightly."""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from report import Line

from firnel.core.units import Units
from firnel.devices.clock import Clock
from firnel.store.library import Library
from firnel.work.roast.cue import cue_of
from firnel.work.roast.session import RoastSession

KILLS, READINGS_A_SECOND = 50, 4
#: Beginning of the child: the roast up to a moment at once, then on in real time, each reading told as it is fed.
ROASTER = """
import json, sys, time
import numpy as np
from datetime import UTC, datetime
sys.path.insert(0, sys.argv[3])
from firnel.app.demo_batches import LOTS, RECIPES, TROUBLES, plan_of, roast_record
from firnel.core.units import Units
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.store.library import Library
from firnel.work.roast.cue import cue_of
from firnel.work.desk import machine_of_kind
from firnel.work.roast.session import RoastSession
from firnel.work.roast.batch_order import BatchOrder
library, until, each = Library(sys.argv[1]), float(sys.argv[2]), 1.0 / float(sys.argv[4])
recipe = RECIPES[0]
machine = library.save_machine(machine_of_kind(recipe.machine, "gas-6"))
lot = library.save_lot(LOTS[recipe.lot].lot)
plan = library.save_plan(plan_of(recipe, machine))
record = roast_record(plan, TROUBLES[""], "1", datetime.now(UTC), np.random.default_rng(5))
now = [0.0]
session = RoastSession(library, Clock(lambda: now[0]))
session.set_machine(machine)
session.prepare(BatchOrder(lot, machine, plan, plan.load_kg))
trace, marks = record.trace, sorted(record.marks, key=lambda mark: mark.t)
marks = [mark for mark in marks if mark.kind.value != "turning"]
def feed(index):
    t = float(trace.t[index])
    now[0] = t
    told = {control: float(column[index]) for control, column in trace.controls.items()}
    session.take_reading(Reading(t, float(trace.bean[index]), float(trace.air[index]), told))
    while marks and marks[0].t <= t:
        session.mark(marks[0].kind, marks.pop(0).t)
index = 0
while trace.t[index] < until:
    feed(index)
    index += 1
while index < trace.t.size:
    time.sleep(each)
    t = float(trace.t[index])
    feed(index)
    said = cue_of(session, Units())
    print(json.dumps({"t": t, "wall": time.time(), "phase": session.phase, "marks": [k.value for k in session.marks],
                      "done": sorted(session.done), "moves": len(session.moves), "headline": said.headline.split(" in ")[0]}),
          flush=True)
    index += 1
"""


def one_kill(moment: float, wait_s: float) -> dict[str, float | bool]:
    """Roast to a moment, kill, resume; what was lost [s of life] and whether all was resumed rightly."""
    with tempfile.TemporaryDirectory() as folder:
        at = Path(folder) / "library.sqlite"
        here = str(Path(__file__).parent)
        command = [sys.executable, "-c", ROASTER, str(at), str(moment), here, str(READINGS_A_SECOND)]
        roaster = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert roaster.stdout is not None
        first = roaster.stdout.readline()
        time.sleep(wait_s)
        os.kill(roaster.pid, signal.SIGKILL)
        killed = time.time()
        told = [json.loads(line) for line in (first, *roaster.stdout) if line.endswith("\n")]
        roaster.wait()
        roaster.stdout.close()
        return _resumed(at, told, killed)


def _resumed(at: Path, told: list[dict], killed: float) -> dict[str, float | bool]:  # type: ignore[type-arg]
    library = Library(at)
    left = library.owner_book.unowned(datetime.now(UTC))
    if not left:
        library.close()
        return {"recovered": False, "lost_s": 0.0, "rightly": False}
    kept = library.batch(left[0].id)
    # What the disk has; how long before the kill the first reading that it lacks was fed.
    last = float(kept.trace.t[-1]) if kept.trace.t.size else -1.0
    missing = [entry for entry in told if entry["t"] > last + 0.5]
    lost = killed - missing[0]["wall"] if missing else 0.0
    stood = next((entry for entry in reversed(told) if entry["t"] <= last + 0.5), told[0])
    session = RoastSession(library, Clock(lambda: last, lambda: kept.started))
    session.resume(left[0].id)
    headline = cue_of(session, Units()).headline.split(" in ")[0]
    # What was keyed in the last second may be gone with it.
    safe = next((entry for entry in reversed(told) if entry["wall"] <= killed - 1.0), told[0])
    same = set(safe["marks"]) <= {kind.value for kind in session.marks} and set(safe["done"]) <= set(session.done)
    here = {kind.value for kind in session.marks} == set(stood["marks"]) and len(session.moves) == stood["moves"]
    cue = headline == stood["headline"] or not here
    session.close()
    library.close()
    return {"recovered": True, "lost_s": lost, "rightly": same and cue}


def run(folder: Path) -> list[Line]:
    random.seed(8)
    moments = [(random.uniform(30.0, 800.0), random.uniform(0.3, 2.5)) for _ in range(KILLS)]
    with ThreadPoolExecutor(2) as pool:
        found = list(pool.map(lambda pair: one_kill(*pair), moments))
    lost = np.array([entry["lost_s"] for entry in found])
    print(f"  {KILLS} kills; seconds lost: median {np.median(lost):.2f}, most {lost.max():.2f}")
    return [
        Line("batches not recovered", float(sum(not entry["recovered"] for entry in found)), "of 50", 0.0),
        Line("readings lost, at most", float(lost.max()), "s", 1.0),
        Line("marks, moves or cue not resumed rightly", float(sum(not e["rightly"] for e in found)), "", 0.0),
    ]
