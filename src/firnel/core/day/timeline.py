"""The plan of a day in time: preheat, batches, pauses, cooling; what does not fit, and what could be had by a day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from firnel.core.day.dealing import Dealt, Share, Station, Way, deal, shared
from firnel.core.day.need import Need
from firnel.core.day.sequence import Placed, Rules, in_order
from firnel.core.words import tr


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
    at_once: int = 1,
) -> DayPlan:
    """What is roasted where, when and in which order.

    Parameters
    ----------
    day : of the plan.
    needs, ways : as in `deal`.
    stations : machines that roast on the day.
    rules : of the house.
    held : machine and place that a hand has chosen, by the need's key.
    at_once : on so many machines one person roasts at one time.
    """
    held = held or {}
    where_held = {key: where for key, (where, _) in held.items()}
    dealt: Dealt = deal(needs, ways, {one.name: one for one in stations}, where_held, at_once)
    waiting = []
    for station in stations:
        own = [share for share in dealt.shares if share.way.machine == station.name]
        places = {key: place for key, (where, place) in held.items() if where == station.name}
        waiting.append((station, in_order(own, rules, places)))
    laid = laid_out(waiting, at_once)
    return DayPlan(day, tuple(block for station in stations for block in laid[station.name]), tuple(stations), dealt.left)


def laid_out(placed: Sequence[tuple[Station, Sequence[Placed]]], at_once: int = 1) -> dict[str, list[Block]]:
    """The batches of each machine one after the other, by its name.

    None is running when a pause begins, and nobody roasts on more machines at one time than they can: the one that could begin
    first goes first.
    """
    lines = [_Line(station, own) for station, own in placed]
    busy: dict[str, list[tuple[float, float]]] = {line.station.who: [] for line in lines}
    while open_lines := [line for line in lines if line.left]:
        starts = [line.start(busy[line.station.who] if line.station.who else [], at_once) for line in open_lines]
        first = min(range(len(starts)), key=lambda index: starts[index])
        busy[open_lines[first].station.who].append(open_lines[first].charge(starts[first]))
    return {line.station.name: line.ended() for line in lines}


class _Line:
    """One machine while its batches are laid out."""

    def __init__(self, station: Station, placed: Sequence[Placed]) -> None:
        self.station = station
        self.left = [(one, number) for one in placed for number in range(1, one.share.batches + 1)]
        self._t, self._blocks, self._paused = station.begins_s, list[Block](), set[float]()
        if self.left and not station.hot:
            self._blocks.append(Block(station.name, "preheat", station.free_s, station.begins_s))

    def start(self, busy: Sequence[tuple[float, float]], at_once: int) -> float:
        """When the next batch can be charged: behind what the person roasts elsewhere, and behind pauses."""
        roast_s = self.left[0][0].share.way.roast_s
        for start in sorted([self._t, *(end for _, end in busy if end > self._t)]):
            t = self._behind_pauses(start, roast_s)
            edges = [t, *(begin for begin, _ in busy if t < begin < t + roast_s)]
            if all(sum(begin <= edge < end for begin, end in busy) < at_once for edge in edges):
                return t
        return self._behind_pauses(max([self._t, *(end for _, end in busy)]), roast_s)

    def charge(self, start: float) -> tuple[float, float]:
        """Lay the next batch out; from when to when it is roasted."""
        (one, number), station = self.left.pop(0), self.station
        for begin, end in sorted(station.pauses):
            if begin not in self._paused and end > self._t and begin < start:
                self._blocks.append(Block(station.name, "pause", max(self._t, begin), end))
                self._paused.add(begin)
        end_s = start + one.share.way.roast_s
        why = one.why if number == 1 else tr("the same coffee as before")
        self._blocks.append(Block(station.name, "batch", start, end_s, one.share, number, why, one.held))
        self._t = end_s + station.between_s
        return start, end_s

    def ended(self) -> list[Block]:
        """All of the machine, cooling at its end."""
        if not self._blocks:
            return []
        last, station = self._t - self.station.between_s, self.station
        return [*self._blocks, Block(station.name, "cooling", last, last + station.cooling_s)]

    def _behind_pauses(self, t: float, roast_s: float) -> float:
        for begin, end in sorted(self.station.pauses):
            if t < end and t + roast_s > begin:
                t = end
        return t


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
        when = (
            tr("due {:%A}: it can be roasted another day", share.need.due) if spare > 0 else tr("due today: it comes out short")
        )
        batches, end = (tr("1 batch"), "ends") if count == 1 else (tr("{} batches", count), "end")
        said.append(tr("{} of {} on {} {} after closing; {}.", batches, share.need.coffee.name, share.way.machine, end, when))
    return said


def can_roast_kg(
    stations: Sequence[Station], roast_s: Mapping[str, float], loss: float, booked_s: Mapping[str, float], at_once: int = 1
) -> float:
    """Roasted weight that the machines can give in one day beside what is booked. [kg]

    Parameters
    ----------
    stations : machines of the day.
    roast_s : how long a usual batch lasts, by machine.
    loss : expected weight loss. [share of the green weight]
    booked_s : time that each machine is taken already, by its name; missing: none.
    at_once : on so many machines one person roasts at one time: who has more of them cannot keep all of them busy.
    """
    open_s: dict[str, float] = {}
    batches: dict[str, int] = {}
    for one in stations:
        paused = sum(max(0.0, min(end, one.closes_s) - max(start, one.begins_s)) for start, end in one.pauses)
        open_s[one.name] = max(one.closes_s - one.begins_s - paused - booked_s.get(one.name, 0.0), 0.0)
        room_s = open_s[one.name] + one.between_s if open_s[one.name] > 0.0 else 0.0
        batches[one.name] = int(room_s // (roast_s[one.name] + one.between_s))
    for own in shared(stations, at_once):
        hands_s = at_once * max(open_s[one.name] for one in own)
        for one in sorted(own, key=lambda one: one.best_kg / roast_s[one.name], reverse=True):
            batches[one.name] = min(batches[one.name], int(hands_s // roast_s[one.name]))
            hands_s -= batches[one.name] * roast_s[one.name]
    return sum(batches[one.name] * one.best_kg * (1.0 - loss) for one in stations)


def working_days(start: date, end: date, closed: Sequence[int] = (5, 6)) -> list[date]:
    """The days from one to another on which the house roasts; ``closed`` are days of the week, Monday 0.

    >>> [f"{day:%a}" for day in working_days(date(2026, 11, 26), date(2026, 11, 30))]
    ['Thu', 'Fri', 'Mon']
    """
    days = [start + timedelta(days=ahead) for ahead in range((end - start).days + 1)]
    return [day for day in days if day.weekday() not in closed]
