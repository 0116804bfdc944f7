"""Charge and turning point found in the live readings: a forgotten key must not cost a batch."""

from __future__ import annotations

import numpy as np

from firnel.core.mark_finding import CHARGE_FALL_C, CHARGE_WINDOW_S, SHOWS_S, charge_shows, find_charge, find_turning
from firnel.work.roast.live_trace import LiveTrace

#: A charge is looked for so far back. [s]
LOOK_BACK_S = 120.0
#: No turn before this long after the charge, and none looked for after that. [s]
FROM_S, UNTIL_S = 20.0, 300.0
#: The probe has turned when it has risen so far above its lowest. [K]
TURNED_C = 0.8


class ChargeWatch:
    """Looks at each new reading. Begun anew for each batch, and when its charge mark is moved."""

    def __init__(self) -> None:
        self._lowest: float | None = None
        self._shown: tuple[float, bool] | None = None  # whether the charge at that moment shows

    def forget(self) -> None:
        """The charge was moved or taken back: what was lowest since does not count."""
        self._lowest = self._shown = None

    def shows(self, trace: LiveTrace, charge_t: float) -> bool | None:
        """Whether the probe fell when the beans are said to have fallen in; None where nothing says yet, or ever."""
        if self._shown is None or self._shown[0] != charge_t:
            t = trace.column("t")
            part = slice(*np.searchsorted(t, (charge_t - LOOK_BACK_S, charge_t + 2.0 * SHOWS_S)))
            if part.stop == part.start:  # nothing was read about it
                part = slice(0, None)
            shown = charge_shows(t[part], trace.sound_bean()[part], charge_t)
            if shown is None:
                return None
            self._shown = charge_t, shown
        return self._shown[1]

    def charge(self, trace: LiveTrace) -> float | None:
        """When the beans fell in, in log time, if the newest readings show it. [s]"""
        if len(trace) < 6:
            return None
        t, bean = trace.column("t"), trace.column("bean")
        recent = bean[int(np.searchsorted(t, t[-1] - CHARGE_WINDOW_S)) :]
        if not np.isfinite(recent).any() or not np.nanmax(recent) - recent[-1] >= CHARGE_FALL_C:
            return None
        first = int(np.searchsorted(t, t[-1] - LOOK_BACK_S))
        return find_charge(t[first:], bean[first:])

    def turning(self, trace: LiveTrace, charge_t: float) -> float | None:
        """When the probe turned, in log time, once it has risen again. [s]"""
        if trace.level is None:
            return None
        since = (trace.last_t or 0.0) - charge_t
        if since < FROM_S:
            self._lowest = None
            return None
        self._lowest = min(trace.level if self._lowest is None else self._lowest, trace.level)
        if since > UNTIL_S or trace.level < self._lowest + TURNED_C:
            return None
        return find_turning(trace.column("t"), trace.column("bean"), charge_t)
