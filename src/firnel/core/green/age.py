"""How old a lot is, and what that means."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

from firnel.core.words import tr

#: Months from harvest at which green begins to fade, and the usual limit; common practice, no published source.
FADING_MONTHS, PAST_MONTHS = 6, 12
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


@dataclass(frozen=True)
class Age:
    """Months since ``since`` (harvest or arrival), and a warning or an empty word."""

    months: int
    since: str
    warning: str

    @property
    def words(self) -> str:
        """``6 months from harvest``."""
        return tr("{} {} from {}", self.months, tr("month") if self.months == 1 else tr("months"), self.since)


def month_of(text: str) -> date | None:
    """The first day of the month in a text like ``2026-05``, ``May 2026`` or ``05/2026``; None if it names none."""
    lowered = text.strip().lower()
    if found := re.search(r"\b(\d{4})-(\d{1,2})\b", lowered):
        year, month = int(found[1]), int(found[2])
    elif found := re.search(r"\b(\d{1,2})[/.](\d{4})\b", lowered):
        month, year = int(found[1]), int(found[2])
    elif found := re.search(r"\b([a-z]{3})[a-z]*\.?\s+(\d{4})\b", lowered):
        if found[1] not in _MONTHS:
            return None
        month, year = _MONTHS.index(found[1]) + 1, int(found[2])
    else:
        return None
    return date(year, month, 1) if 1 <= month <= 12 else None


def age_of(harvest: str, arrival: str, today: date) -> Age | None:
    """Age from the harvest month, or from arrival where the harvest names none; None where neither does.

    Examples
    --------
    >>> age_of("May 2026", "", date(2026, 11, 20)).months
    6
    """
    for text, since in ((harvest, tr("harvest")), (arrival, tr("arrival"))):
        begun = month_of(text)
        if begun is None:
            continue
        months = (today.year - begun.year) * 12 + today.month - begun.month
        if months >= PAST_MONTHS:
            return Age(months, since, tr("past crop: roasts fast and tastes papery; use it up in dark blends"))
        if months >= FADING_MONTHS:
            return Age(months, since, tr("begins to fade: heats a little faster, plan to finish it"))
        return Age(max(months, 0), since, "")
    return None
