"""Moves hung on marks: what a hand did in a batch, cleaned into the few moves that a plan can repeat.

Which mark a move belongs to, and when two moves are one, is common practice, no published source.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from firnel.core.plan import Anchor, PlannedMove
from firnel.core.vocabulary import Control, ControlScale, Move

#: A move this shortly before yellow or first crack was made with that mark in mind. [s]
BEFORE_YELLOW_S, BEFORE_CRACK_S = 45.0, 60.0
#: Moves of one control this close together are one hand finding its setting. [s]
ONE_HAND_S = 15.0
#: Offsets are told in whole steps of this. [s]
GRAIN_S = 5.0
#: More moves of one control than this cannot be repeated by hand.
MOST_MOVES = 5


def anchored(control: Control, to: float, t: float, yellow_t: float, crack_t: float) -> PlannedMove:
    """A move at ``t`` hung on the mark it belongs to; all times in seconds from charge."""
    if t >= crack_t - BEFORE_CRACK_S:
        anchor, base = Anchor.FIRST_CRACK, crack_t
    elif t >= yellow_t - BEFORE_YELLOW_S:
        anchor, base = Anchor.YELLOW, yellow_t
    else:
        anchor, base = Anchor.CHARGE, 0.0
    return PlannedMove(control, to, anchor, GRAIN_S * round((t - base) / GRAIN_S))


def cleaned_moves(
    moves: Iterable[Move],
    scales: Mapping[Control, ControlScale],
    charge_t: float,
    yellow_t: float,
    crack_t: float,
    drop_t: float,
) -> tuple[dict[Control, float], tuple[PlannedMove, ...]]:
    """Settings at charge, and the moves of a batch between charge and drop as few moves that hang on marks.

    Parameters
    ----------
    moves : as made, in log time.
    scales : of the machine's controls; others are left out.
    charge_t, yellow_t, crack_t, drop_t : the marks, in log time. [s]
    """
    start: dict[Control, float] = {}
    planned: list[PlannedMove] = []
    made = sorted((move for move in moves if move.t < drop_t - GRAIN_S), key=lambda move: move.t)
    for control, scale in scales.items():
        own = [
            (move.t - charge_t, scale.nearest(move.to)) for move in made if move.control == control and move.t < drop_t - 5.0
        ]
        before = [to for t, to in own if t <= GRAIN_S]
        if before:
            start[control] = before[-1]
        kept = _one_hand([(t, to) for t, to in own if t > GRAIN_S], start.get(control), scale.step)
        planned += [anchored(control, to, t, yellow_t - charge_t, crack_t - charge_t) for t, to in kept]
    return start, tuple(planned)


def _one_hand(made: list[tuple[float, float]], held: float | None, step: float) -> list[tuple[float, float]]:
    """Close moves as one, none that changes nothing, and the smallest left out where there are too many."""
    joined: list[tuple[float, float]] = []
    for t, to in made:
        if joined and t - joined[-1][0] < ONE_HAND_S:
            joined[-1] = (joined[-1][0], to)
        else:
            joined.append((t, to))
    while True:
        befores = [held, *(to for _, to in joined)]
        changes = [abs(to - before) if before is not None else 1e9 for (_, to), before in zip(joined, befores, strict=False)]
        if changes and (min(changes) < 0.5 * step or len(joined) > MOST_MOVES):
            joined.pop(changes.index(min(changes)))
        else:
            return joined
