"""Orders: what is wanted of a coffee, for when and for whom; typed on one line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from firnel.core.day.coffee import LONGEST_NAME, Coffee
from firnel.core.words import in_english, tr

#: More than this in one order is taken for a slip of the finger. [kg]
MOST_KG = 2000.0
#: An order may lie so far ahead. [days]
FARTHEST_DAYS = 400
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
#: Words of an order, which may be typed in the language of the window too.
TYPED = (
    *WEEKDAYS, *MONTHS, "today", "tomorrow", "every", "fortnight", "week", "weekly", "daily", "monthly", "month", "day", "due",
)  # fmt: skip
EVERY = {"day": 1, "daily": 1, "week": 7, "weekly": 7, "fortnight": 14, "month": 28, "monthly": 28}

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_PACKS = re.compile(rf"(?<!\S)(\d+)\s*(?:x|×|\*)\s*{_NUMBER}\s*(kg|g)(?!\w)", re.IGNORECASE)
_WEIGHT = re.compile(rf"(?<!\S){_NUMBER}\s*(kg|g)(?!\w)", re.IGNORECASE)
_EVERY = re.compile(r"\bevery\s+(?:(\d+)\s+)?(day|week|fortnight|month)s?\b|\b(daily|weekly|monthly)\b", re.IGNORECASE)
_FOR = re.compile(r"\bfor\s+(.+)$", re.IGNORECASE)
_ISO = re.compile(r"\b(\d{4})-(\d{1,2})-(\d{1,2})\b")
_DAY_MONTH = re.compile(rf"\b(\d{{1,2}})\.?\s+({'|'.join(MONTHS)})[a-z]*\.?(?:\s+(\d{{4}}))?\b", re.IGNORECASE)
_DAY_WORD = re.compile(rf"\b(?:by|on|due)?\s*\b(today|tomorrow|{'|'.join(WEEKDAYS)})\b", re.IGNORECASE)


class OrderError(ValueError):
    """An order that cannot be taken; the message says why."""


@dataclass(frozen=True)
class Order:
    """So much roasted coffee [kg] by a day; ``packs`` are count and weight [kg] where it was ordered so."""

    coffee: str
    kg: float
    due: date
    customer: str = ""
    packs: tuple[tuple[int, float], ...] = ()
    every_days: int = 0  #: it comes again so many days later; 0 where it does not
    state: str = "open"  #: open, packed or cancelled
    id: int | None = None
    version: int = 1

    def again(self) -> Order | None:
        """The order that follows it; None where it does not repeat."""
        if not self.every_days:
            return None
        return Order(
            self.coffee, self.kg, self.due + timedelta(days=self.every_days), self.customer, self.packs, self.every_days
        )


def check_order(order: Order, today: date) -> Order:
    """The order, if it can be taken.

    Raises
    ------
    OrderError : with a sentence on what is wrong.
    """
    if not order.kg > 0.0:
        raise OrderError(tr("{:g} kg of {} is no order: say how much.", order.kg, order.coffee))
    if order.kg > MOST_KG:
        raise OrderError(
            tr("{:g} kg of {} in one order is more than {:g} kg: is that a slip?", order.kg, order.coffee, MOST_KG)
        )
    if len(order.customer) > LONGEST_NAME:
        raise OrderError(tr("the name that the order is for has more than {} letters.", LONGEST_NAME))
    if order.due < today:
        raise OrderError(tr("{:%-d %B %Y} is over: say a day from today on.", order.due))
    if (order.due - today).days > FARTHEST_DAYS:
        raise OrderError(tr("{:%-d %B %Y} is more than {} days ahead.", order.due, FARTHEST_DAYS))
    return order


def order_from_line(line: str, coffees: Sequence[Coffee], today: date) -> Order:
    """Read ``12 kg House blend friday for Corner Café`` or ``20 x 250 g Isuka 4 Dec every week``.

    Parameters
    ----------
    line : weight or packs, the coffee (its name, or enough of it), the day (tomorrow where none is told), ``every week``,
        and last ``for`` whom.
    coffees : that are sold.
    today : the days of the week count from here.

    Raises
    ------
    OrderError : with a sentence on what is not understood.
    """
    rest, customer = "".join(letter if letter.isprintable() else " " for letter in line).strip(), ""
    if not rest:
        raise OrderError(tr("an order says how much of which coffee: 12 kg House blend friday."))
    named, rest = _named(rest, coffees)
    rest = in_english(rest, ("for",))
    if found := _FOR.search(rest):
        customer, rest = found.group(1).strip(), rest[: found.start()]
    rest = in_english(rest, TYPED)
    every, rest = _every(rest)
    due, rest = day_in(rest, today)
    packs = tuple((int(count), _kilograms(number, unit)) for count, number, unit in _PACKS.findall(rest))
    rest = _PACKS.sub(" ", rest)
    loose = [_kilograms(number, unit) for number, unit in _WEIGHT.findall(rest)]
    rest = _WEIGHT.sub(" ", rest)
    if not packs and not loose:
        raise OrderError(tr("{!r} does not say how much is wanted: write 12 kg or 20 x 250 g.", line.strip()))
    if len(loose) > 1:
        raise OrderError(tr("{!r} has two weights: one order is of one coffee.", line.strip()))
    words = " ".join(re.sub(r"\b(of|by|on|due)\b|[,;]", " ", rest, flags=re.IGNORECASE).split())
    coffee = named if named is not None and not words else _coffee(words, coffees)
    kg = round(sum(count * weight for count, weight in packs) + sum(loose), 6)
    return check_order(Order(coffee.name, kg, due or today + timedelta(days=1), customer, packs, every), today)


def day_in(text: str, today: date) -> tuple[date | None, str]:
    """The day that a text names, and the text without it; None where it names none. A weekday is the next one to come.

    Raises
    ------
    OrderError : if there is no such day.
    """
    text = in_english(text, TYPED)
    try:
        if found := _ISO.search(text):
            return date(*(int(part) for part in found.groups())), _without(text, found)
        if found := _DAY_MONTH.search(text):
            month = MONTHS.index(found.group(2)[:3].lower()) + 1
            year = int(found.group(3) or today.year)
            day = date(year, month, int(found.group(1)))
            passed = found.group(3) is None and (today - day).days > 60  # a January that is typed in December
            return (date(year + 1, month, day.day) if passed else day), _without(text, found)
    except ValueError as error:
        raise OrderError(tr("{!r} is no day of the calendar.", found.group(0).strip())) from error  # type: ignore[union-attr]  # found
    if found := _DAY_WORD.search(text):
        word = found.group(1).lower()
        near = {"today": 0, "tomorrow": 1}
        ahead = near[word] if word in near else (WEEKDAYS.index(word) - today.weekday() - 1) % 7 + 1
        return today + timedelta(days=ahead), _without(text, found)
    return None, text


def _without(text: str, found: re.Match[str]) -> str:
    return f"{text[: found.start()]} {text[found.end() :]}"


def _every(text: str) -> tuple[int, str]:
    found = _EVERY.search(text)
    if found is None:
        return 0, text
    number, unit, word = found.groups()
    return int(number or 1) * EVERY[(unit or word).lower()], _without(text, found)


def _kilograms(number: str, unit: str) -> float:
    value = float(number.replace(",", "."))
    return value if unit.lower() == "kg" else value / 1000.0


def _named(line: str, coffees: Sequence[Coffee]) -> tuple[Coffee | None, str]:
    """The coffee whose whole name stands in the line, and the line without it: a name may have a day or a ``for`` in it."""
    for coffee in sorted((one for one in coffees if not one.archived), key=lambda one: -len(one.name)):
        found = re.search(rf"(?<!\w){re.escape(coffee.name)}(?!\w)", line, re.IGNORECASE)
        if found is not None:
            return coffee, _without(line, found)
    return None, line


def _coffee(words: str, coffees: Sequence[Coffee]) -> Coffee:
    sold = [coffee for coffee in coffees if not coffee.archived]
    names = ", ".join(coffee.name for coffee in sold[:6]) or tr("none yet")
    if not words:
        raise OrderError(tr("which coffee? There are: {}.", names))
    exact = [coffee for coffee in sold if coffee.name.lower() == words.lower()]
    near = exact or [coffee for coffee in sold if all(part in coffee.name.lower() for part in words.lower().split())]
    if len(near) > 1:
        raise OrderError(
            tr("{!r} could be {}: write more of the name.", words, " or ".join(coffee.name for coffee in near[:3]))
        )
    if not near:
        raise OrderError(tr("no coffee is called {!r}. There are: {}.", words, names))
    return near[0]
