"""Preheating, guided by the bean probe: up, down, up again between two readings for so long, then from above to the charge.

That the steel soaks and not only the probe is common practice (15 to 30 minutes, less on small machines; no published source).
What the maker says comes first.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from firnel.core.vocabulary import FloatArray, Machine

#: Where a machine says nothing of its own: readings to swing between [degC], and for how long [s]; for a small one shorter.
USUAL_LOW_C, USUAL_HIGH_C, USUAL_S, SMALL_S, SMALL_KG = 195.0, 220.0, 1200.0, 480.0, 1.5
#: A probe this far below the lower reading has left the swing: the soak begins anew. [K]
LOST_C = 25.0


class Going(StrEnum):
    """Where a preheat stands."""

    FIRST_UP = "first up"  #: from cold to the higher reading
    DOWN = "down"
    UP = "up"
    SOAKED = "soaked"  #: long enough between the two readings


@dataclass(frozen=True)
class Preheat:
    """How a machine is preheated: between two readings [degC], for so long [s]."""

    low_c: float
    high_c: float
    seconds: float


@dataclass(frozen=True)
class PreheatState:
    """Where it stands, how long it has swung between the readings, and how long is left. [s]"""

    going: Going
    held_s: float
    left_s: float


def preheat_of(machine: Machine | None) -> Preheat:
    """The machine's own preheat, or the usual one."""
    small = machine is not None and 0.0 < machine.useful_load_kg <= SMALL_KG
    usual = Preheat(USUAL_LOW_C, USUAL_HIGH_C, SMALL_S if small else USUAL_S)
    if machine is None:
        return usual
    low = machine.preheat_low_c if machine.preheat_low_c is not None else usual.low_c
    high = machine.preheat_high_c if machine.preheat_high_c is not None else max(usual.high_c, low + 10.0)
    return Preheat(min(low, high - 1.0), high, machine.preheat_s if machine.preheat_s is not None else usual.seconds)


def preheat_state(wanted: Preheat, t: FloatArray, bean: FloatArray) -> PreheatState:
    """Where a preheat stands after these readings of the empty machine.

    Parameters
    ----------
    wanted : how the machine is preheated.
    t, bean : times [s], rising, and readings of the bean probe [degC], shape (n,).

    Examples
    --------
    >>> preheat_state(Preheat(195.0, 220.0, 600.0), np.array([0.0, 300.0]), np.array([25.0, 150.0])).going
    <Going.FIRST_UP: 'first up'>
    """
    known = np.isfinite(bean)
    t, bean = t[known], bean[known]
    going, begun = Going.FIRST_UP, float("nan")
    for moment, reading in zip(t.tolist(), bean.tolist(), strict=True):
        if begun == begun and reading < wanted.low_c - LOST_C:
            going, begun = Going.FIRST_UP, float("nan")
        if begun != begun and reading >= wanted.low_c:
            begun = moment
        if reading >= wanted.high_c:
            going = Going.DOWN
        elif reading <= wanted.low_c and going is Going.DOWN:
            going = Going.UP
    held = float(t[-1]) - begun if t.size and begun == begun else 0.0
    if held >= wanted.seconds and going is not Going.FIRST_UP:
        going = Going.SOAKED
    return PreheatState(going, held, max(wanted.seconds - held, 0.0))
