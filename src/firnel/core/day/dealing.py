"""Needs split into equal batches and dealt out to machines: the last one done early, and each need where it is proven.

How many batches of which need on which machine is a small mixed-integer program, solved by HiGHS through SciPy.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.day.need import Loss, Need, green_for, sure_of_each
from firnel.core.words import tr

#: A batch by a plan that never came well on a machine counts for so much more time; common practice, no published source. [s]
UNPROVEN_S = 1800.0
#: From so many batches on a plan is proven on its machine.
PROVEN = 3
#: Time at a machine that is not the last to end counts little, but it counts.
BUSY = 0.02
#: A load is called best within this share of it: a need may fill its batches a little less or more.
NEAR_BEST = 0.15
#: The counts are reckoned with loads a little short of the fullest, so that what is sure of each batch still fits.
ROUNDING = 0.995
#: A kilogram that is roasted over because the least load is more than is wanted counts for so much time. [s/kg]
OVER_S = 120.0
#: One by which batches stay below their fullest counts for so much: loads near the best are roasted best. [s/kg]
EMPTY_S = 10.0
#: The program is given so long, and may stop so near to the best. [s], [share]
LONGEST_S, GAP = 0.35, 0.002
#: A need of more batches than this on one machine is no day's work.
MOST_BATCHES = 60
#: Of a need for more days than this nothing is planned: somebody has slipped in typing it.
MOST_DAYS, SURELY = 10.0, 0.95


@dataclass(frozen=True)
class Station:
    """A machine on a day: loads [kg], and times from the opening of the house [s].

    ``free_s`` is when it can begin to preheat (or to roast, where it is ``hot``), ``pauses`` when nobody stands at it,
    ``held_s`` how long it is busy anyway with what was begun or waits already, ``who`` roasts on it; nobody in particular if
    empty.
    """

    name: str
    best_kg: float
    most_kg: float
    least_kg: float = 0.0
    preheat_s: float = 1800.0
    between_s: float = 240.0
    free_s: float = 0.0
    closes_s: float = 8 * 3600.0
    hot: bool = False
    pauses: tuple[tuple[float, float], ...] = ()
    cooling_s: float = 1800.0
    who: str = ""

    @property
    def begins_s(self) -> float:
        """When the first charge may be."""
        return self.free_s + (0.0 if self.hot else self.preheat_s)


@dataclass(frozen=True)
class Way:
    """How a need can be roasted: on which machine by which plan, how long it takes [s], how often it came well, its loss."""

    machine: str
    plan: int
    roast_s: float
    proven: int
    loss: Loss
    plan_load_kg: float | None = None


@dataclass(frozen=True)
class Share:
    """So many equal batches of a need on a machine. [kg]"""

    need: Need
    way: Way
    batches: int
    load_kg: float

    @property
    def roasted_kg(self) -> float:
        """What is expected of all of them."""
        return self.batches * self.load_kg * (1.0 - self.way.loss.mean)


@dataclass(frozen=True)
class Dealt:
    """Who roasts what, and needs that nothing can roast, with the reason in words."""

    shares: tuple[Share, ...]
    left: tuple[tuple[Need, str], ...] = ()


def deal(
    needs: Sequence[Need],
    ways: Mapping[str, Sequence[Way]],
    stations: Mapping[str, Station],
    held: Mapping[str, str] | None = None,
    at_once: int = 1,
) -> Dealt:
    """Split and deal out.

    Parameters
    ----------
    needs : of the day.
    ways : of each need, by its key.
    stations : machines that roast on the day, by name.
    held : needs that a hand has put on a machine, by key.
    at_once : on so many machines one person roasts at one time.
    """
    sure = sure_of_each(len(needs))
    dealt: list[tuple[Need, list[Way]]] = []
    left: list[tuple[Need, str]] = []
    for need in needs:
        wanted = (held or {}).get(need.key)
        open_to = [way for way in ways.get(need.key, ()) if way.machine in stations and wanted in (None, way.machine)]
        most = max((_most_kg(way, stations[way.machine]) for way in open_to), default=0.0)
        if open_to and need.kg <= most:
            dealt.append((need, open_to))
        elif open_to and need.kg <= MOST_DAYS * most:
            dealt.append((replace(need, kg=most), open_to))
            more = tr(
                "{:.0f} of {:.0f} kg of {} are more than {} batches: left to another day",
                need.kg - most,
                need.kg,
                need.lot,
                MOST_BATCHES,
            )
            left.append((replace(need, kg=need.kg - most), f"{more}."))
        else:
            left.append((need, _why_not(need, ways.get(need.key, ()), stations)))
    if not dealt:
        return Dealt((), tuple(left))
    counts = _counts(dealt, stations, sure, at_once)
    shares = [
        share
        for (need, open_to), own in zip(dealt, counts, strict=True)
        for share in _shares(need, open_to, own, stations, sure)
    ]
    return Dealt(tuple(shares), tuple(left))


def best_load(way: Way, station: Station) -> float:
    """The load that a plan was made for, where the machine takes it; else the machine's own best. [kg]"""
    return min(way.plan_load_kg or station.best_kg, station.most_kg)


def fullest(need: Need, way: Way, station: Station, sure: float) -> float:
    """What a batch that is filled as far as is good surely gives of a need: roasted weight. [kg]"""
    load = min(best_load(way, station) * (1.0 + NEAR_BEST), station.most_kg) * ROUNDING
    batches = max(1, round(need.kg / (load * (1.0 - way.loss.mean))))
    green = green_for(need.kg, way.loss, batches, sure)
    return load * need.kg / green


def shared(stations: Sequence[Station], at_once: int) -> list[list[Station]]:
    """Machines that wait for each other: those of one person who has more of them than can be roasted on at one time."""
    by_person: dict[str, list[Station]] = {}
    for station in stations:
        by_person.setdefault(station.who or f"\n{station.name}", []).append(station)
    return [own for own in by_person.values() if len(own) > at_once]


def _counts(
    dealt: Sequence[tuple[Need, list[Way]]], stations: Mapping[str, Station], sure: float, at_once: int
) -> list[list[int]]:
    """How many batches of each need by each of its ways.

    Unknowns are those counts, for each need what is roasted over because no load is smaller than the least [kg], and when the
    last machine is done [s].
    """
    from scipy.optimize import (  # takes longer to load than all of Firnel: only where it is wanted
        Bounds,
        LinearConstraint,
        milp,
    )

    flat = [(index, way) for index, (_, ways) in enumerate(dealt) for way in ways]
    many, needs, names = len(flat), len(dealt), list(stations)
    size = many + needs + 1
    groups = shared(list(stations.values()), at_once)
    enough, over, done = np.zeros((needs, size)), np.zeros((needs, size)), np.zeros((len(names) + len(groups), size))
    cost = np.zeros(size)
    most = np.full(size, np.inf)
    for column, (index, way) in enumerate(flat):
        station, need = stations[way.machine], dealt[index][0]
        taken = way.roast_s + station.between_s
        enough[index, column] = fullest(need, way, station, sure)
        over[index, column] = station.least_kg * (1.0 - way.loss.mean)
        done[names.index(way.machine), column] = taken
        for row, group in enumerate(groups, start=len(names)):
            if station in group:
                done[row, column] = way.roast_s / at_once  # while a machine cools and is loaded, another is roasted on
        cost[column] = BUSY * taken + (UNPROVEN_S if way.proven < PROVEN else 0.0) + EMPTY_S * enough[index, column]
        most[column] = min(MOST_BATCHES, np.ceil(need.kg / enough[index, column]))
    for index in range(needs):
        over[index, many + index] = -1.0
        cost[many + index] = OVER_S
    cost[-1], done[:, -1] = 1.0, -1.0
    hot = [station.begins_s for station in stations.values()]
    hot += [min(station.begins_s for station in group) for group in groups]
    begins = np.where(done[:, :many].any(axis=1), hot, 0.0)
    kg = np.array([need.kg for need, _ in dealt])
    answer = milp(
        cost,
        integrality=np.concatenate([np.ones(many), np.zeros(needs + 1)]),
        bounds=Bounds(np.zeros(size), most),
        constraints=[
            LinearConstraint(enough, kg, np.inf),
            LinearConstraint(over, -np.inf, kg),
            LinearConstraint(done, -np.inf, -begins),
        ],
        options={"time_limit": LONGEST_S, "mip_rel_gap": GAP},
    )
    if answer.x is None:  # not within its time: each by the way that is done first
        counts = [int(most[column]) for column in range(many)]
        ends = [counts[column] * (way.roast_s + stations[way.machine].between_s) for column, (_, way) in enumerate(flat)]
        first = {
            index: min((c for c, (at, _) in enumerate(flat) if at == index), key=lambda c: ends[c]) for index in range(needs)
        }
        counts = [count if first[flat[column][0]] == column else 0 for column, count in enumerate(counts)]
    else:
        counts = [round(float(value)) for value in answer.x[:many]]
    return [[counts[column] for column, (at, _) in enumerate(flat) if at == index] for index in range(needs)]


def _shares(
    need: Need, ways: Sequence[Way], counts: Sequence[int], stations: Mapping[str, Station], sure: float
) -> list[Share]:
    """The batches of a need: all filled alike, as a share of each machine's best load."""
    own = [(way, count) for way, count in zip(ways, counts, strict=True) if count]
    gives = [count * best_load(way, stations[way.machine]) * (1.0 - way.loss.mean) for way, count in own]
    found = []
    for (way, count), part in zip(own, gives, strict=True):
        station = stations[way.machine]
        load = green_for(need.kg * part / sum(gives), way.loss, count, sure) / count
        found.append(Share(need, way, count, min(max(load, station.least_kg), station.most_kg)))
    return found


def _most_kg(way: Way, station: Station) -> float:
    """What as many batches as a day may have give, and a little less: each must suffice. [kg, roasted]"""
    return SURELY * MOST_BATCHES * best_load(way, station) * (1.0 - way.loss.mean)


def _why_not(need: Need, ways: Sequence[Way], stations: Mapping[str, Station]) -> str:
    if not need.plans:
        return tr("{} has no plan for {}.", need.coffee.name, need.lot)
    if not ways:
        return tr("no machine has a plan of {} for {} that is still kept.", need.coffee.name, need.lot)
    if not any(way.machine in stations for way in ways):
        return tr("{} does not roast on this day.", " and ".join(sorted({way.machine for way in ways})))
    return tr("{:.0f} kg of {} is more than a day's batches.", need.kg, need.lot)
