"""What is to be done or watched, in one line of display units: warnings, advice, or where the batch lands; short sentences."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import IntEnum
from typing import TYPE_CHECKING

import numpy as np

from firnel.core.crossing import passes
from firnel.core.guidance import Advice, Choice
from firnel.core.landing import Off, Place
from firnel.core.model.foretelling import Interval
from firnel.core.units import Units, clock
from firnel.core.usual import STALL_RATE
from firnel.core.vocabulary import Control, Machine, MarkKind, word_of
from firnel.core.words import capital, tr
from firnel.work.roast.danger import danger_of, planned_rate, runaway
from firnel.work.roast.drop_cue import bares_probe
from firnel.work.roast.move_words import control_text, when_sentence
from firnel.work.roast.probe_mistakes import rises_since
from firnel.work.roast.readings_watch import link_trouble, probe_trouble, sound
from firnel.work.roast.session import RoastSession

if TYPE_CHECKING:
    from firnel.work.roast.coming import Coming

#: A rate this far below the plan's own, or below a stall's, for so long is a stall that has come. [K/min], [s]
STALLED_BELOW, STALLED_S = 2.0, 20.0
#: What comes sooner than that is there. [s]
AT_ONCE_S = 3.0
#: Before this long after the turn the rate is still rising from it. [s]
AFTER_TURN_S = 60.0


class WarningRank(IntEnum):
    """Which warning stands before which."""

    FIRE = 0
    RUNAWAY = 1
    PROBE = 2
    GAP = 3
    BARE = 4
    COMING = 5


@dataclass(frozen=True)
class Warned:
    """What is wrong or about to be: its rank, in words, and the step that ends it if one is known."""

    rank: WarningRank
    text: str
    remedy: Choice | None = None


@dataclass(frozen=True)
class Told:
    """The line under the cue: what is to be done, why, how urgent (calm, advice, warn), and what else there is to say."""

    text: str
    urgency: str = "calm"
    more: tuple[str, ...] = ()
    why: str = ""


def told_line(session: RoastSession, units: Units) -> Told:
    """The most important thing to say now: warnings before advice, advice before where it lands."""
    told = _told_line(session, units)
    more = tuple(units.sentence(sentence) for sentence in told.more)
    return Told(units.sentence(told.text), told.urgency, more, units.sentence(told.why))


def _told_line(session: RoastSession, units: Units) -> Told:
    if session.phase not in ("drying", "browning", "development"):
        return Told("")
    warnings = warnings_of(session, units)
    advice = session.advice
    urgent = [warned.text for warned in warnings if warned.rank < WarningRank.BARE]
    rest = tuple(warned.text for warned in warnings if warned.rank >= WarningRank.BARE)
    if urgent:
        return Told(urgent[0], "warn", (*urgent[1:], *rest))
    if advice is not None and sound(session):
        return Told(advice_sentence(session, units), "advice", rest, _why(advice, units))
    if rest:
        return Told(rest[0], "warn", rest[1:])
    guidance = session.guidance
    return Told(landing_sentence(session, units), why=capital(guidance.why) if guidance is not None else "")


def warnings_of(session: RoastSession, units: Units) -> list[Warned]:
    """What is wrong or about to be, ranked."""
    found: list[Warned] = []
    danger = danger_of(session, units)
    if danger is not None:
        found.append(Warned(WarningRank.FIRE, " ".join((f"{danger.headline}.", *danger.steps))))
    if (fast := runaway(session)) is not None:
        found.append(Warned(WarningRank.RUNAWAY, _runaway_words(session, units, *fast)))
    if trouble := probe_trouble(session):
        found.append(Warned(WarningRank.PROBE, trouble))
    if trouble := link_trouble(session):
        found.append(Warned(WarningRank.GAP, trouble))
    if bares_probe(session):
        found.append(Warned(WarningRank.BARE, tr("Small load: drive by time, colour and sound, not the probe.")))
    guidance = session.guidance
    stalled = False
    for coming in guidance.coming if guidance is not None and sound(session) else ():
        stalled = stalled or coming.kind in ("stall", "lost")
        found.append(Warned(WarningRank.COMING, _coming_words(session, coming, units), coming.remedy))
    if not stalled and sound(session) and (stall := _stalled(session)):
        found.append(Warned(WarningRank.COMING, stall))
    return sorted(found, key=lambda warned: (warned.rank, warned.text))


def _coming_words(session: RoastSession, coming: Coming, units: Units) -> str:
    words = capital(coming.sentence)
    if coming.remedy is not None:
        name, before, after = _step_words(coming.remedy, session.machine, units)
        if coming.never is not None:
            return tr("{}: {} {} → {} now.", words, name, before, after)
        stall = tr("Stall") if coming.in_s < AT_ONCE_S else tr("Stall in {}", clock(coming.in_s))
        if coming.sure:
            return tr("{}: {} {} → {} ends it.", stall, name, before, after)
        return tr("{}: {} {} → {} now.", stall, name, before, after)
    if coming.never is not None and coming.by_plan:
        name = _name(session.machine.main_heat if session.machine else Control.GAS, session.machine)
        return tr("{} does not come with the moves that are planned: leave {} higher.", capital(coming.never.words), name)
    if coming.never is None and coming.in_s >= AT_ONCE_S:
        words = tr("{}, in {}", words, clock(coming.in_s))
    return tr("{}: more heat.", words) if coming.kind == "stall" or coming.never is not None else f"{words}."


def _stalled(session: RoastSession) -> str:
    """The beans hardly rise any more, and the plan does not mean that: told by the readings, forecast or not."""
    turned, trace = rises_since(session), session.trace
    if turned is None or session.now() - turned < AFTER_TURN_S or not session.roasting:
        return ""
    landing = session.guidance.landing if session.guidance is not None else None
    if MarkKind.FIRST_CRACK in session.marks and landing is not None and not landing.cold:
        return ""  # the end of a batch that lands is as flat as that
    rate = trace.rate()[trace.column("t") >= session.now() - STALLED_S]
    planned = planned_rate(session)
    floor = STALL_RATE if planned is None else min(STALL_RATE, planned - STALLED_BELOW)
    if rate.size < 3 or not (rate < floor).all():
        return ""
    return tr("Stalled: the rate is {:.1f} K/min. More heat now.", float(rate[-1]))


def _runaway_words(session: RoastSession, units: Units, rate: float, planned: float | None) -> str:
    name = word_of(session.machine.main_heat if session.machine else Control.GAS, session.machine)
    rises = tr("Rising {}", units.rate_text(rate, 0))
    return tr(
        "{}{}: {} down now.", rises, tr(", plan {:.0f}", units.show_difference(planned)) if planned is not None else "", name
    )


def advice_sentence(session: RoastSession, units: Units) -> str:
    """``Gas 1.8 → 1.5 kPa now: drop 2.1 °C hot becomes 0.4 hot.``"""
    advice = session.advice
    if advice is None:
        return ""
    sentence, then = _step_sentence(session, advice, units), advice.choice.then
    if then is None:
        return sentence
    scale = session.machine.controls.get(then.move.control) if session.machine is not None else None
    after = control_text(then.move.control, then.move.to, scale, units)
    return tr("{}, then {} {}", sentence, after, when_sentence(then.move, units))


def _step_sentence(session: RoastSession, advice: Advice, units: Units) -> str:
    planned, choice = session.adjusted_plan, step_now(session, advice)
    name, before, after = _step_words(choice, session.machine, units)
    if choice.move is not None and planned is not None:
        when = when_sentence(planned.moves[choice.move], units)
        if not _stays(session, choice):
            return tr("{} {}, not {}, {}", capital(name), after, before, when)
        if _is_due(session, choice.move):
            return tr("{} stays at {}, not to {}", capital(name), after, before)
        return tr("{} stays at {}, not to {}, {}", capital(name), after, before, when)
    if advice.choice.move is not None:
        _, instead, _ = _step_words(advice.choice, session.machine, units)
        return tr("{} {} → {} now, not to {}", capital(name), before, after, instead)
    return tr("{} {} → {} now", capital(name), before, after)


def step_now(session: RoastSession, advice: Advice) -> Choice:
    """The step to make: of a move that is due from where its control stands now, unless that is to be left so."""
    choice = advice.choice
    if choice.move is None or not _is_due(session, choice.move) or _stays(session, choice):
        return choice
    return replace(choice, move=None, setting=session.held.get(choice.control, choice.setting))


def _stays(session: RoastSession, choice: Choice) -> bool:
    """Whether a planned move is not to be made at all: its control stands where it should be."""
    scale = session.machine.controls.get(choice.control) if session.machine is not None else None
    held = session.held.get(choice.control)
    return choice.move is not None and scale is not None and held is not None and abs(held - choice.to) < 0.5 * scale.step


def _is_due(session: RoastSession, index: int) -> bool:
    """Whether the planned move of that place should have been made by now."""
    return any(one.index == index and one.due_t is not None and one.due_t <= session.now() for one in session.due())


def _why(advice: Advice, units: Units) -> str:
    """``Drop expected 2.1 °C hot; this brings it to 0.4 °C hot.``"""
    expected = _off_text(advice.off, advice.off.by, units)
    if not advice.sure:
        return tr("{}; how far this helps will be seen.", expected)
    if not _shows(advice.off.name, advice.becomes, units):
        return tr("{}; this brings it to the plan.", expected)
    return tr("{}; this brings it to {}.", expected, _amount(advice.off.name, advice.becomes, units))


def advice_text(session: RoastSession, units: Units) -> str:
    """Advice with its reason, in one line."""
    advice = session.advice
    return f"{advice_sentence(session, units)}. {_why(advice, units)}" if advice is not None else ""


def _step_words(choice: Choice, machine: Machine | None, units: Units) -> tuple[str, str, str]:
    """Name of the control, from and to."""
    scale = machine.controls.get(choice.control) if machine is not None else None
    before = control_text(choice.control, choice.setting, scale, units, with_unit=False)
    return _name(choice.control, machine), before, control_text(choice.control, choice.to, scale, units)


def _name(control: Control, machine: Machine | None) -> str:
    return word_of(control, machine)


def _off_text(off: Off, by: float, units: Units) -> str:
    name = {
        "air_c": tr("Air line"),
        "drying_s": tr("Yellow"),
        "browning_s": tr("First crack"),
        "drop_c": tr("Drop"),
        "development_s": tr("Development"),
    }[off.name]
    return tr("{} expected {}", name, _amount(off.name, by, units))


def _shows(name: str, by: float, units: Units) -> bool:
    """Whether so little is still told as a figure: it is shown to tenths of a degree and to seconds."""
    return abs(units.show_difference(by)) >= 0.05 if name in ("drop_c", "air_c") else abs(by) >= 0.5


def _amount(name: str, by: float, units: Units) -> str:
    if name in ("drop_c", "air_c"):
        return tr("{:.1f} {} {}", abs(units.show_difference(by)), units.temperature, tr("hot") if by > 0 else tr("cold"))
    word = (tr("long") if by > 0 else tr("short")) if name == "development_s" else (tr("late") if by > 0 else tr("early"))
    return f"{clock(abs(by))} {word}"


def landing_sentence(session: RoastSession, units: Units) -> str:
    """``First crack 8:52 ± 0:08 · lands 206.4 ± 0.8 °C: in the box``; outside of it only where it lands, and what helps."""
    guidance = session.guidance
    if guidance is None or MarkKind.DROP in session.offers:
        return ""
    forecast, came, place = guidance.forecast, session.reckoned, session.place
    parts = []
    for kind, name, told in (
        (MarkKind.YELLOW, tr("yellow"), forecast.yellow),
        (MarkKind.FIRST_CRACK, tr("first crack"), forecast.first_crack),
    ):
        if kind not in came and told is not None and told.value > forecast.at:
            parts.append(f"{name} {clock(told.value)}{_within(told)}")
    landing, drop = session.landing, forecast.drop_c
    if landing is not None and landing.drop_c is not None and drop is not None:
        half = (
            ""
            if drop.low is None or drop.high is None
            else tr(" ± {:.1f}", units.show_difference(0.5 * (drop.high - drop.low)))
        )
        parts.append(tr("lands {}{} {}", units.text(landing.drop_c, "°C", 1, with_unit=False), half, units.temperature))
        if place is not None:
            helps = _helps(session)
            parts[-1] += f": {tr(place)}{helps}{_other_end(session, units) if helps else ''}"
    text = " · ".join(parts[-1:] if place is Place.OUTSIDE else parts[-2:])
    return capital(text) + (tr(" (by the curve alone)") if forecast.basis == "curve" and text else "")


def _helps(session: RoastSession) -> str:
    """Whether a step would help: said only where steps were tried, and never where one is advised or left unsaid."""
    guidance = session.guidance
    if guidance is None or session.place is not Place.OUTSIDE or session.advice is not None or guidance.advice is not None:
        return ""
    if guidance.too_late:
        return tr(", too late to matter")
    return tr(", no single step helps") if session.helpless else ""


def _other_end(session: RoastSession, units: Units) -> str:
    """Where the other target lies, once it has cracked and no step helps: when to open the door is the hand's own choice.

    ``; 205.0 °C comes at 0:52 of development``, or what the reading is at the planned time where the temperature leads.
    """
    plan, marks, guidance = session.order.plan, session.reckoned, session.guidance
    charge, crack = marks.get(MarkKind.CHARGE), marks.get(MarkKind.FIRST_CRACK)
    if plan is None or charge is None or crack is None or guidance is None:
        return ""
    t, fan, targets = guidance.forecast.fan_t, guidance.forecast.fan, plan.targets
    if t is None or fan is None or targets.drop_c is None or targets.development_s is None:
        return ""
    since, bean = t - (crack.t - charge.t), fan[1]
    if plan.drop_rules:
        if not since[0] <= targets.development_s <= since[-1]:
            return ""
        at = float(np.interp(targets.development_s, since, bean))
        return tr("; {} of development is at {}", clock(targets.development_s), units.text(at, "°C", 1))
    comes = passes(since, bean, targets.drop_c)
    return "" if comes is None else tr("; {} comes at {} of development", units.text(targets.drop_c, "°C", 1), clock(comes))


def _within(told: Interval) -> str:
    if told.low is None:
        return ""
    return tr(" (from {} on)", clock(told.low)) if told.high is None else f" ± {clock(0.5 * (told.high - told.low))}"
