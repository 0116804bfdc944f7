"""How surely a plan comes out as planned: its roast run by an ensemble of what the fit left open.

Each member makes every move when its own marks come, as a roaster would; nothing is corrected on the way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.crossing import crossing
from firnel.core.model.constants import Hands, LoadState, hands_of
from firnel.core.model.foretelling import DropRule, Interval, drop_of, interval
from firnel.core.model.identification import BATCH_STEEL_SD, constants_of
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import USUAL_DENSITY
from firnel.core.model.planned import PlannedRoast, at_charge
from firnel.core.model.score import untold
from firnel.core.model.simulation import about_middle, simulate
from firnel.core.model.statements import Statement
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Anchor, Plan, PlannedMove
from firnel.core.vocabulary import Control, FloatArray, Machine, MarkKind

#: Enough for an 80 % interval to be steady to a tenth of its width.
MEMBERS = 64
STEP = 4.0
#: Moves hang on marks and marks on moves: after so many rounds they agree.
ROUNDS = 3


@dataclass(frozen=True)
class Outlook:
    """80 % intervals of a plan roasted as written, by target name, and the fan of the bean probe.

    Loss and colour are in it only where what was said of them on this machine held so far.

    ``t`` [s from charge], shape (n,); ``fan`` at 10, 50 and 90 %, shape (3, n) [degC].
    """

    of: dict[str, Interval]
    t: FloatArray
    fan: FloatArray


def outlook(
    model: MachineModel,
    machine: Machine,
    plan: Plan,
    roast: PlannedRoast,
    green: GreenTraits,
    rng: np.random.Generator,
    members: int = MEMBERS,
) -> Outlook:
    """Run a solved plan with all that the fit of the machine and the lot leave open.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    plan, roast : as solved, and as the model's mean runs it.
    green : of the lot.
    rng : source of the members.
    members : of the ensemble.
    """

    def normal(mean: float, sd: float) -> FloatArray:
        return mean + sd * np.append(rng.standard_normal(members), 0.0)  # the middle one is the last

    fitted = model.fitted
    rows = np.vstack([fitted.draw(members, rng), fitted.values])
    constants = constants_of(fitted.priors, rows, fitted.full_load)
    load = _load(model, plan, green, rows, np.stack([normal(0.0, 1.0), normal(0.0, 1.0)]))
    steel = normal(float(roast.simulated.steel[0, 0]), BATCH_STEEL_SD)
    start = model.charged(steel, plan.targets.charge_c or 200.0, plan.room_c)
    yellow_c, crack_c = (normal(*mark.expect(green, plan.load_kg)) for mark in (model.yellow, model.crack))
    end = roast.drop_t if roast.drop_t is not None else float(roast.simulated.t[-1])
    t: FloatArray = np.arange(0.0, end + 180.0, STEP, dtype=np.float64)
    yellow: FloatArray = np.full(members + 1, roast.marks[MarkKind.YELLOW] or end)
    crack: FloatArray = np.full(members + 1, roast.marks[MarkKind.FIRST_CRACK] or end)
    wander = about_middle(normal(0.0, model.drift.after_sd))
    for _ in range(ROUNDS):
        made = simulate(constants, load, start, _hands(machine, plan, roast, t, yellow, crack), STEP, members + 1)
        yellow = np.asarray(np.minimum(crossing(made.t, made.bean, yellow_c), t[-1]))
        crack = np.asarray(np.minimum(crossing(made.t, made.bean, crack_c), t[-1]))
    made, yellow_c, crack_c = made.about_middle(), about_middle(yellow_c), about_middle(crack_c)
    yellow, crack = (np.minimum(crossing(made.t, made.bean, level), t[-1]) for level in (yellow_c, crack_c))
    since = np.clip(made.t[:, None] - crack, 0.0, None)
    probe = made.bean_probe + wander * since / 60.0 + model.drift.after(since)
    rule = DropRule(None if plan.drop_rules else plan.targets.development_s, plan.targets.drop_c)
    drop_t, drop_c = drop_of(made.t, probe, crack, rule)
    index, every = np.clip(np.searchsorted(made.t, drop_t), 0, made.t.size - 1), np.arange(members)
    reading = probe[np.clip(np.searchsorted(made.t, crack), 0, made.t.size - 1), every]
    found = {
        "drying_s": yellow,
        "browning_s": crack - yellow,
        "development_s": drop_t - crack,
        "total_s": drop_t,
        "drop_c": drop_c,
        "rise_c": drop_c - reading,
    }
    known, level = np.isfinite(drop_t), model.level
    if not untold(model, Statement.LOSS):
        loss = level.losses(made, green.moisture)[index, every] + about_middle(normal(0.0, level.loss_sd))
        found["loss"] = np.where(known, loss, np.nan)
    if not untold(model, Statement.COLOUR):
        colour = level.colours(made)[index, every] + about_middle(normal(0.0, level.colour_sd))
        found["colour"] = np.where(known, colour, np.nan)
    intervals = {name: told for name, values in found.items() if (told := interval(values)) is not None}
    shown = made.t <= end + STEP
    return Outlook(intervals, made.t[shown], np.quantile(probe[shown], (0.1, 0.5, 0.9), axis=1))


def _load(model: MachineModel, plan: Plan, green: GreenTraits, rows: FloatArray, scatter: FloatArray) -> LoadState:
    """Each member's load: what the lot takes up of the heat, and gives of its own, is known as surely as it was fitted."""
    fitted = model.fitted
    density = fitted.number("uptake_by_density") * (green.density - USUAL_DENSITY) / 50.0
    uptake, own_heat = fitted.draw_lot(green.lot, rows, scatter)
    return LoadState(
        plan.load_kg or 1.0, green.moisture, green_c=plan.room_c,
        uptake=np.exp(density + uptake),
        own_heat=np.exp(own_heat),
    )  # fmt: skip


def _hands(machine: Machine, plan: Plan, roast: PlannedRoast, t: FloatArray, yellow: FloatArray, crack: FloatArray) -> Hands:
    """Each member's controls: a move falls due by that member's own marks."""
    settings: dict[Control, FloatArray] = {}

    def due(move: PlannedMove, expected: float | None) -> FloatArray:
        if move.anchor in (Anchor.YELLOW, Anchor.FIRST_CRACK):
            return (yellow if move.anchor is Anchor.YELLOW else crack) + move.offset_s
        return np.full(yellow.size, np.inf if expected is None else expected)

    for control in machine.controls:
        setting = np.full((t.size, yellow.size), at_charge(plan, machine, control), np.float64)
        for index in sorted(range(len(plan.moves)), key=lambda index: roast.expected_t[index] or 0.0):
            move = plan.moves[index]
            if move.control == control:
                setting = np.where(t[:, None] >= due(move, roast.expected_t[index]) - 0.5 * STEP, move.to, setting)
        settings[control] = setting
    return hands_of(machine, settings, t.size)
