"""The form of a plan: how its heat begins and is moved, by the house's own hand or by the approach, and all other controls.

Levels and moments of some of the moves stay open; `firnel.core.model.candidates` finds them. While it does, marks stand at
their target times.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from firnel.core.model.approaches import (
    AIR_LEVELS,
    AIR_MOVES,
    COAST_S,
    COASTED,
    FORMS,
    SHORTEST_COAST_S,
    SOURCE_AT_CHARGE,
    SOURCE_MOVES,
    OpenMove,
)
from firnel.core.model.constants import control_share
from firnel.core.model.driven import Driven, nearest
from firnel.core.model.learning import MachineModel
from firnel.core.model.statements import FEWEST
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import UNFORESEEN, Anchor, Plan, PlannedMove
from firnel.core.stage_targets import StageTimes
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Machine, Role

#: Moves are shifted by whole steps of this. [s]
SHIFT_S = 5.0
#: A move is shifted by so many of them at most.
MOST_SHIFTS = 5
#: What hangs on a reading or another move that never comes falls due so long after the end. [s]
NEVER_S = 150.0
#: A batch whose heat was turned up by more than this from yellow on is no example. [share]
LATE_RISE = 0.04


class How(StrEnum):
    """How freely moves are found: anew; from the plan's own; from these quickly, while a hand is dragging; not at all."""

    NEW = "new"
    KEPT = "kept"
    SKETCH = "sketch"
    AS_IS = "as it is"


@dataclass(frozen=True)
class Bent:
    """How a form is bent where it does not get there: the heat out before the drop; how much of further sources is left on."""

    coasts: bool = False
    left_on: float = 0.0  #: share of the way that further sources of heat are turned down from where they begin, not gone


AS_FORMED = Bent()


def begun_so(
    start: Mapping[Control, float], moves: Sequence[PlannedMove]
) -> tuple[dict[Control, float], tuple[PlannedMove, ...]]:
    """Settings at charge and moves, where a move that falls due at the charge is how the batch begins: nobody makes it twice.

    A move that is held, or that others follow, stays.
    """
    begun, rest = dict(start), []
    for move in moves:
        at_charge = move.anchor in (Anchor.CHARGE, Anchor.TIME) and move.offset_s <= 0.0
        if at_charge and not move.held and not move.label:
            begun[move.control] = move.to
        else:
            rest.append(move)
    return begun, tuple(rest)


class PlanForm:
    """The moves of one plan, as far as they are not for the solver to find.

    Parameters
    ----------
    model, machine, scale : fitted, its definition and the scale of its heat.
    green : of the lot.
    plan : what is wanted.
    times : the stage times to aim at.
    charge_c : to charge at. [degC]
    how : whether the plan's moves are the form, or its held moves are worked into the form of its approach.
    expected : when the plan's moves fall due, for those that hang on what the targets do not tell. [s]
    bent : how its form is bent.

    Attributes
    ----------
    begins : level of heat at charge as a share of full heat; None for a soak.
    heat : its moves, in order of time.
    rest : moves of all other controls.
    of_house : whether the form of heat is the house's.
    levels_c : where yellow and first crack come. [degC]
    """

    def __init__(
        self,
        model: MachineModel,
        machine: Machine,
        scale: ControlScale,
        green: GreenTraits,
        plan: Plan,
        times: StageTimes,
        charge_c: float,
        how: How,
        expected: Mapping[int, float],
        bent: Bent = AS_FORMED,
    ) -> None:
        self._bent = bent
        self._model, self._machine, self._scale, self._plan, self._times = model, machine, scale, plan, times
        self._control, self._green, self._charge_c, self._how = machine.main_heat, green, charge_c, how
        self.kept = how is not How.NEW and bool(plan.start) and (bool(plan.moves) or how is How.AS_IS)
        self.levels_c = tuple(mark.expect(green, plan.load_kg)[0] for mark in (model.yellow, model.crack))
        self._expected = {id(plan.moves[index]): at for index, at in expected.items()}
        self._house = self._nearest_batch()
        self.of_house = False
        self.begins, self.heat = self._shape(expected)
        self.rest = self._other_moves()

    def share(self, control: Control, setting: float) -> float:
        """A setting as a share of full heat."""
        return float(control_share(self._machine, control, np.array([setting]))[0])

    def _shape(self, expected: Mapping[int, float]) -> tuple[float | None, tuple[OpenMove, ...]]:
        """Level at charge and the moves of heat, in order of time."""
        of_house = self._form_of_house()
        self.of_house = of_house is not None
        begins, form = of_house or self._soaked(*FORMS[self._plan.approach])
        own = [
            OpenMove(m.anchor, m.offset_s, self.share(self._control, m.to), self._frees(m), m.at_c, expected.get(index), own=m)
            for index, m in enumerate(self._plan.moves)
            if m.control == self._control and (self.kept or m.held)
        ]
        if self.kept or self._plan.start_held:
            begins = self.share(self._control, self._plan.start.get(self._control, self._scale.high))
        if self._plan.approach == "soak-push" or self._bent.coasts:
            left_s = COAST_S if self._bent.coasts else COASTED * self._times.seconds[2]
            coast = SHIFT_S * round((self._times.seconds[2] - left_s) / SHIFT_S)
            out = OpenMove(Anchor.FIRST_CRACK, coast, 0.0, open=False, timed=True)
            form = (*(move for move in form if self.due(move) < self.due(out)), out)  # nothing turns it on again
        left = [] if self.kept else list(form)
        for move in own:
            # A held move takes the place of the open one that is nearest to it.
            gaps = [abs(self.due(other) - self.due(move)) for other in left]
            if gaps and min(gaps) < 60.0:
                left.pop(gaps.index(min(gaps)))
        form = tuple(left)
        return begins, tuple(sorted((*form, *own), key=self.due))

    def _nearest_batch(self) -> Driven | None:
        """The logged batch that a new plan begins from."""
        if self.kept:
            return None
        return nearest(self._model.driven, self._plan.load_kg or 1.0, self._green, self._times, self._charge_c)

    def _form_of_house(self) -> tuple[float | None, tuple[OpenMove, ...]] | None:
        """The form of heat as the house has it; an approach that asks for another hand keeps its own.

        None that was heated up late is an example; a falling rate rather begins from one that soaked none. Where a house heats
        up late in all of them, stage times begin from one all the same: that is its hand.
        """
        if self._plan.approach not in ("times", "falling") or self.kept:
            return None
        falling = self._plan.approach == "falling"
        driven = [one for one in self._model.driven if self._control in one.start]
        most = LATE_RISE * (self._scale.high - self._scale.low)
        example = [one for one in driven if one.rises_late(self._control) <= most]
        if falling:
            example = [one for one in example if one.start[self._control] > self._scale.low] or example
        elif not example and len(driven) >= FEWEST:
            example = driven
        house = nearest(example, self._plan.load_kg or 1.0, self._green, self._times, self._charge_c)
        if house is None:
            return None
        moves = [
            OpenMove(
                move.anchor,
                house.stretched(move, self._times),
                self.share(self._control, move.to),
                open=move.to > self._scale.low,
            )
            for move in house.of(self._control)
        ]
        first = house.start[self._control]
        if not any(move.open for move in moves) and first <= self._scale.low:
            return None
        return (self.share(self._control, first) if first > self._scale.low else None), tuple(moves)

    def _soaked(self, begins: float | None, form: tuple[OpenMove, ...]) -> tuple[float | None, tuple[OpenMove, ...]]:
        """A form that begins as the house does, where that leaves its heat out behind every charge."""
        low, driven = self._scale.low, [one for one in self._model.driven if self._control in one.start]
        first_on = [next((move for move in one.of(self._control) if move.to > low), None) for one in driven]
        ends = [move.offset_s for move in first_on if move is not None and move.anchor is Anchor.CHARGE]
        soaks = len(driven) >= FEWEST and all(one.start[self._control] <= low for one in driven) and len(ends) == len(driven)
        if begins is None or self.kept or not soaks:
            return begins, form
        first, *rest = form
        return None, (replace(first, offset_s=SHIFT_S * round(float(np.median(ends)) / SHIFT_S)), *rest)

    def logged_range(self) -> tuple[FloatArray, FloatArray]:
        """Least and most of the heat as it was logged in the stage of each of `heat`, the level at charge first; as shares.

        A form that is not the house's may go as low as the mean of a stage in which the house had its heat out for a while.
        Shapes (1 + moves,); nought and infinite where that stage was never logged with the heat on.
        """
        stood: list[list[float]] = [[], [], []]
        for one in self._model.driven:
            for place, levels in enumerate(one.stood(self._control) if self._control in one.start else ()):
                burning = [self.share(self._control, to) for to, _ in levels if to > self._scale.low]
                if burning and not self.of_house:
                    given = sum(self.share(self._control, to) * seconds for to, seconds in levels)
                    burning.append(given / sum(seconds for _, seconds in levels))
                stood[place] += burning
        begins = [0.0, *(self.due(move) for move in self.heat)]
        middle = 0.5 * (np.array(begins) + np.array([*begins[1:], max(self._times.end, begins[-1])]))
        stages = np.searchsorted([self._times.seconds[0], self._times.crack], middle)
        low, high = (
            [side(stood[stage]) if stood[stage] else none for stage in stages] for side, none in ((min, 0.0), (max, np.inf))
        )
        return np.array(low), np.array(high)

    def _frees(self, move: PlannedMove) -> bool:
        """Whether a move of the plan is open; one that puts the burner out is meant so."""
        return not move.held and move.to > self._scale.low and self._how is not How.AS_IS

    def _other_moves(self) -> tuple[PlannedMove, ...]:
        """Moves of all but the main heat; they are not open."""
        own = tuple(m for m in self._plan.moves if m.control != self._control and (self.kept or m.held))
        if self.kept:
            return own
        usual = [move for control in self._machine.controls for move in self._usual_moves(control)]
        taken = {(m.control, m.anchor) for m in own}
        free = sorted((move for move in usual if (move.control, move.anchor) not in taken), key=self.due)
        stands = {control: self.settings_at_charge(control) for control in self._machine.controls if control != self._control}
        made = []
        for move in free:
            if move.to != stands[move.control]:  # one that changes nothing is none
                made.append(move)
                stands[move.control] = move.to
        return (*own, *made)

    def _usual_moves(self, control: Control) -> list[PlannedMove]:
        """What is done with a control that is not open: as the house does it, unless the approach itself moves the air."""
        if control == self._control:
            return []
        led = control == self._machine.main_air and self._plan.approach == "air-led"
        house, scale = self._house, self._machine.controls[control]
        left_on = self._bent.left_on if self._machine.role(control) is Role.HEAT else 0.0
        if house is not None and control in house.start and not led:
            first = house.start[control]
            return [
                PlannedMove(
                    control,
                    scale.nearest(move.to + left_on * max(first - move.to, 0.0)),
                    move.anchor,
                    house.stretched(move, self._times),
                )
                for move in house.of(control)
            ]
        moves: tuple[tuple[Anchor, float, float], ...] = ()
        if control == self._machine.main_air:
            moves = AIR_MOVES["air-led" if led else ""]
        elif self._machine.role(control) is Role.HEAT:
            kind = self._machine.kind_of(control)
            first = SOURCE_AT_CHARGE[kind]
            moves = tuple((anchor, offset, share + left_on * (first - share)) for anchor, offset, share in SOURCE_MOVES[kind])
        return [PlannedMove(control, self._level(control, share), anchor, offset) for anchor, offset, share in moves]

    @property
    def turns_down(self) -> bool:
        """Whether further sources are turned down as in the first batches of a machine, which are no hand of a house yet."""
        if self.kept or not 0 < self._model.batches < FEWEST:
            return False
        return any(self._machine.role(move.control) is Role.HEAT and not move.held for move in self.rest)

    def _level(self, control: Control, share: float) -> float:
        scale, seen = self._machine.controls[control], self._model.seen.get(control)
        wanted = scale.low + share * (scale.high - scale.low)
        return scale.nearest(wanted if seen is None or self._machine.role(control) is Role.HEAT else seen.inside(wanted))

    def due(self, move: OpenMove | PlannedMove) -> float:
        """When a move falls due while marks stand at their target times. [s]"""
        own = getattr(move, "own", None) or move
        known = getattr(move, "due", None) or self._expected.get(id(own))
        if move.anchor in (Anchor.BEAN, Anchor.AIR, Anchor.MOVE, *UNFORESEEN) and known is not None:
            return float(known)
        if move.anchor is Anchor.BEAN and move.at_c is not None:
            yellow, crack = self.levels_c
            return self._times.seconds[0] + (move.at_c - yellow) / max(crack - yellow, 1.0) * self._times.seconds[1]
        if move.anchor in (Anchor.AIR, Anchor.MOVE, *UNFORESEEN):
            return float(self._times.end + NEVER_S)  # it does not come
        marks = {
            Anchor.TURNING: 75.0,
            Anchor.YELLOW: self._times.seconds[0],
            Anchor.FIRST_CRACK: self._times.crack,
            Anchor.DROP: self._times.end,
        }
        return max(marks.get(move.anchor, 0.0) + move.offset_s, 0.0)

    @property
    def coasts_at(self) -> float:
        """From when on the burner is meant to be out up to the drop, at the earliest; infinite where it is not. [s]"""
        last = self.heat[-1] if self.heat else None
        if last is None or last.open or last.level > 0.0:
            return float("inf")
        return self.due(last) - (MOST_SHIFTS * SHIFT_S if last.timed else 0.0)

    def earliest(self, most: int) -> FloatArray:
        """By how many steps of its moment each move of the main heat may come sooner, ``most`` at most, shape (moves,).

        None comes before the charge.
        """
        return np.array([min(float(most), self.due(move) // SHIFT_S) for move in self.heat])

    def latest(self, most: int) -> FloatArray:
        """By how many steps of its moment each move of the main heat may come later, ``most`` at most, shape (moves,)."""
        found = np.full(len(self.heat), float(most))
        if np.isfinite(self.coasts_at) and self.heat[-1].timed:
            left_s = self._times.end - self.due(self.heat[-1]) - SHORTEST_COAST_S
            found[-1] = np.clip(left_s // SHIFT_S, 0.0, most)
        return found

    def settings_of(self, control: Control, t: FloatArray) -> FloatArray:
        """The settings of a control that is not open at times from charge, shape (n,). [s]"""
        settings = np.full(t.size, self.settings_at_charge(control), np.float64)
        for move in sorted((m for m in self.rest if m.control == control), key=self.due):
            settings[t >= self.due(move)] = move.to
        return settings

    def settings_at_charge(self, control: Control) -> float:
        """A control other than the main heat at charge: the plan's own, else the usual."""
        scale, role = self._machine.controls[control], self._machine.role(control)
        if (self.kept or self._plan.start_held) and control in self._plan.start:
            return self._plan.start[control]
        if self._house is not None and control in self._house.start:
            return scale.nearest(self._house.start[control])
        seen = self._model.seen.get(control)
        if seen is not None and role is not Role.HEAT:
            return scale.nearest(seen.start)
        if role is Role.AIRFLOW:  # a second one in the same duct stands open
            return self._level(control, AIR_LEVELS[0]) if control == self._machine.main_air else scale.high
        if role is Role.HEAT:
            return self._level(control, SOURCE_AT_CHARGE[self._machine.kind_of(control)])
        return scale.nearest(0.75 * scale.high)
