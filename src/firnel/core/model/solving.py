"""The solver: the moves, in the gauge's own steps, that bring a roast to its targets on the machine's model.

Each approach has a form of few moves with open heat levels; a plan that has moves already can be its own form. The levels are
found by least squares, then put on the steps of the gauge, then the moments of the moves are shifted by whole five seconds
until the targets are met as well as they can be. All candidates of a round run as one ensemble. The result is run with its
moves hanging on the marks.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.approaches import FORMS
from firnel.core.model.candidates import MET, MET_C, MET_S, Candidates
from firnel.core.model.learning import MachineModel
from firnel.core.model.plan_form import NEVER_S, Bent, How, begun_so
from firnel.core.model.planned import PlannedRoast, run_plan, sketched
from firnel.core.model.search import descend, leap, on_steps, settle
from firnel.core.model.thresholds import GreenTraits
from firnel.core.model.troubles import NEVER_LOGGED, Trouble, troubles_of
from firnel.core.plan import READINGS, TARGET_WORDS, Anchor, Plan, PlannedMove, Targets
from firnel.core.stage_targets import stage_times
from firnel.core.units import clock
from firnel.core.vocabulary import ControlScale, FloatArray, Machine, MarkKind
from firnel.core.words import tr

__all__ = ["FORMS", "MET_C", "MET_S", "CannotSolveError", "How", "Missed", "Solved", "Trouble", "sensitivity", "solve"]

#: Approaches whose heat may be put out before the drop where else it comes too hot.
COASTS = ("falling", "times")
#: How much of what further sources of heat are turned down by may be left on, where the beans never get there.
LEFT_ON = (0.5, 1.0)
#: A form is bent where that leaves no more than this of all that is missed.
WORTH_BENDING = 0.6


class CannotSolveError(ValueError):
    """Targets that contradict each other or the machine; the message says which."""


@dataclass(frozen=True)
class Missed:
    """A target that is missed: what was wanted and what came (None: never), why, and whether nearer was looked for."""

    name: str
    wanted: float
    got: float | None
    why: str = ""
    nearest: bool = True

    def words(self, shown: Callable[[str, float], str] | None = None) -> str:
        """A sentence; ``shown`` writes a target's value with its unit."""
        shown = shown or plain
        word = TARGET_WORDS[self.name]
        if self.got is None:
            return tr("{} {}: the roast does not get that far{}.", word, shown(self.name, self.wanted), self.why)
        comes = tr("the nearest is") if self.nearest else tr("it comes to")
        return f"{word} {shown(self.name, self.wanted)}: {comes} {shown(self.name, self.got)}{self.why}."


@dataclass(frozen=True)
class Solved:
    """A plan, how it runs on the model, what was wanted and what came, and what could not be met."""

    plan: Plan
    roast: PlannedRoast
    met: dict[str, tuple[float, float]]
    missed: tuple[Missed, ...]
    gave_way: tuple[str, ...]
    troubles: tuple[Trouble, ...]
    blocking: tuple[int, ...] = ()  #: held moves, by their place in ``plan.moves``, without which the targets could be met

    @property
    def not_met(self) -> tuple[str, ...]:
        """All that could not be met, in words."""
        return (*self.gave_way, *(missed.words() for missed in self.missed))

    @property
    def never_logged(self) -> bool:
        """Whether it begins as nothing was ever logged on the machine."""
        return any(trouble.kind in NEVER_LOGGED for trouble in self.troubles)

    @property
    def warnings(self) -> tuple[str, ...]:
        """All troubles, in words."""
        return tuple(trouble.sentence for trouble in self.troubles)


def plain(name: str, value: float) -> str:
    """A target's value in SI units."""
    if name in ("ratio", "loss"):
        return tr("{:.1f} %", 100 * value)
    if name == "colour":
        return tr("{:.0f}", value)
    return tr("{:.1f} °C", value) if name.endswith("_c") else clock(value)


def solve(
    model: MachineModel,
    machine: Machine,
    plan: Plan,
    green: GreenTraits,
    usual: Targets,
    steel_c: float | None = None,
    how: How = How.NEW,
) -> Solved:
    """Find the moves of a plan.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    plan : its load, approach, room, drum, targets and held moves are taken; the other moves and the start are found. Where it
        names no charge temperature, that is found too.
    green : of the lot.
    usual : what the machine usually does, for targets that are left open.
    steel_c : of the drum at charge, if not the usual. [degC]
    how : how freely; the plan's own moves need a start to go with.

    Raises
    ------
    CannotSolveError : if there is no load or no gauge, the approach is not known, or targets contradict each other.
    """
    scale = _check(machine, plan, model)
    if not (plan.moves and plan.start) and (how is How.KEPT or not plan.start):
        how = How.NEW
    problem = _problem(model, machine, scale, plan, green, usual, steel_c, how)
    result, row, shifts = _solved(problem, usual)
    for bent in _bends(problem, result):
        other = problem.otherwise(bent)
        found = _solved(other, usual)
        if _worse(found[0]) < WORTH_BENDING * _worse(result):
            problem, (result, row, shifts) = other, found
    if how not in (How.NEW, How.KEPT) or not result.missed or not problem.held.moves:
        return result
    return replace(result, blocking=_blocking(problem, result.plan, row, shifts))


def _solved(problem: Candidates, usual: Targets) -> tuple[Solved, FloatArray, FloatArray]:
    """The best of one problem: as it is told, its open entries, and the shifts of its moves."""
    model, machine, green, how = problem.model, problem.machine, problem.green, problem.how
    row, shifts = _find(problem, how)
    solved = _planned(problem, row, shifts)
    if how is How.SKETCH:
        due = tuple(problem.form_of.due(move) for move in solved.moves)
        roast = sketched(model, solved, green, problem.run(row[None, :]), due)
    else:
        roast = run_plan(model, machine, solved, green, problem.steel_c)
    result = _told(problem, solved, roast, row, usual)
    if result.missed and how in (How.NEW, How.KEPT):
        again = _once_more(problem, row, shifts, result, usual)
        result = min((result, again), key=lambda tried: len(tried.missed))
    return result, row, shifts


def _bends(problem: Candidates, result: Solved) -> list[Bent]:
    """How else the form of a plan that misses may be made: a coast where it comes hot, more left on where it gets stuck."""
    if problem.how is not How.NEW:
        return []
    hot = any(one.name in ("drop_c", "rise_c") and one.got is not None and one.got > one.wanted for one in result.missed)
    if hot and problem.plan.approach in COASTS:
        return [Bent(coasts=True)]
    stuck = any(one.got is None for one in result.missed)
    return [Bent(left_on=share) for share in LEFT_ON] if stuck and problem.form_of.turns_down else []


def _worse(result: Solved) -> float:
    """How far a plan misses what is wanted, in what counts as met."""
    off = 0.0
    for one in result.missed:
        off += abs(one.got - one.wanted) / MET[one.name] if one.got is not None else NEVER_S / MET_S
    return off


def _find(problem: Candidates, how: How) -> tuple[FloatArray, FloatArray]:
    none = np.zeros(len(problem.form))
    if problem.first.size == 0:
        return problem.first, none
    if how is How.SKETCH:
        return leap(problem, problem.first), none
    row = leap(problem, problem.first) if problem.kept else descend(problem, problem.first)
    for _ in range(2):
        if settle(problem, row):
            row = descend(problem, row, 5)
    return on_steps(problem, row, none, rounds=1 if problem.kept else 3)


def _once_more(problem: Candidates, row: FloatArray, shifts: FloatArray, first: Solved, usual: Targets) -> Solved:
    """Another round from a plan that misses, now that it is known by how much the coarse steps misplace its marks."""
    yellow, crack = first.roast.marks[MarkKind.YELLOW], first.roast.marks[MarkKind.FIRST_CRACK]
    if yellow is None or crack is None or row.size == 0:
        return first
    problem.lean(row, shifts, yellow, crack, first.roast.came()["drop_c"])
    row, shifts = on_steps(problem, row, shifts, rounds=1 if problem.kept else 2)
    solved = _planned(problem, row, shifts)
    roast = run_plan(problem.model, problem.machine, solved, problem.green, problem.steel_c)
    return _told(problem, solved, roast, row, usual)


def _problem(
    model: MachineModel,
    machine: Machine,
    scale: ControlScale,
    plan: Plan,
    green: GreenTraits,
    usual: Targets,
    steel_c: float | None,
    how: How,
) -> Candidates:
    wanted = plan.wanted
    try:
        times = stage_times(wanted, usual, plan.wins)
    except ValueError as error:
        raise CannotSolveError(str(error)) from None
    charge_c = wanted.charge_c if wanted.charge_c is not None else usual.charge_c or 200.0
    expected: dict[int, float] = {}
    if (
        plan.moves
        and plan.targets.development_s is not None
        and any(move.anchor in (*READINGS, Anchor.MOVE) for move in plan.moves)
    ):
        due = run_plan(model, machine, plan, green, steel_c).expected_t
        expected = {index: at for index, at in enumerate(due) if at is not None}
    return Candidates(model, machine, scale, green, plan, times, charge_c, how, steel_c, expected)


def _planned(problem: Candidates, row: FloatArray, shifts: FloatArray) -> Plan:
    """The plan of a candidate; targets that were left free hold what is aimed at."""
    rows = row[None, :]
    targets = replace(
        problem.wanted,
        charge_c=float(problem.charge_of(rows)[0]),
        drying_s=problem.drying,
        browning_s=problem.browning,
        development_s=float(problem.development_of(rows)[0]),
    )
    start, moves = problem.start(row), problem.moves(row, shifts)
    if problem.how is How.NEW:
        start, moves = begun_so(start, moves)
    return replace(
        problem.plan,
        machine=problem.machine.name,
        targets=targets,
        asked=problem.wanted.asked,
        start=start,
        moves=moves,
    )


def _check(machine: Machine, plan: Plan, model: MachineModel) -> ControlScale:
    scale, targets = machine.controls.get(machine.main_heat), plan.wanted
    if scale is None:
        raise CannotSolveError(tr("{} has no source of heat with a scale: give it one in Machines.", machine.name))
    if plan.approach not in FORMS:
        raise CannotSolveError(tr("{!r} is no approach; there are {}.", plan.approach, ", ".join(FORMS)))
    if not plan.load_kg or plan.load_kg <= 0:
        raise CannotSolveError(tr("the plan has no load: how much is charged?"))
    if plan.load_kg > machine.stated_load_kg * 1.001:
        raise CannotSolveError(
            tr("{:g} kg are more than {} holds ({:g} kg).", plan.load_kg, machine.name, machine.stated_load_kg)
        )
    for name, low, high in (
        ("drying_s", 90.0, 900.0), ("browning_s", 45.0, 900.0), ("development_s", 10.0, 600.0), ("total_s", 200.0, 1800.0),
        ("rise_c", 0.5, 60.0), ("loss", 0.08, 0.26), ("colour", 30.0, 90.0),
    ):  # fmt: skip
        value = getattr(targets, name)
        if value is not None and not low <= value <= high:
            shown = tr("{:.0f} s", value) if name.endswith("_s") else plain(name, value)
            limits = (
                tr("{:.0f} to {:.0f} s", low, high)
                if name.endswith("_s")
                else tr("{} to {}", plain(name, low), plain(name, high))
            )
            raise CannotSolveError(tr("{} of {} cannot be: {}.", TARGET_WORDS[name], shown, limits))
    if targets.charge_c is not None and not 100.0 <= targets.charge_c <= 260.0:
        raise CannotSolveError(tr("a charge at {:.0f} °C cannot be: 100 to 260 °C.", targets.charge_c))
    if targets.drop_c is not None and targets.drop_c <= machine.first_crack_c - 3.0:
        raise CannotSolveError(
            tr(
                "a drop at {:.0f} °C lies below first crack, read at {:.0f} °C on this machine.",
                targets.drop_c,
                machine.first_crack_c,
            )
        )
    return scale


def _told(problem: Candidates, plan: Plan, roast: PlannedRoast, row: FloatArray, usual: Targets) -> Solved:
    """What was wanted and what came, and why something could not be met."""
    came = roast.came()
    met: dict[str, tuple[float, float]] = {}
    missed = []
    for name in problem.wanted.asked:
        wanted = getattr(problem.wanted, name)
        value = came.get(name) if name != "charge_c" else plan.targets.charge_c
        if value is None:
            missed.append(
                Missed(name, wanted, None, problem.at_limit(row, name, float("inf") if name.endswith("_s") else -1.0))
            )
            continue
        met[name] = (wanted, value)
        if abs(value - wanted) > MET[name] + 1e-6 and name not in problem.times.outdone:
            sought = problem.how is not How.AS_IS
            missed.append(Missed(name, wanted, value, problem.at_limit(row, name, value - wanted) if sought else "", sought))
    filled = {name: round(value, 4 if name in ("ratio", "loss") else 1) for name, value in came.items() if value is not None}
    asked = {name: getattr(problem.wanted, name) for name in problem.wanted.asked}
    targets = replace(plan.targets, **(filled | asked))
    drying, browning, development = came["drying_s"], came["browning_s"], came["development_s"]
    course = None
    if drying is not None and browning is not None and development is not None:
        course = (drying, browning, development)
    solved = replace(plan, targets=targets, course=course)
    return Solved(solved, roast, met, tuple(missed), problem.times.gave_way, troubles_of(problem, roast, solved, usual))


def _blocking(problem: Candidates, plan: Plan, row: FloatArray, shifts: FloatArray) -> tuple[int, ...]:
    """Held moves of heat without which the targets could be met: one if one is enough, else all."""
    best = float(problem.cost(row[None, :], shifts[None, :])[0])
    held = [move for move in problem.held.moves if move.control == problem.heat]

    def freed(moves: Sequence[PlannedMove]) -> bool:
        free = replace(problem.plan, moves=tuple(replace(m, held=m.held and m not in moves) for m in problem.plan.moves))
        without = problem.again(free)
        found = descend(without, without.first, 8)
        return float(without.cost(found[None, :])[0]) < 0.25 * best

    for move in held:
        if freed((move,)):
            return (plan.moves.index(move),)
    if len(held) > 1 and freed(held):
        return tuple(plan.moves.index(move) for move in held)
    return ()


def sensitivity(
    model: MachineModel, machine: Machine, plan: Plan, green: GreenTraits, steel_c: float | None = None
) -> tuple[tuple[float, float], ...]:
    """What one step more, and five seconds later, in each move do to the drop temperature, in the plan's order. [degC]"""
    ended = replace(plan, wins="development_s")
    usual = _drop_c(run_plan(model, machine, ended, green, steel_c))

    def changed(index: int, move: PlannedMove) -> float:
        moves: Sequence[PlannedMove] = [*plan.moves[:index], move, *plan.moves[index + 1 :]]
        return _drop_c(run_plan(model, machine, replace(ended, moves=tuple(moves)), green, steel_c)) - usual

    found = []
    for index, move in enumerate(plan.moves):
        step = machine.controls[move.control].step if move.control in machine.controls else 0.0
        found.append(
            (changed(index, replace(move, to=move.to + step)), changed(index, replace(move, offset_s=move.offset_s + 5.0)))
        )
    return tuple(found)


def _drop_c(roast: PlannedRoast) -> float:
    came = roast.came()["drop_c"]
    return came if came is not None else float("nan")
