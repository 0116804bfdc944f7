"""How the house's day goes: when it opens and closes, pauses, closed days, machines that rest, and what the order goes by."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import date, datetime, time
from typing import Any

from firnel.core.day.sequence import Rules
from firnel.core.words import tr
from firnel.store.library import Library

#: Names under which the house keeps them.
HOUSE, OF_DAY = "day", "day {day:%Y-%m-%d}"
#: Nobody roasts on more machines at one time.
MOST_AT_ONCE = 6


@dataclass(frozen=True)
class HouseDay:
    """The usual day; times of the clock, days of the week with Monday 0."""

    opens: time = time(8, 0)
    closes: time = time(16, 30)
    pauses: tuple[tuple[time, time], ...] = ((time(12, 0), time(12, 30)),)
    closed: tuple[int, ...] = (5, 6)
    fresh_too: bool = True  #: whether roasted coffee may go out before it has rested
    at_once: int = 1  #: on so many machines one person roasts at one time
    rules: Rules = field(default_factory=Rules)


@dataclass(frozen=True)
class Chosen:
    """What a hand has chosen for one day: machine and place of needs by key, machines that rest, who is at each."""

    held: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    resting: tuple[str, ...] = ()
    people: Mapping[str, str] = field(default_factory=dict)


def house_day(library: Library) -> HouseDay:
    """The house's day; the usual one where nothing was decided."""
    document = library.house(HOUSE)
    usual = HouseDay()
    pauses = (
        tuple((_time(start), _time(end)) for start, end in document.get("pauses", [])) if "pauses" in document else usual.pauses
    )
    return HouseDay(
        _time(document.get("opens", "08:00")), _time(document.get("closes", "16:30")), pauses,
        tuple(document.get("closed", usual.closed)), bool(document.get("fresh_too", True)), int(document.get("at_once", 1)),
        rules=replace(usual.rules, **document.get("rules", {})),
    )  # fmt: skip


def keep_house_day(library: Library, day: HouseDay) -> None:
    """Keep how the house's day goes.

    Raises
    ------
    ValueError : if it closes before it opens, a pause ends before it begins, or a weight makes no sense.
    """
    if day.closes <= day.opens:
        raise ValueError(tr("a day that opens at {:%H:%M} cannot close at {:%H:%M}.", day.opens, day.closes))
    for start, end in day.pauses:
        if end <= start:
            raise ValueError(tr("a pause from {:%H:%M} cannot end at {:%H:%M}.", start, end))
    weights = asdict(day.rules)
    if any(not math.isfinite(weight) or not 0.0 <= weight <= 10.0 for weight in weights.values()):
        raise ValueError(tr("each weight of a rule lies between 0 (it does not count) and 10."))
    if not 1 <= day.at_once <= MOST_AT_ONCE:
        raise ValueError(tr("one person roasts on 1 to {} machines at one time, not on {}.", MOST_AT_ONCE, day.at_once))
    if len(set(day.closed)) > 6:
        raise ValueError(tr("a house that is closed every day roasts nothing."))
    library.save_house(HOUSE, {
        "opens": f"{day.opens:%H:%M}", "closes": f"{day.closes:%H:%M}",
        "pauses": [[f"{start:%H:%M}", f"{end:%H:%M}"] for start, end in day.pauses],
        "closed": list(day.closed), "fresh_too": day.fresh_too, "at_once": day.at_once, "rules": weights,
    })  # fmt: skip


def chosen_for(library: Library, day: date) -> Chosen:
    """What a hand has chosen for a day."""
    document: Mapping[str, Any] = library.house(OF_DAY.format(day=day))
    held = {key: (str(machine), int(place)) for key, (machine, place) in document.get("held", {}).items()}
    return Chosen(held, tuple(document.get("resting", ())), dict(document.get("people", {})))


def keep_chosen(library: Library, day: date, chosen: Chosen) -> None:
    """Keep what a hand has chosen for a day."""
    held = {key: list(where) for key, where in chosen.held.items()}
    library.save_house(OF_DAY.format(day=day), {"held": held, "resting": list(chosen.resting), "people": dict(chosen.people)})


def seconds_from(opens: time, moment: time) -> float:
    """Seconds of the clock from the opening."""
    return (moment.hour - opens.hour) * 3600.0 + (moment.minute - opens.minute) * 60.0 + moment.second - opens.second


def clock_of(day: date, opens: time, seconds: float) -> datetime:
    """The local time so many seconds after the opening of a day."""
    start = datetime.combine(day, opens).astimezone()
    return datetime.fromtimestamp(start.timestamp() + seconds).astimezone()


def _time(text: str) -> time:
    return time.fromisoformat(text)
