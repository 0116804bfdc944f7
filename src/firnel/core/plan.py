"""A plan: targets, and moves that hang on marks; and what is left of it once marks have come early or late."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum

import numpy as np

from firnel.core.crossing import crossing, passes
from firnel.core.usual import BROWNING_S, DEVELOPMENT_S, DRYING_S
from firnel.core.vocabulary import Control, FloatArray, Mark, MarkKind
from firnel.core.words import tr

#: So many moves may follow one another: a ring of them has no end.
MOST_IN_A_ROW = 12
#: A move nobody has made is told first for so long, then small beside what matters. Common practice, no published source. [s]
LATE_S = 20.0
#: A probe that rises slower than this does not tell when it will be anywhere. [K/min]
LEAST_RISE = 1.0


class Anchor(StrEnum):
    """What a planned move hangs on: a mark, the clock since charge, a bean or air reading, or another move."""

    CHARGE = "charge"
    TURNING = "turning"
    YELLOW = "yellow"
    FIRST_CRACK = "first_crack"
    FIRST_CRACK_END = "first_crack_end"
    SECOND_CRACK = "second_crack"
    DROP = "drop"
    TIME = "time"
    BEAN = "bean"
    AIR = "air"
    MOVE = "move"


#: Anchors that are a reading, and those of which nobody can say beforehand when they come.
READINGS = (Anchor.BEAN, Anchor.AIR)
UNFORESEEN = (Anchor.FIRST_CRACK_END, Anchor.SECOND_CRACK)


@dataclass(frozen=True)
class PlannedMove:
    """Set ``control`` to ``to`` (machine scale), ``offset_s`` after its anchor, or at a reading of ``at_c`` [degC].

    A ``held`` move is the roaster's own: the solver works around it. An air reading is passed rising, or ``falling``. A move
    that others follow has a ``label``; one that hangs on another names it in ``after``.
    """

    control: Control
    to: float
    anchor: Anchor
    offset_s: float = 0.0
    at_c: float | None = None
    held: bool = False
    falling: bool = False
    label: str = ""
    after: str = ""

    def __post_init__(self) -> None:
        if self.anchor in READINGS and self.at_c is None:
            raise ValueError(tr("a move that hangs on a {} temperature needs at_c, the temperature in degC.", self.anchor))
        if self.anchor is Anchor.MOVE and not self.after:
            raise ValueError(tr("a move that follows another needs to say which: after."))


@dataclass(frozen=True)
class Targets:
    """What the plan wants; None where it leaves the roaster free. Seconds and degC.

    ``rise_c`` is the bean reading's rise from first crack to drop, ``ratio`` development over total [0..1], ``loss`` the weight
    loss [0..1], ``colour`` the ground colour index.
    """

    charge_c: float | None = None
    drying_s: float | None = None
    browning_s: float | None = None
    development_s: float | None = None
    drop_c: float | None = None
    rise_c: float | None = None
    total_s: float | None = None
    ratio: float | None = None
    loss: float | None = None
    colour: float | None = None

    @property
    def asked(self) -> tuple[str, ...]:
        """Names of the targets that are set."""
        return tuple(entry.name for entry in fields(self) if getattr(self, entry.name) is not None)

    def only(self, names: Iterable[str]) -> Targets:
        """These targets with all but the named ones left free."""
        return Targets(**{name: getattr(self, name) for name in names})


#: How targets are called, in the order in which they give way, the last first; the plan's winner stands before all.
TARGET_WORDS = {
    "development_s": tr("development"),
    "drop_c": tr("drop"),
    "rise_c": tr("rise after crack"),
    "charge_c": tr("charge"),
    "browning_s": tr("browning"),
    "drying_s": tr("drying"),
    "total_s": tr("total"),
    "ratio": tr("development ratio"),
    "loss": tr("weight loss"),
    "colour": tr("colour"),
}
#: What the figures of any plan lie between, however odd it is; the solver's own limits are narrower.
PLAN_LIMITS = {
    "charge_c": (20.0, 350.0), "drying_s": (1.0, 7200.0), "browning_s": (1.0, 7200.0), "development_s": (1.0, 7200.0),
    "drop_c": (100.0, 300.0), "rise_c": (-20.0, 80.0), "total_s": (1.0, 7200.0), "ratio": (0.0, 1.0), "loss": (0.0, 1.0),
    "colour": (0.0, 100.0), "load_kg": (0.001, 1000.0), "room_c": (-40.0, 60.0), "drum_c": (-200.0, 100.0),
    "tolerance": (0.001, 600.0), "offset_s": (-3600.0, 7200.0),
}  # fmt: skip
#: Tolerances where the plan sets none; ratio, loss and colour are common practice, no published source.
USUAL_TOLERANCE = {"ratio": 0.01, "loss": 0.005, "colour": 2.0}


@dataclass(frozen=True)
class PlanCurve:
    """The curve the plan expects, over seconds from charge, equal-length arrays. [s, degC, degC, degC/min]"""

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    ror: FloatArray


@dataclass(frozen=True)
class Plan:
    """Targets and moves for one lot on one machine. ``start`` holds the settings at charge.

    ``asked`` names the targets that were set by hand (all if None); the solver fills the others with what it expects.
    ``wins`` is the target that holds when two disagree; ``room_c`` the temperature of the room and ``drum_c`` how much hotter
    than usual the steel is at charge (negative: colder), both as planned for. [degC, K] ``course`` is drying, browning and
    development as the model expects them, which is where the curve has its marks. [s]
    """

    name: str
    machine: str = ""
    lot: str = ""
    load_kg: float | None = None
    purpose: str = "filter"
    approach: str = "falling"
    targets: Targets = field(default_factory=Targets)
    start: Mapping[Control, float] = field(default_factory=dict)
    moves: tuple[PlannedMove, ...] = ()
    tolerance_s: float = 5.0
    tolerance_c: float = 1.0
    curve: PlanCurve | None = None
    remark: str = ""
    asked: tuple[str, ...] | None = None
    course: tuple[float, float, float] | None = None
    wins: str = "development_s"
    tolerances: Mapping[str, float] = field(default_factory=dict)
    room_c: float = 22.0
    drum_c: float = 0.0
    start_held: bool = False
    version: int = 1
    id: int | None = None
    lot_id: int | None = None  #: of the library; the names beside them are for reading
    machine_id: int | None = None
    archived: bool = False

    @property
    def wanted(self) -> Targets:
        """Only the targets that were set by hand."""
        return self.targets if self.asked is None else self.targets.only(self.asked)

    @property
    def drop_rules(self) -> bool:
        """Whether the drop temperature ends the roast; else development time does, if there is any."""
        wanted = self.wanted
        timed = any(time is not None for time in (wanted.development_s, wanted.total_s, wanted.ratio))
        return wanted.drop_c is not None and (not timed or self.wins == "drop_c")

    @property
    def stages(self) -> tuple[float | None, float | None, float | None]:
        """Drying, browning and development as they are expected: by the model, else by the targets. [s]"""
        targets = self.targets
        if self.course is None:
            return targets.drying_s, targets.browning_s, targets.development_s
        drying, browning, development = self.course
        timed = targets.development_s if not self.drop_rules else None
        return drying, browning, timed if timed is not None else development

    @property
    def usual_stages(self) -> tuple[float, float, float]:
        """Drying, browning and development as they are expected, or as is usual where nothing tells. [s]"""
        drying, browning, development = self.stages
        return drying or DRYING_S, browning or BROWNING_S, development or DEVELOPMENT_S

    def tolerance(self, name: str) -> float:
        """How far a target may be missed, in its own unit."""
        usual = self.tolerance_s if name.endswith("_s") else USUAL_TOLERANCE.get(name, self.tolerance_c)
        return self.tolerances.get(name, usual)

    def reading_more(self, by: float) -> Plan:
        """The same roast on a bean probe that reads so much more. [degC]"""
        targets, curve = self.targets, self.curve
        return replace(
            self,
            targets=replace(targets, charge_c=_more(targets.charge_c, by), drop_c=_more(targets.drop_c, by)),
            moves=tuple(replace(m, at_c=_more(m.at_c, by)) if m.anchor is Anchor.BEAN else m for m in self.moves),
            curve=replace(curve, bean=curve.bean + by) if curve is not None else None,
        )


def _more(reading: float | None, by: float) -> float | None:
    return None if reading is None else round(reading + by, 1)


@dataclass(frozen=True)
class Rising:
    """The bean probe since its turn: times [s of log time] and readings [degC], shape (n,); level [degC] and rate [K/min]."""

    t: FloatArray
    bean: FloatArray
    level: float
    rate: float

    def reached(self, bean_c: float) -> float | None:
        """When it first read so much; None while it has not. [s]"""
        if self.level < bean_c or not self.t.size:
            return None
        above = np.flatnonzero(self.bean >= bean_c)
        return float(self.t[above[0]]) if above.size else float(self.t[-1])


@dataclass(frozen=True)
class DueMove:
    """A planned move with the log time at which it falls due, None while nothing tells; ``from_value`` is what holds before."""

    move: PlannedMove
    index: int
    due_t: float | None
    from_value: float | None
    done_t: float | None = None


def expected_marks(
    plan: Plan, marks: Iterable[Mark], now: float, told: Mapping[MarkKind, float] | None = None
) -> dict[MarkKind, float]:
    """When each mark came or is expected, in log time.

    A mark that came early or late takes all that hangs on it along; one that is overdue is expected now.

    Parameters
    ----------
    plan : with the stage targets; a missing one leaves later marks unknown.
    marks : that have come.
    now : log time. [s]
    told : when a forecast expects yellow and first crack, and the drop where temperature ends the roast; before the plan's own
        times. Log time. [s]
    """
    came = {mark.kind: mark.t for mark in marks}
    if MarkKind.CHARGE not in came:
        return came
    expected: dict[MarkKind, float] = dict(came)
    drying, browning, development = plan.stages
    chain = (
        (MarkKind.CHARGE, MarkKind.YELLOW, drying),
        (MarkKind.YELLOW, MarkKind.FIRST_CRACK, browning),
        (MarkKind.FIRST_CRACK, MarkKind.DROP, development),
    )
    for start, end, seconds in chain:
        if end in came:
            continue
        if told is not None and end in told and (end is not MarkKind.DROP or plan.drop_rules):
            expected[end] = max(told[end], now)
        elif start in expected and seconds is not None:
            expected[end] = max(expected[start] + seconds, now)
    return expected


def shifted_curve(
    plan: Plan, marks: Iterable[Mark], now: float, told: Mapping[MarkKind, float] | None = None
) -> PlanCurve | None:
    """The plan's curve in log time, each stage moved along with the mark it begins at; None without a curve or charge."""
    when = expected_marks(plan, marks, now, told)
    if plan.curve is None or MarkKind.CHARGE not in when:
        return None
    (drying, browning, _), t = plan.stages, plan.curve.t
    planned, shift = 0.0, np.full_like(t, when[MarkKind.CHARGE])
    for kind, seconds in ((MarkKind.YELLOW, drying), (MarkKind.FIRST_CRACK, browning)):
        if seconds is None or kind not in when:
            break
        planned += seconds
        shift[t >= planned] = when[kind] - planned
    moved = t + shift
    # An early mark overtakes the end of its stage: what it overtook is no longer to come.
    keep = np.append(moved[:-1] < np.minimum.accumulate(moved[::-1])[::-1][1:], True)
    curve = plan.curve
    return PlanCurve(moved[keep], curve.bean[keep], curve.air[keep], curve.ror[keep])


def due_moves(
    plan: Plan,
    marks: Iterable[Mark],
    now: float,
    done: Mapping[int, float] | None = None,
    told: Mapping[MarkKind, float] | None = None,
    held: Mapping[Control, float] | None = None,
    bean: Rising | None = None,
    air: tuple[FloatArray, FloatArray] | None = None,
) -> tuple[DueMove, ...]:
    """The plan's moves with the moments at which they fall due, in order of time; unknown ones last.

    Parameters
    ----------
    plan, marks, now, told : as in `expected_marks`.
    done : log time at which the move of that index was made, or settled otherwise.
    held : how the controls stand: what the next move of each goes from, and those behind one that is late.
    bean : the bean probe as it rises; without it the plan's curve tells when a temperature is reached.
    air : times [s of log time] and readings [degC] of the air probe since the charge; likewise.
    """
    marks = tuple(marks)
    done = done or {}
    when = expected_marks(plan, marks, now, told)
    came = {mark.kind: mark.t for mark in marks}
    hangs_on_reading = any(move.anchor in READINGS for move in plan.moves)
    curve = shifted_curve(plan, marks, now, told) if hangs_on_reading else None
    places = {move.label: index for index, move in enumerate(plan.moves) if move.label}

    def due(move: PlannedMove, left: int = MOST_IN_A_ROW) -> float | None:
        if move.anchor is Anchor.BEAN and move.at_c is not None:
            return _reached(curve, move.at_c, now, bean)
        if move.anchor is Anchor.AIR and move.at_c is not None:
            return _passed_air(curve, move.at_c, move.falling, now, air)
        if move.anchor is Anchor.MOVE:
            place = places.get(move.after)
            if place is None or left == 0:
                return None
            base = done[place] if place in done else due(plan.moves[place], left - 1)
            return None if base is None else base + move.offset_s
        if move.anchor is Anchor.TURNING or move.anchor in UNFORESEEN:
            kind = MarkKind(move.anchor.value)
            return came[kind] + move.offset_s if kind in came else None
        kind = MarkKind.CHARGE if move.anchor is Anchor.TIME else MarkKind(move.anchor.value)
        return when[kind] + move.offset_s if kind in when else None

    order = sorted(
        ((due(move), index, move) for index, move in enumerate(plan.moves)),
        key=lambda entry: (entry[0] is None, entry[0] or 0.0, entry[1]),
    )
    before, truly = dict(plan.start), dict(held or {})
    result = []
    for moment, index, move in order:
        base = before.get(move.control)
        if index not in done and move.control in truly:
            base = truly[move.control]
            if moment is None or now - moment <= LATE_S:
                del truly[move.control]
        result.append(DueMove(move, index, moment, base, done.get(index)))
        before[move.control] = move.to
    return tuple(result)


def _reached(curve: PlanCurve | None, bean_c: float, now: float, bean: Rising | None) -> float | None:
    """When the bean probe reached a temperature, or will: as it rises now, else by the plan's curve. [s]"""
    if bean is None:
        return _crossing(curve, bean_c)
    if (came := bean.reached(bean_c)) is not None:
        return came
    planned = _crossing(curve, bean_c)
    if planned is not None and planned > now:
        return planned
    return now + 60.0 * (bean_c - bean.level) / bean.rate if bean.rate > LEAST_RISE else None


def _passed_air(
    curve: PlanCurve | None, air_c: float, falling: bool, now: float, air: tuple[FloatArray, FloatArray] | None
) -> float | None:
    """When the air probe passed a reading, or will by the plan's curve. [s]"""
    if air is not None and (came := passes(*air, air_c, falling)) is not None:
        return came
    planned = passes(curve.t, curve.air, air_c, falling) if curve is not None else None
    return planned if planned is not None and (air is None or planned > now) else None


def _crossing(curve: PlanCurve | None, bean_c: float) -> float | None:
    """Log time at which the rising part of the curve reaches ``bean_c``."""
    if curve is None or curve.t.size < 2:
        return None
    lowest = int(np.argmin(curve.bean))
    when = float(crossing(curve.t[lowest:], curve.bean[lowest:, None], np.array([bean_c]))[0])
    return when if np.isfinite(when) else None
