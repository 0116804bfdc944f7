"""What a practice is told at its end: each move, each mark and the landing, graded."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from firnel.core.plan import Plan, due_moves
from firnel.core.units import Units, clock
from firnel.core.vocabulary import MarkKind
from firnel.core.words import tr
from firnel.work.practice.practice import Practice
from firnel.work.roast.move_words import control_text, move_sentence
from firnel.work.roast.session import RoastSession

#: A move or a mark within the first counts as held, within the second as close; common practice, no published source. [s]
HELD_S, CLOSE_S = 5.0, 15.0
#: The landing within its tolerance is held, within this many tolerances close.
CLOSE_TIMES = 2.0
#: Of what the surprise does, no more than this share is left: most of it was mended.
MENDED = 0.6
POINTS = {"held": 1.0, "close": 0.5, "missed": 0.0}


@dataclass(frozen=True)
class Graded:
    """One thing that was graded: of moves, marks or landing; its words, what came of it, and held, close or missed."""

    part: str
    text: str
    came: str
    grade: str


@dataclass(frozen=True)
class Debrief:
    """All grades, the share of points reached [0..1], what was otherwise than planned, and what to practise next."""

    graded: tuple[Graded, ...]
    points: float
    surprise: str
    advice: str


def debrief(practice: Practice, units: Units) -> Debrief:
    """Grade a practice that is over."""
    session = practice.desk.session
    plan = session.order.plan or practice.plan
    graded = (
        *_moves(session, plan, units),
        *_marks(practice, session),
        *_landing(session, plan, units, practice.by_the_plan()),
    )
    points = sum(POINTS[one.grade] for one in graded) / len(graded) if graded else 0.0
    return Debrief(graded, points, practice.surprise.told, _advice(graded))


def _grade(seconds: float) -> str:
    return "held" if abs(seconds) <= HELD_S else "close" if abs(seconds) <= CLOSE_S else "missed"


def _moves(session: RoastSession, plan: Plan, units: Units) -> list[Graded]:
    found, done = [], session.done
    end = session.marks[MarkKind.DROP].t
    for entry in due_moves(plan, session.marks.values(), end, done, None):
        words = move_sentence(entry, units, session.machine)
        if entry.due_t is not None and entry.due_t > end:
            continue  # its moment never came
        made = done.get(entry.index)
        at = next(
            (m for m in session.moves if made is not None and m.control is entry.move.control and abs(m.t - made) < 1.0), None
        )
        if made is None or at is None or entry.due_t is None:
            found.append(Graded("moves", words, tr("not made") if made is None else tr("let go"), "missed"))
            continue
        late = made - entry.due_t
        grade, came = _grade(late), _late(late)
        if abs(at.to - entry.move.to) > 1e-6:
            scale = session.machine.controls.get(entry.move.control) if session.machine else None
            came += tr(", to {}", control_text(at.control, at.to, scale, units))
            grade = "missed" if grade == "missed" else "close"
        found.append(Graded("moves", words, came, grade))
    return found


def _late(seconds: float) -> str:
    if abs(seconds) < 1.0:
        return tr("on the second")
    return tr("{:.0f} s {}", abs(seconds), tr("late") if seconds > 0 else tr("early"))


def _marks(practice: Practice, session: RoastSession) -> list[Graded]:
    found = []
    for kind, truth in practice.truth.items():
        mark = session.marks.get(kind)
        if mark is None:
            found.append(Graded("marks", kind.words, tr("not marked"), "missed"))
        else:
            found.append(Graded("marks", kind.words, _late(mark.t - truth), _grade(mark.t - truth)))
    return found


def _judged(name: str, off: float, tolerance: float, alone: float | None) -> str:
    """Held, close or missed: nobody is marked down for what the surprise did, and mending most of it counts.

    ``alone`` is by how much it would be off by the surprise alone. What it does to drying is done before a hand can tell.
    """
    if abs(off) <= tolerance:
        return "held"
    if name == "drying_s" and alone is not None and min(alone, 0.0) - tolerance <= off <= max(alone, 0.0) + tolerance:
        return "held"
    mended = alone is not None and abs(alone) > tolerance and abs(off) <= MENDED * abs(alone)
    return "close" if abs(off) <= CLOSE_TIMES * tolerance or mended else "missed"


def _landing(session: RoastSession, plan: Plan, units: Units, alone: Mapping[str, float]) -> list[Graded]:
    marks, found = session.marks, []
    drop, crack, yellow = marks[MarkKind.DROP], marks.get(MarkKind.FIRST_CRACK), marks.get(MarkKind.YELLOW)
    charge = marks.get(MarkKind.CHARGE)
    drying, browning, development = plan.stages
    timed = (
        ("drying_s", "drying", drying, charge, yellow),
        ("browning_s", "browning", browning, yellow, crack),
        ("development_s", "development", development, crack, drop),
    )
    for name, words, wanted, first, second in timed:
        if wanted is not None and first is not None and second is not None:
            off, tolerance = second.t - first.t - wanted, plan.tolerance(name)
            grade, own = _judged(name, off, tolerance, alone.get(name)), alone.get(name)
            by_itself = tr("; the surprise alone {}", _long(own)) if own is not None and abs(own) > tolerance else ""
            found.append(Graded("landing", words, f"{clock(second.t - first.t)}, {_long(off)}{by_itself}", grade))
    if plan.targets.drop_c is not None and drop.bean is not None:
        off, tolerance = drop.bean - plan.targets.drop_c, plan.tolerance("drop_c")
        grade, own = _judged("drop_c", off, tolerance, alone.get("drop_c")), alone.get("drop_c")
        by = units.show_difference(off)
        side = "" if abs(by) < 0.05 else tr(", {:.1f} {} {}", abs(by), units.temperature, tr("hot") if by > 0 else tr("cold"))
        if own is not None and abs(own) > tolerance:
            side += tr("; the surprise alone {:.1f} {}", abs(units.show_difference(own)), tr("hot") if own > 0 else tr("cold"))
        found.append(Graded("landing", "drop", f"{units.text(drop.bean, '°C', 1)}{side}", grade))
    return found


def _long(seconds: float) -> str:
    return (
        tr("as planned") if abs(seconds) < 1.0 else tr("{:.0f} s {}", abs(seconds), tr("long") if seconds > 0 else tr("short"))
    )


def _advice(graded: tuple[Graded, ...]) -> str:
    """What to practise next: the part that lost most."""
    lost = {part: sum(1.0 - POINTS[one.grade] for one in graded if one.part == part) for part in ("moves", "marks", "landing")}
    worst = max(lost, key=lambda part: lost[part])
    if lost[worst] == 0.0:
        return tr("Everything held: practise at a higher speed, or with another surprise.")
    return {
        "moves": tr("The moves lost most: watch the countdown in the cue, and have the hand at the knob ten seconds before."),
        "marks": tr(
            "The marks lost most: look at the trier from ten seconds before yellow is expected, and listen from then on."
        ),
        "landing": tr("The landing lost most: take the advice when it comes; after first crack only development time counts."),
    }[worst]
