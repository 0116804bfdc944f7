"""What became of a plan's moves: made, made otherwise, passed by, let go. A move that the hand went past never waits on.

What a hand did settles a move once and for all (`settled_by`); time and marks settle the rest (`passed`), and are worked out
anew each time, so that a mark taken back brings its moves back. The windows are common practice, no published source.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from firnel.core.plan import Anchor, DueMove, Plan, PlannedMove
from firnel.core.vocabulary import Control, MarkKind

#: A hand that goes to the planned setting this far from its moment has made that move; later, where it is overdue. [s]
AROUND_S, OVERDUE_S = 60.0, 120.0
#: One that misses the setting by up to so many steps, or goes elsewhere, has answered a move this near. [s], [steps]
NEAR_S, NEAR_STEPS = 20.0, 1.5
#: So shortly before its moment a hand that goes any way at all has answered it. [s]
AT_S = 3.0
#: A move nobody has made is past after so long. [s]
GONE_S = 90.0
#: What hangs on these does not fall due any more once first crack has come.
BEFORE_CRACK = (Anchor.CHARGE, Anchor.TURNING, Anchor.YELLOW)


class Became(StrEnum):
    """What became of a planned move."""

    MADE = "made"
    OTHERWISE = "made otherwise"
    PASSED = "passed by"
    LET_GO = "let go"
    THERE = "stood there already"


@dataclass(frozen=True)
class Settled:
    """What became of one planned move, at a moment of log time [s]; ``to`` is where the hand went instead."""

    became: Became
    t: float
    to: float | None = None


@dataclass(frozen=True)
class Advised:
    """What advice that was taken has made of a planned move since a moment of log time [s], or a move that joins the plan."""

    t: float
    move: PlannedMove


def as_advised(plan: Plan, advised: Mapping[int, Advised]) -> Plan:
    """The plan as advice has changed it: its moves, by their place, and behind them those that joined it."""
    moves = [advised[index].move if index in advised else move for index, move in enumerate(plan.moves)]
    joined = [advised[index].move for index in sorted(advised) if index >= len(plan.moves)]
    return replace(plan, moves=(*moves, *joined))


def settled_by(due: Iterable[DueMove], control: Control, to: float, t: float, step: float) -> dict[int, Settled]:
    """What a hand that sets ``control`` to ``to`` at ``t`` settles of the planned moves, by their index.

    Parameters
    ----------
    due : the plan's moves in the order in which they fall due; settled ones are passed over.
    control, to, t : the move made, on the machine's scale and in log time. [s]
    step : of the control's scale.
    """
    own = [entry for entry in due if entry.done_t is None and entry.move.control == control]
    chosen = _meant(own, to, t, step)
    if chosen is None:
        # Gone past: what was overdue has been answered by something else.
        overdue = [entry for entry in own if entry.due_t is not None and entry.due_t < t]
        if not overdue:
            return {}
        last = overdue[-1]
        return {e.index: Settled(Became.PASSED, t) for e in overdue[:-1]} | {last.index: Settled(Became.OTHERWISE, t, to)}
    before = [e for e in own[: own.index(chosen)] if e.due_t is not None and e.due_t <= t]
    same = abs(chosen.move.to - to) <= NEAR_STEPS * step + 1e-6
    became = Settled(Became.MADE, t) if same else Settled(Became.OTHERWISE, t, to)
    return {entry.index: Settled(Became.PASSED, t) for entry in before} | {chosen.index: became}


def _meant(own: Sequence[DueMove], to: float, t: float, step: float) -> DueMove | None:
    """The planned move that a hand had in mind; None where it did something of its own."""

    def away(entry: DueMove) -> float:
        return abs(entry.due_t - t) if entry.due_t is not None else 0.0

    def reach(entry: DueMove) -> float:
        return OVERDUE_S if entry.due_t is not None and entry.due_t < t else AROUND_S

    exact = [e for e in own if abs(e.move.to - to) <= 1e-6 * max(1.0, abs(to)) and away(e) <= reach(e)]
    about = [
        e
        for e in own
        if abs(e.move.to - to) <= NEAR_STEPS * step + 1e-6
        and e.due_t is not None
        and (away(e) <= NEAR_S or (away(e) <= reach(e) and _towards(e, to)))
    ]
    near = [e for e in own if e.due_t is not None and away(e) <= NEAR_S and (t >= e.due_t - AT_S or _towards(e, to))]
    for entries in (exact, about, near):
        if entries:
            return min(entries, key=away)
    return None


def _towards(entry: DueMove, to: float) -> bool:
    """Whether a setting lies nearer to where a move goes than to where it comes from."""
    return entry.from_value is not None and abs(entry.move.to - to) < abs(entry.from_value - to)


def passed(
    due: Sequence[DueMove],
    came: Mapping[MarkKind, float],
    now: float,
    held: Mapping[Control, float],
    steps: Mapping[Control, float],
) -> dict[int, Settled]:
    """What time, marks and the setting that stands anyway settle of the moves that no hand has answered.

    Parameters
    ----------
    due : in the order in which they fall due.
    came : marks, in log time. [s]
    now : log time. [s]
    held : how the controls stand.
    steps : of each control's scale.
    """
    found: dict[int, Settled] = {}
    crack, drop = came.get(MarkKind.FIRST_CRACK), came.get(MarkKind.DROP)
    for place, entry in enumerate(due):
        if entry.done_t is not None:
            continue
        control, moment = entry.move.control, entry.due_t
        if drop is not None:
            found[entry.index] = Settled(Became.PASSED, drop)
        elif moment is None:
            if entry.move.anchor is Anchor.TURNING and MarkKind.YELLOW in came:
                found[entry.index] = Settled(Became.PASSED, came[MarkKind.YELLOW])
        elif crack is not None and entry.move.anchor in BEFORE_CRACK and moment > crack:
            found[entry.index] = Settled(Became.PASSED, crack)
        elif moment <= now and control in held and abs(held[control] - entry.move.to) < 0.5 * steps.get(control, 0.0):
            found[entry.index] = Settled(Became.THERE, moment)
        elif now - moment > GONE_S:
            found[entry.index] = Settled(Became.PASSED, moment + GONE_S)
        else:
            later = [e.due_t for e in due[place + 1 :] if e.move.control == control and e.due_t is not None]
            if later and later[0] <= now:
                found[entry.index] = Settled(Became.PASSED, later[0])
    return found


def with_settled(due: Iterable[DueMove], settled: Mapping[int, Settled]) -> tuple[DueMove, ...]:
    """The moves, each with what became of it."""
    return tuple(
        replace(entry, done_t=settled[entry.index].t) if entry.done_t is None and entry.index in settled else entry
        for entry in due
    )
