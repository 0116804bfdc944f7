"""The solver: the moves, in the gauge's own steps, that bring a roast to its targets on the machine's model.

Each approach has a form of few moves with open heat levels. The levels are found by least squares, then put on the steps of
the gauge, then the moments of the moves are shifted by whole five seconds until the targets are met as well as they can be. All
candidates of a round run as one ensemble. While it solves, marks stand at their target times; the result is run with its moves
hanging on the marks.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from firnel.core.model.constants import Hands, StartState, control_share
from firnel.core.model.learning import MachineModel
from firnel.core.model.planned import PlannedRoast, load_of, run_plan
from firnel.core.model.simulation import STEP, Simulated, simulate
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Machine, MarkKind

#: A target is met within this. [s], [degC]
MET_S, MET_C = 2.0, 0.5
#: Moves are shifted by whole steps of this, at most so far. [s]
SHIFT_S, MOST_SHIFTS = 5.0, 5
#: A stage that nobody asked for is pulled to the usual only this softly. [s]
FREE_S = 40.0
#: Airflow as shares of the scale while drying, from yellow, from first crack: common practice, no published source.
AIR_LEVELS = (0.22, 0.45, 0.70)
#: Rate of rise that a roast must keep before the drop; common practice, no published source. [degC/min]
LEAST_RATE = 3.0


class CannotSolveError(ValueError):
    """Targets that contradict each other or the machine; the message says which."""


@dataclass(frozen=True)
class OpenMove:
    """A move of heat whose level is open: anchor, offset [s], where its level begins, as a share of full heat."""

    anchor: Anchor
    offset_s: float
    level: float


#: Form of each approach: the level at charge, then its moves. Common practice, no published source.
FORMS: dict[str, tuple[float | None, tuple[OpenMove, ...]]] = {
    "falling": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.68),
            OpenMove(Anchor.YELLOW, 110.0, 0.60),
            OpenMove(Anchor.FIRST_CRACK, -15.0, 0.42),
        ),
    ),
    "air-led": (
        0.78,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.78),
            OpenMove(Anchor.YELLOW, -30.0, 0.66),
            OpenMove(Anchor.FIRST_CRACK, 0.0, 0.38),
        ),
    ),
    "soak-push": (
        None,
        (OpenMove(Anchor.CHARGE, 60.0, 0.92), OpenMove(Anchor.YELLOW, -20.0, 0.60), OpenMove(Anchor.FIRST_CRACK, -10.0, 0.40)),
    ),
    "times": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.64),
            OpenMove(Anchor.FIRST_CRACK, -10.0, 0.42),
        ),
    ),
}


@dataclass(frozen=True)
class Solved:
    """A plan, how it runs on the model, what was wanted and what came, and what could not be met, in words."""

    plan: Plan
    roast: PlannedRoast
    met: dict[str, tuple[float, float]]
    not_met: tuple[str, ...]
    warnings: tuple[str, ...]


@dataclass(frozen=True)
class _Aim:
    """The targets with every gap filled, and how hard each pulls. [s, degC]"""

    drying: float
    browning: float
    development: float
    drop_c: float | None
    weights: tuple[float, float]

    @property
    def crack(self) -> float:
        return self.drying + self.browning

    @property
    def end(self) -> float:
        return self.crack + self.development


def solve(
    model: MachineModel,
    machine: Machine,
    plan: Plan,
    green: GreenTraits,
    usual: Targets,
    room_c: float = 22.0,
    steel_c: float | None = None,
) -> Solved:
    """Find the moves of a plan.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    plan : its load, charge temperature, approach and targets are taken; its moves and start are found.
    green : of the lot.
    usual : what the machine usually does, for targets that are left open.
    room_c : [degC]
    steel_c : of the drum at charge, if not the usual. [degC]

    Raises
    ------
    CannotSolveError : if there is no load or no gauge, the approach is not known, or targets contradict each other.
    """
    scale = _check(machine, plan, model, green)
    aim = _aim(plan.targets, usual)
    charge_c = plan.targets.charge_c if plan.targets.charge_c is not None else usual.charge_c or 200.0
    problem = _Problem(model, machine, scale, green, plan, aim, charge_c, room_c, steel_c)
    levels = problem.gauge(problem.levels())
    shifts = problem.shifts(levels)
    levels, shifts = problem.polish(levels, shifts)
    targets = replace(
        plan.targets, charge_c=charge_c, drying_s=aim.drying, browning_s=aim.browning, development_s=aim.development
    )
    solved = replace(
        plan, machine=machine.name, targets=targets, start=problem.start(levels), moves=problem.moves(levels, shifts)
    )
    roast = run_plan(model, machine, solved, green, steel_c, room_c)
    return _told(problem, plan, solved, roast, levels)


def _check(machine: Machine, plan: Plan, model: MachineModel, green: GreenTraits) -> ControlScale:
    scale, targets = machine.controls.get(Control.GAS), plan.targets
    if scale is None:
        raise CannotSolveError(f"{machine.name} has no scale for its gas or heater: give it one in Machines.")
    if plan.approach not in FORMS:
        raise CannotSolveError(f"{plan.approach!r} is no approach; there are {', '.join(FORMS)}.")
    if not plan.load_kg or plan.load_kg <= 0:
        raise CannotSolveError("the plan has no load: how much is charged?")
    if plan.load_kg > machine.stated_load_kg * 1.001:
        raise CannotSolveError(f"{plan.load_kg:g} kg are more than {machine.name} holds ({machine.stated_load_kg:g} kg).")
    for name, seconds, low, high in (
        ("drying", targets.drying_s, 90.0, 900.0),
        ("browning", targets.browning_s, 45.0, 900.0),
        ("development", targets.development_s, 10.0, 600.0),
    ):
        if seconds is not None and not low <= seconds <= high:
            raise CannotSolveError(f"{name} of {seconds:.0f} s cannot be: {low:.0f} to {high:.0f} s.")
    if targets.charge_c is not None and not 100.0 <= targets.charge_c <= 260.0:
        raise CannotSolveError(f"a charge at {targets.charge_c:.0f} °C cannot be: 100 to 260 °C.")
    if targets.drop_c is not None and targets.drop_c <= machine.first_crack_c - 3.0:
        raise CannotSolveError(
            f"a drop at {targets.drop_c:.0f} °C lies below first crack, read at {machine.first_crack_c:.0f} °C on this machine."
        )
    return scale


def _aim(targets: Targets, usual: Targets) -> _Aim:
    def filled(name: str, fallback: float) -> tuple[float, float]:
        asked, known = getattr(targets, name), getattr(usual, name)
        return (asked, MET_S) if asked is not None else (known or fallback, FREE_S)

    (drying, drying_sd), (browning, browning_sd) = filled("drying_s", 300.0), filled("browning_s", 220.0)
    development = targets.development_s if targets.development_s is not None else usual.development_s or 95.0
    return _Aim(drying, browning, development, targets.drop_c, (drying_sd, browning_sd))


class _Problem:
    """Candidates as members: heat levels as shares of full heat, and shifts of the moves in steps."""

    def __init__(
        self,
        model: MachineModel,
        machine: Machine,
        scale: ControlScale,
        green: GreenTraits,
        plan: Plan,
        aim: _Aim,
        charge_c: float,
        room_c: float,
        steel_c: float | None,
    ) -> None:
        self.model, self.machine, self.scale, self.plan, self.aim = model, machine, scale, plan, aim
        self.begins, self.form = FORMS[plan.approach]
        self._load = load_of(model, green, plan.load_kg or 1.0, room_c)
        steel = steel_c if steel_c is not None else charge_c + model.steel_over_charge_c
        self._start = StartState(
            steel, charge_c, charge_c + model.air_over_charge_c, room_c, model.fitted.number("heat_before")
        )
        self._levels_c = model.yellow.expect(green)[0], model.crack.expect(green)[0]
        self._t = STEP * np.arange(int((aim.end + 150.0) / STEP))
        least = scale.least if scale.least > 0 else scale.low + scale.step
        self._lowest = float(control_share(Control.GAS, np.array([least]), scale, machine.heat)[0])
        self._air = self._air_steps()

    def _air_steps(self) -> tuple[tuple[float, float], ...]:
        """Moments and settings of the airflow; it is not open."""
        scale = self.machine.controls.get(Control.AIRFLOW)
        if scale is None:
            return ()
        low, middle, high = (scale.nearest(scale.low + share * (scale.high - scale.low)) for share in AIR_LEVELS)
        return (0.0, low), (self.aim.drying + 20.0, middle), (self.aim.crack - 20.0, high)

    def _due(self, index: int) -> float:
        move = self.form[index]
        base = {Anchor.CHARGE: 0.0, Anchor.YELLOW: self.aim.drying, Anchor.FIRST_CRACK: self.aim.crack}[move.anchor]
        return base + move.offset_s

    @property
    def first(self) -> tuple[float, ...]:
        """Levels to begin with: at charge if it is open, then of each move."""
        opening = () if self.begins is None else (self.begins,)
        return (*opening, *(move.level for move in self.form))

    def run(self, levels: FloatArray, shifts: FloatArray | None = None) -> Simulated:
        """Run candidates: levels of shape (m, k), shifts in steps of shape (m, moves)."""
        members = levels.shape[0]
        shifts = np.zeros((members, len(self.form))) if shifts is None else shifts
        opened = 0 if self.begins is None else 1
        heat = np.full((self._t.size, members), self._lowest)
        if opened:
            heat[:] = levels[:, 0]
        for index in range(len(self.form)):
            due = self._due(index) + SHIFT_S * shifts[:, index]
            after = self._t[:, None] >= due - 0.5 * STEP
            heat = np.where(after, levels[:, opened + index], heat)
        air = np.full(self._t.size, 0.5)
        scale = self.machine.controls.get(Control.AIRFLOW)
        if scale is not None:
            for at, setting in self._air:
                air[self._t >= at] = control_share(Control.AIRFLOW, np.array([setting]), scale, self.machine.heat)[0]
        hands = Hands(heat, air[:, None], np.ones((self._t.size, 1)))
        return simulate(self.model.fitted.constants, self._load, self._start, hands, STEP, members)

    def off(self, made: Simulated) -> FloatArray:
        """Distance from the targets in units of what is met, shape (k, m)."""
        yellow, crack = (_first_above(made.t, made.bean, level) for level in self._levels_c)
        rows = [(yellow - self.aim.drying) / self.aim.weights[0]]
        rows.append((crack - yellow - self.aim.browning) / self.aim.weights[1])
        end = np.minimum(crack + self.aim.development, made.t[-1])
        drop_c = _at(made.t, made.bean_probe, end)
        if self.aim.drop_c is not None:
            rows.append((drop_c - self.aim.drop_c) / MET_C)
        last_rate = 60.0 * (drop_c - _at(made.t, made.bean_probe, end - 30.0)) / 30.0
        rows.append(np.minimum(last_rate - LEAST_RATE, 0.0))
        rows.append(self._manner(made))
        return np.stack(rows)

    def _manner(self, made: Simulated) -> FloatArray:
        """What the approach itself wants, softly, shape (m,)."""
        inside = (made.t >= self.aim.drying) & (made.t <= self.aim.end - 10.0)
        if self.plan.approach == "falling":
            rate = np.gradient(made.bean_probe, made.t, axis=0)[inside] * 60.0
            return np.asarray(0.35 * np.sum(np.clip(np.diff(rate[::5], axis=0), 0.0, None), axis=0))
        if self.plan.approach == "air-led":
            level = made.air_probe[(made.t >= self.aim.drying + 30.0) & (made.t <= self.aim.crack)]
            return np.asarray(0.05 * (level.max(axis=0) - level[-1]))
        return np.zeros(made.bean.shape[1])

    def levels(self) -> FloatArray:
        """Open levels by least squares, each Jacobian one ensemble run."""
        from scipy.optimize import least_squares

        first = np.array(self.first)

        def cost(levels: FloatArray) -> FloatArray:
            return np.concatenate([self.off(self.run(levels[None, :]))[:, 0], (levels - first) / 0.6])

        def slope(levels: FloatArray) -> FloatArray:
            small = 0.01
            made = self.off(self.run(np.vstack([levels, levels + small * np.eye(levels.size)])))
            return np.vstack([(made[:, 1:] - made[:, :1]) / small, np.eye(levels.size) / 0.6])

        bounds = np.full(first.size, min(self._lowest, 0.99)), np.ones(first.size)
        begun = np.clip(first, bounds[0] + 1e-6, bounds[1] - 1e-6)
        fit = least_squares(cost, begun, slope, bounds=bounds, ftol=1e-4, xtol=1e-4, gtol=1e-4, max_nfev=14)
        return np.asarray(fit.x)

    def settings(self) -> FloatArray:
        """Every setting of the gauge that keeps the heat on, shape (n,)."""
        count = round((self.scale.high - self.scale.low) / self.scale.step)
        every = self.scale.low + self.scale.step * np.arange(count + 1)
        return np.asarray(np.round(every[every >= max(self.scale.least, self.scale.low + 0.5 * self.scale.step)], 6))

    def gauge(self, levels: FloatArray) -> FloatArray:
        """The levels on the steps of the gauge: of all neighbours the best, shape (k,)."""
        shares = control_share(Control.GAS, self.settings(), self.scale, self.machine.heat)
        near = []
        for level in levels:
            above = int(np.clip(np.searchsorted(shares, level), 0, shares.size - 1))
            near.append(sorted({above, max(above - 1, 0)}))
        candidates = np.array([[shares[index] for index in pick] for pick in product(*near)])
        return np.asarray(candidates[int(np.argmin(self._cost(candidates)))])

    def _cost(self, levels: FloatArray, shifts: FloatArray | None = None) -> FloatArray:
        cost = np.sum(np.square(self.off(self.run(levels, shifts))), axis=0)
        return np.asarray(cost if shifts is None else cost + 0.02 * np.sum(np.square(shifts), axis=1))

    def shifts(self, levels: FloatArray, begin: FloatArray | None = None) -> FloatArray:
        """Moves shifted by whole steps, one after the other, for as long as it helps, shape (moves,)."""
        best = np.zeros(len(self.form)) if begin is None else begin
        options = np.arange(-MOST_SHIFTS, MOST_SHIFTS + 1)
        cost = float(self._cost(levels[None, :], best[None, :])[0])
        for _ in range(3):
            tries = np.array([_with(best, index, float(step)) for index in range(best.size) for step in options])
            costs = self._cost(np.tile(levels, (len(tries), 1)), tries)
            if costs.min() >= cost - 0.02:
                break
            best, cost = tries[int(np.argmin(costs))], float(costs.min())
        return best

    def polish(self, levels: FloatArray, shifts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """One step of the gauge up or down, each with the moments as they are, then the moments anew."""
        shares = control_share(Control.GAS, self.settings(), self.scale, self.machine.heat)
        at = np.array([float(np.argmin(np.abs(shares - level))) for level in levels])
        tries = [at] + [_with(at, i, float(np.clip(at[i] + d, 0, shares.size - 1))) for i in range(at.size) for d in (-1, 1)]
        candidates = shares[np.array(tries, int)]
        costs = self._cost(candidates, np.tile(shifts, (len(tries), 1)))
        best = candidates[int(np.argmin(costs))]
        return best, self.shifts(best, shifts)

    def _setting(self, share: float) -> float:
        settings = self.settings()
        shares = control_share(Control.GAS, settings, self.scale, self.machine.heat)
        return float(settings[int(np.argmin(np.abs(shares - share)))])

    def start(self, levels: FloatArray) -> dict[Control, float]:
        """Settings at charge."""
        first = self._lowest if self.begins is None else float(levels[0])
        made = {Control.GAS: self._setting(first)}
        if self._air:
            made[Control.AIRFLOW] = self._air[0][1]
        drum = self.machine.controls.get(Control.DRUM)
        if drum is not None:
            made[Control.DRUM] = drum.nearest(0.75 * drum.high)
        return made

    def moves(self, levels: FloatArray, shifts: FloatArray) -> tuple[PlannedMove, ...]:
        """The moves; one that changes nothing is left out."""
        opened = 0 if self.begins is None else 1
        held = self.start(levels)[Control.GAS]
        made = []
        for index, move in enumerate(self.form):
            to = self._setting(float(levels[opened + index]))
            if to != held:
                made.append(PlannedMove(Control.GAS, to, move.anchor, move.offset_s + SHIFT_S * float(shifts[index])))
            held = to
        if self._air:
            made.append(PlannedMove(Control.AIRFLOW, self._air[1][1], Anchor.YELLOW, 20.0))
            made.append(PlannedMove(Control.AIRFLOW, self._air[2][1], Anchor.FIRST_CRACK, -20.0))
        return tuple(made)


def _with(values: FloatArray, index: int, value: float) -> FloatArray:
    changed: FloatArray = values.copy()
    changed[index] = value
    return changed


def _first_above(t: FloatArray, curve: FloatArray, level: float) -> FloatArray:
    """When each member first reaches a level, shape (m,); behind the end by how much it lacks, so that there is a slope."""
    above = curve >= level
    index = np.clip(np.argmax(above, axis=0), 1, None)
    members = np.arange(curve.shape[1])
    low, high = curve[index - 1, members], curve[index, members]
    share = np.clip((level - low) / np.where(high > low, high - low, 1.0), 0.0, 1.0)
    when = t[index - 1] + share * (t[index] - t[index - 1])
    return np.asarray(np.where(above.any(axis=0), when, t[-1] + 6.0 * (level - curve[-1])))


def _at(t: FloatArray, curve: FloatArray, when: FloatArray) -> FloatArray:
    """Each member's curve at its own moment, shape (m,)."""
    index = np.clip(np.searchsorted(t, when), 1, t.size - 1)
    members = np.arange(curve.shape[1])
    share = np.clip((when - t[index - 1]) / (t[index] - t[index - 1]), 0.0, 1.0)
    return np.asarray(curve[index - 1, members] + share * (curve[index, members] - curve[index - 1, members]))


def _told(problem: _Problem, asked: Plan, plan: Plan, roast: PlannedRoast, levels: FloatArray) -> Solved:
    """What was wanted and what came, and why something could not be met."""
    when, made = roast.marks, roast.simulated
    yellow, crack, drop = (when[kind] for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP))
    got = {
        "drying_s": yellow,
        "browning_s": crack - yellow if crack is not None and yellow is not None else None,
        "development_s": drop - crack if drop is not None and crack is not None else None,
        "drop_c": float(np.interp(drop, made.t, made.bean_probe[:, 0])) if drop is not None else None,
        "charge_c": plan.targets.charge_c,
    }
    limits = _limits(problem, levels)
    met: dict[str, tuple[float, float]] = {}
    not_met = []
    for name, value in got.items():
        wanted = getattr(asked.targets, name)
        if wanted is None:
            continue
        words, unit = name.rpartition("_")[0], "°C" if name.endswith("_c") else "s"
        if value is None:
            not_met.append(f"{words} {wanted:.0f} {unit}: the roast does not come so far{limits}.")
            continue
        met[name] = (wanted, value)
        if abs(value - wanted) > (MET_C if unit == "°C" else MET_S) + 1e-6:
            not_met.append(f"{words} {wanted:.0f} {unit}: the nearest is {value:.1f} {unit}{limits}.")
    drop_c = got["drop_c"]
    targets = replace(
        plan.targets,
        drying_s=round(yellow, 1) if yellow is not None else plan.targets.drying_s,
        browning_s=round(got["browning_s"], 1) if got["browning_s"] is not None else plan.targets.browning_s,
        drop_c=asked.targets.drop_c if asked.targets.drop_c is not None else round(drop_c, 1) if drop_c is not None else None,
    )
    return Solved(replace(plan, targets=targets), roast, met, tuple(not_met), _warnings(roast, plan))


def _limits(problem: _Problem, levels: FloatArray) -> str:
    if float(levels.max()) >= 0.999:
        return "; the burner is at its limit"
    return "; the burner is at its least" if float(levels.min()) <= problem._lowest + 1e-6 else ""


def _warnings(roast: PlannedRoast, plan: Plan) -> tuple[str, ...]:
    """Stall, runaway and the like, as the curve has them. Common practice, no published source."""
    said: list[str] = []
    made, when = roast.simulated, roast.marks
    rate = made.rate()[:, 0]
    yellow, drop = when[MarkKind.YELLOW], when[MarkKind.DROP]
    if yellow is not None and drop is not None:
        late = (made.t >= yellow) & (made.t <= drop)
        slowest = float(rate[late].min()) if late.any() else 0.0
        if slowest < 2.0:
            said.append(f"The rate of rise falls to {slowest:.1f} °C/min: the roast stalls and will taste flat.")
        if late.any() and float(rate[late][-1]) > 12.0:
            said.append(f"It is still rising at {float(rate[late][-1]):.0f} °C/min at the drop: it runs away.")
    return tuple(said)


def sensitivity(
    model: MachineModel, machine: Machine, plan: Plan, green: GreenTraits, steel_c: float | None = None
) -> tuple[tuple[float, float], ...]:
    """What one step more, and five seconds later, in each move do to the drop temperature, in the plan's order. [degC]"""
    usual = _drop_c(run_plan(model, machine, plan, green, steel_c))

    def changed(index: int, move: PlannedMove) -> float:
        moves: Sequence[PlannedMove] = [*plan.moves[:index], move, *plan.moves[index + 1 :]]
        return _drop_c(run_plan(model, machine, replace(plan, moves=tuple(moves)), green, steel_c)) - usual

    found = []
    for index, move in enumerate(plan.moves):
        step = machine.controls[move.control].step if move.control in machine.controls else 0.0
        found.append(
            (changed(index, replace(move, to=move.to + step)), changed(index, replace(move, offset_s=move.offset_s + 5.0)))
        )
    return tuple(found)


def _drop_c(roast: PlannedRoast) -> float:
    drop = roast.drop_t
    made = roast.simulated
    return float(np.interp(drop, made.t, made.bean_probe[:, 0])) if drop is not None else float("nan")
