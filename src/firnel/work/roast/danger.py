"""A roast that runs away, and one that is past the machine's limit. The limit is common practice, no published source.

Firnel warns and defers: to the maker's manual, the local fire code, the people whose trade it is. It commands nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from firnel.core.landing import Place
from firnel.core.plan import shifted_curve
from firnel.core.units import Units
from firnel.core.vocabulary import HOT_BEAN_C, Control, Machine, MarkKind, Role
from firnel.core.words import tr
from firnel.work.roast.probe_mistakes import exchanged, in_fahrenheit, misread

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState
    from firnel.work.roast.live_trace import LiveTrace

#: The air probe is not meant to read more than this with beans in the drum; common practice, no published source. [degC]
HOT_AIR_C = 320.0
#: So many hot readings in a row, of the last so many, are hot, unless the probe jumped there faster than this. [degC/s]
HOT_READINGS, HOT_WITHIN, JUMP_RATE = 3, 120, 20.0
#: The warning stands until the probe is so far below the limit again. [K]
BELOW_C = 3.0
#: A source of heat that was turned down answers within about this. [s]
ANSWER_S = 30.0
#: So much faster than the plan, in share and in K/min, with so much of the heat on, a roast runs away.
FASTER, FASTER_RATE, HIGH_HEAT = 1.5, 3.5, 0.45
#: Without a plan: so fast near first crack or after it. [K/min]
FAST_RATE = 13.0
#: It is looked at from so far below first crack on. [K]
NEAR_CRACK_C = 4.0
WHAT_TO_DO = (
    tr("Not burning: beans out into the running cooling tray."),
    tr("Burning: doors shut, the maker's way, local fire code first."),
)


@dataclass(frozen=True)
class Danger:
    """Past the limit: what is to be done at once, and what then, each short enough to be read across a room."""

    headline: str
    steps: tuple[str, ...]


def danger_of(batch: BatchState, units: Units) -> Danger | None:
    """The warning, while the beans or the air about them are past what the machine may read with beans in the drum."""
    if batch.past_limit is None:
        return None
    beans, read = batch.past_limit == "bean", batch.trace.latest(_probe(batch, batch.past_limit))
    if read is not None and in_fahrenheit(batch):
        read = Units("°F").read(read, "°C")
    shown = units.text(read, "°C", 0)
    if may_be_empty(batch):
        probe = tr("bean probe") if beans else tr("air probe")
        headline = tr("Beans still in? Heat off now: {} at {}", probe, shown)
    else:
        headline = tr("Heat off now: {} at {}", tr("beans") if beans else tr("air"), shown)
    return Danger(headline, WHAT_TO_DO)


def may_be_empty(batch: BatchState) -> bool:
    """Whether a drop was found that no hand has told: what is so hot may be an empty drum."""
    return batch.dropped_unseen or MarkKind.DROP in batch.offers


def past_limit(batch: BatchState) -> str | None:
    """Which probe, bean or air, is past its limit; once warned of, until it is clearly below again."""
    if not (batch.roasting or batch.left_hot or batch.dropped_unseen):
        return None
    as_read = Units("°F") if in_fahrenheit(batch) else Units()  # whatever they are told in, beans that hot burn
    for name, limit_c in (("bean", limit_of(batch)), ("air", HOT_AIR_C)):
        limit_c -= BELOW_C if batch.past_limit == name else 0.0
        if burns(batch.trace, _probe(batch, name), as_read.show(limit_c, "°C")):
            return name
    return None


def _probe(batch: BatchState, name: str) -> str:
    """The probe that truly reads the beans, or the air."""
    return {"bean": "air", "air": "bean"}[name] if exchanged(batch) else name


def limit_of(batch: BatchState) -> float:
    """What the bean probe of this machine is never to read with beans in the drum. [degC]"""
    return batch.machine.limit_c if batch.machine is not None else HOT_BEAN_C


def runaway(batch: BatchState) -> tuple[float, float | None] | None:
    """The rate now and the plan's own [K/min], where the roast runs away from it with the heat high; None where it does not."""
    rate, level, machine = batch.trace.latest("rate"), batch.trace.level, batch.machine
    if not batch.roasting or misread(batch) or rate is None or level is None or machine is None or rate <= 0.0:
        return None  # a probe that plunges into the beans runs away from nothing, however slowly it does
    crack = batch.reckoned.get(MarkKind.FIRST_CRACK)
    if crack is None and level < machine.first_crack_c - NEAR_CRACK_C:
        return None
    sd = batch.trace.latest("rate_sd") or 0.0
    if not any(_high(machine, batch, control) for control in machine.of(Role.HEAT)):
        return None
    planned = planned_rate(batch)
    if batch.foreseen is not None and batch.place in (Place.INSIDE, Place.EDGE):
        planned = None  # what lands does not run away, however the plan had it by now
    too_fast = FAST_RATE if planned is None or planned <= 0.0 else max(FASTER * planned, planned + FASTER_RATE)
    return (rate, planned) if rate - sd > too_fast else None


def _high(machine: Machine, batch: BatchState, control: Control) -> bool:
    """Whether a source of heat stands high on its scale."""
    scale, held = machine.controls[control], batch.held.get(control)
    own = [move for move in batch.moves if move.control == control]
    if len(own) > 1 and own[-1].to < own[-2].to and batch.now() - own[-1].t < ANSWER_S:
        return False  # it was turned down just now: its answer is waited for
    return held is not None and held >= scale.low + HIGH_HEAT * (scale.high - scale.low)


def planned_rate(batch: BatchState) -> float | None:
    """The plan's own rate at this moment, moved with the marks. [K/min]"""
    plan = batch.order.plan
    curve = shifted_curve(plan, batch.reckoned.values(), batch.now(), batch.foreseen) if plan is not None else None
    if curve is None or curve.t.size < 2 or not curve.t[0] <= batch.now() <= curve.t[-1]:
        return None
    return float(np.interp(batch.now(), curve.t, curve.ror))


def burns(trace: LiveTrace, name: str, limit_c: float) -> bool:
    """Whether a probe has truly risen above a limit: several readings in a row, reached by a rise and not by a jump."""
    values = trace.column(name)
    known = np.flatnonzero(np.isfinite(values))[-HOT_WITHIN:]
    above = values[known] > limit_c
    if above.size < HOT_READINGS or not above[-HOT_READINGS:].all():
        return False
    cool = np.flatnonzero(~above)
    if not cool.size:
        return True
    before, after = known[cool[-1]], known[cool[-1] + 1]
    t = trace.column("t")
    return bool((values[after] - values[before]) / max(t[after] - t[before], 1e-3) < JUMP_RATE)
