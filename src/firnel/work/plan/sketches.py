"""Curves of a plan while a hand is dragging: one at a time, always the newest."""

from __future__ import annotations

from collections.abc import Callable

from firnel.core.plan import Plan


class Sketches:
    """Has plans sketched one after the other; of those that come in meanwhile only the last is wanted.

    Parameters
    ----------
    begin : begins to sketch a plan; `done` is to be called once that has come to an end, whatever it came to.
    """

    def __init__(self, begin: Callable[[Plan], None]) -> None:
        self._begin = begin
        self._busy = False
        self._next: Plan | None = None

    def ask(self, plan: Plan) -> None:
        """Sketch this one, now or next."""
        self._next = plan
        self._go_on()

    def done(self) -> None:
        """The one that was begun has come to an end."""
        self._busy = False
        self._go_on()

    def stop(self) -> None:
        """What is still to be sketched is no longer wanted."""
        self._next = None

    def forget(self) -> None:
        """Another plan is begun: nothing is waited for."""
        self._busy, self._next = False, None

    def _go_on(self) -> None:
        plan = self._next
        if plan is not None and not self._busy:
            self._busy, self._next = True, None
            self._begin(plan)
