"""How right Firnel is on machines that it has never met: drawn at random, strange ones, and the seven logged ones; one table.

Each machine is fitted to eight of its own logged batches and judged on the next six; what is known of drums beforehand holds
none of the drawn or strange machines, and not the logged one that is judged. Baseline of first crack is the straight line
through the last 30 s of the bean probe, to the machine's median reading at first crack. All forecasts know the moves that were
made.
"""

import sys
import time
import warnings
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import logged
from model import straight_line
from other_machines import MACHINES as LOGGED
from other_machines import leave_out, logs_of
from report import Line
from strange_machines import STRANGE, drawn_of

from firnel.core.model.foretelling import DropRule, Interval
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel, crack_error, misfit
from firnel.core.model.lessons import learn
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import as_made, forecast_at, read_at_drop
from firnel.core.model.widths import Widths
from firnel.core.vocabulary import Machine

FITTED, JUDGED, DRAWN = 8, 6, 30
AHEAD_S = (30.0, 90.0, 180.0)


def batches_of(name: str) -> tuple[Machine, list[LoggedBatch]]:
    """A machine of any sort and its batches."""
    if name in LOGGED:
        leave_out(name)
        return LOGGED[name], list(logs_of(name))
    drawn = drawn_of(name)
    return drawn.machine, logged(drawn, FITTED + JUDGED)


def judge(model: MachineModel, fitted: list[LoggedBatch], judged: list[LoggedBatch]) -> dict[str, list[float]]:
    """Errors by name, and what share of intervals held under ``held …``."""
    off: dict[str, list[float]] = defaultdict(list)
    rng = np.random.default_rng(8)
    reading = float(np.median([np.interp(b.first_crack_t, b.t, b.bean) for b in fitted if b.first_crack_t]))

    def note(name: str, said: Interval | None, came: float, lost: float = 300.0) -> None:
        off[name].append(abs(said.value - came) if said is not None else lost)
        off[f"held {name}"].append(float(said is not None and (said.low or -9e9) <= came <= (said.high or 9e9)))

    for batch in judged:
        yellow, crack, drop = batch.yellow_t, batch.first_crack_t, batch.drop_t
        if yellow is None or crack is None or drop is None:
            continue
        off["bean"].append(misfit(modelled(model.fitted, batch, known=False), batch)[0])
        blind = crack_error(model, batch)
        off["blind"].append(abs(blind) if blind is not None else 300.0)
        by_time = DropRule(development_s=drop - crack)

        def told(at: float, rule: DropRule = by_time, batch: LoggedBatch = batch):  # type: ignore[no-untyped-def]
            return forecast_at(model, batch, at, as_made(batch, at), rule, rng)

        for ahead in AHEAD_S:
            if yellow - ahead > 60.0:
                note(f"yellow {ahead:.0f}", told(yellow - ahead).yellow, yellow)
            if crack - ahead > 60.0:
                note(f"crack {ahead:.0f}", told(crack - ahead).first_crack, crack)
        off["line 90"].append(min(abs(straight_line(batch, crack - 90.0, reading) - crack), 300.0))
        landing = told(crack)
        landed = read_at_drop(batch)
        note("drop_c", landing.drop_c, landed, 20.0)
        note("drop_t", told(crack, DropRule(drop_c=landed)).drop_t, drop, 200.0)
    return off


def machine_runs(name: str) -> tuple[str, dict[str, list[float]], float, Widths]:
    """One machine fitted and judged."""
    warnings.simplefilter("ignore")
    machine, batches = batches_of(name)
    known = batches[:FITTED]
    begun = time.perf_counter()
    model = learn(known, machine.useful_load_kg, machine.heat_kinds)
    seconds = time.perf_counter() - begun
    return name, judge(model, known, batches[FITTED : FITTED + JUDGED]), seconds, model.widths


def run(_folder: Path, names: tuple[str, ...] = ()) -> list[Line]:
    names = names or (
        *LOGGED,
        *(f"drawn-{number}" for number in range(DRAWN)),
        *STRANGE,
    )
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        runs = list(pool.map(machine_runs, names))
    for name, off, seconds, model_widths in runs:
        shown = ("bean", "blind", "yellow 90", "crack 180", "crack 90", "crack 30", "line 90", "drop_c")
        held = np.mean([value for key, values in off.items() if key.startswith("held") for value in values])
        widths = f"{model_widths.yellow:.2f} {model_widths.crack:.2f} {model_widths.landing:.2f}"
        print(f"  {name:9s} " + ", ".join(f"{key} {np.median(off[key]):.1f}" for key in shown if off[key])
              + f"; held {100 * held:.0f} %; widths {widths}; fit {seconds:.0f} s")  # fmt: skip
    lines = []
    for sort in ("logged", "drawn", "strange"):
        group = [run for run in runs if ("logged" if run[0] in LOGGED else run[0].partition("-")[0]) == sort]
        if not group:
            continue
        all_off: dict[str, list[float]] = defaultdict(list)
        for _, off, _, _ in group:
            for key, values in off.items():
                all_off[key] += values
        for key in sorted(key for key in all_off if not key.startswith("held")):
            held = 100 * np.mean(all_off[f"held {key}"]) if f"held {key}" in all_off else float("nan")
            middle, most = np.quantile(all_off[key], (0.5, 0.9))
            print(f"  {sort:6s} {key:10s} median {middle:6.2f}, nine in ten {most:6.2f}, "
                  f"held {held:.0f} % of {len(all_off[key])}")  # fmt: skip
        strict = sort == "drawn"
        line = float(np.median(all_off["line 90"]))
        median = {key: float(np.median(values)) for key, values in all_off.items()}
        held_all = [value for key, values in all_off.items() if key.startswith("held") for value in values]
        lines += [
            Line(f"{sort}: first crack 90 s ahead, median", median["crack 90"], "s", 6.0 if strict else 7.0),
            Line(f"{sort}: the same", median["crack 90"] / line, "times", 0.3 if strict else 0.33, "the straight line"),
            Line(f"{sort}: 180 s ahead, median", median["crack 180"], "s", 10.0 if strict else 12.0),
            Line(
                f"{sort}: 180 s ahead, nine in ten",
                float(np.quantile(all_off["crack 180"], 0.9)),
                "s",
                30.0 if strict else 35.0,
            ),
            Line(f"{sort}: 80 % intervals, off 80 by", abs(100 * float(np.mean(held_all)) - 80.0), "points", 5.0),
            Line(f"{sort}: drop temperature from first crack, median", median["drop_c"], "K", 0.6 if strict else 0.8),
        ]
    return lines


if __name__ == "__main__":
    run(Path(), tuple(sys.argv[1:]))
