"""Batches laid over each other: aligned at a mark or stage by stage, their differences, and the table of deviations."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Control, FloatArray, Mark, MarkKind
from firnel.core.words import tr

STAGES = "stages"
#: What batches can be aligned at.
ALIGNMENTS = (MarkKind.CHARGE.value, MarkKind.YELLOW.value, MarkKind.FIRST_CRACK.value, MarkKind.DROP.value, STAGES)
#: Marks that bound the stages; each stage is stretched to a width of one.
BOUNDS = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)
#: The rate is taken over so many seconds, an odd number.
RATE_WINDOW_S = 31
#: Points on a common axis.
POINTS = 600


class CannotAlignError(ValueError):
    """A batch lacks the mark that it is to be aligned at; the message names both."""


@dataclass(frozen=True)
class Aligned:
    """A batch from charge to drop on the axis ``x``: seconds from the mark it is aligned at, or stages of width one.

    All curves have shape (n,): bean and air [degC], rate of rise [degC/min], and the controls on the machine's scale.
    """

    label: str
    x: FloatArray
    bean: FloatArray
    air: FloatArray
    rate: FloatArray
    controls: Mapping[Control, FloatArray] = field(default_factory=dict)


def aligned(record: BatchRecord, at: str = MarkKind.CHARGE.value) -> Aligned:
    """A batch on an axis of its own.

    Raises
    ------
    CannotAlignError : if it lacks a mark that is needed.
    """
    marks = {mark.kind: mark for mark in record.marks}
    needed = BOUNDS if at == STAGES else (MarkKind.CHARGE, MarkKind(at))
    for kind in needed:
        if kind not in marks:
            raise CannotAlignError(
                tr("batch {} has no mark for {}: set it in Review, or align at charge.", record.label, kind.words)
            )
    trace = record.trace
    end = marks[MarkKind.DROP].t if MarkKind.DROP in marks else float(trace.t[-1])
    part = (trace.t >= marks[MarkKind.CHARGE].t) & (trace.t <= end)
    t, bean = trace.t[part], trace.bean[part]
    x = stage_axis(t, marks) if at == STAGES else t - marks[MarkKind(at)].t
    controls = {control: series[part] for control, series in trace.controls.items()}
    return Aligned(record.label, x, bean, trace.air[part], quick_rate(t, bean), controls)


def quick_rate(t: FloatArray, bean: FloatArray) -> FloatArray:
    """Rate of rise by a moving parabola over half a minute: for laying over each other, where edges at moves do not matter.

    Returns degC/min at ``t``, shape (n,).
    """
    known = np.isfinite(bean)
    grid = np.arange(t[known][0], t[known][-1], 1.0) if known.sum() >= RATE_WINDOW_S else np.empty(0)
    if grid.size < RATE_WINDOW_S:
        return np.full(t.size, np.nan)
    even = np.interp(grid, t[known], bean[known])
    return np.asarray(np.interp(t, grid, 60.0 * _slopes(even, RATE_WINDOW_S)))


def _slopes(even: FloatArray, window: int) -> FloatArray:
    """Slope of the parabola through each odd ``window`` of evenly spaced values, of the outermost ones up to the ends.

    Savitzky and Golay, Analytical Chemistry 36 (1964) 1627. What SciPy has for it takes two seconds to load.
    """
    half = window // 2
    k = np.arange(-half, half + 1)
    slopes = np.empty(even.size)
    slopes[half : even.size - half] = np.convolve(even, -k, "valid") / float(k @ k)
    for part, at, out in (
        (even[:window], k[:half], slopes[:half]),
        (even[-window:], k[half + 1 :], slopes[even.size - half :]),
    ):
        bend, slope, _ = np.polyfit(k, part, 2)
        out[:] = 2.0 * bend * at + slope
    return slopes


def stage_axis(t: FloatArray, marks: Mapping[MarkKind, Mark]) -> FloatArray:
    """Log times as stages of width one: charge 0, yellow 1, first crack 2, drop 3."""
    bounds = [marks[kind].t for kind in BOUNDS]
    return np.asarray(np.interp(t, bounds, np.arange(len(BOUNDS), dtype=float)))


@dataclass(frozen=True)
class Difference:
    """One batch less another on a common axis ``x``, shape (n,): bean, air [K] and rate [K/min]."""

    x: FloatArray
    bean: FloatArray
    air: FloatArray
    rate: FloatArray


def difference(one: Aligned, other: Aligned) -> Difference:
    """``one`` less ``other`` where both were roasting."""
    low, high = max(one.x[0], other.x[0]), min(one.x[-1], other.x[-1])
    x = np.linspace(low, max(high, low), POINTS)

    def less(name: str) -> FloatArray:
        first, second = getattr(one, name), getattr(other, name)
        return np.asarray(_at(x, one.x, first) - _at(x, other.x, second))

    return Difference(x, less("bean"), less("air"), less("rate"))


def _at(x: FloatArray, own: FloatArray, values: FloatArray) -> FloatArray:
    known = np.isfinite(values)
    if known.sum() < 2:
        return np.full(x.size, np.nan)
    return np.asarray(np.interp(x, own[known], values[known], left=np.nan, right=np.nan))


# The table of deviations

#: Name of a figure, its words, its unit (s, °C, share or points), and its tolerance against a reference where the plan has
#: none: stages 5 % (told as a share), development and drop as a hand can hold them. Common practice, no published source.
STAGE_SHARE = 0.05
FIGURES = (
    ("charge_c", tr("charge"), "°C", 1.0),
    ("drying_s", tr("drying"), "s", STAGE_SHARE),
    ("browning_s", tr("browning"), "s", STAGE_SHARE),
    ("development_s", tr("development"), "s", 4.0),
    ("drop_c", tr("drop"), "°C", 1.0),
    ("rise_c", tr("crack to drop"), "°C", 1.0),
    ("total_s", tr("total"), "s", STAGE_SHARE),
    ("loss", tr("weight loss"), "share", 0.005),
    ("colour_whole", tr("colour whole"), "points", 2.0),
    ("colour_ground", tr("colour ground"), "points", 2.0),
    ("cup", tr("cup"), "points", 1.0),
)
#: Out of tolerance by less than this many tolerances is close.
CLOSE = 2.0


@dataclass(frozen=True)
class Deviation:
    """One figure of a batch against what was wanted: words, unit, both values, tolerance in the same unit, and a word."""

    name: str
    words: str
    unit: str
    wanted: float
    came: float
    tolerance: float

    @property
    def by(self) -> float:
        """How much more came than was wanted."""
        return self.came - self.wanted

    @property
    def word(self) -> str:
        """same, close or off."""
        off = abs(self.by) / self.tolerance
        return "same" if off <= 1.0 + 1e-9 else "close" if off <= CLOSE + 1e-9 else "off"


def figures_of(record: BatchRecord, cup: float | None = None) -> dict[str, float]:
    """The figures of a batch by name, as far as they are known."""
    marks = {mark.kind: mark for mark in record.marks}
    charge, yellow, crack, drop = (marks.get(kind) for kind in BOUNDS)

    def between(first: Mark | None, second: Mark | None) -> float | None:
        return second.t - first.t if first is not None and second is not None else None

    def reading(mark: Mark | None) -> float | None:
        return mark.bean if mark is not None else None

    at_crack, at_drop = reading(crack), reading(drop)
    found = {
        "charge_c": reading(charge),
        "drying_s": between(charge, yellow),
        "browning_s": between(yellow, crack),
        "development_s": between(crack, drop),
        "drop_c": at_drop,
        "rise_c": at_drop - at_crack if at_drop is not None and at_crack is not None else None,
        "total_s": between(charge, drop),
        "loss": record.loss,
        "colour_whole": record.colour_whole,
        "colour_ground": record.colour_ground,
        "cup": cup,
    }
    return {name: float(value) for name, value in found.items() if value is not None}


def figures_wanted(plan: Plan) -> dict[str, float]:
    """What a plan wants, by the names of `figures_of`."""
    targets = plan.targets
    drying, browning, development = plan.stages
    found = {
        "charge_c": targets.charge_c, "drying_s": drying, "browning_s": browning, "development_s": development,
        "drop_c": targets.drop_c, "rise_c": targets.rise_c, "total_s": targets.total_s, "loss": targets.loss,
        "colour_ground": targets.colour,
    }  # fmt: skip
    return {name: float(value) for name, value in found.items() if value is not None}


def deviations(came: Mapping[str, float], wanted: Mapping[str, float], plan: Plan | None = None) -> tuple[Deviation, ...]:
    """The table of deviations, in the order of the roast.

    Parameters
    ----------
    came : of the batch.
    wanted : of the reference, or of the plan.
    plan : whose tolerances hold, where it sets any.
    """
    return tuple(
        Deviation(name, words, unit, wanted[name], came[name], tolerance_of(name, wanted[name], plan))
        for name, words, unit, _ in FIGURES
        if name in came and name in wanted
    )


def tolerance_of(name: str, wanted: float, plan: Plan | None = None) -> float:
    """What a figure may be off: as the plan sets it, else as is usual; of stages a share of what is wanted."""
    own = plan.tolerances.get(name) if plan is not None else None
    if own is not None:
        return max(own, 1e-9)
    unit, usual = next(((unit, usual) for known, _, unit, usual in FIGURES if known == name), ("s", STAGE_SHARE))
    return max(usual * wanted if unit == "s" and usual < 1.0 else usual, 1e-9)


def was_the_same(table: tuple[Deviation, ...]) -> bool | None:
    """Whether every figure was within its tolerance, the charge reading and the total left aside; None without any figure."""
    counted = [one for one in table if one.name not in ("charge_c", "total_s")]
    return all(one.word == "same" for one in counted) if counted else None
