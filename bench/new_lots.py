"""How honest Firnel is of a lot that the machine has never roasted: a whole lot is left out of the fit, then its batches are
foretold; beside them batches of lots that were in the fit. On ten drawn machines and the seven logged ones, where every batch
is of a lot of its own: these also with nothing told of the new green, with the load untold, and once more as a folder of old
logs is taken in, with no word of lots and green at all.

Median error of first crack, and how often the 80 % intervals hold; and how often the bean probe of a logged machine is said to
have been moved, which it never was.
"""

import warnings
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from machines import AHEAD_S, FITTED, batches_of
from other_machines import MACHINES as LOGGED
from other_machines import record_of
from report import Line

from firnel.core.model.foretelling import DropRule
from firnel.core.model.learning import MachineModel
from firnel.core.model.lessons import learn
from firnel.core.model.logged import USUAL_DENSITY, USUAL_MOISTURE, LoggedBatch, logged_batch, untold_of
from firnel.core.model.replay import as_made, forecast_at
from firnel.core.vocabulary import Machine

DRAWN, JUDGED = 10, 6


@dataclass(frozen=True)
class Said:
    """One first crack: the sort of machine, what is known of the batch, how long ahead and how far off it was. [s]"""

    sort: str
    known: str
    ahead: float
    off: float
    held: bool


def of_untold_green(batch: LoggedBatch) -> LoggedBatch:
    """The batch had nobody told of its green."""
    return replace(
        batch, lot="", density=USUAL_DENSITY, moisture=USUAL_MOISTURE, process="", blend=None, untold=untold_of(None)
    )


def of_untold_load(batch: LoggedBatch, model: MachineModel, machine: Machine) -> LoggedBatch:
    """The batch had nobody told of its load."""
    usual = model.usual_load(machine)
    assert usual is not None
    return replace(batch, load_kg=usual.kg, load_doubt=usual.apart)


def foretold(name: str, untold: bool) -> tuple[list[Said], int]:
    """What was said of a machine's first cracks, and how often its probe was said to have been moved."""
    warnings.simplefilter("ignore")
    machine, batches = batches_of(name)
    if untold:
        records = (replace(record_of(batch.label), lot="") for batch in batches)
        batches = [
            logged_batch(record, machine, None, batch.batch_of_day) for record, batch in zip(records, batches, strict=True)
        ]
    marked = [batch for batch in batches if batch.yellow_t and batch.first_crack_t and batch.drop_t]
    left_out = Counter(batch.lot for batch in marked).most_common(1)[0][0]
    others = [batch for batch in marked if batch.lot != left_out]
    fitted = others[:FITTED]
    model = learn(fitted, machine.useful_load_kg, machine.heat_kinds)
    lots, sort = {batch.lot for batch in fitted}, "logged" if name in LOGGED else "drawn"
    rng, found = np.random.default_rng(8), []
    for batch in [*(one for one in marked if one.lot == left_out), *others[FITTED:]][:JUDGED]:
        crack, drop = batch.first_crack_t or 0.0, batch.drop_t or 0.0
        ways = {"no word of lots": batch} if untold else {"known lots" if batch.lot in lots else "new lots": batch}
        if sort == "logged" and not untold:
            ways |= {"new lots of untold green": of_untold_green(batch), "untold loads": of_untold_load(batch, model, machine)}
        for known, told in ways.items():
            for ahead in (ahead for ahead in AHEAD_S if crack - ahead > 60.0):
                at, rule = crack - ahead, DropRule(development_s=drop - crack)
                said = forecast_at(model, told, at, as_made(batch, at), rule, rng).first_crack
                off = 300.0 if said is None else abs(said.value - crack)
                held = said is not None and (said.low or -9e9) <= crack <= (said.high or 9e9)
                found.append(Said(sort, known, ahead, off, held))
    return found, len(model.report.shifts)


def run(_folder: Path) -> list[Line]:
    names = (*LOGGED, *(f"drawn-{number}" for number in range(DRAWN)), *LOGGED)
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        runs = list(pool.map(foretold, names, [False] * (len(LOGGED) + DRAWN) + [True] * len(LOGGED)))
    of: dict[tuple[str, str], list[Said]] = defaultdict(list)
    for one in (one for found, _ in runs for one in found):
        of[one.sort, one.known].append(one)
    lines = []
    for (sort, known), rows in sorted(of.items()):
        for ahead in AHEAD_S:
            then = [one for one in rows if one.ahead == ahead]
            if then:
                print(f"  {sort}, {known}, {ahead:.0f} s ahead: median {np.median([one.off for one in then]):.1f} s, "
                      f"held {100 * np.mean([one.held for one in then]):.0f} % of {len(then)}")  # fmt: skip
        share = 100 * float(np.mean([one.held for one in rows]))
        lines.append(Line(f"{sort}, {known}: 80 % intervals of first crack, off 80 by", abs(share - 80.0), "points", 5.0))
    moved = sum(shifts for (_, shifts), name in zip(runs, names, strict=True) if name in LOGGED)
    lines.append(Line("logged, told and untold: bean probes said to be moved that were not", float(moved), "", 0.0))
    return lines


if __name__ == "__main__":
    run(Path())
