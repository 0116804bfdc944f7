"""Hands at a machine that is not there: one that follows the written plan by the clock, one that follows cues and advice.

Both react two seconds late, and each move of heat lands one step of the gauge low, right or high by equal chance; ``exact``
hands do neither.
"""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from firnel.core.guidance import Choice, Given, may_advise
from firnel.core.model.learning import MachineModel
from firnel.core.model.solving import Solved
from firnel.core.plan import Plan, due_moves
from firnel.core.vocabulary import Control, Lot, Machine, Mark, MarkKind, Move, Role, Trace
from firnel.work.roast.advising import COUNTED_S
from firnel.work.roast.guided import Guidance
from firnel.work.roast.live_forecast import LiveForecast
from firnel.work.roast.steps import Ask

DELAY_S, LONGEST_S = 2.0, 1500.0
#: The forecast is asked this often here, to keep the bench short; the window asks at every reading. [s]
EVERY_S = 8.0


@dataclass
class Came:
    """What came of one batch, against its plan: development [s], drop [K], first crack [s]; advice given, and taken back."""

    development: float
    drop: float
    crack: float
    advices: int = 0
    back: int = 0
    said: list[str] = field(default_factory=list)


class Hand:
    """Hands, eyes and ears at a simulated machine, one second after the other.

    ``roaster`` has ``set``, ``charge``, ``step``, ``read``, ``settings``, ``beans``, ``bean_probe_c`` and ``t``.
    """

    def __init__(self, plan: Plan, machine: Machine, roaster: Any, seed: int, exact: bool = False) -> None:
        self.rng = np.random.default_rng([seed, 3])
        self.plan, self.machine, self.roaster, self.exact = plan, machine, roaster, exact
        self.heats = machine.of(Role.HEAT)
        self.scales = machine.controls
        self.rows: list[tuple[float, ...]] = []
        self.marks: dict[MarkKind, Mark] = {}
        self.moves: list[Move] = []
        self.pending: list[tuple[float, Control, float]] = []
        self.delay = 0.0 if exact else DELAY_S

    def second(self) -> None:
        """One second goes by: read, and do what was decided two seconds ago."""
        for due in [entry for entry in self.pending if entry[0] <= self.roaster.t]:
            self.pending.remove(due)
            _, control, value = due
            slip = 0 if self.exact or control not in self.heats else int(self.rng.integers(-1, 2))
            self.roaster.set(control, value + slip * self.scales[control].step)
            self.moves.append(Move(control, self.roaster.t, self.roaster.settings[control]))
        self.roaster.step(1.0)
        self.rows.append((self.roaster.t, *self.roaster.read(), *(self.roaster.settings[c] for c in self.scales)))
        beans = self.roaster.beans
        if beans is not None:
            for kind, level in ((MarkKind.YELLOW, beans.yellow_c), (MarkKind.FIRST_CRACK, beans.crack_c)):
                if kind not in self.marks and beans.mean_c >= level:
                    self.mark(kind, self.roaster.t + float(abs(self.rng.normal(0.0, 2.0))) * 0.5)

    def mark(self, kind: MarkKind, t: float) -> None:
        """Set a mark."""
        self.marks[kind] = Mark(kind, t, self.roaster.bean_probe_c)

    def reach(self, control: Control, value: float) -> None:
        """Decide on a move; the hand makes it two seconds later."""
        self.pending.append((self.roaster.t + self.delay, control, value))

    def idle(self) -> None:
        """Idle about the charge temperature."""
        charge_c = self.plan.targets.charge_c or 200.0
        heat = self.machine.main_heat
        scale = self.scales[heat]
        for control in self.scales:
            if control not in self.heats:
                self.roaster.set(control, self.plan.start.get(control, 50.0))
        while self.roaster.t < 40.0 or (abs(self.roaster.bean_probe_c - charge_c) > 0.8 and self.roaster.t < 600.0):
            cold = self.roaster.bean_probe_c < charge_c + 1.0
            self.roaster.set(heat, max(scale.least, 0.35 * scale.high) if cold else 0.0)
            self.second()

    def charge(self, load: Any) -> None:
        """Idle, then charge."""
        self.idle()
        self.roaster.charge(load)
        for control in self.heats:
            self.roaster.set(control, self.plan.start.get(control, 0.0))
        self.mark(MarkKind.CHARGE, self.roaster.t)

    def trace(self) -> Trace:
        """All readings so far."""
        table = np.array(self.rows)
        settings = {control: table[:, 3 + index] for index, control in enumerate(self.scales)}
        return Trace(table[:, 0], table[:, 1], table[:, 2], settings, np.zeros(len(table), np.int64))

    def dropped(self) -> Came:
        """The drop door is opened; a crack that never came counts as come only now."""
        if MarkKind.FIRST_CRACK not in self.marks:
            self.mark(MarkKind.FIRST_CRACK, self.roaster.t)
        self.mark(MarkKind.DROP, self.roaster.t)
        return self.came()

    def came(self) -> Came:
        """What came of it, against the plan."""
        crack, drop, charge = (self.marks[k] for k in (MarkKind.FIRST_CRACK, MarkKind.DROP, MarkKind.CHARGE))
        drying, browning, _ = self.plan.stages
        return Came(
            drop.t - crack.t - (self.plan.targets.development_s or 0.0),
            (drop.bean or 0.0) - (self.plan.targets.drop_c or 0.0),
            crack.t - charge.t - (drying or 0.0) - (browning or 0.0),
        )


def by_the_clock(hand: Hand, solved: Solved, load: Any) -> Came:
    """Moves and drop at the seconds since charge that the written plan says."""
    hand.charge(load)
    charge_t = hand.marks[MarkKind.CHARGE].t
    moves = [(at, move) for at, move in zip(solved.roast.expected_t, solved.plan.moves, strict=True) if at is not None]
    waiting = sorted(moves, key=lambda entry: entry[0])
    end = charge_t + (solved.roast.drop_t or 700.0)
    while hand.roaster.t < end + DELAY_S or MarkKind.FIRST_CRACK not in hand.marks:
        while waiting and hand.roaster.t >= charge_t + waiting[0][0]:
            _, move = waiting.pop(0)
            hand.reach(move.control, move.to)
        hand.second()
        if hand.roaster.t > charge_t + LONGEST_S:
            break
    return hand.dropped()


def by_the_plan(hand: Hand, load: Any) -> Came:
    """Each move when the plan's own anchor has come, the drop after the plan's development; no forecast, no advice."""
    hand.charge(load)
    charge_t, done = hand.marks[MarkKind.CHARGE].t, dict[int, float]()
    while hand.roaster.t < charge_t + LONGEST_S:
        now = hand.roaster.t
        for entry in due_moves(hand.plan, hand.marks.values(), now, done):
            if entry.done_t is None and entry.due_t is not None and now >= entry.due_t:
                done[entry.index] = now
                hand.reach(entry.move.control, entry.move.to)
        crack = hand.marks.get(MarkKind.FIRST_CRACK)
        if crack is not None and now >= crack.t + (hand.plan.targets.development_s or 95.0):
            break
        hand.second()
    return hand.dropped()


def _taken(hand: Hand, plan: Plan, otherwise: dict[int, float], choice: Choice) -> Plan:
    """Do as advised; the plan, with a move that joins it."""
    if choice.move is None:
        hand.reach(choice.control, choice.to)
    else:
        otherwise[choice.move] = choice.to
    then = choice.then
    if then is None:
        return plan
    if then.index is None:
        return replace(plan, moves=(*plan.moves, then.move))
    otherwise[then.index] = then.move.to
    return plan


def guided(hand: Hand, solved: Solved, load: Any, lot: Lot, model: MachineModel, load_kg: float) -> Came:
    """Each cue when it falls due, each advice when it is given, the drop by the countdown."""
    hand.charge(load)
    plan, live = solved.plan, LiveForecast(model)
    done: dict[int, float] = {}
    otherwise: dict[int, float] = {}
    told: Guidance | None = None
    advised_t, asked_t, back = -1e9, -1e9, 0
    said: list[str] = []
    given: Given | None = None
    development_s, moved_s = plan.targets.development_s or 95.0, 0.0
    while True:
        now = hand.roaster.t
        if now - asked_t >= EVERY_S and not hand.pending:  # while it moves, the hand asks nothing
            asked_t = now
            adjusted = replace(plan, moves=tuple(replace(m, to=otherwise.get(i, m.to)) for i, m in enumerate(plan.moves)))
            ask = Ask("1", now, hand.trace(), tuple(hand.marks.values()), tuple(hand.moves), done, hand.machine, adjusted,
                      lot, load_kg, hand.roaster.room_c, given=given)  # fmt: skip
            told = live.answer(ask) or told
            fresh = told is not None and told.at == now
            advice = told.advice if told is not None and fresh else None
            stall = next((one for one in told.coming if one.remedy is not None), None) if told is not None and fresh else None
            left_s = told.marks.get(MarkKind.DROP, now) - now if told is not None else 0.0
            may = may_advise(now - advised_t, hand.marks, left_s=left_s)
            if stall is not None and stall.remedy is not None and may:
                advised_t, remedy = now, stall.remedy
                given = Given.of(remedy, now)
                said.append(f"{now - hand.marks[MarkKind.CHARGE].t:.0f} s: {remedy.control} > {remedy.to:g} against the stall")
                hand.reach(remedy.control, remedy.to)
            elif advice is not None and may:
                advised_t, choice = now, advice.choice
                back += given is not None and given.bound(choice.control, choice.to, now) != choice.to
                given = Given.of(choice, now)
                since = now - hand.marks[MarkKind.CHARGE].t
                off = f"{advice.off.name} {advice.off.by:+.1f}"
                said.append(f"{since:.0f} s: {choice.control} {choice.setting:g} > {choice.to:g} for {off}"
                            f" > {advice.becomes:+.1f}")  # fmt: skip
                said[-1] += f", then {choice.then.move.to:g}" if choice.then is not None else ""
                plan = _taken(hand, plan, otherwise, choice)
        expected = told.marks if told is not None else None
        for entry in due_moves(plan, hand.marks.values(), now, done, expected):
            if entry.done_t is None and entry.due_t is not None and now >= entry.due_t:
                done[entry.index] = now
                to = otherwise.get(entry.index)
                stands = hand.roaster.settings[entry.move.control]
                if to is None or abs(to - stands) >= 0.5 * hand.scales[entry.move.control].step:  # what stands so is left
                    hand.reach(entry.move.control, entry.move.to if to is None else to)
        crack = hand.marks.get(MarkKind.FIRST_CRACK)
        lost = now > hand.marks[MarkKind.CHARGE].t + LONGEST_S
        # The countdown leads by the hand's delay, as it has learned it.
        if crack is not None and told is not None and now + COUNTED_S + DELAY_S < crack.t + development_s + moved_s:
            moved_s = told.moved_s
        if lost or (crack is not None and now + DELAY_S >= crack.t + development_s + moved_s):
            for _ in range(int(DELAY_S)):
                hand.second()
            return replace(hand.dropped(), advices=len(said), back=back, said=said)
        hand.second()
