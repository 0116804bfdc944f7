"""The demo library: an invented roastery, its machines, lots and plans, and six weeks of batches with real trouble in them.

Everything comes from the simulator and one seed; nothing here stands for a real place, person or product.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from os import cpu_count
from pathlib import Path
from threading import Event

import numpy as np

from firnel.app.demo_orders import COMING, sell
from firnel.core.cup.scores import BY_CUP, SCORED
from firnel.core.green.measurements import SCREEN_STEP_MM
from firnel.core.mark_finding import find_charge, find_turning
from firnel.core.plan import Anchor, Plan, PlanCurve, PlannedMove, Targets
from firnel.core.rate_of_rise import smooth_rate_of_rise
from firnel.core.vocabulary import BatchRecord, Control, Found, Lot, Machine, Mark, MarkKind, Note, Probe, Trace
from firnel.core.words import tr
from firnel.devices.simulator.auto_hand import AutomaticHand, HandHabits
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import Beans, DrumRoaster, GreenLoad
from firnel.exchange.csv_log import moves_in
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.machine_book import LogEntry
from firnel.work.bench import cupping
from firnel.work.day import queue
from firnel.work.desk import machine_of_kind
from firnel.work.green.intake import measure
from firnel.work.machines.knowledge import keep_model
from firnel.work.machines.learner import AWAITED, learn_apart, task_of
from firnel.work.plan.orders import ladder
from firnel.work.review.references import set_reference

SEED = 20261
MACHINES = {"Drum Six": "gas-6", "Long Fifteen": "gas-15", "Sample One": "electric-1"}
#: The machine with three heaters, whose recipe moves each of them.
SEVERAL = {"Ridge Nine": "electric-9"}
KIND_OF = MACHINES | SEVERAL


@dataclass(frozen=True)
class DemoLot:
    """A lot as the library knows it, and how its beans truly are."""

    lot: Lot
    load: GreenLoad


def _lot(
    name: str, origin: str, station: str, variety: str, process: str, altitude: int, density: float, moisture: float,
    kg: float, uptake: float, yellow: float, crack: float, remark: str = "", size: float = 6.2, harvest: str = "2026-05",
) -> DemoLot:  # fmt: skip
    lot = Lot(
        name, origin, station, variety, process, altitude, harvest, "2026-08", kg, density, moisture, remark,
        bags=round(kg / 30.0) + 1, price_per_kg=round(6.2 + 0.004 * (altitude - 1000) + 0.3 * len(process) / 7.0, 2),
    )  # fmt: skip
    return DemoLot(lot, GreenLoad(1.0, moisture, size, uptake, yellow, crack))


LOTS = {
    entry.lot.name: entry
    for entry in (
        _lot("Rwanda Isuka", "Rwanda", "Isuka hill station", "red bourbon", "washed", 1890, 742, 0.108, 148.0, 1.0, 0.0, 0.0),
        _lot("Burundi Mparazi", "Burundi", "Mparazi", "bourbon", "natural", 1740, 706, 0.111, 62.5, 1.03, 1.5, -1.5,
             "Sugars left on the seam: gentle start."),
        _lot("Bolivia Cerro Lindal", "Bolivia", "Lindal cooperative", "caturra", "washed", 1610, 728, 0.106, 91.0, 1.0, -0.5, 0.5),
        _lot("Timor-Leste Railunu", "Timor-Leste", "Railunu", "hybrid", "wet-hulled", 1350, 664, 0.121, 40.0, 1.06, 1.0, -2.0,
             "Soft seam, uneven green."),
        _lot("Tanzania Mwelika", "Tanzania", "Mwelika", "kent", "washed", 1820, 769, 0.112, 117.5, 0.96, 0.5, 1.5,
             "Peaberry lot: small and dense.", 5.4, "2026-06"),
        _lot("Uganda Rwebisho", "Uganda", "Rwebisho", "local mix", "natural", 1480, 698, 0.103, 55.0, 1.04, 0.0, -1.0),
        _lot("India Kelavani", "India", "Kelavani estate", "selection", "honey", 1180, 685, 0.097, 33.0, 1.05, -1.0, -0.5,
             "From last year's picking.", 6.4, "2025-11"),
        _lot("Nicaragua Susurral", "Nicaragua", "Susurral", "catuai", "decaf", 1250, 671, 0.092, 28.0, 1.08, -2.0, -2.5,
             "Decaffeinated: dark to the eye from the start, quiet crack."),
    )
}  # fmt: skip


#: How the beans truly are of a lot that is only on its way into the books.
TO_COME = {lot.name: DemoLot(lot, GreenLoad(1.0, 0.109, 6.6, 0.94, 0.5, 1.5)) for lot in COMING if lot.replaces}


@dataclass(frozen=True)
class _Recipe:
    """A plan before the machine has said how long its stages take."""

    name: str
    machine: str
    lot: str
    load_kg: float
    charge_c: float
    start: tuple[float, float]  #: gas, airflow
    moves: tuple[PlannedMove, ...]
    development_s: float
    purpose: str = "filter"
    more: tuple[tuple[Control, float], ...] = ()  #: settings at charge of the other sources of heat


HOT_AIR, RADIANT, DRUM_HEATER = Control("hot_air"), Control("radiant"), Control("drum_heater")


def _gas(to: float, anchor: Anchor, offset: float, control: Control = Control.GAS) -> PlannedMove:
    return PlannedMove(control, to, anchor, offset)


def _air(to: float, anchor: Anchor, offset: float) -> PlannedMove:
    return PlannedMove(Control.AIRFLOW, to, anchor, offset)


C, Y, F = Anchor.CHARGE, Anchor.YELLOW, Anchor.FIRST_CRACK
RECIPES = (
    _Recipe("Isuka filter", "Drum Six", "Rwanda Isuka", 5.0, 200.0, (0.0, 25.0),
            (_gas(2.3, C, 45), _gas(2.1, Y, 10), _air(50, Y, 30), _gas(1.8, Y, 130), _air(80, F, -20), _gas(1.1, F, -15)), 95.0),
    _Recipe("Mparazi gentle", "Drum Six", "Burundi Mparazi", 4.5, 192.0, (0.0, 25.0),
            (_gas(2.1, C, 60), _gas(1.9, Y, 10), _air(50, Y, 30), _gas(1.6, Y, 120), _air(80, F, -20), _gas(1.0, F, -15)), 85.0),
    _Recipe("Mwelika filter", "Drum Six", "Tanzania Mwelika", 5.0, 204.0, (0.6, 25.0),
            (_gas(2.7, C, 40), _gas(2.4, Y, 10), _air(50, Y, 30), _gas(2.0, Y, 130), _air(80, F, -20), _gas(1.2, F, -15)), 100.0),
    _Recipe("Lindal espresso", "Long Fifteen", "Bolivia Cerro Lindal", 12.0, 202.0, (0.0, 20.0),
            (_gas(16.0, C, 45), _gas(14.0, Y, 10), _air(40, Y, 30), _gas(12.0, Y, 120), _air(70, F, -20), _gas(8.0, F, -10)), 140.0,
            "espresso"),
    _Recipe("Kelavani house", "Long Fifteen", "India Kelavani", 11.0, 196.0, (0.0, 20.0),
            (_gas(14.0, C, 60), _gas(12.0, Y, 10), _air(40, Y, 30), _gas(10.5, Y, 120), _air(70, F, -20), _gas(7.0, F, -10)), 150.0,
            "milk"),
    _Recipe("Sample washed", "Sample One", "Rwanda Isuka", 0.8, 195.0, (20.0, 30.0),
            (_gas(80.0, C, 30), _gas(75.0, Y, 10), _air(45, Y, 30), _gas(60.0, F, -15), _air(75, F, -10)), 80.0, "cupping"),
    _Recipe("Sample soft beans", "Sample One", "Timor-Leste Railunu", 0.7, 188.0, (20.0, 30.0),
            (_gas(70.0, C, 40), _gas(70.0, Y, 10), _air(45, Y, 30), _gas(60.0, F, -15), _air(75, F, -10)), 75.0, "cupping"),
    _Recipe("Rwebisho three heaters", "Ridge Nine", "Uganda Rwebisho", 7.0, 198.0, (80.0, 30.0),
            (_gas(40.0, Y, 0, RADIANT), _gas(70.0, Y, 15, HOT_AIR), _gas(40.0, Y, 40, DRUM_HEATER), _air(50, Y, 50),
             _gas(0.0, F, -60, RADIANT), _gas(45.0, F, -15, HOT_AIR), _air(75, F, -20)), 105.0,
            "filter", ((RADIANT, 70.0), (DRUM_HEATER, 50.0))),
)  # fmt: skip


@dataclass(frozen=True)
class _Trouble:
    """What went wrong with a batch."""

    steel_c: float = 0.0  #: against the usual
    plan: Callable[[Plan], Plan] = lambda plan: plan
    short_s: float = 0.0
    no_charge_key: bool = False
    remark: str = ""
    fan: float = 1.0  #: share of its air that the fan still draws
    room_c: float | None = None  #: where the room was out of the ordinary


def _with_flick(plan: Plan) -> Plan:
    scale = KINDS[KIND_OF[plan.machine]].controls[Control.GAS]
    # The hand takes the gas down early and gives it back too late, right at the crack.
    return replace(
        plan, moves=(*plan.moves[:-1], _gas(scale.nearest(0.62 * scale.high), F, -25), _gas(plan.moves[-1].to, F, 45))
    )


def _with_crash(plan: Plan) -> Plan:
    air = KINDS[KIND_OF[plan.machine]].controls[Control.AIRFLOW]
    return replace(
        plan,
        moves=(
            *plan.moves[:-2],
            _air(air.high, F, 3),
            _gas(KINDS[KIND_OF[plan.machine]].controls[Control.GAS].nearest(0.45 * plan.moves[-1].to), F, 6),
        ),
    )


def _stalled(plan: Plan) -> Plan:
    # From yellow on too little gas: the curve goes flat.
    moves = tuple(
        replace(m, to=0.72 * m.to) if m.control == Control.GAS and m.anchor in (Y, F) else m for m in plan.moves
    )  # fmt: skip
    return replace(plan, moves=moves)


#: Which of the batches without trouble each plan has for its reference.
REFERENCE_NUMBER = 3
#: The plan that a ladder was roasted of, who cupped it, and the development that they like best. [s]
LADDER_OF, CUPPERS, BEST_S = "Sample washed", ("Asha", "Bo", "Cléo"), 84.0
LADDER_RUNGS = 5
#: What waits to be roasted.
QUEUED = (("Isuka filter", 2), ("Mwelika filter", 3), ("Lindal espresso", 2))
TROUBLES = {
    "cold": _Trouble(steel_c=-28.0, remark="First batch, the drum was cold."),
    "flick": _Trouble(plan=_with_flick, remark="Gas up just before the crack."),
    "crash": _Trouble(plan=_with_crash, remark="All air at once, gas off too early."),
    "stall": _Trouble(plan=_stalled, remark="Ran flat after yellow."),
    "no key": _Trouble(no_charge_key=True, remark="Charge key forgotten."),
    "short": _Trouble(short_s=38.0, remark="Dropped early, the phone rang."),
    "": _Trouble(),
    # A day on which nobody emptied the chaff collector: batch by batch a little less air.
    **{f"chaff {number}": _Trouble(fan=1.0 - 0.06 * number, remark="Chaff not emptied all day." if number == 5 else "")
       for number in range(1, 6)},
    "cold Monday": _Trouble(steel_c=-27.0, room_c=7.0, remark="Frost over the weekend, the door stood open."),
    "Monday": _Trouble(steel_c=-6.0, room_c=10.0),
}  # fmt: skip
#: The picking that follows a lot of the blend: roasted by the old plan it comes otherwise.
FOLLOWS, FOLLOWED_BY = "India Kelavani", "India Velakuni"


def _schedule() -> list[tuple[int, int, str, str]]:
    """Days before today, minutes of the day, plan, trouble: six weeks, about sixty batches."""
    entries: list[tuple[int, int, str, str]] = []

    def day(ago: int, *batches: tuple[str, str]) -> None:
        for number, (plan, trouble) in enumerate(batches):
            entries.append((ago, 8 * 60 + 20 + 22 * number, plan, trouble))

    isuka, mparazi, mwelika = ("Isuka filter", ""), ("Mparazi gentle", ""), ("Mwelika filter", "")
    nine = ("Rwebisho three heaters", "")
    lindal, kelavani = ("Lindal espresso", ""), ("Kelavani house", "")
    day(41, ("Isuka filter", "cold"), isuka, isuka, ("Mparazi gentle", "short"))
    day(39, ("Lindal espresso", "cold"), lindal, lindal)
    day(36, ("Sample washed", "cold"), ("Sample washed", ""), ("Sample soft beans", "flick"))
    day(34, isuka, isuka, ("Isuka filter", "no key"), mwelika, ("Mwelika filter", "flick"))
    day(32, ("Rwebisho three heaters", "cold"), nine, nine)
    day(31, ("Kelavani house", "stall"), kelavani, kelavani)
    day(28, ("Isuka filter", "cold"), isuka, isuka, ("Isuka filter", "crash"), mparazi)
    day(25, lindal, ("Lindal espresso", "crash"), lindal)
    day(21, mwelika, mwelika, ("Mparazi gentle", "stall"), mparazi)
    day(18, ("Sample soft beans", ""), ("Sample washed", "no key"), ("Sample washed", ""))
    day(15, *[isuka] * 3, *(("Isuka filter", f"chaff {number}") for number in range(1, 6)))
    day(11, lindal, kelavani, ("Kelavani house", "flick"), kelavani)
    day(9, ("Rwebisho three heaters", "cold"), nine, nine)
    day(8, ("Mwelika filter", "cold"), mwelika, ("Isuka filter", "short"), isuka, isuka)
    day(4, mparazi, mparazi, ("Lindal espresso", "no key"), lindal)
    day(1, ("Isuka filter", "cold"), isuka, mwelika, lindal)
    day(0, ("Isuka filter", "cold"), isuka)
    return entries


def build_demo_library(
    path: Path, today: datetime | None = None, progress: Callable[[str], object] = lambda words: None
) -> None:
    """Make the demo library at ``path``; whole or not at all.

    Parameters
    ----------
    path : file to make.
    today : the day it ends on.
    progress : told what is done, many times a second.
    """
    today = (today or datetime.now().astimezone()).astimezone()
    fresh = path.with_name(path.name + ".new")
    for leftover in (fresh, *(fresh.with_name(fresh.name + suffix) for suffix in ("-wal", "-shm"))):
        leftover.unlink(missing_ok=True)
    library = Library(fresh)
    machines = {name: library.save_machine(_demo_machine(name, kind)) for name, kind in KIND_OF.items()}
    for entry in LOTS.values():
        _take_down(library, entry, today)
    for lot in COMING:
        library.save_lot(lot)
    plans = {recipe.name: library.save_plan(plan_of(recipe, machines[recipe.machine])) for recipe in RECIPES}
    schedule = _schedule()
    rng = np.random.default_rng(SEED)
    good: dict[str, int] = {}
    for number, (ago, minute, name, trouble) in enumerate(schedule, start=1):
        when = (today - timedelta(days=ago)).replace(hour=minute // 60, minute=minute % 60, second=0, microsecond=0)
        record = roast_record(plans[name], TROUBLES[trouble], f"{400 + number:04d}", when.astimezone(UTC), rng)
        if number >= len(schedule) - 1:  # the newest two still wait for the scale
            record = replace(record, roasted_kg=None, colour_whole=None, colour_ground=None, status="dropped")
        key = library.add_record(record)
        good[name] = good.get(name, 0) + (not trouble)
        if not trouble and good[name] == REFERENCE_NUMBER:
            set_reference(library, plans[name], key)
        progress(tr("The demo is made once, in a minute or two: {} of {} batches roasted", number, len(schedule)))
    _tell(library, plans, 400 + len(schedule) + LADDER_RUNGS, today)
    _learn(library, list(machines.values()), today, progress)
    for machine in machines.values():
        _care_for(library, machine, today)
    _climb(library, plans[LADDER_OF], len(schedule), today, rng)
    for name, count in QUEUED:
        queue.add(library, plans[name], count)
    sell(library, plans, today)
    library.close()
    for suffix in ("-wal", "-shm"):
        fresh.with_name(fresh.name + suffix).unlink(missing_ok=True)
    fresh.replace(path)


def _learn(library: Library, machines: Sequence[Machine], today: datetime, progress: Callable[[str], object]) -> None:
    """All machines are learned from their batches, each in a process of its own."""
    tasks, stopped = [task for machine in machines if (task := task_of(library, machine)) is not None], Event()
    with ThreadPoolExecutor(cpu_count()) as pool:
        try:
            learning = [pool.submit(learn_apart, task, lambda _done: not stopped.is_set(), AWAITED) for task in tasks]
            while left := wait(learning, 0.1).not_done:
                progress(
                    tr(
                        "The demo is made once, in a minute or two: {} of {} machines learned",
                        len(tasks) - len(left),
                        len(tasks),
                    )
                )
        finally:
            stopped.set()
    for task, lesson in zip(tasks, learning, strict=True):
        keep_model(library, task.machine, lesson.result().model, task.batches, today)


def _tell(library: Library, plans: dict[str, Plan], number: int, today: datetime) -> None:
    """A fortnight with something to find: a cold Monday, and a blend whose next lot comes otherwise."""
    rng = np.random.default_rng(SEED + 1)
    monday = today.weekday() or 7
    follows = replace(plans["Kelavani house"], lot=FOLLOWED_BY)
    isuka = plans["Isuka filter"]
    told = (
        (monday, -95, isuka, "cold Monday"), (monday, -71, isuka, "Monday"), (monday, -47, isuka, ""), (3, 150, follows, ""),
        (3, 172, follows, ""),
    )  # fmt: skip
    for ago, minute, plan, trouble in told:
        number += 1
        eight = (today - timedelta(days=ago)).replace(hour=8, minute=0, second=0, microsecond=0)
        when = eight + timedelta(minutes=minute)
        record = roast_record(plan, TROUBLES[trouble], f"{number:04d}", when.astimezone(UTC), rng)
        library.add_record(record)


def _climb(library: Library, plan: Plan, number: int, today: datetime, rng: np.random.Generator) -> None:
    """A ladder roasted and cupped, a table that is still open, and a triangle test."""
    keys = {}
    for index, rung in enumerate(ladder(plan, "development_s", LADDER_RUNGS, 15.0), start=1):
        saved = library.save_plan(rung)
        when = (today - timedelta(days=6)).replace(hour=13, minute=10 * index, second=0, microsecond=0)
        record = roast_record(saved, TROUBLES[""], f"{400 + number + index:04d}", when.astimezone(UTC), rng)
        keys[library.add_record(record)] = saved.targets.development_s or 80.0
    table = cupping.set_table(
        library, f"Ladder of {plan.name}", list(keys), CUPPERS, (today - timedelta(days=4)).astimezone(UTC), seed=4
    )
    for cupper in CUPPERS:
        for coffee in cupping.coffees_of(table):
            development = keys[coffee.batch_id]
            middle = 8.1 - ((development - BEST_S) / 34.0) ** 2
            given = {part: float(np.clip(0.25 * round(4.0 * (middle + rng.normal(0.0, 0.22))), 6.0, 10.0)) for part in SCORED}
            off = development - BEST_S
            said = ["grassy", "thin"] if off < -18.0 else ["roasty"] if off > 24.0 else ["sweet", "juicy"]
            scores = given | dict.fromkeys(BY_CUP, 10.0)
            table = cupping.enter(library, table, cupper, coffee.code, scores=scores, words={"hot": said[:1], "warm": said[1:]})
    cupping.reveal(library, table)
    lines = library.batch_lines(BatchFilter(statuses=("done",)), limit=80)
    fresh = [line.id for line in lines if line.plan == "Mwelika filter"][:3]
    at = today.astimezone(UTC)
    cupping.set_table(library, "Mwelika, this week", cupping.with_references(library, fresh), CUPPERS[:2], at, seed=5)
    first, *_, last = keys
    cupping.set_test(library, "triangle", first, last, list(CUPPERS) * 4, at, seed=2)


def _demo_machine(name: str, kind: str) -> Machine:
    """A machine of a shipped kind, with what the house knows of it."""
    machine = machine_of_kind(name, kind)
    probes = (Probe("bean, front plate", 4.0 if machine.heat == "gas" else 3.0), Probe("drum air, top", 3.0))
    preheat = "25 minutes; twice up to 215 °C and down, then from above to the charge."
    between = "0:00 air low; 0:20 heat held, air above 190 °C; 3:00 down to the charge reading"
    return replace(
        machine, tray_litres=round(3.2 * machine.stated_load_kg, 1), altitude_m=120.0, probes=probes, preheat=preheat,
        between=between, second_crack_c=226.0, draft_check="flame at the trier port, 3 November: draws, drum empty and full",
    )  # fmt: skip


def _care_for(library: Library, machine: Machine, today: datetime) -> None:
    """What was last done to a machine, and how its probes did in ice and boiling water."""
    if machine.id is None:
        raise RuntimeError(f"the demo machine {machine.name!r} is not in the library.")
    for ago, job in ((2, "chaff"), (20, "tray"), (33, "fan"), (60, "duct"), (120, "burner")):
        library.machine_book.add_log(machine.id, LogEntry("care", today - timedelta(days=ago), {"job": job}))
    for ago, read in ((70, 100.4), (12, 99.1)):
        entry = {"job": "probe", "probe": "bean", "kind": "boiling", "read_c": read, "altitude_m": 120.0}
        library.machine_book.add_log(machine.id, LogEntry("probe", today - timedelta(days=ago), entry))


def _take_down(library: Library, entry: DemoLot, today: datetime) -> None:
    """A lot as it was counted a week ago, with what was measured at intake and since."""
    rng = np.random.default_rng(len(entry.lot.name))
    lot = library.save_lot(entry.lot)
    if lot.id is None or lot.on_hand_kg is None or lot.density_g_per_l is None or lot.moisture is None:
        raise RuntimeError(f"the demo lot {lot.name!r} lacks a figure.")
    fills = [round(lot.density_g_per_l / 4.0 + float(rng.normal(0.0, 0.8)), 1) for _ in range(3)]
    arrived, lately = today - timedelta(days=80), today - timedelta(days=9)
    measure(library, lot, "density", {"masses_g": fills, "vessel_ml": 250.0}, arrived)
    measure(library, lot, "moisture", {"share": lot.moisture + 0.004}, arrived)
    measure(library, lot, "water_activity", {"value": round(0.50 + 0.9 * (lot.moisture - 0.10), 2)}, arrived)
    middle = round(entry.load.size_mm / SCREEN_STEP_MM - 0.5)
    shares = {str(middle + off): float(mass) for off, mass in ((-2, 18), (-1, 92), (0, 148), (1, 76), (2, 16))}
    measure(library, lot, "screens", {"masses_g": shares}, arrived)
    soft = lot.density_g_per_l < 690.0
    beans = {"broken, chipped or cut": 11 if soft else 4, "shell": 6 if soft else 3, "slight insect damage": 12 if soft else 4}
    measure(library, lot, "defects", {"beans": beans, "sample_g": 350.0}, arrived)
    measure(library, lot, "moisture", {"share": lot.moisture}, lately)
    library.lot_book.count(lot.id, lot.on_hand_kg, today - timedelta(days=7))


@dataclass(frozen=True)
class _Run:
    t: np.ndarray
    bean: np.ndarray
    air: np.ndarray
    settings: dict[Control, np.ndarray]
    marks: dict[MarkKind, Mark]
    dropped: Beans
    true_bean: np.ndarray
    room_c: float


def _run(
    plan: Plan, load: GreenLoad, steel_c: float, rng: np.random.Generator, habits: HandHabits, before_s: float,
    trouble: _Trouble = TROUBLES[""],
) -> _Run:  # fmt: skip
    """Roast one batch on the simulator, read once a second."""
    room_c = float(rng.uniform(17.0, 26.0))
    room_c = room_c if trouble.room_c is None else trouble.room_c
    kind = KINDS[KIND_OF[plan.machine]]
    roaster = DrumRoaster(replace(kind, air_kg_s=trouble.fan * kind.air_kg_s), rng, room_c=room_c, steel_c=steel_c)
    roaster.bean_probe_c = (plan.targets.charge_c or 200.0) + 3.0
    hand = AutomaticHand(plan, load, replace(habits, charge_wait_s=before_s), rng)
    rows = []
    while roaster.t < 1500.0:
        rows.append((roaster.t, *roaster.read(), *(roaster.settings[c] for c in roaster.settings), roaster.bean_probe_c))
        if MarkKind.DROP in hand.marks and roaster.t > hand.marks[MarkKind.DROP].t + 45.0:
            break
        for _ in range(2):
            roaster.step(0.5)
            hand.step(roaster)
    if roaster.dropped is None:
        raise RuntimeError(f"the demo plan {plan.name!r} never came to its drop.")
    table = np.array(rows)
    return _Run(
        table[:, 0],
        table[:, 1],
        table[:, 2],
        dict(zip(roaster.settings, table[:, 3:-1].T, strict=True)),
        hand.marks,
        roaster.dropped,
        table[:, -1],
        room_c,
    )


def _usual_steel(plan: Plan) -> float:
    return (plan.targets.charge_c or 200.0) + 8.0


def plan_of(recipe: _Recipe, machine: Machine) -> Plan:
    """The recipe roasted once by a perfect hand: its stage times and curve become the plan's."""
    drum = 58.0 if recipe.machine in MACHINES else 50.0
    start = {machine.main_heat: recipe.start[0], Control.AIRFLOW: recipe.start[1], Control.DRUM: drum, **dict(recipe.more)}
    draft = Plan(
        recipe.name, recipe.machine, recipe.lot, recipe.load_kg, recipe.purpose, "falling",
        Targets(recipe.charge_c, 280.0, 320.0, recipe.development_s), start, recipe.moves,
    )  # fmt: skip
    load = replace(LOTS[recipe.lot].load, mass_kg=recipe.load_kg)
    for _ in range(2):  # moves before the crack hang on when it is expected: once more with what was learned
        run = _run(draft, load, _usual_steel(draft), np.random.default_rng(SEED), HandHabits(delay_s=1.0), 30.0)
        times = {kind: run.marks[kind].t for kind in run.marks}
        drying = times[MarkKind.YELLOW] - times[MarkKind.CHARGE]
        browning = times[MarkKind.FIRST_CRACK] - times[MarkKind.YELLOW]
        draft = replace(
            draft, targets=Targets(recipe.charge_c, round(drying), round(browning), recipe.development_s)
        )  # fmt: skip
    charge_t, drop_t = times[MarkKind.CHARGE], times[MarkKind.DROP]
    part = (run.t >= charge_t) & (run.t <= drop_t)
    rate = smooth_rate_of_rise(run.t[part], run.true_bean[part], charge_t)
    drop_c = float(np.interp(drop_t, run.t, run.true_bean))
    curve = PlanCurve(run.t[part] - charge_t, run.true_bean[part], run.air[part], rate.c_per_min)
    return replace(draft, targets=replace(draft.targets, drop_c=round(drop_c, 1)), curve=curve)


def roast_record(plan: Plan, trouble: _Trouble, label: str, started: datetime, rng: np.random.Generator) -> BatchRecord:
    """One batch of a plan, with its trouble, as Firnel would have recorded it."""
    wanted = trouble.plan(plan)
    if trouble.short_s:
        development = (plan.targets.development_s or 90.0) - trouble.short_s
        wanted = replace(wanted, targets=replace(wanted.targets, development_s=development))
    mass = (plan.load_kg or 1.0) * float(rng.choice([1.0, 1.0, 1.0, 0.9]))
    steel = _usual_steel(plan) + trouble.steel_c + float(rng.normal(0.0, 1.5))
    beans = (LOTS | TO_COME)[plan.lot].load
    run = _run(wanted, replace(beans, mass_kg=mass), steel, rng, HandHabits(delay_s=2.0), 30.0, trouble)
    blank = np.zeros(run.t.size, np.int64)
    trace = Trace(run.t, run.bean, run.air, run.settings, blank)
    charge_t = (
        find_charge(run.t, run.bean) if trouble.no_charge_key else run.marks[MarkKind.CHARGE].t + float(rng.uniform(0.1, 0.8))
    )
    charge_t = charge_t if charge_t is not None else run.marks[MarkKind.CHARGE].t
    marks = [Mark(MarkKind.CHARGE, charge_t, trace.bean_at(charge_t), Found.CURVE if trouble.no_charge_key else Found.KEY)]
    turning_t = find_turning(run.t, run.bean, charge_t)
    if turning_t is not None:
        marks.append(Mark(MarkKind.TURNING, turning_t, trace.bean_at(turning_t), Found.CURVE))
    for kind, spread in ((MarkKind.YELLOW, 4.0), (MarkKind.FIRST_CRACK, 2.0), (MarkKind.DROP, 0.8)):
        t = run.marks[kind].t + float(abs(rng.normal(0.0, spread)))
        marks.append(Mark(kind, t, trace.bean_at(t), Found.KEY))
    yellow, crack = run.marks[MarkKind.YELLOW].t, run.marks[MarkKind.FIRST_CRACK].t
    notes = (Note(yellow - 20.0, "smell", "hay"), Note(yellow + 15.0, "smell", "bread"), Note(crack - 40.0, "colour", "brown"))
    colour = run.dropped.colour
    return BatchRecord(
        label=label, lot=plan.lot, machine=plan.machine, started=started, trace=trace, marks=tuple(marks),
        moves=tuple(move for move in moves_in(trace) if move.t >= charge_t), notes=notes, load_kg=round(mass, 3),
        roasted_kg=round(run.dropped.mass_kg * (1.0 + float(rng.normal(0.0, 0.0008))), 3),
        colour_whole=round(colour + float(rng.normal(0.0, 0.4)), 1),
        colour_ground=round(colour + 2.2 + float(rng.normal(0.0, 0.4)), 1),
        room_c=round(run.room_c, 1), plan=plan.name, remark=trouble.remark,
    )  # fmt: skip
