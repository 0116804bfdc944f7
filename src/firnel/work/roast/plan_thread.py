"""The thread of a running plan: which of its moves wait, which one is next, which are late, and what became of the others."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from firnel.core.plan import LATE_S, Anchor, DueMove, Plan, PlannedMove, Rising, due_moves
from firnel.core.settling import Advised, Became, Settled, passed, with_settled
from firnel.core.vocabulary import Control, FloatArray, MarkKind, Note
from firnel.core.words import tr
from firnel.work.roast.probe_mistakes import rises_since

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState

#: A move this near is what a hand means that confirms one. [s]
NEAR_NOW_S = 12.0
#: The hands at charge are held against the plan's start for so long after it. [s]
START_S = 25.0
#: Notes of what became of the plan's moves are worked out anew whenever they are written.
SETTLED_NOTE = "plan"
_FIGURE = r"-?[\d.]+(?:e[-+]?\d+)?"
_SETTLED = re.compile(rf"move (?P<move>\d+), (?P<control>.+) to (?P<to>{_FIGURE}): (?P<became>.*?)(?: at (?P<at>{_FIGURE}))?")

#: What joins the plan by advice hangs on this.
JOINS = " at first crack"
_ADVISED = re.compile(
    rf"move (?P<move>\d+), (?P<control>.+?) to (?P<to>{_FIGURE})(?:{JOINS})?: advised(?:, not (?P<planned>{_FIGURE}))?"
)


def due_of(batch: BatchState) -> tuple[DueMove, ...]:
    """The plan's moves with when they fall due; those that are settled by the hand, by marks or by time have their moment."""
    plan = batch.adjusted_plan
    if plan is None:
        return ()
    settled = batch.settled
    done = {index: one.t for index, one in settled.items()}
    due = due_moves(plan, batch.reckoned.values(), batch.now(), done, batch.foreseen, batch.held, rising(batch), air_of(batch))
    return with_settled(due, _passed(batch, due))


def pending(batch: BatchState) -> tuple[DueMove, ...]:
    """The moves that still wait and change anything, in order."""
    return tuple(entry for entry in batch.due() if entry.done_t is None and not _same(batch, entry))


def next_move(batch: BatchState) -> DueMove | None:
    """The move that Enter confirms: one that falls due about now, else the one that is late, else the next to come."""
    waiting, now = pending(batch), batch.now()
    near = [e for e in waiting if not is_late(batch, e) and e.due_t is not None and e.due_t - now <= NEAR_NOW_S]
    late = [entry for entry in waiting if is_late(batch, entry)]
    return next(iter((*near, *reversed(late), *waiting)), None)


def is_late(batch: BatchState, entry: DueMove) -> bool:
    """Whether a move is so far past its moment that it stands small beside what matters now."""
    return entry.due_t is not None and batch.now() - entry.due_t > LATE_S


def settled_of(batch: BatchState) -> dict[int, Settled]:
    """What became of every move that is settled, by its place in the plan."""
    plan = batch.adjusted_plan
    if plan is None or MarkKind.CHARGE not in batch.marks:
        return {}
    done = {index: one.t for index, one in batch.settled.items()}
    due = due_moves(plan, batch.reckoned.values(), batch.now(), done, batch.foreseen, batch.held, rising(batch), air_of(batch))
    return _passed(batch, due) | dict(batch.settled)


def plan_notes(batch: BatchState) -> list[Note]:
    """What became of the plan, for the record: moves as advised, and those not made as planned; in English, to be read back."""
    plan, planned = batch.adjusted_plan, batch.order.plan
    notes = []
    for index, told in sorted(batch.advised.items()):
        joins = planned is None or index >= len(planned.moves)
        words = f"move {index + 1}, {told.move.control.replace('_', ' ')} to {told.move.to:g}"
        last = f"{JOINS}: advised" if planned is None or joins else f": advised, not {planned.moves[index].to:g}"
        notes.append(Note(told.t, SETTLED_NOTE, words + last))
    for index, one in sorted(settled_of(batch).items()):
        if plan is not None and one.became is not Became.MADE:
            move = plan.moves[index]
            to = f" at {one.to:g}" if one.to is not None else ""
            control = move.control.replace("_", " ")
            notes.append(Note(one.t, SETTLED_NOTE, f"move {index + 1}, {control} to {move.to:g}: {one.became}{to}"))
    return notes


def read_note(note: Note) -> tuple[int, Became] | None:
    """What a note says became of which move; None where it says nothing of one."""
    found = _of_note(note)
    return (int(found["move"]) - 1, Became(found["became"])) if found is not None else None


def read_advised(note: Note, plan: Plan) -> tuple[int, Advised] | None:
    """What a note says that advice made of a move, by its place in the plan; None where it says nothing of one."""
    found = _ADVISED.fullmatch(note.text) if note.kind == SETTLED_NOTE else None
    if found is None:
        return None
    index, to = int(found["move"]) - 1, float(found["to"])
    if index < len(plan.moves):
        return index, Advised(note.t, replace(plan.moves[index], to=to))
    control = Control(found["control"].replace(" ", "_"))
    return index, Advised(note.t, PlannedMove(control, to, Anchor.FIRST_CRACK))


def note_words(note: Note) -> str:
    """What a note says, as it is told: what became of a move in the language of the window, all else as it was written."""
    if note.kind == SETTLED_NOTE and (advised := _ADVISED.fullmatch(note.text)) is not None:
        told = advised["move"], tr(advised["control"]), float(advised["to"])
        if advised["planned"] is None:
            return tr("move {}, {} to {:g} at first crack: advised", *told)
        return tr("move {}, {} to {:g}: advised, not {:g}", *told, float(advised["planned"]))
    found = _of_note(note)
    if found is None:
        return tr(note.text)
    at = tr(" at {:g}", float(found["at"])) if found["at"] else ""
    return tr("move {}, {} to {:g}: {}{}", found["move"], tr(found["control"]), float(found["to"]), tr(found["became"]), at)


def _of_note(note: Note) -> re.Match[str] | None:
    found = _SETTLED.fullmatch(note.text) if note.kind == SETTLED_NOTE else None
    return found if found is not None and found["became"] in list(Became) else None


def rising(batch: BatchState) -> Rising | None:
    """The bean probe since its turn, for moves that hang on a temperature."""
    turned, level = rises_since(batch), batch.trace.level
    if turned is None or level is None:
        return None
    t, bean = batch.trace.column("t"), batch.trace.column("bean")
    part = (t >= turned) & np.isfinite(bean)
    return Rising(t[part], bean[part], level, batch.trace.latest("rate") or 0.0)


def air_of(batch: BatchState) -> tuple[FloatArray, FloatArray] | None:
    """The air probe since the charge, for moves that hang on it: log time [s] and readings [degC]; None where none does."""
    charge, plan = batch.marks.get(MarkKind.CHARGE), batch.order.plan
    if charge is None or plan is None or not any(move.anchor is Anchor.AIR for move in plan.moves):
        return None
    t, air = batch.trace.column("t"), batch.trace.column("air")
    return t[t >= charge.t], air[t >= charge.t]


def _passed(batch: BatchState, due: tuple[DueMove, ...]) -> dict[int, Settled]:
    came = {kind: mark.t for kind, mark in batch.reckoned.items()}
    return passed(due, came, batch.now(), batch.held, steps_of(batch))


def off_start(batch: BatchState) -> dict[Control, tuple[float, float]]:
    """Controls that stand otherwise than the plan begins, before and just after the charge: as they stand, and the plan's."""
    plan, charge = batch.order.plan, batch.marks.get(MarkKind.CHARGE)
    if plan is None or (charge is not None and batch.now() - charge.t > START_S):
        return {}
    since = charge.t if charge is not None else float("inf")
    moved = {move.control for move in batch.moves if move.t > since}
    if charge is not None:  # what the plan has moved on from is not how it begins any more
        moved |= {one.move.control for one in batch.due() if one.due_t is not None and one.due_t <= batch.now()}
    steps, held = steps_of(batch), batch.held
    return {
        control: (held[control], start)
        for control, start in plan.start.items()
        if control in held and control not in moved and abs(held[control] - start) > 1.5 * steps.get(control, 0.0)
    }


def steps_of(batch: BatchState) -> dict[Control, float]:
    """One step of each control of the machine."""
    return {control: scale.step for control, scale in batch.machine.controls.items()} if batch.machine is not None else {}


def _same(batch: BatchState, entry: DueMove) -> bool:
    """Whether the control stands there anyway."""
    step = steps_of(batch).get(entry.move.control, 0.0)
    return entry.from_value is not None and abs(entry.from_value - entry.move.to) < 0.5 * step
