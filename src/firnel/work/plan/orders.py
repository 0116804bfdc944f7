"""From an order in roasted kilograms to equal batches of green, and ladders of one plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import ceil
from statistics import mean, stdev

from firnel.core.machine.capacity import load_warnings, most_for_tray
from firnel.core.plan import TARGET_WORDS, Plan
from firnel.core.units import clock
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library

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
    lines = library.batch_lines(BatchFilter(lot_id=lot.id, statuses=("done",), counting=True), limit=60)
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
        raise ValueError(tr("{:g} kg is no order.", roasted_kg))
    expected = expected_loss(library, lot)
    green = roasted_kg / (1.0 - expected.high)
    tray = most_for_tray(machine, lot.density_g_per_l)
    best = machine.useful_load_kg if tray is None else min(machine.useful_load_kg, tray)
    count = max(1, ceil(green / best - 1e-9))
    load = ceil(100.0 * green / count - 1e-6) / 100.0
    said = list(load_warnings(machine, load, lot.density_g_per_l))
    if lot.on_hand_kg is not None and count * load > lot.on_hand_kg:
        said.append(tr("{:.1f} kg of green are needed, {:.1f} kg of {} are there.", count * load, lot.on_hand_kg, lot.name))
    return OrderSplit(load, count, count * load, count * load * (1.0 - expected.loss), expected, tuple(said))


#: What a ladder may climb: the target, its usual step, and the least that makes sense. Common practice, no published source.
LADDERS = {"development_s": (15.0, 15.0), "browning_s": (20.0, 60.0), "charge_c": (4.0, 120.0)}


def ladder(plan: Plan, on: str = "development_s", count: int = 5, step: float | None = None) -> tuple[Plan, ...]:
    """One plan as ``count`` variants of one target in equal steps, the plan's own in the middle.

    Where development climbs, each variant ends where it ends; its drop temperature is left open.

    Raises
    ------
    ValueError : if the plan has no such target, or a variant of it makes no sense.
    """
    word = TARGET_WORDS.get(on, on)
    if on not in LADDERS:
        raise ValueError(tr("a ladder climbs {}, not {}.", ", ".join(TARGET_WORDS[name] for name in LADDERS), word))
    middle = getattr(plan.targets, on)
    step = LADDERS[on][0] if step is None else step
    if middle is None:
        raise ValueError(tr("the plan {!r} has no {} to vary.", plan.name, word))
    if not 2 <= count <= 12 or step <= 0:
        raise ValueError(tr("{} in steps of {:g} is no ladder: 2 to 12 variants.", count, step))
    values = [middle + (index - (count - 1) / 2.0) * step for index in range(count)]
    if values[0] < LADDERS[on][1]:
        raise ValueError(tr("the lowest {} would be {:.0f}: take smaller steps.", word, values[0]))
    asked = {*plan.wanted.asked, on}
    if on == "development_s":
        asked -= {"drop_c", "rise_c", "ratio", "total_s", "loss", "colour"}
    return tuple(
        replace(
            plan,
            id=None,
            version=1,
            name=f"{plan.name} {clock(value) if on.endswith('_s') else f'{value:.0f}°'}",
            wins=on if on != "charge_c" else plan.wins,
            targets=replace(plan.targets.only(asked), **{on: value}),
            asked=None,
        )
        for value in values
    )
