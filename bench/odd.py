"""Machines and houses outside of what the others are drawn between: fast and slow roasts, tiny and huge drums, slow probes.

Each is fitted to eight batches and judged on the next six, as in `machines`.
"""

import sys
import warnings
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from itertools import product
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import Ranges, draw, logged
from machines import FITTED, JUDGED, judge
from report import Line

from firnel.core.model.lessons import learn

KINDS = {
    "fast": Ranges(crack_s=(250.0, 380.0)),
    "slow": Ranges(crack_s=(780.0, 1050.0), development_s=(100.0, 220.0)),
    "probe that reads cold": Ranges(crack_c=(180.0, 188.0), yellow_c=(136.0, 146.0)),
    "probe that reads hot": Ranges(crack_c=(210.0, 220.0), yellow_c=(158.0, 168.0)),
    "slow probe": Ranges(probe_s=(45.0, 80.0)),
    "huge": Ranges(load_kg=(90.0, 240.0)),
    "tiny": Ranges(load_kg=(0.06, 0.25)),
    "dark": Ranges(development_s=(180.0, 300.0), rise_c=(3.0, 40.0)),
}
NUMBERS = range(600, 604)


def machine_runs(kind: str, number: int) -> tuple[str, dict[str, list[float]]]:
    """One machine fitted and judged."""
    warnings.simplefilter("ignore")
    drawn = draw(number, ranges=KINDS[kind])
    batches = logged(drawn, FITTED + JUDGED)
    known = batches[:FITTED]
    return kind, judge(learn(known, drawn.machine.useful_load_kg, drawn.machine.heat_kinds), known, batches[FITTED:])


def run(_folder: Path, kinds: tuple[str, ...] = ()) -> list[Line]:
    off: dict[str, dict[str, list[float]]] = {kind: defaultdict(list) for kind in kinds or KINDS}
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for kind, came in pool.map(machine_runs, *zip(*product(off, NUMBERS), strict=True)):
            for name, values in came.items():
                off[kind][name] += values
    lines = []
    for kind, of in off.items():
        held = np.mean([value for name, values in of.items() if name.startswith("held") for value in values])
        lines += [
            Line(f"{kind}: first crack 90 s ahead, median", float(np.median(of["crack 90"])), "s", 7.0),
            Line(f"{kind}: 180 s ahead, median", float(np.median(of["crack 180"])), "s", 12.0),
            Line(f"{kind}: drop temperature from first crack, median", float(np.median(of["drop_c"])), "K", 0.8),
            Line(f"{kind}: 80 % intervals, off 80 by", abs(100.0 * float(held) - 80.0), "points", 5.0),
        ]
    return lines


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]))
