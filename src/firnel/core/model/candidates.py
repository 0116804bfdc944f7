"""Candidates of the solver: many ways to make the open moves, run at once as an ensemble and weighed against the targets.

A candidate is a row: the open heat levels as shares of full heat, then the charge temperature and the development time where
these are open. While it solves, marks stand at their target times.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial

import numpy as np

from firnel.core.model.constants import control_share, hands_of
from firnel.core.model.learning import MachineModel
from firnel.core.model.level_hold import RISING, RISING_FORMED, RISING_OWN, UP, LevelHold
from firnel.core.model.plan_form import AS_FORMED, NEVER_S, SHIFT_S, Bent, How, PlanForm
from firnel.core.model.planned import load_of
from firnel.core.model.simulation import Simulated, simulate
from firnel.core.model.statements import FEWEST
from firnel.core.model.thresholds import GreenTraits
from firnel.core.plan import READINGS, USUAL_TOLERANCE, Anchor, Plan, PlannedMove
from firnel.core.stage_targets import StageTimes
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Machine
from firnel.core.words import tr

#: A target is met within this. [s], [degC], share of weight, index of colour
MET_S, MET_C, MET_LOSS, MET_COLOUR = 2.0, 0.5, 0.003, 1.0
#: With tolerances as wide as these; what may be missed by less or more gives way in proportion. [s], [K]
MET_AT_S, MET_AT_C = 5.0, 2.0
#: All of them; a share of development is met within 0.002, and pulls by the seconds of development that it comes to.
MET = {"drying_s": MET_S, "browning_s": MET_S, "development_s": MET_S, "total_s": MET_S, "ratio": 0.002,
       "drop_c": MET_C, "rise_c": MET_C, "charge_c": MET_C, "loss": MET_LOSS, "colour": MET_COLOUR}  # fmt: skip
#: Where not all can be met, each gives way by its tolerance, as that stands to the usual one; no further than so many times.
GIVES_WAY = 5.0
#: Candidates are run in steps of this: the longest that is still accurate. [s]
COARSE = 4.0
#: A stage that nobody asked for is pulled to the usual only this softly. [s]
FREE_S = 40.0
#: A free charge temperature stays near the usual. [degC]
FREE_C = 5.0
#: The winning target pulls so much harder than the others.
WINS = 3.0
#: Rate of rise that a roast must keep before the drop; common practice, no published source. [degC/min]
LEAST_RATE = 3.0


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
    bent : how the form of its moves is bent.
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
        bent: Bent = AS_FORMED,
    ) -> None:
        self.model, self.machine, self.scale, self.plan, self.times = model, machine, scale, plan, times
        self.wanted = plan.wanted
        self.heat = machine.main_heat
        self.how, self.green, self.steel_c, self._usual_charge = how, green, steel_c, charge_c
        self.bent, self._expected = bent, expected
        self.form_of = PlanForm(model, machine, scale, green, plan, times, charge_c, how, expected or {}, bent)
        self.kept, self.begins, self.form = self.form_of.kept, self.form_of.begins, self.form_of.heat
        self.drying, self.browning, self.development = times.seconds
        self.crack, self.end = times.crack, times.end
        self._lean, self._lean_c = (0.0, 0.0), 0.0
        self._within = {name: met * self._gives(name) for name, met in MET.items()}
        self._load = load_of(model, green, plan.load_kg or 1.0, plan.room_c)
        self.levels_c = self.form_of.levels_c
        self._t: FloatArray = COARSE * np.arange(int((self.end + NEVER_S) / COARSE), dtype=np.float64)
        self._least = max(model.burns_from(machine, self.heat), scale.low + scale.step)
        self.lowest = self.form_of.share(self.heat, self._least)
        soaks = self.kept and (plan.approach == "soak-push" or not self.begins)
        self.start_open = self.begins is not None and not plan.start_held and not soaks and how is not How.AS_IS
        self.held = replace(plan, moves=tuple(move for move in plan.moves if move.held))
        self.charge_open = self.wanted.charge_c is None and how is not How.AS_IS
        self.development_open = (plan.drop_rules or not times.fixed[2]) and how is not How.AS_IS
        self._heats = np.array([self.start_open, *(move.open for move in self.form)], bool)  #: which levels are open
        self._hold = self._held()

    def again(self, plan: Plan) -> Candidates:
        """The same problem for a plan whose moves are held otherwise."""
        return Candidates(
            self.model, self.machine, self.scale, self.green, plan, self.times, self._usual_charge, self.how, self.steel_c,
            bent=self.bent,
        )  # fmt: skip

    def otherwise(self, bent: Bent) -> Candidates:
        """The same problem with its form bent otherwise."""
        return Candidates(
            self.model, self.machine, self.scale, self.green, self.plan, self.times, self._usual_charge, self.how, self.steel_c,
            self._expected, bent,
        )  # fmt: skip

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

    def _held(self) -> LevelHold:
        """What its levels are held to."""
        model, first = self.model, self.first[: self.heats]
        late = np.array([move.anchor in (Anchor.YELLOW, Anchor.FIRST_CRACK) for move in self.form], bool)
        hold = partial(LevelHold, late, self._heats[:-1] & self._heats[1:])
        if self.how is not How.NEW:
            return hold(rising=RISING_OWN if self.kept else RISING)
        low, high = (side[self._heats] for side in self.form_of.logged_range())
        if self.form_of.of_house:
            return hold(house=first, logged=(low, high))
        if model.batches < FEWEST:
            return hold(form=first, rising=RISING_FORMED)
        pushes = self.plan.approach == "soak-push"  # harder than is usual
        return hold(logged=(low, high) if model.driven and not pushes else None)

    @property
    def heats(self) -> int:
        """How many of a candidate's entries are heat levels."""
        return int(self._heats.sum())

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
            due = self.form_of.due(move) + (0.0 if shifts is None else SHIFT_S * shifts[:, index])
            gone = np.clip((self._t[:, None] + COARSE - due) / COARSE, 0.0, 1.0)
            heat = heat + gone * (level - heat)
            if pulses is not None:
                begun = np.clip((self._t[:, None] + COARSE - due + SHIFT_S) / COARSE, 0.0, 1.0)
                added = added + (begun - gone) * pulses[:, index]
        heat = heat + added
        charge = self.charge_of(rows)
        steel = self.steel_c if self.steel_c is not None else charge + self.model.steel_over_charge_c + self.plan.drum_c
        start = self.model.charged(steel, charge, self.plan.room_c)
        others = {control: self.form_of.settings_of(control, self._t) for control in self.machine.controls}
        hands = replace(hands_of(self.machine, others, self._t.size), heat=heat)
        made = simulate(self.model.fitted.constants, self._load, start, hands, COARSE, members)
        return self.model.drift.onto(made, self.levels_c[1])

    def _gives(self, name: str) -> float:
        """How far a target gives way to others, against one whose tolerance is as wide as `MET` goes with."""
        usual = USUAL_TOLERANCE.get(name, MET_AT_S if name.endswith("_s") else MET_AT_C)
        return float(np.clip(self.plan.tolerance(name) / usual, 1.0 / GIVES_WAY, GIVES_WAY))

    def off(self, rows: FloatArray, made: Simulated) -> FloatArray:
        """Distance from the targets in units of what is met, shape (n, m); the last is of heat that is turned up late."""
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
            parts[name] = (got - aim) / (self._within[name] if fixed else FREE_S)
        admitted = self.times.admitted
        if "total_s" in admitted:
            parts["total_s"] = (end - (wanted.total_s or 0.0)) / self._within["total_s"]
        if "ratio" in admitted:
            parts["ratio"] = (development - (wanted.ratio or 0.0) * end) / (MET_S * self._gives("ratio"))
        last = _at(made.t, made.bean_probe, end)
        drop_c = last + self._lean_c
        if wanted.drop_c is not None:
            parts["drop_c"] = (drop_c - wanted.drop_c) / self._within["drop_c"]
        if wanted.rise_c is not None:
            rise_c = drop_c - _at(made.t, made.bean_probe, np.minimum(crack, made.t[-1]))
            parts["rise_c"] = (rise_c - wanted.rise_c) / self._within["rise_c"]
        if wanted.loss is not None:
            losses = self.model.level.losses(made, self.green.moisture)
            parts["loss"] = (_at(made.t, losses, end) - wanted.loss) / self._within["loss"]
        if wanted.colour is not None:
            parts["colour"] = (_at(made.t, self.model.level.colours(made), end) - wanted.colour) / self._within["colour"]
        if self.plan.wins in parts:
            parts[self.plan.wins] = WINS * parts[self.plan.wins]
        last_rate = 60.0 * (last - _at(made.t, made.bean_probe, end - 30.0)) / 30.0
        least = np.full(last_rate.shape, -np.inf) if self.form_of.coasts_at < self.end else LEAST_RATE
        rest = [np.minimum(last_rate - least, 0.0), self._slowest(made), self._manner(made)]
        rest += self._hold.off(rows[:, : self.heats])
        if self.charge_open:
            rest.append((self.charge_of(rows) - self._usual_charge) / FREE_C)
        return np.stack([*parts.values(), *rest, self.rising(rows)])

    def _slowest(self, made: Simulated) -> FloatArray:
        """By how much the rate of rise falls below the least between yellow and drop, softly, shape (m,)."""
        inside = (made.t >= self.drying) & (made.t <= min(self.end - 10.0, self.form_of.coasts_at - 10.0))
        rate = 60.0 * np.gradient(made.bean_probe[inside], made.t[inside], axis=0)
        return np.asarray(np.minimum(rate.min(axis=0) - LEAST_RATE, 0.0))

    def rising(self, rows: FloatArray) -> FloatArray:
        """By how much heat is turned up where it should not be, shape (m,)."""
        return self._hold.off_rising(*self.levels_around(rows))

    def barred(self, rows: FloatArray) -> FloatArray:
        """What it costs that heat is turned up where it may not be, shape (m,)."""
        return self._hold.barred(*self.levels_around(rows))

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

    def lean(self, row: FloatArray, shifts: FloatArray, yellow: float, crack: float, drop_c: float | None) -> None:
        """Learn by how much the coarse steps, and moves that stand at the targets' times, misplace marks [s] and drop [degC].

        Parameters
        ----------
        row, shifts : a candidate.
        yellow, crack, drop_c : as they came in an exact run of it.
        """
        rows = row[None, :]
        made = self.run(rows, shifts[None, :])
        coarse = (float(first_above(made.t, made.bean, level)[0]) for level in self.levels_c)
        first, second = (exact - rough for exact, rough in zip((yellow, crack), coarse, strict=True))
        self._lean = first, second
        if drop_c is not None:
            end = np.minimum(crack + self.development_of(rows), made.t[-1])
            self._lean_c = drop_c - float(_at(made.t, made.bean_probe, end)[0])

    def settings(self) -> FloatArray:
        """Every setting of the gauge that keeps the heat on, shape (n,)."""
        count = round((self.scale.high - self.scale.low) / self.scale.step)
        every = self.scale.low + self.scale.step * np.arange(count + 1)
        return np.asarray(np.round(every[every >= self._least - 1e-9], 6))

    def shares(self) -> FloatArray:
        """Heat share of every setting, shape (n,)."""
        return np.asarray(control_share(self.machine, self.heat, self.settings()))

    def cost(self, rows: FloatArray, shifts: FloatArray | None = None) -> FloatArray:
        """How far candidates are off in all, shape (m,)."""
        cost = np.sum(np.square(self.off(rows, self.run(rows, shifts))), axis=0) + self.barred(rows)
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
        levels = [(0.0, begun), *((self.form_of.due(move), float(after[0, index])) for index, move in enumerate(self.form))]
        spans = zip(levels, [*levels[1:], (self.end, 0.0)], strict=True)
        there = np.array([begins < until and ends > since for (begins, _), (ends, _) in spans])
        inside = [level for (_, level), is_there in zip(levels, there, strict=True) if is_there]
        inside = [level for level in inside if level > 0.0] or inside  # a soak is meant
        burner = self.machine.word(self.heat)
        if wants_more and inside and max(inside) >= 0.999:
            return tr(": {}, the {} is at its top", does, burner)
        if not wants_more and inside and min(inside) <= self.lowest + 1e-6:
            return tr(": {}, the {} is at its least", does, burner)
        if self._hold.at_edge(row[: self.heats], wants_more)[there[self._heats]].any():
            edge = tr("more heat was never logged there") if wants_more else tr("less heat was never logged there")
            return f": {does}, {edge}"
        if wants_more and late and self.how is How.NEW and self.rising(row[None, :])[0] < UP:
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
        return {self.heat: first} | {c: self.form_of.settings_at_charge(c) for c in self.machine.controls if c != self.heat}

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
        return (*made, *self.form_of.rest)


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
