"""Marks that nobody has set: found from model, readings and an empty drum, and offered; a hand takes them or does not.

What is found serves the reckoning meanwhile, with its doubt, and stays what it is: found, never set by a hand.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from firnel.core.machine.readings import told_readings
from firnel.core.mark_finding import BEFORE_JUMP_S, SHORTEST_ROAST_S, by_a_jump, find_drop, jumps
from firnel.core.model.replay import BEHIND_DOUBTS, BEHIND_HALF_S, SURE
from firnel.core.vocabulary import Found, Machine, Mark, MarkKind
from firnel.work.roast.probe_mistakes import misread, rises_since
from firnel.work.roast.readings_watch import comes

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState

#: By readings alone: offered so far above the reading at which the mark usually comes. [K]
ABOVE_C = 3.0
#: Where no reading of this machine is known: yellow and first crack come between these; common practice, no published
#: source. [degC]
USUAL_C = {MarkKind.YELLOW: (150.0, 168.0), MarkKind.FIRST_CRACK: (190.0, 207.0)}
#: Doubt of what readings alone tell. [s]
READING_DOUBT_S = 20.0
#: No yellow sooner after the charge than this, no crack sooner after yellow; common practice, no published source. [s]
SOONEST_S = {MarkKind.YELLOW: 75.0, MarkKind.FIRST_CRACK: 30.0}
#: What was declined is not offered again for so long. [s]
DECLINED_S = 45.0
#: The drum is looked at so often; empty when that was found so many times in a row, so near each other, so far back. [s]
LOOK_EVERY_S, LOOKS, SAME_S, BACK_S = 2.0, 3, 6.0, 8.0
#: Looked at that often, no more than this of a long record is gone through again. [s]
LOOKED_AT_S = 1200.0
#: A break of the curve: rates over so long before and behind it differ by so much. [s], [degC/min]
BEFORE_S, BEHIND_S, BREAK_RATE = 20.0, 10.0, 9.0
#: A first crack that is marked so far below its usual reading is none. [K]
UNLIKELY_C = 18.0
#: Before first crack only a clear fall of the probe tells of an empty drum. [K]
EMPTY_FALL_C = 12.0
#: So long after a move the curve may bend because of it. [s]
MOVED_S = 60.0
#: A drop that stands offered for so long is taken for one. [s]
TAKEN_S = 120.0


@dataclass(frozen=True)
class FoundMark:
    """A mark that was found: it, half its 80 % interval [s], and when it was first offered (log time). [s]"""

    mark: Mark
    doubt_s: float
    since: float


class MarkWatch:
    """Of one batch. Asked after each reading, and told what was declined."""

    def __init__(self) -> None:
        self.offers: dict[MarkKind, FoundMark] = {}
        self._declined: dict[MarkKind, float] = {}
        self._looked_t = float("-inf")
        self._empty: list[float] = []

    def look(self, batch: BatchState) -> None:
        """Find what has come since; forget what a hand has set meanwhile."""
        for kind in [kind for kind in self.offers if kind in batch.marks]:
            del self.offers[kind]
        charge = batch.marks.get(MarkKind.CHARGE)
        if charge is None or MarkKind.DROP in batch.marks or batch.trace.last_t is None or misread(batch):
            self.offers.clear()
            return
        self._look_for(batch, MarkKind.YELLOW, charge.t)
        yellow = batch.reckoned.get(MarkKind.YELLOW)
        if yellow is not None:
            self._look_for(batch, MarkKind.FIRST_CRACK, yellow.t)
        self._look_for_drop(batch, charge.t)

    def decline(self, kind: MarkKind, now: float) -> None:
        """A hand says that it has not come yet."""
        self.offers.pop(kind, None)
        self._declined[kind] = now
        self._empty.clear()

    def _look_for(self, batch: BatchState, kind: MarkKind, after: float) -> None:
        now = batch.now()
        later = EXPECTED_AFTER[kind]
        if kind in batch.marks or any(one in batch.marks for one in later) or kind in self.offers:
            return
        if now - self._declined.get(kind, float("-inf")) < DECLINED_S or now - after < SOONEST_S[kind]:
            return
        found = self._by_model(batch, kind) or self._by_reading(batch, kind)
        if found is None:
            return
        t, doubt = found
        t = min(max(t, after + SOONEST_S[kind]), now)
        self.offers[kind] = FoundMark(Mark(kind, t, batch.trace.bean_at(t), Found.CURVE), doubt, now)

    def _by_model(self, batch: BatchState, kind: MarkKind) -> tuple[float, float] | None:
        guidance = batch.guidance
        if guidance is None or not batch.reckons_with(guidance) or kind not in guidance.passed:
            return None
        half_t, doubt, share = guidance.passed[kind]
        if share < SURE or batch.now() - half_t < max(BEHIND_HALF_S, BEHIND_DOUBTS * doubt):
            return None
        return half_t, doubt

    def _by_reading(self, batch: BatchState, kind: MarkKind) -> tuple[float, float] | None:
        """By the reading at which it usually comes here: only where no model of this machine is at work."""
        guidance = batch.guidance
        if guidance is not None and guidance.forecast.basis == "model" and batch.reckons_with(guidance):
            return None
        usual, sure = levels_of(batch, kind)
        level = batch.trace.level
        if level is None or level < sure:
            return None
        t = reached(batch, usual)
        return None if t is None or _jumped(batch, t) else (t, READING_DOUBT_S)

    def _look_for_drop(self, batch: BatchState, charge_t: float) -> None:
        now = batch.now()
        if MarkKind.DROP in self.offers or now - self._looked_t < LOOK_EVERY_S:
            return
        if now - self._declined.get(MarkKind.DROP, float("-inf")) < DECLINED_S or now - charge_t < SHORTEST_ROAST_S:
            return
        self._looked_t = now
        if not comes(batch):
            return  # a probe that fails is no empty drum
        t = empty_drum(batch, charge_t)
        near = t is not None and (not self._empty or abs(self._empty[-1] - t) < SAME_S)
        self._empty = [*self._empty, t] if t is not None and near else [] if t is None else [t]
        if len(self._empty) >= LOOKS and t is not None:
            mark = Mark(MarkKind.DROP, t, batch.trace.bean_at(t), Found.CURVE)
            self.offers[MarkKind.DROP] = FoundMark(mark, 5.0, now)


#: Marks before which the other makes no sense to be looked for.
EXPECTED_AFTER = {MarkKind.YELLOW: (MarkKind.FIRST_CRACK, MarkKind.DROP), MarkKind.FIRST_CRACK: (MarkKind.DROP,)}


def levels_of(batch: BatchState, kind: MarkKind) -> tuple[float, float]:
    """The bean reading at which a mark usually comes on this machine, and the one by which it has surely come. [degC]"""
    plan, machine = batch.order.plan, batch.machine
    if plan is not None and plan.curve is not None and plan.course is not None and plan.curve.t.size:
        at = plan.course[0] + (plan.course[1] if kind is MarkKind.FIRST_CRACK else 0.0)
        usual = float(np.interp(at, plan.curve.t, plan.curve.bean))
        return usual, usual + ABOVE_C
    own = _own_level(machine, kind)
    if own is not None:
        return own, own + ABOVE_C
    low, high = USUAL_C[kind]
    return 0.5 * (low + high), high + ABOVE_C


def _own_level(machine: Machine | None, kind: MarkKind) -> float | None:
    """What the machine's own page says; None where nobody has told."""
    return told_readings(machine)[kind is not MarkKind.YELLOW] if machine is not None else None


def reached(batch: BatchState, level_c: float) -> float | None:
    """When the bean probe first read so much on its way up, in log time; None while it has not. [s]"""
    t, bean = batch.trace.column("t"), batch.trace.column("bean")
    above = np.flatnonzero((t >= rises_from(batch)) & (bean >= level_c))
    return float(t[above[0]]) if above.size else None


def rises_from(batch: BatchState) -> float:
    """From when on what the bean probe reads is of beans that rise, in log time; before, it falls from the empty drum. [s]"""
    turned, charge = rises_since(batch), batch.marks.get(MarkKind.CHARGE)
    if turned is not None:
        return turned
    return charge.t + SOONEST_S[MarkKind.YELLOW] if charge is not None else 0.0


def empty_drum(batch: BatchState, charge_t: float, alone: bool = False) -> float | None:
    """When the beans left the drum, if the probes show that; None where they do not. [s]

    Where nobody is there to say otherwise (``alone``), a corner behind a move is taken for the drop too.
    """
    last = batch.trace.last_t or 0.0
    crack = batch.reckoned.get(MarkKind.FIRST_CRACK)
    if crack is not None and crack.bean is not None and crack.bean < levels_of(batch, MarkKind.FIRST_CRACK)[0] - UNLIKELY_C:
        crack = None  # a key by mistake: no beans crack there, and no curve breaks because they were dropped
    t, bean, air = batch.trace.column("t"), batch.trace.sound_bean(), batch.trace.column("air")
    part = slice(0 if alone else int(np.searchsorted(t, last - LOOKED_AT_S)), None)
    t, bean, air = t[part], bean[part], air[part]
    found = find_drop(t, bean, charge_t, air)
    if found is not None and _jumped(batch, found):
        return None
    if crack is None:
        clear = found is not None and found <= last - BACK_S and _fallen(t, bean, found) > EMPTY_FALL_C
        return found if clear else None
    if found is not None and crack.t + 5.0 < found <= last - BACK_S:
        # A burner that was put out, or air that was thrown open, bends the curve too: then only a clear fall tells.
        moved = any(found - MOVED_S < move.t < found + 3.0 for move in batch.moves)
        if alone or not moved or _fallen(t, bean, found) > EMPTY_FALL_C:
            return found
    return curve_break(t, bean, crack.t, (move.t for move in batch.moves))


def _jumped(batch: BatchState, about: float) -> bool:
    """Whether the probe jumped about that moment; asked of the readings as they came, where what is sound leaves a gap."""
    t, bean = batch.trace.column("t"), batch.trace.column("bean")
    part = np.abs(t - about) <= 2.0 * BEFORE_JUMP_S
    return bool(by_a_jump(np.array([about]), jumps(t[part], bean[part]))[0])


def _fallen(t: np.ndarray, bean: np.ndarray, since: float) -> float:
    """By how much the probe has fallen for good since a moment: every one of its last readings. [K]"""
    before, lately = bean[(t >= since - 12.0) & (t <= since)], bean[t >= t[-1] - 8.0]
    before, lately = before[np.isfinite(before)], lately[np.isfinite(lately)]
    return float(np.median(before) - lately.max()) if before.size >= 3 and lately.size >= 4 else 0.0


def curve_break(t: np.ndarray, bean: np.ndarray, crack_t: float, moves_t: Iterable[float]) -> float | None:
    """Where the bean curve breaks in development though no hand has moved: an empty drum heats up, or cools, at once."""
    known = np.isfinite(bean)
    t, bean = t[known], bean[known]
    if t.size < 9:
        return None
    behind_s = max(BEHIND_S, 4.0 * float(np.median(np.diff(t[-9:]))))  # readings may come seldom
    moment = float(t[-1]) - behind_s
    # What a hand does as late as that does not show yet.
    moved = any(moment - BEFORE_S < moved_t < moment - 3.0 for moved_t in moves_t)
    if moved or moment < crack_t + BEFORE_S or not _break_at(t, bean, moment, behind_s) > BREAK_RATE:
        return None
    # It broke where it bends most: a probe that climbs to the air goes on to bend.
    near = t[(t >= max(moment - BEFORE_S, crack_t)) & (t <= moment)].tolist()
    return float(max([moment, *near], key=lambda one: _break_at(t, bean, one, behind_s)))


def _break_at(t: np.ndarray, bean: np.ndarray, moment: float, behind_s: float) -> float:
    """By how much the rates behind a moment and before it differ; nought where there are too few readings. [degC/min]"""
    before, behind = (t >= moment - BEFORE_S) & (t <= moment), (t >= moment) & (t <= moment + behind_s)
    if before.sum() < 5 or behind.sum() < 4:
        return 0.0
    first, second = (60.0 * float(np.polyfit(t[part], bean[part], 1)[0]) for part in (before, behind))
    return abs(second - first)
