"""A plan that is being made: single edits by the roaster's hand, what the solver makes of each, and the way back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from firnel.core.anchoring import GRAIN_S, anchored
from firnel.core.model.solving import Solved
from firnel.core.plan import READINGS, Anchor, Plan, PlannedMove
from firnel.core.plan_document import plan_from_document, plan_to_document
from firnel.core.vocabulary import Control, ControlScale, Machine, Role, usual_role
from firnel.core.words import tr

#: A coast begins so long before the drop unless told otherwise; common practice, no published source. [s]
COAST_S = 30.0
#: Where heat comes back to after a soak, of its scale, if the plan does not say; common practice, no published source.
SOAKED = 0.85
#: So many states of a draft are kept for the way back.
MOST_STATES = 100


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
    if move.anchor in READINGS:
        other = replace(move, anchor=Anchor.TIME, offset_s=GRAIN_S * round(t / GRAIN_S), at_c=None, falling=False)
    elif move.anchor is Anchor.TIME:
        drying, browning, _ = plan.usual_stages
        other = replace(anchored(move.control, move.to, t, drying, drying + browning), label=move.label)
    else:
        other = replace(move, anchor=Anchor.BEAN, offset_s=0.0, at_c=float(round(bean_c)), after="")
    return _with_move(plan, index, replace(other, held=True))


def started_at(plan: Plan, control: Control, to: float) -> Plan:
    """Another setting at charge, the roaster's own from then on."""
    return replace(plan, start={**plan.start, control: to}, start_held=plan.start_held or usual_role(control) is Role.HEAT)


def without(plan: Plan, index: int) -> Plan:
    """The plan without one of its moves."""
    return replace(plan, moves=plan.moves[:index] + plan.moves[index + 1 :])


def with_move(plan: Plan, control: Control, to: float, t: float) -> Plan:
    """A move of the roaster's own, added at ``t`` [s from charge] and hung on the mark it belongs to."""
    drying, browning, _ = plan.usual_stages
    move = replace(anchored(control, to, t, drying, drying + browning), held=True)
    return replace(plan, moves=(*plan.moves, move))


def coasting(plan: Plan, machine: Machine, seconds: float = COAST_S) -> Plan:
    """All heat off for the last seconds before the drop, in place of moves of heat after that."""
    development = plan.usual_stages[2]
    offset = GRAIN_S * round((development - seconds) / GRAIN_S)

    heats = machine.of(Role.HEAT)

    def before(move: PlannedMove) -> bool:
        return move.control not in heats or move.anchor is not Anchor.FIRST_CRACK or move.offset_s < offset

    coast = [PlannedMove(heat, machine.controls[heat].low, Anchor.FIRST_CRACK, offset, held=True) for heat in heats]
    return replace(plan, moves=(*(move for move in plan.moves if before(move)), *coast))


def soaking(plan: Plan, machine: Machine, seconds: float | None) -> Plan:
    """All heat off at the charge, for so long or to the turn; it comes back to where the plan began, as the roaster's own move.

    Raises
    ------
    ValueError : if the plan does not say where heat stands at the charge, or the soak is none.
    """
    if seconds is not None and not 5.0 <= seconds <= 300.0:
        raise ValueError(tr("A soak lasts 5 to 300 s, or to the turn."))
    heats = machine.of(Role.HEAT)
    anchor = Anchor.TURNING if seconds is None else Anchor.CHARGE
    ends = seconds if seconds is not None else 75.0

    def soaked(move: PlannedMove) -> bool:
        early = move.anchor in (Anchor.CHARGE, Anchor.TIME) and move.offset_s <= ends
        return move.control in heats and (early or move.anchor is Anchor.TURNING)

    kept, back = tuple(move for move in plan.moves if not soaked(move)), []
    for heat in heats:
        early = [
            move.to for move in plan.moves if soaked(move) and move.control == heat and move.to > machine.controls[heat].low
        ]
        before = early[-1] if early else plan.start.get(heat, 0.0)
        if before <= machine.controls[heat].low:
            before = machine.controls[heat].nearest(SOAKED * machine.controls[heat].high)
        back.append(PlannedMove(heat, before, anchor, seconds or 0.0, held=True))
    start = {**plan.start, **{heat: machine.controls[heat].low for heat in heats}}
    return replace(plan, start=start, start_held=True, moves=(*back, *kept))


def hold_all(plan: Plan, held: bool = True) -> Plan:
    """The recipe kept as it is: every move and the start are the roaster's own; or all given back."""
    return replace(plan, moves=tuple(replace(move, held=held) for move in plan.moves), start_held=held)


def for_machine(plan: Plan, machine: Machine) -> Plan:
    """The plan on another machine: one of its own, whose moves are to be found anew."""
    bare = replace(plan, start={}, moves=(), curve=None, course=None, start_held=False)
    return replace(bare, id=None, version=1, machine=machine.name, machine_id=machine.id)


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
        self.token = 0  #: of the state as it stands: what was asked for one is no answer for another

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
        self._states = [*self._states[max(0, self._at + 2 - MOST_STATES) : self._at + 1], (plan, None)]
        self._at = len(self._states) - 1
        self.token += 1
        return True

    def settle(self, token: int, solved: Solved) -> bool:
        """The solver's answer to the state of that token; False if that is not the one that stands now."""
        if token != self.token:
            return False
        self._states[self._at] = (solved.plan, solved)
        return True

    def undo(self) -> bool:
        """Take the last edit back."""
        return self._go(-1) if self.can_undo else False

    def redo(self) -> bool:
        """Make the edit again that was taken back last."""
        return self._go(1) if self.can_redo else False

    def _go(self, by: int) -> bool:
        self._at += by
        self.token += 1
        return True

    def copy(self) -> PlanDraft:
        """The same, for another thread to write down."""
        made = PlanDraft(self.plan)
        made._states, made._at, made.token = list(self._states), self._at, self.token
        return made


def draft_to_document(draft: PlanDraft, about: Mapping[str, Any]) -> dict[str, Any]:
    """A draft with its way back as plain values; what the solver made of it is worked out again."""
    states = [
        {"plan": plan_to_document(replace(plan, curve=None)), "id": plan.id, "version": plan.version, "lot_id": plan.lot_id,
         "machine_id": plan.machine_id}
        for plan, _ in draft._states
    ]  # fmt: skip
    return {"states": states, "at": draft._at, "about": dict(about)}


def draft_from_document(document: Mapping[str, Any]) -> tuple[PlanDraft, dict[str, Any]]:
    """A draft from plain values, and what was written down about it.

    Raises
    ------
    ValueError, KeyError, TypeError, IndexError : if it is none.
    """
    plans = [
        plan_from_document(
            state["plan"], id=state["id"], version=state["version"], lot_id=state["lot_id"], machine_id=state["machine_id"]
        )
        for state in document["states"]
    ]
    draft = PlanDraft(plans[0])
    draft._states = [(plan, None) for plan in plans]
    draft._at = min(max(int(document["at"]), 0), len(plans) - 1)
    return draft, dict(document["about"])
