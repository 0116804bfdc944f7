"""Stage arithmetic: drying, browning and development between the marks of one batch."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from firnel.core.vocabulary import Mark, MarkKind
from firnel.core.words import tr


@dataclass(frozen=True)
class Stage:
    """One stage: its time [s], share of the total [0..1], temperature rise [degC] and mean rate [degC/min]."""

    name: str
    seconds: float
    share: float | None
    rise_c: float | None
    mean_rate: float | None


@dataclass(frozen=True)
class Stages:
    """The stages of one batch; None where a mark is missing."""

    drying: Stage | None = None
    browning: Stage | None = None
    development: Stage | None = None
    total_s: float | None = None

    @property
    def development_ratio(self) -> float | None:
        """Development time over total time [0..1]."""
        return self.development.share if self.development else None

    def named(self) -> tuple[tuple[str, Stage | None], ...]:
        """The three stages in order, with their names."""
        return (("drying", self.drying), ("browning", self.browning), ("development", self.development))


class MarkOrderError(ValueError):
    """Two marks stand in an order that no roast has."""


def check_mark_order(marks: Iterable[Mark]) -> None:
    """Refuse marks that contradict each other.

    Raises
    ------
    MarkOrderError : if a mark stands twice, or before one that must come first; the message names both.
    """
    by_kind: dict[MarkKind, Mark] = {}
    for mark in marks:
        if mark.kind in by_kind:
            raise MarkOrderError(tr("{} is marked twice: a batch has one.", mark.kind.words))
        by_kind[mark.kind] = mark
    present = [by_kind[kind] for kind in MarkKind if kind in by_kind and kind is not MarkKind.SECOND_CRACK]
    for earlier, later in zip(present, present[1:], strict=False):
        if later.t <= earlier.t:
            raise MarkOrderError(
                tr(
                    "{} at {:.0f} s is not after {} at {:.0f} s of the log.",
                    later.kind.words,
                    later.t,
                    earlier.kind.words,
                    earlier.t,
                )
            )


def stages_of(marks: Iterable[Mark]) -> Stages:
    """Stage times from the marks of one batch.

    Drying ends at yellow, browning at first crack, development at drop; a stage whose beginning or
    end is not marked is None, and so is a share while the drop is missing.

    Examples
    --------
    >>> result = stages_of([Mark(MarkKind.CHARGE, 10), Mark(MarkKind.YELLOW, 310, 152.0),
    ...                     Mark(MarkKind.FIRST_CRACK, 520, 197.0), Mark(MarkKind.DROP, 610, 204.0)])
    >>> result.browning.seconds, result.browning.rise_c, round(result.development_ratio, 3)
    (210, 45.0, 0.15)
    """
    by_kind = {mark.kind: mark for mark in marks}
    charge, drop = by_kind.get(MarkKind.CHARGE), by_kind.get(MarkKind.DROP)
    turning = by_kind.get(MarkKind.TURNING)
    total = drop.t - charge.t if charge and drop else None

    def between(name: str, start: Mark | None, end: Mark | None, low: Mark | None) -> Stage | None:
        if start is None or end is None or end.t <= start.t:
            return None
        seconds = end.t - start.t
        rise = rate = None
        if low and low.bean is not None and end.bean is not None:
            rise = end.bean - low.bean
            rate = 60.0 * rise / (end.t - low.t)
        return Stage(name, seconds, seconds / total if total else None, rise, rate)

    yellow, crack = by_kind.get(MarkKind.YELLOW), by_kind.get(MarkKind.FIRST_CRACK)
    return Stages(
        # The beans only rise from the turn on: before it the probe is still falling to meet them.
        drying=between("drying", charge, yellow, turning),
        browning=between("browning", yellow, crack, yellow),
        development=between("development", crack, drop, crack),
        total_s=total,
    )
