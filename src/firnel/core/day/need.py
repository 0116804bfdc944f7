"""From orders to what must be roasted: stock first, then green from the loss that is expected, with its doubt."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from statistics import NormalDist

import numpy as np

from firnel.core.day.coffee import Blending, Coffee, Rest, share_kg
from firnel.core.day.order import Order

#: Weight loss where nothing was weighed yet, its spread between lots and plans, and from batch to batch; the mean is common
#: practice (12 to 14 %), no published source, the spreads are from memory. [share of the green weight]
USUAL_LOSS, LOSS_BETWEEN, LOSS_BATCH = 0.135, 0.015, 0.006
#: So many batches' worth of belief stands behind the spread from batch to batch before any was weighed.
BELIEF = 6.0
#: A loss outside this is a slip of the scale and no loss.
SANE_LOSS = (0.05, 0.30)
#: On so many of all days nothing is to come out short.
SURE = 0.9
#: Stock of so little is nobody's. [kg]
CRUMBS_KG = 0.02


@dataclass(frozen=True)
class Loss:
    """Expected weight loss: its mean, the doubt of that mean, and the spread from batch to batch. [share of green weight]"""

    mean: float
    doubt: float
    batch: float

    def spread(self, batches: int, load_kg: float) -> float:
        """Standard deviation of the roasted weight of so many equal batches. [kg]"""
        return load_kg * float(np.hypot(np.sqrt(batches) * self.batch, batches * self.doubt))


def loss_from(weighed: Sequence[float], start: Loss | None = None) -> Loss:
    """The loss to expect after what was weighed, by a normal prior on the mean and a scaled one on the spread.

    Parameters
    ----------
    weighed : losses of like batches [share of the green weight], what is no loss among them too.
    start : what is expected without any; what is usual if None.
    """
    start = start or Loss(USUAL_LOSS, LOSS_BETWEEN, LOSS_BATCH)
    seen = np.array([loss for loss in weighed if SANE_LOSS[0] <= loss <= SANE_LOSS[1]])
    if not seen.size:
        return start
    middle = float(np.median(seen))
    squares = float(np.sum((seen - middle) ** 2)) if seen.size > 1 else 0.0
    batch = float(np.sqrt((BELIEF * start.batch**2 + squares) / (BELIEF + seen.size - 1)))
    weight = start.doubt**2 / (start.doubt**2 + batch**2 / seen.size)
    return Loss(start.mean + weight * (float(seen.mean()) - start.mean), float(np.sqrt(1.0 - weight)) * start.doubt, batch)


@dataclass(frozen=True)
class Stock:
    """Roasted coffee on the shelf: of which lot, by which plan (None: any), when it was roasted, and how much. [kg]"""

    batch: str
    lot: str
    plan: int | None
    roasted: date
    kg: float


@dataclass(frozen=True)
class Taken:
    """So much of a stock for an order. [kg]"""

    order: Order
    stock: Stock
    kg: float
    rest: Rest


@dataclass(frozen=True)
class Need:
    """Roasted weight of a lot that is to be roasted for a coffee [kg]: by when, and for which orders."""

    coffee: Coffee
    lot: str
    plans: tuple[int, ...]
    kg: float
    due: date
    orders: tuple[Order, ...] = ()

    @property
    def key(self) -> str:
        """What it is called in a plan of the day."""
        return f"{self.coffee.name}/{self.lot}"


def needs_of(
    orders: Sequence[Order], coffees: Mapping[str, Coffee], stock: Sequence[Stock], today: date, fresh_too: bool = True
) -> tuple[list[Need], list[Taken]]:
    """What is to be roasted for orders after the stock, the oldest that is not past first.

    Parameters
    ----------
    orders : those that are open count; the first due is served first.
    coffees : by name. An order of one that is not there is left out: whoever calls tells of it.
    stock : on the shelf.
    today : the day of the roast.
    fresh_too : whether stock that has not rested yet is sent out: the house's rule.
    """
    left = {id(one): one.kg for one in stock}
    taken: list[Taken] = []
    wanted: dict[tuple[str, str], tuple[float, list[Order]]] = {}
    for order in sorted((one for one in orders if one.state == "open" and one.coffee in coffees), key=lambda one: one.due):
        coffee = coffees[order.coffee]
        for lot, kg in _parts(coffee, order.kg).items():
            plans = _plans(coffee, lot)
            for one in sorted(stock, key=lambda one: one.roasted):
                rest = coffee.rest((order.due - one.roasted).days)
                fits = one.lot == lot and (one.plan is None or one.plan in plans)
                if not fits or rest is Rest.PAST or (rest is Rest.FRESH and not fresh_too) or left[id(one)] < CRUMBS_KG:
                    continue
                part = min(kg, left[id(one)])
                left[id(one)] -= part
                kg -= part
                taken.append(Taken(order, one, part, rest))
                if kg < CRUMBS_KG:
                    break
            if kg >= CRUMBS_KG:
                before, served = wanted.get((coffee.name, lot), (0.0, []))
                wanted[coffee.name, lot] = (before + kg, [*served, order])
    needs = []
    for (name, lot), (kg, served) in wanted.items():
        due = max(min(order.due for order in served), today)
        needs.append(Need(coffees[name], lot, _plans(coffees[name], lot), kg, due, tuple(served)))
    return needs, taken


def _parts(coffee: Coffee, kg: float) -> dict[str, float]:
    """What is roasted for so much of a coffee: each lot apart, or the blended green as one, named after the coffee. [kg]"""
    return {coffee.name: kg} if coffee.blend and coffee.blending is Blending.GREEN else share_kg(coffee, kg)


def _plans(coffee: Coffee, lot: str) -> tuple[int, ...]:
    return next((part.plans for part in coffee.components if part.lot == lot), coffee.components[0].plans)


def green_for(roasted_kg: float, loss: Loss, batches: int, sure: float) -> float:
    """Green for so much roasted weight in so many equal batches, so that it suffices with the chance ``sure``. [kg]"""
    z, load = NormalDist().inv_cdf(sure), roasted_kg / (1.0 - loss.mean) / batches
    for _ in range(3):  # the spread follows the load: two rounds settle it
        load = (roasted_kg + z * loss.spread(batches, load)) / (1.0 - loss.mean) / batches
    return load * batches


def sure_of_each(needs: int, sure: float = SURE) -> float:
    """How sure each of several needs must be for all of them together to be as sure as is asked.

    >>> round(sure_of_each(2, 0.81), 3)
    0.9
    """
    return float(sure ** (1.0 / max(needs, 1)))
