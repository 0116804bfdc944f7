"""Prints the table of `firnel.core.model.drums`: each drum fitted by itself, as so many spreads away from what was guessed.

Not one of the figures: it is run when the logs, the guesses or the equations have changed.
"""

import sys
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

from first_days import simulated
from other_machines import MACHINES as LOGGED
from other_machines import logs_of

from firnel.app.demo_batches import KIND_OF
from firnel.core.model import drums
from firnel.core.model.fitting import identify

#: A drum is fitted to so many of its batches.
BATCHES = 14


def row_of(name: str) -> tuple[str, list[float]]:
    """One drum: where its numbers lie."""
    warnings.simplefilter("ignore")
    drums.DRUMS = {}  # guessed, not learned from the others: those would be drawn together
    machine, batches = (LOGGED[name], list(logs_of(name))) if name in LOGGED else simulated(name)
    fitted = identify(batches[:BATCHES], machine.useful_load_kg, machine.heat_kinds)
    off = {
        prior.name: float((value - prior.inside(prior.mean)) / prior.sd)
        for prior, value in zip(fitted.priors, fitted.values, strict=True)
    }
    return name, [off[number] for number in drums.NUMBERS]


if __name__ == "__main__":
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for name, row in pool.map(row_of, sys.argv[1:] or (*LOGGED, *KIND_OF)):
            print(f'    "{name}": ({", ".join(f"{value:.2f}" for value in row)}),')
