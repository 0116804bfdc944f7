"""What was worked out ahead of a batch, and the advice that stands: given, held for a while, taken or overtaken by a hand."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from firnel.core.vocabulary import Control, Mark, MarkKind

if TYPE_CHECKING:
    from firnel.core.guidance import Advice
    from firnel.work.roast.live_forecast import Guidance

#: A forecast older than this is not gone by any more; advice stands at least this long. [s]
FORECAST_HOLDS_S, ADVICE_HOLDS_S = 30.0, 8.0


class Advising:
    """Of one batch; its session hands in what was worked out, and when."""

    def __init__(self) -> None:
        self.guidance: Guidance | None = None
        self.advice: Advice | None = None
        self.given = 0  #: how many pieces of advice there were
        self._given_t = float("-inf")

    def take(self, guidance: Guidance | None, now: float, marks: Mapping[MarkKind, Mark]) -> bool:
        """Take what was worked out; advice stands for a while, so that it can be read. False if nothing changed."""
        if guidance is None and self.guidance is None and self.advice is None:
            return False
        from firnel.core.guidance import may_advise  # not wanted before a batch is looked ahead

        self.guidance = guidance
        offered = guidance.advice if guidance is not None else None
        since = now - self._given_t
        if offered is None:
            if since > ADVICE_HOLDS_S:
                self.advice = None
        elif may_advise(since, marks):
            same = self.advice is not None and self.advice.choice.to == offered.choice.to
            self.advice = offered
            if not same:
                self._given_t = now
                self.given += 1
        return True

    def expected(self, now: float) -> Mapping[MarkKind, float] | None:
        """When the machine's model expects the marks to come, in log time; None while it does not say. [s]"""
        guidance = self.guidance
        if guidance is None or guidance.forecast.basis != "model" or now - guidance.at > FORECAST_HOLDS_S:
            return None
        return guidance.marks

    def hand_moved(self, control: Control) -> None:
        """A hand has moved this control: what comes of it is looked at before anything is advised there."""
        if self.advice is not None and self.advice.choice.control is control and self.advice.choice.move is None:
            self.advice = None

    def taken(self) -> None:
        """The advice was taken."""
        self.advice = None
