"""An automatic hand at the simulated roaster: follows a plan, a human delay late."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.plan import Plan, due_moves
from firnel.core.vocabulary import Mark, MarkKind
from firnel.core.words import tr
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad


@dataclass(frozen=True)
class HandHabits:
    """How good the hand is."""

    delay_s: float = 2.0  #: mean reaction time
    charge_wait_s: float = 20.0  #: it lets the machine idle at least this long before charging
    step_error: float = 0.0  #: chance that a move lands one step off
    again_after_s: float | None = None  #: charges again this long after a drop; None: once


class AutomaticHand:
    """Charges, makes the plan's moves, and drops. Call `step` after each step of the machine.

    Parameters
    ----------
    plan : to follow; needs development time or drop temperature.
    load : what is charged.
    habits : how good the hand is.
    rng : source of its delays and errors.
    """

    def __init__(
        self, plan: Plan, load: GreenLoad, habits: HandHabits | None = None, rng: np.random.Generator | None = None
    ) -> None:
        if plan.targets.development_s is None and plan.targets.drop_c is None:
            raise ValueError(tr("the plan {!r} says neither development time nor drop temperature: when to drop?", plan.name))
        self._plan, self._load, self._habits = plan, load, habits or HandHabits()
        self._rng = rng or np.random.default_rng(0)
        self._since: float | None = None
        self._begin()

    def _begin(self) -> None:
        self.marks: dict[MarkKind, Mark] = {}
        self._done: dict[int, float] = {}
        self._delays = [self._delay() for _ in range(len(self._plan.moves) + 1)]
        self._prepared = False

    def step(self, roaster: DrumRoaster) -> None:
        """Look at the machine and do what is due."""
        if self._since is None:
            self._since = roaster.t
        if roaster.beans is None:
            self._before_charge(roaster)
        else:
            self._while_roasting(roaster)

    def _delay(self) -> float:
        return float(max(0.3, self._habits.delay_s * (1.0 + 0.35 * self._rng.standard_normal())))

    def _before_charge(self, roaster: DrumRoaster) -> None:
        if MarkKind.DROP in self.marks:
            if self._habits.again_after_s is None:
                return
            if roaster.t - self.marks[MarkKind.DROP].t < self._habits.again_after_s:
                return
            self._since = roaster.t
            self._begin()
        charge_c = self._plan.targets.charge_c
        if not self._prepared:
            self._prepared = True
            for control, value in self._plan.start.items():
                if control != roaster.main_heat:
                    roaster.set(control, value)
        if charge_c is not None:
            self._hold(roaster, charge_c)
        waited = roaster.t - (self._since or 0.0) >= self._habits.charge_wait_s
        if waited and (charge_c is None or abs(roaster.bean_probe_c - charge_c) < 0.8):
            roaster.charge(self._load)
            roaster.set(roaster.main_heat, self._plan.start.get(roaster.main_heat, 0.0))
            self._mark(MarkKind.CHARGE, roaster)

    def _hold(self, roaster: DrumRoaster, charge_c: float) -> None:
        """Cycle the heat around the charge temperature."""
        scale = roaster.kind.controls[roaster.main_heat]
        low = max(scale.least, 0.35 * scale.high)
        roaster.set(roaster.main_heat, low if roaster.bean_probe_c < charge_c + 1.0 else 0.0)

    def _while_roasting(self, roaster: DrumRoaster) -> None:
        beans = roaster.beans
        if beans is None:
            return
        if MarkKind.CHARGE not in self.marks:  # somebody else charged
            self._mark(MarkKind.CHARGE, roaster)
        if MarkKind.YELLOW not in self.marks and beans.mean_c >= beans.yellow_c:
            self._mark(MarkKind.YELLOW, roaster)
        if MarkKind.FIRST_CRACK not in self.marks and beans.mean_c >= beans.crack_c:
            self._mark(MarkKind.FIRST_CRACK, roaster)
        for entry in due_moves(self._plan, self.marks.values(), roaster.t, self._done):
            if entry.done_t is None and entry.due_t is not None and roaster.t >= entry.due_t + self._delays[entry.index]:
                self._make(roaster, entry.index)
        self._drop_when_due(roaster)

    def _make(self, roaster: DrumRoaster, index: int) -> None:
        move = self._plan.moves[index]
        value = move.to
        if self._rng.random() < self._habits.step_error:
            value += roaster.kind.controls[move.control].step * float(self._rng.choice([-1.0, 1.0]))
        roaster.set(move.control, value)
        self._done[index] = roaster.t

    def _drop_when_due(self, roaster: DrumRoaster) -> None:
        crack, targets = self.marks.get(MarkKind.FIRST_CRACK), self._plan.targets
        late = 0.5 * self._delays[-1]
        if targets.development_s is not None and not self._plan.drop_rules:
            due = crack is not None and roaster.t >= crack.t + targets.development_s + late
        else:
            due = targets.drop_c is not None and roaster.bean_probe_c >= targets.drop_c
        if due:
            self._mark(MarkKind.DROP, roaster)
            roaster.drop()

    def _mark(self, kind: MarkKind, roaster: DrumRoaster) -> None:
        self.marks[kind] = Mark(kind, roaster.t, roaster.bean_probe_c)
