"""A hand that executes Firnel's cues and advice, against one that follows the same written plan by the clock.

On the simulator's machines with loads and steel that the plan does not know, and on machines drawn at random and strange ones,
each fitted to twelve batches in its own house's hand, where the plan is also roasted by a hand without fault. And again on
these, each round of batches learned from before the next, as the application does by itself.
"""

import sys
import warnings
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from drawn_machines import Came as Roasted
from drawn_machines import Drawn, Green, brought_to_charge, logged, record_of
from hands import Came, Hand, by_the_clock, by_the_plan, guided
from plan import fit
from report import Line
from strange_machines import STRANGE, drawn_of

from firnel.app.demo_batches import LOTS, MACHINES
from firnel.core.model.learning import MachineModel, traits_of
from firnel.core.model.lessons import learn, learn_more
from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.model.solving import Solved, solve
from firnel.core.plan import Plan, Targets
from firnel.core.vocabulary import Lot
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster

#: Load as a share of the useful one, and the steel against what the plan assumes. [K]
CONDITIONS = ((1.0, 0.0), (1.0, -25.0), (0.5, 0.0), (0.5, -25.0), (1.0, 12.0))
DRAWN, FITTED = tuple(f"drawn-{number}" for number in range(30)), 12
#: On a drawn machine: the place of the lot (the last was never logged), the load, and the steel against what is usual. [K]
ROASTED = ((0, 0.85, 0.0), (2, 0.85, -8.0), (5, 0.75, 4.0), (3, 0.95, -4.0))
WITHIN = (3.0, 0.7)
#: So many times a house roasts the same four, and learns in between.
ROUNDS = 3


def machine_runs(name: str) -> list[tuple[Came, Came]]:
    """All batches of one of the simulator's machines: by the clock, and guided."""
    kind = MACHINES[name]
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

            def hand(solved=solved, seed=seed, steel_by=steel_by) -> Hand:  # type: ignore[no-untyped-def]
                charge_c = solved.plan.targets.charge_c or 200.0
                rng = np.random.default_rng(seed)
                roaster = DrumRoaster(KINDS[kind], rng, room_c=22.0, steel_c=charge_c + 8.0 + steel_by)
                roaster.bean_probe_c = charge_c + 3.0
                return Hand(solved.plan, one.machine, roaster, seed)

            clock = by_the_clock(hand(), solved, load)
            pairs.append((clock, guided(hand(), solved, load, LOTS[lot].lot, one.model, load_kg)))
    return pairs


class HouseHand(Hand):
    """A hand that comes to its charge as the house does in its logs."""

    def __init__(self, drawn: Drawn, plan: Plan, seed: int, steel_by: float, exact: bool) -> None:
        steel_c = drawn.house.charge_c + 6.0 + steel_by
        roaster = drawn.made(drawn.body, np.random.default_rng(seed), 22.0, steel_c)
        roaster.bean_probe_c = drawn.house.charge_c + 2.0
        super().__init__(plan, drawn.machine, roaster, seed, exact)
        self.drawn = drawn

    def idle(self) -> None:
        """The empty machine as the house has it before a charge."""
        for control, share in self.drawn.house.start.items():
            self.roaster.set(control, share * self.scales[control].high)
        heat = self.machine.main_heat
        level = self.drawn.house.level * self.scales[heat].high
        idle_s = float(self.rng.uniform(60.0, 150.0)) if self.drawn.idles else 0.0
        brought_to_charge(
            self.roaster, self.drawn.house, idle_s, lambda share: self.roaster.set(heat, share * level), self.second
        )


def usual_of(drawn: Drawn, batches: Sequence[LoggedBatch]) -> Targets:
    """What the house usually comes to, by its logs."""

    def usual(values: Sequence[float]) -> float:
        return round(float(np.median(values)))

    yellow = usual([batch.yellow_t or 0.0 for batch in batches])
    crack = usual([batch.first_crack_t or 0.0 for batch in batches])
    read = [float(np.nanmean(batch.bean[-4:])) for batch in batches]
    return Targets(
        usual([batch.bean_at_charge for batch in batches]), yellow, crack - yellow,
        round(drawn.house.development_s), round(float(np.median(read)), 1),
    )  # fmt: skip


@dataclass(frozen=True)
class Asked:
    """One batch that is asked of a drawn machine."""

    solved: Solved
    load: Green
    lot: Lot
    steel_by: float
    seed: int


def asked_of(drawn: Drawn, model: MachineModel, batches: Sequence[LoggedBatch], usual: Targets) -> Iterator[Asked]:
    """The batches of `ROASTED`, each planned with this model."""
    for place, share, steel_by in ROASTED:
        lot, green = drawn.lots[list(drawn.lots)[place]]
        load_kg = round(share * drawn.body.load_kg, 3)
        tolerances = {"development_s": WITHIN[0], "drop_c": WITHIN[1]}
        plan = Plan(lot.name, drawn.machine.name, lot.name, load_kg, "filter", "times", usual, tolerances=tolerances)
        traits = replace(traits_of(batches[0]), lot=lot.name, density=lot.density_g_per_l or 720.0,
                         moisture=lot.moisture or 0.11, process=lot.process)  # fmt: skip
        solved = solve(model, drawn.machine, plan, traits, usual)
        seed = 100 * int(drawn.machine.name.rpartition("-")[2]) + place
        yield Asked(solved, replace(green, mass_kg=load_kg), lot, steel_by, seed)


def drawn_runs(name: str) -> list[tuple[Came, Came, Came]]:
    """The batches of one drawn or strange machine: by the plan without fault, by the clock, and guided."""
    warnings.simplefilter("ignore")
    drawn = drawn_of(name)
    batches = logged(drawn, FITTED)
    model = learn(batches, drawn.machine.useful_load_kg, drawn.machine.heat_kinds)
    pairs = []
    for one in asked_of(drawn, model, batches, usual_of(drawn, batches)):
        exact, blind, led = (HouseHand(drawn, one.solved.plan, one.seed, one.steel_by, exact) for exact in (True, False, False))
        pairs.append(
            (
                by_the_plan(exact, one.load),
                by_the_clock(blind, one.solved, one.load),
                _led(led, one, model),
            )
        )
    return pairs


def house_runs(name: str) -> list[list[Came]]:
    """The same batches of one machine, `ROUNDS` times over, what came of them learned from before the next time."""
    warnings.simplefilter("ignore")
    drawn = drawn_of(name)
    batches, rounds = logged(drawn, FITTED), list[list[Came]]()
    usual, machine = usual_of(drawn, batches), drawn.machine
    model = learn(batches, machine.useful_load_kg, machine.heat_kinds)
    known = frozenset(batch.label for batch in batches)
    for time in range(ROUNDS):
        rounds.append([])
        for one in list(asked_of(drawn, model, batches, usual)):
            hand = HouseHand(drawn, one.solved.plan, one.seed + 10 * time, one.steel_by, False)
            rounds[-1].append(_led(hand, one, model))
            came = Roasted(hand.rows, list(hand.marks.values()), hand.moves)
            label = f"guided-{time}-{one.seed}"
            record = record_of(drawn, came, one.lot.name, one.load.mass_kg, label, hand.roaster.room_c)
            batches.append(logged_batch(record, machine, one.lot, 2))
        if time + 1 < ROUNDS:
            lesson = learn_more(known, batches, machine.useful_load_kg, machine.heat_kinds)
            model, known = lesson.model, known | frozenset(lesson.taught)
    return rounds


def _led(hand: Hand, one: Asked, model: MachineModel) -> Came:
    led = guided(hand, one.solved, one.load, one.lot, model, one.load.mass_kg)
    return replace(led, said=[f"missed {', '.join(one.solved.not_met) or 'nothing'}", *led.said])


def landed(came: Sequence[Came], seconds: float, kelvin: float) -> float:
    """Share of batches that landed within so much. [0..1]"""
    return float(np.mean([abs(one.development) <= seconds and abs(one.drop) <= kelvin for one in came]))


def on_simulator() -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        pairs = [pair for runs in pool.map(machine_runs, MACHINES) for pair in runs]
    clock, led = [pair[0] for pair in pairs], [pair[1] for pair in pairs]
    print(f"  {len(led)} batches; within 4 s and 1 K by the clock: {100 * landed(clock, 4.0, 1.0):.0f} %")
    for name in ("development", "drop", "crack"):
        print(f"  {name}: clock {_spread(clock, name):.2f}, guided {_spread(led, name):.2f} (standard deviation)")
    return [
        Line("batches outside development 4 s or drop 1 K, guided", 100.0 * (1.0 - landed(led, 4.0, 1.0)), "%", 10.0),
        *(
            Line(f"spread in {name}, guided against by the clock", _spread(led, name) / _spread(clock, name), "", 0.5)
            for name in ("development", "drop", "crack")
        ),
        Line("advice for each batch, median", float(np.median([came.advices for came in led])), "", 3.0),
    ]


def on_drawn(names: Sequence[str], sort: str = "drawn") -> list[Line]:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        runs = list(pool.map(drawn_runs, names))
    for name, pairs in zip(names, runs, strict=True):
        for place, batch in enumerate(pairs):
            said = ", ".join(f"{one.crack:+.0f} s {one.development:+.0f} s {one.drop:+.1f} K" for one in batch)
            heard = batch[-1]
            print(
                f"  {name} {place}: {said}; {heard.advices} advices, {heard.back} back"
                + "".join(f"\n      {s}" for s in heard.said)
            )
    exact, clock, led = ([pair[index] for pairs in runs for pair in pairs] for index in range(3))
    advices = sum(one.advices for one in led)
    print(f"  {len(led)} batches; within 3 s and 0.7 K without fault {100 * landed(exact, *WITHIN):.0f} %, "
          f"by the clock {100 * landed(clock, *WITHIN):.0f} %, guided {100 * landed(led, *WITHIN):.0f} %, "
          f"within 4 s and 1 K {100 * landed(led, 4.0, 1.0):.0f} %")  # fmt: skip
    return [
        Line(f"{sort}: first crack by the plan without fault, median", _middle(exact, "crack"), "s", 15.0),
        Line(f"{sort}: drop by the plan without fault, median", _middle(exact, "drop"), "K", 1.5),
        Line(f"{sort}: outside development 3 s or drop 0.7 K, guided", 100.0 * (1.0 - landed(led, *WITHIN)), "%", 10.0),
        Line(f"{sort}: first crack off plan, guided, median", _middle(led, "crack"), "s", 10.0),
        Line(f"{sort}: advice for each batch, median", float(np.median([one.advices for one in led])), "", 3.0),
        Line(f"{sort}: advice taken back within 90 s", 100.0 * sum(one.back for one in led) / max(advices, 1), "%", 5.0),
    ]


def learning(names: Sequence[str], sort: str) -> list[Line]:
    """What it is worth that the batches of one round are learned from before the next."""
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        runs = list(pool.map(house_runs, names))
    rounds = [[came for run in runs for came in run[time]] for time in range(ROUNDS)]
    for name, run in zip(names, runs, strict=True):
        print(f"  {name}: " + " | ".join(", ".join(f"{c.development:+.0f} s {c.drop:+.1f} K" for c in came) for came in run))
    for time, came in enumerate(rounds):
        print(f"  {sort}, time {time + 1}: {len(came)} batches; within 3 s and 0.7 K {100 * landed(came, *WITHIN):.0f} %, "
              f"within 4 s and 1 K {100 * landed(came, 4.0, 1.0):.0f} %, first crack {_middle(came, 'crack'):.1f} s, "
              f"drop {_middle(came, 'drop'):.2f} K off, advice {np.median([one.advices for one in came])}")  # fmt: skip
    outside = 100.0 * (1.0 - landed(rounds[-1], *WITHIN))
    return [
        Line(f"{sort}: outside development 3 s or drop 0.7 K, guided, time {ROUNDS}", outside, "%", 10.0),
        Line(f"{sort}: first crack off plan, guided, time {ROUNDS}, median", _middle(rounds[-1], "crack"), "s", 10.0),
    ]


def run(folder: Path) -> list[Line]:
    return [*on_simulator(), *on_drawn(DRAWN), *on_drawn(STRANGE, "strange"), *learning(STRANGE, "strange")]


def _spread(came: Sequence[Came], name: str) -> float:
    return float(np.std([getattr(one, name) for one in came]))


def _middle(came: Sequence[Came], name: str) -> float:
    return float(np.median([abs(getattr(one, name)) for one in came]))


if __name__ == "__main__":
    if sys.argv[1:2] == ["learning"]:
        learning(sys.argv[2:] or STRANGE, "strange")
    else:
        on_drawn(sys.argv[1:] or DRAWN)
