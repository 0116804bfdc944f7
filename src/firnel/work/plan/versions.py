"""The versions of a plan in words: what each changed, why, and which batches were roasted by it."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.plan import Plan
from firnel.core.units import Units
from firnel.core.vocabulary import Machine
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.work.plan.words import plan_changes


@dataclass(frozen=True)
class ToldVersion:
    """One version: ``Version 3, 25 Nov``, what it changed, why, the batches roasted by it, and the plan as it was."""

    title: str
    changed: str
    why: str
    roasted: str
    plan: Plan


def history(library: Library, plan_id: int, units: Units, machine: Machine | None = None) -> list[ToldVersion]:
    """All versions of a plan, the newest first."""
    versions = library.plan_book.versions(plan_id)
    told = []
    for version, before in zip(versions, [*versions[1:], None], strict=True):
        day = tr("{:%-d %b %Y}", version.saved_at.astimezone())
        changes = plan_changes(before.plan, version.plan, units, machine) if before is not None else ()
        count, labels = version.count, ", ".join(version.last)
        roasted = tr("roasted {} times: {}", count, labels) if count > 1 else ""
        if count > len(version.last) > 0:
            roasted = tr("roasted {} times, last {}", count, labels)
        if count == 1:
            roasted = tr("roasted once: {}", labels)
        told.append(
            ToldVersion(tr("version {}, {}", version.number, day), "; ".join(changes), version.why, roasted, version.plan)
        )
    return told
