"""When curves reach a level: one way for plans, forecasts and marks."""

from __future__ import annotations

import numpy as np

from firnel.core.vocabulary import FloatArray


def crossing(t: FloatArray, curve: FloatArray, level: FloatArray) -> FloatArray:
    """When each curve first reaches its level, shape (m,); at once if it is there already, infinite if never. [s]

    Parameters
    ----------
    t : times, shape (n,), rising. [s]
    curve : of each member, shape (n, m).
    level : of each member, shape (m,), in the unit of the curves.

    Examples
    --------
    >>> crossing(np.array([0.0, 10.0, 20.0]), np.array([[1.0], [2.0], [4.0]]), np.array([3.0]))
    array([15.])
    """
    above = curve >= level
    index = np.argmax(above, axis=0)
    members = np.arange(level.size)
    before = np.clip(index - 1, 0, None)
    low, high = curve[before, members], curve[index, members]
    rises = (index > 0) & (high > low) & np.isfinite(low)
    low, high = np.where(rises, low, level - 1.0), np.where(rises, high, level)
    share = np.where(rises, (level - low) / (high - low), 0.0)
    when = t[before] + np.clip(share, 0.0, 1.0) * (t[index] - t[before])
    return np.where(above.any(axis=0), when, np.inf)


def passes(t: FloatArray, curve: FloatArray, level: float, falling: bool = False) -> float | None:
    """When a curve first passes a level from below, or from above where ``falling``; None if it does not. [s]

    Parameters
    ----------
    t, curve : shape (n,); readings that are not finite are passed over.
    level : in the unit of the curve.

    Examples
    --------
    >>> passes(np.array([0.0, 10.0, 20.0]), np.array([5.0, 1.0, 3.0]), 2.0)
    15.0
    >>> passes(np.array([0.0, 10.0, 20.0]), np.array([5.0, 1.0, 3.0]), 3.0, falling=True)
    5.0
    """
    known = np.isfinite(curve)
    t, side = t[known], (curve[known] - level) * (-1.0 if falling else 1.0)
    after = np.flatnonzero((side[:-1] < 0.0) & (side[1:] >= 0.0))
    if not after.size:
        return None
    at = int(after[0])
    return float(t[at] - side[at] / (side[at + 1] - side[at]) * (t[at + 1] - t[at]))
