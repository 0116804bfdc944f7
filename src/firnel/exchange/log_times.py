"""The times of a log: whatever they are written in, seconds that go forward."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import UTC, datetime
from itertools import product

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.exchange.cells import cell_of, number_of, numbers_of
from firnel.exchange.errors import ImportRefusedError

#: A log is no longer than a day; no roast is over sooner than the other. [s]
MOST_S, LEAST_S = 86_400.0, 150.0
#: Figures of time that lie less than this apart over so few of them are no seconds. [1]
DENSE, LEAST_STEPS = 0.2, 200
#: Lines that share their moment are laid out evenly where they are more than this share of all; else they are left out. [1]
SHARED = 0.05
#: What a number of a time column may count instead of seconds: word, seconds in one, and what a heading calls it.
_COUNTED: tuple[tuple[str, float, str], ...] = (
    (tr("milliseconds"), 0.001, r"ms|msec|millis|milliseconds?"),
    (tr("minutes"), 60.0, r"min|mins|minutes?"),
    (tr("days"), MOST_S, r"days?"),
)
#: Headings of a column of minutes, and of one of seconds beside it.
_MINUTES = re.compile(r"(^|[^a-z])(m|min|mins|minutes?|minuten)([^a-z]|$)")
_SECONDS = re.compile(r"(^|[^a-z])(s|secs?|seconds?|sekunden)([^a-z]|$)")
#: A roast that was written down each minute has as many lines at least.
FEWEST_LINES = 6
#: A time of day behind a date or alone: ``02/11/2026 8:01:02.5 pm``.
_OF_DAY = re.compile(r"(?:^|[\sT])(\d{1,2}):(\d\d):(\d\d(?:[.,]\d+)?)\s*(?:([ap])\.?m\.?)?$", re.IGNORECASE)


def times_of(body: Sequence[Sequence[str]], index: int, decimal: str, name: str) -> FloatArray:
    """Seconds from numbers, minutes:seconds, hours:minutes:seconds or dates with a time; a day that ends is gone on with.

    Raises
    ------
    ImportRefusedError : if there are not even `FEWEST_LINES`.
    """
    cells = [cell_of(row, index) for row in body]
    t = np.array([_seconds(cell, decimal) for cell in cells])
    known = np.flatnonzero(np.isfinite(t))
    if known.size < FEWEST_LINES:
        raise ImportRefusedError(tr("{} has no {} lines with a time in them; there is no roast in it.", name, FEWEST_LINES))
    t[known[1:]] += MOST_S * np.cumsum(np.diff(t[known]) < -0.5 * MOST_S)
    if float(np.nanmin(t)) > 1e6:
        t = t - float(np.nanmin(t))  # clock times count from the first line
    return t


def began_at(body: Sequence[Sequence[str]], index: int) -> datetime | None:
    """When the log begins, where its first line has a date and a time; else None."""
    cell = cell_of(body[0], index)
    try:
        first = datetime.fromisoformat(cell)
    except ValueError:
        return None
    if ":" not in cell:
        return None  # eight figures are a date to the standard, and a count to a logger
    return first.astimezone(UTC) if first.year > 1970 else None


def in_seconds(t: FloatArray, body: Sequence[Sequence[str]], index: int, heading: str, name: str) -> tuple[FloatArray, str]:
    """The times in seconds, and what they count where that is something else, with what tells it.

    Raises
    ------
    ImportRefusedError : if they run over more than a day whatever they count.
    """
    length = float(np.nanmax(t) - np.nanmin(t))
    usual = float(np.nanmedian(np.diff(t)))
    plain = not any(":" in cell_of(row, index) for row in body[:20])
    for words, seconds, called in _COUNTED if plain else ():
        if length * seconds <= MOST_S and re.search(rf"(^|[^a-z])({called})([^a-z]|$)", heading.lower()):
            return t * seconds, tr("time in {} (by the heading)", words)
        # No log runs over a day, and none of seconds is as short and as dense as one of minutes is.
        wrong = length > MOST_S if seconds < 1.0 else length < DENSE * LEAST_STEPS and usual < DENSE
        if wrong and LEAST_S <= length * seconds <= MOST_S:
            return (t - np.nanmin(t)) * seconds, tr("time in {} (it runs over {:g})", words, round(length, 3))
    if length > MOST_S:
        raise ImportRefusedError(tr("{} runs over {:.0f} hours; a roast log is at most a day long.", name, length / 3600.0))
    return t, ""


def minutes_and_seconds(
    body: Sequence[Sequence[str]], header: Sequence[str], columns: Sequence[int], decimal: str
) -> tuple[FloatArray, tuple[int, int]] | None:
    """Seconds from a column of whole minutes and another of the seconds in them, and which those are; None without such two.

    Parameters
    ----------
    columns : those that may be it.
    """
    named = [index for index in columns if index < len(header)]
    for minutes, seconds in product(named, named):
        if not (_MINUTES.search(header[minutes].lower()) and _SECONDS.search(header[seconds].lower())):
            continue
        whole, rest = (numbers_of(body, index, decimal) for index in (minutes, seconds))
        t = 60.0 * whole + rest
        known = np.isfinite(t)
        if (
            known.mean() < 0.9
            or (np.mod(whole[known], 1.0) != 0.0).any()
            or ((rest[known] < 0.0) | (rest[known] >= 60.0)).any()
        ):
            continue
        if np.mean(np.diff(t[known]) > 0.0) > 0.9 and (np.diff(rest[known]) < 0.0).any():
            return t, (minutes, seconds)
    return None


def laid_out(t: FloatArray) -> tuple[FloatArray, int]:
    """Lines that share their moment, as those of a clock that shows whole seconds or minutes do, laid evenly up to the next.

    Returns
    -------
    The times, and how many lines were moved; none where few share theirs.
    """
    known = np.flatnonzero(np.isfinite(t))
    moments = t[known]
    begins = np.flatnonzero(np.concatenate([[True], np.diff(moments) != 0.0]))
    alike = np.diff(np.append(begins, moments.size))
    shared = int(moments.size - begins.size)
    steps = np.diff(moments[begins])
    if shared <= SHARED * moments.size or not (steps > 0.0).any():
        return t, 0
    usual = float(np.median(steps[steps > 0.0]))
    room = np.clip(np.append(steps, usual), 0.0, usual)
    place = np.arange(moments.size) - np.repeat(begins, alike)
    spread = t.copy()
    spread[known] = moments + place * np.repeat(room / alike, alike)
    return spread, shared


def going_forward(t: FloatArray, name: str) -> tuple[np.ndarray, int]:
    """Which lines go forward in time; a log that goes back often is refused."""
    keep = np.zeros(t.size, bool)
    newest = -math.inf
    for index, moment in enumerate(t):
        if math.isfinite(moment) and moment > newest:
            keep[index] = True
            newest = moment
    timed = int(np.isfinite(t).sum())
    dropped = timed - int(keep.sum())
    if dropped > 0.2 * timed:
        back = int(np.flatnonzero(np.diff(np.nan_to_num(t)) < 0)[0]) + 2 if (np.diff(np.nan_to_num(t)) < 0).any() else 0
        raise ImportRefusedError(
            tr(
                "In {} time goes backwards or stands still in {} of {} lines (first near line {}).",
                name,
                dropped,
                timed,
                back + 1,
            )
        )
    return keep, dropped


def _seconds(cell: str, decimal: str) -> float:
    if ":" not in cell:
        return number_of(cell, decimal)
    try:
        return datetime.fromisoformat(cell).timestamp()
    except ValueError:
        pass  # not a date with a time as the standard has it: a time of day, or a stop watch
    if (of_day := _OF_DAY.search(cell)) is not None:
        hours, minutes, seconds, half = of_day.groups()
        hour = int(hours) if half is None else int(hours) % 12 + 12 * (half.lower() == "p")
        return 3600.0 * hour + 60.0 * int(minutes) + float(seconds.replace(",", "."))
    total = 0.0
    for part in cell.split(":"):
        total = total * 60.0 + number_of(part, decimal)
    return total
