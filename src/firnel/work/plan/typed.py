"""Moves typed as they are said: ``gas 1.8 at yellow +20``, ``radiant 0 30 s before first crack``, ``soak to the turn``."""

from __future__ import annotations

import re
from dataclasses import replace

from firnel.core.plan import PLAN_LIMITS, Anchor, Plan, PlannedMove
from firnel.core.units import Units, parse_clock
from firnel.core.vocabulary import Control, Machine
from firnel.core.words import as_number, capital, in_english, tr
from firnel.work.plan.draft import coasting, soaking

HOW = tr("as in “gas 1.8 at yellow +20”, “air 50 at 4:30”, “gas 0 when the air falls to 190”, “soak 60”, “coast 30”")
#: Marks as they are typed, the longest first.
_MARKS = (
    ("first crack end", Anchor.FIRST_CRACK_END),
    ("first crack ends", Anchor.FIRST_CRACK_END),
    ("second crack", Anchor.SECOND_CRACK),
    ("first crack", Anchor.FIRST_CRACK),
    ("turning point", Anchor.TURNING),
    ("the turn", Anchor.TURNING),
    ("turning", Anchor.TURNING),
    ("charge", Anchor.CHARGE),
    ("yellow", Anchor.YELLOW),
    ("crack", Anchor.FIRST_CRACK),
    ("drop", Anchor.DROP),
    ("turn", Anchor.TURNING),
    ("fc", Anchor.FIRST_CRACK),
    ("y", Anchor.YELLOW),
)
#: Words of a typed move, which may be typed in the language of the window too.
TYPED = (
    "first crack end", "second crack", "turning", "charge", "yellow", "drop", "soak", "coast", "falling", "rising", "after",
    "before", "at", "air", "heat", "bean",
)  # fmt: skip
_NUMBER = r"[+-]?\d+(?:[.,]\d+)?"


def with_typed(plan: Plan, machine: Machine, text: str, units: Units) -> Plan:
    """The plan with what was typed: a move of the roaster's own, a setting at charge, a soak or a coast.

    Raises
    ------
    ValueError : in a sentence, if it is not understood or the machine cannot do it.
    """
    said = in_english(" ".join(text.lower().replace("\u2212", "-").split()), TYPED)
    if found := re.fullmatch(r"soak(?: to)?(?: the)? turn(?:ing)?(?: point)?", said):
        return soaking(plan, machine, None)
    if found := re.fullmatch(rf"(soak|coast) ({_NUMBER}|\d+:\d\d)(?: ?s)?", said):
        seconds = _seconds(found[2])
        return soaking(plan, machine, seconds) if found[1] == "soak" else coasting(plan, machine, seconds)
    control, rest = _control(machine, said)
    found = re.match(rf"(?:to )?({_NUMBER} ?(?:%|kpa|mbar|inh2o|pa|kw|rpm|step)?)(?= |$)", rest)
    if found is None:
        raise ValueError(tr("{!r}: {} to what? Type it {}.", text, control.words, HOW))
    scale = machine.controls[control]
    to = units.typed(found[1], scale.unit)
    if not scale.low <= to <= scale.high:
        raise ValueError(tr("{} runs from {:g} to {:g} {}.", capital(machine.word(control)), scale.low, scale.high, scale.unit))
    when = rest[found.end() :].strip()
    plan, move = _hung(plan, machine, PlannedMove(control, round(to, 6), Anchor.CHARGE, held=True), when, units)
    if move.anchor is Anchor.CHARGE and move.offset_s == 0.0:
        return replace(plan, start={**plan.start, control: move.to}, start_held=True)
    same = [
        index
        for index, other in enumerate(plan.moves)
        if (other.control, other.anchor, other.offset_s, other.at_c) == (control, move.anchor, move.offset_s, move.at_c)
    ]
    if same:
        move = replace(move, label=plan.moves[same[0]].label)
        return replace(plan, moves=(*plan.moves[: same[0]], move, *plan.moves[same[0] + 1 :]))
    return replace(plan, moves=(*plan.moves, move))


def _control(machine: Machine, said: str) -> tuple[Control, str]:
    """The control that is named, and what follows; ``air`` is the airflow where no control is called so."""
    names = {machine.word(control).lower(): control for control in machine.controls}
    names |= {word: control for control in machine.controls for word in (control.words.lower(), control.replace("_", " "))}
    if machine.main_air in machine.controls:
        names.setdefault("air", machine.main_air)
    if machine.main_heat in machine.controls:
        for word in ("heat", "burner", "power"):
            names.setdefault(word, machine.main_heat)
    for name in sorted(names, key=len, reverse=True):
        if said.startswith(f"{name} "):
            return names[name], said[len(name) :].strip()
    raise ValueError(
        tr("{!r} names no control: there are {}. Type it {}.", said, ", ".join(map(machine.word, machine.controls)), HOW)
    )


def _hung(plan: Plan, machine: Machine, move: PlannedMove, when: str, units: Units) -> tuple[Plan, PlannedMove]:
    """The move on what it is said to hang on; the plan, for a move that is followed gets a label."""
    when = when.removeprefix("at ").strip()
    if not when:
        raise ValueError(tr("{} to {:g}, but when? Type it {}.", move.control.words, move.to, HOW))
    if found := re.fullmatch(r"(\d+):(\d\d)", when):
        return plan, replace(move, anchor=Anchor.TIME, offset_s=_seconds(when))
    if found := re.fullmatch(rf"(?:bean |the bean )?({_NUMBER} ?(?:°c|°f|c|f|°)?)", when):
        return plan, replace(move, anchor=Anchor.BEAN, at_c=_degrees(found[1], units))
    rises = rf"(?:when )?(?:the )?air (?:(rises|falls) to )?({_NUMBER} ?(?:°c|°f|c|f|°)?)(?: (rising|falling))?"
    if found := re.fullmatch(rises, when):
        falling = "falls" in when or "falling" in when
        return plan, replace(move, anchor=Anchor.AIR, at_c=_degrees(found[2], units), falling=falling)
    if found := re.fullmatch(rf"({_NUMBER}|\d+:\d\d) ?(?:s|min)? (after|before) (.+)", when):
        seconds = _seconds(found[1]) * (1.0 if found[2] == "after" else -1.0)
        return _behind(plan, machine, move, seconds, found[3])
    for word, anchor in _MARKS:
        if found := re.fullmatch(rf"{word}(?: ?([+-]) ?(\d+(?:[.,]\d+)?|\d+:\d\d) ?s?)?", when):
            seconds = _seconds(found[2]) * (-1.0 if found[1] == "-" else 1.0) if found[2] else 0.0
            return plan, replace(move, anchor=anchor, offset_s=seconds)
    raise ValueError(tr("{!r} is no moment. Type it {}.", when, HOW))


def _behind(plan: Plan, machine: Machine, move: PlannedMove, seconds: float, what: str) -> tuple[Plan, PlannedMove]:
    """So many seconds after a mark, or after another move: that is named by its control, the last one of it."""
    for word, anchor in _MARKS:
        if what == word:
            return plan, replace(move, anchor=anchor, offset_s=seconds)
    control, _ = _control(machine, f"{what.removeprefix('the ').removesuffix(' move')} ")
    own = [index for index, other in enumerate(plan.moves) if other.control == control]
    if not own:
        raise ValueError(tr("There is no move of {} yet for another to follow.", machine.word(control)))
    followed = plan.moves[own[-1]]
    taken = {other.label for other in plan.moves}
    label = followed.label or _free_label(machine.word(control), taken)
    moves = tuple(replace(other, label=label) if index == own[-1] else other for index, other in enumerate(plan.moves))
    return replace(plan, moves=moves), replace(move, anchor=Anchor.MOVE, offset_s=seconds, after=label)


def _free_label(word: str, taken: set[str]) -> str:
    """What a move that is followed is called: its control's word, ``gas``, ``gas 2`` where taken; in 20 characters."""
    names = (word[:20] if count == 1 else f"{word[:17]} {count}" for count in range(1, len(taken) + 2))
    return next(name for name in names if name not in taken)


def _seconds(text: str) -> float:
    seconds = float(parse_clock(text) or 0.0) if ":" in text else as_number(text)
    if seconds > PLAN_LIMITS["offset_s"][1]:
        raise ValueError(tr("{!r} is no moment of a roast.", text))
    return seconds


def _degrees(text: str, units: Units) -> float:
    celsius = units.typed(text, "°C")
    if not 40.0 <= celsius <= 400.0:
        raise ValueError(tr("{} is no reading of a roast.", text))
    return round(celsius, 2)
