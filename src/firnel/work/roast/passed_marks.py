"""Marks that nobody has set: since when half of the ensemble is past them, and how surely."""

from __future__ import annotations

from firnel.core.model.forecast import Forecaster
from firnel.core.model.foretelling import Forecast
from firnel.core.model.replay import FOUND_WIDER, LISTENED
from firnel.core.vocabulary import MarkKind
from firnel.work.roast.steps import Ask

#: Half the 80 % interval of a mark whose coming was not watched. [s]
LEAST_DOUBT_S = 15.0


class PassedMarks:
    """Of one batch, forecast by forecast."""

    def __init__(self) -> None:
        self._half: dict[MarkKind, float] = {}  # when half of the members were past a mark that is not set
        self._doubt: dict[MarkKind, float] = {}
        self._last_share: dict[MarkKind, tuple[float, float]] = {}

    def look(self, ask: Ask, ensemble: Forecaster, forecast: Forecast) -> dict[MarkKind, tuple[float, float, float]]:
        """The marks that nobody has set and that members are past: since when, how surely, and what share."""
        found = {}
        told = (forecast.yellow, forecast.first_crack)
        came = {mark.kind for mark in ask.marks} - set(ask.assumed)
        for kind, share, expected in zip(LISTENED, ensemble.shares_past(), told, strict=True):
            if kind in came:
                continue
            if share < 0.3:
                self._half.pop(kind, None)
                if expected is not None and expected.low is not None and expected.high is not None:
                    self._doubt[kind] = FOUND_WIDER * 0.5 * (expected.high - expected.low)
            elif share >= 0.5:
                before_t, before = self._last_share.get(kind, (ask.now, share))
                # Between two forecasts it rose by a straight line.
                part = (0.5 - before) / (share - before) if share > before and before < 0.5 else 1.0
                half = self._half.setdefault(kind, before_t + part * (ask.now - before_t))
                found[kind] = (half, self._doubt.get(kind, LEAST_DOUBT_S), share)
            self._last_share[kind] = (ask.now, share)
        return found
