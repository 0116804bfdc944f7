"""Plans in words and display units: targets, what could not be met, and what a new version changed."""

from __future__ import annotations

from collections.abc import Callable

from firnel.core.model.solving import Solved
from firnel.core.plan import PLAN_LIMITS, TARGET_WORDS, Plan, PlannedMove
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Machine, word_of
from firnel.core.words import capital, tr
from firnel.work.roast.move_words import control_text, when_sentence

#: How the approaches are called.
APPROACHES = {
    "falling": tr("falling rate"),
    "air-led": "air-led",
    "soak-push": tr("soak and push"),
    "times": tr("stage times first"),
}

#: What a plan is made for besides its targets.
CONDITIONS = {"load_kg": tr("load"), "room_c": tr("room"), "drum_c": tr("drum")}


def target_text(name: str, value: float | None, units: Units) -> str:
    """A target's value with its unit; a dash where it is open."""
    if value is None:
        return "–"
    if name in ("ratio", "loss"):
        return tr("{:.1f} %", 100 * value)
    if name == "colour":
        return tr("{:.0f} {}", value, units.colour)
    if name == "rise_c":
        return tr("{:.1f} {}", units.show_difference(value), units.temperature)
    return units.text(value, "°C", 0 if name == "charge_c" else 1) if name.endswith("_c") else clock(value)


def tolerance_text(name: str, value: float, units: Units) -> str:
    """``±5 s``, ``±2.0 °C``."""
    if name in ("ratio", "loss"):
        return tr("±{:.1f} %", 100 * value)
    if name == "colour":
        return tr("±{:.0f}", value)
    return tr("±{:.1f} {}", units.show_difference(value), units.temperature) if name.endswith("_c") else tr("±{:.0f} s", value)


def within_limits(name: str, value: float, units: Units) -> float:
    """A figure of a plan that is one.

    Raises
    ------
    ValueError : if no plan has such a figure; the sentence says, in display units, what it lies between.
    """
    low, high = PLAN_LIMITS[name]
    if low <= value <= high:
        return value
    word, *shown = CONDITIONS.get(name) or TARGET_WORDS[name], *(_figure(name, one, units) for one in (value, low, high))
    raise ValueError(capital(tr("{} {} cannot be: {} to {}.", word, *shown)))


def _figure(name: str, value: float, units: Units) -> str:
    if name == "load_kg":
        return units.text(value, "kg")
    if name == "drum_c":
        return tr("{:+.0f} {}", units.show_difference(value), units.temperature)
    return units.text(value, "°C", 0) if name == "room_c" else target_text(name, value, units)


def shortfalls(solved: Solved, units: Units, machine: Machine | None = None) -> tuple[str, ...]:
    """What comes out beyond the plan's tolerance, and which held move stands in the way, in display units."""

    def shown(name: str, value: float) -> str:
        return target_text(name, value, units)

    beyond = [one for one in solved.missed if one.got is None or abs(one.got - one.wanted) > solved.plan.tolerance(one.name)]
    said = [*solved.gave_way, *(missed.words(shown) for missed in beyond)]
    if beyond and solved.blocking:
        held = tr(" and ").join(f"“{move_text(solved.plan.moves[index], units, machine)}”" for index in solved.blocking)
        said.append(tr("Held by you and in the way: {}.", held))
    return tuple(capital(sentence) for sentence in said)


def move_text(move: PlannedMove, units: Units, machine: Machine | None) -> str:
    """``gas 2.4 kPa 10 s after yellow``."""
    scale = machine.controls.get(move.control) if machine is not None else None
    return f"{word_of(move.control, machine)} {control_text(move.control, move.to, scale, units)} {when_sentence(move, units)}"


def plan_changes(before: Plan, after: Plan, units: Units, machine: Machine | None = None) -> tuple[str, ...]:
    """What a version changed, one phrase each; targets that only follow from others are left out."""
    said: list[str] = []
    asked = {*before.wanted.asked, *after.wanted.asked}
    for name, word in TARGET_WORDS.items():
        old, new = getattr(before.wanted, name), getattr(after.wanted, name)
        if name in asked and old != new and target_text(name, old, units) != target_text(name, new, units):
            said.append(f"{word} {target_text(name, old, units)} → {target_text(name, new, units)}")

    def changed(word: str, old: object, new: object, shown: Callable[..., str] = str) -> None:
        if old != new:
            said.append(f"{word} {shown(old)} → {shown(new)}")

    changed("lot", before.lot, after.lot)
    changed("machine", before.machine, after.machine)
    changed("load", before.load_kg, after.load_kg, lambda kg: units.text(kg, "kg"))
    changed("purpose", before.purpose, after.purpose)
    changed("approach", before.approach, after.approach, lambda key: APPROACHES.get(str(key), str(key)))
    changed(tr("what wins:"), before.wins, after.wins, lambda name: TARGET_WORDS[name])
    changed("room", before.room_c, after.room_c, lambda c: units.text(c, "°C", 0))
    changed(
        tr("drum at charge"),
        before.drum_c,
        after.drum_c,
        lambda k: tr("{:+.0f} {}", units.show_difference(k), units.temperature),
    )
    for name in sorted({*before.tolerances, *after.tolerances}):
        old, new = (tolerance_text(name, plan.tolerance(name), units) for plan in (before, after))
        changed(tr("tolerance of {}", TARGET_WORDS[name]), old, new)
    return (*said, *_moves(before, after, units, machine))


def _moves(before: Plan, after: Plan, units: Units, machine: Machine | None) -> list[str]:
    """Moves that went elsewhere, came or fell away. A move is the same if it hangs on the same mark in the same place."""
    said = []
    for control in after.start:
        scale = machine.controls.get(control) if machine is not None else None
        old, new = before.start.get(control), after.start[control]
        if old is not None and old != new:
            shown = [control_text(control, value, scale, units, with_unit=value is new) for value in (old, new)]
            said.append(tr("{} at charge {}", word_of(control, machine), " → ".join(shown)))
    left = list(before.moves)
    for move in after.moves:
        same = [other for other in left if (other.control, other.anchor) == (move.control, move.anchor)]
        if not same:
            said.append(tr("new: {}", move_text(move, units, machine)))
            continue
        was = min(same, key=lambda other: (abs(other.offset_s - move.offset_s), other.to != move.to))
        left.remove(was)
        if (was.to, was.offset_s, was.at_c) != (move.to, move.offset_s, move.at_c):
            said.append(f"{move_text(was, units, machine)} → {move_text(move, units, machine)}")
    return said + [tr("without: {}", move_text(gone, units, machine)) for gone in left]


def asked_text(plan: Plan, units: Units) -> str:
    """The targets that were set by hand, with their tolerances, the winner first."""
    names = sorted(plan.wanted.asked, key=lambda name: (name != plan.wins, list(TARGET_WORDS).index(name)))
    wanted = plan.wanted

    def told(name: str) -> str:
        value, tolerance = getattr(wanted, name), plan.tolerance(name)
        return f"{TARGET_WORDS[name]} {target_text(name, value, units)} {tolerance_text(name, tolerance, units)}"

    return " · ".join(told(name) for name in names)
