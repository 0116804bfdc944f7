"""The plan of a day in time: preheat, batches, pauses, cooling; what does not fit, and what could be had by a day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from firnel.core.day.dealing import Dealt, Share, Station, Way, deal
from firnel.core.day.need import Need
from firnel.core.day.sequence import Placed, Rules, in_order


@dataclass(frozen=True)
class Block:
    """Something on a machine from one time to another [s from the opening]: a batch, or preheat, a pause, cooling."""

    machine: str
    kind: str  #: preheat, batch, pause, cooling
    start_s: float
    end_s: float
    share: Share | None = None
    number: int = 0  #: which batch of its share, from 1
    why: str = ""
    held: bool = False


@dataclass(frozen=True)
class DayPlan:
    """A day: its blocks, needs that nothing roasts, with the reason, and machines in their order."""

    day: date
    blocks: tuple[Block, ...]
    stations: tuple[Station, ...]
    left: tuple[tuple[Need, str], ...] = ()

    def of(self, machine: str) -> tuple[Block, ...]:
        """What is on one machine."""
        return tuple(block for block in self.blocks if block.machine == machine)

    @property
    def batches(self) -> tuple[Block, ...]:
        """All batches, in the order of their charges."""
        found = [block for block in self.blocks if block.kind == "batch"]
        return tuple(sorted(found, key=lambda block: (block.start_s, block.machine)))

    @property
    def done_s(self) -> float:
        """When the last batch is dropped."""
        return max((block.end_s for block in self.batches), default=0.0)

    @property
    def late(self) -> tuple[Block, ...]:
        """Batches that end after the house closes."""
        closes = {station.name: station.closes_s for station in self.stations}
        return tuple(block for block in self.batches if block.end_s > closes[block.machine])


def plan_day(
    day: date,
    needs: Sequence[Need],
    ways: Mapping[str, Sequence[Way]],
    stations: Sequence[Station],
    rules: Rules | None = None,
    held: Mapping[str, tuple[str, int]] | None = None,
) -> DayPlan:
    """What is roasted where, when and in which order.

    Parameters
    ----------
    day : of the plan.
    needs, ways : as in `deal`.
    stations : machines that roast on the day.
    rules : of the house.
    held : machine and place that a hand has chosen, by the need's key.
    """
    held = held or {}
    dealt: Dealt = deal(needs, ways, {one.name: one for one in stations}, {key: where for key, (where, _) in held.items()})
    blocks: list[Block] = []
    for station in stations:
        own = [share for share in dealt.shares if share.way.machine == station.name]
        places = {key: place for key, (where, place) in held.items() if where == station.name}
        blocks += laid_out(station, in_order(own, rules, places))
    return DayPlan(day, tuple(blocks), tuple(stations), dealt.left)


def laid_out(station: Station, placed: Sequence[Placed]) -> list[Block]:
    """The batches of a machine one after the other; none is running when a pause begins."""
    if not placed:
        return []
    blocks = [] if station.hot else [Block(station.name, "preheat", station.free_s, station.begins_s)]
    t, told = station.begins_s, set()
    for one in placed:
        for number in range(1, one.share.batches + 1):
            for start, end in sorted(station.pauses):
                if t < end and t + one.share.way.roast_s > start:
                    if start not in told:
                        blocks.append(Block(station.name, "pause", max(t, start), end))
                        told.add(start)
                    t = end
            end_s = t + one.share.way.roast_s
            why = one.why if number == 1 else "the same coffee as before"
            blocks.append(Block(station.name, "batch", t, end_s, one.share, number, why, one.held))
            t = end_s + station.between_s
    return [*blocks, Block(station.name, "cooling", t - station.between_s, t - station.between_s + station.cooling_s)]


def what_moves(plan: DayPlan) -> list[str]:
    """What does not fit today and what to move, in sentences: the last due first."""
    late = plan.late
    if not late:
        return []
    said = []
    shares = {id(block.share): block.share for block in late if block.share is not None}
    for share in sorted(shares.values(), key=lambda share: share.need.due, reverse=True):
        count = sum(block.share is share for block in late)
        spare = (share.need.due - plan.day).days
        when = f"due {share.need.due:%A}: it can be roasted another day" if spare > 0 else "due today: it comes out short"
        batches, end = ("1 batch", "ends") if count == 1 else (f"{count} batches", "end")
        said.append(f"{batches} of {share.need.coffee.name} on {share.way.machine} {end} after closing; {when}.")
    return said


def can_roast_kg(
    stations: Sequence[Station], roast_s: Mapping[str, float], loss: float, booked_s: Mapping[str, float]
) -> float:
    """Roasted weight that the machines can give in one day beside what is booked. [kg]

    Parameters
    ----------
    stations : machines of the day.
    roast_s : how long a usual batch lasts, by machine.
    loss : expected weight loss. [share of the green weight]
    booked_s : time that each machine is taken already, by its name; missing: none.
    """
    found = 0.0
    for station in stations:
        paused = sum(max(0.0, min(end, station.closes_s) - max(start, station.begins_s)) for start, end in station.pauses)
        open_s = station.closes_s - station.begins_s - paused - booked_s.get(station.name, 0.0)
        batches = int((open_s + station.between_s) // (roast_s[station.name] + station.between_s)) if open_s > 0.0 else 0
        found += batches * station.best_kg * (1.0 - loss)
    return found


def working_days(start: date, end: date, closed: Sequence[int] = (5, 6)) -> list[date]:
    """The days from one to another on which the house roasts; ``closed`` are days of the week, Monday 0.

    >>> [f"{day:%a}" for day in working_days(date(2026, 11, 26), date(2026, 11, 30))]
    ['Thu', 'Fri', 'Mon']
    """
    days = [start + timedelta(days=ahead) for ahead in range((end - start).days + 1)]
    return [day for day in days if day.weekday() not in closed]
