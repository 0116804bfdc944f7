"""What a hand could do now: what is known of the batch, the moves still to come, and a control some steps otherwise."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from firnel.core.guidance import Given, Then
from firnel.core.model.constants import Hands
from firnel.core.model.forecast import FORWARD_STEP
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import HORIZON_S, hands_ahead
from firnel.core.plan import Anchor, DueMove, Plan, PlannedMove, due_moves
from firnel.core.settling import passed, with_settled
from firnel.core.vocabulary import Control, Lot, Machine, Mark, MarkKind, Move, Trace

#: A planned move that falls due within this may be advised one step otherwise. [s]
NEXT_MOVE_S = 60.0
#: A planned move that is overdue by more than this is no longer expected to be made. [s]
MISSED_S = 45.0


@dataclass(frozen=True)
class Ask:
    """What is known of the running batch at one moment; times in log time. [s]

    ``assumed`` are marks that were only found, each with half its 80 % interval: they count, but teach the ensemble nothing.
    ``held`` is how the controls stand, ``given`` the advice that was given last.
    """

    label: str
    now: float
    trace: Trace
    marks: tuple[Mark, ...]
    moves: tuple[Move, ...]
    done: Mapping[int, float]
    machine: Machine
    plan: Plan | None
    lot: Lot | None
    load_kg: float | None
    room_c: float | None = None
    assumed: Mapping[MarkKind, float] = field(default_factory=dict)
    held: Mapping[Control, float] = field(default_factory=dict)
    given: Given | None = None


@dataclass(frozen=True)
class Step:
    """From which setting to which, in which planned move (None: at once), and the moves that follow then."""

    setting: float
    to: float
    move: int | None
    due: tuple[DueMove, ...]
    then: Then | None = None


def due_in(ask: Ask, expected: Mapping[MarkKind, float]) -> tuple[DueMove, ...]:
    """The plan's moves that are still to be reckoned with: not one long missed, nor one that the hand has gone past."""
    if ask.plan is None:
        return ()
    due = due_moves(ask.plan, ask.marks, ask.now, ask.done, expected, ask.held)
    steps = {control: scale.step for control, scale in ask.machine.controls.items()}
    due = with_settled(due, passed(due, {mark.kind: mark.t for mark in ask.marks}, ask.now, ask.held, steps))
    moved: dict[Control, float] = defaultdict(lambda: float("-inf"))
    for move in ask.moves:
        moved[move.control] = max(moved[move.control], move.t)
    return tuple(
        entry
        for entry in due
        if entry.done_t is None and (entry.due_t is None or entry.due_t > max(ask.now - MISSED_S, moved[entry.move.control]))
    )


def without_hung(ask: Ask, due: tuple[DueMove, ...]) -> tuple[DueMove, ...]:
    """The moves without a moment, and those that come at theirs whatever the beans do: none that hangs on what is to come."""
    came = {mark.kind.value for mark in ask.marks} | {Anchor.TIME.value}
    return tuple(entry for entry in due if entry.due_t is None or entry.move.anchor.value in came)


def step_of(ask: Ask, due: tuple[DueMove, ...], by: int, control: Control | None = None, ends: bool = False) -> Step | None:
    """A control (the main heat) some steps otherwise: at once, or in the planned move if one is due soon; None out of range.

    ``ends``: the end of the batch has begun before its first crack, and the heat may go out.
    """
    which = control if control is not None else ask.machine.main_heat
    scale = ask.machine.controls.get(which)
    if scale is None:
        return None
    soon = next((e for e in due if e.move.control == which and e.due_t is not None), None)
    if soon is not None and soon.due_t is not None and soon.due_t - ask.now > NEXT_MOVE_S:
        soon = None
    if soon is not None and soon.due_t is not None and soon.move.to <= scale.low:
        if soon.due_t > ask.now:
            soon = None  # it puts the heat out: another heat is only to be had sooner
        elif by < 0:
            return None
    base = soon.move.to if soon is not None else stands(ask, which)
    if base is None:
        return None
    to = scale.nearest(base + by * scale.step)
    if by > 0 and to < scale.least:
        to = scale.least  # from off the way back begins where the burner burns
    least = scale.nearest(scale.least + scale.step) if scale.least > scale.low else scale.low
    if by < 0 and to < least:
        # A hand one step low would put the fire out. Below that lies the coast, and it is only for the end.
        ends = ends or any(mark.kind is MarkKind.FIRST_CRACK for mark in ask.marks)
        to = least if base > least + 0.5 * scale.step else (scale.low if ends else base)
    if abs(to - base) < 0.5 * scale.step:
        return None
    if soon is None:
        return Step(base, to, None, (DueMove(PlannedMove(which, to, Anchor.TIME), -1, ask.now, base), *due))
    other = tuple(replace(entry, move=replace(entry.move, to=to)) if entry is soon else entry for entry in due)
    return Step(base, to, soon.index, other)


def followed(step: Step, control: Control, crack_t: float, to: float) -> Step:
    """A step with another behind it: from first crack on, expected at ``crack_t`` (log time, s), its control stands at ``to``.

    A planned move of that control at first crack goes there; where there is none, one joins the plan.
    """
    own = next(
        (e for e in step.due if e.move.control == control and e.move.anchor is Anchor.FIRST_CRACK and e.index >= 0), None
    )
    if own is not None:
        then = Then(replace(own.move, to=to), own.index)
        due = tuple(replace(e, move=then.move, due_t=crack_t + e.move.offset_s) if e is own else e for e in step.due)
        return replace(step, due=due, then=then)
    then = Then(PlannedMove(control, to, Anchor.FIRST_CRACK))
    added = DueMove(then.move, -2, crack_t, step.to)
    return replace(step, due=tuple(sorted((*step.due, added), key=lambda e: (e.due_t is None, e.due_t or 0.0))), then=then)


def made_up(ask: Ask, due: tuple[DueMove, ...], expected: Mapping[MarkKind, float], control: Control) -> tuple[Step, ...]:
    """What a move that falls due comes to if it is not made; else of one that was missed, half of its way and all of it.

    How the plan begins counts as a move at the charge.

    Parameters
    ----------
    ask, due, control : as in `step_of`.
    expected : when marks that have not come are expected, in log time. [s]
    """
    scale = ask.machine.controls.get(control)
    setting = stands(ask, control)
    if ask.plan is None or scale is None or setting is None:
        return ()
    near = (e for e in due if e.move.control == control and e.due_t is not None and e.due_t - ask.now <= NEXT_MOVE_S)
    if (soon := next(near, None)) is not None:
        if abs(soon.move.to - setting) < 0.5 * scale.step:
            return ()
        left = tuple(replace(entry, move=replace(entry.move, to=setting)) if entry is soon else entry for entry in due)
        return (Step(soon.move.to, setting, soon.index, left),)
    every = due_moves(ask.plan, ask.marks, ask.now, ask.done, expected, ask.held)
    past = [ask.plan.start[control]] if control in ask.plan.start else []
    past += [e.move.to for e in every if e.move.control == control and e.due_t is not None and e.due_t <= ask.now]
    ways = (past[-1], scale.nearest(0.5 * (past[-1] + setting))) if past else ()
    return tuple(
        Step(setting, to, None, (DueMove(PlannedMove(control, to, Anchor.TIME), -1, ask.now, setting), *due))
        for to in dict.fromkeys(ways)
        if abs(to - setting) >= 0.5 * scale.step and scale.low <= to <= scale.high
    )


def stands(ask: Ask, control: Control) -> float | None:
    """How a control stands: as the machine reports it, else as it was moved last; None where nobody knows."""
    column = ask.trace.control(control)
    known = column[np.isfinite(column)]
    if known.size:
        return float(known[-1])
    made = [move.to for move in ask.moves if move.control == control]
    return made[-1] if made else None


def ahead_of(ask: Ask, batch: LoggedBatch, at: float, zero: float, due: tuple[DueMove, ...], until: float = HORIZON_S) -> Hands:
    """The controls from ``at`` on in forecast steps, ``until`` seconds on: as they stand, and the moves to come in time."""
    count = int(min(until, HORIZON_S) / FORWARD_STEP)
    t = at + FORWARD_STEP * np.arange(count)
    # The record's last step may have begun before a hand moved: what stands now is what goes on.
    held = ((control, stands(ask, control)) for control in ask.machine.controls)
    moves = [(at - 0.25 * FORWARD_STEP, control, setting) for control, setting in held if setting is not None]
    moves += [(max(e.due_t - zero, at), e.move.control, e.move.to) for e in due if e.due_t is not None]
    return hands_ahead(ask.machine, batch, len(batch.hands) - 1, t, moves)
