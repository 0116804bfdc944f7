"""What a hand does on the ribbons of a plan: a move drawn, raised, or dragged along."""

from __future__ import annotations

from firnel.core.vocabulary import Control
from firnel.work.plan.draft import set_to, started_at, with_move
from firnel.work.plan.workbench import PlanWorkbench


class RibbonEdits:
    """Turns rows and steps of the ribbons into moves of the plan on a workbench.

    A row is a control of the machine, in its order; a step is a constant piece of a ribbon, the first one the setting at charge
    where the plan has one.
    """

    def __init__(self, bench: PlanWorkbench) -> None:
        self._bench = bench

    def add(self, row: int, t: float, value: float) -> None:
        """A new move at *t* [s from charge] to the gauge step nearest to *value*, on the control's scale."""
        control = self._control_of(row)
        scale = self._bench.scale(control) if control is not None else None
        if control is not None and scale is not None and t > 0:
            self._bench.edit_moves(with_move(self._bench.plan, control, scale.nearest(value), t))

    def raise_to(self, row: int, step: int, value: float) -> None:
        """The move that begins a step, or the setting at charge, to the gauge step nearest to *value*."""
        control, index = self._control_of(row), self._move_at(row, step)
        scale = self._bench.scale(control) if control is not None else None
        if control is None or scale is None:
            return
        to, plan = scale.nearest(value), self._bench.plan
        self._bench.edit_moves(started_at(plan, control, to) if index is None else set_to(plan, index, to))

    def shift(self, row: int, step: int, seconds: float) -> None:
        """The move that begins a step, *seconds* later; the setting at charge stays where it is."""
        index = self._move_at(row, step)
        if index is not None:
            self._bench.turn(index, seconds=seconds)

    def _control_of(self, row: int) -> Control | None:
        machine = self._bench.machine
        return list(machine.controls)[row] if machine is not None and row < len(machine.controls) else None

    def _move_at(self, row: int, step: int) -> int | None:
        """The plan's move that begins a step of a ribbon; None for the setting at charge."""
        control, plan = self._control_of(row), self._bench.plan
        own = [index for index in self._bench.picture.move_order if plan.moves[index].control == control]
        place = step - 1 if control in plan.start else step
        return own[place] if 0 <= place < len(own) else None
