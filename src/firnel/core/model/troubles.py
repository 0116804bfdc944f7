"""What machine or beans would not take of a plan, and what nobody knows: stall, runaway, scorching, a start never logged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.model.candidates import Candidates
from firnel.core.model.planned import PlannedRoast
from firnel.core.plan import Plan, Targets
from firnel.core.usual import STALL_RATE
from firnel.core.vocabulary import MarkKind
from firnel.core.words import capital, tr

#: Rates of rise at which a roast stalls, or runs away at its end; common practice, no published source. [degC/min]
RUNAWAY_RATE = 12.0
#: A charge, or steel, this much hotter than the lot should have may scorch it; common practice, no published source. [degC]
SCORCH_CHARGE_C, SCORCH_STEEL_C = 8.0, 15.0
#: From so many logged batches on it is told what was never logged: loads beyond this factor, settings at charge by this share.
SEEN_FROM, SEEN_LOAD, SEEN_SHARE = 3, 1.2, 0.08

#: Kinds of trouble that say: nobody knows what comes of it.
NEVER_LOGGED = ("unseen", "guess")


@dataclass(frozen=True)
class Trouble:
    """What machine or beans would not take, or what nobody knows: kind, when [s], words.

    Kinds are stall, runaway, scorch, unseen (what it begins with), guess and doubt (the whole machine).
    """

    kind: str
    t: float
    sentence: str


def troubles_of(problem: Candidates, roast: PlannedRoast, plan: Plan, usual: Targets) -> tuple[Trouble, ...]:
    """Stall, runaway, scorching, as the curve and the drum have them. Common practice, no published source."""
    said: list[Trouble] = []
    made, when = roast.simulated, roast.marks
    rate = made.rate()[:, 0]
    yellow, drop = when[MarkKind.YELLOW], when[MarkKind.DROP]
    charge_c = plan.targets.charge_c or 200.0
    if usual.charge_c is not None and charge_c > usual.charge_c + SCORCH_CHARGE_C:
        over = charge_c - usual.charge_c
        said.append(Trouble("scorch", 0.0, tr("The charge is {:.0f} K hotter than this lot should have: it may scorch.", over)))
    hotter = float(made.steel[0, 0]) - (usual.charge_c or charge_c) - problem.model.steel_over_charge_c
    if hotter > SCORCH_STEEL_C and not said:
        said.append(Trouble("scorch", 0.0, tr("The drum is {:.0f} K hotter than usual: the beans may scorch on it.", hotter)))
    if yellow is not None and drop is not None:
        coast = _coast(problem, roast, plan)
        late = np.flatnonzero((made.t >= yellow) & (made.t <= min(drop, coast)))
        if late.size and float(rate[late].min()) < STALL_RATE:
            at = late[int(np.argmin(rate[late]))]
            said.append(
                Trouble(
                    "stall",
                    float(made.t[at]),
                    tr("The rate of rise falls to {:.1f} K/min: the roast stalls and will taste flat.", rate[at]),
                )
            )
        if late.size and float(rate[late][-1]) > RUNAWAY_RATE:
            said.append(
                Trouble(
                    "runaway", drop, tr("It is still rising at {:.0f} K/min at the drop: it runs away.", float(rate[late][-1]))
                )
            )
    return (*said, *_unseen(problem, plan))


def _unseen(problem: Candidates, plan: Plan) -> list[Trouble]:
    """What the plan begins with that was never logged on this machine: there the model only guesses."""
    driven, machine = problem.model.driven, problem.machine
    if not problem.model.batches:
        guess = tr("Nothing has been logged of {} yet: this is what drums of its kind usually take. If you know its gauge "
                   "better, hold your own settings.", machine.name)  # fmt: skip
        return [Trouble("guess", 0.0, guess)]
    if len(driven) < SEEN_FROM:
        return []
    said = []
    loads = [one.load_kg for one in driven]
    if plan.load_kg and not min(loads) / SEEN_LOAD <= plan.load_kg <= max(loads) * SEEN_LOAD:
        said.append(
            tr(
                "A load of {:g} kg has never been logged on this machine ({:g} to {:g} kg)",
                plan.load_kg,
                min(loads),
                max(loads),
            )
        )
    for control, scale in machine.controls.items():
        starts = [one.start[control] for one in driven if control in one.start]
        value = plan.start.get(control)
        if not starts or value is None:
            continue
        room = max(scale.step, SEEN_SHARE * (scale.high - scale.low))
        if not min(starts) - room <= value <= max(starts) + room:
            word = machine.word(control)
            logged = tr("{:g}", min(starts)) if min(starts) == max(starts) else tr("{:g} to {:g}", min(starts), max(starts))
            said.append(
                tr("{} {:g} {} at charge has never been logged on this machine ({})", capital(word), value, scale.unit, logged)
            )
    return [
        Trouble("unseen", 0.0, tr("{}: what comes of it is a guess until it has been roasted once.", what)) for what in said[:1]
    ]


def _coast(problem: Candidates, roast: PlannedRoast, plan: Plan) -> float:
    """From when on the plan has the main heat off up to the drop; infinite where it does not. [s]"""
    due = sorted(
        (at, move.to)
        for move, at in zip(plan.moves, roast.expected_t, strict=True)
        if move.control == problem.heat and at is not None
    )
    return due[-1][0] if due and due[-1][1] <= problem.scale.low else float("inf")
