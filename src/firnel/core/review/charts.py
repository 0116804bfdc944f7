"""Control charts of single values: limits from the moving range, run rules, capability, and how well a plan is replicated.

References
----------
.. [1] NIST/SEMATECH e-Handbook of Statistical Methods: 6.3.2 (rules), 6.3.2.2 (individuals charts), 6.1.6 (capability).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: d2 and D4 of ranges of two.
D2, D4 = 1.128, 3.267
#: A chart from fewer values than this says little; common practice, no published source.
LEAST = 8


@dataclass(frozen=True)
class Signal:
    """A rule that fired at a value: its index, the rule's number, and its words."""

    index: int
    rule: int
    words: str


@dataclass(frozen=True)
class Chart:
    """Individuals and moving range of values in time order, shape (n,) and (n - 1,), with centre and limits."""

    values: FloatArray
    moving_range: FloatArray
    centre: float
    low: float
    high: float
    range_centre: float
    range_high: float
    signals: tuple[Signal, ...] = ()

    @property
    def sigma(self) -> float:
        """Spread from one batch to the next."""
        return self.range_centre / D2

    @property
    def in_control(self) -> bool:
        """Whether no rule fired."""
        return not self.signals


def individuals_chart(values: FloatArray, base: int | None = None) -> Chart:
    """The chart of values in time order.

    Parameters
    ----------
    values : finite, shape (n,), n at least 2.
    base : limits come from the first so many; from all where None.

    Raises
    ------
    ValueError : if there are fewer than two values, or one is not a number.
    """
    values = np.asarray(values, float)
    if values.size < 2 or not np.isfinite(values).all():
        raise ValueError(tr("a control chart needs two values at least, and every one a number."))
    moving = np.abs(np.diff(values))
    first = values[:base] if base is not None and base >= 2 else values
    centre, range_centre = float(first.mean()), float(np.abs(np.diff(first)).mean())
    reach = 3.0 * range_centre / D2
    chart = Chart(values, moving, centre, centre - reach, centre + reach, range_centre, D4 * range_centre)
    return replace(chart, signals=_signals(chart))


def _signals(chart: Chart) -> tuple[Signal, ...]:
    """Beyond the limits, two of three far out, four of five, eight on one side, a trend; the first of them at each value."""
    sigma = chart.sigma
    if sigma <= 0:
        return ()
    z = (chart.values - chart.centre) / sigma
    found = [Signal(int(i), 1, tr("beyond the limits")) for i in np.flatnonzero(np.abs(z) > 3.0)]
    for rule, count, of, beyond, words in (
        (2, 2, 3, 2.0, tr("two of three beyond two sigma")),
        (3, 4, 5, 1.0, tr("four of five beyond one sigma")),
        (4, 8, 8, 0.0, tr("eight in a row on one side")),
    ):
        for side in (1.0, -1.0):
            out = (side * z > beyond).astype(int)
            if out.size < of:
                continue
            inside = np.convolve(out, np.ones(of, int), "valid")
            hits = np.flatnonzero((inside >= count) & (out[of - 1 :] == 1)) + of - 1
            found += [Signal(int(i), rule, words) for i in hits]
    up = np.sign(np.diff(chart.values))
    if up.size >= 5:
        run = np.convolve(up, np.ones(5), "valid")
        found += [Signal(int(i) + 5, 5, tr("six in a row rising or falling")) for i in np.flatnonzero(np.abs(run) == 5.0)]
    best: dict[int, Signal] = {}
    for signal in sorted(found, key=lambda signal: signal.rule):
        best.setdefault(signal.index, signal)
    return tuple(best[index] for index in sorted(best))


@dataclass(frozen=True)
class Capability:
    """Capability of values against a target and its tolerance: Cp, Cpk and Cpm by the overall spread, and the share inside."""

    cp: float
    cpk: float
    cpm: float
    inside: float

    @property
    def words(self) -> str:
        """``96 % in tolerance; the spread would allow better, the mean is off.``"""
        share = tr("{:.0f} % in tolerance", 100 * self.inside)
        if self.cpk >= 1.0 - 1e-9:
            return tr("{}: spread and mean are good.", share)
        if self.cp >= 1.0 - 1e-9:
            return tr("{}: the spread would do, the mean is off.", share)
        return tr("{}: the spread is wider than the tolerance.", share)


def capability(values: FloatArray, low: float, high: float, target: float | None = None) -> Capability:
    """How well values keep between two limits.

    Raises
    ------
    ValueError : if there are fewer than two values, or the limits are not two.
    """
    if values.size < 2 or not high > low:
        raise ValueError(tr("capability needs two values and a tolerance."))
    mean, sd = float(values.mean()), float(values.std(ddof=1))
    middle = 0.5 * (low + high) if target is None else target
    inside = float(np.mean((values >= low) & (values <= high)))
    if sd == 0:
        within = low <= mean <= high
        far = float("inf") if within else 0.0
        return Capability(float("inf"), far, far, inside)
    cp = (high - low) / (6.0 * sd)
    cpk = min(high - mean, mean - low) / (3.0 * sd)
    cpm = (high - low) / (6.0 * float(np.sqrt(sd**2 + (mean - middle) ** 2)))
    return Capability(cp, cpk, cpm, inside)
