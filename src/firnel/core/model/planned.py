"""A plan run on the model: moves that hang on marks find their moments, and the marks theirs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.crossing import passes
from firnel.core.model.constants import STEP, Hands, LoadState, hands_of
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import USUAL_DENSITY
from firnel.core.model.simulation import Simulated, simulate
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import MOST_IN_A_ROW, UNFORESEEN, Anchor, Plan, PlannedMove
from firnel.core.usual import BROWNING_S, DEVELOPMENT_S, DRYING_S
from firnel.core.vocabulary import Control, FloatArray, Machine, MarkKind, Role
from firnel.core.words import tr

#: A roast that has not come to its drop after this is not going to. [s]
LONGEST_S = 1500.0
#: Marks and moves pull at each other; after so many rounds they have settled.
ROUNDS = 8


class PlanCannotRunError(ValueError):
    """A plan that the model cannot run; the message says why."""


@dataclass(frozen=True)
class PlannedRoast:
    """A plan as the model runs it: the roast up to the drop, and when its marks come [s from charge], None for never."""

    simulated: Simulated
    marks: dict[MarkKind, float | None]
    expected_t: tuple[float | None, ...]  #: when each move falls due, in the plan's order
    loss: float
    colour: float

    @property
    def drop_t(self) -> float | None:
        """When it is dropped. [s]"""
        return self.marks[MarkKind.DROP]

    def came(self) -> dict[str, float | None]:
        """What came of every target, by its name; None for what was not reached."""
        yellow, crack, drop = (self.marks[kind] for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP))
        made = self.simulated

        def bean(t: float | None) -> float | None:
            return float(np.interp(t, made.t, made.bean_probe[:, 0])) if t is not None else None

        def between(first: float | None, second: float | None) -> float | None:
            return second - first if first is not None and second is not None else None

        development = between(crack, drop)
        return {
            "drying_s": yellow,
            "browning_s": between(yellow, crack),
            "development_s": development,
            "drop_c": bean(drop),
            "rise_c": between(bean(crack), bean(drop)),
            "total_s": drop,
            "ratio": development / drop if development is not None and drop else None,
            "loss": self.loss if drop is not None else None,
            "colour": self.colour if drop is not None else None,
        }


def run_plan(
    model: MachineModel,
    machine: Machine,
    plan: Plan,
    green: GreenTraits,
    steel_c: float | None = None,
    room_c: float | None = None,
) -> PlannedRoast:
    """Run a plan on a machine's model.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    plan : with start settings and moves, and a development time or drop temperature to end it.
    green : of the lot.
    steel_c : of the drum at charge; what the machine usually has there, and the plan's own difference, if None. [degC]
    room_c : the plan's own if None. [degC]

    Raises
    ------
    PlanCannotRunError : if there is no load, or nothing that ends the roast.
    """
    targets = plan.targets
    if not plan.load_kg or plan.load_kg <= 0:
        raise PlanCannotRunError(tr("the plan {!r} has no load: how much is charged?", plan.name))
    if targets.development_s is None and targets.drop_c is None:
        raise PlanCannotRunError(
            tr("the plan {!r} says neither development time nor drop temperature: when to drop?", plan.name)
        )
    charge_c = targets.charge_c if targets.charge_c is not None else 200.0
    steel = steel_c if steel_c is not None else charge_c + model.steel_over_charge_c + plan.drum_c
    room_c = plan.room_c if room_c is None else room_c
    load = load_of(model, green, plan.load_kg, room_c)
    start = model.charged(steel, charge_c, room_c)
    levels = model.yellow.expect(green, plan.load_kg)[0], model.crack.expect(green, plan.load_kg)[0]
    when: dict[MarkKind, float | None] = dict.fromkeys(MarkKind)
    expected: tuple[float | None, ...] = ()
    simulated: Simulated | None = None
    for _ in range(ROUNDS):
        expected = expected_times(plan, when, simulated)
        made = simulate(model.fitted.constants, load, start, plan_hands(plan, machine, expected))
        simulated = model.drift.onto(made, levels[1])
        before, when = when, _marks(simulated, levels, plan)
        moved = [abs((when[kind] or 0.0) - (before[kind] or 0.0)) for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK)]
        if max(moved) < 1.0 and before[MarkKind.FIRST_CRACK] is not None:
            break
    if simulated is None:
        raise PlanCannotRunError(tr("the plan {!r} was not run.", plan.name))
    return _roast(model, green, simulated, when, expected)


def sketched(
    model: MachineModel, plan: Plan, green: GreenTraits, simulated: Simulated, expected: tuple[float | None, ...]
) -> PlannedRoast:
    """A roast that was simulated already, with its marks read off it; ``expected`` as in `PlannedRoast`."""
    levels = model.yellow.expect(green, plan.load_kg)[0], model.crack.expect(green, plan.load_kg)[0]
    return _roast(model, green, simulated, _marks(simulated, levels, plan), expected)


def _roast(
    model: MachineModel,
    green: GreenTraits,
    simulated: Simulated,
    when: dict[MarkKind, float | None],
    expected: tuple[float | None, ...],
) -> PlannedRoast:
    end = when[MarkKind.DROP]
    until = end if end is not None else float(simulated.t[-1])
    loss = float(model.level.loss(simulated, green.moisture, until)[0])
    return PlannedRoast(_cut(simulated, until), when, expected, loss, float(model.level.colour(simulated, until)[0]))


def load_of(model: MachineModel, green: GreenTraits, load_kg: float, room_c: float) -> LoadState:
    """A load of this green as the machine's model expects it."""
    uptake, own_heat = (found.get(green.lot, (0.0, 0.0))[0] for found in (model.fitted.uptake, model.fitted.own_heat))
    density = model.fitted.number("uptake_by_density") * (green.density - USUAL_DENSITY) / 50.0
    return LoadState(
        load_kg, green.moisture, green_c=room_c, uptake=float(np.exp(uptake + density)), own_heat=float(np.exp(own_heat))
    )


def plan_hands(plan: Plan, machine: Machine, expected: tuple[float | None, ...]) -> Hands:
    """The controls through each step, from the plan's start and from its moves at the moments they fall due."""
    t = STEP * np.arange(int(LONGEST_S / STEP))
    settings: dict[Control, FloatArray] = {}
    for control in machine.controls:
        setting = np.full(t.size, at_charge(plan, machine, control), np.float64)
        due = sorted(
            (at, index) for index, at in enumerate(expected) if at is not None and plan.moves[index].control == control
        )
        for at, index in due:
            setting[t >= at - 0.5 * STEP] = plan.moves[index].to
        settings[control] = setting
    return hands_of(machine, settings, t.size)


def at_charge(plan: Plan, machine: Machine, control: Control) -> float:
    """How a control stands at the charge: as the plan says, else off, and the drum at its usual speed."""
    usual = 0.75 * machine.controls[control].high if machine.role(control) is Role.MOTION else 0.0
    return plan.start.get(control, usual)


def expected_times(plan: Plan, when: dict[MarkKind, float | None], simulated: Simulated | None) -> tuple[float | None, ...]:
    """When each move falls due, one that follows another after that."""
    found = [_due(move, when, simulated, plan) for move in plan.moves]
    places = {move.label: index for index, move in enumerate(plan.moves) if move.label}
    for _ in range(MOST_IN_A_ROW):
        for index, move in enumerate(plan.moves):
            base = found[places[move.after]] if move.anchor is Anchor.MOVE and move.after in places else None
            if base is not None:
                found[index] = max(base + move.offset_s, 0.0)
    return tuple(found)


def _due(move: PlannedMove, when: dict[MarkKind, float | None], simulated: Simulated | None, plan: Plan) -> float | None:
    """When a move falls due by itself; before the first run by the plan's own stage times."""
    if move.anchor in (Anchor.CHARGE, Anchor.TIME):
        return max(move.offset_s, 0.0)
    if move.anchor is Anchor.MOVE or move.anchor in UNFORESEEN:
        return None
    if move.anchor is Anchor.BEAN:
        return _rises_to(simulated, move.at_c) if simulated is not None and move.at_c is not None else None
    if move.anchor is Anchor.AIR:
        known = simulated is not None and move.at_c is not None
        return passes(simulated.t, simulated.air_probe[:, 0], move.at_c, move.falling) if known else None  # type: ignore[union-attr,arg-type]
    if simulated is None:
        targets = plan.targets
        dry, brown = targets.drying_s or DRYING_S, targets.browning_s or BROWNING_S
        end = dry + brown + (targets.development_s or DEVELOPMENT_S)
        usual = {Anchor.TURNING: 75.0, Anchor.YELLOW: dry, Anchor.FIRST_CRACK: dry + brown, Anchor.DROP: end}
        return max(usual[move.anchor] + move.offset_s, 0.0)
    mark = when[MarkKind(move.anchor.value)]
    return max(mark + move.offset_s, 0.0) if mark is not None else None


def _rises_to(simulated: Simulated, bean_c: float) -> float | None:
    """When the bean probe rises to a reading behind its turn."""
    curve = simulated.bean_probe[:, 0]
    lowest = int(np.argmin(curve[: int(300.0 / STEP)]))
    above = np.flatnonzero(curve[lowest:] >= bean_c)
    return float(simulated.t[lowest + above[0]]) if above.size else None


def _marks(simulated: Simulated, levels: tuple[float, float], plan: Plan) -> dict[MarkKind, float | None]:
    bean, probe, t = simulated.bean[:, 0], simulated.bean_probe[:, 0], simulated.t
    development_s, drop_c = plan.targets.development_s, plan.targets.drop_c

    def reaches(level: float) -> float | None:
        above = np.flatnonzero(bean >= level)
        if not above.size or above[0] == 0:
            return None
        after = int(above[0])
        return float(np.interp(level, bean[after - 1 : after + 1], t[after - 1 : after + 1]))

    when: dict[MarkKind, float | None] = dict.fromkeys(MarkKind)
    when[MarkKind.CHARGE] = 0.0
    when[MarkKind.TURNING] = float(t[int(np.argmin(probe[t <= 300.0]))])
    when[MarkKind.YELLOW], crack = reaches(levels[0]), reaches(levels[1])
    when[MarkKind.FIRST_CRACK] = crack
    if crack is not None and development_s is not None and not plan.drop_rules:
        when[MarkKind.DROP] = crack + development_s
    elif crack is not None and drop_c is not None:
        after = np.flatnonzero((t >= crack) & (probe >= drop_c))
        when[MarkKind.DROP] = float(t[after[0]]) if after.size else None
    end = when[MarkKind.DROP]
    if end is not None and end > t[-1]:
        when[MarkKind.DROP] = None
    return when


def _cut(simulated: Simulated, until: float) -> Simulated:
    last = int(np.searchsorted(simulated.t, until, side="left")) + 1
    return Simulated(
        simulated.t[:last], simulated.bean[:last], simulated.bean_probe[:last], simulated.air_probe[:last],
        simulated.steel[:last], simulated.moisture[:last], simulated.end,
    )  # fmt: skip
