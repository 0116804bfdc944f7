"""The plan of a day from the library: what is ordered, on the shelf and waiting; what machines take, lose and need of time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

from firnel.core.day.coffee import Coffee
from firnel.core.day.dealing import Share
from firnel.core.day.need import Need, Stock, Taken, loss_from, needs_of
from firnel.core.day.order import Order
from firnel.core.day.timeline import Block, DayPlan, can_roast_kg, plan_day, what_moves, working_days
from firnel.core.plan import Plan
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.day import orders as shop
from firnel.work.day import queue
from firnel.work.day.cleaning import with_cleaning
from firnel.work.day.facts import MOST_PAST, OVER, Fixed, Past, coming_of, fixed_of, station_of, usual_roast_s, ways_of
from firnel.work.day.house_day import Chosen, HouseDay, chosen_for, clock_of, house_day, keep_chosen
from firnel.work.day.lists import PackRow, WeighRow, pack_rows, short_of_green, weigh_rows
from firnel.work.machines.meters import Used, used

__all__ = [
    "Block",
    "DaySheet",
    "Fixed",
    "Need",
    "Share",
    "assign",
    "can_we",
    "day_sheet",
    "hold",
    "let_go",
    "rest_machine",
    "send_to_queue",
    "week_of",
]

#: A day farther away than this is none that can be planned or looked at. [days]
FARTHEST_DAYS = 3700


@dataclass(frozen=True)
class DayOfWeek:
    """One day of a calendar week: what is due on it [kg, roasted], of that packed, and whether the house is closed."""

    day: date
    due_kg: float
    packed_kg: float
    closed: bool


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
    week: tuple[DayOfWeek, ...] = ()
    used: tuple[Used, ...] = ()  #: gas and power, where the meters were read on the day

    def at(self, seconds: float) -> datetime:
        """The local time of a moment of the plan."""
        return clock_of(self.day, self.house.opens, seconds)

    @property
    def green_kg(self) -> float:
        """Green of all batches. [kg]"""
        return sum(block.share.load_kg for block in self.plan.batches if block.share is not None)


def day_sheet(library: Library, day: date, now: datetime | None = None, whole: bool = False) -> DaySheet:
    """Everything of a day, worked out anew from what is ordered, roasted, weighed and waiting.

    What is due before the last working day ahead of it is roasted then, and takes what is on the shelf first.

    Parameters
    ----------
    day : local.
    now : the moment from which on the rest of today is planned; the present if None.
    whole : all that is due up to the day, as if it were all roasted on it.

    Raises
    ------
    ValueError : if the day is years away.
    """
    now = now or datetime.now(UTC)
    if abs((day - now.astimezone().date()).days) > FARTHEST_DAYS:
        raise ValueError(tr("{:%-d %B} {} is years away: too far to plan.", day, day.year))
    house, chosen = house_day(library), chosen_for(library, day)
    coffees = {coffee.name: coffee for coffee in library.order_book.coffees()}
    orders = shop.open_orders(library, _until(house, day))
    plans = {plan.id: plan for plan in library.plans() if plan.id is not None}
    machines = [machine for machine in library.machines() if not machine.archived]
    past = Past(tuple(library.batch_lines(BatchFilter(statuses=OVER), limit=MOST_PAST)))
    done = _of_day(library, day)
    waiting = tuple(queue.queue(library)) if day == now.astimezone().date() else ()
    stock = [one for _, one in shop.stock_of(library)]
    coming = coming_of(done, waiting, past, plans, coffees, day)
    earlier = [] if whole else [order for order in orders if order.due <= _before(house, day, now.astimezone().date())]
    orders = [order for order in orders if order not in earlier]
    _, gone = needs_of(earlier, coffees, [*stock, *coming], day, house.fresh_too)
    shelf = [_less(one, gone) for one in (*stock, *coming)]
    expected = {id(kept) for one, kept in zip((*stock, *coming), shelf, strict=True) if any(one is other for other in coming)}
    needs, taken = needs_of(orders, coffees, shelf, day, house.fresh_too)
    ways = {need.key: ways_of(need, plans, machines, past) for need in needs}
    stations = [
        replace(
            station_of(machine, house, past, day, now, done, [one for one in waiting if one.machine_id == machine.id]),
            who=chosen.people.get(machine.name, ""),
        )
        for machine in machines
        if machine.name not in chosen.resting
    ]
    plan = plan_day(day, needs, ways, stations, house.rules, chosen.held, house.at_once)
    evening = max(now, datetime.combine(day, house.closes).astimezone())
    fixed = tuple(fixed_of(done, waiting, stations, past, house, now))
    plan = with_cleaning(library, plan, fixed, machines, evening)
    weigh = weigh_rows(plan, waiting, library)
    short = (
        *_unsold(orders, coffees),
        *(f"{need.coffee.name}: {why}" for need, why in plan.left),
        *short_of_green(weigh, library),
    )
    packing, moved = pack_rows(orders, taken, expected), tuple(what_moves(plan))
    start = datetime.combine(day, time()).astimezone(UTC)
    metered = used(library, machines, start, start + timedelta(days=1))
    week = week_of(library, day)
    return DaySheet(day, house, plan, weigh, packing, short, moved, waiting, done, plans, chosen, fixed, week, metered)


def week_of(library: Library, day: date) -> tuple[DayOfWeek, ...]:
    """The week of a day, from Monday on, with what is due on each."""
    house = house_day(library)
    monday = day - timedelta(days=day.weekday())
    orders = library.order_book.orders(("open", "packed"), monday + timedelta(days=6))
    found = []
    for ahead in range(7):
        one = monday + timedelta(days=ahead)
        due = [order for order in orders if order.due == one]
        packed = sum(order.kg for order in due if order.state == "packed")
        found.append(DayOfWeek(one, sum(order.kg for order in due), packed, one.weekday() in house.closed))
    return tuple(found)


def hold(library: Library, day: date, need: Need, machine: str, place: int) -> Chosen:
    """A hand puts a need on a machine, at a place among its needs; returns what was chosen before, for the way back.

    Raises
    ------
    ValueError : if the coffee has no plan for that machine.
    """
    there = {plan.id for plan in library.plans() if plan.machine == machine and not plan.archived}
    if not there & set(need.plans):
        raise ValueError(
            tr("{} has no plan for {} on {}: make one there, and add it in Coffees.", need.coffee.name, need.lot, machine)
        )
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


def assign(library: Library, day: date, machine: str, who: str) -> Chosen:
    """Somebody roasts on a machine on a day, nobody in particular where empty; returns what was chosen before."""
    before = chosen_for(library, day)
    others = {name: one for name, one in before.people.items() if name != machine}
    keep_chosen(library, day, replace(before, people=others | ({machine: who.strip()[:80]} if who.strip() else {})))
    return before


def send_to_queue(library: Library, sheet: DaySheet) -> list[queue.Waiting]:
    """Let the planned batches wait to be roasted, in the order of their charges, each with its number.

    Raises
    ------
    ValueError : if there are none.
    """
    batches = [block.share for block in sheet.plan.batches if block.share is not None]
    if not batches:
        raise ValueError(tr("nothing is planned that could be queued."))
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
        raise ValueError(tr("{:g} kg is no amount to ask for.", kg))
    if by < today:
        raise ValueError(tr("{:%-d %B} is over.", by))
    if (by - today).days > 92:
        raise ValueError(tr("{:%-d %B} is more than three months ahead: too far to tell.", by))
    house = house_day(library)
    past = Past(tuple(library.batch_lines(BatchFilter(statuses=OVER), limit=MOST_PAST)))
    machines = [machine for machine in library.machines() if not machine.archived]
    loss = loss_from([line.loss for line in past.lines if line.loss is not None]).mean
    roast_s = {machine.name: usual_roast_s(machine, past) for machine in machines}
    sheet = day_sheet(library, by, now, whole=True)  # all orders due by then are booked, wherever they are roasted
    booked = {
        station.name: sum(
            block.end_s - block.start_s + station.between_s for block in sheet.plan.of(station.name) if block.share
        )
        for station in sheet.plan.stations
    }
    total = most = 0.0
    for day in working_days(today, by, house.closed):
        chosen = chosen_for(library, day)
        stations = [
            replace(station_of(machine, house, past, day, now, (), []), who=chosen.people.get(machine.name, ""))
            for machine in machines
            if machine.name not in chosen.resting
        ]
        most += can_roast_kg(stations, roast_s, loss, {}, house.at_once)
        taken_s = {one.name: min(booked.get(one.name, 0.0), max(one.closes_s - one.begins_s, 0.0)) for one in stations}
        booked = {name: left - taken_s.get(name, 0.0) for name, left in booked.items()}
        total += can_roast_kg(stations, roast_s, loss, taken_s, house.at_once)
        if total >= kg:
            return tr("Yes: {:g} kg can be roasted by {:%A %-d %B}, beside what is ordered.", kg, day)
    return tr(
        "No: {:.0f} kg can be roasted by {:%A %-d %B} beside what is ordered ({:.0f} kg with nothing "
        "else to do); {:.0f} kg are too many.",
        total,
        by,
        most,
        kg - total,
    )


def _until(house: HouseDay, day: date) -> date:
    """Up to which day orders are roasted on this one: through the closed days that follow."""
    following = day + timedelta(days=1)
    while following.weekday() in house.closed:
        following += timedelta(days=1)
    return following - timedelta(days=1) if following > day + timedelta(days=1) else day


def _before(house: HouseDay, day: date, today: date) -> date:
    """What is due up to here was roasted on an earlier working day, from today on."""
    ahead = working_days(today, day - timedelta(days=1), house.closed) if day > today else []
    return _until(house, ahead[-1]) if ahead else date.min


def _less(stock: Stock, taken: Sequence[Taken]) -> Stock:
    """What of a stock is left after what earlier orders take."""
    return replace(stock, kg=stock.kg - sum(one.kg for one in taken if one.stock is stock))


def _of_day(library: Library, day: date) -> tuple[BatchLine, ...]:
    start = datetime.combine(day, time()).astimezone(UTC)
    wanted = BatchFilter(since=start, until=start + timedelta(days=1))
    return tuple(line for line in library.batch_lines(wanted, limit=500) if line.status not in ("discarded", "ready"))


def _unsold(orders: Sequence[Order], coffees: Mapping[str, Coffee]) -> list[str]:
    gone = sorted({order.coffee for order in orders if order.coffee not in coffees})
    return [tr("{} is ordered, but it is no coffee of the house any more.", name) for name in gone]
