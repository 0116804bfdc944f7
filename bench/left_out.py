"""Firnel's fit against a plain one of the same equations (`plain_fit`), on batches of seven machines that neither has seen.

Both are fitted on the first twelve batches of twenty (eight of fourteen) and predict the others from their exact moves, charge
reading, lot facts and room, without any live data: the bean probe after 90 s, and when the curve comes to the reading that the
batch truly had at yellow and at first crack.
"""

import csv
import sys
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import plain_fit
from other_machines import MACHINES, leave_out, logs_of
from report import Line

from firnel.core.model.fitting import identify
from firnel.core.model.identification import modelled

#: What is judged: root mean square [K], yellow and first crack by their own readings [s].
WHAT = ("bean RMS", "yellow", "first crack")


def fitted_on(count: int) -> int:
    return 8 if count <= 14 else 12


def come(t, curve, reading, when):
    """How much later than it truly came the curve reaches a reading."""
    up = t > 100.0
    return float(np.interp(reading, np.maximum.accumulate(curve[up]), t[up]) - when)


def plainly(name: str) -> list[float]:
    rows = [row for row in csv.DictReader((plain_fit.LOGS / "batches.csv").open()) if row["machine"] == name]
    batches = [plain_fit.read(row) for row in rows if row["yellow_s"] and row["first_crack_s"]]
    count = fitted_on(len(batches))
    made, off = plain_fit.fit(batches[:count], name == "harbour")(batches[count:]), ([], [], [])
    t = plain_fit.DT * np.arange(len(made))
    for index, batch in enumerate(batches[count:]):
        curve, late = made[:, index], batch["q"] > 90.0
        off[0].append(float(np.sqrt(np.mean((curve[: late.size] - batch["bean"])[late] ** 2))))
        for place, when in ((1, batch["yellow"]), (2, batch["crack"])):
            off[place].append(come(t, curve, np.interp(when, batch["q"], batch["bean"]), when))
    return [float(np.median(np.abs(column))) for column in off]


def firnels(name: str) -> list[float]:
    batches = [batch for batch in logs_of(name) if batch.yellow_t is not None and batch.first_crack_t is not None]
    count = fitted_on(len(batches))
    machine = MACHINES[name]
    leave_out(name)
    fitted = identify(batches[:count], machine.useful_load_kg, machine.heat_kinds)
    off: tuple[list[float], ...] = ([], [], [])
    for batch in batches[count:]:
        made = modelled(fitted, batch, known=False)
        size = min(made.t.size, batch.bean.size)
        curve, late = made.bean_probe[:, 0], made.t[:size] > 90.0
        off[0].append(float(np.sqrt(np.nanmean((curve[:size] - batch.bean[:size])[late] ** 2))))
        for place, when in ((1, batch.yellow_t), (2, batch.first_crack_t)):
            off[place].append(come(made.t, curve, np.interp(when, batch.t, batch.bean), when))
    return [float(np.median(np.abs(column))) for column in off]


def both(name: str) -> tuple[str, list[float], list[float]]:
    warnings.simplefilter("ignore")
    return name, firnels(name), plainly(name)


def run(_folder: Path, names: tuple[str, ...] = tuple(MACHINES)) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = list(pool.map(both, names))
    for name, own, plain in found:
        told = ", ".join(f"{what} {a:.1f} ({b:.1f})" for what, a, b in zip(WHAT, own, plain, strict=True))
        print(f"  {name:8s} {told}")
    own, plain = (np.array([entry[place] for entry in found]) for place in (1, 2))
    return [
        Line(
            f"{what}, left-out batches of other machines",
            float(np.exp(np.mean(np.log(own[:, i] / plain[:, i])))),
            "times",
            1.0,
            "a plain fit",
        )
        for i, what in enumerate(WHAT)
    ]


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]) or tuple(MACHINES))
