"""A logged batch as the model looks at it: from charge to drop on an even grid, hands as shares of their scales."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np

from firnel.core.green.blended import BlendedLot
from firnel.core.mark_finding import charge_shows, exchanged
from firnel.core.model.constants import MOST_SHARE, STEP, Hands, hands_of
from firnel.core.vocabulary import BatchRecord, Control, FloatArray, Found, Lot, Machine, Mark, MarkKind, Quality, Role, Trace
from firnel.core.words import tr

#: A gap in the readings longer than this stays a gap on the grid. [s]
LONGEST_BRIDGE_S = 12.0
#: Lines of a log further apart than this say nothing of when a control was moved between them. [s]
LONGEST_LINE_S = 90.0
#: A share of readings up to this may be glitches. [1]
GLITCHES = 0.02
#: Of fewer readings than this nobody says how far apart they lie.
FEW = 4
#: A roast shorter than this says too little. [s]
SHORTEST_S = 180.0
#: Readings of such a quality say nothing.
UNUSABLE = int(Quality.SPIKE | Quality.FROZEN | Quality.OUT_OF_RANGE)
#: A reading by hand this long before the charge tells what was read at it. [s]
HAND_BEFORE_S = 90.0
#: How much of the time before the charge is looked at, and how little says something. [s]
LONGEST_IDLE_S, SHORTEST_IDLE_S = 180.0, 16.0
#: Where the lot's moisture is not known: the middle of common practice, no published source. Wet basis.
USUAL_MOISTURE = 0.11
USUAL_DENSITY = 720.0  #: common practice, no published source. [g/L]
#: How far lots lie from what is usual, where nobody told, as standard deviations: density [50 g/L], moisture [points], dried
#: with the fruit, decaffeinated or hulled wet [shares]; from the lots of tests/logs.
UNTOLD = (0.85, 0.75, 0.4, 0.2)


class UnusableLogError(ValueError):
    """A batch that the model cannot learn from; the message says why."""


@dataclass(frozen=True)
class Idling:
    """The empty machine before the charge, up to it: hands of n steps, ``bean`` and ``air`` [degC] at n + 1 moments."""

    hands: Hands
    bean: FloatArray
    air: FloatArray


@dataclass(frozen=True)
class LoggedBatch:
    """One batch on the grid: ``bean`` and ``air`` [degC] at the n + 1 moments, NaN where nothing was read."""

    label: str
    lot: str  #: by name; the batch's own label where nobody told it
    hands: Hands
    bean: FloatArray
    air: FloatArray
    load_kg: float
    moisture: float
    density: float  #: [g/L]
    room_c: float
    bean_at_charge: float
    air_at_charge: float
    process: str = ""
    batch_of_day: int | None = None
    yellow_t: float | None = None  #: from charge [s]
    first_crack_t: float | None = None
    drop_t: float | None = None
    loss: float | None = None
    colour: float | None = None  #: ground where measured, else whole
    idling: Idling | None = None  #: what the log holds of the time before the charge
    blend: BlendedLot | None = None  #: where it was no single lot
    load_doubt: float = 0.0  #: standard deviation of the logarithm of the load, where nobody told it
    untold: tuple[float, ...] = ()  #: how far its green may lie from what is taken for it, as of `untold_of`
    by_hand: bool = False  #: the readings are few: keyed in, or noted so far apart that no line is drawn between them
    step: float = STEP
    settings: Mapping[Control, FloatArray] = field(default_factory=dict)  #: of each control through each step, on its scale
    started: datetime | None = None
    probe_moved: bool = False  #: it was told that the bean probe was moved or changed before it, since the batch before

    @property
    def t(self) -> FloatArray:
        """Times from charge, shape (n + 1,). [s]"""
        return self.step * np.arange(self.bean.size, dtype=np.float64)

    def reading_more(self, by: float) -> LoggedBatch:
        """The same roast on a bean probe that reads so much more. [degC]"""
        idling = None if self.idling is None else replace(self.idling, bean=self.idling.bean + by)
        return replace(self, bean=self.bean + by, bean_at_charge=self.bean_at_charge + by, idling=idling)


def untold_of(lot: Lot | None) -> tuple[float, ...]:
    """How far a lot may lie from what is taken for it, in the units of `UNTOLD`: nought where it was measured or told."""
    parts = lot.parts if isinstance(lot, BlendedLot) else ((lot, 1.0),)
    whole = sum(share for _, share in parts)

    def share_of(field: str) -> float:
        return float(np.sqrt(sum((share / whole) ** 2 for part, share in parts if not getattr(part, field, None))))

    told = (share_of("density_g_per_l"), share_of("moisture"), share_of("process"), share_of("process"))
    return tuple(share * sd for share, sd in zip(told, UNTOLD, strict=True))


@dataclass(frozen=True)
class UsualLoad:
    """What a machine is usually charged with, and how far loads lie from it: standard deviation of their logarithm."""

    kg: float
    apart: float


def logged_batch(
    record: BatchRecord,
    machine: Machine,
    lot: Lot | None = None,
    batch_of_day: int | None = None,
    until: float | None = None,
    usual: UsualLoad | None = None,
) -> LoggedBatch:
    """Bring a recorded batch onto the grid.

    Parameters
    ----------
    record : with a charge mark; without a drop mark the record ends the batch.
    machine : whose scales the controls are on.
    lot : for moisture and density; usual ones where None or not measured.
    batch_of_day : 1 for the first on a cold machine; None where nobody knows.
    until : log time behind which nothing is known yet; None for the whole record. [s]
    usual : what stands for a load that nobody told; None refuses the batch.

    Raises
    ------
    UnusableLogError : if there is no charge, no load, no bean probe, or too little of the roast.
    """
    told = bool(record.load_kg)
    if not told and usual is not None:
        record = replace(record, load_kg=usual.kg)
    (charge, load_kg), drop = _charged(record, machine), record.mark(MarkKind.DROP)
    trace = record.trace
    end = drop.t if drop else (float(trace.t[-1]) if trace.t.size else charge.t)
    by_hand = bool(np.any(trace.quality & int(Quality.HAND))) or _far_apart(trace, charge.t, end)
    if until is not None:
        end = until if by_hand and drop is None else min(end, until)
    elif end - charge.t < SHORTEST_S:
        raise UnusableLogError(
            tr("batch {} lasts {:.0f} s from charge: too short to learn from.", record.label, end - charge.t)
        )
    grid = np.arange(charge.t, end + 1e-6, STEP)
    good = (trace.quality & UNUSABLE) == 0
    if not by_hand and charge_shows(trace.t[good], trace.bean[good], charge.t) is False:
        raise UnusableLogError(
            tr("batch {}: the bean probe does not fall at its charge: was it marked at another time?", record.label)
        )
    bean, air = _readings(record, charge.t, grid, good, by_hand)
    _refuse_wrong_unit(record.label, bean, until is None)
    if exchanged(trace.t[good], trace.bean[good], trace.air[good], charge.t):
        raise UnusableLogError(tr("batch {}: bean and air probe look exchanged.", record.label))
    settings, hands = _hands(record, machine, grid)
    idling = _idling(record, machine, charge.t, good)

    def from_charge(kind: MarkKind) -> float | None:
        mark = record.mark(kind)
        return mark.t - charge.t if mark is not None and (until is None or mark.t <= until) else None

    known_bean, known_air = bean[np.isfinite(bean)], air[np.isfinite(air)]
    return LoggedBatch(
        record.label,
        # Whose lot nobody told may be of any: it is a lot of its own, not one with all others that nobody told of.
        lot.name if isinstance(lot, BlendedLot) else record.lot or record.label,
        hands,
        bean,
        air,
        load_kg,
        lot.moisture if lot and lot.moisture else USUAL_MOISTURE,
        lot.density_g_per_l if lot and lot.density_g_per_l else USUAL_DENSITY,
        record.room_c if record.room_c is not None else 22.0,
        float(known_bean[0]),
        float(known_air[0]) if known_air.size else float("nan"),
        lot.process if lot else "",
        batch_of_day,
        from_charge(MarkKind.YELLOW),
        from_charge(MarkKind.FIRST_CRACK),
        from_charge(MarkKind.DROP),
        record.loss,
        record.colour_ground if record.colour_ground is not None else record.colour_whole,
        idling,
        by_hand=by_hand,
        settings=settings,
        blend=lot if isinstance(lot, BlendedLot) else None,
        untold=untold_of(lot),
        load_doubt=0.0 if told or usual is None else usual.apart,
        started=record.started,
    )


def _charged(record: BatchRecord, machine: Machine) -> tuple[Mark, float]:
    """The charge, and what was charged [kg]: weighed, and no more than the machine can hold."""
    charge = record.mark(MarkKind.CHARGE)
    if charge is None:
        raise UnusableLogError(tr("batch {} has no charge mark.", record.label))
    if not record.load_kg or record.load_kg <= 0:
        raise UnusableLogError(tr("batch {} has no load: how much was charged?", record.label))
    if record.load_kg > 1.6 * machine.stated_load_kg:
        raise UnusableLogError(
            tr(
                "batch {} charged {:g} kg, more than {} can hold: another machine's log?",
                record.label,
                record.load_kg,
                machine.name,
            )
        )
    return charge, record.load_kg


def _readings(
    record: BatchRecord, charge_t: float, grid: FloatArray, good: np.ndarray, by_hand: bool
) -> tuple[FloatArray, FloatArray]:
    """Bean and air on the grid; refused where the bean probe was hardly read, or by hand not at the charge."""
    trace = record.trace
    onto = _nearest if by_hand else _on_grid
    bean, air = (onto(trace.t[good], column[good], grid) for column in (trace.bean, trace.air))
    if by_hand and not np.isfinite(bean[:1]).any() and bean.size:
        bean[0] = _read_before(record, charge_t, good)
    if not by_hand and bean.size:  # no line goes across the charge: the load falls in, and the probe with it
        for column, on_grid in ((trace.bean, bean), (trace.air, air)):
            before = good & np.isfinite(column) & (trace.t <= charge_t) & (trace.t > charge_t - LONGEST_BRIDGE_S)
            on_grid[0] = column[before][-1] if before.any() else on_grid[0]
    lacking = not np.isfinite(bean[:1]).all() if by_hand else False
    if np.isfinite(bean).sum() < (2 if by_hand else min(20, grid.size)) or lacking:
        raise UnusableLogError(tr("batch {} has hardly any bean readings.", record.label))
    return bean, air


def _hands(record: BatchRecord, machine: Machine, grid: FloatArray) -> tuple[dict[Control, FloatArray], Hands]:
    """The controls through each step of a grid: settings, and as shares of their scales."""
    settings = {control: _held(record, control, grid[:-1]) for control in machine.controls}
    heats = machine.of(Role.HEAT)
    count = max(grid.size - 1, 0)
    if not heats or (count and not any(np.isfinite(settings[control]).any() for control in heats)):
        raise UnusableLogError(tr("batch {} has no record of the gas or heater: the model needs the moves.", record.label))
    for control in (*heats, *machine.of(Role.AIRFLOW)):
        _refuse_far_beyond(record.label, machine, control, settings[control])
    return settings, hands_of(machine, settings, count)


def _refuse_far_beyond(label: str, machine: Machine, control: Control, settings: FloatArray) -> None:
    """Settings that no scale of this length was read on teach nonsense."""
    scale, known = machine.controls[control], settings[np.isfinite(settings)]
    if known.size and float(np.mean(known > MOST_SHARE * scale.high)) > GLITCHES:
        raise UnusableLogError(
            tr(
                "batch {} has {} at {:.4g}; the scale of {} ends at {:g} {}: is the log in other units, or the scale wrong?",
                label,
                machine.word(control),
                float(known.max()),
                machine.name,
                scale.high,
                scale.unit,
            )  # fmt: skip
        )


def _idling(record: BatchRecord, machine: Machine, charge_t: float, good: np.ndarray) -> Idling | None:
    """The last minutes before the charge, as far as bean probe and gas were read without a gap; None if too short."""
    trace = record.trace
    heats = [trace.control(control) for control in machine.of(Role.HEAT)]
    burning = np.logical_or.reduce([np.isfinite(column) for column in heats]) if heats else np.zeros(trace.t.size, bool)
    known = good & np.isfinite(trace.bean) & burning
    reach = trace.t[known & (trace.t <= charge_t)]
    reach = reach[reach >= charge_t - LONGEST_IDLE_S]
    gaps = np.flatnonzero(np.diff(reach) > LONGEST_BRIDGE_S)
    reach = reach[gaps[-1] + 1 :] if gaps.size else reach
    if reach.size < 5 or charge_t - reach[0] < SHORTEST_IDLE_S:
        return None
    count = int((charge_t - reach[0]) / STEP)
    grid = charge_t - STEP * np.arange(count, -1, -1, dtype=np.float64)
    bean, air = (_on_grid(trace.t[good], column[good], grid) for column in (trace.bean, trace.air))
    return Idling(_hands(record, machine, grid)[1], bean, air) if np.isfinite(bean[0]) else None


def _far_apart(trace: Trace, begin: float, end: float) -> bool:
    """Whether the bean probe was read so seldom between two moments that no line is drawn between readings. [s]"""
    read = trace.t[np.isfinite(trace.bean) & (trace.t >= begin) & (trace.t <= end)]
    return read.size > FEW and float(np.median(np.diff(read))) > LONGEST_BRIDGE_S


def _nearest(t: FloatArray, value: FloatArray, grid: FloatArray) -> FloatArray:
    """Readings by hand, each at the moment of the grid next to it; NaN between them: no straight line is drawn so far."""
    out = np.full(grid.size, np.nan)
    known = np.isfinite(value) & (t >= grid[0] - STEP) & (t <= grid[-1] + STEP)
    for moment, reading in zip(t[known], value[known], strict=True):
        out[min(max(round((moment - grid[0]) / STEP), 0), grid.size - 1)] = reading
    return out


def _read_before(record: BatchRecord, charge_t: float, good: np.ndarray) -> float:
    """What the bean probe read at the charge, where it was read by hand some time before; NaN where it was not."""
    mark, trace = record.mark(MarkKind.CHARGE), record.trace
    before = good & np.isfinite(trace.bean) & (trace.t <= charge_t) & (trace.t >= charge_t - HAND_BEFORE_S)
    if before.any():
        return float(trace.bean[before][-1])
    return mark.bean if mark is not None and mark.bean is not None else float("nan")


def _on_grid(t: FloatArray, value: FloatArray, grid: FloatArray) -> FloatArray:
    """Readings on the grid by straight lines, NaN in gaps; lone spikes are passed over."""
    known = np.isfinite(value)
    t, value = t[known], value[known]
    if t.size < 2:
        return np.full(grid.size, np.nan)
    if value.size >= 3:
        middle = np.median(np.stack([value[:-2], value[1:-1], value[2:]]), axis=0)
        value = value.copy()
        lone = np.abs(value[1:-1] - middle) > 12.0
        value[1:-1][lone] = middle[lone]
    out = np.interp(grid, t, value, left=np.nan, right=np.nan)
    after = np.clip(np.searchsorted(t, grid), 1, t.size - 1)
    out[t[after] - t[after - 1] > LONGEST_BRIDGE_S] = np.nan
    return np.asarray(out, float)


def _held(record: BatchRecord, control: Control, grid: FloatArray) -> FloatArray:
    """A control's setting at each moment: from the readings where the machine reports it, else from the moves."""
    column = record.trace.control(control)
    known = np.isfinite(column)
    if grid.size:
        known &= record.trace.t <= max(grid[-1] + STEP, record.trace.t[0])  # what comes behind it is not known yet
    if known.any():
        times, values = record.trace.t[known], column[known]
        # A keyed move holds from its own moment, not from the next reading, which by hand may be a minute later.
        keyed = [(move.t, move.to) for move in record.moves if move.control == control and move.found is Found.KEY]
        if keyed:
            times, values = np.append(times, [t for t, _ in keyed]), np.append(values, [to for _, to in keyed])
            order = np.argsort(times, kind="stable")
            times, values = times[order], values[order]
        else:
            times = _moved_between(times, values)
        at = np.clip(np.searchsorted(times, grid, side="right") - 1, 0, None)
        return np.asarray(values[at], float)
    moves = sorted((move.t, move.to) for move in record.moves if move.control == control)
    out = np.full(grid.size, np.nan)
    for t, to in moves:
        out[grid >= t - 1e-6] = to
    return out


def _moved_between(t: FloatArray, value: FloatArray) -> FloatArray:
    """When each setting was come to, shape (n,): between lines that lie far apart most likely in the middle. [s]"""
    apart = np.diff(t, prepend=t[:1])
    moved = (np.diff(value, prepend=value[:1]) != 0.0) & (apart > 2.0 * STEP) & (apart <= LONGEST_LINE_S)
    return np.asarray(t - np.where(moved, 0.5 * apart, 0.0), float)


def _refuse_wrong_unit(label: str, bean: FloatArray, whole: bool) -> None:
    """Readings that no drum roast has: most likely degF taken for degC, or a probe that ran into its limit."""
    known = bean[np.isfinite(bean)]
    if known.max() > 290.0:
        raise UnusableLogError(tr("batch {} reads up to {:.0f} degC: is the log in degF?", label, known.max()))
    if whole and known.max() < 150.0:
        raise UnusableLogError(tr("batch {} never gets above {:.0f} degC: no roast, or another probe.", label, known.max()))
    if whole and known.size > 60 and np.mean(known == known.max()) > 0.15:
        raise UnusableLogError(tr("batch {} stays at {:.1f} degC for long: the probe is clipped.", label, known.max()))
