"""What a move of the heat at first crack comes to, foretold against what truly came of it, on drawn and strange machines.

The house's logs hold its own moves alone, at the same readings in every batch: what the heat answers goes together there with
all that beans do at those readings. Each machine is fitted to twelve batches; then one roast of it, without noise, goes on from
first crack with the heat as it stood, and again with the heat out, halved, and a third more.
"""

import sys
import warnings
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import Drawn, logged, record_of, roast
from report import Line
from strange_machines import STRANGE, drawn_of

from firnel.core.model.constants import source_share
from firnel.core.model.identification import modelled
from firnel.core.model.lessons import learn
from firnel.core.model.logged import logged_batch
from firnel.core.vocabulary import Control, FloatArray

#: The heat against what it was, and when it is looked at what came of it. [s]
TURNED, AFTER_S = (0.0, 0.5, 1.3), (30.0, 60.0, 90.0)
FITTED, STEP_S, LONG_S = 12, 2.0, 110.0
DRAWN = tuple(f"drawn-{number}" for number in range(10))


class Turned:
    """A roast that goes on from first crack with the heat turned so: probe [degC] each second, its settings, the crack [s]."""

    def __init__(self, drawn: Drawn, by: float) -> None:
        heat, turned = drawn.machine.main_heat, self

        class Roaster(drawn.made):  # type: ignore[misc, name-defined]  # the machine's own class
            def set(self, control: Control, value: float) -> None:
                if control != heat or turned.crack_t is None:
                    super().set(control, value)

            def _step(self) -> None:
                super()._step()
                if self.beans is not None and turned.crack_t is None and self.beans.mean_c >= self.beans.crack_c:
                    super().set(heat, by * self.settings[heat])
                    turned.crack_t = self.t

        self.crack_t: float | None = None
        self.probe: list[float] = []
        lot, green = next(iter(drawn.lots.values()))
        house = replace(drawn.house, development_s=LONG_S)
        self.came = roast(
            drawn.body, house, green, np.random.default_rng(5), still=True, probe=self.probe, made=Roaster
        )  # the same chances each time
        self.record = record_of(drawn, self.came, lot.name, green.mass_kg, "turned")
        self.lot = lot

    def read(self, after_s: float) -> float:
        """The probe so long after the crack. [degC]"""
        return self.probe[min(round((self.crack_t or 0.0) + after_s), len(self.probe) - 1)]


def foretold(name: str) -> list[float]:
    """How much of what truly came of each move was foretold, by move and moment. [-]"""
    warnings.simplefilter("ignore")
    drawn = drawn_of(name)
    machine, heat = drawn.machine, drawn.machine.main_heat
    model = learn(logged(drawn, FITTED), machine.useful_load_kg, machine.heat_kinds)
    stayed = Turned(drawn, 1.0)
    batch = logged_batch(stayed.record, machine, stayed.lot, STEP_S)
    crack_t = (stayed.crack_t or 0.0) - stayed.came.charge_t
    column = 3 + list(machine.controls).index(heat)

    def modelled_with(setting: float) -> FloatArray:
        shares = batch.hands.heat.copy()
        shares[round(crack_t / STEP_S) :] = source_share(machine, heat, np.array([setting]))[0]
        made = modelled(model.fitted, replace(batch, hands=replace(batch.hands, heat=shares)), known=False)
        return np.interp(crack_t + np.array(AFTER_S), made.t, made.bean_probe[:, 0])

    found = []
    for by in TURNED:
        turned = Turned(drawn, by)
        to, stood = (one.came.rows[-1][column] for one in (turned, stayed))
        if to == stood:  # a step of this gauge is more than that
            continue
        said = modelled_with(to) - modelled_with(stood)
        found += [float(one / (turned.read(after) - stayed.read(after))) for one, after in zip(said, AFTER_S, strict=True)]
    return found


def on(names: Sequence[str], sort: str) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        found = list(pool.map(foretold, names))
    for name, shares in zip(names, found, strict=True):
        print(f"  {name}: " + " ".join(f"{share:.2f}" for share in shares))
    every = np.concatenate(found)
    print(f"  {sort}: median {np.median(every):.2f}")
    off = np.exp(np.median(np.abs(np.log(np.maximum(every, 1e-3)))))
    return [
        Line(f"{sort}: what a move at first crack comes to, foretold too small or too big by this factor, median", off, "", 1.5)
    ]


def run(_folder: Path) -> list[Line]:
    return [*on(DRAWN, "drawn"), *on(STRANGE, "strange")]


if __name__ == "__main__":
    on(sys.argv[1:] or DRAWN, "named")
