"""Candidates of the solver: many ways to make the open moves, run at once as an ensemble and weighed against the targets.

A candidate is a row: the open heat levels as shares of full heat, then the charge temperature and the development time where
these are open. While it solves, marks stand at their target times.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from firnel.core.model.constants import StartState, control_share, hands_of
from firnel.core.model.driven import Driven, nearest
from firnel.core.model.learning import MachineModel
from firnel.core.model.planned import load_of
from firnel.core.model.simulation import Simulated, simulate
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import READINGS, UNFORESEEN, Anchor, Plan, PlannedMove
from firnel.core.stage_targets import StageTimes
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Machine, Role
from firnel.core.words import tr

#: A target is met within this. [s], [degC], share of weight, index of colour
MET_S, MET_C, MET_LOSS, MET_COLOUR = 2.0, 0.5, 0.003, 1.0
#: Moves are shifted by whole steps of this. [s]
SHIFT_S = 5.0
#: A move is shifted by so many of them at most.
MOST_SHIFTS = 5
#: Candidates are run in steps of this: the longest that is still accurate. [s]
COARSE = 4.0
#: A stage that nobody asked for is pulled to the usual only this softly. [s]
FREE_S = 40.0
#: A free charge temperature stays near the usual. [degC]
FREE_C = 5.0
#: The winning target pulls so much harder than the others.
WINS = 3.0
#: Airflow as shares of the scale while drying, from yellow, from first crack: common practice, no published source.
AIR_LEVELS = (0.22, 0.45, 0.70)
#: What becomes of the airflow: anchor, offset [s], share of its scale. Air-led, it does what else a step of heat would.
AIR_MOVES: dict[str, tuple[tuple[Anchor, float, float], ...]] = {
    "": ((Anchor.YELLOW, 20.0, AIR_LEVELS[1]), (Anchor.FIRST_CRACK, -20.0, AIR_LEVELS[2])),
    "air-led": ((Anchor.YELLOW, -10.0, 0.45), (Anchor.YELLOW, 100.0, 0.60), (Anchor.FIRST_CRACK, 5.0, 0.85)),
}
#: A soak-and-push coasts through this share of its development.
COASTED = 0.4
#: Where the other sources of heat stand at charge, and what becomes of them, as shares of their scales: radiant heat runs on
#: into the beans and is off before first crack, a drum heater is moderate and declines; common practice, no published source.
SOURCE_AT_CHARGE = {"radiant": 0.70, "drum": 0.50, "hot-air": 0.60, "gas": 0.60, "electric": 0.60}
SOURCE_MOVES: dict[str, tuple[tuple[Anchor, float, float], ...]] = {
    "radiant": ((Anchor.YELLOW, 0.0, 0.40), (Anchor.FIRST_CRACK, -60.0, 0.0)),
    "drum": ((Anchor.YELLOW, 0.0, 0.40), (Anchor.FIRST_CRACK, -30.0, 0.25)),
    "hot-air": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
    "gas": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
    "electric": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
}
#: Rate of rise that a roast must keep before the drop; common practice, no published source. [degC/min]
LEAST_RATE = 3.0
#: A batch whose heat was turned up by more than this from yellow on is no example. [share]
LATE_RISE = 0.04
#: A level of heat that lies this far from where the house has it counts as much as a target that is just met. [share]
STAYS = 0.12
#: How hard heat that is turned up from yellow on counts, for full heat: as much as a stage missed by this many tolerances.
#: In moves that are the roaster's own it counts for little.
RISING, RISING_OWN = 60.0, 3.0


class How(StrEnum):
    """How freely moves are found: anew; from the plan's own; from these quickly, while a hand is dragging; not at all."""

    NEW = "new"
    KEPT = "kept"
    SKETCH = "sketch"
    AS_IS = "as it is"


@dataclass(frozen=True)
class OpenMove:
    """A move of heat: anchor, offset [s], level as a share of full heat, whether that is open, reading, when due if known."""

    anchor: Anchor
    offset_s: float
    level: float
    open: bool = True
    at_c: float | None = None
    due: float | None = None
    timed: bool = False  #: its moment is open although its level is not
    own: PlannedMove | None = None  #: of the plan, where it comes from there


#: Form of each approach: the level at charge (None: a soak, the heat truly off), then its moves. Common practice, no
#: published source.
FORMS: dict[str, tuple[float | None, tuple[OpenMove, ...]]] = {
    "falling": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.68),
            OpenMove(Anchor.YELLOW, 110.0, 0.60),
            OpenMove(Anchor.FIRST_CRACK, -15.0, 0.42),
        ),
    ),
    "air-led": (
        0.78,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.78),
            OpenMove(Anchor.YELLOW, -30.0, 0.66),
            OpenMove(Anchor.FIRST_CRACK, 0.0, 0.38),
        ),
    ),
    "soak-push": (
        None,
        (OpenMove(Anchor.CHARGE, 60.0, 0.92), OpenMove(Anchor.YELLOW, 20.0, 0.55)),
    ),
    "times": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.64),
            OpenMove(Anchor.FIRST_CRACK, -10.0, 0.42),
        ),
    ),
}


class Candidates:
    """The problem of one plan.

    Parameters
    ----------
    model, machine, scale : fitted, its definition and the scale of its heat.
    green : of the lot.
    plan : what is wanted.
    times : the stage times to aim at.
    charge_c : to charge at, or to begin from if it is open. [degC]
    how : whether the plan's moves are the form, or its held moves are worked into the form of its approach.
    steel_c : of the drum at charge, if not the usual. [degC]
    expected : when the plan's moves fall due, for those that hang on what the targets do not tell. [s]
    """

    def __init__(
        self,
        model: MachineModel,
        machine: Machine,
        scale: ControlScale,
        green: GreenTraits,
        plan: Plan,
        times: StageTimes,
        charge_c: float,
        how: How = How.NEW,
        steel_c: float | None = None,
        expected: Mapping[int, float] | None = None,
    ) -> None:
        self.model, self.machine, self.scale, self.plan, self.times = model, machine, scale, plan, times
        self.wanted = plan.wanted
        self.heat, self.main_air = machine.main_heat, machine.main_air
        self.how, self.green, self.steel_c, self._usual_charge = how, green, steel_c, charge_c
        self.kept = how is not How.NEW and bool(plan.start) and (bool(plan.moves) or how is How.AS_IS)
        self.drying, self.browning, self.development = times.seconds
        self.crack = self.drying + self.browning
        self.end = self.crack + self.development
        self._lean = 0.0, 0.0
        self._load = load_of(model, green, plan.load_kg or 1.0, plan.room_c)
        self.levels_c = tuple(mark.expect(green, plan.load_kg)[0] for mark in (model.yellow, model.crack))
        self._t = COARSE * np.arange(int((self.end + 150.0) / COARSE))
        self._expected = {id(plan.moves[index]): at for index, at in (expected or {}).items()}
        self.house = self._house()
        self.of_house = False  # whether the form of heat is the house's
        least = scale.least if scale.least > 0 else scale.low + scale.step
        self.lowest = self._share(self.heat, least)
        self.begins, self.form = self._shape(expected or {})
        soaks = self.kept and (plan.approach == "soak-push" or not self.begins)
        self.start_open = self.begins is not None and not plan.start_held and not soaks and how is not How.AS_IS
        self.held = replace(plan, moves=tuple(move for move in plan.moves if move.held))
        self._rest = self._airflow(expected or {})
        self.charge_open = self.wanted.charge_c is None and how is not How.AS_IS
        self.development_open = (plan.drop_rules or not times.fixed[2]) and how is not How.AS_IS

    def again(self, plan: Plan) -> Candidates:
        """The same problem for a plan whose moves are held otherwise."""
        return Candidates(
            self.model, self.machine, self.scale, self.green, plan, self.times, self._usual_charge, self.how, self.steel_c
        )

    def _share(self, control: Control, setting: float) -> float:
        return float(control_share(self.machine, control, np.array([setting]))[0])

    def _shape(self, expected: Mapping[int, float]) -> tuple[float | None, tuple[OpenMove, ...]]:
        """Level at charge and the moves of heat, in order of time."""
        of_house = self._form_of_house()
        self.of_house = of_house is not None
        begins, form = of_house or FORMS[self.plan.approach]
        own = [
            OpenMove(m.anchor, m.offset_s, self._share(self.heat, m.to), self._frees(m), m.at_c, expected.get(index), own=m)
            for index, m in enumerate(self.plan.moves)
            if m.control == self.heat and (self.kept or m.held)
        ]
        if self.kept or self.plan.start_held:
            begins = self._share(self.heat, self.plan.start.get(self.heat, self.scale.high))
        if self.plan.approach == "soak-push":
            coast = SHIFT_S * round((1.0 - COASTED) * self.development / SHIFT_S)
            form = (*form, OpenMove(Anchor.FIRST_CRACK, coast, 0.0, open=False, timed=True))
        left = [] if self.kept else list(form)
        for move in own:
            # A held move takes the place of the open one that is nearest to it.
            gaps = [abs(self.due(other) - self.due(move)) for other in left]
            if gaps and min(gaps) < 60.0:
                left.pop(gaps.index(min(gaps)))
        form = tuple(left)
        return begins, tuple(sorted((*form, *own), key=self.due))

    def _house(self) -> Driven | None:
        """The logged batch that a new plan begins from."""
        if self.kept:
            return None
        return nearest(self.model.driven, self.plan.load_kg or 1.0, self.green, self.times, self._usual_charge)

    def _form_of_house(self) -> tuple[float | None, tuple[OpenMove, ...]] | None:
        """The form of heat as the house has it; an approach that asks for another hand keeps its own.

        A falling rate begins from no batch that soaked, and neither from one that was heated up late.
        """
        if self.plan.approach not in ("times", "falling") or self.kept:
            return None
        falling = self.plan.approach == "falling"
        example = (
            one
            for one in self.model.driven
            if self.heat in one.start
            and one.rises_late(self.heat) <= LATE_RISE * (self.scale.high - self.scale.low)
            and not (falling and one.start[self.heat] <= self.scale.low)
        )
        house = nearest(example, self.plan.load_kg or 1.0, self.green, self.times, self._usual_charge)
        if house is None:
            return None
        moves = [
            OpenMove(
                move.anchor, house.stretched(move, self.times), self._share(self.heat, move.to), open=move.to > self.scale.low
            )
            for move in house.of(self.heat)
        ]
        first = house.start[self.heat]
        if not any(move.open for move in moves) and first <= self.scale.low:
            return None
        return (self._share(self.heat, first) if first > self.scale.low else None), tuple(moves)

    def _frees(self, move: PlannedMove) -> bool:
        """Whether a move of the plan is open; one that puts the burner out is meant so."""
        return not move.held and move.to > self.scale.low and self.how is not How.AS_IS

    def _airflow(self, expected: Mapping[int, float]) -> tuple[PlannedMove, ...]:
        """Moves of all but the main heat; they are not open."""
        own = tuple(m for m in self.plan.moves if m.control != self.heat and (self.kept or m.held))
        if self.kept:
            return own
        usual = [move for control in self.machine.controls for move in self._usual_moves(control)]
        taken = {(m.control, m.anchor) for m in own}
        free = sorted((move for move in usual if (move.control, move.anchor) not in taken), key=self.due)
        stands = {control: self.settings_at_charge(control) for control in self.machine.controls if control != self.heat}
        made = []
        for move in free:
            if move.to != stands[move.control]:  # one that changes nothing is none
                made.append(move)
                stands[move.control] = move.to
        return (*own, *made)

    def _usual_moves(self, control: Control) -> list[PlannedMove]:
        """What is done with a control that is not open: as the house does it, unless the approach itself moves the air."""
        if control == self.heat:
            return []
        led = control == self.main_air and self.plan.approach == "air-led"
        house, scale = self.house, self.machine.controls[control]
        if house is not None and control in house.start and not led:
            return [
                PlannedMove(control, scale.nearest(move.to), move.anchor, house.stretched(move, self.times))
                for move in house.of(control)
            ]
        moves: tuple[tuple[Anchor, float, float], ...] = ()
        if control == self.main_air:
            moves = AIR_MOVES["air-led" if led else ""]
        elif self.machine.role(control) is Role.HEAT:
            moves = SOURCE_MOVES[self.machine.kind_of(control)]
        return [PlannedMove(control, self._level(control, share), anchor, offset) for anchor, offset, share in moves]

    def _level(self, control: Control, share: float) -> float:
        scale, seen = self.machine.controls[control], self.model.seen.get(control)
        wanted = scale.low + share * (scale.high - scale.low)
        return scale.nearest(wanted if seen is None or self.machine.role(control) is Role.HEAT else seen.inside(wanted))

    def due(self, move: OpenMove | PlannedMove) -> float:
        """When a move falls due while marks stand at their target times. [s]"""
        own = getattr(move, "own", None) or move
        known = getattr(move, "due", None) or self._expected.get(id(own))
        if move.anchor in (Anchor.BEAN, Anchor.AIR, Anchor.MOVE, *UNFORESEEN) and known is not None:
            return float(known)
        if move.anchor is Anchor.BEAN and move.at_c is not None:
            yellow, crack = self.levels_c
            return self.drying + (move.at_c - yellow) / max(crack - yellow, 1.0) * self.browning
        if move.anchor in (Anchor.AIR, Anchor.MOVE, *UNFORESEEN):
            return float(self._t[-1])  # it does not come
        marks = {
            Anchor.TURNING: 75.0, Anchor.YELLOW: self.drying, Anchor.FIRST_CRACK: self.crack, Anchor.DROP: self.end,
        }  # fmt: skip
        return max(marks.get(move.anchor, 0.0) + move.offset_s, 0.0)

    @property
    def coasts_at(self) -> float:
        """From when on the burner is meant to be out up to the drop, at the earliest; infinite where it is not. [s]"""
        last = self.form[-1] if self.form else None
        if last is None or last.open or last.level > 0.0:
            return float("inf")
        return self.due(last) - (MOST_SHIFTS * SHIFT_S if last.timed else 0.0)

    @property
    def open(self) -> tuple[int, ...]:
        """Which of the moves are open."""
        return tuple(index for index, move in enumerate(self.form) if move.open)

    @property
    def movable(self) -> tuple[int, ...]:
        """Which of the moves have an open moment."""
        return tuple(index for index, move in enumerate(self.form) if move.open or move.timed)

    @property
    def first(self) -> FloatArray:
        """The candidate to begin with, shape (k,)."""
        levels = [self.begins or 0.0] if self.start_open else []
        levels += [self.form[index].level for index in self.open]
        clipped = np.clip(levels, min(self.lowest, 0.99) + 1e-6, 1.0 - 1e-6) if levels else np.empty(0)
        rest = [self._usual_charge] if self.charge_open else []
        return np.concatenate([clipped, rest, [self.development] if self.development_open else []])

    @property
    def heats(self) -> int:
        """How many of a candidate's entries are heat levels."""
        return int(self.start_open) + len(self.open)

    def charge_of(self, rows: FloatArray) -> FloatArray:
        """Charge temperature of each candidate, shape (m,). [degC]"""
        return np.asarray(rows[:, self.heats] if self.charge_open else np.full(len(rows), self._usual_charge))

    def development_of(self, rows: FloatArray) -> FloatArray:
        """Development time of each candidate, shape (m,). [s]"""
        return np.asarray(rows[:, -1] if self.development_open else np.full(len(rows), self.development))

    def run(self, rows: FloatArray, shifts: FloatArray | None = None, pulses: FloatArray | None = None) -> Simulated:
        """Run candidates, (m, k), with shifts of the moves in steps and heat added for a step before each, both (m, moves)."""
        members = rows.shape[0]
        before = 0.0 if self.begins is None else self.begins
        heat = np.full((self._t.size, members), before)
        if self.start_open:
            heat[:] = rows[:, 0]
        added: FloatArray | float = 0.0
        column = int(self.start_open)
        for index, move in enumerate(self.form):
            level: FloatArray | float = move.level
            if move.open:
                level = rows[:, column]
                column += 1
            due = self.due(move) + (0.0 if shifts is None else SHIFT_S * shifts[:, index])
            gone = np.clip((self._t[:, None] + COARSE - due) / COARSE, 0.0, 1.0)
            heat = heat + gone * (level - heat)
            if pulses is not None:
                begun = np.clip((self._t[:, None] + COARSE - due + SHIFT_S) / COARSE, 0.0, 1.0)
                added = added + (begun - gone) * pulses[:, index]
        heat = heat + added
        charge = self.charge_of(rows)
        steel = self.steel_c if self.steel_c is not None else charge + self.model.steel_over_charge_c + self.plan.drum_c
        start = StartState(
            steel, charge, charge + self.model.air_over_charge_c, self.plan.room_c, self.model.fitted.number("heat_before")
        )
        others = {control: self._others(control) for control in self.machine.controls}
        hands = replace(hands_of(self.machine, others, self._t.size), heat=heat)
        made = simulate(self.model.fitted.constants, self._load, start, hands, COARSE, members)
        return self.model.drift.onto(made, self.levels_c[1])

    def _others(self, control: Control) -> FloatArray:
        """The settings of a control that is not open through the roast, shape (n,)."""
        settings = np.full(self._t.size, self.settings_at_charge(control), np.float64)
        for move in sorted((m for m in self._rest if m.control == control), key=self.due):
            settings[self._t >= self.due(move)] = move.to
        return settings

    def settings_at_charge(self, control: Control) -> float:
        """A control other than the main heat at charge: the plan's own, else the usual."""
        scale, role = self.machine.controls[control], self.machine.role(control)
        if (self.kept or self.plan.start_held) and control in self.plan.start:
            return self.plan.start[control]
        if self.house is not None and control in self.house.start:
            return scale.nearest(self.house.start[control])
        seen = self.model.seen.get(control)
        if seen is not None and role is not Role.HEAT:
            return scale.nearest(seen.start)
        if role is Role.AIRFLOW:  # a second one in the same duct stands open
            return self._level(control, AIR_LEVELS[0]) if control == self.main_air else scale.high
        if role is Role.HEAT:
            return self._level(control, SOURCE_AT_CHARGE[self.machine.kind_of(control)])
        return scale.nearest(0.75 * scale.high)

    def off(self, rows: FloatArray, made: Simulated) -> FloatArray:
        """Distance from the targets in units of what is met, shape (n, m)."""
        yellow, crack = (
            first_above(made.t, made.bean, level) + lean for level, lean in zip(self.levels_c, self._lean, strict=True)
        )
        development = self.development_of(rows)
        end = np.minimum(crack + development, made.t[-1])
        wanted, parts = self.wanted, {}
        for name, got, aim, fixed in zip(
            ("drying_s", "browning_s", "development_s"),
            (yellow, crack - yellow, development),
            self.times.seconds,
            self.times.fixed,
            strict=True,
        ):
            parts[name] = (got - aim) / (MET_S if fixed else FREE_S)
        admitted = self.times.admitted
        if "total_s" in admitted:
            parts["total_s"] = (end - (wanted.total_s or 0.0)) / MET_S
        if "ratio" in admitted:
            parts["ratio"] = (development - (wanted.ratio or 0.0) * end) / MET_S
        drop_c = _at(made.t, made.bean_probe, end)
        if wanted.drop_c is not None:
            parts["drop_c"] = (drop_c - wanted.drop_c) / MET_C
        if wanted.rise_c is not None:
            parts["rise_c"] = (drop_c - _at(made.t, made.bean_probe, np.minimum(crack, made.t[-1])) - wanted.rise_c) / MET_C
        if wanted.loss is not None:
            losses = self.model.level.losses(made, self.green.moisture)
            parts["loss"] = (_at(made.t, losses, end) - wanted.loss) / MET_LOSS
        if wanted.colour is not None:
            parts["colour"] = (_at(made.t, self.model.level.colours(made), end) - wanted.colour) / MET_COLOUR
        if self.plan.wins in parts:
            parts[self.plan.wins] = WINS * parts[self.plan.wins]
        last_rate = 60.0 * (drop_c - _at(made.t, made.bean_probe, end - 30.0)) / 30.0
        least = np.full(last_rate.shape, -np.inf) if self.coasts_at < self.end else LEAST_RATE
        rest = [np.minimum(last_rate - least, 0.0), self._slowest(made), self._rising(rows), self._manner(made)]
        if self.charge_open:
            rest.append((self.charge_of(rows) - self._usual_charge) / FREE_C)
        if self.of_house:
            rest += list((rows[:, : self.heats] - self.first[: self.heats]).T / STAYS)
        return np.stack([*parts.values(), *rest])

    def _slowest(self, made: Simulated) -> FloatArray:
        """By how much the rate of rise falls below the least between yellow and drop, softly, shape (m,)."""
        inside = (made.t >= self.drying) & (made.t <= min(self.end - 10.0, self.coasts_at - 10.0))
        rate = 60.0 * np.gradient(made.bean_probe[inside], made.t[inside], axis=0)
        return np.asarray(np.minimum(rate.min(axis=0) - LEAST_RATE, 0.0))

    def _rising(self, rows: FloatArray) -> FloatArray:
        """By how much heat is turned up from yellow on, softly, shape (m,): hard heat belongs to the first third."""
        before, after = self.levels_around(rows)
        late = np.array([move.anchor in (Anchor.YELLOW, Anchor.FIRST_CRACK) for move in self.form], bool)
        return (
            np.asarray((RISING_OWN if self.kept else RISING) * np.sum(np.clip(after - before, 0.0, None)[:, late], axis=1))
            if late.any()
            else np.zeros(len(rows))
        )

    def _manner(self, made: Simulated) -> FloatArray:
        """What the approach itself wants, softly, shape (m,)."""
        inside = (made.t >= self.drying) & (made.t <= self.end - 10.0)
        if self.plan.approach == "falling":
            rate = np.gradient(made.bean_probe, made.t, axis=0)[inside] * 60.0
            return np.asarray(0.6 * np.sum(np.clip(np.diff(rate[::2], axis=0), 0.0, None), axis=0))
        if self.plan.approach == "air-led":
            level = made.air_probe[(made.t >= self.drying + 30.0) & (made.t <= self.crack)]
            return np.asarray(0.2 * (level.max(axis=0) - level[-1]))
        return np.zeros(made.bean.shape[1])

    def lean(self, row: FloatArray, shifts: FloatArray, yellow: float, crack: float) -> None:
        """Learn by how much the coarse steps misplace the marks, from when they came in an exact run of a candidate. [s]"""
        made = self.run(row[None, :], shifts[None, :])
        coarse = (float(first_above(made.t, made.bean, level)[0]) for level in self.levels_c)
        first, second = (exact - rough for exact, rough in zip((yellow, crack), coarse, strict=True))
        self._lean = first, second

    def settings(self) -> FloatArray:
        """Every setting of the gauge that keeps the heat on, shape (n,)."""
        count = round((self.scale.high - self.scale.low) / self.scale.step)
        every = self.scale.low + self.scale.step * np.arange(count + 1)
        return np.asarray(np.round(every[every >= max(self.scale.least, self.scale.low + 0.5 * self.scale.step)], 6))

    def shares(self) -> FloatArray:
        """Heat share of every setting, shape (n,)."""
        return np.asarray(control_share(self.machine, self.heat, self.settings()))

    def cost(self, rows: FloatArray, shifts: FloatArray | None = None) -> FloatArray:
        """How far candidates are off in all, shape (m,)."""
        cost = np.sum(np.square(self.off(rows, self.run(rows, shifts))), axis=0)
        return np.asarray(cost if shifts is None else cost + 0.02 * np.sum(np.square(shifts), axis=1))

    def levels_around(self, rows: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Level before and after each move, shape (m, moves)."""
        held = np.full(len(rows), 0.0 if self.begins is None else self.begins)
        if self.start_open:
            held = rows[:, 0]
        if not self.form:
            return np.empty((len(rows), 0)), np.empty((len(rows), 0))
        before, after, column = [], [], int(self.start_open)
        for move in self.form:
            before.append(held)
            if move.open:
                held, column = rows[:, column], column + 1
            else:
                held = np.full(len(rows), move.level)
            after.append(held)
        return np.stack(before, axis=1), np.stack(after, axis=1)

    def at_limit(self, row: FloatArray, name: str, over: float) -> str:
        """Why a target is missed, as the end of a sentence: what the roast does, and what bounds the heat before that target.

        Parameters
        ----------
        row : the candidate.
        name : of the target.
        over : by how much what comes lies above what is wanted; infinite for a time that never comes.
        """
        timed, late = name.endswith("_s"), name in ("development_s", "drop_c", "rise_c", "loss", "colour")
        if name == "ratio" or over == 0.0 or name == "charge_c":
            return ""
        # Colour falls as it gets darker; times are long where the heat is too little.
        wants_more = over > 0.0 if timed or name == "colour" else over < 0.0
        does = (
            (tr("too slow") if wants_more else tr("too fast"))
            if timed
            else (tr("too little heat") if wants_more else tr("too much heat"))
        )
        until = {"drying_s": self.drying, "browning_s": self.crack}.get(name, self.end)
        since = 0.0 if name == "drying_s" else self.drying if not late else self.crack - 60.0
        _, after = self.levels_around(row[None, :])
        begun = row[0] if self.start_open else (0.0 if self.begins is None else self.begins)
        levels = [(0.0, begun), *((self.due(move), float(after[0, index])) for index, move in enumerate(self.form))]
        spans = zip(levels, [*levels[1:], (self.end, 0.0)], strict=True)
        inside = [level for (begins, level), (ends, _) in spans if begins < until and ends > since]
        inside = [level for level in inside if level > 0.0] or inside  # a soak is meant
        burner = self.machine.word(self.heat)
        if wants_more and inside and max(inside) >= 0.999:
            return tr(": {}, the {} is at its top", does, burner)
        if not wants_more and inside and min(inside) <= self.lowest + 1e-6:
            return tr(": {}, the {} is at its least", does, burner)
        if wants_more and late and self.how is How.NEW:
            return tr(": {}, and no heat is turned up so late", does)
        return f": {does}"

    def _setting(self, share: float) -> float:
        return float(self.settings()[int(np.argmin(np.abs(self.shares() - share)))])

    def start(self, row: FloatArray) -> dict[Control, float]:
        """Settings at charge."""
        if self.start_open:
            first = self._setting(float(row[0]))
        elif self.kept or self.plan.start_held:
            first = self.plan.start.get(self.heat, self.scale.high)
        else:
            first = self.scale.low
        return {self.heat: first} | {c: self.settings_at_charge(c) for c in self.machine.controls if c != self.heat}

    def moves(self, row: FloatArray, shifts: FloatArray) -> tuple[PlannedMove, ...]:
        """The moves; an open one that changes nothing is left out."""
        setting, column, made = self.start(row)[self.heat], int(self.start_open), []
        for index, move in enumerate(self.form):
            if not move.open:
                own = move.own or PlannedMove(self.heat, self.scale.low, move.anchor, move.offset_s)
                made.append(replace(own, offset_s=own.offset_s + SHIFT_S * float(shifts[index])) if move.timed else own)
                setting = own.to
                continue
            to = self._setting(float(row[column]))
            column += 1
            shifted = move.offset_s if move.anchor in READINGS else move.offset_s + SHIFT_S * float(shifts[index])
            if move.own is not None and (to != setting or move.own.label):
                made.append(replace(move.own, to=to, offset_s=shifted))
            elif to != setting:
                made.append(PlannedMove(self.heat, to, move.anchor, shifted, move.at_c))
            setting = to
        return (*made, *self._rest)


def first_above(t: FloatArray, curve: FloatArray, level: float) -> FloatArray:
    """When each member first reaches a level, shape (m,); behind the end by how much it lacks, so that there is a slope."""
    above = curve >= level
    index = np.clip(np.argmax(above, axis=0), 1, None)
    members = np.arange(curve.shape[1])
    low, high = curve[index - 1, members], curve[index, members]
    share = np.clip((level - low) / np.where(high > low, high - low, 1.0), 0.0, 1.0)
    when = t[index - 1] + share * (t[index] - t[index - 1])
    return np.asarray(np.where(above.any(axis=0), when, t[-1] + 6.0 * (level - curve[-1])))


def _at(t: FloatArray, curve: FloatArray, when: FloatArray) -> FloatArray:
    """Each member's curve at its own moment, shape (m,)."""
    index = np.clip(np.searchsorted(t, when), 1, t.size - 1)
    members = np.arange(curve.shape[1])
    share = np.clip((when - t[index - 1]) / (t[index] - t[index - 1]), 0.0, 1.0)
    return np.asarray(curve[index - 1, members] + share * (curve[index, members] - curve[index - 1, members]))
