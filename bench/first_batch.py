"""A first batch, led on machines that nobody ever logged: plan, cues and advice come from what drums of the kind are like.

Strange and drawn machines, each roasted once by hands that obey and are two seconds late and a step off, against what its
house usually comes to.
"""

import sys
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import logged
from guided import HouseHand, asked_of, usual_of
from hands import Came, guided
from report import Line
from strange_machines import drawn_of

from firnel.core.model.prior import prior_model

MACHINES = (*(f"strange-{number}" for number in range(200, 210)), *(f"drawn-{number}" for number in range(10, 20)))
#: A drop so much hotter than asked for is spoilt. [K]
SPOILT_K = 10.0


def first_batch(name: str) -> Came:
    """What came of the first batch."""
    warnings.simplefilter("ignore")
    drawn = drawn_of(name)
    house = logged(drawn, 6)  # what is usual there; nothing is learned from it
    model = prior_model(drawn.machine.useful_load_kg, drawn.machine.heat_kinds)
    one = next(asked_of(drawn, model, house, usual_of(drawn, house)))
    hand = HouseHand(drawn, one.solved.plan, one.seed, one.steel_by, False)
    return guided(hand, one.solved, one.load, one.lot, model, one.load.mass_kg)


def run(_folder: Path, names: tuple[str, ...] = MACHINES) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        batches = list(pool.map(first_batch, names))
    for name, came in zip(names, batches, strict=True):
        told = f"first crack {came.crack:+.0f} s, development {came.development:+.0f} s, drop {came.drop:+.1f} K"
        print(f"  {name:12s} {told}" + "".join(f"\n      {said}" for said in came.said))
    spoilt = 100.0 * float(np.mean([came.drop > SPOILT_K or came.development < -10.0 for came in batches]))
    return [
        Line("first crack off plan, median", float(np.median([abs(came.crack) for came in batches])), "s", 90.0),
        Line("drop off plan, median", float(np.median([abs(came.drop) for came in batches])), "K", 3.0),
        Line("spoilt: ten degrees hot, or no first crack in 25 minutes", spoilt, "%", 10.0),
    ]


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]) or MACHINES)
