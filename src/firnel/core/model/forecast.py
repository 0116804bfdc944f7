"""Where the batch will go: an ensemble carried along by both probes, and run forward under the moves to come.

Each member is a roast with constants, steel and lot drawn from what the fit left open. One more has what the fit has in the
middle, and the others are told about it (`about_middle`), as weather is about a control run. Readings pull the members together
by the square-root ensemble Kalman update of Whitaker and Hamill [1]_, one reading after the other, without perturbed readings.

References
----------
.. [1] J. S. Whitaker, T. M. Hamill, "Ensemble data assimilation without perturbed observations",
   Monthly Weather Review 130 (2002) 1913-1924.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from firnel.core.crossing import crossing
from firnel.core.model.constants import Hands, IdleState, LoadState, MachineConstants, StartState, heat_at
from firnel.core.model.drift import WINDOW_S, Drift
from firnel.core.model.foretelling import DropRule, Forecast, Marks, drop_of, interval, sane
from firnel.core.model.identification import (
    BATCH_STEEL_SD,
    EARLY,
    EARLY_S,
    EVERY_S,
    IDLE_AIR_MISFIT,
    IDLE_BEAN_MISFIT,
    FittedMachine,
    constants_of,
    expected_steel,
    expected_uptake,
    first_readings,
)
from firnel.core.model.leaving import Leaving
from firnel.core.model.logged import Idling, LoggedBatch
from firnel.core.model.simulation import FAR, Simulated, about_middle, carry_on, idle, start_state
from firnel.core.model.thresholds import GreenTraits, Threshold, mixed_of
from firnel.core.model.widths import HALF_80, Widths
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

MEMBERS = 200
#: Readings are taken in this often: closer ones say the same. [s]
TAKE_EVERY_S = 10.0
#: What the model leaves out, as spread of a reading: bean and air probe; more while the load falls in. The air is hardly heard
#: here: on machines that no fit has seen it pulled the beans the wrong way at the end of the roast. [degC]
BEAN_SPREAD, AIR_SPREAD = 1.3, 8.0
#: A reading by hand is read to the degree and keyed within a few seconds: this much less is made of it.
BY_HAND = 2.0
#: What wanders while a batch runs, for each ten seconds: bean [degC], steel [degC], heat and uptake (shares).
WANDER = {"bean": 0.10, "steel": 1.0, "power": 0.004, "uptake": 0.003}
#: Spread of the moment of a mark as a bean temperature: a finger, and colour or cracks as judged. [degC]
MARK_SPREAD = 0.7
#: So much of the mean misfit of the last takes is carried into the forecast; before the crack it dies away over so long. [min]
ANCHOR, ANCHOR_TAKES, STAYS_MIN = 0.9, 3, 2.0
#: After it all of that of so many stays: it goes its own way by then, and there is little time.
LATE_TAKES = 2
#: Drift after the crack is less sure at other loads than fitted, by this for a whole load more or less [degC/min]; one take
#: tells of it with this noise of the probe. [degC]
DRIFT_BY_LOAD, DRIFT_NOISE = 1.6, 0.6
#: The forecast runs in steps of this. [s]
FORWARD_STEP = 4.0
#: Where fewer of the members than this share get to their drop, nothing is said of where the batch lands.
MOST_LAND = 0.5
#: States of a member.
STATES = ("bean", "moisture", "own_left", "steel", "bean_probe", "air_probe", "heat", "sheath")
#: No member is drawn or pulled to be a machine further than this from what is thought of drums beforehand. [spreads]
FAR_OFF = 10.0


class Forecaster:
    """The ensemble of one batch. Feed it `advance` with readings, tell it marks, ask it `forecast`.

    Parameters
    ----------
    fitted : machine.
    yellow, crack : what is known of the marks.
    drift : of the machine's bean probe away from the model.
    batch : the load, the room and the readings at charge; its curves are not looked at.
    rng : source of the members.
    members : of the ensemble, besides the middle one.
    widths : by how much what is told is stretched, so that it holds.
    probe_doubt_c : how far the bean probe may read otherwise than when the marks were seen. [degC]
    """

    def __init__(
        self,
        fitted: FittedMachine,
        yellow: Threshold,
        crack: Threshold,
        drift: Drift,
        batch: LoggedBatch,
        rng: np.random.Generator,
        members: int = MEMBERS,
        widths: Widths | None = None,
        probe_doubt_c: float = 0.0,
    ) -> None:
        self._fitted, self._rng, self.members, self._widths = fitted, rng, members, widths or Widths()
        self.t = 0.0
        self._taken_t = 0.0
        self._step, self._by_hand = batch.step, batch.by_hand
        self._rows = np.vstack([fitted.draw(members, rng), fitted.values])  # the middle one is the last
        self._names = [prior.name for prior in fitted.priors]
        middle = np.array([float(prior.inside(prior.mean)) for prior in fitted.priors])
        spread = np.array([prior.sd for prior in fitted.priors])
        furthest = [prior.furthest for prior in fitted.priors]
        self._least, self._most = middle - FAR_OFF * spread, np.minimum(middle + FAR_OFF * spread, furthest)

        def normal(mean: float, sd: float) -> FloatArray:
            return mean + sd * np.append(rng.standard_normal(members), 0.0)

        steel = expected_steel(fitted.priors, self._rows, batch) + normal(0.0, BATCH_STEEL_SD)
        uptake = expected_uptake(fitted.priors, self._rows, batch.density)
        scatter = np.stack([normal(0.0, 1.0), normal(0.0, 1.0)])
        of_lot, self._own_heat = fitted.draw_lot(batch.lot, self._rows, scatter)
        self._uptake = uptake + of_lot
        traits = GreenTraits(batch.lot, batch.density, batch.moisture, batch.process, mixed_of(batch.blend), batch.untold)
        cracked = any(known.lot == batch.lot for known in crack.traits)
        self._crack_width = self._widths.crack if cracked else self._widths.new_lot
        self._yellow_c, self._crack_c = (
            normal(*mark.expect(traits.doubted(width**-mark.told), batch.load_kg))
            for mark, width in ((yellow, self._widths.yellow), (crack, self._crack_width))
        )
        if probe_doubt_c:  # then yellow and first crack come at other readings, both by the same
            moved = normal(0.0, probe_doubt_c)
            self._yellow_c, self._crack_c = self._yellow_c + moved, self._crack_c + moved
        self._drift, self._drift_before = drift, about_middle(normal(0.0, drift.before_sd))
        # What is left out after the crack was learned at the loads of the fit: elsewhere it is less sure.
        away = abs(1.0 - batch.load_kg / fitted.full_load) if fitted.full_load else 0.0
        self._drift_sd = float(np.hypot(drift.after_sd, DRIFT_BY_LOAD * away))
        self._drift_shape = about_middle(normal(0.0, 1.0))
        # Since when it cracks [s], and the drift of each take since then beside what is known of it. [degC/min]
        self._cracked_t: float | None = None
        self._drifted: FloatArray = np.empty(0)
        self._last_left: tuple[float, float] | None = None
        self._load = LoadState(batch.load_kg, batch.moisture, green_c=batch.room_c)
        self._load_by = normal(0.0, batch.load_doubt) if batch.load_doubt else np.zeros(members + 1)  # its logarithm
        self._room = batch.room_c
        air = batch.bean_at_charge if np.isnan(batch.air_at_charge) else batch.air_at_charge
        start = StartState(steel, batch.bean_at_charge, air, batch.room_c, self._column("heat_before"))
        self._state = start_state(self._constants(), self._load, start, members + 1)
        if batch.idling is not None:
            self._idle(batch, batch.idling)
        self._left_over: list[float] = []
        self._leaving = Leaving()
        self._air_left: list[float] = []

    def _column(self, name: str) -> FloatArray:
        index = self._names.index(name)
        return self._fitted.priors[index].outside(self._rows[:, index])

    def _constants(self) -> MachineConstants:
        rows = np.clip(self._rows, self._least, self._most)
        return constants_of(self._fitted.priors, rows, self._fitted.full_load)

    def _loaded(self) -> LoadState:
        mass = self._load.mass_kg * np.exp(self._load_by)
        return replace(self._load, mass_kg=mass, uptake=np.exp(self._uptake), own_heat=np.exp(self._own_heat))

    @property
    def steel(self) -> FloatArray:
        """Steel of each member, shape (m,). [degC]"""
        return about_middle(self._state.steel)

    def advance(self, hands: Hands, bean: float, air: float) -> None:
        """Let time go by under the hands as they were, then take in the readings at the end of it (NaN: not read). [degC]"""
        with np.errstate(over="ignore", invalid="ignore"):  # a member that runs away is put right below
            moved = carry_on(self._constants(), self._loaded(), self._room, self._state, hands, self._step, self.t)
        self._state, self.t = moved.end, float(moved.t[-1])
        self._put_right()
        if (not np.isfinite(bean)) if self._by_hand else self.t - self._taken_t < TAKE_EVERY_S - 1e-6:
            return
        tens = (self.t - self._taken_t) / 10.0
        self._taken_t = self.t
        self._wander(float(np.sqrt(tens)))
        early = (EARLY if self.t < EARLY_S else 1.0) * (BY_HAND if self._by_hand else 1.0)
        if np.isfinite(bean):
            if self._cracked_t is not None:  # what is known to be left out pulls nothing
                bean -= float(self._drift.after(np.array(self.t - self._cracked_t)))
            self._note_drift(bean - float(self._state.bean_probe[-1]))
            self._take(self._state.bean_probe, bean, max(early * BEAN_SPREAD, self._early_spread()))
            left = bean - float(self._state.bean_probe[-1])
            self._last_left, self._left_over = (self.t, left), [*self._left_over[1 - ANCHOR_TAKES :], left]
        if np.isfinite(air):
            self._take(self._state.air_probe, air, early * AIR_SPREAD)
            self._air_left = [*self._air_left[1 - ANCHOR_TAKES :], air - float(self._state.air_probe[-1])]

    def _put_right(self) -> None:
        """A member that ran away takes the place of one that did not: one roast gone mad does not end the forecast.

        Raises
        ------
        ArithmeticError : if all did.
        """
        state = self._state
        of_state = {name: getattr(state, name) for name in STATES}
        own = [*of_state.values(), self._uptake, self._own_heat, self._yellow_c, self._crack_c]
        good = np.logical_and.reduce([np.isfinite(one) & (np.abs(one) < FAR) for one in own])
        if good.all():
            return
        if not good.any():
            raise ArithmeticError(tr("every member of the forecast ran away."))
        take = np.arange(self.members + 1)
        take[~good] = self._rng.choice(np.flatnonzero(good), int((~good).sum()))
        more = tuple(heat[take] for heat in state.more)
        self._state = replace(state, slopes=None, more=more, **{name: value[take] for name, value in of_state.items()})
        self._rows = self._rows[take]
        self._uptake, self._own_heat = self._uptake[take], self._own_heat[take]
        self._yellow_c, self._crack_c = self._yellow_c[take], self._crack_c[take]

    def _idle(self, batch: LoggedBatch, idling: Idling) -> None:
        """What the empty machine before the charge says of the steel; the probes are as read at the charge."""
        at_charge = self._state
        bean, air = first_readings(batch)
        heat = heat_at(self._constants(), idling.hands.heat[0])
        empty = IdleState(at_charge.steel, np.full_like(heat, bean), np.full_like(heat, air), heat)
        every, done = max(1, round(TAKE_EVERY_S / self._step)), 0
        for stop in [*range(every, len(idling.hands), every), len(idling.hands)]:
            hands = idling.hands.part(slice(done, stop))
            empty = idle(self._constants(), self._room, empty, hands, self._step).end
            done = stop
            self._state = replace(at_charge, steel=empty.steel, bean_probe=empty.bean_probe, air_probe=empty.air_probe)
            if np.isfinite(idling.bean[stop]):
                self._take(self._state.bean_probe, float(idling.bean[stop]), IDLE_BEAN_MISFIT)
            if np.isfinite(idling.air[stop]):
                self._take(self._state.air_probe, float(idling.air[stop]), IDLE_AIR_MISFIT)
            empty = replace(empty, steel=self._state.steel, bean_probe=self._state.bean_probe, air_probe=self._state.air_probe)
        self._state = replace(
            at_charge,
            steel=empty.steel,
            heat=empty.heat,
            more=empty.more,
            bean_probe=at_charge.bean_probe,
            air_probe=at_charge.air_probe,
        )

    def _when(self, marks: Marks) -> FloatArray:
        """First crack of each member: where it was only found, as far apart as it is in doubt."""
        known = np.full(self.members, np.nan if marks.first_crack_t is None else marks.first_crack_t)
        return known + marks.first_crack_doubt_s / HALF_80 * self._drift_shape

    def shares_past(self) -> tuple[float, float]:
        """Shares of the members whose beans are past yellow, and past first crack [0..1]."""
        above = (about_middle(self._state.bean - level) for level in (self._yellow_c, self._crack_c))
        return tuple(float(np.mean(by >= 0.0)) for by in above)  # type: ignore[return-value]  # two

    def mark_yellow(self) -> None:
        """The beans are yellow now."""
        self._take(self._state.bean - self._yellow_c, 0.0, MARK_SPREAD, of_marks=True)

    def _early_spread(self) -> float:
        """What the fit makes of the bean probe now, while the load falls in; nought later. [degC]"""
        known = self._fitted.early
        if self.t >= EARLY_S or not known:
            return 0.0
        return float(np.interp(self.t, EVERY_S * np.arange(1, len(known) + 1), known))

    def _note_drift(self, off: float) -> None:
        """By how much the probe has left the model since the last take."""
        if self._last_left is None:
            return
        before, left = self._last_left
        rate = 60.0 * (off - left) / max(self.t - before, 1.0)
        if before >= EARLY_S:
            self._leaving.note(self.t, rate)
        if self._cracked_t is not None:
            self._drifted = np.append(self._drifted, rate)

    def _drift_otherwise(self) -> FloatArray:
        """Drift of the probe to come beside what is known of it, of each member, as this batch has shown it. [degC/min]"""
        sd = self._drift_sd
        if not self._drifted.size:
            return sd * self._drift_shape
        seen_sd = 60.0 * DRIFT_NOISE / (TAKE_EVERY_S * self._drifted.size)
        weight = sd**2 / (sd**2 + seen_sd**2)
        return weight * float(self._drifted.mean()) + sd * float(np.sqrt(1.0 - weight)) * self._drift_shape

    def mark_first_crack(self) -> None:
        """First crack begins now."""
        self._cracked_t = self.t
        self._take(self._state.bean - self._crack_c, 0.0, MARK_SPREAD, of_marks=True)

    def _wander(self, by: float) -> None:
        noise = np.pad(self._rng.standard_normal((4, self.members)) * by, ((0, 0), (0, 1)))  # the middle one does not wander
        self._state = replace(
            self._state,
            bean=self._state.bean + WANDER["bean"] * noise[0],
            bean_probe=self._state.bean_probe + WANDER["bean"] * noise[0],
            sheath=self._state.sheath + WANDER["bean"] * noise[0],
            steel=self._state.steel + WANDER["steel"] * noise[1],
        )
        self._rows[:, self._names.index("power")] += WANDER["power"] * noise[2]
        self._uptake = self._uptake + WANDER["uptake"] * noise[3]

    def _take(self, seen: FloatArray, reading: float, spread: float, of_marks: bool = False) -> None:
        """Pull all members towards one reading of ``seen``.

        Where marks come is told by marks alone: what a probe reads goes together with it in two hundred members by chance only,
        and many readings would pull it away by that.
        """
        state = self._state
        everything = np.vstack(
            [state.bean, state.steel, state.sheath, state.bean_probe, state.air_probe, self._uptake, self._own_heat]
            + [self._yellow_c, self._crack_c, self._load_by, self._rows.T]
        )
        off = seen[:-1] - seen[:-1].mean()
        variance = float(off @ off) / (self.members - 1)
        about = everything[:, :-1] - everything[:, :-1].mean(axis=1, keepdims=True)
        gain = (about @ off) / (self.members - 1) / (variance + spread**2)
        if not of_marks:
            gain[7:9] = 0.0  # yellow and crack
        less = 1.0 / (1.0 + np.sqrt(spread**2 / (variance + spread**2)))
        everything[:, :-1] += gain[:, None] * (reading - float(seen[:-1].mean()) - less * off)[None, :]
        everything[:, -1] += gain * (reading - float(seen[-1]))  # the middle one by what it sees itself
        bean, steel, sheath, bean_probe, air_probe, *of_load = everything[:10]
        self._uptake, self._own_heat, self._yellow_c, self._crack_c, self._load_by = of_load
        self._rows = everything[10:].T.copy()
        if self._last_left is not None:  # what is pulled did not leave by itself
            when, left = self._last_left
            self._last_left = when, left - float(bean_probe[-1] - state.bean_probe[-1])
        self._state = replace(state, bean=bean, steel=steel, sheath=sheath, bean_probe=bean_probe, air_probe=air_probe)

    def run_forward(self, hands: Hands) -> Simulated:
        """All members about the middle one, under moves to come, in steps of `FORWARD_STEP`."""
        state = replace(self._state, slopes=None)
        with np.errstate(over="ignore", invalid="ignore"):
            made = carry_on(self._constants(), self._loaded(), self._room, state, hands, FORWARD_STEP, self.t)
        return made.about_middle()

    def forecast(self, hands: Hands, rule: DropRule, marks: Marks) -> Forecast:
        """What is expected under moves to come.

        Parameters
        ----------
        hands : from now on, in steps of `FORWARD_STEP`, as far as is to be looked ahead.
        rule : when the batch is to be dropped.
        marks : that have come.
        """
        ahead, yellow_c, crack_c = self.run_forward(hands), about_middle(self._yellow_c), about_middle(self._crack_c)
        minutes = (ahead.t - self.t)[:, None] / 60.0
        cracked = marks.first_crack_t is not None
        if self._left_over:
            # What the members would not be pulled to is not all noise; in the short way to the drop it stays.
            before, late = ANCHOR * float(np.mean(self._left_over)), float(np.mean(self._left_over[-LATE_TAKES:]))
            anchor = late * np.ones_like(minutes) if cracked else before * np.exp(-minutes / STAYS_MIN)
            ahead = replace(ahead, bean=ahead.bean + anchor, bean_probe=ahead.bean_probe + anchor)
        leaves = self._leaving.comes_to(self.t, 60.0 * minutes)
        ahead = replace(ahead, bean=ahead.bean + leaves, bean_probe=ahead.bean_probe + leaves)
        if cracked:
            wandering = np.zeros_like(ahead.bean)
        else:
            # What is not learned of the drift wears off as the square root of time: it does not go one way for long.
            wandering = self._drift.gained(ahead.t, ahead.bean - crack_c)
            wandering += self._drift_before * np.sqrt(minutes * WINDOW_S / 60.0)
        bean = ahead.bean + wandering
        crack = self._when(marks) if cracked else crossing(ahead.t, bean, crack_c)
        cracking, begun = np.clip(ahead.t[:, None] - crack, 0.0, None), np.clip(self.t - crack, 0.0, None)
        drifting = self._drift_otherwise() * np.clip(cracking - begun, 0.0, None) / 60.0 + self._drift.after(cracking)
        if self._cracked_t is None:  # else the members follow the readings without it
            drifting -= self._drift.after(begun)
        else:
            drifting += self._drift.shortly(60.0 * minutes)
        ahead = replace(ahead, bean=bean, bean_probe=ahead.bean_probe + wandering + drifting)
        seen = marks.yellow_t is not None
        yellow = np.full(self.members, marks.yellow_t) if seen else crossing(ahead.t, bean, yellow_c)
        drop_t, drop_c = drop_of(ahead.t, ahead.bean_probe, crack, rule)
        known = np.isfinite(drop_t) & np.isfinite(crack)
        development = np.where(known, drop_t, np.inf) - np.where(known, crack, 0.0)
        widths = self._widths
        to_drop = widths.landing if cracked or rule.development_s is None else self._crack_width
        middle = np.nanmedian(drop_c) if np.isfinite(drop_c).any() else 0.0
        landed = middle + widths.landing * (drop_c - middle)
        fan = np.quantile(sane(ahead.bean_probe), (0.1, 0.5, 0.9), axis=1)
        air_anchor = ANCHOR * float(np.mean(self._air_left)) if self._air_left else 0.0
        return Forecast(
            self.t, "model", interval(yellow, widths.yellow), interval(crack, self._crack_width), interval(drop_t, to_drop),
            interval(landed) if known.mean() >= MOST_LAND else None, interval(development, to_drop),
            ahead.t, fan[1] + widths.fan * (fan - fan[1]), np.median(sane(ahead.air_probe), axis=1) + air_anchor,
            np.stack([development[known], landed[known]]),
        )  # fmt: skip
