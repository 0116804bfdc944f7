"""Roasted coffee on the shelf: of which batch, for which coffees, how it has rested; and what a coffee's lots can give."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from firnel.core.day.coffee import Coffee, Rest
from firnel.core.day.need import loss_from
from firnel.core.green.handling import likeness
from firnel.core.vocabulary import Lot
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores, last_cupped
from firnel.work.day import orders as shop
from firnel.work.day.facts import MOST_PAST, OVER

#: A lot that gives less than this share of what the fullest of its blend gives is the one that runs low.
LOW = 0.5
#: Another lot may take its place from this likeness on [0..1].
LIKE = 0.25


@dataclass(frozen=True)
class OnShelf:
    """So much of a batch, the coffees it is of, and how it has rested for the first of them. [kg]"""

    batch: str
    lot: str
    roasted: date
    days: int
    kg: float
    coffees: tuple[str, ...]
    rest: Rest | None


@dataclass(frozen=True)
class PartFacts:
    """A lot in a coffee: share, price of the green [per kg], what is on hand and makes of the coffee [kg], and its cup."""

    lot: str
    share: float
    price_per_kg: float | None
    on_hand_kg: float | None
    makes_kg: float | None
    score: float | None


@dataclass(frozen=True)
class BlendFacts:
    """What a coffee costs in green for each roasted kilogram, how much of it can be made [kg], and what is to be said."""

    parts: tuple[PartFacts, ...]
    green_per_kg: float | None
    makes_kg: float | None
    said: tuple[str, ...]


def on_shelf(library: Library, today: date) -> list[OnShelf]:
    """What is on the shelf, the oldest first."""
    coffees, found = shop.coffees(library), []
    for _, stock in shop.stock_of(library):
        own = [one for one in coffees if _made_of(one, stock.lot, stock.plan)]
        days = (today - stock.roasted).days
        rest = own[0].rest(days) if own else None
        found.append(OnShelf(stock.batch, stock.lot, stock.roasted, days, stock.kg, tuple(one.name for one in own), rest))
    return found


def blend_facts(library: Library, coffee: Coffee) -> BlendFacts:
    """What stands behind the shares of a coffee: price, stock, cup; and what to swap where one lot runs low."""
    lots = {lot.name: lot for lot in library.lots()}
    lines = library.batch_lines(BatchFilter(statuses=OVER), limit=MOST_PAST)
    scores, by_lot = cup_scores(library), dict[str, list[float]]()
    for line in lines:
        if line.id in scores:
            by_lot.setdefault(line.lot, []).append(scores[line.id])
    parts, costs = [], []
    for part in coffee.components:
        lot = lots.get(part.lot)
        loss = loss_from([line.loss for line in lines if line.lot == part.lot and line.loss is not None]).mean
        have = lot.on_hand_kg if lot is not None else None
        makes = None if have is None else have * (1.0 - loss) / part.share
        price = lot.price_per_kg if lot is not None else None
        costs.append(None if price is None else part.share * price / (1.0 - loss))
        cups = by_lot.get(part.lot)
        parts.append(PartFacts(part.lot, part.share, price, have, makes, float(np.mean(cups)) if cups else None))
    known = [part.makes_kg for part in parts if part.makes_kg is not None]
    whole = None if any(cost is None for cost in costs) else float(sum(cost for cost in costs if cost is not None))
    makes_kg = min(known) if len(known) == len(parts) else None
    cupped = last_cupped(library, coffee.name) if coffee.blend else ""
    return BlendFacts(tuple(parts), whole, makes_kg, (*_swaps(parts, lots), *([cupped] if cupped else [])))


def _swaps(parts: Sequence[PartFacts], lots: Mapping[str, Lot]) -> list[str]:
    """Where one lot runs low before the others: what takes its place, its successor or the likest that is there."""
    said = []
    gone = [part.lot for part in parts if part.lot not in lots]
    said += [tr("{} is no lot of this library any more: put another in its place.", name) for name in gone]
    most = max((part.makes_kg for part in parts if part.makes_kg is not None), default=0.0)
    for part in parts:
        enough = LOW * most if len(parts) > 1 else 0.0
        if part.makes_kg is None or part.lot not in lots or part.makes_kg > enough:
            continue
        own = {one.lot for one in parts}
        others = [lot for lot in lots.values() if lot.name not in own and not lot.archived and (lot.on_hand_kg or 0.0) > 0.0]
        follows = next((lot for lot in others if lot.replaces == part.lot), None)
        likest = follows or max(others, key=lambda lot: likeness(lots[part.lot], lot), default=None)
        sentence = tr("{} runs low first: it makes {:.0f} kg more.", part.lot, part.makes_kg)
        if follows is not None:
            sentence += tr(" {} takes its place.", follows.name)
        elif likest is not None and likeness(lots[part.lot], likest) >= LIKE:
            sentence += tr(" The most like it in store: {}, {:.0f} kg.", likest.name, likest.on_hand_kg)
        said.append(sentence)
    return said


def _made_of(coffee: Coffee, lot: str, plan: int | None) -> bool:
    if coffee.name == lot:
        return True  # of green that was blended before the roast
    return any(part.lot == lot and (plan is None or not part.plans or plan in part.plans) for part in coffee.components)
