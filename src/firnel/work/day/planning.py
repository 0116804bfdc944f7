"""The plan of a day from the library: what is ordered, on the shelf and waiting; what machines take, lose and need of time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

import numpy as np

from firnel.core.day.coffee import Blending, Coffee
from firnel.core.day.dealing import Share, Station, Way
from firnel.core.day.need import USUAL_LOSS, Need, Stock, Taken, loss_from, needs_of
from firnel.core.day.order import Order
from firnel.core.day.timeline import Block, DayPlan, can_roast_kg, plan_day, what_moves, working_days
from firnel.core.plan import Plan
from firnel.core.vocabulary import Machine
from firnel.store.library import BatchFilter, BatchLine, Library
from firnel.work.day import orders as shop
from firnel.work.day import queue
from firnel.work.day.house_day import Chosen, HouseDay, chosen_for, clock_of, house_day, keep_chosen, seconds_from

__all__ = [
    "Block",
    "DaySheet",
    "Fixed",
    "Need",
    "Share",
    "can_we",
    "day_sheet",
    "hold",
    "let_go",
    "rest_machine",
    "send_to_queue",
]

#: So many of the last batches tell durations, pauses between and losses.
MOST_PAST = 200
#: Between two batches where nothing tells; longer gaps are pauses. [s]
BETWEEN_S, LONGEST_GAP_S = 240.0, 1500.0
#: A machine that has dropped within this is still hot. [s]
STILL_HOT_S = 1500.0
#: A load may go so far over the useful one, never above the stated one; under so much of it the probe may be bare. [share]
OVER_USEFUL, LEAST_SHARE = 1.10, 0.4
PREHEAT_S, USUAL_ROAST_S = 2400.0, 660.0
#: Roasted coffee lies so dense in a tray; from memory, 0.30 to 0.40 by level. [kg/L]
ROASTED_KG_PER_LITRE = 0.33
#: Batches that are over, and such as hold a machine.
OVER, RUNNING = ("dropped", "done"), ("charged", "roasting", "running")


@dataclass(frozen=True)
class WeighRow:
    """Green to weigh of one lot: how many batches of which load, all of it, and what is on hand. [kg]"""

    lot: str
    loads: tuple[tuple[int, float], ...]
    kg: float
    on_hand_kg: float | None


@dataclass(frozen=True)
class PackRow:
    """What goes into one order: of which batch how much, how it has rested; and what is still to be roasted. [kg]"""

    order: Order
    from_stock: tuple[Taken, ...]
    to_roast_kg: float

    @property
    def ready(self) -> bool:
        """Whether it can be packed now."""
        return self.to_roast_kg <= 0.0


@dataclass(frozen=True)
class Fixed:
    """A batch that is no plan any more: done, on its way, or waiting under its number; times from the opening. [s]"""

    machine: str
    start_s: float
    end_s: float
    number: str
    lot: str
    load_kg: float | None
    state: str  #: done, running, waiting; or preheat before them


@dataclass(frozen=True)
class DaySheet:
    """All of a day: its plan, what to weigh and to pack, and what is to be said of it; ``waiting`` is in the queue already."""

    day: date
    house: HouseDay
    plan: DayPlan
    weigh: tuple[WeighRow, ...]
    pack: tuple[PackRow, ...]
    short: tuple[str, ...]
    moves: tuple[str, ...]
    waiting: tuple[queue.Waiting, ...]
    done: tuple[BatchLine, ...]
    plans: Mapping[int, Plan]
    chosen: Chosen
    fixed: tuple[Fixed, ...] = ()

    def at(self, seconds: float) -> datetime:
        """The local time of a moment of the plan."""
        return clock_of(self.day, self.house.opens, seconds)

    @property
    def green_kg(self) -> float:
        """Green of all batches. [kg]"""
        return sum(block.share.load_kg for block in self.plan.batches if block.share is not None)


@dataclass(frozen=True)
class _Past:
    """What the last batches tell."""

    lines: tuple[BatchLine, ...]

    def of_plan(self, plan: Plan) -> list[BatchLine]:
        return [line for line in self.lines if line.plan_id == plan.id and not line.left_out]

    def roast_s(self, plan: Plan) -> float:
        """How long a batch by this plan takes. [s]"""
        seen = [line.total_s for line in self.of_plan(plan)[:12] if line.total_s]
        return float(np.median(seen)) if seen else float(sum(plan.usual_stages))

    def between_s(self, machine: Machine) -> float:
        """From a drop to the next charge on a machine. [s]"""
        own = sorted((line for line in self.lines if line.machine_id == machine.id), key=lambda line: line.started)
        gaps = [
            (later.started - earlier.started).total_seconds() - earlier.total_s
            for earlier, later in zip(own[:-1], own[1:], strict=True)
            if earlier.total_s
        ]
        usual = [gap for gap in gaps if 30.0 <= gap <= LONGEST_GAP_S]
        return float(np.median(usual)) if len(usual) >= 3 else BETWEEN_S

    def way(self, plan: Plan, machine: Machine, lot: str) -> Way:
        """How a lot is roasted by a plan."""
        own = self.of_plan(plan)
        like = [line.loss for line in own if line.loss is not None]
        same = [line.loss for line in own if line.loss is not None and line.lot == lot]
        start = loss_from(like) if len(like) > len(same) else None
        wide = replace(start, doubt=max(start.doubt, 0.006)) if start is not None else None
        return Way(machine.name, plan.id or 0, self.roast_s(plan), len(own), loss_from(same, wide), plan.load_kg)


def day_sheet(library: Library, day: date, now: datetime | None = None) -> DaySheet:
    """Everything of a day, worked out anew from what is ordered, roasted, weighed and waiting.

    Parameters
    ----------
    day : local.
    now : the moment from which on the rest of today is planned; the present if None.
    """
    now = now or datetime.now(UTC)
    house, chosen = house_day(library), chosen_for(library, day)
    coffees = {coffee.name: coffee for coffee in library.order_book.coffees()}
    orders = shop.open_orders(library, _until(house, day))
    plans = {plan.id: plan for plan in library.plans() if plan.id is not None}
    machines = [machine for machine in library.machines() if not machine.archived]
    past = _Past(tuple(library.batch_lines(BatchFilter(statuses=OVER), limit=MOST_PAST)))
    done = _of_day(library, day)
    waiting = tuple(queue.queue(library)) if day == now.astimezone().date() else ()
    stock = [one for _, one in shop.stock_of(library)]
    coming = _coming(done, waiting, past, plans, coffees, day)
    needs, taken = needs_of(orders, coffees, [*stock, *coming], day, house.fresh_too)
    ways = {need.key: _ways(need, plans, machines, past) for need in needs}
    stations = [
        _station(machine, house, past, day, now, done, [one for one in waiting if one.machine_id == machine.id])
        for machine in machines
        if machine.name not in chosen.resting
    ]
    plan = plan_day(day, needs, ways, stations, house.rules, chosen.held)
    weigh = _weigh(plan, waiting, library)
    short = (*_unsold(orders, coffees), *(f"{need.coffee.name}: {why}" for need, why in plan.left), *_short(weigh, library))
    packing, moved = _pack(orders, taken, needs, coming), tuple(what_moves(plan))
    fixed = tuple(_fixed(done, waiting, stations, past, house, now))
    return DaySheet(day, house, plan, weigh, packing, short, moved, waiting, done, plans, chosen, fixed)


def hold(library: Library, day: date, need: Need, machine: str, place: int) -> Chosen:
    """A hand puts a need on a machine, at a place among its needs; returns what was chosen before, for the way back.

    Raises
    ------
    ValueError : if the coffee has no plan for that machine.
    """
    there = {plan.id for plan in library.plans() if plan.machine == machine and not plan.archived}
    if not there & set(need.plans):
        raise ValueError(f"{need.coffee.name} has no plan for {need.lot} on {machine}: make one there, and add it in Coffees.")
    before = chosen_for(library, day)
    keep_chosen(library, day, replace(before, held={**before.held, need.key: (machine, max(place, 0))}))
    return before


def let_go(library: Library, day: date, key: str) -> Chosen:
    """What was held goes where it is best; returns what was chosen before."""
    before = chosen_for(library, day)
    keep_chosen(library, day, replace(before, held={other: where for other, where in before.held.items() if other != key}))
    return before


def rest_machine(library: Library, day: date, machine: str, rests: bool) -> Chosen:
    """A machine does not roast on a day, or does again; returns what was chosen before."""
    before = chosen_for(library, day)
    others = tuple(name for name in before.resting if name != machine)
    keep_chosen(library, day, replace(before, resting=(*others, machine) if rests else others))
    return before


def send_to_queue(library: Library, sheet: DaySheet) -> list[queue.Waiting]:
    """Let the planned batches wait to be roasted, in the order of their charges, each with its number.

    Raises
    ------
    ValueError : if there are none.
    """
    batches = [block.share for block in sheet.plan.batches if block.share is not None]
    if not batches:
        raise ValueError("nothing is planned that could be queued.")
    found = []
    for share in batches:
        found += queue.add(library, sheet.plans[share.way.plan], 1, round(share.load_kg, 3))
    return found


def can_we(library: Library, kg: float, by: date, now: datetime | None = None) -> str:
    """Whether so much can be roasted by a day beside what is ordered, in a sentence.

    Raises
    ------
    ValueError : if the amount or the day makes no sense.
    """
    now = now or datetime.now(UTC)
    today = now.astimezone().date()
    if not 0.0 < kg < 1e5:
        raise ValueError(f"{kg:g} kg cannot be asked for.")
    if by < today:
        raise ValueError(f"{by:%-d %B} is over.")
    if (by - today).days > 92:
        raise ValueError(f"{by:%-d %B} is more than three months ahead: nobody knows.")
    house = house_day(library)
    past = _Past(tuple(library.batch_lines(BatchFilter(statuses=OVER), limit=MOST_PAST)))
    machines = [machine for machine in library.machines() if not machine.archived]
    loss = loss_from([line.loss for line in past.lines if line.loss is not None]).mean
    roast_s = {machine.name: _usual_roast_s(machine, past) for machine in machines}
    sheet = day_sheet(library, by, now)  # all orders due by then are booked, wherever they are roasted
    booked = {
        station.name: sum(
            block.end_s - block.start_s + station.between_s for block in sheet.plan.of(station.name) if block.share
        )
        for station in sheet.plan.stations
    }
    total = most = 0.0
    for day in working_days(today, by, house.closed):
        stations = [_station(machine, house, past, day, now, (), []) for machine in machines]
        most += can_roast_kg(stations, roast_s, loss, {})
        taken_s = {one.name: min(booked.get(one.name, 0.0), max(one.closes_s - one.begins_s, 0.0)) for one in stations}
        booked = {name: left - taken_s.get(name, 0.0) for name, left in booked.items()}
        total += can_roast_kg(stations, roast_s, loss, taken_s)
        if total >= kg:
            return f"Yes: {kg:g} kg can be roasted by {day:%A %-d %B}, beside what is ordered."
    return (
        f"No: {total:.0f} kg can be roasted by {by:%A %-d %B} beside what is ordered ({most:.0f} kg with nothing else to do); "
        f"{kg - total:.0f} kg are too many."
    )


def _until(house: HouseDay, day: date) -> date:
    """Up to which day orders are roasted on this one: through the closed days that follow."""
    following = day + timedelta(days=1)
    while following.weekday() in house.closed:
        following += timedelta(days=1)
    return following - timedelta(days=1) if following > day + timedelta(days=1) else day


def _of_day(library: Library, day: date) -> tuple[BatchLine, ...]:
    start = datetime.combine(day, time()).astimezone(UTC)
    wanted = BatchFilter(since=start, until=start + timedelta(days=1))
    return tuple(line for line in library.batch_lines(wanted, limit=500) if line.status not in ("discarded", "ready"))


def _coming(
    done: Sequence[BatchLine],
    waiting: Sequence[queue.Waiting],
    past: _Past,
    plans: Mapping[int, Plan],
    coffees: Mapping[str, Coffee],
    day: date,
) -> list[Stock]:
    """What is roasted and not weighed, is in a drum or waits: counted as it is expected to come."""
    found = []
    mixed = {one.components[0].plans: one.name for one in coffees.values() if one.blending is Blending.GREEN}
    named = {key: name for keys, name in mixed.items() for key in keys}

    def expected(load_kg: float | None, plan_id: int | None, lot: str, label: str) -> None:
        plan = plans.get(plan_id or 0)
        if load_kg and plan is not None:
            loss = past.way(plan, Machine(plan.machine, ""), lot).loss.mean
            found.append(Stock(label, named.get(plan_id or 0, lot), plan_id, day, load_kg * (1.0 - loss)))

    for line in done:
        if line.roasted_kg is None and not line.left_out:
            expected(line.load_kg, line.plan_id, line.lot, line.label)
    for one in waiting:
        expected(one.load_kg, one.plan.id, one.lot, one.number)
    return found


def _ways(need: Need, plans: Mapping[int, Plan], machines: Sequence[Machine], past: _Past) -> list[Way]:
    by_id = {machine.id: machine for machine in machines}
    found = []
    for key in need.plans:
        plan = plans.get(key)
        if plan is not None and not plan.archived and plan.machine_id in by_id:
            found.append(past.way(plan, by_id[plan.machine_id], need.lot))
    return found


def _station(
    machine: Machine,
    house: HouseDay,
    past: _Past,
    day: date,
    now: datetime,
    done: Sequence[BatchLine],
    waiting: Sequence[queue.Waiting],
) -> Station:
    """A machine as it stands on a day: preheated before the house opens, or taken up from where it is now."""
    between_s, preheat_s = past.between_s(machine), machine.preheat_s or PREHEAT_S
    free_s, hot, local = -preheat_s, False, now.astimezone()
    if local.date() == day:
        now_s = seconds_from(house.opens, local.time())
        ends = [
            seconds_from(house.opens, line.started.astimezone().time()) + (line.total_s or 0.0)
            for line in done
            if line.machine_id == machine.id
        ]
        hot = bool(ends) and now_s - max(ends) < STILL_HOT_S
        free_s = max(now_s, free_s)
        if waiting:
            free_s += sum(past.roast_s(one.plan) + between_s for one in waiting) + (0.0 if hot else preheat_s)
            hot = True
    pauses = tuple((seconds_from(house.opens, start), seconds_from(house.opens, end)) for start, end in house.pauses)
    least_kg = machine.covers_kg or LEAST_SHARE * machine.useful_load_kg
    closes_s = seconds_from(house.opens, house.closes)
    return Station(
        machine.name, machine.useful_load_kg, most_load(machine), least_kg, preheat_s, between_s, free_s, closes_s, hot, pauses
    )


def _fixed(
    done: Sequence[BatchLine],
    waiting: Sequence[queue.Waiting],
    stations: Sequence[Station],
    past: _Past,
    house: HouseDay,
    now: datetime,
) -> list[Fixed]:
    """What is done, on its way, or waits, in time; and the preheat before what waits."""
    found, now_s = [], seconds_from(house.opens, now.astimezone().time())
    for line in done:
        start_s = seconds_from(house.opens, line.started.astimezone().time())
        end_s = start_s + (line.total_s or USUAL_ROAST_S)
        state = "done" if line.status in OVER else "running"
        found.append(Fixed(line.machine, start_s, end_s, line.label, line.lot or line.plan, line.load_kg, state))
    for station in stations:
        own = [one for one in waiting if one.machine == station.name]
        t = station.free_s - sum(past.roast_s(one.plan) + station.between_s for one in own)
        if own and t - now_s >= station.preheat_s - 1.0:
            found.append(Fixed(station.name, t - station.preheat_s, t, "", "preheat", None, "preheat"))
        for one in own:
            end_s = t + past.roast_s(one.plan)
            found.append(Fixed(station.name, t, end_s, one.number, one.lot or one.plan.name, one.load_kg, "waiting"))
            t = end_s + station.between_s
    return found


def most_load(machine: Machine) -> float:
    """The load never gone over: a little more than the useful one, never the stated one nor what the tray holds. [kg]"""
    most = min(machine.useful_load_kg * OVER_USEFUL, max(machine.stated_load_kg, machine.useful_load_kg))
    if machine.tray_litres:
        most = min(most, machine.tray_litres * ROASTED_KG_PER_LITRE / (1.0 - USUAL_LOSS))
    return most


def _usual_roast_s(machine: Machine, past: _Past) -> float:
    seen = [line.total_s for line in past.lines if line.machine_id == machine.id and line.total_s]
    return float(np.median(seen)) if seen else USUAL_ROAST_S


def _weigh(plan: DayPlan, waiting: Sequence[queue.Waiting], library: Library) -> tuple[WeighRow, ...]:
    """Green to weigh by lot: of the plan, and of what waits and is not weighed."""
    loads: dict[str, list[float]] = {}
    for block in plan.batches:
        share = block.share
        if share is None:
            continue
        coffee = share.need.coffee
        if coffee.blend and coffee.blending is Blending.GREEN:
            for part in coffee.components:
                loads.setdefault(part.lot, []).append(share.load_kg * part.share)
        else:
            loads.setdefault(share.need.lot, []).append(share.load_kg)
    for one in waiting:
        if one.load_kg:
            loads.setdefault(one.lot, []).append(one.load_kg)
    on_hand = {lot.name: lot.on_hand_kg for lot in library.lots()}
    rows = []
    for lot, several in sorted(loads.items()):
        rounded = [round(load, 3) for load in several]
        counted = tuple((rounded.count(load), load) for load in dict.fromkeys(rounded))
        rows.append(WeighRow(lot, counted, sum(rounded), on_hand.get(lot)))
    return tuple(rows)


def _short(weigh: Sequence[WeighRow], library: Library) -> list[str]:
    """Lots that do not suffice, and what takes their place."""
    said = []
    lots = [lot for lot in library.lots() if not lot.archived]
    for row in weigh:
        if row.on_hand_kg is None or row.kg <= row.on_hand_kg + 1e-6:
            continue
        follows = next((lot for lot in lots if lot.replaces == row.lot), None)
        lacks = f"{row.lot} is short by {row.kg - row.on_hand_kg:.1f} kg ({row.kg:.1f} to weigh, {row.on_hand_kg:.1f} on hand)"
        if follows is None:
            said.append(f"{lacks}.")
            continue
        arrives = f", arrives {follows.arrival}" if follows.arrival else ""
        have = f", {follows.on_hand_kg:.0f} kg" if follows.on_hand_kg else ""
        said.append(f"{lacks}; {follows.name} takes its place{have}{arrives}.")
    return said


def _unsold(orders: Sequence[Order], coffees: Mapping[str, Coffee]) -> list[str]:
    gone = sorted({order.coffee for order in orders if order.coffee not in coffees})
    return [f"{name} is ordered and is no coffee any more." for name in gone]


def _pack(
    orders: Sequence[Order], taken: Sequence[Taken], needs: Sequence[Need], coming: Sequence[Stock]
) -> tuple[PackRow, ...]:
    """What goes into each order; what is not weighed yet counts as to be roasted."""
    expected = {id(one) for one in coming}
    rows = []
    for order in orders:
        own = tuple(one for one in taken if one.order == order and id(one.stock) not in expected)
        missing = order.kg - sum(one.kg for one in own)
        rows.append(PackRow(order, own, round(missing, 3) if missing > 0.02 else 0.0))
    return tuple(rows)
