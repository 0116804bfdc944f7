"""Marks found from the curve alone: a forgotten key must never cost a batch.

Each finder answers with the time at which the thing truly happened, not at which it was noticed.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from firnel.core.vocabulary import FloatArray

#: A charge: the probe falls by this much ... [degC]
CHARGE_FALL_C = 20.0
#: ... within this time. [s]
CHARGE_WINDOW_S = 25.0
#: Readings farther apart than this were keyed by hand. [s]
KEYED_S = 10.0
#: A probe that cold beans fall on reads so much less, so soon: on all machines logged, drawn and strange 40 degC at least
#: within half a minute. One that reads less before was in no hot drum. [degC], [s], [degC]
SHOWS_C, SHOWS_S, HOT_DRUM_C = 12.0, 40.0, 100.0
#: Other beans: the probe falls by so much within so long, turns, and has risen so far for so long since; an empty drum may
#: fall as far, though hardly as fast, and rises by its heater only. [degC], [s], [degC], [s]
OTHER_FALL_C, OTHER_FALL_S, RISEN_C, RISEN_S = 60.0, 60.0, 5.0, 15.0
#: When beans have just fallen in the air is hotter than they are: on all logged machines by 38 K in the median of this time
#: behind the charge at least. [s], [s], [K], [readings]
FALLEN_FROM_S, FALLEN_UNTIL_S, EXCHANGED_C, TOLD_BY = 30.0, 150.0, -15.0, 8
#: For the turning point a reading is averaged with those within this about it. [s]
TURN_S = 9.0
#: No roast is dropped sooner after its charge than this. [s] Common practice, no published source.
SHORTEST_ROAST_S = 180.0
#: So long after a charge there is no other, and beans that are roasted read so much at least. [s], [degC]
NEXT_S, ROASTED_C = 300.0, 150.0
#: A probe in beans that leave falls; one that reads so much otherwise from one reading to the next [degC], [s] has jumped.
JUMP_C, JUMP_S = 25.0, 2.5
#: A bare probe in a hot drum reads so much more, so long behind the drop, than beans would have gone on to; on seven
#: logged machines none went beyond 8.3 by itself. [degC], [s]
BARE_C, BARE_S = 10.0, 20.0
#: What lies so long before a corner says how the curve went. [s]
BEFORE_CORNER_S = 25.0
GLANCE = 0.6  #: of it, that two points must say before a line is laid.
#: What lies so long before a jump, or behind it, tells of a wire and not of beans. [s]
BEFORE_JUMP_S, BEHIND_JUMP_S = 15.0, 5.0
#: Readings that come more often than this say the same many times over, or no probe follows so fast. [s]
CLOSEST_S = 0.4


def find_charge(t: FloatArray, bean: FloatArray) -> float | None:
    """Time at which the beans fell in: where the probe's plunge begins.

    Parameters
    ----------
    t : times, shape (n,), rising. [s]
    bean : probe readings, shape (n,); NaN and lone spikes are allowed. [degC]

    Returns
    -------
    The moment of the charge, the first reading if the record begins in the plunge; None if the probe never plunges. [s]
    """
    t, bean = _clean(t, bean)
    if t.size < 4:
        return None
    apart = float(np.median(np.diff(t)))
    if apart > KEYED_S:  # keyed by hand: the beans fell in behind the last reading before the fall
        falls = np.nonzero((bean[:-1] - bean[1:] >= CHARGE_FALL_C) & (bean[:-1] > 90.0) & (np.diff(t) <= 3.0 * apart))[0]
        return float(t[falls[0]]) if falls.size else None
    # From each reading to the one 25 s on: the probe must be hot first and fall by 20 degC.
    ahead = np.searchsorted(t, t + CHARGE_WINDOW_S, side="right") - 1
    fall = bean - bean[ahead]
    hits = np.nonzero((fall >= CHARGE_FALL_C) & (ahead > np.arange(t.size) + 1) & (bean > 90.0))[0]
    if hits.size == 0:
        return None
    first = int(hits[0])
    window = slice(first, int(ahead[first]) + 1)
    slope = np.gradient(bean[window], t[window])
    steepest = float(slope.min())
    # The probe's own lag rounds the corner a little: take the line of the steep part back to the level before it.
    begins = steep = int(np.argmin(slope))
    while begins > 0 and slope[begins - 1] < 0.35 * steepest:  # back from the steepest: a wobble before it is none of it
        begins -= 1
    begins, steep = first + begins, first + steep
    before = bean[(t >= t[begins] - 12.0) & (t < t[begins])]
    if begins == 0 or before.size == 0:  # the record begins in the plunge, or goes on in it behind a gap
        return float(t[begins])
    level = float(np.median(before[-4:]))
    corner = t[steep] - (level - bean[steep]) / -steepest
    return float(np.clip(corner, t[max(begins - 2, 0)], t[begins]))


def charge_shows(t: FloatArray, bean: FloatArray, charge_t: float) -> bool | None:
    """Whether the readings show beans that fell in when they are said to have.

    Parameters
    ----------
    t, bean : as in `find_charge`, up to now.
    charge_t : when it was, as a hand has told. [s]

    Returns
    -------
    False where the probe goes on as before, or was first read later; None where nothing says, or it is too early to tell.
    """
    t, bean = _clean(t, bean)
    if t.size < 4 or t[-1] < charge_t + SHOWS_S or float(np.median(np.diff(t))) > KEYED_S:
        return None
    if t[0] > charge_t + SHOWS_S:
        return False
    behind = (t > charge_t) & (t <= charge_t + SHOWS_S)
    before = (t > charge_t - KEYED_S) & (t <= charge_t + 1.0)
    if behind.sum() < 4 or not before.any() or (level := float(np.median(bean[before]))) < HOT_DRUM_C:
        return None
    return bool(level - bean[behind].min() >= SHOWS_C)


def find_charges(t: FloatArray, bean: FloatArray) -> list[float]:
    """Times of all charges that a roast follows, in a record of one batch or of a whole day; arrays as in `find_charge`. [s]"""
    found: list[float] = []
    begin = float(t[0]) - 1.0 if t.size else 0.0
    while (later := t > begin).any():
        charge = find_charge(t[later], bean[later])
        if charge is None:
            break
        # A part that begins in a plunge begins in the one before.
        if not found or charge > float(t[later][0]) + 1.0:
            found.append(charge)
        begin = charge + NEXT_S
    ends = [*found[1:], float("inf")][: len(found)]
    roasts = [
        np.nanmax(bean[(t >= at + SHORTEST_ROAST_S) & (t < end)], initial=-np.inf) for at, end in zip(found, ends, strict=True)
    ]
    return [at for at, highest in zip(found, roasts, strict=True) if highest >= ROASTED_C]


def exchanged(t: FloatArray, bean: FloatArray, air: FloatArray, charge_t: float) -> bool:
    """Whether bean and air probe stand for each other: what is called air is the colder behind the charge, and fell further.

    A probe that reads the air somewhere cold is no bean probe: it does not fall.

    Parameters
    ----------
    t, bean, air : as in `find_drop`.
    charge_t : when the beans fell in. [s]
    """
    part = slice(*np.searchsorted(t, (charge_t + FALLEN_FROM_S, charge_t + FALLEN_UNTIL_S)))
    known = np.isfinite(air[part]) & np.isfinite(bean[part])
    if known.sum() < TOLD_BY or float(np.median((air[part] - bean[part])[known])) >= EXCHANGED_C:
        return False
    about = np.abs(t - charge_t) <= KEYED_S
    beans, others = (np.nanmax(np.append(probe[about], -np.inf)) - np.nanmin(probe[part][known]) for probe in (bean, air))
    return bool(others > beans)


def find_recharge(t: FloatArray, bean: FloatArray) -> float | None:
    """Time at which other beans fell into a drum that was not told to be empty, once the probe has turned on them.

    Parameters
    ----------
    t, bean : as in `find_charge`, from some minutes behind the last charge on.

    Returns
    -------
    The moment; None where none did. [s]
    """
    t, bean = _clean(t, bean)
    if t.size < 20 or float(np.median(np.diff(t))) > KEYED_S:
        return None
    low = int(np.argmin(bean))
    if bean[-1] < bean[low] + RISEN_C or t[-1] < t[low] + RISEN_S:
        return None
    found, begin = None, 0
    while begin < low:  # the last fall that leads down to there: the one before may be the beans that left
        at = find_charge(t[begin : low + 1], bean[begin : low + 1])
        if at is None:
            break
        index = int(np.searchsorted(t, at))
        soon = (t > at) & (t <= at + OTHER_FALL_S)
        if at > t[begin] + 2.0 and soon.any() and bean[index] - bean[soon].min() >= OTHER_FALL_C:
            found = at
        begin = max(index, begin) + 5
    return found


def find_turning(t: FloatArray, bean: FloatArray, charge_t: float) -> float | None:
    """Time of the turning point: the lowest point after charge of the readings, each averaged with those about it.

    Returns
    -------
    The moment, or None while the curve has not clearly turned (half a degree up again). [s]
    """
    t, bean = _clean(t, bean)
    part = (t >= charge_t) & (t <= charge_t + 300.0)
    if part.sum() < 6:
        return None
    t, bean = t[part], bean[part]
    level = np.array([float(np.mean(bean[np.abs(t - moment) <= TURN_S])) for moment in t])
    lowest = int(np.argmin(level))
    if lowest in (0, t.size - 1) or level[-1] < level[lowest] + 0.5:
        return None
    return float(t[lowest])


def find_drop(t: FloatArray, bean: FloatArray, charge_t: float, air: FloatArray | None = None) -> float | None:
    """Time at which the beans left the drum: late in the record, the sharpest corner downwards, or before it a bare probe.

    Parameters
    ----------
    t, bean : as in `find_charge`.
    charge_t : time of the charge. [s]
    air : air probe, shape (n,), where there is one: it breaks more sharply than the bean probe. [degC]

    Returns
    -------
    The moment; None if nothing late in the record looks like a drop. [s]
    """
    times, bean = _clean(t, bean)
    probes = [(times, bean)]
    if air is not None and np.isfinite(air).sum() > 10:
        probes.append(_clean(t, air))
    late = times >= charge_t + SHORTEST_ROAST_S
    if late.sum() < 12 or np.max(bean[late]) < ROASTED_C:
        return None
    jumped = jumps(times, bean)
    inner = late & (bean >= ROASTED_C) & (times <= times[-1] - 3.0) & ~by_a_jump(times, jumped)
    bared = _bared(times, bean, times[inner & ~_near(times, jumped, BEFORE_CORNER_S + 1.0)])
    if bared is not None:
        inner &= times <= bared
    # A corner alone may be a gas cut: behind a drop the probe falls.
    behind = np.searchsorted(times, times + 15.0, side="right") - 1
    candidates = times[inner & (bean - bean[behind] > 1.0)]
    if candidates.size == 0:
        return bared
    score = np.zeros(candidates.size)
    for moments, values in probes:
        noise = float(np.median(np.abs(np.diff(values[moments >= charge_t + SHORTEST_ROAST_S])))) + 0.05
        score += np.array([_corner(moments, values, float(moment)) / noise for moment in candidates])
    return float(candidates[int(np.argmax(score))])


def jumps(t: FloatArray, bean: FloatArray) -> FloatArray:
    """When the probe went to another level from one reading to the next and stayed there: a wire, not the beans. [s]"""
    known = np.isfinite(bean)
    t, bean = t[known], bean[known]
    far = np.flatnonzero((np.abs(np.diff(bean)) > JUMP_C) & (np.diff(t) <= JUMP_S)) + 1
    # A lone spike is none: three readings on either side tell of a level.
    stayed = [abs(float(np.median(bean[at : at + 3]) - np.median(bean[max(at - 3, 0) : at]))) > JUMP_C for at in far]
    return np.asarray(t[far[np.array(stayed, bool)]], float)


def by_a_jump(moments: FloatArray, jumped: FloatArray) -> NDArray[np.bool_]:
    """Which of these moments [s], shape (n,), lie so near a jump that nothing is told by them; boolean, shape (n,)."""
    after = jumped[None, :] - moments[:, None]
    return np.asarray(((after >= -BEHIND_JUMP_S) & (after <= BEFORE_JUMP_S)).any(axis=1), bool)


def _near(moments: FloatArray, others: FloatArray, within_s: float) -> NDArray[np.bool_]:
    return np.asarray((np.abs(moments[:, None] - others[None, :]) <= within_s).any(axis=1), bool)


def _bared(t: FloatArray, bean: FloatArray, moments: FloatArray) -> float | None:
    """When the beans left a probe bare in a drum whose heat stayed on: it rises as no beans do. None where it does not. [s]"""
    rises: list[float] = []
    # At a glance, as it is asked after every other reading: what two points before and one behind say.
    earlier, now, behind = (np.interp(moments + by, t, bean) for by in (-BEFORE_CORNER_S, 0.0, BARE_S))
    glance = behind - now - (now - earlier) * BARE_S / BEFORE_CORNER_S
    for moment in moments[(glance >= GLANCE * BARE_C) & (moments <= t[-1] - BARE_S)].tolist():
        before, later = (t >= moment - BEFORE_CORNER_S) & (t <= moment), np.abs(t - moment - BARE_S) <= 3.0
        if before.sum() < 4 or not later.any():
            continue
        line = np.polyfit(t[before], bean[before], 1)
        if float(np.median(bean[later] - np.polyval(line, t[later]))) >= BARE_C:
            rises.append(moment)
    # What lies shortly before the corner is that far below later readings too.
    near = [one for one in moments.tolist() if rises and rises[0] <= one <= rises[-1] + BARE_S]
    return min(near, key=lambda one: _corner(t, bean, one), default=None)


def _corner(t: FloatArray, value: FloatArray, moment: float) -> float:
    """How much more steeply a curve falls in the 12 s behind a moment than in the 25 s before it. [degC over 10 s]"""
    before, behind = (t >= moment - BEFORE_CORNER_S) & (t <= moment), (t >= moment) & (t <= moment + 12.0)
    if before.sum() < 4 or behind.sum() < 3:
        return 0.0
    down = np.polyfit(t[behind], value[behind], 1)[0]
    # A short stretch behind says less: weigh by its length.
    length = min(float(t[behind][-1] - moment), 12.0) / 12.0
    return float((np.polyfit(t[before], value[before], 1)[0] - down) * 10.0 * np.sqrt(length))


def _clean(t: FloatArray, bean: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Readings without gaps, equal times and lone spikes; of those that lie closer than `CLOSEST_S` the mean of each second."""
    t, bean = np.asarray(t, float), np.asarray(bean, float)
    known = np.isfinite(t) & np.isfinite(bean)
    t, bean = t[known], bean[known]
    if t.size < 3:
        return t, bean
    forward = np.concatenate([[True], np.diff(np.maximum.accumulate(t)) > 0])
    t, bean = t[forward], bean[forward]
    middle = np.median(np.stack([bean[:-2], bean[1:-1], bean[2:]]), axis=0)
    calm = bean.copy()
    lone = np.abs(bean[1:-1] - middle) > 12.0
    calm[1:-1][lone] = middle[lone]
    if np.median(np.diff(t)) < CLOSEST_S:
        _, second, counted = np.unique(np.floor(t), return_inverse=True, return_counts=True)
        t, calm = (np.bincount(second, values) / counted for values in (t, calm))
    return t, calm
