"""Two moves that go together: heat now for a stage that is missed, and at first crack what lands the batch all the same.

A step that helps browning often spoils the end, and is then no advice at all. With another behind it that takes back at first
crack what the step has done to the drop, both are met; a hand is told of the two at once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

from firnel.core.guidance import Choice
from firnel.core.landing import Landing, Off, expected_off
from firnel.core.model.foretelling import Forecast
from firnel.core.plan import Anchor, DueMove, Plan
from firnel.core.vocabulary import ControlScale, MarkKind
from firnel.work.roast.steps import Ask, Step, followed, stands, step_of

#: The second move is sought so often, and found where the end is missed by less than this. [tolerances]
TRIES, MET = 3, 0.3
#: Two moves are worth their doubt where a stage is missed by so many tolerances.
FAR = 4.0
#: The second goes no lower than this share of where the heat would have stood.
LEAST_SHARE = 0.5
#: The first try lies this share of the gauge's range off the setting as it would be, or so many steps.
FIRST_TRY, FIRST_STEPS = 0.03, 2


def only_stages(landing: Landing) -> Landing:
    """The landing with nothing spoken of but stages far off: the end is not to be spoilt, and is mended once it has cracked."""

    def waits(off: Off) -> bool:
        return off.waits or off.kind != "stage" or off.in_tolerances < FAR

    return replace(landing, off=tuple(replace(off, waits=waits(off)) for off in landing.off))


class TwoMoves:
    """What two moves of the main heat would come to.

    Parameters
    ----------
    ask, due, plan : what is known of the batch, the moves still to come, and what is wanted.
    made : what would come of a step.
    most : the most heat from first crack on, on the machine's scale.
    came : marks that have come, from charge. [s]
    zero : log time of the charge. [s]
    """

    def __init__(
        self,
        ask: Ask,
        due: tuple[DueMove, ...],
        plan: Plan,
        made: Callable[[Step], Choice],
        most: float,
        came: Mapping[MarkKind, float],
        zero: float,
    ) -> None:
        self._ask, self._due, self._plan, self._made, self._most = ask, due, plan, made, most
        self._came, self._zero = came, zero
        self._heat = ask.machine.main_heat

    def choices(self, steps: Sequence[int]) -> Iterator[Choice]:
        """So many steps of the gauge now, each with the moves at first crack that were tried behind it."""
        for by in steps:
            first = step_of(self._ask, self._due, by, self._heat)
            if first is not None and _at_crack(first):
                continue  # the planned move at first crack is the second of the two
            crack = self._made(first).forecast.first_crack if first is not None else None
            if first is not None and crack is not None:
                yield from self._seconds(first, crack.value + self._zero)

    def _seconds(self, first: Step, crack_t: float) -> Iterator[Choice]:
        """The second move, as the end that came of the last two tries points to it."""
        scale = self._ask.machine.controls[self._heat]
        before = [e.move.to for e in self._due if e.move.control == self._heat and e.due_t is not None and e.due_t <= crack_t]
        stood = before[-1] if before else stands(self._ask, self._heat)
        to = stood
        tried: list[tuple[float, Off]] = []
        while stood is not None and to is not None and len(tried) < TRIES:
            to = self._within(to, stood, scale)
            if any(to == other for other, _ in tried):
                return
            choice = self._made(followed(first, self._heat, crack_t, to))
            yield choice
            end = self._end(choice.forecast)
            if end is None or end.in_tolerances < MET:
                return
            tried.append((to, end))
            to = _next(tried, scale)

    def _within(self, to: float, stood: float, scale: ControlScale) -> float:
        """Not far from where the heat would have stood: what a great change does so late is known least."""
        least = scale.nearest(max(LEAST_SHARE * stood, scale.least, scale.low + scale.step))
        return min(max(scale.nearest(to), least), self._most)

    def _end(self, forecast: Forecast) -> Off | None:
        """What is missed most at the end."""
        ends = [off for off in expected_off(self._plan, forecast, self._came) if off.kind == "end"]
        return max(ends, key=lambda off: off.in_tolerances, default=None)


def _at_crack(step: Step) -> bool:
    """Whether it is the planned move at first crack that would be made otherwise."""
    planned = (e.move.anchor for e in step.due if step.move is not None and e.index == step.move)
    return Anchor.FIRST_CRACK in planned


def _next(tried: Sequence[tuple[float, Off]], scale: ControlScale) -> float | None:
    """The setting to try next: a little to the side that helps, then where the last two point to."""
    to, end = tried[-1]
    if len(tried) == 1:
        hot = end.by if end.name == "drop_c" else -end.by
        steps = max(FIRST_STEPS, round(FIRST_TRY * (scale.high - scale.low) / scale.step))
        return to - (steps if hot > 0.0 else -steps) * scale.step
    before, first = tried[-2]
    if first.name != end.name or first.by == end.by:
        return None
    return to - end.by * (to - before) / (end.by - first.by)
