"""The first three batches on machines that nobody ever logged: what drums of the kind are like, then what each has taught.

Strange and drawn machines, roasted by hands that obey, two seconds late and a step off, against what their houses
usually come to. Every batch is learned from before the next, as the application does by itself; each of another lot and load.
"""

import sys
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import Came as Roasted
from drawn_machines import logged, record_of
from guided import Asked, HouseHand, asked_of, usual_of
from hands import Came, guided
from report import Line
from strange_machines import drawn_of

from firnel.core.model.learning import MachineModel
from firnel.core.model.lessons import learn
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.model.prior import prior_model

MACHINES = (
    *(f"strange-{number}" for number in (*range(200, 206), *range(297, 313))),
    *(f"drawn-{number}" for number in range(10, 16)),
)
BATCHES = 3
#: A batch is spoilt that drops so much hotter than asked for [K], or whose development was cut by so much, or never began. [s]
SPOILT_K, SHORT_S = 10.0, 30.0
#: What is aimed at in first crack [s] and drop [K] off plan, batch after batch.
AIMS = ((90.0, 3.0), (30.0, 2.0), (20.0, 1.0))


def readings(house: list[LoggedBatch]) -> tuple[float, float]:
    """What whoever roasts there knows of the probe: its readings at yellow and first crack, to the degree."""

    def usual(name: str) -> float:
        return float(round(np.median([np.interp(getattr(batch, name), batch.t, batch.bean) for batch in house])))

    return usual("yellow_t"), usual("first_crack_t")


def first_batches(name: str) -> tuple[list[Came], Came]:
    """What came of the first batches of one machine, of which nothing was told; and of the first, where its readings were."""
    warnings.simplefilter("ignore")
    drawn = drawn_of(name)
    house = logged(drawn, 6)  # what is usual there; nothing is learned from it
    usual, machine = usual_of(drawn, house), drawn.machine
    kind = machine.useful_load_kg, machine.heat_kinds
    own: list[LoggedBatch] = []
    found = []

    def led(number: int, model: MachineModel) -> tuple[Came, HouseHand, Asked]:
        one = list(asked_of(drawn, model, house, usual))[number]
        hand = HouseHand(drawn, one.solved.plan, one.seed, one.steel_by, False)
        return guided(hand, one.solved, one.load, one.lot, model, one.load.mass_kg), hand, one

    told = led(0, prior_model(*kind, *readings(house)))[0]
    model = prior_model(*kind)
    for number in range(BATCHES):
        batch, hand, one = led(number, model)
        found.append(batch)
        came = Roasted(hand.rows, list(hand.marks.values()), hand.moves)
        record = record_of(drawn, came, one.lot.name, one.load.mass_kg, f"first-{number}", hand.roaster.room_c)
        own.append(logged_batch(record, machine, one.lot, 2))
        model = learn(own, *kind)
    return found, told


def run(_folder: Path, names: tuple[str, ...] = MACHINES) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = list(pool.map(first_batches, names))
    runs = [[told, *batches] for batches, told in found]
    for name, each in zip(names, runs, strict=True):
        for came in each:
            told = f"first crack {came.crack:+.0f} s, development {came.development:+.0f} s, drop {came.drop:+.1f} K"
            print(f"  {name:12s} {told}" + "".join(f"\n      {said}" for said in came.said))
    lines = []
    named = ("first batch, its readings told", *(f"batch {number + 1}" for number in range(BATCHES)))
    for number, (batch, (crack_s, drop_k)) in enumerate(zip(named, (AIMS[0], *AIMS), strict=True)):
        crack, drop = ([abs(getattr(batches[number], of)) for batches in runs] for of in ("crack", "drop"))
        crack_most, drop_most = (float(np.quantile(off, 0.9)) for off in (crack, drop))
        print(f"  {batch}, nine in ten: first crack {crack_most:.0f} s, drop {drop_most:.1f} K")
        lines.append(Line(f"{batch}: first crack off plan, median", float(np.median(crack)), "s", crack_s))
        lines.append(Line(f"{batch}: drop off plan, median", float(np.median(drop)), "K", drop_k))
    spoilt = 100.0 * float(
        np.mean([came.drop > SPOILT_K or came.development < -SHORT_S for batches in runs for came in batches])
    )
    return [*lines, Line("spoilt: ten degrees hot, 30 s short, or no first crack in 25 minutes", spoilt, "%", 5.0)]


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]) or MACHINES)
