"""Where a batch will land, against the plan's box: what is expected to be missed, by how much, and whether it counts.

The thresholds are common practice, no published source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from firnel.core.model.foretelling import Forecast, Interval
from firnel.core.plan import Plan
from firnel.core.vocabulary import FloatArray, MarkKind

#: A target counts as missed when it is off by this share of its tolerance and that share of half its 80 % interval. The clock
#: inside a stage is not chased for less than its own tolerance. In development there is no other chance, so less is let pass.
EDGES = {"stage": (1.2, 0.4), "end": (1.3, 0.5), "development": (0.75, 0.2)}
#: So far off, a batch has gone astray: heat may be turned all of the way then.
ASTRAY = {"stage": 9.0, "end": 6.0}
#: This share of what is off in development is left to the next look: a part of it is doubt, a house's logs tell least of what
#: late moves come to, and one that went too far is seldom made good in time.
LEFT_OPEN = 0.35
#: The air line is looked at this far ahead, and may be missed by this much; common practice, no published source. [s], [K]
AIR_FROM_S, AIR_TO_S, AIR_TOLERANCE_C = 25.0, 75.0, 4.0
#: A mark this near is not chased any more for its own sake: a step would show after it. [s]
NEAR_MARK_S = 60.0
#: Nor is browning while yellow is this near, or overdue: the mark tells more of it than all readings before. [s]
NEAR_NEWS_S = 30.0
#: Beyond this share of a tolerance the landing lies at the edge of the box.
EDGE_SHARE = 0.8
#: A judgement stands until the landing is past the border by this share of a tolerance and this of half the 80 % interval,
#: so much at most; about the edge by this.
STANDS, STANDS_BY_DOUBT, STANDS_MOST, EDGE_STANDS = 0.1, 0.15, 0.5, 0.1
#: Nothing is judged of a landing whose doubt is wider than so many tolerances, unless it surely misses; once it was left open,
#: so many.
WIDE, STAYS_WIDE = 6.0, 5.0


class Place(StrEnum):
    """Where the batch is expected to land: the one judgement that every sentence and picture goes by."""

    INSIDE = "in the box"
    EDGE = "at the edge of the box"
    OUTSIDE = "outside the box"
    OPEN = "too early to tell"


@dataclass(frozen=True)
class Off:
    """By how much a target is expected to be missed: in its own unit, in tolerances, and half its 80 % interval."""

    name: str
    by: float
    tolerance: float
    spread: float
    kind: str = "end"  #: stage, end, or development once first crack has come
    leaves: float = 0.0  #: share of it that a move is not meant to take away
    waits: bool = False  #: for news that is near: not spoken of until then, but not to be spoilt either

    @property
    def in_tolerances(self) -> float:
        """Absolute, in tolerances."""
        return abs(self.by) / self.tolerance

    @property
    def too_much(self) -> bool:
        """Whether it is heat that there is too much of: too soon, or too hot."""
        return self.by > 0.0 if self.name in ("drop_c", "air_c") else self.by < 0.0

    @property
    def surely(self) -> bool:
        """Whether it is missed even at the near end of the 80 % interval."""
        return abs(self.by) > self.tolerance + self.spread

    @property
    def astray(self) -> bool:
        """Whether it is so far off before first crack that small steps are none."""
        return self.in_tolerances >= ASTRAY.get(self.kind, np.inf)

    @property
    def outside(self) -> bool:
        """Whether it is missed beyond what the forecast leaves open."""
        if self.waits:
            return False
        edge, doubt = EDGES[self.kind]
        return abs(self.by) > edge * self.tolerance + doubt * self.spread


@dataclass(frozen=True)
class Landing:
    """Where the batch is expected to land: development [s] and drop [degC], wanted with tolerances, and expected."""

    development_s: float | None
    drop_c: float | None
    wanted_s: float | None
    wanted_c: float | None
    tolerance_s: float
    tolerance_c: float
    off: tuple[Off, ...] = field(default=())

    @property
    def shares(self) -> tuple[float, ...]:
        """By how many tolerances development and drop are off, as far as both are wanted and expected."""
        pairs = (
            (self.development_s, self.wanted_s, self.tolerance_s),
            (self.drop_c, self.wanted_c, self.tolerance_c),
        )
        return tuple(abs(came - wanted) / by for came, wanted, by in pairs if came is not None and wanted is not None)

    @property
    def inside(self) -> bool:
        """Whether development and drop are expected in the box."""
        return max(self.shares, default=0.0) <= 1.0

    @property
    def cold(self) -> bool:
        """Whether the drop is expected below the box."""
        short = self.wanted_c is not None and self.drop_c is not None and self.wanted_c - self.drop_c > self.tolerance_c
        return short or self.drop_c is None

    def whole_if_hot(self) -> Landing:
        """The landing where all of what is too hot is to be taken away: by heat that answers late, and less than is said."""
        return replace(self, off=tuple(replace(off, leaves=0.0) if off.too_much else off for off in self.off))

    @property
    def heat_to_spare(self) -> bool:
        """Whether all that is missed comes too soon or too hot."""
        missed = [off for off in self.off if off.outside]
        return bool(missed) and all(off.too_much for off in missed)

    @property
    def place(self) -> Place | None:
        """Where in the box, or out of it; None where nothing is expected."""
        return self.placed(None)

    def placed(self, before: Place | None) -> Place | None:
        """The same, where it was judged ``before``: what was in the box is out of it once it is so by more than doubt."""
        if not self.shares:
            return None
        ends = [one for one in self.off if one.kind != "stage"]
        worst, doubt = max(self.shares), max((one.spread / one.tolerance for one in ends), default=0.0)
        if doubt > (STAYS_WIDE if before is Place.OPEN else WIDE) and not any(one.surely for one in ends):
            return Place.OPEN
        was_in = before in (Place.INSIDE, Place.EDGE)
        if worst > 1.0 + (min(STANDS + STANDS_BY_DOUBT * doubt, STANDS_MOST) if was_in else 0.0):
            return Place.OUTSIDE
        edge = EDGE_SHARE + (EDGE_STANDS if before is Place.INSIDE else -EDGE_STANDS if before is Place.EDGE else 0.0)
        return Place.EDGE if any(one.outside for one in ends) or worst > edge else Place.INSIDE

    @property
    def clear(self) -> bool:
        """Whether nothing at all is missed, the stages before included."""
        return not any(one.outside for one in self.off)


@dataclass(frozen=True)
class AirLine:
    """The plan's air probe, moved with its marks: times from charge [s] and readings [degC], shape (n,)."""

    t: FloatArray
    air: FloatArray

    def off(self, forecast: Forecast) -> Off | None:
        """By how much the air is expected to miss the line in the near future; None where either is not known there."""
        if forecast.air is None or forecast.fan_t is None:
            return None
        near = (forecast.fan_t >= forecast.at + AIR_FROM_S) & (forecast.fan_t <= forecast.at + AIR_TO_S)
        wanted = np.interp(forecast.fan_t[near], self.t, self.air, left=np.nan, right=np.nan)
        by = forecast.air[near] - wanted
        by = by[np.isfinite(by)]
        return Off("air_c", float(by.mean()), AIR_TOLERANCE_C, 0.0, "stage") if by.size else None


def expected_off(
    plan: Plan, forecast: Forecast, came: Mapping[MarkKind, float], line: AirLine | None = None
) -> tuple[Off, ...]:
    """What is expected to be missed of the plan's targets still to come.

    Parameters
    ----------
    plan : with its targets.
    forecast : of the batch.
    came : marks that have come, from charge. [s]
    line : of an air-led plan: up to first crack the air is coached, and the stages are its result.
    """
    targets, found = plan.targets, []

    def add(name: str, wanted: float | None, told: Interval | None, minus: Interval | float = 0.0, waits: bool = False) -> None:
        if wanted is None or told is None or told.low is None:
            return
        base = minus.value if isinstance(minus, Interval) else minus
        kind = "development" if MarkKind.FIRST_CRACK in came else "end"
        kind = "stage" if name in ("drying_s", "browning_s") else kind
        # Where more than one member in ten never gets there, the near side is all that is known of the width.
        spread = told.value - told.low if told.high is None else 0.5 * (told.high - told.low)
        leaves = LEFT_OPEN if kind == "development" else 0.0
        found.append(Off(name, told.value - base - wanted, plan.tolerance(name), spread, kind, leaves, waits))

    air = line.off(forecast) if line is not None and MarkKind.FIRST_CRACK not in came else None
    if air is not None:
        return (air,)
    if MarkKind.YELLOW not in came and _far(forecast, forecast.yellow):
        add("drying_s", plan.stages[0], forecast.yellow)
    known = MarkKind.YELLOW in came or forecast.yellow is not None
    if MarkKind.FIRST_CRACK not in came and known and _far(forecast, forecast.first_crack):
        yellow = came.get(MarkKind.YELLOW, forecast.yellow.value if forecast.yellow is not None else 0.0)
        near = MarkKind.YELLOW not in came and yellow - forecast.at < NEAR_NEWS_S
        add("browning_s", plan.stages[1], forecast.first_crack, yellow, near)
    add("drop_c", targets.drop_c, forecast.drop_c)
    add("development_s", targets.development_s, forecast.development_s)
    return tuple(found)


def _far(forecast: Forecast, told: Interval | None) -> bool:
    return told is not None and told.value - forecast.at > NEAR_MARK_S


def landing_of(plan: Plan, forecast: Forecast, came: Mapping[MarkKind, float], line: AirLine | None = None) -> Landing:
    """The landing, with what is off."""
    return Landing(
        forecast.development_s.value if forecast.development_s else None,
        forecast.drop_c.value if forecast.drop_c else None,
        plan.targets.development_s,
        plan.targets.drop_c,
        plan.tolerance("development_s"),
        plan.tolerance("drop_c"),
        expected_off(plan, forecast, came, line),
    )
