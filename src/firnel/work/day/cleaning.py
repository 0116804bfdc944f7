"""What of a machine's care falls due while a day is roasted: it stands behind the last batch, so that time is kept for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from firnel.core.day.timeline import Block, DayPlan
from firnel.core.vocabulary import Machine
from firnel.core.words import inside
from firnel.store.library import Library
from firnel.work.day.facts import Fixed
from firnel.work.machines.care import care_sheet

#: So long one job takes, until the house says otherwise; common practice, no published source. [s]
EACH_S = 900.0


def with_cleaning(
    library: Library, plan: DayPlan, fixed: Sequence[Fixed], machines: Sequence[Machine], now: datetime
) -> DayPlan:
    """The plan with what falls due on each machine while its batches are roasted, behind the last of them."""
    blocks = list(plan.blocks)
    for machine in machines:
        own = plan.of(machine.name)
        loads = [block.share.load_kg for block in own if block.share is not None]
        waits = [one for one in fixed if one.machine == machine.name and one.state in ("waiting", "running")]
        loads += [one.load_kg or machine.useful_load_kg for one in waits]
        if not loads:
            continue
        sheet = care_sheet(library, machine, now)
        # What goes by the calendar has its own day; what was never noted here nobody knows.
        cleaned = [state for state in sheet.states if state.job.every_days is None and state.done_at is not None]
        due = [state for state in cleaned if state.due_after(len(loads), sum(loads))]
        if due:
            words = ", ".join(inside(state.job.title) for state in due)
            start = max([*(block.end_s for block in own), *(one.end_s for one in waits)])
            blocks.append(Block(machine.name, "cleaning", start, start + EACH_S * len(due), why=words))
    return replace(plan, blocks=tuple(blocks))
