"""The cue: one sentence of what is next, what follows it, and the clock that matters now."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.plan import Anchor, DueMove, PlannedMove
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, ControlScale, Machine, MarkKind
from firnel.work.roast.before_charge import between_words, charge_words
from firnel.work.roast.drop_cue import FINAL_S, LEADS_S, drop_cue
from firnel.work.roast.session import RoastSession

#: A move is told as due this long before and as missed this long after its moment. [s]
SOON_S, MISSED_S = 12.0, 20.0


@dataclass(frozen=True)
class Cue:
    """What the top of the Roast view says. ``urgency`` is calm, soon, due, warn, or drop in the last seconds."""

    kicker: str
    headline: str
    detail: str
    clock_label: str
    clock: str
    since_charge: str
    figures: str
    urgency: str = "calm"


def cue_of(session: RoastSession, units: Units, cooling_aim_s: float = 240.0, following: str = "") -> Cue:
    """The cue as the session stands now.

    Parameters
    ----------
    following : a sentence on the batch that waits next.
    """
    phase, now = session.phase, session.now()
    marks = session.marks
    charge = marks.get(MarkKind.CHARGE)
    since = clock(now - charge.t) if charge else ""
    figures = _figures(session, units)
    if phase == "idle":
        return Cue(
            "no batch", "Prepare the next batch", following or "Press N: choose lot, load and plan.", "", "", "", figures
        )
    if phase == "ready":
        headline, detail, urgency = charge_words(session, units)
        return Cue("before charge", headline, detail, "", "", "", figures, urgency)
    if phase == "cooling":
        return _cooling(session, now - marks[MarkKind.DROP].t, cooling_aim_s, since, figures, following)
    stage_start = {"drying": MarkKind.CHARGE, "browning": MarkKind.YELLOW, "development": MarkKind.FIRST_CRACK}[phase]
    label, shown = phase, clock(now - marks[stage_start].t)
    if phase == "development" and charge:
        label = f"development · {100 * (now - marks[stage_start].t) / max(now - charge.t, 1):.0f} % of total"
    kicker, headline, detail, urgency = _next(session, units, now)
    ending = drop_cue(session, units)
    if ending is not None and ending.left_s <= LEADS_S:
        left = ending.left_s
        sentence = _join(headline if kicker == "next move" else "", ending.sentence)
        headline = "Drop now" if left <= 0.5 else f"Drop in {clock(left)}"
        if left > FINAL_S:
            return Cue("drop", headline, sentence, label, shown, since, figures, "soon")
        shown, name = (clock(-left), "over by") if left < -0.5 else (f"{max(left, 0.0):.0f}", "drop in")
        return Cue("drop", headline, sentence, name, shown, since, figures, "drop")
    if ending is not None and ending.sentence:
        detail = _join(ending.sentence, detail)
    return Cue(kicker, headline, detail, label, shown, since, figures, urgency)


def _cooling(session: RoastSession, cooled: float, aim_s: float, since: str, figures: str, following: str) -> Cue:
    """After the drop: the routine between two batches, and the scale."""
    if cooled > aim_s and session.batch_id is not None:
        detail = _join(f"Aim: hand-warm within {clock(aim_s)}.", following)
        return Cue(
            "dropped", "Cooling over the aim: is the tray fan on?", detail, "cooling", clock(cooled), since, figures, "warn"
        )
    between = between_words(session, following)
    if between is None:
        detail = _join(f"Aim: hand-warm within {clock(aim_s)}. Weigh it, then type the figures in the sheet.", following)
        return Cue("dropped", "Cool, then weigh", detail, "cooling", clock(cooled), since, figures)
    return Cue("between batches", between[0], between[1], "cooling", clock(cooled), since, figures)


def _figures(session: RoastSession, units: Units) -> str:
    bean, rate = session.trace.level, session.trace.latest("rate")
    if bean is None:
        return "no readings"
    charged = MarkKind.CHARGE in session.marks and MarkKind.DROP not in session.marks
    turned = MarkKind.TURNING in session.marks
    text = units.text(bean, "°C", 1)
    return f"{text} {units.rate_text(rate)}" if charged and turned else text


def _next(session: RoastSession, units: Units, now: float) -> tuple[str, str, str, str]:
    """Kicker, headline, detail and urgency while beans are in the drum."""
    waiting = [entry for entry in session.due() if entry.done_t is None]
    steps: list[tuple[float | None, str, str]] = []
    machine = session.machine
    for entry in waiting:
        steps.append((entry.due_t, move_sentence(entry, units, machine), when_sentence(entry.move, units)))
    mark = session.next_expected()
    expected = session.expected()
    mark_step = (expected.get(mark) if mark else None, f"{_imperative(mark)}", "by the plan") if mark else None
    steps.sort(key=lambda step: (step[0] is None, step[0] or 0.0))
    shift = _shift_sentence(session)
    if not steps:
        if mark_step is None:
            return "next", "Drop is done", "", "calm"
        return (
            "next mark",
            _with_time(mark_step[1], mark_step[0], now),
            _join("Space marks it", shift),
            _urgency(mark_step[0], now),
        )
    moment, headline, when = steps[0]
    after = [_short(step) for step in steps[1:2]]
    if mark_step and mark_step[0] is not None and (moment is None or mark_step[0] < moment - SOON_S):
        follows = f"then {headline[0].lower()}{headline[1:]} {when}"
        return "next mark", _with_time(mark_step[1], mark_step[0], now), _join(shift, follows), _urgency(mark_step[0], now)
    late = moment is not None and now - moment > MISSED_S
    kicker = "missed move" if late else "next move"
    follows = _join("Enter: done, D: let it go" if late else "", when, shift, *(f"then {text}" for text in after))
    return kicker, _with_time(headline, moment, now), follows, "warn" if late else _urgency(moment, now)


def _join(*parts: str) -> str:
    return " · ".join(part for part in parts if part)


def _short(step: tuple[float | None, str, str]) -> str:
    return f"{step[1][0].lower()}{step[1][1:]} {step[2]}"


def _with_time(sentence: str, moment: float | None, now: float) -> str:
    if moment is None:
        return sentence
    left = moment - now
    if left <= 0.5:
        return f"{sentence} now" if left > -MISSED_S else f"{sentence}, {clock(-left)} ago"
    return f"{sentence} in {clock(left)}"


def _urgency(moment: float | None, now: float) -> str:
    if moment is None or moment - now > SOON_S:
        return "calm"
    return "due" if moment - now <= 0.5 else "soon"


def _imperative(kind: MarkKind | None) -> str:
    if kind is None:
        return ""
    return {MarkKind.YELLOW: "Yellow", MarkKind.FIRST_CRACK: "First crack", MarkKind.DROP: "Drop"}.get(
        kind, kind.words.capitalize()
    )


def _shift_sentence(session: RoastSession) -> str:
    """How far the last mark came from where the plan had it, if that is worth a word."""
    plan, marks = session.order.plan, session.marks
    if plan is None or MarkKind.CHARGE not in marks:
        return ""
    pairs = (
        (MarkKind.FIRST_CRACK, MarkKind.YELLOW, plan.stages[1]),
        (MarkKind.YELLOW, MarkKind.CHARGE, plan.stages[0]),
    )
    for kind, start, seconds in pairs:
        if kind in marks and start in marks and seconds is not None:
            late = marks[kind].t - marks[start].t - seconds
            if abs(late) < 3.0:
                return ""
            return f"{kind.words} {clock(abs(late))} {'late' if late > 0 else 'early'}: the rest moved"
    return ""


def control_text(
    control: Control, value: float | None, scale: ControlScale | None, units: Units, with_unit: bool = True
) -> str:
    """A setting with its unit, in as many digits as its step has."""
    if value is None:
        return "?"
    if scale is None:
        return f"{value:g}"
    unit = units.shown_unit(scale.unit)
    digits = None if unit != scale.unit else (0 if scale.step >= 1 else 1)
    return units.text(value, scale.unit, digits, with_unit)


def move_sentence(entry: DueMove, units: Units, machine: Machine | None) -> str:
    """``Gas 2.4 → 1.6 kPa``."""
    control = entry.move.control
    scale = machine.controls.get(control) if machine else None
    name = (
        "Heat" if control is Control.GAS and machine is not None and machine.heat == "electric" else control.value.capitalize()
    )
    target = control_text(control, entry.move.to, scale, units)
    if entry.from_value is None:
        return f"{name} to {target}"
    return f"{name} {control_text(control, entry.from_value, scale, units, with_unit=False)} → {target}"


def when_sentence(move: PlannedMove, units: Units) -> str:
    """``12 s after yellow``."""
    if move.anchor is Anchor.BEAN:
        return f"at {units.text(move.at_c, '°C', 0)}"
    mark = "charge" if move.anchor is Anchor.TIME else move.anchor.value.replace("_", " ")
    if move.offset_s == 0:
        return f"at {mark}"
    side = "after" if move.offset_s > 0 else "before"
    seconds = abs(move.offset_s)
    amount = f"{seconds:.0f} s" if seconds < 60 else clock(seconds)
    return f"{amount} {side} {mark}"
