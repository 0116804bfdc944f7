"""From one drop to the next charge: checks, the label of the load, the way down to the charge reading, the routine between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.machine.preheat import LOST_C, Going, preheat_of, preheat_state
from firnel.core.machine.routine import RoutineStep, between_of, checks_of
from firnel.core.units import Units, clock
from firnel.core.vocabulary import MarkKind
from firnel.core.words import inside, tr
from firnel.work.day.labels import mismatch, read_label
from firnel.work.roast.probe_mistakes import in_fahrenheit
from firnel.work.roast.session import RoastSession

#: The hopper is loaded this long before the charge: a hot chute scorches beans. Common practice, no published source. [s]
HOPPER_S = 25.0
#: The charge is struck within this of its reading; common practice, no published source. [K]
STRUCK_C = 1.0
#: Beyond this below, the way down has been missed. [K]
MISSED_C = 3.0
#: Slower than this the probe is not on its way down. [degC/min]
FALLING = -1.0
#: A step of the routine between batches is told this long before. [s]
SOON_S = 10.0
#: At most about so many readings are looked at for the preheat.
MOST_LOOKED_AT = 400
#: A batch after a longer pause is told as such. [s]
PAUSE_S = 1500.0
CHECK, LABEL = "check", "label"


@dataclass(frozen=True)
class Check:
    """One check or step: its words, whether it was ticked, and in how many seconds it falls due, None without a moment."""

    text: str
    done: bool
    due_in_s: float | None = None


def checks(session: RoastSession) -> tuple[Check, ...]:
    """The checks before the charge, or the steps after the drop; none while beans are in the drum."""
    if session.phase not in ("ready", "cooling"):
        return ()
    steps: tuple[RoutineStep, ...] = (between_of if session.phase == "cooling" else checks_of)(session.machine)
    ticked = {note.text for note in session.notes if note.kind == CHECK}
    drop = session.marks.get(MarkKind.DROP)
    since = session.now() - drop.t if drop is not None else 0.0
    return tuple(
        Check(step.text, step.text in ticked, step.at_s - since if step.at_s is not None and drop is not None else None)
        for step in steps
    )


def tick_next(session: RoastSession, at: float) -> None:
    """The next check or step is done."""
    waiting = next((check for check in checks(session) if not check.done), None)
    if waiting is None:
        session.say(tr("Every check is done."))
        return
    session.note(CHECK, waiting.text, at, said=tr("Done: {}.", waiting.text))


def check_label(session: RoastSession, text: str, at: float) -> None:
    """Compare a scanned or typed label with the batch that is prepared."""
    if session.phase != "ready":
        session.say(tr("No batch waits for its charge: prepare one with {prepare}."))
        return
    order = session.order
    try:
        scanned = read_label(text)
    except ValueError as error:
        session.say(str(error))
        return
    wrong = mismatch(scanned, session.label, order.lot.name if order.lot else "", order.load_kg)
    session.note(LABEL, wrong or "right", at, said="" if wrong else tr("The label is right: batch {}.", session.label))


def label_state(session: RoastSession) -> str | None:
    """What the last label said: ``right``, what is wrong with it, or None where none was read."""
    return next((note.text for note in reversed(session.notes) if note.kind == LABEL), None)


def charge_in(session: RoastSession) -> float | None:
    """Seconds until the probe, on its way down, reads what the plan charges at; None where it is not on its way there."""
    plan, rate, bean = session.order.plan, session.trace.rate_now, session.trace.level
    if plan is None or plan.targets.charge_c is None or rate is None or bean is None or rate > FALLING:
        return None
    above = bean - plan.targets.charge_c
    return None if above < -STRUCK_C else max(60.0 * above / -rate, 0.0)


def charge_words(session: RoastSession, units: Units) -> tuple[str, str, str]:
    """Headline, detail and urgency of the cue before the charge."""
    state = label_state(session)
    if state is not None and state != "right":
        return (
            tr("Not the load of this batch"),
            tr("{} Fetch the right one and scan its label: {label}.", units.sentence(state)),
            "warn",
        )
    plan = session.order.plan
    charge_c = plan.targets.charge_c if plan else None
    if in_fahrenheit(session):
        read = units.text(session.trace.latest("bean"), "°C", 0)
        detail = tr("The bean probe reads {} in the empty drum. Machines, Link, has its unit.", read)
        return tr("Degrees Fahrenheit?"), detail, "warn"
    if (told := preheat_words(session, units)) is not None:
        return told
    bean = session.trace.level
    if session.around.by_hand and (charge_c is None or bean is None):
        headline = tr("Charge, and press {mark}") if charge_c is None else tr("Charge at {}", units.text(charge_c, "°C", 0))
        return headline, tr("Type what the bean display reads, then Enter; {mark} as the beans fall."), "calm"
    if charge_c is None:
        return tr("Charge, and press {mark}"), tr("The charge is found from the curve if the key is forgotten."), "calm"
    at = units.text(charge_c, "°C", 0)
    if bean is None:
        return tr("Charge at {}", at), tr("Press {mark} as the beans fall."), "calm"
    away = bean - charge_c
    if abs(away) <= STRUCK_C:
        return tr("Charge now, at {}", at), _join(tr("Press {mark} as the beans fall."), open_checks(session)), "due"
    left = charge_in(session)
    if left is not None and left <= HOPPER_S:
        return (
            tr("Load the hopper now: charge in {}", clock(left)),
            _join(tr("At {}, from above.", at), open_checks(session)),
            "soon",
        )
    shown = tr("{:.0f} {}", abs(units.show_difference(away)), units.temperature)
    if left is not None:
        waits = tr("The hopper stays empty until the last seconds: a hot chute scorches beans.")
        return (
            tr("Charge at {} in {}", at, clock(left)),
            _join(tr("Bean probe {} above.", shown), steel_words(session, units) or waits),
            "calm",
        )
    if away > 0:
        lower = tr("Heat off, and down to it from above.")
        return tr("Charge at {}", at), _join(tr("Bean probe {} above. {}", shown, lower), steel_words(session, units)), "calm"
    if away > -MISSED_C:
        return tr("Charge at {}: {} below", at, shown), tr("Charge now, or heat up past it and come from above again."), "soon"
    up = tr("Heat up past it, then come down to it from above with the heat off.")
    return tr("Charge at {}", at), _join(tr("Bean probe {} below. {}", shown, up), steel_words(session, units)), "calm"


def open_checks(session: RoastSession) -> str:
    """``2 checks open: chaff collector empty, …``."""
    left = [check.text for check in checks(session) if not check.done]
    if not left:
        return ""
    words = ", ".join(inside(text) for text in left)  # not all of it: CO stays what it is
    return tr("{} {} open: {}.", len(left), tr("check") if len(left) == 1 else tr("checks"), words)


def steel_words(session: RoastSession, units: Units) -> str:
    """What the steel is against the plan's assumption, what charging now would do, and what makes up for it."""
    found = session.around.readiness
    if found is None:
        return pause_words(session)
    off = units.show_difference(found.off_c)
    if found.ready:
        return tr("The steel is as the plan assumes.")
    side = tr("hotter") if off > 0 else tr("colder")
    words = tr("Steel {:.0f} {} {} than the plan assumes", abs(off), units.temperature, side)
    if found.drying_s is not None:
        words += tr(
            ": drying would run {} {}", clock(abs(found.drying_s)), tr("longer") if found.drying_s > 0 else tr("shorter")
        )
    if found.ready_in_s is not None:
        words += tr(", ready in about {}", clock(found.ready_in_s))
    if found.charge_c is not None:
        words += tr("; charging at {} makes up for it", units.text(found.charge_c, "°C", 0))
    return f"{words}."


def preheat_words(session: RoastSession, units: Units) -> tuple[str, str, str] | None:
    """Headline, detail and urgency while a cold machine is preheated; None in the middle of a row, or once it is soaked."""
    rested, bean = session.around.rested_s, session.trace.level
    if bean is None or session.around.steel is not None or (rested is not None and rested <= PAUSE_S):
        return None  # where the steel itself is told, that is better than the clock
    wanted = preheat_of(session.machine)
    t, readings = session.trace.column("t"), session.trace.column("bean")
    known = readings[np.isfinite(readings)]
    if not known.size or known[0] >= wanted.low_c - LOST_C:
        return None  # it was hot when it was first read: for how long nobody knows
    every = max(t.size // MOST_LOOKED_AT, 1)
    state = preheat_state(wanted, t[::-every][::-1], readings[::-every][::-1])
    if state.going is Going.SOAKED:
        return None
    low, high = (units.text(reading, "°C", 0) for reading in (wanted.low_c, wanted.high_c))
    if state.held_s <= 0.0:
        return (
            tr("Preheat: up to {}", high),
            tr("The drum turns, empty. Then down to {} and up again for {}.", low, clock(wanted.seconds)),
            "calm",
        )
    left = tr("{} more between {} and {}, so that the steel soaks and not only the probe.", clock(state.left_s), low, high)
    if state.going is Going.DOWN:
        return tr("Preheat: heat low, down to {}", low), left, "calm"
    return tr("Preheat: up to {}", high), left, "calm"


def pause_words(session: RoastSession) -> str:
    """What the time since the machine's last drop means for this batch; empty in the middle of a row."""
    rested = session.around.rested_s
    care = session.around.care
    if rested is None:
        return tr("First batch of the day: let the steel soak, not only the probe. {}", care).strip()
    if rested > PAUSE_S:
        return tr("{:.0f} min since the last drop: the steel has cooled, drying will run long.", rested / 60.0)
    return ""


def between_words(session: RoastSession, following: str) -> tuple[str, str] | None:
    """Headline and detail of the cue after the drop: the next step of the routine; None when all are ticked.

    Parameters
    ----------
    following : a sentence on the batch that waits next.
    """
    left = [check for check in checks(session) if not check.done]
    if not left:
        return None
    first = left[0]
    headline = first.text
    if first.due_in_s is not None:
        headline += tr(" in {}", clock(first.due_in_s)) if first.due_in_s > SOON_S else tr(" now")
    then = tr("then {}", inside(left[1].text)) if len(left) > 1 else ""
    return headline, " · ".join(part for part in (tr("{confirm} ticks it"), then, following) if part)


def _join(*parts: str) -> str:
    return " ".join(part for part in parts if part)
