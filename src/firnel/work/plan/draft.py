"""A plan that is being made: single edits by the roaster's hand, what the solver makes of each, and the way back."""

from __future__ import annotations

from dataclasses import replace

from firnel.core.anchoring import GRAIN_S, anchored
from firnel.core.model.solving import Solved
from firnel.core.plan import Anchor, Plan, PlannedMove
from firnel.core.vocabulary import Control, ControlScale, Machine

#: A coast begins so long before the drop unless told otherwise; common practice, no published source. [s]
COAST_S = 30.0


def with_target(plan: Plan, name: str, value: float | None) -> Plan:
    """A target set by hand, or left to the solver again."""
    asked = [other for other in plan.wanted.asked if other != name]
    if value is not None:
        asked.append(name)
    return replace(plan, targets=replace(plan.targets, **{name: value}), asked=tuple(asked))


def with_tolerance(plan: Plan, name: str, value: float) -> Plan:
    """Another tolerance of one target."""
    return replace(plan, tolerances={**plan.tolerances, name: value})


def hold(plan: Plan, index: int, held: bool = True) -> Plan:
    """A move taken over by the roaster, or given back to the solver."""
    return _with_move(plan, index, replace(plan.moves[index], held=held))


def turned(plan: Plan, index: int, scale: ControlScale, steps: int = 0, seconds: float = 0.0) -> Plan:
    """A move set some steps of its gauge higher, or made later; it is the roaster's own from then on."""
    move = plan.moves[index]
    to = scale.nearest(min(max(move.to + steps * scale.step, scale.low), scale.high))
    return _with_move(plan, index, replace(move, to=to, offset_s=move.offset_s + seconds, held=True))


def set_to(plan: Plan, index: int, to: float) -> Plan:
    """A move to another setting, the roaster's own from then on."""
    return _with_move(plan, index, replace(plan.moves[index], to=to, held=True))


def rehung(plan: Plan, index: int, t: float, bean_c: float) -> Plan:
    """A move hung otherwise at the same moment: from its mark to a bean temperature, to the clock, and back to its mark.

    Parameters
    ----------
    plan, index : the move.
    t, bean_c : when it is expected to fall due [s from charge], and what the bean probe reads then. [degC]
    """
    move = plan.moves[index]
    if move.anchor is Anchor.BEAN:
        other = replace(move, anchor=Anchor.TIME, offset_s=GRAIN_S * round(t / GRAIN_S), at_c=None)
    elif move.anchor is Anchor.TIME:
        drying, browning, _ = plan.stages
        other = anchored(move.control, move.to, t, drying or 300.0, (drying or 300.0) + (browning or 220.0))
    else:
        other = replace(move, anchor=Anchor.BEAN, offset_s=0.0, at_c=float(round(bean_c)))
    return _with_move(plan, index, replace(other, held=True))


def started_at(plan: Plan, control: Control, to: float) -> Plan:
    """Another setting at charge, the roaster's own from then on."""
    return replace(plan, start={**plan.start, control: to}, start_held=plan.start_held or control is Control.GAS)


def without(plan: Plan, index: int) -> Plan:
    """The plan without one of its moves."""
    return replace(plan, moves=plan.moves[:index] + plan.moves[index + 1 :])


def with_move(plan: Plan, control: Control, to: float, t: float) -> Plan:
    """A move of the roaster's own, added at ``t`` [s from charge] and hung on the mark it belongs to."""
    drying, browning, _ = plan.stages
    drying, browning = drying or 300.0, browning or 220.0
    move = replace(anchored(control, to, t, drying, drying + browning), held=True)
    return replace(plan, moves=(*plan.moves, move))


def coasting(plan: Plan, scale: ControlScale, seconds: float = COAST_S) -> Plan:
    """The burner off for the last seconds before the drop, in place of moves of heat after that."""
    development = plan.stages[2] or 90.0
    offset = GRAIN_S * round((development - seconds) / GRAIN_S)

    def before(move: PlannedMove) -> bool:
        return move.control is not Control.GAS or move.anchor is not Anchor.FIRST_CRACK or move.offset_s < offset

    coast = PlannedMove(Control.GAS, scale.low, Anchor.FIRST_CRACK, offset, held=True)
    return replace(plan, moves=(*(move for move in plan.moves if before(move)), coast))


def for_machine(plan: Plan, machine: Machine) -> Plan:
    """The plan on another machine: one of its own, whose moves are to be found anew."""
    bare = replace(plan, start={}, moves=(), curve=None, course=None, start_held=False)
    return replace(bare, id=None, version=1, machine=machine.name)


def _with_move(plan: Plan, index: int, move: PlannedMove) -> Plan:
    return replace(plan, moves=(*plan.moves[:index], move, *plan.moves[index + 1 :]))


class PlanDraft:
    """The plan as it stands, what the solver made of it, and all states before and after it.

    Parameters
    ----------
    plan : to begin with.
    """

    def __init__(self, plan: Plan) -> None:
        self._states: list[tuple[Plan, Solved | None]] = [(plan, None)]
        self._at = 0

    @property
    def plan(self) -> Plan:
        """As it stands."""
        return self._states[self._at][0]

    @property
    def solved(self) -> Solved | None:
        """What the solver made of it; None while that is not known."""
        return self._states[self._at][1]

    @property
    def can_undo(self) -> bool:
        """Whether there is an edit to take back."""
        return self._at > 0

    @property
    def can_redo(self) -> bool:
        """Whether there is an edit to make again."""
        return self._at < len(self._states) - 1

    def edit(self, plan: Plan) -> bool:
        """Make an edit; what had been taken back is gone. False if it changes nothing."""
        if replace(plan, curve=None) == replace(self.plan, curve=None):
            return False
        self._states = [*self._states[: self._at + 1], (plan, None)]
        self._at += 1
        return True

    def settle(self, solved: Solved) -> None:
        """The solver's answer to the plan as it stands."""
        self._states[self._at] = (solved.plan, solved)

    def undo(self) -> bool:
        """Take the last edit back."""
        moved = self.can_undo
        self._at -= moved
        return moved

    def redo(self) -> bool:
        """Make the edit again that was taken back last."""
        moved = self.can_redo
        self._at += moved
        return moved
