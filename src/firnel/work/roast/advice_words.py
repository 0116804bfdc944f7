"""What the forecast says, in one line of display units: advice, what is coming, or where the batch lands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.guidance import Advice, Off
from firnel.core.model.forecast import Interval
from firnel.core.plan import Plan
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, Machine, MarkKind, Quality
from firnel.work.roast.cue import control_text, when_sentence
from firnel.work.roast.live_trace import LiveTrace
from firnel.work.roast.session import RoastSession

#: Readings above these are told with the fire caution; common practice, no published source. [degC]
HOT_BEAN_C, HOT_AIR_C = 238.0, 320.0
#: Without a reading for this long there is a gap; this many bad ones in a row are a bad probe. [s], [readings]
GAP_S, BAD_READINGS = 6.0, 5
#: Of this many readings the last few are compared with all: this much slower, and slower than that, they come late. [s]
LATE_OF, LATE_READINGS, LATE_TIMES, LATE_S = 60, 6, 2.0, 2.5
#: So long after the charge the probe plunges, and what it reads is not judged. [s]
PLUNGE_S = 40.0
#: So many hot readings in a row, of the last so many, are a fire, unless the probe jumped there faster than this. [degC/s]
HOT_READINGS, HOT_WITHIN, JUMP_RATE = 3, 120, 20.0
FIRE = "Fire danger: heat off, keep the doors shut, have the extinguisher at hand, follow the maker's manual."


@dataclass(frozen=True)
class Told:
    """The line under the cue: its text, how urgent it is (calm, advice, warn), and what else there is to say."""

    text: str
    urgency: str = "calm"
    more: tuple[str, ...] = ()


def told_line(session: RoastSession, units: Units) -> Told:
    """The most important thing to say now: warnings before advice, advice before where it lands."""
    told = _told_line(session, units)
    return Told(units.sentence(told.text), told.urgency, tuple(units.sentence(sentence) for sentence in told.more))


def _told_line(session: RoastSession, units: Units) -> Told:
    if session.phase not in ("drying", "browning", "development"):
        return Told("")
    warnings = warnings_of(session, units)
    advice = advice_sentence(session, units)
    if warnings and (warnings[0][0] < COMING or not advice):
        return Told(warnings[0][1], "warn", tuple(sentence for _, sentence in warnings[1:]) + ((advice,) if advice else ()))
    if advice and session.advice is None:
        return Told(advice)
    if advice:
        return Told(advice, "advice", tuple(sentence for _, sentence in warnings))
    return Told(landing_sentence(session, units))


#: Ranks of warnings, the first before all.
FIRE_RANK, PROBE, GAP, COMING = range(4)


def warnings_of(session: RoastSession, units: Units) -> list[tuple[int, str]]:
    """What is wrong or about to be, ranked."""
    found: list[tuple[int, str]] = []
    trace, now = session.trace, session.now()
    bean, air = trace.latest("bean"), trace.latest("air")
    if _burns(trace, "bean", HOT_BEAN_C) or _burns(trace, "air", HOT_AIR_C):
        found.append((FIRE_RANK, f"{units.text(bean, '°C', 0)} at the beans, {units.text(air, '°C', 0)} in the air. {FIRE}"))
    count = len(trace)
    charge = session.marks.get(MarkKind.CHARGE)
    plunging = charge is not None and now - charge.t < PLUNGE_S
    last = [] if plunging else [trace.quality_at(index) for index in range(max(count - BAD_READINGS, 0), count)]
    if len(last) == BAD_READINGS and all(quality & Quality.FROZEN for quality in last):
        found.append((PROBE, "The bean probe gives the same figure again and again: is it frozen?"))
    elif len(last) == BAD_READINGS and all(quality & Quality.OUT_OF_RANGE for quality in last):
        found.append((PROBE, "The bean probe reads what no roast has: a broken wire? Drive by time, colour and sound."))
    elif sum(bool(quality & Quality.SPIKE) for quality in last) >= 3:
        found.append((PROBE, "The bean probe jumps: its wire or seat may be loose."))
    found += [(GAP, sentence) for sentence in _late_readings(session, now)]
    if session.guidance is not None:
        for coming in session.guidance.coming:
            found.append((COMING, f"{coming.sentence[:1].upper()}{coming.sentence[1:]}, in about {clock(coming.in_s)}."))
    return sorted(found)


def _burns(trace: LiveTrace, name: str, limit_c: float) -> bool:
    """Whether a probe has truly risen above a limit: several readings in a row, reached by a rise and not by a jump."""
    values = trace.column(name)
    known = np.flatnonzero(np.isfinite(values))[-HOT_WITHIN:]
    above = values[known] > limit_c
    if above.size < HOT_READINGS or not above[-HOT_READINGS:].all():
        return False
    cool = np.flatnonzero(~above)
    if not cool.size:
        return True
    before, after = known[cool[-1]], known[cool[-1] + 1]
    t = trace.column("t")
    return bool((values[after] - values[before]) / max(t[after] - t[before], 1e-3) < JUMP_RATE)


def _late_readings(session: RoastSession, now: float) -> list[str]:
    """Readings that do not come, or come more seldom than they did."""
    trace = session.trace
    if trace.last_t is None:
        return []
    silent = now - trace.last_t
    if trace.quality_at(len(trace) - 1) & Quality.HAND:
        if silent < session.around.hand_every_s:
            return []
        return [f"A reading is due, the last is {clock(silent)} old: type what the display shows, then Enter."]
    if silent > GAP_S * max(1.0, 0.5 * session.clock.rate):
        return [f"No reading for {clock(silent)}: the clock and the keys go on."]
    between = np.diff(trace.column("t")[-LATE_OF:])
    if between.size < LATE_OF - 1:
        return []
    usual, lately = float(np.median(between)), float(np.median(between[-LATE_READINGS:]))
    if lately > LATE_TIMES * usual and lately > LATE_S:
        return [f"Readings come every {lately:.0f} s, not every {usual:.0f} s as before: the link is slow, rates lag."]
    return []


def advice_sentence(session: RoastSession, units: Units) -> str:
    """``Drop expected 2.1 °C hot: gas 1.8 → 1.5 kPa now brings it to 0.4 °C hot.``"""
    advice, guidance = session.advice, session.guidance
    if advice is None:
        if guidance is not None and guidance.too_late and guidance.landing is not None:
            off = max(guidance.landing.off, key=lambda one: one.in_tolerances)
            return f"{_off_text(off, off.by, units)}: too late to matter."
        return ""
    machine = session.machine
    scale = machine.controls.get(advice.choice.control) if machine is not None else None
    before = control_text(advice.choice.control, advice.choice.setting, scale, units, with_unit=False)
    after = control_text(advice.choice.control, advice.choice.to, scale, units)
    what = f"{_control_name(advice, machine)} {before} → {after}"
    planned: Plan | None = session.order.plan
    when = "now"
    if advice.choice.move is not None and planned is not None:
        when = when_sentence(planned.moves[advice.choice.move], units)
    becomes = _amount(advice.off.name, advice.becomes, units)
    return f"{_off_text(advice.off, advice.off.by, units)}: {what} {when} brings it to {becomes}."


def _control_name(advice: Advice, machine: Machine | None) -> str:
    electric = machine is not None and machine.heat == "electric" and advice.choice.control is Control.GAS
    return "heat" if electric else advice.choice.control.value


def _off_text(off: Off, by: float, units: Units) -> str:
    name = {
        "air_c": "Air line",
        "drying_s": "Yellow",
        "browning_s": "First crack",
        "drop_c": "Drop",
        "development_s": "Development",
    }[off.name]
    return f"{name} expected {_amount(off.name, by, units)}"


def _amount(name: str, by: float, units: Units) -> str:
    if name in ("drop_c", "air_c"):
        return f"{abs(units.show_difference(by)):.1f} {units.temperature} {'hot' if by > 0 else 'cold'}"
    word = ("long" if by > 0 else "short") if name == "development_s" else ("late" if by > 0 else "early")
    return f"{clock(abs(by))} {word}"


def landing_sentence(session: RoastSession, units: Units) -> str:
    """``First crack at 8:52 ± 0:08 · lands at 206.4 ± 0.8 °C after 1:35, in the box.``"""
    guidance = session.guidance
    if guidance is None:
        return ""
    forecast, marks = guidance.forecast, session.marks
    parts = []
    for kind, name, told in (
        (MarkKind.YELLOW, "yellow", forecast.yellow),
        (MarkKind.FIRST_CRACK, "first crack", forecast.first_crack),
    ):
        if kind not in marks and told is not None:
            parts.append(f"{name} at {clock(told.value)}{_within(told)}")
    drop = forecast.drop_c
    if drop is not None:
        half = "" if drop.low is None or drop.high is None else f" ± {units.show_difference(0.5 * (drop.high - drop.low)):.1f}"
        parts.append(f"lands at {units.text(drop.value, '°C', 1, with_unit=False)}{half} {units.temperature}")
    text = " · ".join(parts)
    if guidance.landing is not None and drop is not None:
        text += ": in the box" if guidance.landing.inside else ": outside the box, no single step helps"
    return text[:1].upper() + text[1:] + (" (from the curve alone)" if forecast.basis == "curve" and text else "")


def _within(told: Interval) -> str:
    return "" if told.low is None or told.high is None else f" ± {clock(0.5 * (told.high - told.low))}"
