"""What the invented roastery of the demo roasts: machines, lots, recipes, troubles, and a batch as the simulator roasts it.

Everything comes from the simulator and one seed; nothing here stands for a real place, person or product.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from firnel.app.demo_orders import COMING
from firnel.core.mark_finding import find_charge, find_turning
from firnel.core.plan import Anchor, Plan, PlanCurve, PlannedMove, Targets
from firnel.core.rate_of_rise import smooth_rate_of_rise
from firnel.core.vocabulary import BatchRecord, Control, Found, Lot, Machine, Mark, MarkKind, Note, Trace
from firnel.devices.simulator.auto_hand import AutomaticHand, HandHabits
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import Beans, DrumRoaster, GreenLoad
from firnel.exchange.csv_log import moves_in

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
