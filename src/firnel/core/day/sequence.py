"""In which order a machine roasts what it was dealt: the house's rules, weighed, and the best order of all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from firnel.core.day.coffee import Level
from firnel.core.day.dealing import PROVEN, Share
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: Up to so many shares every order is weighed (by dynamic programming over sets); beyond, orders are bettered by moves.
EVERY_ORDER = 11
#: Days by which one thing is due before another count up to here.
MOST_DAYS = 4
#: So much speaks against a place that a hand has not chosen.
NEVER = 1e6


@dataclass(frozen=True)
class Rules:
    """What decides the order, each with its weight; the weights are common practice, no published source."""

    forgiving_first: float = 1.0  #: the first batch of the day meets a drum that is not even yet
    same_together: float = 0.6
    light_first: float = 0.5
    decaf_last: float = 4.0  #: what is flavoured too: it is tasted in what follows
    due_first: float = 1.5


@dataclass(frozen=True)
class Placed:
    """A share at its place, and why it stands there."""

    share: Share
    why: str
    held: bool = False


@dataclass(frozen=True)
class _Costs:
    """What speaks against each share being first, following another, and coming before another; shape (n,), (n, n), (n, n)."""

    first: FloatArray
    follows: FloatArray
    before: FloatArray
    places: Mapping[int, int] = field(default_factory=dict)

    def of(self, order: Sequence[int]) -> float:
        """Of a whole order."""
        total = float(self.first[order[0]]) if order else 0.0
        for place, index in enumerate(order):
            total += NEVER * (self.places.get(index, place) != place)
            total += float(self.before[list(order[:place]), index].sum()) if place else 0.0
            total += float(self.follows[order[place - 1], index]) if place else 0.0
        return total


def in_order(shares: Sequence[Share], rules: Rules | None = None, held: Mapping[str, int] | None = None) -> list[Placed]:
    """The shares of one machine in their best order.

    Parameters
    ----------
    shares : that it was dealt.
    rules : of the house.
    held : places that a hand has chosen, by the need's key, 0 for the first.
    """
    if not shares:
        return []
    rules = rules or Rules()
    last = len(shares) - 1
    places = {index: min(held[share.need.key], last) for index, share in enumerate(shares) if held and share.need.key in held}
    if len(set(places.values())) < len(places):
        places = _apart(places, last)
    costs = _costs(shares, rules, places)
    order = _best_of_all(costs, len(shares)) if len(shares) <= EVERY_ORDER else _bettered(costs, shares)
    found: list[Placed] = []
    for index in order:
        found.append(Placed(shares[index], _why(shares[index], found, index in places), index in places))
    return found


def _apart(places: Mapping[int, int], last: int) -> dict[int, int]:
    """Places that two were given: the second takes the next one that is free."""
    taken: dict[int, int] = {}
    for index, place in sorted(places.items(), key=lambda entry: entry[1]):
        free = [at for at in (*range(place, last + 1), *range(place, -1, -1)) if at not in taken.values()]
        taken[index] = free[0]
    return taken


def _costs(shares: Sequence[Share], rules: Rules, places: Mapping[int, int]) -> _Costs:
    count = len(shares)
    first, follows, before = np.zeros(count), np.zeros((count, count)), np.zeros((count, count))
    for index, share in enumerate(shares):
        coffee = share.need.coffee
        first[index] = rules.forgiving_first * _touchy(share)
        for other_index, other in enumerate(shares):
            if other_index == index:
                continue
            # Of ``share`` before ``other``.
            then = other.need.coffee
            before[index, other_index] += rules.decaf_last * (coffee.last and not then.last)
            before[index, other_index] += rules.light_first * max(0, coffee.level.rank - then.level.rank)
            days = min((share.need.due - other.need.due).days, MOST_DAYS)
            before[index, other_index] += rules.due_first * max(0, days) / MOST_DAYS
            same = share.need.lot == other.need.lot or coffee.name == then.name
            follows[index, other_index] = 0.0 if same else rules.same_together
    return _Costs(first, follows, before, places)


def _touchy(share: Share) -> float:
    """How badly a share takes a drum that is not even yet: light, unproven, decaffeinated or flavoured. [0..3]"""
    coffee = share.need.coffee
    return (coffee.level is Level.LIGHT) * 1.0 + (share.way.proven < PROVEN) * 1.0 + coffee.last * 1.0


def _best_of_all(costs: _Costs, count: int) -> list[int]:
    """Held and Karp's dynamic program over sets: what it costs to have roasted a set, with which share last."""
    best: dict[tuple[int, int], tuple[float, int]] = {}
    for index in range(count):
        best[1 << index, index] = (costs.of([index]) if costs.places.get(index, 0) == 0 else NEVER, -1)
    for size in range(2, count + 1):
        for done in (mask for mask in range(1 << count) if mask.bit_count() == size):
            members = [index for index in range(count) if done >> index & 1]
            for index in members:
                before = done & ~(1 << index)
                others = [other for other in members if other != index]
                ahead = float(costs.before[others, index].sum())
                ahead += NEVER * (costs.places.get(index, size - 1) != size - 1)
                cost, previous = min((best[before, other][0] + float(costs.follows[other, index]), other) for other in others)
                best[done, index] = (cost + ahead, previous)
    done = (1 << count) - 1
    index = min(range(count), key=lambda one: best[done, one][0])
    order = []
    while index >= 0:
        order.append(index)
        done, index = done & ~(1 << index), best[done, index][1]
    return order[::-1]


def _bettered(costs: _Costs, shares: Sequence[Share]) -> list[int]:
    """Begun by the rules alone, then each share is moved wherever it costs least, until no move helps."""
    order = sorted(range(len(shares)), key=lambda index: _rough(shares[index]))
    for index, place in sorted(costs.places.items(), key=lambda entry: entry[1]):
        order.remove(index)
        order.insert(place, index)
    best, bettered = costs.of(order), True
    while bettered:
        bettered = False
        for index in list(order):
            rest = [other for other in order if other != index]
            tries = [[*rest[:place], index, *rest[place:]] for place in range(len(order))]
            cost, found = min((costs.of(one), one) for one in tries)
            if cost < best - 1e-9:
                best, order, bettered = cost, found, True
    return order


def _rough(share: Share) -> tuple[bool, int, int, str]:
    coffee = share.need.coffee
    return coffee.last, share.need.due.toordinal(), coffee.level.rank, share.need.lot


def _why(share: Share, before: Sequence[Placed], held: bool) -> str:
    coffee, way = share.need.coffee, share.way
    if held:
        return tr("held here")
    if coffee.last:
        return tr("decaffeinated or flavoured: last")
    if not before:
        times = tr("roasted {} times here", way.proven) if way.proven >= PROVEN else tr("the most forgiving there is")
        return tr("first, {}", times)
    previous = before[-1].share.need
    if previous.lot == share.need.lot:
        return tr("the same lot as before")
    if previous.coffee.name == coffee.name:
        return tr("the same coffee as before")
    if coffee.level.rank > previous.coffee.level.rank:
        return tr("{} after {}", coffee.level.value, previous.coffee.level.value)
    if share.need.due > previous.due:
        return tr("due after {}", previous.coffee.name)
    return tr("as the rest allows")
