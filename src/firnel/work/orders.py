"""From an order in roasted kilograms to equal batches of green, and ladders of one plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import ceil
from statistics import mean, stdev

from firnel.core.machine.capacity import load_warnings, most_for_tray
from firnel.core.plan import Plan
from firnel.core.units import clock
from firnel.core.vocabulary import Lot, Machine
from firnel.store.library import BatchFilter, Library

#: Loss where the lot has no weighed batches: light, and its spread; common practice (12-14 %), no published source.
USUAL_LOSS, USUAL_SPREAD = 0.135, 0.012
#: Of a normal, for 80 % in the middle.
Z80 = 1.2816


@dataclass(frozen=True)
class Yield:
    """Expected weight loss [0..1] with its 80 % interval, and how many weighed batches it rests on."""

    loss: float
    low: float
    high: float
    batches: int


@dataclass(frozen=True)
class OrderSplit:
    """An order as equal batches: green for each [kg], how many, what is expected roasted [kg], and what is to be said."""

    load_kg: float
    batches: int
    green_kg: float
    roasted_kg: float
    expected: Yield
    warnings: tuple[str, ...]


def expected_loss(library: Library, lot: Lot) -> Yield:
    """Loss from the lot's own weighed batches; what is usual where there are none."""
    lines = library.batch_lines(BatchFilter(lot_id=lot.id, statuses=("done",)), limit=60)
    known = [line.loss for line in lines if line.loss is not None and 0.05 < line.loss < 0.30]
    if not known:
        return Yield(USUAL_LOSS, USUAL_LOSS - Z80 * USUAL_SPREAD, USUAL_LOSS + Z80 * USUAL_SPREAD, 0)
    spread = stdev(known) if len(known) > 2 else USUAL_SPREAD
    centre = mean(known)
    wide = Z80 * spread * (1.0 + 1.0 / len(known)) ** 0.5
    return Yield(centre, centre - wide, centre + wide, len(known))


def split_order(library: Library, lot: Lot, machine: Machine, roasted_kg: float) -> OrderSplit:
    """Split an order into equal batches near the machine's best load, never above it nor above what the tray holds.

    So much green is taken that nine orders in ten are filled, by the upper end of the loss.

    Raises
    ------
    ValueError : if nothing is ordered.
    """
    if not roasted_kg > 0:
        raise ValueError(f"an order of {roasted_kg:g} kg is none.")
    expected = expected_loss(library, lot)
    green = roasted_kg / (1.0 - expected.high)
    tray = most_for_tray(machine, lot.density_g_per_l)
    best = machine.useful_load_kg if tray is None else min(machine.useful_load_kg, tray)
    count = max(1, ceil(green / best - 1e-9))
    load = ceil(100.0 * green / count - 1e-6) / 100.0
    said = list(load_warnings(machine, load, lot.density_g_per_l))
    if lot.on_hand_kg is not None and count * load > lot.on_hand_kg:
        said.append(f"{count * load:.1f} kg of green are needed, {lot.on_hand_kg:.1f} kg of {lot.name} are there.")
    return OrderSplit(load, count, count * load, count * load * (1.0 - expected.loss), expected, tuple(said))


def ladder(plan: Plan, count: int = 5, step_s: float = 15.0) -> tuple[Plan, ...]:
    """One plan, ``count`` variants on development time in equal steps, the plan's own in the middle; each ends where it ends.

    Raises
    ------
    ValueError : if the plan has no development time, or a variant would be shorter than 15 s.
    """
    development = plan.targets.development_s
    if development is None:
        raise ValueError(f"the plan {plan.name!r} has no development time to vary.")
    if not 2 <= count <= 12 or step_s <= 0:
        raise ValueError(f"a ladder of {count} in steps of {step_s:g} s is none: 2 to 12 variants.")
    times = [development + (index - (count - 1) / 2.0) * step_s for index in range(count)]
    if times[0] < 15.0:
        raise ValueError(f"the shortest variant would develop for {times[0]:.0f} s: take smaller steps.")
    return tuple(
        replace(
            plan,
            id=None,
            name=f"{plan.name} {clock(seconds)}",
            targets=replace(plan.targets, development_s=seconds, drop_c=None),
        )
        for seconds in times
    )
