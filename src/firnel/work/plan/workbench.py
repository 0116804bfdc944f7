"""Where a plan is made: the draft, its edits, and what is kept of it. A window shows it and passes edits on.

The workbench owns the draft; `DraftSolving` has each state of it solved. The draft lies in the library until it is kept or left
(`KeptDraft`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from firnel.core.model.solving import How
from firnel.core.plan import Plan
from firnel.core.vocabulary import Control, ControlScale, Lot, Machine
from firnel.core.words import tr
from firnel.store.writing import ChangedMeanwhileError
from firnel.work.desk import Desk
from firnel.work.plan.draft import PlanDraft, for_machine, turned
from firnel.work.plan.draft_solving import DraftSolving, Run
from firnel.work.plan.kept_draft import KeptDraft
from firnel.work.plan.orders import OrderSplit, ladder, split_order
from firnel.work.plan.picture import PlanPicture, plan_picture
from firnel.work.plan.planning import (
    for_lot,
    solve_plan,
    transferred,
)
from firnel.work.plan.starts import Starts
from firnel.work.plan.whose import lot_of, machine_of


class PlanWorkbench:
    """One plan that is being made.

    Parameters
    ----------
    desk : whose library and settings it works on.
    run : does the solving beside the window.
    keep : does the writing of the draft beside the window, in order.
    """

    def __init__(self, desk: Desk, run: Run, keep: Run) -> None:
        self._desk, self._run = desk, run
        self._kept = KeptDraft(desk, keep, self._say)
        self.draft = PlanDraft(Plan(""))
        self.open = False  #: whether a plan is on the bench
        self._seen_version = 0  #: a newer version that another has kept, and that was told
        self._looked = False
        self.begun: Plan | None = None  #: what it began with; None for a new plan
        self.as_new: bool | None = None  #: a kept plan for another lot is to be a new plan; None while that is not asked
        self.name, self.reason = "", ""
        self._starts = Starts(desk)
        self.solving = DraftSolving(desk, run, self._starts, self._on_bench, self._changed, self._keep_draft)
        self.on_change: Callable[[], None] = lambda: None
        self.on_explained: Callable[[str], None] = lambda sentence: None

    # What is on it

    @property
    def plan(self) -> Plan:
        """The plan as it stands."""
        return self.draft.plan

    @property
    def lots(self) -> list[Lot]:
        """Lots that a plan can be for."""
        return [lot for lot in self._desk.library.lots() if not lot.archived or lot.id == self.plan.lot_id]

    @property
    def machines(self) -> list[Machine]:
        """Machines that a plan can be for."""
        return [one for one in self._desk.library.machines() if not one.archived or one.id == self.plan.machine_id]

    @property
    def machine(self) -> Machine | None:
        """The machine that the plan is for."""
        return machine_of(self._desk.library, self.plan)

    @property
    def lot(self) -> Lot | None:
        """The lot that the plan is for."""
        return lot_of(self._desk.library, self.plan)

    @property
    def picture(self) -> PlanPicture:
        """The plan as it stands, drawn."""
        return plan_picture(self.plan, self.machine, self._desk.settings.units, self.draft.solved, self.solving.sure)

    @property
    def changed(self) -> bool:
        """Whether there is something that would be lost if it were left."""
        return self.open and self.draft.can_undo

    @property
    def asks_new(self) -> bool:
        """Whether it is to be asked: a new plan, or a new version of the kept one? Its lot or machine is another now."""
        begun, plan = self.begun, self.plan
        if begun is None or begun.id is None:
            return False
        return (begun.lot_id, begun.machine_id) != (plan.lot_id, plan.machine_id)

    def scale(self, control: Control) -> ControlScale | None:
        """The scale of a control on the plan's machine."""
        machine = self.machine
        return machine.controls.get(control) if machine is not None else None

    # Beginning and ending

    def waiting(self) -> bool:
        """Whether an end or a crash has left a draft; looked for until that was `seen`, or something was on the bench."""
        return not self._looked and self._kept.waits

    def seen(self) -> None:
        """It is known whether a draft waits."""
        self._looked = True

    def take_up(self) -> bool:
        """Go on with the draft that lies in the library, with its way back; False if there is none, or it cannot be read."""
        try:
            found = self._kept.read()
        except ValueError as error:
            self.on_explained(str(error))
            return False
        if found is None:
            return False
        draft, about = found
        plans = {plan.id: plan for plan in self._desk.library.plans()}
        self._clear(draft, plans.get(about.get("begun")))
        self.name, self.reason, self.as_new = about.get("name", ""), about.get("reason", ""), about.get("as_new")
        self.on_change()
        self.on_explained(tr("The draft that you had begun is here again, with its undo."))
        self.solving.solve(How.AS_IS)
        return True

    def begin(self, plan: Plan | None) -> None:
        """Begin with a plan, or with a sensible start for the first lot and machine."""
        self._clear(PlanDraft(plan or Plan("")), plan)
        self.name = plan.name if plan is not None else ""
        self.on_explained("")
        if plan is not None and plan.id is not None:  # begun with an older version, the newest is known all the same
            self._seen_version = next((one.version for one in self._desk.library.plans() if one.id == plan.id), 0)
        if plan is None:
            lot, machine = next(iter(self.lots), None), next(iter(self.machines), None)
            start = self._start(Plan(""), machine, lot) if machine is not None else None
            if start is None:
                self.solving.say(tr("Add a machine first (F7): a plan is for one."))
                self.on_change()
                return
            self.draft = PlanDraft(start)
            self.on_change()
            self.solving.solve(How.NEW)
            return
        self.on_change()
        self.solving.solve(How.AS_IS)

    def _clear(self, draft: PlanDraft, begun: Plan | None) -> None:
        self.draft, self.begun, self.open, self.as_new, self._looked = draft, begun, True, None, True
        self.name = self.reason = ""
        self._seen_version = 0
        self.solving.forget()
        self._starts.forget()

    def leave(self) -> None:
        """Leave it on purpose: the draft is gone."""
        self.open, self._seen_version = False, 0
        self.draft = PlanDraft(Plan(""))
        self._kept.leave()

    def keep(self) -> Plan:
        """Keep the plan as it stands, solved or not: as a new version of the one it began with, or as a new plan.

        Raises
        ------
        ValueError : if another plan has its name; nothing is kept then.
        ChangedMeanwhileError : if another has kept a newer version since it was begun: the second time it is gone over.
        LibraryError : if the library refuses.
        """
        plan, begun = self.named(), self.begun
        if begun is not None and self.asks_new:
            kept = self.as_new is False
            plan = replace(plan, id=begun.id if kept else None, version=begun.version if kept else 1)
        if any(other.name == plan.name and other.id != plan.id for other in self._desk.library.plans()):
            raise ValueError(tr("There is a plan called {} already: give this one another name.", plan.name))
        since = None if begun is None or plan.id != begun.id else max(begun.version, self._seen_version)
        try:
            saved = self._desk.library.save_plan(plan, self.reason.strip(), since)
        except ChangedMeanwhileError as error:
            self._seen_version = error.version
            raise
        self.leave()
        return saved

    def named(self) -> Plan:
        """The plan under the name that it is to have."""
        plan = self.plan
        usual = f"{plan.lot} {plan.purpose}".strip() or tr("Plan")
        return replace(plan, name=self.name.strip() or plan.name or usual)

    # Edits

    def edit(self, plan: Plan, how: How = How.KEPT) -> None:
        """Take an edit, and have it solved: by the moves there are, or with moves found anew."""
        if self.draft.edit(plan):
            self._gone_on()
            self.solving.solve(how)

    def edit_moves(self, plan: Plan) -> None:
        """Take an edit of single moves: no other move is changed by it, and what comes of it is told."""
        self.edit(plan, How.AS_IS)

    def rename(self, name: str) -> None:
        """The name that it is to have."""
        if name != self.name:
            self.name = name
            self._keep_draft()

    def explain(self, reason: str) -> None:
        """Why it is changed."""
        if reason != self.reason:
            self.reason = reason
            self._keep_draft()

    def choose_new(self, as_new: bool) -> None:
        """Keep it as a new plan, or as a new version of the one it began with."""
        self.as_new = as_new
        self._gone_on()

    def turn(self, index: int, steps: int = 0, seconds: float = 0.0) -> None:
        """A move some steps of its gauge higher, or later."""
        scale = self.scale(self.plan.moves[index].control)
        if scale is not None:
            self.edit_moves(turned(self.plan, index, scale, steps, seconds))

    def choose_lot(self, key: int | None) -> None:
        """Another lot: a plan that exists already keeps its targets, moved by the handling of both lots."""
        lot = next((lot for lot in self._desk.library.lots() if lot.id == key), None)
        machine = self.machine
        if lot is None or lot.id == self.plan.lot_id:
            return
        if self.begun is None or machine is None:
            self._other_start(replace(self.plan, lot=lot.name, lot_id=lot.id))
            return
        plan, why = for_lot(self._desk.library, machine, self.plan, lot, self._starts.today)
        self._explain(why)
        self.edit(replace(plan, moves=tuple(move for move in plan.moves if move.held)), How.NEW)

    def choose_machine(self, key: int | None) -> None:
        """Another machine: a plan that exists already travels; a new one begins anew."""
        target = next((one for one in self._desk.library.machines() if one.id == key), None)
        before, source = self.plan, self.machine
        if target is None or target.id == before.machine_id:
            return
        if self.begun is None or source is None:
            self._other_start(replace(before, machine=target.name, machine_id=target.id))
            return
        usual = self.solving.usual(before, target)
        moved, why = transferred(before.targets if before.asked is None else before.wanted, source, target, usual)
        share = (before.load_kg or source.useful_load_kg) / source.useful_load_kg
        plan = replace(for_machine(before, target), targets=moved, asked=None, load_kg=round(share * target.useful_load_kg, 2))
        self.name = tr("{} on {}", self.name.strip() or before.name, target.name)
        self._explain(why)
        self.edit(plan, How.NEW)

    def choose_purpose(self, purpose: str) -> None:
        """Another purpose: the targets begin anew."""
        self._other_start(replace(self.plan, purpose=purpose))

    def choose_approach(self, approach: str) -> None:
        """Another school of driving: the moves are found anew."""
        self.edit(replace(self.plan, approach=approach), How.NEW)

    def order(self, roasted_kg: float) -> OrderSplit | None:
        """An order in roasted weight [kg]: how many batches of what load; the plan takes that load.

        Raises
        ------
        ValueError : if it cannot be split.
        """
        machine, lot = self.machine, self.lot
        if machine is None or lot is None:
            return None
        split = split_order(self._desk.library, lot, machine, roasted_kg)
        self.edit(replace(self.plan, load_kg=split.load_kg))
        return split

    def undo(self) -> None:
        """Take the last edit back."""
        if self.draft.undo():
            self._returned()

    def redo(self) -> None:
        """Make the edit again that was taken back last."""
        if self.draft.redo():
            self._returned()

    def find_moves(self) -> None:
        """Have the moves found anew, around those that are held."""
        self.solving.solve(How.NEW)

    def make_ladder(self, on: str, done: Callable[[list[Plan]], None]) -> None:
        """Solve and keep the variants of a ladder, beside the window.

        Raises
        ------
        ValueError : if the plan has no such target, or a variant of it makes no sense.
        """
        machine, library = self.machine, self._desk.library
        if machine is None:
            return
        usual, variants = self.solving.usual(self.plan, machine), ladder(self.named(), on)

        def keep() -> list[Plan]:
            return [library.save_plan(solve_plan(library, machine, variant, usual, How.KEPT).plan) for variant in variants]

        def kept(plans: list[Plan]) -> None:
            self.solving.say("")
            self.leave()
            done(plans)

        self.solving.say(tr("Solving the five variants …"))
        self._run("ladder", keep, kept, self.solving.fail)

    # Inside

    def _start(self, plan: Plan, machine: Machine, lot: Lot | None) -> Plan:
        begun, why = self._starts.start(plan, machine, lot)
        self._explain(why)
        return begun

    def _other_start(self, plan: Plan) -> None:
        machine = machine_of(self._desk.library, plan)
        if machine is not None:
            self.edit(self._start(plan, machine, lot_of(self._desk.library, plan)), How.NEW)

    def _returned(self) -> None:
        self.solving.unsure()
        self._gone_on()
        if self.draft.solved is None:
            self.solving.solve(How.KEPT)
        else:
            self.solving.tell(self.draft, self.draft.solved)

    def _say(self, sentence: str) -> None:
        self.solving.say(sentence)

    def _on_bench(self) -> PlanDraft | None:
        return self.draft if self.open else None

    def _changed(self) -> None:
        self.on_change()

    def _gone_on(self) -> None:
        self.on_change()
        self._keep_draft()

    def _keep_draft(self) -> None:
        """So that it is there after a crash; opening a plan and leaving it as it was makes no draft."""
        if not self.open or not (self.draft.can_undo or self.begun is None):
            return
        about = {
            "begun": self.begun.id if self.begun else None, "name": self.name, "reason": self.reason, "as_new": self.as_new,
        }  # fmt: skip
        self._kept.keep(self.draft, about)

    def _explain(self, sentence: str) -> None:
        self.on_explained(self._desk.settings.units.sentence(sentence))
