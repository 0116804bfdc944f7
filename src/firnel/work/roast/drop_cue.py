"""The end of the roast: when to drop, which target leads and what the other pays, and how late the hand usually is."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import median

from firnel.core.landing import Place
from firnel.core.machine import capacity
from firnel.core.units import Units, clock
from firnel.core.vocabulary import MarkKind, Note
from firnel.core.words import capital, tr
from firnel.store.library import Library
from firnel.work.roast.session import RoastSession

#: In the last seconds the drop stands before every other cue. [s]
LEADS_S, FINAL_S = 20.0, 10.0
#: A lead is learned from this many batches, and never longer than this. [s]
LEARNED_FROM, LEARNED_OF, LONGEST_LEAD_S = 3, 10, 6.0
ASKED = "drop asked"


@dataclass(frozen=True)
class DropCue:
    """The countdown [s]: negative once it is over; and which target leads, with what the other pays."""

    left_s: float
    sentence: str


def learned_lead(library: Library, machine_id: int | None) -> float:
    """How long before the drop the hand must be told, so that hand and door are in time: the median of the last batches. [s]"""
    if machine_id is None:
        return 0.0
    delays = library.drop_delays(machine_id, ASKED, LEARNED_OF)
    if len(delays) < LEARNED_FROM:
        return 0.0
    return min(max(median(delays), 0.0), LONGEST_LEAD_S)


def drop_cue(session: RoastSession, units: Units) -> DropCue | None:
    """The countdown of the running development; None where nothing ends it."""
    due = _due(session)
    if due is None:
        return None
    return DropCue(due - session.around.lead_s - session.now(), _leading(session, units))


def note_asked(session: RoastSession) -> None:
    """Once the countdown is over, keep when that was: what the hand needs from there on is learned."""
    due = _due(session)
    if due is None or session.now() < due - session.around.lead_s:
        return
    if not any(note.kind == ASKED for note in session.notes):
        session.keep_note(Note(due - session.around.lead_s, ASKED, ""))


def _due(session: RoastSession) -> float | None:
    """When the running development ends, in log time; it may lie in the past. [s]"""
    plan, crack = session.order.plan, session.reckoned.get(MarkKind.FIRST_CRACK)
    if session.phase != "development" or plan is None or crack is None:
        return None
    if plan.stages[2] is not None and (not plan.drop_rules or bares_probe(session)):
        return crack.t + plan.stages[2] + (0.0 if plan.drop_rules else session.end_moved_s)
    reached = _reached(session, crack.t)
    return session.expected().get(MarkKind.DROP) if reached is None else reached + max(session.end_moved_s, 0.0)


def _reached(session: RoastSession, crack_t: float) -> float | None:
    """When the beans first stood at the drop temperature that ends this batch, in log time; None before. [s]"""
    plan, trace = session.order.plan, session.trace
    if plan is None or plan.targets.drop_c is None:
        return None
    t = trace.column("t")
    there = t[(t >= crack_t) & (trace.column("bean") >= plan.targets.drop_c)]
    return float(there[0]) if there.size else None


def bares_probe(session: RoastSession) -> bool:
    """Whether the load leaves the probe bare: time, colour and marks are trusted then, and not its reading."""
    return session.machine is not None and capacity.bares_probe(session.machine, session.order.load_kg)


def _leading(session: RoastSession, units: Units) -> str:
    """Which target ends the batch, and where the other lands: by the one judgement of the landing."""
    plan, landing, place = session.order.plan, session.landing, session.place
    if bares_probe(session):
        return tr("The probe is bare: development time leads, then colour and sound.")
    if plan is None or landing is None or place is None:
        return ""
    if (moved := session.end_moved_s) and landing.drop_c is not None:
        at, shown = units.text(landing.drop_c, "°C", 1), tr("{:.0f}", max(abs(moved), 1.0))
        if place is not Place.INSIDE:
            if moved < -landing.tolerance_s:
                return tr("{} s earlier, as it comes far too hot: it drops at {}.", shown, at)
            if moved < 0.0:
                return tr("{} s earlier brings it nearest: it drops at {}.", shown, at)
            return tr("{} s later brings it nearest: it drops at {}.", shown, at)
        if moved < 0.0:
            return tr("{} s earlier, so that it lands in the box: it drops at {}.", shown, at)
        return tr("{} s later, so that it lands in the box: it drops at {}.", shown, at)
    if plan.drop_rules:
        if landing.development_s is None or landing.wanted_s is None:
            return ""
        by = landing.development_s - landing.wanted_s
        if abs(by) <= landing.tolerance_s:
            return tr("{}: development ends at {}.", capital(tr(place)), clock(landing.development_s))
        return tr("Drop temperature leads: development ends {} {}.", clock(abs(by)), tr("long") if by > 0 else tr("short"))
    if landing.drop_c is None or landing.wanted_c is None:
        return ""
    by = landing.drop_c - landing.wanted_c
    at = units.text(landing.drop_c, "°C", 1)
    if abs(by) <= landing.tolerance_c:
        return tr("{}: it drops at {}.", capital(tr(place)), at)
    amount = tr("{:.1f} {}", abs(units.show_difference(by)), units.temperature)
    return tr("Development leads: it drops at {}, {} {}.", at, amount, tr("hot") if by > 0 else tr("cold"))
