"""Labels for weighed loads: mixing loads up is a common fault, so each carries its batch number, in words and as a code."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import segno

from firnel.core.plan import Plan
from firnel.core.units import Units
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.work.day.queue import Waiting, add, queue

#: What a code begins with, so that any other code that is scanned by mistake is told apart.
PREFIX = "firnel"


@dataclass(frozen=True)
class LoadLabel:
    """One label: batch number, lot, weight with its unit, plan with its version; and the load in kilograms."""

    number: str
    lot: str
    weight: str
    plan: str
    load_kg: float

    @property
    def code(self) -> str:
        """What the code on it says: ``firnel;0472;5.200;Rwanda Isuka``."""
        return f"{PREFIX};{self.number};{self.load_kg:.3f};{self.lot}"


@dataclass(frozen=True)
class Scanned:
    """What was read off a label: the batch number, and lot and load where the code says them."""

    number: str
    lot: str = ""
    load_kg: float | None = None


def read_label(text: str) -> Scanned:
    """What a scanner or a hand typed: a whole code, or only the number.

    Raises
    ------
    ValueError : if it is neither.
    """
    parts = [part.strip() for part in text.strip().split(";")]
    if len(parts) == 1 and parts[0].isdecimal():
        return Scanned(parts[0].zfill(4))
    if len(parts) < 4 or parts[0].lower() != PREFIX:
        raise ValueError(tr("{!r} is no label of a load: scan its code, or type its number.", text.strip()[:40]))
    try:
        return Scanned(parts[1], ";".join(parts[3:]), float(parts[2]))
    except ValueError:
        raise ValueError(tr("the weight on this label cannot be read: {!r}.", parts[2])) from None


def mismatch(scanned: Scanned, number: str, lot: str, load_kg: float | None) -> str:
    """What is wrong with a label for this batch, as a sentence; empty where it is right."""
    if scanned.lot and lot and scanned.lot != lot:
        return tr("This is {}, labelled {}; batch {} is {}.", scanned.lot, scanned.number, number, lot)
    if scanned.number != number:
        return tr("This load is labelled {}; the batch that waits is {}.", scanned.number, number)
    if scanned.load_kg is not None and load_kg is not None and abs(scanned.load_kg - load_kg) > 0.0051 * max(load_kg, 1.0):
        return tr("This load weighs {:.3f} kg; batch {} is planned with {:.3f} kg.", scanned.load_kg, number, load_kg)
    return ""


def labels_for(library: Library, plan: Plan, count: int, units: Units) -> list[LoadLabel]:
    """Labels for batches of a plan. Those that wait already come first; for the others the numbers are given here.

    A number on a label is a promise: from then on it belongs to that plan, lot and load, whatever else is queued or taken out.

    Raises
    ------
    ValueError : if the plan is not kept yet or has no load, or the count is not between 1 and 60.
    """
    if not plan.load_kg:
        raise ValueError(tr("the plan {!r} has no load: what is weighed?", plan.name))
    if not 1 <= count <= 60:
        raise ValueError(tr("{} labels cannot be printed: 1 to 60.", count))
    waiting = [one for one in queue(library) if one.plan.id == plan.id and not one.printed and one.load_kg][:count]
    if len(waiting) < count:
        waiting += add(library, plan, count - len(waiting))
    library.waiting_book.printed([one.id for one in waiting])
    return [_label(one, units) for one in waiting]


def label_the_day(library: Library, units: Units, write: Callable[[list[LoadLabel]], None]) -> int:
    """Write labels for all loads that wait and have none yet, in the order in which they are roasted. Returns how many.

    Parameters
    ----------
    write : puts them on paper; only what it has written counts as labelled.

    Raises
    ------
    ValueError : if none waits without one, or they cannot be written.
    """
    waiting = [one for one in queue(library) if not one.printed and one.load_kg]
    if not waiting:
        raise ValueError(tr("every load that waits has its label: queue the batches first."))
    try:
        write([_label(one, units) for one in waiting])
    except OSError as error:
        raise ValueError(tr("the labels cannot be written: {}.", error.strerror)) from error
    library.waiting_book.printed([one.id for one in waiting])
    return len(waiting)


def _label(one: Waiting, units: Units) -> LoadLabel:
    load_kg = one.load_kg or one.plan.load_kg or 0.0
    return LoadLabel(
        one.number, one.lot, units.text(load_kg, "kg"), tr("{}, version {}", one.plan.name, one.plan.version), load_kg
    )


def tick_off(library: Library, text: str) -> str:
    """A load stands weighed, as its scanned label or its typed number says; what is to be said of it.

    Raises
    ------
    ValueError : if it is no label, nothing of that number waits, or the label is another load's.
    """
    scanned = read_label(text)
    waiting = queue(library)
    one = next((one for one in waiting if one.number == scanned.number), None)
    if one is None:
        raise ValueError(tr("no load {} waits.", scanned.number))
    if wrong := mismatch(scanned, one.number, one.lot, one.load_kg):
        raise ValueError(wrong)
    if one.weighed:
        return tr("{} was weighed already.", one.number)
    library.waiting_book.weighed(one.id)
    left = sum(not other.weighed for other in waiting) - 1
    return tr(
        "{} {}, {:.3f} kg: weighed. {}.",
        one.number,
        one.lot,
        one.load_kg or 0.0,
        tr("{} to go", left) if left else tr("That was the last"),
    )


def qr_matrix(item: LoadLabel) -> tuple[bytearray, ...]:
    """The code as rows of dark (1) and light (0) cells, with its quiet zone left to the paper."""
    return tuple(segno.make(item.code, error="m", micro=False).matrix)
