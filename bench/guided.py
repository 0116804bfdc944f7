"""A hand that executes Firnel's cues and advice, against one that follows the same written plan by the clock, on the simulator.

Both hands react two seconds late, and each move of theirs lands one step of the gauge low, right or high by equal chance.
"""

from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from made import trace_of
from plan import Fitted, fit
from report import Line

from firnel.app.demo_library import LOTS, MACHINES
from firnel.core.guidance import may_advise
from firnel.core.model.solving import Solved, solve
from firnel.core.plan import Plan, due_moves
from firnel.core.vocabulary import USUAL_CONTROLS, Control, Lot, Mark, MarkKind, Move, Trace
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad
from firnel.work.roast.live_forecast import Ask, Guidance, LiveForecast

DELAY_S = 2.0
#: Load as a share of the useful one, and the steel against what the plan assumes. [K]
CONDITIONS = ((1.0, 0.0), (1.0, -25.0), (0.5, 0.0), (0.5, -25.0), (1.0, 12.0))
#: The forecast is asked this often here, to keep the bench short; the window asks at every reading. [s]
EVERY_S = 8.0


@dataclass
class Came:
    """What came of one batch, against its plan: development [s], drop [K], first crack [s]; and how often advice was given."""

    development: float
    drop: float
    crack: float
    advices: int = 0


class Hand:
    """Hands, eyes and ears at the simulated machine, one second after the other."""

    def __init__(self, plan: Plan, one: Fitted, kind: str, steel_by: float, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.plan, self.one = plan, one
        charge_c = plan.targets.charge_c or 200.0
        self.roaster = DrumRoaster(KINDS[kind], self.rng, room_c=22.0, steel_c=charge_c + 8.0 + steel_by)
        self.roaster.bean_probe_c = charge_c + 3.0
        self.rows: list[tuple[float, ...]] = []
        self.marks: dict[MarkKind, Mark] = {}
        self.moves: list[Move] = []
        self.pending: list[tuple[float, Control, float]] = []

    def second(self) -> None:
        """One second goes by: read, and do what was decided two seconds ago."""
        for due in [entry for entry in self.pending if entry[0] <= self.roaster.t]:
            self.pending.remove(due)
            _, control, value = due
            scale = self.roaster.kind.controls[control]
            off = float(self.rng.integers(-1, 2)) * scale.step if control == Control.GAS else 0.0
            self.roaster.set(control, value + off)
            self.moves.append(Move(control, self.roaster.t, self.roaster.settings[control]))
        self.roaster.step(1.0)
        self.rows.append((self.roaster.t, *self.roaster.read(), *(self.roaster.settings[c] for c in USUAL_CONTROLS)))
        beans = self.roaster.beans
        if beans is not None:
            for kind, level in ((MarkKind.YELLOW, beans.yellow_c), (MarkKind.FIRST_CRACK, beans.crack_c)):
                if kind not in self.marks and beans.mean_c >= level:
                    self.mark(kind, self.roaster.t + float(abs(self.rng.normal(0.0, 2.0))) * 0.5)

    def mark(self, kind: MarkKind, t: float) -> None:
        """Set a mark."""
        self.marks[kind] = Mark(kind, t, self.roaster.bean_probe_c)

    def reach(self, control: Control, value: float) -> None:
        """Decide on a move; the hand makes it two seconds later."""
        self.pending.append((self.roaster.t + DELAY_S, control, value))

    def charge(self, load: GreenLoad) -> None:
        """Idle about the charge temperature, then charge."""
        charge_c = self.plan.targets.charge_c or 200.0
        scale = self.roaster.kind.controls[Control.GAS]
        for control in (Control.AIRFLOW, Control.DRUM):
            self.roaster.set(control, self.plan.start.get(control, 50.0))
        while self.roaster.t < 40.0 or abs(self.roaster.bean_probe_c - charge_c) > 0.8:
            self.roaster.set(
                Control.GAS, max(scale.least, 0.35 * scale.high) if self.roaster.bean_probe_c < charge_c + 1.0 else 0.0
            )
            self.second()
        self.roaster.charge(load)
        self.roaster.set(Control.GAS, self.plan.start.get(Control.GAS, 0.0))
        self.mark(MarkKind.CHARGE, self.roaster.t)

    def trace(self) -> Trace:
        """All readings so far."""
        table = np.array(self.rows)
        return trace_of((table[:, index] for index in range(6)), np.zeros(len(table), np.int64))

    def came(self, advices: int = 0) -> Came:
        """What came of it, against the plan."""
        crack, drop, charge = (self.marks[k] for k in (MarkKind.FIRST_CRACK, MarkKind.DROP, MarkKind.CHARGE))
        drying, browning, _ = self.plan.stages
        return Came(
            drop.t - crack.t - (self.plan.targets.development_s or 0.0),
            (drop.bean or 0.0) - (self.plan.targets.drop_c or 0.0),
            crack.t - charge.t - (drying or 0.0) - (browning or 0.0),
            advices,
        )


def by_the_clock(hand: Hand, solved: Solved, load: GreenLoad) -> Came:
    """Moves and drop at the seconds since charge that the written plan says."""
    hand.charge(load)
    charge_t = hand.marks[MarkKind.CHARGE].t
    moves = [(at, move) for at, move in zip(solved.roast.expected_t, solved.plan.moves, strict=True) if at is not None]
    waiting = sorted(moves, key=lambda entry: entry[0])
    end = charge_t + (solved.roast.drop_t or 700.0)
    while hand.roaster.t < end + DELAY_S or MarkKind.FIRST_CRACK not in hand.marks:
        while waiting and hand.roaster.t >= charge_t + waiting[0][0]:
            _, move = waiting.pop(0)
            hand.reach(move.control, move.to)
        hand.second()
        if hand.roaster.t > charge_t + 1500.0:
            break
    hand.mark(MarkKind.DROP, hand.roaster.t)
    return hand.came()


def guided(hand: Hand, solved: Solved, load: GreenLoad, lot: Lot, load_kg: float) -> Came:
    """Each cue when it falls due, each advice when it is given, the drop by the countdown."""
    hand.charge(load)
    plan, live = solved.plan, LiveForecast(hand.one.model)
    done: dict[int, float] = {}
    otherwise: dict[int, float] = {}
    told: Guidance | None = None
    advices, advised_t, asked_t = 0, -1e9, -1e9
    while True:
        now = hand.roaster.t
        if now - asked_t >= EVERY_S:
            asked_t = now
            adjusted = replace(plan, moves=tuple(replace(m, to=otherwise.get(i, m.to)) for i, m in enumerate(plan.moves)))
            ask = Ask("1", now, hand.trace(), tuple(hand.marks.values()), tuple(hand.moves), done, hand.one.machine, adjusted,
                      lot, load_kg, 22.0)  # fmt: skip
            told = live.answer(ask) or told
            advice = told.advice if told is not None and told.at == now else None
            if advice is not None and may_advise(now - advised_t, hand.marks):
                advices, advised_t = advices + 1, now
                if advice.choice.move is None:
                    hand.reach(advice.choice.control, advice.choice.to)
                else:
                    otherwise[advice.choice.move] = advice.choice.to
        expected = told.marks if told is not None else None
        for entry in due_moves(plan, hand.marks.values(), now, done, expected):
            if entry.done_t is None and entry.due_t is not None and now >= entry.due_t:
                done[entry.index] = now
                hand.reach(entry.move.control, otherwise.get(entry.index, entry.move.to))
        crack = hand.marks.get(MarkKind.FIRST_CRACK)
        # The countdown leads by the hand's delay, as it has learned it.
        if crack is not None and now + DELAY_S >= crack.t + (plan.targets.development_s or 95.0):
            for _ in range(int(DELAY_S)):
                hand.second()
            hand.mark(MarkKind.DROP, hand.roaster.t)
            return hand.came(advices)
        if now > hand.marks[MarkKind.CHARGE].t + 1500.0:
            raise RuntimeError("the guided batch never came to its drop.")
        hand.second()


def machine_runs(name_kind: tuple[str, str]) -> list[tuple[Came, Came]]:
    """All batches of one machine: by the clock, and guided."""
    name, kind = name_kind
    one = fit(name, kind, np.random.default_rng(31))
    pairs = []
    for index, lot in enumerate(list(LOTS)[:4]):
        for number, (share, steel_by) in enumerate(CONDITIONS):
            load_kg = round(share * one.load_kg, 3)
            wanted = one.usual if share == 1.0 else replace(one.usual, drying_s=None, browning_s=None)
            plan = Plan(lot, name, lot, load_kg, "filter", "times", wanted, tolerances={"development_s": 4.0, "drop_c": 1.0})
            solved = solve(one.model, one.machine, plan, one.green(lot), one.usual)
            load = replace(LOTS[lot].load, mass_kg=load_kg)
            seed = 1000 + 10 * index + number
            clock = by_the_clock(Hand(solved.plan, one, kind, steel_by, seed), solved, load)
            pairs.append((clock, guided(Hand(solved.plan, one, kind, steel_by, seed), solved, load, LOTS[lot].lot, load_kg)))
    return pairs


def run(folder: Path) -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        pairs = [pair for runs in pool.map(machine_runs, MACHINES.items()) for pair in runs]
    clock, led = [pair[0] for pair in pairs], [pair[1] for pair in pairs]
    within = np.mean([abs(came.development) <= 4.0 and abs(came.drop) <= 1.0 for came in led])
    print(f"  {len(led)} batches; within 4 s and 1 K by the clock: "
          f"{100 * np.mean([abs(c.development) <= 4.0 and abs(c.drop) <= 1.0 for c in clock]):.0f} %")  # fmt: skip
    for name in ("development", "drop", "crack"):
        print(f"  {name}: clock {_spread(clock, name):.2f}, guided {_spread(led, name):.2f} (standard deviation)")

    return [
        Line("batches outside development 4 s or drop 1 K, guided", 100.0 * (1.0 - float(within)), "%", 10.0),
        *(
            Line(f"spread in {name}, guided against by the clock", _spread(led, name) / _spread(clock, name), "", 0.5)
            for name in ("development", "drop", "crack")
        ),
        Line("advice for each batch, median", float(np.median([came.advices for came in led])), "", 3.0),
    ]


def _spread(came: Sequence[Came], name: str) -> float:
    return float(np.std([getattr(one, name) for one in came]))
