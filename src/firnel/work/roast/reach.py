"""What may be advised on a machine: the controls whose effect its logs have shown, and between what settings."""

from __future__ import annotations

from firnel.core.model.learning import MachineModel
from firnel.core.vocabulary import Control, Machine, Role

#: A control beside the main heat is advised once so many logged batches have moved it: before, its effect was not seen.
SEEN_MOVED = 3
#: Up to first crack heat is advised between the least and the most that it was logged burning, so much wider: what other heat
#: does to the beans was never seen here, and what a fire turned too low has lost is not back in time.
WIDER = (0.85, 1.15)


class Reach:
    """Of one machine.

    Parameters
    ----------
    model : of the machine; without one, or before its first log, nothing bounds its heat.
    """

    def __init__(self, model: MachineModel | None) -> None:
        self._driven, self._seen = (model.driven, model.seen) if model is not None else ((), {})

    def bounds(self, machine: Machine, control: Control, cracked: bool) -> tuple[float, float]:
        """Between what settings a control is advised, on its scale; ``cracked``: in development.

        The main heat may go lower there, and out: a batch that comes hot is the worse mistake.
        """
        least, most = 0.0, float("inf")
        if machine.role(control) is Role.HEAT:
            low = machine.controls[control].low
            burnt = [to for one in self._driven for levels in one.levels(control) for to in levels if to > low]
            if cracked:
                most = self.most_late(control)
            elif burnt:
                least, most = WIDER[0] * min(burnt), WIDER[1] * max(burnt)
        if control != machine.main_heat and (seen := self._seen.get(str(control))) is not None:
            least, most = max(least, seen.low), min(most, seen.high)
        return least, most

    def most_late(self, control: Control) -> float:
        """The most heat that is advised in development: what was logged from yellow on.

        More is hard heat, which belongs to the first third; it shows too late, and goes on when it is no longer wanted.
        """
        return max((to for one in self._driven for levels in one.levels(control)[1:] for to in levels), default=float("inf"))

    def further(self, machine: Machine) -> tuple[Control, ...]:
        """Airflow and further sources of heat whose effect was seen: moved in enough of the logged batches."""
        return tuple(
            control
            for control in (*machine.of(Role.HEAT), *machine.of(Role.AIRFLOW))
            if control != machine.main_heat
            and str(control) in self._seen
            and sum(bool(one.of(control)) for one in self._driven) >= SEEN_MOVED
        )
