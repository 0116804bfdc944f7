"""Ladders read back: which batches are the rungs of one, what the cup and the colour say of them."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from firnel.core.plan import Plan
from firnel.core.review.ladders import LadderFit, fit_ladder
from firnel.core.vocabulary import FloatArray
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores

#: Ends of plan names that make a ladder of them: a development or browning time, or a charge reading.
_RUNG = re.compile(r"^(?P<name>.+) (?:\d+:\d\d|\d+°)$")


@dataclass(frozen=True)
class LadderRead:
    """The rungs of a ladder: the batches, their development [s], cup scores and ground colours, shape (n,), and the fit."""

    name: str
    lines: tuple[BatchLine, ...]
    heights: FloatArray
    scores: FloatArray
    colours: FloatArray
    fit: LadderFit | None


def ladder_names(library: Library) -> list[str]:
    """Ladders there are: names of plans with several rungs, and plans whose own batches differ in development."""
    plans = library.plans()
    names = [found["name"] for plan in plans if (found := _RUNG.match(plan.name))]
    several = sorted({name for name in names if names.count(name) > 1})
    return several + [plan.name for plan in plans if not _RUNG.match(plan.name)]


def read_ladder(library: Library, name: str) -> LadderRead:
    """A ladder with what is known of its rungs."""
    lines = [
        line
        for line in reversed(library.batch_lines(BatchFilter(statuses=("done", "dropped"), counting=True), limit=2000))
        if line.development_s is not None
        and (line.plan == name or ((found := _RUNG.match(line.plan)) is not None and found["name"] == name))
    ]
    cups = cup_scores(library)
    heights = np.array([line.development_s for line in lines], float)
    scores = np.array([cups.get(line.id, np.nan) for line in lines], float)
    colours = np.array([np.nan if line.colour_ground is None else line.colour_ground for line in lines], float)
    return LadderRead(name, tuple(lines), heights, scores, colours, fit_ladder(heights, scores) if lines else None)


def plan_of_ladder(library: Library, name: str) -> Plan | None:
    """The plan that the best of a ladder goes into: the one of that name, or a rung where there is none."""
    plans = library.plans()
    own = next((plan for plan in plans if plan.name == name), None)
    rung = next((plan for plan in plans if (found := _RUNG.match(plan.name)) and found["name"] == name), None)
    return own or rung
