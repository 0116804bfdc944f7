"""What a plan begins with where nothing is said yet: load and targets as they are usual for its lot, machine and purpose."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import Lot, Machine
from firnel.work.desk import Desk
from firnel.work.plan.draft import for_machine
from firnel.work.plan.planning import sensible_start, usual_load


class Starts:
    """Looks up what is usual, once for each lot, machine, purpose and load until it is told to `forget`."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._usual: dict[tuple[int | None, int | None, str, float | None], Targets] = {}

    def forget(self) -> None:
        """Another plan is begun: what was usual may have changed since."""
        self._usual.clear()

    @property
    def today(self) -> date:
        """The day on which the plan is made."""
        return self._desk.clock.wall().astimezone().date()

    def usual(self, plan: Plan, machine: Machine, lot: Lot | None) -> Targets:
        """What is usual for a lot and the purpose of a plan on a machine."""
        key = (plan.lot_id, machine.id, plan.purpose, plan.load_kg)
        if key not in self._usual:
            start = sensible_start(self._desk.library, machine, lot, plan.purpose, self.today, plan.load_kg)
            self._usual[key] = start[0]
        return self._usual[key]

    def start(self, plan: Plan, machine: Machine, lot: Lot | None) -> tuple[Plan, str]:
        """A plan for a machine and a lot, and why its targets are as they are; its moves are still to be found."""
        load_kg = plan.load_kg or usual_load(self._desk.library, machine, lot, self.today)
        targets, why = sensible_start(self._desk.library, machine, lot, plan.purpose, self.today, load_kg)
        begun = replace(
            for_machine(plan, machine), id=plan.id, version=plan.version, lot=lot.name if lot else "",
            lot_id=lot.id if lot else None, load_kg=load_kg, targets=targets, asked=None,
        )  # fmt: skip
        return begun, " ".join(why)
