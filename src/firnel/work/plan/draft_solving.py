"""What the solver makes of a draft, beside the window: its moves and curve, how surely it comes out, what each move is worth.

Every answer belongs to one state of one draft, and is dropped where that has gone on since.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from firnel.core.machine.capacity import load_warnings
from firnel.core.model.outlook import Outlook
from firnel.core.model.solving import How, Solved
from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import Machine
from firnel.core.words import capital, tr
from firnel.work.desk import Desk
from firnel.work.plan.draft import PlanDraft
from firnel.work.plan.planning import outlook_of, solve_plan, unseen_width, weigh_moves
from firnel.work.plan.sketches import Sketches
from firnel.work.plan.starts import Starts
from firnel.work.plan.whose import lot_of, machine_of
from firnel.work.plan.words import shortfalls


class Run(Protocol):
    """Runs a job of a name beside the window; the newest of each name is answered."""

    def __call__(
        self,
        name: str,
        function: Callable[[], Any],
        on_done: Callable[[Any], None],
        on_error: Callable[[str], None] | None = None,
    ) -> None:
        """See `Background.run`."""


class DraftSolving:
    """Has a draft solved, and owns what was told of it.

    Parameters
    ----------
    desk : whose library and units they are.
    run : does the solving beside the window.
    starts : tells what is usual, where the plan leaves a target open.
    draft : the draft on the bench; None where there is none.
    changed : what was told is another.
    settled : the draft has its solution.
    """

    def __init__(
        self,
        desk: Desk,
        run: Run,
        starts: Starts,
        draft: Callable[[], PlanDraft | None],
        changed: Callable[[], None],
        settled: Callable[[], None],
    ) -> None:
        self._desk, self._run, self._starts = desk, run, starts
        self._draft, self._changed, self._settled = draft, changed, settled
        self._sketches = Sketches(self._sketch)
        self.weighed: tuple[tuple[float, float], ...] = ()  #: what a step more of each move is worth
        self.sure: Outlook | None = None  #: how surely it comes out
        self.said = ""  #: what falls short, in one line
        self.on_solved: Callable[[Solved], None] = lambda solved: None
        self.on_sketch: Callable[[Solved], None] = lambda solved: None

    def forget(self) -> None:
        """Another draft is begun."""
        self.said = ""
        self.unsure()
        self._sketches.forget()

    def unsure(self) -> None:
        """The draft is another: how surely the one before came out says nothing of it."""
        self.weighed, self.sure = (), None

    def usual(self, plan: Plan, machine: Machine) -> Targets:
        """What is usual for the plan's lot and purpose on a machine."""
        return self._starts.usual(plan, machine, lot_of(self._desk.library, plan))

    def sketch(self, plan: Plan) -> None:
        """The curve of a plan while a hand is dragging; one at a time, always the newest."""
        self._sketches.ask(plan)

    def _sketch(self, plan: Plan) -> None:
        draft, library = self._draft(), self._desk.library
        machine = machine_of(library, draft.plan) if draft is not None else None
        if draft is None or machine is None:
            self._sketches.done()
            return
        usual, token = self.usual(draft.plan, machine), draft.token

        def sketched(solved: Solved) -> None:
            if self._stands(draft, token):
                self.on_sketch(solved)
            self._sketches.done()

        def failed(sentence: str) -> None:
            self.fail(sentence)
            self._sketches.done()

        self._run("sketch", lambda: solve_plan(library, machine, plan, usual, How.SKETCH), sketched, failed)

    def solve(self, how: How) -> None:
        """Solve the draft as it stands."""
        draft, library = self._draft(), self._desk.library
        machine = machine_of(library, draft.plan) if draft is not None else None
        if draft is None or machine is None:
            return
        self._sketches.stop()
        plan, token = draft.plan, draft.token
        usual = self.usual(plan, machine)

        def failed(sentence: str) -> None:
            if self._stands(draft, token):
                self.fail(tr("{} The plan can be kept as it stands.", capital(sentence)))

        self._run(
            "solve",
            lambda: solve_plan(library, machine, plan, usual, how),
            lambda solved: self._on_solved(draft, token, solved),
            failed,
        )

    def _on_solved(self, draft: PlanDraft, token: int, solved: Solved) -> None:
        if draft is not self._draft() or not draft.settle(token, solved):
            return
        self.unsure()
        self.tell(draft, solved)
        self._settled()

    def tell(self, draft: PlanDraft, solved: Solved) -> None:
        """What the solver has found for a draft; how surely, and what each move is worth, follow beside the window."""
        library, token = self._desk.library, draft.token
        machine, lot = machine_of(library, draft.plan), lot_of(library, draft.plan)
        said = [*shortfalls(solved, self._desk.settings.units, machine), *solved.warnings]
        if guess := next((one.sentence for one in solved.troubles if one.kind == "guess"), ""):
            said = [guess]  # whether it falls short by seconds nobody knows
        if machine is not None and solved.plan.load_kg:
            said += load_warnings(machine, solved.plan.load_kg, lot.density_g_per_l if lot else None)
        self.say(" ".join(said))
        self.on_solved(solved)
        if machine is None:
            return

        def sure(value: Outlook) -> None:
            if self._stands(draft, token):
                self.sure = value
                width = unseen_width(solved, value)
                self.say(" ".join([*said, width]) if width else self.said)

        def weighed(value: tuple[tuple[float, float], ...]) -> None:
            if self._stands(draft, token):
                self.weighed = value
                self._changed()

        self._run("sure", lambda: outlook_of(library, machine, solved), sure, _nothing)
        self._run("weigh", lambda: weigh_moves(library, machine, solved.plan), weighed, _nothing)

    def fail(self, sentence: str) -> None:
        """It could not be solved, and why."""
        self.say(capital(sentence))

    def say(self, sentence: str) -> None:
        """What is to be told of the draft, in the roaster's units."""
        self.said = self._desk.settings.units.sentence(sentence)
        self._changed()

    def _stands(self, draft: PlanDraft, token: int) -> bool:
        return draft is self._draft() and token == draft.token


def _nothing(_value: Any) -> None:
    pass
