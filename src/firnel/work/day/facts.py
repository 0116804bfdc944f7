"""What the library tells of a day: how long machines take, what they lose, how they stand, what is done and what waits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

import numpy as np

from firnel.core.day.coffee import Coffee
from firnel.core.day.dealing import Station, Way
from firnel.core.day.need import USUAL_LOSS, Need, Stock, loss_from
from firnel.core.plan import Plan
from firnel.core.vocabulary import Machine
from firnel.store.batch_list import BatchLine
from firnel.work.day import queue
from firnel.work.day.house_day import HouseDay, seconds_from
from firnel.work.day.orders import names_of_green_blends

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
#: States of batches that are over.
OVER = ("dropped", "done")


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
class Past:
    """What the last batches tell."""

    lines: tuple[BatchLine, ...]

    def of_plan(self, plan: Plan) -> list[BatchLine]:
        """The batches by a plan that count, the newest first."""
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


def ways_of(need: Need, plans: Mapping[int, Plan], machines: Sequence[Machine], past: Past) -> list[Way]:
    """How a need can be roasted: by its plans that are still kept, on machines that are there."""
    by_id = {machine.id: machine for machine in machines}
    found = []
    for key in need.plans:
        plan = plans.get(key)
        if plan is not None and not plan.archived and plan.machine_id in by_id:
            found.append(past.way(plan, by_id[plan.machine_id], need.lot))
    return found


def coming_of(
    done: Sequence[BatchLine],
    waiting: Sequence[queue.Waiting],
    past: Past,
    plans: Mapping[int, Plan],
    coffees: Mapping[str, Coffee],
    day: date,
) -> list[Stock]:
    """What is roasted and not weighed, is in a drum or waits: counted as it is expected to come."""
    found = []
    named = names_of_green_blends(list(coffees.values()))

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


def station_of(
    machine: Machine,
    house: HouseDay,
    past: Past,
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


def fixed_of(
    done: Sequence[BatchLine],
    waiting: Sequence[queue.Waiting],
    stations: Sequence[Station],
    past: Past,
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


def usual_roast_s(machine: Machine, past: Past) -> float:
    """How long a batch on a machine lasts, whatever it is. [s]"""
    seen = [line.total_s for line in past.lines if line.machine_id == machine.id and line.total_s]
    return float(np.median(seen)) if seen else USUAL_ROAST_S
