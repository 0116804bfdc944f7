"""The plan of a day: how long it takes, how near the best it ends, and whether orders come out short."""

import itertools
import time
from collections.abc import Iterable
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path

import numpy as np
from report import Line

from firnel.core.day.coffee import Coffee, Component, Level
from firnel.core.day.dealing import Station, Way, deal, fullest
from firnel.core.day.need import Loss, Need, loss_from, sure_of_each
from firnel.core.day.timeline import plan_day

TODAY = date(2026, 12, 1)
FOUR = (
    Station("one", 1.0, 1.2, 0.4, 900.0, 180.0),
    Station("six", 5.0, 6.0, 2.5, 1500.0, 240.0),
    Station("twelve", 10.0, 12.0, 5.0, 1800.0, 300.0),
    Station("fifteen", 12.0, 15.0, 6.0, 2100.0, 300.0),
)
SMALL_DAYS, DAYS = 200, 1000


def drawn_day(
    rng: np.random.Generator, coffees: int, stations: tuple[Station, ...], kg: tuple[float, float]
) -> tuple[list[Need], dict[str, list[Way]]]:
    """A day at random: needs, and on which of the machines each can be roasted."""
    needs, ways = [], {}
    for index in range(coffees):
        level = list(Level)[int(rng.integers(3))]
        coffee = Coffee(f"c{index}", (Component(f"lot{index}", 1.0, (index,)),), level=level, last=bool(rng.random() < 0.1))
        due = TODAY + timedelta(days=int(rng.integers(0, 4)))
        need = Need(coffee, f"lot{index}", (index,), float(rng.uniform(*kg)), due)
        needs.append(need)
        open_to = [one for one in stations if rng.random() < 0.7] or [stations[int(rng.integers(len(stations)))]]
        roast_s, loss = float(rng.uniform(540.0, 800.0)), Loss(float(rng.uniform(0.12, 0.17)), 0.004, 0.005)
        ways[need.key] = [Way(one.name, index, roast_s, 5, loss) for one in open_to]
    return needs, ways


def every_count(need: Need, ways: list[Way], stations: dict[str, Station], sure: float) -> list[dict[str, float]]:
    """How long each machine is held by a need, for all counts of batches that give enough and none that is not wanted."""
    gives = [fullest(need, way, stations[way.machine], sure) for way in ways]
    found = []
    for counts in itertools.product(*(range(int(np.ceil(need.kg / one)) + 1) for one in gives)):
        total = sum(count * one for count, one in zip(counts, gives, strict=True))
        used = [one for count, one in zip(counts, gives, strict=True) if count]
        if total < need.kg or total - min(used) >= need.kg:
            continue
        found.append(
            {
                way.machine: count * (way.roast_s + stations[way.machine].between_s)
                for way, count in zip(ways, counts, strict=True)
            }
        )
    return found


def done_s(splits: Iterable[dict[str, float]], begins: dict[str, float]) -> float:
    """When the last machine is done."""
    total = dict.fromkeys(begins, 0.0)
    for split in splits:
        for name, taken in split.items():
            total[name] += taken
    return max(begins[name] + taken for name, taken in total.items() if taken)


def against_every_way(rng: np.random.Generator) -> float:
    """By how much the plan ends later than the best of all, the worst of many small days. [share]"""
    worst, stations = [], FOUR[1:]
    named = {one.name: one for one in stations}
    begins = {one.name: one.begins_s for one in stations}
    for _ in range(SMALL_DAYS):
        needs, ways = drawn_day(rng, int(rng.integers(1, 4)), stations, (8.0, 45.0))
        sure = sure_of_each(len(needs))
        splits = [every_count(need, ways[need.key], named, sure) for need in needs]
        best = min(done_s(one, begins) for one in itertools.product(*splits))
        dealt = deal(needs, ways, named)
        ours = [
            {share.way.machine: share.batches * (share.way.roast_s + named[share.way.machine].between_s)}
            for share in dealt.shares
        ]
        worst.append(done_s(ours, begins) / best - 1.0)
    print(f"  {SMALL_DAYS} small days: later than the best of all by {100 * np.mean(worst):.2f} % on average")
    return float(np.quantile(worst, 0.99))


def days_short(rng: np.random.Generator) -> tuple[float, float]:
    """Of many days with losses as they truly vary: the share with anything short, and what is roasted over. [share]"""
    short, over = 0, []
    for _ in range(DAYS):
        needs, ways = drawn_day(rng, int(rng.integers(3, 11)), FOUR[1:], (8.0, 60.0))
        truth = {}
        for need in needs:
            mean, batch = float(rng.normal(0.137, 0.012)), float(rng.uniform(0.003, 0.006))
            seen = loss_from(list(rng.normal(mean, batch, int(rng.integers(1, 12)))))
            truth[need.key] = mean, batch
            ways[need.key] = [replace(way, loss=seen) for way in ways[need.key]]
        dealt = deal(needs, ways, {one.name: one for one in FOUR[1:]})
        came: dict[str, float] = {}
        for share in dealt.shares:
            mean, batch = truth[share.need.key]
            losses = rng.normal(mean, batch, share.batches)
            came[share.need.key] = came.get(share.need.key, 0.0) + float(np.sum(share.load_kg * (1.0 - losses)))
        short += any(came[need.key] < need.kg for need in needs)
        over.append(sum(came.values()) / sum(need.kg for need in needs) - 1.0)
    return short / DAYS, float(np.mean(over))


def run(folder: Path) -> list[Line]:
    rng = np.random.default_rng(17)
    needs, ways = drawn_day(rng, 12, FOUR, (10.0, 55.0))
    took = []
    for _ in range(5):
        begun = time.perf_counter()
        plan = plan_day(TODAY, needs, ways, FOUR)
        took.append(time.perf_counter() - begun)
    held = {plan.batches[0].share.need.key: (plan.batches[-1].machine, 0)}
    held = {key: where for key, where in held.items() if any(way.machine == where[0] for way in ways[key])}
    begun = time.perf_counter()
    plan_day(TODAY, needs, ways, FOUR, held=held)
    again = time.perf_counter() - begun
    print(f"  {len(plan.batches)} batches of 12 coffees on {len(FOUR)} machines, done after {plan.done_s / 3600:.1f} h")
    short, over = days_short(rng)
    return [
        Line("a day of twelve coffees on four machines, planned, slowest", max(took), "s", 2.0),
        Line("the same again after a hand moved a block", again, "s", 0.5),
        Line("done later than the best of all, 99 of 100 small days", 100.0 * against_every_way(rng), "%", 3.0),
        Line("days with anything short", 100.0 * short, "%", 10.0),
        Line("roasted over, mean", 100.0 * over, "%", 4.0),
    ]


if __name__ == "__main__":
    for line in run(Path()):
        print(line)
