"""What is said of a batch that runs: when its marks come, where it lands, and how surely."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from firnel.core.crossing import crossing
from firnel.core.vocabulary import FloatArray


@dataclass(frozen=True)
class Interval:
    """A figure with its 80 % interval; None where fewer than half of the members get there."""

    value: float
    low: float | None
    high: float | None

    def more(self, by: float) -> Interval:
        """The same, so much further up."""
        low, high = (None if end is None else end + by for end in (self.low, self.high))
        return Interval(self.value + by, low, high)


@dataclass(frozen=True)
class DropRule:
    """When the batch is to be dropped: after development time [s], or at a bean reading [degC]; development wins."""

    development_s: float | None = None
    drop_c: float | None = None


@dataclass(frozen=True)
class Forecast:
    """What is expected at ``at`` [s from charge]; ``basis`` is ``model`` or ``curve``; None for what cannot be said."""

    at: float
    basis: str
    yellow: Interval | None = None
    first_crack: Interval | None = None
    drop_t: Interval | None = None
    drop_c: Interval | None = None
    development_s: Interval | None = None
    fan_t: FloatArray | None = None  #: times from charge, shape (n,)
    fan: FloatArray | None = None  #: bean probe at 10, 50 and 90 %, shape (3, n) [degC]
    air: FloatArray | None = None  #: middle of the air probe at ``fan_t``, shape (n,) [degC]
    cloud: FloatArray | None = None  #: development [s] and drop [degC] of each member, shape (2, m)

    def reading_more(self, by: float) -> Forecast:
        """The same on a bean probe that reads so much more. [degC]"""
        drop_c, fan, cloud = self.drop_c, self.fan, self.cloud
        return replace(
            self,
            drop_c=drop_c.more(by) if drop_c is not None else None,
            fan=fan + by if fan is not None else None,
            cloud=cloud + np.array([[0.0], [by]]) if cloud is not None else None,
        )


@dataclass(frozen=True)
class Marks:
    """Marks that have come, from charge [s]; of one that was only found, half its 80 % interval. [s]"""

    yellow_t: float | None = None
    first_crack_t: float | None = None
    first_crack_doubt_s: float = 0.0


def interval(values: FloatArray, width: float = 1.0) -> Interval | None:
    """Median and 80 % interval, stretched about the median by ``width``; members that never get there count as late."""
    if values.size == 0 or np.isnan(values).any():
        values = values[~np.isnan(values)]
    if values.size == 0:
        return None
    low, middle, high = (float(q) for q in np.quantile(values, (0.1, 0.5, 0.9), method="nearest"))
    if not np.isfinite(middle):
        return None
    low, high = middle - width * (middle - low), middle + width * (high - middle)
    return Interval(middle, low if np.isfinite(low) else None, high if np.isfinite(high) else None)


def sane(curves: FloatArray) -> FloatArray:
    """Curves of members, shape (n, m), without those that run away; all of them where none does or all do."""
    good = np.isfinite(curves).all(axis=0)
    return curves if good.all() or not good.any() else curves[:, good]


def drop_of(t: FloatArray, probe: FloatArray, crack: FloatArray, rule: DropRule) -> tuple[FloatArray, FloatArray]:
    """Time [s] and bean reading [degC] of each member's drop, shape (m,), on the curves ``probe`` of shape (n, m).

    What should have been dropped before the curves begin is dropped at once.
    """
    if rule.development_s is not None:
        drop_t = np.maximum(crack + rule.development_s, t[0])
    elif rule.drop_c is not None:
        risen = np.where(t[:, None] >= crack, probe, -np.inf)
        drop_t = crossing(t, risen, np.full(crack.size, rule.drop_c))
    else:
        drop_t = np.full(crack.size, np.inf)
    members = np.arange(crack.size)
    reached = np.where(np.isfinite(drop_t), np.clip(drop_t, t[0], t[-1]), t[-1])
    after = np.clip(np.searchsorted(t, reached), 1, t.size - 1)
    share = (reached - t[after - 1]) / (t[after] - t[after - 1])
    low, high = probe[after - 1, members], probe[after, members]
    inside = drop_t <= t[-1]
    return np.where(inside, drop_t, np.inf), np.where(inside, low + share * (high - low), np.nan)
