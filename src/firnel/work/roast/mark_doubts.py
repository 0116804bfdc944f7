"""What Space means at a moment, and which marks cannot be yet. What the window shows for the key is worked out here too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from firnel.core.vocabulary import Mark, MarkKind
from firnel.core.words import capital, tr
from firnel.work.roast.mark_watch import SOONEST_S, FoundMark, levels_of, rises_from
from firnel.work.roast.probe_mistakes import rises_since

if TYPE_CHECKING:
    from firnel.work.roast.batch_state import BatchState

#: An offer this young cannot have been read yet: Space is the hand's own moment. [s]
YOUNG_S = 2.5
#: So near the drop Space means it. [s]
NEAR_DROP_S = 12.0
#: First crack is meant so near its reading, or so near when it is expected; further above it may be the drop. [K], [s]
NEAR_CRACK_C, NEAR_CRACK_S = 5.0, 40.0
#: Beans that read so much less than where yellow usually comes are asked back: probes differ, but not by that. [K]
BELOW_YELLOW_C = 30.0
#: No drop sooner after first crack; no yellow before the probe has turned, and the turn is waited for no longer. [s]
SOONEST_DROP_S, LATEST_TURN_S = 10.0, 150.0
#: A drop within this share of the development that is expected is asked back, unless the beans read nearly what they are to
#: be dropped at. [K]
EARLY_SHARE, NEAR_DROP_C = 0.5, 2.0


@dataclass(frozen=True)
class Meant:
    """What Space would mark: the kind, as it was found if it is an offer, and what else it may have meant."""

    kind: MarkKind
    found: FoundMark | None = None
    other: MarkKind | None = None


def means_space(batch: BatchState) -> Meant | None:
    """What Space marks now; None where every mark is set."""
    marks, offers = batch.marks, batch.offers
    kind = batch.next_expected()
    if kind is None or kind is MarkKind.CHARGE:
        return Meant(kind) if kind is not None else None
    if MarkKind.DROP in offers:
        return _offered(batch, MarkKind.DROP)
    crack_known = MarkKind.FIRST_CRACK in marks
    if crack_known or (MarkKind.FIRST_CRACK in offers and _drop_is_near(batch)):
        return Meant(MarkKind.DROP, other=None if crack_known else MarkKind.FIRST_CRACK)
    if MarkKind.FIRST_CRACK in offers:
        return _offered(batch, MarkKind.FIRST_CRACK)
    if MarkKind.YELLOW in marks:
        return Meant(MarkKind.FIRST_CRACK, other=MarkKind.DROP if _past_crack(batch) else None)
    if _only_crack(batch):
        return Meant(MarkKind.FIRST_CRACK, other=MarkKind.YELLOW)
    if MarkKind.YELLOW in offers:
        return _offered(batch, MarkKind.YELLOW)
    return Meant(MarkKind.YELLOW)


def _offered(batch: BatchState, kind: MarkKind) -> Meant:
    offer = batch.offers[kind]
    return Meant(kind, offer if batch.now() - offer.since >= YOUNG_S else None)


def _drop_is_near(batch: BatchState) -> bool:
    expected = batch.expected().get(MarkKind.DROP)
    return expected is not None and expected - batch.now() <= NEAR_DROP_S


def _risen_to(batch: BatchState) -> float | None:
    """What the beans read last on their way up; None where they were not read since the probe turned. [degC]"""
    last = batch.trace.last_t
    return batch.trace.level if last is not None and last >= rises_from(batch) else None


def _past_crack(batch: BatchState) -> bool:
    """Whether first crack was not marked, though the beans read what they do well behind it."""
    level = _risen_to(batch)
    return level is not None and level >= levels_of(batch, MarkKind.FIRST_CRACK)[0] + NEAR_CRACK_C


def _only_crack(batch: BatchState) -> bool:
    """Yellow was not marked, but this moment can only be first crack."""
    level = _risen_to(batch)
    usual, _ = levels_of(batch, MarkKind.FIRST_CRACK)
    if level is not None and level >= usual - NEAR_CRACK_C:
        return True
    expected = batch.expected().get(MarkKind.FIRST_CRACK)
    return MarkKind.YELLOW in batch.offers and expected is not None and expected - batch.now() <= NEAR_CRACK_S


def doubt_of(batch: BatchState, mark: Mark, instead_of: MarkKind | None = None) -> str:
    """Why a mark cannot be yet, as a short question; empty where nothing speaks against it.

    Parameters
    ----------
    mark : that is to be set.
    instead_of : the mark that goes for it, if one does.
    """
    came, charge = {**batch.reckoned}, batch.marks.get(MarkKind.CHARGE)
    if instead_of is not None:
        came.pop(instead_of, None)
    kind, t = mark.kind, mark.t
    if kind is MarkKind.CHARGE or mark is batch.marks.get(kind):
        return ""
    if charge is None:
        return tr("{} before the charge?", capital(kind.words))
    if kind is MarkKind.YELLOW:
        unturned = rises_since(batch) is None and t - charge.t < LATEST_TURN_S and batch.trace.level is not None
        if unturned or t - charge.t < 0.5 * SOONEST_S[kind]:
            return tr("Yellow {:.0f} s after the charge, before the turn?", t - charge.t)
        crack_c, _ = levels_of(batch, MarkKind.FIRST_CRACK)
        early = mark.bean is not None and mark.bean < levels_of(batch, MarkKind.YELLOW)[0] - BELOW_YELLOW_C
        if mark.bean is not None and (early or mark.bean >= crack_c - NEAR_CRACK_C):
            return tr("Yellow at {:.0f} °C?", mark.bean)
        return ""
    yellow, crack = came.get(MarkKind.YELLOW), came.get(MarkKind.FIRST_CRACK)
    if kind is MarkKind.FIRST_CRACK:
        since = t - (yellow.t if yellow is not None else charge.t)
        if since < SOONEST_S[kind] + (0.0 if yellow is not None else SOONEST_S[MarkKind.YELLOW]):
            return tr("First crack {:.0f} s after {}?", since, tr("yellow") if yellow is not None else tr("the charge"))
        if mark.bean is not None and mark.bean < levels_of(batch, MarkKind.YELLOW)[0]:
            return tr("First crack at {:.0f} °C?", mark.bean)
        return ""
    start = crack.t if crack is not None else charge.t
    if kind is MarkKind.DROP and t - start < SOONEST_DROP_S:
        return tr("Drop {:.0f} s after {}?", t - start, tr("first crack") if crack is not None else tr("the charge"))
    return ""


def early_drop(batch: BatchState, drop: Mark) -> str:
    """A drop that Space sets long before its time: one key too many would end the record of a batch still in the drum."""
    expected, plan, crack = batch.expected().get(MarkKind.DROP), batch.order.plan, batch.reckoned.get(MarkKind.FIRST_CRACK)
    if drop.kind is not MarkKind.DROP or expected is None or plan is None or crack is None or MarkKind.DROP in batch.offers:
        return ""
    wanted_c = plan.targets.drop_c
    hot = wanted_c is not None and drop.bean is not None and drop.bean >= wanted_c - NEAR_DROP_C
    if hot or drop.t - crack.t >= EARLY_SHARE * (expected - crack.t):
        return ""
    return tr("Drop {:.0f} s before its time?", expected - drop.t)
