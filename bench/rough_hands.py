"""Rough hands at the simulated machines: keys forgotten, wrong, late and doubled, contradicting moves, a probe that fails.

A checker that knows what truly happens reads every sentence of the Roast view at every second. Untrue is: a move that is not
pending, a mark that has been set, a mark said to have come that has not, a drop that is over or not begun, two sentences that
disagree or flip back, Space taken in silence for another mark. Each batch must be in the library with all that came in.
"""

import sys
import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from plan import Fitted, fit
from report import Line

from firnel.app.demo_batches import LOTS, MACHINES
from firnel.core.model.document import model_to_document
from firnel.core.model.solving import solve
from firnel.core.plan import Anchor, Plan
from firnel.core.units import Units
from firnel.core.vocabulary import Control, Found, MarkKind, Quality
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster
from firnel.store.library import Library
from firnel.work.desk import Desk
from firnel.work.roast.advice_words import told_line, warnings_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.cue import Cue, cue_of, matters_of
from firnel.work.roast.lookout import at_once, not_at_all
from firnel.work.roast.plan_thread import pending
from firnel.work.settings import Settings

BATCHES, CLEAN = 200, 0.2
#: A hand answers so late. [s]
DELAY_S = 2.0
#: The forecast is asked this often here, to keep the bench short; the window asks at every reading. [s]
EVERY_S = 8.0
#: A sentence may be behind what happens by this: it is read, and the hand needs its time. [s]
GRACE_S = 3.0
LONGEST_S = 1500.0
#: Where the steel is against what the plan assumes, and the load as a share of the useful one.
CONDITIONS = ((1.0, 0.0), (1.0, -20.0), (0.6, 0.0), (1.0, 10.0))
WORDS = {MarkKind.YELLOW: "yellow", MarkKind.FIRST_CRACK: "first crack", MarkKind.DROP: "drop"}


@dataclass
class Habits:
    """How rough a hand is: chances of each fault, by batch or by key."""

    forget_mark: float = 0.25
    late_mark: float = 0.25
    double_key: float = 0.15
    stray_key: float = 0.004
    forget_start: float = 0.1
    forget_move: float = 0.2
    other_move: float = 0.2
    early_move: float = 0.15
    own_move: float = 0.0006
    ignore_advice: float = 0.25
    glitch: float = 0.3


NONE = Habits(*[0.0] * 11)


@dataclass
class Came:
    """What came of one batch: sentences that were not true, what was lost, and whether it landed."""

    machine: str
    seed: int
    untrue: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)
    landed: bool | None = None
    seconds: int = 0
    off: tuple[float, float, str] = (0.0, 0.0, "")


class Batch:
    """One batch: the machine, the desk, the hand, and the checker."""

    def __init__(self, one: Fitted, kind: str, plan: Plan, steel_by: float, seed: int, habits: Habits, at: Path) -> None:
        self.rng, self.habits, self.plan = np.random.default_rng(seed), habits, plan
        self.came = Came(one.machine.name, seed)
        charge_c = plan.targets.charge_c or 200.0
        self.roaster = DrumRoaster(KINDS[kind], self.rng, room_c=22.0, steel_c=charge_c + 8.0 + steel_by)
        self.roaster.bean_probe_c = charge_c + 3.0
        self.library = Library(at / f"{seed}.sqlite")
        self.now = 1000.0
        self.desk = Desk(self.library, Settings(), lambda call: call(), not_at_all, Clock(lambda: self.now))
        self.keyed = seed % 3 == 0
        machine = one.machine
        if self.keyed:
            machine = replace(machine, controls={c: replace(s, reported=False) for c, s in machine.controls.items()})
        self.machine = self.library.save_machine(replace(machine, id=None))
        self.library.machine_book.save_model(self.machine.id, model_to_document(one.model, machine.heat_kinds))
        self.session = self.desk.session
        self.session.set_machine(self.machine)
        lot = self.library.save_lot(replace(LOTS[plan.lot].lot, id=None))
        kept = self.library.save_plan(
            replace(plan, id=None, machine=self.machine.name, machine_id=self.machine.id, lot_id=lot.id)
        )
        self.begun = self.now  # log time counts from here
        self.desk.prepare(BatchOrder(lot, self.machine, kept, plan.load_kg))
        self.truth: dict[MarkKind, float] = {}
        self.pressed: dict[MarkKind, float] = {}
        self.wanted: list[tuple[float, str, object]] = []
        self.answered: dict[int, float] = {}
        self.cue: Cue | None = None
        self.fed = 0
        self.glitch: tuple[str, float, float] | None = None
        self.places: list[tuple[float, str]] = []
        self.level: list[float] = []
        self.helpless = (float("-inf"), False)
        self.stall_told, self.helped, self.read = 0, float("-inf"), float("inf")
        self.forgotten = {kind for kind in WORDS if self.rng.random() < habits.forget_mark}
        if MarkKind.DROP in self.forgotten and self.rng.random() < 0.5:
            self.forgotten.discard(MarkKind.DROP)
        self.forget_charge = self.rng.random() < 0.5 * habits.forget_mark

    # The machine

    def second(self) -> None:
        self.roaster.step(1.0)
        self.now += 1.0
        bean, air = self.roaster.read()
        quality = Quality.GOOD
        if self.glitch is not None:
            what, start, end = self.glitch
            if start <= self.now < end:
                if what == "gap":
                    self.desk.tick()
                    return
                if what == "frozen":
                    bean, quality = self.frozen, Quality.FROZEN
                if what == "spikes" and self.rng.random() < 0.5:
                    bean += float(self.rng.choice([-60.0, 80.0]))
            else:
                self.frozen = bean
        told = {} if self.keyed else dict(self.roaster.settings)
        forecast = int(self.now) % int(EVERY_S) == 0
        self.desk.look_by(at_once if forecast else not_at_all)
        if not forecast:
            self.desk._lookout._looking = True  # between two forecasts nothing is asked, and what was worked out stands
        self.desk.take_reading(Reading(self.now, bean, air, told, quality))
        self.desk._lookout._looking = False
        self.fed += 1
        self.desk.tick()
        beans = self.roaster.beans
        if beans is not None:
            for kind, level in ((MarkKind.YELLOW, beans.yellow_c), (MarkKind.FIRST_CRACK, beans.crack_c)):
                if kind not in self.truth and beans.mean_c >= level:
                    self.truth[kind] = self.now
                    self.hear(kind)

    def set(self, control: Control, value: float) -> None:
        self.roaster.set(control, value)
        if self.keyed:
            self.session.set_control(control, self.roaster.settings[control], self.now)

    # The hand

    def hear(self, kind: MarkKind) -> None:
        """A mark truly comes: the hand presses, now or late, twice, or not at all."""
        if kind in self.forgotten:
            return
        late = float(abs(self.rng.normal(0.0, 1.0)))
        if self.rng.random() < self.habits.late_mark:
            late += float(self.rng.uniform(5.0, 25.0))
        self.wanted.append((self.now + late, "space", kind))
        if self.rng.random() < self.habits.double_key:
            self.wanted.append((self.now + late + float(self.rng.uniform(0.1, 0.5)), "again", kind))

    def act(self) -> None:
        for entry in sorted((e for e in self.wanted if e[0] <= self.now), key=lambda e: e[0]):
            self.wanted.remove(entry)
            _, what, about = entry
            if what == "space":
                self.press(about)  # type: ignore[arg-type]
            elif what == "again":
                self.session.space(self.now + 0.3)
            elif what == "move":
                index, control, value = about  # type: ignore[misc]
                before = self.roaster.settings[control]
                self.set(control, value)
                same = abs(self.roaster.settings[control] - before) < 0.5 * self.machine.controls[control].step
                if self.answered.get(index) != float("inf"):
                    self.answered[index] = float("inf") if same else self.now  # what changes nothing answers nothing
            elif what == "advice":
                control, value = about  # type: ignore[misc]
                self.set(control, value)
                self.gone_from(control)
        if self.session.roasting and self.rng.random() < self.habits.stray_key:
            key = self.rng.choice(["z", "space", "d", "enter", "o", "nudge", "e", "p", "a"])
            self.stray(str(key))
        if self.session.roasting and self.rng.random() < self.habits.own_move:
            control = [Control.GAS, Control.AIRFLOW][int(self.rng.integers(2))]
            scale = self.machine.controls[control]
            self.set(control, scale.nearest(float(self.rng.uniform(max(scale.least, 0.2 * scale.high), 0.9 * scale.high))))
            self.gone_from(control)

    def gone_from(self, control: Control) -> None:
        """A hand that goes elsewhere with a control takes back what it has answered with it."""
        plan = self.session.adjusted_plan or self.plan
        for index in self.answered:
            if plan.moves[index].control == control:
                self.answered[index] = float("inf")

    def press(self, kind: MarkKind) -> None:
        session = self.session
        if kind is not MarkKind.CHARGE and kind in session.marks and session.marks[kind].found is Found.KEY:
            return  # the hand sees that it is marked
        mark = session.space(self.now)
        if mark is None and "Again" in session.message:
            return
        if mark is None:
            return
        self.pressed[mark.kind] = self.now
        just_now = self.now - self.truth.get(kind, self.now) < GRACE_S
        if mark.kind is kind and just_now and session.now() - mark.t > 2.0 * GRACE_S:
            session.other()  # it came just now: what was found before was not that
        if mark.kind is not kind:
            if mark.kind.words not in session.message.lower():
                self.untrue(f"Space for {kind.words} was taken in silence for {mark.kind.words}")
            session.other()
            if kind in session.marks:
                self.pressed.pop(mark.kind, None)
                self.pressed[kind] = self.now

    def stray(self, key: str) -> None:
        session = self.session
        {
            "z": session.undo, "space": lambda: session.space(self.now), "d": session.dismiss, "o": session.other,
            "enter": lambda: session.confirm_move(self.now), "nudge": lambda: (session.pick(), session.nudge(-2.0)),
            "e": lambda: session.mark(MarkKind.FIRST_CRACK_END, self.now), "p": lambda: session.lone_pop(self.now),
            "a": self.take_advice,
        }[key]()  # fmt: skip
        for control in self.machine.controls if self.keyed else ():  # what is keyed as made is made
            stood = self.roaster.settings[control]
            self.roaster.set(control, session.held.get(control, stood))
            if self.roaster.settings[control] != stood:
                self.gone_from(control)
        if key == "space":  # the roaster sees it, and takes it back
            session.undo()

    def take_advice(self) -> None:
        """A planned move that is advised otherwise is made anew, and not as it was meant before."""
        advice = self.session.advice
        self.session.take_advice(self.now)
        if advice is not None and advice.choice.move is not None:
            self.answered.pop(advice.choice.move, None)
            self.wanted = [e for e in self.wanted if e[1] != "move" or e[2][0] != advice.choice.move]  # type: ignore[index]

    def decide(self, cue: Cue) -> None:
        """What the hand makes of the cue."""
        session, habits = self.session, self.habits
        queued = {about[0] for _, what, about in self.wanted if what == "move"}  # type: ignore[index]
        for entry in pending(session):
            control, to = entry.move.control, entry.move.to
            if entry.index in self.answered or entry.index in queued or entry.due_t is None:
                continue
            left = entry.due_t - session.now()
            early = (self.came.seed * 7 + entry.index) % 100 < 100 * habits.early_move
            if left > (30.0 if early else 0.0):
                continue
            draw = ((self.came.seed * 13 + entry.index * 31) % 97) / 97.0
            if draw < habits.forget_move:
                self.answered.setdefault(entry.index, float("inf"))
                continue
            scale = self.machine.controls[control]
            if draw < habits.forget_move + habits.other_move:
                to = scale.nearest(to + float(self.rng.choice([-3, -2, 2, 3])) * scale.step)
                if early:
                    self.answered[entry.index] = float("inf")  # too early and elsewhere: it is none of the plan's
            elif control == Control.GAS:
                to = scale.nearest(to + float(self.rng.integers(-1, 2)) * scale.step)
            self.wanted.append((self.now + DELAY_S, "move", (entry.index, control, to)))
        remedy = next((warned.remedy for warned in warnings_of(session, Units()) if warned.remedy is not None), None)
        if remedy is not None and self.now - self.helped > 30.0:
            self.helped = self.now
            self.wanted.append((self.now + DELAY_S, "advice", (remedy.control, remedy.to)))
        advice = session.advice
        if advice is not None and advice.choice.move is None and not any(what == "advice" for _, what, _ in self.wanted):
            key = int(session.advices) * 17 + self.came.seed
            if (key % 100) / 100.0 >= habits.ignore_advice:
                self.wanted.append((self.now + DELAY_S, "advice", (advice.choice.control, advice.choice.to)))
        elif advice is not None and (session.advices * 17 + self.came.seed) % 100 / 100.0 >= habits.ignore_advice:
            self.take_advice()

    # The checker

    def untrue(self, what: str) -> None:
        log_t = self.session.now()
        charge = self.session.marks.get(MarkKind.CHARGE)
        self.came.untrue.append(f"{log_t - (charge.t if charge else 0.0):.0f} s: {what}")

    def check(self, cue: Cue) -> None:
        session = self.session
        told = told_line(session, Units())
        lower = cue.headline.lower()
        marks = session.marks
        if self.roaster.beans is not None:
            self._check_headline(cue, lower)
        elif MarkKind.DROP in self.truth and MarkKind.DROP not in marks:
            since = self.now - self.truth[MarkKind.DROP]
            if since > 60.0 and not lower.startswith("dropped") and session.roasting and cue.urgency != "danger":
                self.untrue(f"{since:.0f} s after the drop: {cue.headline}")
        for kind, word in WORDS.items():
            if kind in marks and lower.startswith(word) and kind is not MarkKind.DROP:
                self.untrue(f"{word} is marked: {cue.headline}")
        if MarkKind.DROP in marks and lower.startswith("drop"):
            self.untrue(f"it has dropped: {cue.headline}")
        self._check_agreement(cue, told)
        self._check_stall(told.text if told.urgency == "warn" else "")
        self._check_plunge()

    def _check_plunge(self) -> None:
        """As long as the probe falls to meet the beans no rate says anything."""
        falls, self.read = self.roaster.bean_probe_c < self.read, self.roaster.bean_probe_c
        if self.roaster.beans is None or not falls or self.now - self.charged > 60.0:
            return
        for warned in warnings_of(self.session, Units()):
            if any(word in warned.text for word in ("Rising", "Stall", "Crash", "Flick")):
                self.untrue(f"the probe falls to the beans: {warned.text}")

    def _check_stall(self, warned: str) -> None:
        """Beans that do not rise any more are told of, and at last even a rough hand gives them heat."""
        beans = self.roaster.beans
        if beans is None or MarkKind.FIRST_CRACK in self.truth or self.now - self.charged < 240.0:
            self.level = []
            return
        self.level = [*self.level[-90:], beans.mean_c]
        if "tall" in warned or "does not come" in warned:
            self.stall_told += 1
        if len(self.level) > 90 and self.level[-1] - self.level[0] < 0.5 and not self.stall_told and not self._blind():
            self.untrue("a stall and no word of it")
        if self.stall_told > 60:
            self.stall_told = 0
            scale = self.machine.controls[Control.GAS]
            self.set(Control.GAS, scale.nearest(max(0.6 * scale.high, self.roaster.settings[Control.GAS])))

    def _check_headline(self, cue: Cue, lower: str) -> None:
        session = self.session
        for kind, word in WORDS.items():
            if lower.startswith(f"{word} probably") and kind not in self.truth and not self._blind():
                self.untrue(f"it has not come: {cue.headline}")
        if lower.startswith("dropped") and not self._blind():
            self.untrue(f"beans are in the drum: {cue.headline}")
        if " now" in lower and "about now" in lower and self._stands("about now", cue.headline) > 60.0:
            self.untrue(f"stands for a minute: {cue.headline}")
        if cue.kicker == "next move" and not self._blind():  # in a gap nobody reports what the hand did
            entry = next(e for e in pending(session) if matters_of(session, Units())[0].at == e.due_t)
            control, to = entry.move.control, entry.move.to
            # A key that was pressed by mistake is all that is known of a control which nobody reports.
            held = session.held.get(control, 0.0) if self.keyed else self.roaster.settings[control]
            step = self.machine.controls[control].step
            answered = self.answered.get(entry.index)
            if abs(held - to) < 0.5 * step:
                self.untrue(f"it stands there: {cue.headline}")
            if answered is not None and answered != float("inf") and self.now - answered > GRACE_S and answered > self.charged:
                self.untrue(f"that move was answered {self.now - answered:.0f} s ago: {cue.headline}")
            crack = self.truth.get(MarkKind.FIRST_CRACK)
            hangs = entry.move.anchor in (Anchor.YELLOW, Anchor.CHARGE)
            if crack is not None and hangs and MarkKind.FIRST_CRACK in session.marks and self.now - crack > GRACE_S:
                self.untrue(f"after first crack: {cue.headline}, hung on {entry.move.anchor}")
            if entry.due_t is not None and session.now() - entry.due_t > 25.0:
                self.untrue(f"long past: {cue.headline}")

    def _stands(self, key: str, _headline: str) -> float:
        since, last = getattr(self, "_standing", (self.now, -1.0))
        if self.now - last > 1.5:
            since = self.now
        self._standing = (since, self.now)
        return self.now - since

    def _blind(self) -> bool:
        """A probe that fails cannot be seen through."""
        return self.glitch is not None and self.glitch[1] <= self.now <= self.glitch[2] + 30.0

    def _check_agreement(self, cue: Cue, told: object) -> None:
        session = self.session
        said = f"{cue.detail} {told.text} {told.why}".lower()  # type: ignore[attr-defined]
        if not session.roasting:
            return
        inside = "in the box" in said
        if inside and ("outside the box" in said or "at the edge" in said):
            self.untrue(f"inside and outside: {said}")
        if inside and session.advice is not None and session.advice.off.kind != "stage":
            self.untrue(f"in the box, and advised: {said}")
        landed = session.landing is not None and session.landing.inside
        if "no single step helps" in said and (session.advice is not None or landed):
            self.untrue(f"nothing helps, where nothing is wanted: {said}")
        helpless = "no single step helps" in said
        if helpless is not self.helpless[1] and told.urgency == "calm":  # type: ignore[attr-defined]  # no warning covers it
            if helpless and self.now - self.helpless[0] < 5.0:
                self.untrue(f"that no step helps, taken back and told again within 5 s: {said}")
            self.helpless = (self.now, helpless)
        place = str(session.place) if session.place is not None else ""
        if place and (not self.places or self.places[-1][1] != place):
            if len(self.places) >= 2 and self.places[-2][1] == place and self.now - self.places[-1][0] < 10.0:
                self.untrue(f"{self.places[-1][1]} and back to {place} within 10 s")
            self.places.append((self.now, place))

    # A whole batch

    def run(self) -> Came:
        plan, session = self.plan, self.session
        charge_c = plan.targets.charge_c or 200.0
        scale = self.machine.controls[Control.GAS]
        for control in (Control.AIRFLOW, Control.DRUM):
            self.set(control, plan.start.get(control, 50.0))
        while self.now < 1040.0 or abs(self.roaster.bean_probe_c - charge_c) > 0.8:
            on = self.roaster.bean_probe_c < charge_c + 1.0
            self.set(Control.GAS, max(scale.least, 0.35 * scale.high) if on else 0.0)
            self.second()
        # A hand that heats up passes the plan's own settings.
        if self.habits.other_move:
            for move in plan.moves[:2]:
                self.set(move.control, move.to)
        self.set(Control.GAS, 0.0 if self.rng.random() < self.habits.forget_start else plan.start.get(Control.GAS, 0.0))
        for control in (Control.AIRFLOW, Control.DRUM):
            self.set(control, plan.start.get(control, 50.0))
        share = (plan.load_kg or 1.0) / 1.0
        self.roaster.charge(replace(LOTS[plan.lot].load, mass_kg=share))
        self.charged = self.now
        if self.forget_charge:
            pass
        else:
            session.space(self.now)
            if self.rng.random() < self.habits.double_key:
                session.space(self.now + 0.3)
        if self.rng.random() < self.habits.glitch:
            start = self.charged + float(self.rng.uniform(120.0, 600.0))
            self.glitch = (str(self.rng.choice(["gap", "frozen", "spikes"])), start, start + float(self.rng.uniform(8.0, 40.0)))
        self.frozen = self.roaster.bean_probe_c
        dropped_t = None
        while self.now - self.charged < LONGEST_S:
            self.second()
            cue = cue_of(session, Units())
            self.check(cue)
            if self.roaster.beans is not None:
                self.decide(cue)
                self.act()
                if cue.headline == "Drop now" and dropped_t is None:
                    dropped_t = self.now + DELAY_S
                if dropped_t is not None and self.now >= dropped_t:
                    self.drop()
            else:
                self.act()
                if self.now - self.truth[MarkKind.DROP] > 150.0:
                    break
        return self.end()

    def drop(self) -> None:
        self.drop_c = self.roaster.bean_probe_c
        self.roaster.drop()
        self.truth[MarkKind.DROP] = self.now
        self.hear(MarkKind.DROP)

    def end(self) -> Came:
        came, session = self.came, self.session
        key, marks, moves = session.batch_id, session.marks, session.moves
        session.close()
        record = self.library.batch(key or session.last_id)
        came.seconds = int(self.now - self.charged)
        if MarkKind.DROP not in self.truth:
            came.untrue.append("it never told to drop")
        last = self.truth.get(MarkKind.DROP, self.now) + 100.0
        counted = int(((record.trace.t >= 0) & (record.trace.t <= last)).sum())
        if counted < min(self.fed, len(session.trace)) - 60:
            came.lost.append(f"{self.fed} readings came, {counted} are kept")
        for kind, mark in marks.items():
            if record.mark(kind) is None or abs(record.mark(kind).t - mark.t) > 1e-6:  # type: ignore[union-attr]
                came.lost.append(f"{kind} at {mark.t:.1f}")
        if len(record.moves) != len(moves):
            came.lost.append(f"{len(moves)} moves, {len(record.moves)} kept")
        if MarkKind.DROP in self.truth and MarkKind.FIRST_CRACK in self.truth:
            # Development counts from where the hand has told that it begins; where it has not, from where it truly began.
            told, begins = marks.get(MarkKind.FIRST_CRACK), self.truth[MarkKind.FIRST_CRACK]
            if told is not None and told.found is Found.KEY:
                begins = told.t + self.begun
            development = self.truth[MarkKind.DROP] - begins - (self.plan.targets.development_s or 0.0)
            off_c = self.drop_c - (self.plan.targets.drop_c or 0.0)
            came.landed = abs(development) <= 5.0 and abs(off_c) <= 2.0
            came.off = (round(development, 1), round(off_c, 1), ",".join(sorted(k.value for k in self.forgotten)))
        self.desk.shut_down()
        return came


def machine_runs(given: tuple[str, str, int, int]) -> tuple[list[Came], list[Came]]:
    """Rough and clean batches on one machine."""
    name, kind, first, count = given
    one = fit(name, kind, np.random.default_rng(31))
    solved = {}
    rough, clean = [], []
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            seed = first + number
            lot = list(LOTS)[seed % 4]
            share, steel_by = CONDITIONS[seed % len(CONDITIONS)]
            load_kg = round(share * one.load_kg, 3)
            if (lot, share) not in solved:
                wanted = one.usual if share == 1.0 else replace(one.usual, drying_s=None, browning_s=None)
                plan = Plan(
                    lot, name, lot, load_kg, "filter", "times", wanted, tolerances={"development_s": 5.0, "drop_c": 2.0}
                )
                solved[lot, share] = solve(one.model, one.machine, plan, one.green(lot), one.usual).plan
            plan = solved[lot, share]
            rough.append(Batch(one, kind, plan, steel_by, seed, Habits(), Path(folder)).run())
            if number % int(1.0 / CLEAN) == 0:
                clean.append(Batch(one, kind, plan, steel_by, 100000 + seed, NONE, Path(folder)).run())
    return rough, clean


def _kind(said: str) -> str:
    return "".join(one for one in said.partition(": ")[2].partition(":")[0] if not one.isdigit())


def run(_folder: Path, batches: int = BATCHES) -> list[Line]:
    each = -(-batches // len(MACHINES))
    jobs = [(name, kind, 1000 * place, each) for place, (name, kind) in enumerate(MACHINES.items(), start=1)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        pairs = list(pool.map(machine_runs, jobs))
    rough, clean = [came for pair in pairs for came in pair[0]], [came for pair in pairs for came in pair[1]]
    untrue = [(came, said) for came in (*rough, *clean) for said in came.untrue]
    first: dict[tuple[str, int, str], str] = {}
    for came, said in untrue:
        first.setdefault((came.machine, came.seed, _kind(said)), said)
    for (machine, seed, _), said in first.items():
        print(f"  {machine}, seed {seed}, {said}")
    print("  ", dict(Counter(_kind(said) for _, said in untrue)))
    for came in (*rough, *clean):
        for lost in came.lost:
            print(f"  LOST {came.machine}, seed {came.seed}: {lost}")
    print("  ", [came.off for came in rough])
    rates = [float(np.mean([came.landed is True for came in group])) for group in (rough, clean)]
    seconds = sum(came.seconds for came in rough)
    print(
        f"  {len(rough)} rough and {len(clean)} clean batches, {seconds} s read; landed {100 * rates[0]:.0f} % and {100 * rates[1]:.0f} %"
    )
    return [
        Line("batches with an untrue sentence", float(len({(c.machine, c.seed) for c, _ in untrue})), "", 0.0),
        Line("records lost", float(sum(len(came.lost) for came in (*rough, *clean))), "", 0.0),
        Line("landing of clean hands against rough ones", rates[1] / max(rates[0], 1e-9), "", 1.0 / 0.7, "clean hand"),
    ]


if __name__ == "__main__":
    run(Path(), int(sys.argv[1]) if len(sys.argv) > 1 else BATCHES)
