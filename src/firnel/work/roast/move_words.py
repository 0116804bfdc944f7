"""Moves and settings in words and display units: ``Gas 2.4 → 1.6 kPa``, ``12 s after yellow``."""

from __future__ import annotations

from firnel.core.plan import READINGS, Anchor, DueMove, PlannedMove
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, ControlScale, Machine, word_of
from firnel.core.words import capital, tr


def control_text(
    control: Control, value: float | None, scale: ControlScale | None, units: Units, with_unit: bool = True
) -> str:
    """A setting with its unit, in as many digits as its step has."""
    if value is None:
        return "?"
    if scale is None:
        return tr("{:g}", value)
    unit = units.shown_unit(scale.unit)
    digits = None if unit != scale.unit else scale.digits(value)
    return units.text(value, scale.unit, digits, with_unit)


def move_sentence(entry: DueMove, units: Units, machine: Machine | None) -> str:
    """``Gas 2.4 → 1.6 kPa``."""
    control = entry.move.control
    scale = machine.controls.get(control) if machine else None
    name = control_name(control, machine)
    target = control_text(control, entry.move.to, scale, units)
    if entry.from_value is None:
        return tr("{} to {}", name, target)
    return f"{name} {control_text(control, entry.from_value, scale, units, with_unit=False)} → {target}"


def start_sentence(control: Control, stands: float, start: float, units: Units, machine: Machine | None) -> str:
    """``Gas 0.0 → 2.4 kPa``: a control from where it stands to where the plan begins."""
    scale = machine.controls.get(control) if machine else None
    shown = control_text(control, stands, scale, units, with_unit=False)
    return f"{control_name(control, machine)} {shown} → {control_text(control, start, scale, units)}"


def control_name(control: Control, machine: Machine | None) -> str:
    """``Gas``; ``Heat`` on an electric machine."""
    word = word_of(control, machine)
    return capital(word)


def when_sentence(move: PlannedMove, units: Units) -> str:
    """``12 s after yellow``."""
    if move.anchor in READINGS:
        degrees = units.text(move.at_c, "°C", None if move.at_c is not None and move.at_c % 1.0 else 0)
        if move.anchor is Anchor.BEAN:
            return tr("at {}", degrees)
        return tr("when the air {} to {}", tr("falls") if move.falling else tr("rises"), degrees)
    mark = {Anchor.TIME: "charge", Anchor.MOVE: tr("the {} move", move.after)}.get(
        move.anchor, tr(move.anchor.value.replace("_", " "))
    )
    if move.offset_s == 0:
        return tr("at {}", mark)
    side = tr("after") if move.offset_s > 0 else tr("before")
    seconds = abs(move.offset_s)
    amount = tr("{:.0f} s", seconds) if seconds < 60 else clock(seconds)
    return f"{amount} {side} {mark}"
