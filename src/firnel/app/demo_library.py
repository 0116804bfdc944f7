"""The demo library: an invented roastery, its machines, lots and plans, and six weeks of batches with real trouble in them.

Everything comes from the simulator and one seed; nothing here stands for a real place, person or product.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from os import cpu_count
from pathlib import Path
from shutil import rmtree
from tempfile import TemporaryDirectory
from threading import Event

import numpy as np

from firnel.app.demo_batches import KIND_OF, LOTS, RECIPES, SEED, TROUBLES, DemoLot, plan_of, roast_record
from firnel.app.demo_models import model_brought, models_brought
from firnel.app.demo_orders import COMING, sell
from firnel.core.cup.scores import BY_CUP, SCORED
from firnel.core.green.measurements import SCREEN_STEP_MM
from firnel.core.plan import Plan
from firnel.core.vocabulary import Machine, Probe
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.store.machine_book import LogEntry
from firnel.work.bench import cupping, telling_apart
from firnel.work.day import queue
from firnel.work.desk import machine_of_kind
from firnel.work.green.intake import measure
from firnel.work.machines.knowledge import keep_model
from firnel.work.machines.learner import AWAITED, learn_apart, task_of
from firnel.work.plan.orders import ladder
from firnel.work.review.references import set_reference

#: Where a library stands while it is made, and how old one is that nobody makes any more. [s]
BESIDE, LEFT_S = "being-made-", 3600.0
#: Which of the batches without trouble each plan has for its reference.
REFERENCE_NUMBER = 3
#: The plan that a ladder was roasted of, who cupped it, and the development that they like best. [s]
LADDER_OF, CUPPERS, BEST_S = "Sample washed", ("Asha", "Bo", "Cléo"), 84.0
LADDER_RUNGS = 5
#: Of the house's first batch.
FIRST_NUMBER = 401
#: What waits to be roasted.
QUEUED = (("Isuka filter", 2), ("Mwelika filter", 3), ("Lindal espresso", 2))
#: The picking that follows a lot of the blend: roasted by the old plan it comes otherwise.
FOLLOWED_BY = "India Velakuni"


class Story:
    """When each batch was roasted, days counted from the last Monday, so that numbers follow the days whatever day it is.

    Parameters
    ----------
    today : the day it ends on.
    """

    def __init__(self, today: datetime) -> None:
        self.monday = today.weekday() or 7  #: so many days ago
        self.daily = [(self._at(today, ago, 500 + 22 * number), plan, trouble) for ago, number, plan, trouble in self._days()]
        early = max(self.daily[-1][0] + timedelta(minutes=20) - today, timedelta())  # nothing is there before it was roasted
        self.daily[-2:] = [(when - early, plan, trouble) for when, plan, trouble in self.daily[-2:]]
        self.rungs = [self._at(today, self.monday + 4, 780 + 10 * index) for index in range(1, LADDER_RUNGS + 1)]
        self.cold = [self._at(today, self.monday, minute) for minute in (385, 409, 433)]
        self.follows = [self._at(today, self.monday + 3, minute) for minute in (630, 652)]
        times = sorted([*(when for when, *_ in self.daily), *self.rungs, *self.cold, *self.follows])
        self._labels = {when: f"{FIRST_NUMBER + place:04d}" for place, when in enumerate(times)}

    def label(self, when: datetime) -> str:
        """The number of the batch that was roasted then."""
        return self._labels[when]

    @staticmethod
    def _at(today: datetime, ago: int, minute: int) -> datetime:
        return (today - timedelta(days=ago)).replace(hour=minute // 60, minute=minute % 60, second=0, microsecond=0)

    def _days(self) -> list[tuple[int, int, str, str]]:
        """Days ago, place in the day, plan, trouble: six weeks, about sixty batches."""
        entries: list[tuple[int, int, str, str]] = []

        def day(ago: int, *batches: tuple[str, str]) -> None:
            entries.extend((ago, number, plan, trouble) for number, (plan, trouble) in enumerate(batches))

        isuka, mparazi, mwelika = ("Isuka filter", ""), ("Mparazi gentle", ""), ("Mwelika filter", "")
        nine = ("Rwebisho three heaters", "")
        lindal, kelavani = ("Lindal espresso", ""), ("Kelavani house", "")
        monday = self.monday
        day(monday + 38, ("Isuka filter", "cold"), isuka, isuka, ("Mparazi gentle", "short"))
        day(monday + 35, ("Lindal espresso", "cold"), lindal, lindal)
        day(monday + 33, ("Sample washed", "cold"), ("Sample washed", ""), ("Sample soft beans", "flick"))
        day(monday + 31, isuka, isuka, ("Isuka filter", "no key"), mwelika, ("Mwelika filter", "flick"))
        day(monday + 28, ("Rwebisho three heaters", "cold"), nine, nine)
        day(monday + 27, ("Kelavani house", "stall"), kelavani, kelavani)
        day(monday + 25, ("Isuka filter", "cold"), isuka, isuka, ("Isuka filter", "crash"), mparazi)
        day(monday + 21, lindal, ("Lindal espresso", "crash"), lindal)
        day(monday + 18, mwelika, mwelika, ("Mparazi gentle", "stall"), mparazi)
        day(monday + 14, ("Sample soft beans", ""), ("Sample washed", "no key"), ("Sample washed", ""))
        day(monday + 12, *[isuka] * 3, *(("Isuka filter", f"chaff {number}") for number in range(1, 6)))
        day(monday + 10, lindal, kelavani, ("Kelavani house", "flick"), kelavani)
        day(monday + 7, ("Rwebisho three heaters", "cold"), nine, nine)
        day(monday + 6, ("Mwelika filter", "cold"), mwelika, ("Isuka filter", "short"), isuka, isuka)
        day(monday + 3, mparazi, mparazi, ("Lindal espresso", "no key"), lindal)
        day(1, ("Isuka filter", "cold"), isuka, mwelika, lindal)
        day(0, ("Isuka filter", "cold"), isuka)
        return entries


def build_demo_library(
    path: Path, today: datetime | None = None, progress: Callable[[str], object] = lambda words: None
) -> None:
    """Make the demo library at ``path``; whole or not at all, and where another start was quicker, its is left.

    Parameters
    ----------
    path : file to make.
    today : the day it ends on.
    progress : told what is done, many times a second.
    """
    for left in path.parent.glob(BESIDE + "*"):  # by a process that was killed
        if datetime.now().timestamp() - left.stat().st_mtime > LEFT_S:
            rmtree(left, ignore_errors=True)
    with TemporaryDirectory(prefix=BESIDE, dir=path.parent) as beside:
        fresh = Path(beside) / path.name
        library = Library(fresh)
        try:
            _fill(library, (today or datetime.now().astimezone()).astimezone(), progress)
        finally:
            library.close()
        if not path.exists():
            fresh.replace(path)


def _fill(library: Library, today: datetime, progress: Callable[[str], object]) -> None:
    """Machines, lots, plans, six weeks of batches, what was learned of them, cuppings, the queue and the orders."""
    machines = {name: library.save_machine(_demo_machine(name, kind)) for name, kind in KIND_OF.items()}
    story = Story(today)
    for entry in LOTS.values():
        _take_down(library, entry, today, today - timedelta(days=story.monday + 5))
    for lot in COMING:
        library.save_lot(lot)
    began = (min(when for when, *_ in story.daily) - timedelta(days=2)).astimezone(UTC)
    plans = {recipe.name: library.plan_book.save(plan_of(recipe, machines[recipe.machine]), at=began) for recipe in RECIPES}
    rng = np.random.default_rng(SEED)
    good: dict[str, int] = {}
    for number, (when, name, trouble) in enumerate(story.daily, start=1):
        record = roast_record(plans[name], TROUBLES[trouble], story.label(when), when.astimezone(UTC), rng)
        if number >= len(story.daily) - 1:  # the newest two still wait for the scale
            record = replace(record, roasted_kg=None, colour_whole=None, colour_ground=None, status="dropped")
        key = library.add_record(record)
        good[name] = good.get(name, 0) + (not trouble)
        if not trouble and good[name] == REFERENCE_NUMBER:
            set_reference(library, plans[name], key)
        progress(tr("The demo is made once, in half a minute: {} of {} batches roasted", number, len(story.daily)))
    _tell(library, plans, story)
    _learn(library, list(machines.values()), today, progress)
    for machine in machines.values():
        _care_for(library, machine, today)
    _climb(library, plans[LADDER_OF], story, today, rng)
    for name, count in QUEUED:
        queue.add(library, plans[name], count)
    sell(library, plans, today, today - timedelta(days=story.monday + 4))


def _learn(library: Library, machines: Sequence[Machine], today: datetime, progress: Callable[[str], object]) -> None:
    """What all machines have learned of their batches: brought along, or learned now, each in a process of its own."""
    tasks, stopped = [task for machine in machines if (task := task_of(library, machine)) is not None], Event()
    brought = models_brought()
    models = {task.machine.name: model_brought(brought, task.machine.name, task.batches) for task in tasks}
    unknown = [task for task in tasks if models[task.machine.name] is None]
    with ThreadPoolExecutor(cpu_count()) as pool:
        try:
            learning = [pool.submit(learn_apart, task, lambda _done: not stopped.is_set(), AWAITED) for task in unknown]
            while left := wait(learning, 0.1).not_done:
                done = len(unknown) - len(left)
                progress(tr("The demo is made once, in a minute or two: {} of {} machines learned", done, len(unknown)))
        finally:
            stopped.set()
    models |= {task.machine.name: lesson.result().model for task, lesson in zip(unknown, learning, strict=True)}
    for task in tasks:
        model = models[task.machine.name]
        assert model is not None  # one brought along, or a lesson's
        keep_model(library, task.machine, model, task.batches, today)


def _tell(library: Library, plans: dict[str, Plan], story: Story) -> None:
    """A fortnight with something to find: a cold Monday, and a blend whose next lot comes otherwise."""
    rng = np.random.default_rng(SEED + 1)
    isuka, follows = plans["Isuka filter"], replace(plans["Kelavani house"], lot=FOLLOWED_BY)
    troubles = ("cold Monday", "Monday", "")
    told = [(when, isuka, trouble) for when, trouble in zip(story.cold, troubles, strict=True)]
    told += [(when, follows, "") for when in story.follows]
    for when, plan, trouble in told:
        library.add_record(roast_record(plan, TROUBLES[trouble], story.label(when), when.astimezone(UTC), rng))


def _climb(library: Library, plan: Plan, story: Story, today: datetime, rng: np.random.Generator) -> None:
    """A ladder roasted and cupped, a table that is still open, and a triangle test."""
    keys = {}
    for when, rung in zip(story.rungs, ladder(plan, "development_s", LADDER_RUNGS, 15.0), strict=True):
        saved = library.plan_book.save(rung, at=(when - timedelta(days=1)).astimezone(UTC))
        record = roast_record(saved, TROUBLES[""], story.label(when), when.astimezone(UTC), rng)
        keys[library.add_record(record)] = saved.targets.development_s or 80.0
    table = cupping.set_table(
        library, "Development ladder", list(keys), CUPPERS, (today - timedelta(days=4)).astimezone(UTC), seed=4
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
    telling_apart.set_test(library, "triangle", first, last, list(CUPPERS) * 4, at, seed=2)


def _demo_machine(name: str, kind: str) -> Machine:
    """A machine of a shipped kind, with what the house knows of it."""
    machine = machine_of_kind(name, kind)
    probes = (Probe("bean, front plate", 4.0 if machine.heat == "gas" else 3.0), Probe("drum air, top", 3.0))
    preheat = "25 minutes; twice up to 215 °C and down, then from above to the charge."
    between = "0:00 air low; 0:20 heat held, air above 190 °C; 3:00 down to the charge reading"
    return replace(
        machine, tray_litres=round(3.2 * machine.stated_load_kg, 1), altitude_m=120.0, probes=probes, preheat=preheat,
        between=between, second_crack_c=226.0, draft_check="flame at the trier port: draws, drum empty and full",
    )  # fmt: skip


def _care_for(library: Library, machine: Machine, today: datetime) -> None:
    """What was last done to a machine, and how its probes did in ice and boiling water."""
    if machine.id is None:
        raise RuntimeError(f"the demo machine {machine.name!r} is not in the library.")
    for ago, job in ((2, "chaff"), (4, "draft"), (20, "tray"), (33, "fan"), (60, "duct"), (120, "burner")):
        library.machine_book.add_log(machine.id, LogEntry("care", today - timedelta(days=ago), {"job": job}))
    for ago, read in ((70, 100.4), (12, 99.1)):
        entry = {"job": "probe", "probe": "bean", "kind": "boiling", "read_c": read, "altitude_m": 120.0}
        library.machine_book.add_log(machine.id, LogEntry("probe", today - timedelta(days=ago), entry))


def _take_down(library: Library, entry: DemoLot, today: datetime, counted: datetime) -> None:
    """A lot as it was counted, with what was measured at intake and since."""
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
    library.lot_book.count(lot.id, lot.on_hand_kg, counted)
