"""One look ahead of a running batch: what is asked, the ensemble that answers, and the moves that it reckons with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from firnel.core.model.forecast import Forecaster
from firnel.core.model.foretelling import DropRule, Forecast, Marks
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import HORIZON_S
from firnel.core.plan import DueMove, Plan
from firnel.core.vocabulary import MarkKind
from firnel.work.roast.steps import Ask, ahead_of, due_in, without_hung

#: The forecast runs this far beyond the drop as it was last expected. [s]
MARGIN_S = 120.0


@dataclass(frozen=True)
class Foretold:
    """A forecast, the moves to come that it reckons with, and how far it looks. [s]"""

    forecast: Forecast
    due: tuple[DueMove, ...]
    until: float


@dataclass(frozen=True)
class Look:
    """What is asked of the ensemble of a batch that was charged at ``zero`` [s of log time]."""

    ask: Ask
    zero: float
    batch: LoggedBatch
    ensemble: Forecaster
    known: Marks
    rule: DropRule

    @cached_property
    def came(self) -> dict[MarkKind, float]:
        """The marks that have come. [s from charge]"""
        return came_of(self.ask, self.zero)

    @property
    def cracked(self) -> bool:
        """Whether first crack has come."""
        return MarkKind.FIRST_CRACK in self.came

    def forecast(self, due: tuple[DueMove, ...], until: float, rule: DropRule | None = None) -> Forecast:
        """What comes with these moves, so many seconds ahead."""
        ahead = ahead_of(self.ask, self.batch, self.ensemble.t, self.zero, due, until)
        return self.ensemble.forecast(ahead, rule or self.rule, self.known)

    def _planned_end(self) -> float:
        """When the plan has its drop, in log time; what brings a batch back to it must be seen to its end. [s]"""
        plan = self.ask.plan
        return self.zero + (sum(stage or 0.0 for stage in plan.stages) if plan is not None else 0.0)

    def foretold(self, expected: Mapping[MarkKind, float], hardly: bool) -> Foretold:
        """What comes of the plan's moves.

        Parameters
        ----------
        expected : the marks as they were expected last. [s of log time]
        hardly : the machine is hardly known.
        """
        ask, end = self.ask, expected.get(MarkKind.DROP)
        due = due_in(ask, expected)
        # A drop that is long overdue is still looked ahead from: nothing ends because time went by.
        until = HORIZON_S if end is None else max(end - ask.now, self._planned_end() - ask.now, 0.0) + MARGIN_S
        forecast, free = self.forecast(due, until), without_hung(ask, due)
        if self.cracked or forecast.first_crack is not None or len(free) == len(due):
            return Foretold(forecast, due, until)
        # Nobody knows when moves fall due whose marks do not come: they must not be what keeps them from coming.
        forecast = self.forecast(free, HORIZON_S)
        if forecast.first_crack is None:
            return Foretold(forecast, free, HORIZON_S)
        due = due_in(ask, marks_of(forecast, self.zero))
        again = self.forecast(due, HORIZON_S)
        if hardly and again.first_crack is None:  # what a planned cut does is as little known as what the heat does now
            return Foretold(forecast, free, HORIZON_S)
        return Foretold(again, due, HORIZON_S)


def came_of(ask: Ask, zero: float) -> dict[MarkKind, float]:
    """The marks that have come. [s from charge]"""
    return {mark.kind: mark.t - zero for mark in ask.marks}


def marks_of(forecast: Forecast, zero: float) -> dict[MarkKind, float]:
    """When marks are expected, in log time. [s]"""
    told = ((MarkKind.YELLOW, forecast.yellow), (MarkKind.FIRST_CRACK, forecast.first_crack), (MarkKind.DROP, forecast.drop_t))
    return {kind: interval.value + zero for kind, interval in told if interval is not None}


def drop_rule(plan: Plan | None, usual_s: float = 95.0) -> DropRule:
    """When a batch of this plan is to be dropped; after a usual development without one."""
    if plan is None:
        return DropRule(usual_s)
    if plan.drop_rules:
        return DropRule(None, plan.targets.drop_c)
    return DropRule(plan.targets.development_s or plan.stages[2] or usual_s)
