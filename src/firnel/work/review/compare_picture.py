"""Batches laid over each other, in display units: curves on a common axis, differences, and the table of deviations."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.review.comparison import (
    BOUNDS,
    STAGES,
    Aligned,
    CannotAlignError,
    Deviation,
    aligned,
    deviations,
    difference,
    figures_of,
)
from firnel.core.units import Units, clock
from firnel.core.vocabulary import BatchRecord, Control, FloatArray, MarkKind
from firnel.core.words import meant, tr
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores
from firnel.work.plan.whose import plan_of

#: The corridor about a batch without a plan; common practice, no published source. [K]
CORRIDOR_C = 2.0
#: Curves are thinned to so many points each: more are not seen.
POINTS = 240
#: More than the first are drawn as a crowd, more than the second with fewer points each.
MANY, CROWD = 12, 60


@dataclass(frozen=True)
class Drawn:
    """One batch to be drawn: its label and curves over the axis, shape (n,), and the controls as shares of their range."""

    label: str
    x: FloatArray
    bean: FloatArray
    air: FloatArray
    rate: FloatArray
    controls: dict[Control, FloatArray]


@dataclass(frozen=True)
class Gap:
    """What one batch differs by from the first: over ``x``, shape (n,), of bean and air probe and of the rate."""

    label: str
    x: FloatArray
    bean: FloatArray
    air: FloatArray
    rate: FloatArray


@dataclass(frozen=True)
class ComparePicture:
    """All batches, the first being what the others are held against; their differences from it, tables, and complaints."""

    stages: bool
    drawn: tuple[Drawn, ...]
    differences: tuple[Gap, ...]
    corridor: float  #: half the width of the band about the first batch
    tables: tuple[tuple[str, tuple[tuple[str, str, str, str, str], ...]], ...]
    complaints: tuple[str, ...]


def compare(library: Library, keys: Sequence[int], at: str, units: Units) -> ComparePicture:
    """Compare batches; the first is the reference. What cannot be aligned is left out, and says why."""
    if len(keys) > MANY:
        return _many(library, keys, at, units)
    records = [library.batch(key) for key in keys]
    lines: list[tuple[BatchRecord, Aligned]] = []
    complaints = []
    for record in records:
        try:
            lines.append((record, aligned(record, at)))
        except CannotAlignError as error:
            complaints.append(str(error))
    if not lines:
        return ComparePicture(at == STAGES, (), (), 0.0, (), tuple(complaints))
    cups = cup_scores(library)
    (reference, base), others = lines[0], lines[1:]
    wanted = figures_of(reference, cups.get(reference.id or -1))
    scale = units.show_difference(1.0)
    drawn = tuple(drawn_of(line, units) for _, line in lines)
    less = tuple(
        Gap(line.label, gap.x, gap.bean * scale, gap.air * scale, gap.rate * scale)
        for _, line in others
        for gap in (difference(line, base),)
    )
    tables = tuple(
        (record.label, tuple(row_of(one, units) for one in deviations(figures_of(record, cups.get(record.id or -1)), wanted)))
        for record, _ in others
    )
    plan = plan_of(library, reference)
    corridor = (plan.tolerance("drop_c") if plan is not None else CORRIDOR_C) * scale
    return ComparePicture(at == STAGES, drawn, less, corridor, tables, tuple(complaints))


def _many(library: Library, keys: Sequence[int], at: str, units: Units) -> ComparePicture:
    """So many that only their bean curves are drawn, read at once."""
    curves, marks = library.bean_curves(keys, 4 if len(keys) <= CROWD else 8), library.all_marks(keys)
    scale, offset = units.show_difference(1.0), units.show(0.0, "°C")
    drawn, left_out = [], 0
    none = np.empty(0)
    for key in keys:
        own, curve = marks.get(key, {}), curves.get(key)
        needed = BOUNDS if at == STAGES else (MarkKind.CHARGE, MarkKind(at))
        if curve is None or any(kind not in own for kind in needed):
            left_out += 1
            continue
        t, bean = curve
        part = (t >= own[MarkKind.CHARGE]) & (t <= own.get(MarkKind.DROP, np.inf))
        x = np.interp(t[part], [own[k] for k in BOUNDS], np.arange(4.0)) if at == STAGES else t[part] - own[MarkKind(at)]
        drawn.append(Drawn(f"{key}", x, bean[part] * scale + offset, none, none, {}))
    complaints = (tr("{} batches lack a mark for this alignment.", left_out),) if left_out else ()
    return ComparePicture(at == STAGES, tuple(drawn), (), CORRIDOR_C * scale, (), complaints)


def drawn_of(line: Aligned, units: Units) -> Drawn:
    """A batch that was aligned, thinned to what is seen of it."""
    scale, offset = units.show_difference(1.0), units.show(0.0, "°C")
    step = max(1, int(np.ceil(line.x.size / POINTS)))
    controls = {control: values[::step] for control, values in line.controls.items() if np.isfinite(values).any()}
    return Drawn(
        line.label, line.x[::step], line.bean[::step] * scale + offset, line.air[::step] * scale + offset,
        line.rate[::step] * scale, controls,
    )  # fmt: skip


def row_of(one: Deviation, units: Units) -> tuple[str, str, str, str, str]:
    """``("drop", "207.0 °C", "206.1 °C", "−0.9", "same")``."""
    by = {
        "s": tr("{:+.0f} s", one.by),
        "°C": tr("{:+.1f}", units.show_difference(one.by)),
        "share": tr("{:+.1f}", 100 * one.by),
        "points": tr("{:+.1f}", one.by),
    }[one.unit]
    wanted, came = _shown(one.wanted, one.unit, units), _shown(one.came, one.unit, units)
    return one.words, wanted, came, by, meant("verdict", one.word)


def _shown(value: float, unit: str, units: Units) -> str:
    if unit == "s":
        return clock(value)
    if unit == "°C":
        return units.text(value, "°C", 1)
    return tr("{:.1f} %", 100 * value) if unit == "share" else tr("{:.1f}", value)
