"""How honest Firnel is of a lot that the machine has never roasted: a whole lot is left out of the fit, then its batches are
foretold; beside them batches of lots that were in the fit. On ten drawn machines and the seven logged ones, where every batch
is of a lot of its own.

Median error of first crack, and how often the 80 % intervals hold.
"""

import warnings
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from machines import AHEAD_S, FITTED, batches_of
from other_machines import MACHINES as LOGGED
from report import Line

from firnel.core.model.foretelling import DropRule
from firnel.core.model.lessons import learn
from firnel.core.model.replay import as_made, forecast_at

DRAWN, JUDGED = 10, 6


def foretold(name: str) -> list[tuple[str, str, float, float, bool]]:
    """Sort of machine, whether the lot is new or known, how long ahead [s], how far off [s], and whether the interval held."""
    warnings.simplefilter("ignore")
    machine, batches = batches_of(name)
    marked = [batch for batch in batches if batch.yellow_t and batch.first_crack_t and batch.drop_t]
    left_out = Counter(batch.lot for batch in marked).most_common(1)[0][0]
    others = [batch for batch in marked if batch.lot != left_out]
    fitted = others[:FITTED]
    model = learn(fitted, machine.useful_load_kg, machine.heat_kinds)
    lots = {batch.lot for batch in fitted}
    rng, found = np.random.default_rng(8), []
    for batch in [*(one for one in marked if one.lot == left_out), *others[FITTED:]][:JUDGED]:
        crack, drop = batch.first_crack_t or 0.0, batch.drop_t or 0.0
        for ahead in AHEAD_S:
            if crack - ahead <= 60.0:
                continue
            at = crack - ahead
            said = forecast_at(model, batch, at, as_made(batch, at), DropRule(development_s=drop - crack), rng).first_crack
            off = 300.0 if said is None else abs(said.value - crack)
            held = said is not None and (said.low or -9e9) <= crack <= (said.high or 9e9)
            found.append(("logged" if name in LOGGED else "drawn", "known" if batch.lot in lots else "new", ahead, off, held))
    return found


def run(_folder: Path) -> list[Line]:
    names = (*LOGGED, *(f"drawn-{number}" for number in range(DRAWN)))
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = [one for several in pool.map(foretold, names) for one in several]
    of: dict[tuple[str, str], list[tuple[float, float, bool]]] = defaultdict(list)
    for sort, lot, ahead, off, held in found:
        of[sort, lot].append((ahead, off, held))
    lines = []
    for (sort, lot), rows in sorted(of.items()):
        for ahead in AHEAD_S:
            then = [(off, held) for when, off, held in rows if when == ahead]
            if then:
                print(f"  {sort}, {lot} lots, {ahead:.0f} s ahead: median {np.median([off for off, _ in then]):.1f} s, "
                      f"held {100 * np.mean([held for _, held in then]):.0f} % of {len(then)}")  # fmt: skip
        share = 100 * float(np.mean([held for _, _, held in rows]))
        lines.append(Line(f"{sort}, {lot} lots: 80 % intervals of first crack, off 80 by", abs(share - 80.0), "points", 5.0))
    return lines


if __name__ == "__main__":
    run(Path())
