"""Practice: a plan roasted on the model of the machine, or on the simulated one, with surprises; nothing of it is kept.

A practice has a library of its own in a temporary folder, so that its batches can never mix with real ones.
"""

from __future__ import annotations

import tempfile
import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Protocol

import numpy as np

from firnel.core.model.document import model_to_document
from firnel.core.model.learning import MachineModel
from firnel.core.model.virtual import VirtualRoaster
from firnel.core.plan import Plan, due_moves
from firnel.core.vocabulary import Control, Lot, Machine, Mark, MarkKind, Role
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.reading import Reading
from firnel.devices.simulator.physics import colour_word, crack_rate
from firnel.store.library import Library
from firnel.work.desk import Desk
from firnel.work.machines.forecasting import traits_of
from firnel.work.machines.knowledge import model_of
from firnel.work.plan.whose import lot_of, machine_of
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.settings import Settings

#: A practice runs at most so much faster than life.
FASTEST = 10.0
#: No roast lasts longer. [s]
LONGEST_S = 1800
#: The empty drum stands this far above the charge reading when it begins. [K]
ABOVE_C = 7.0


@dataclass(frozen=True)
class Surprise:
    """What is otherwise than planned, and how the debrief tells it.

    ``steel_c`` is added to the steel [K], ``uptake`` and ``load`` are factors of the beans' heat uptake and of the mass,
    ``gust`` a draft that comes in browning, as a share of full flow.
    """

    name: str
    told: str
    steel_c: float = 0.0
    uptake: float = 1.0
    load: float = 1.0
    gust: float = 0.0


#: How far off they are is common practice, no published source.
SURPRISES = (
    Surprise("nothing", tr("Nothing differed from the plan.")),
    Surprise("late yellow", tr("The beans took heat 7 % slower than their lot does: yellow came late."), uptake=0.93),
    Surprise("colder drum", tr("The steel was 22 °C colder than the plan assumes."), steel_c=-22.0),
    Surprise("hotter drum", tr("The steel was 14 °C hotter than the plan assumes."), steel_c=14.0),
    Surprise("wrong load", tr("The load was 10 % heavier than its label says."), load=1.10),
    Surprise("gust", tr("A gust drew through the drum for a minute and a half in browning."), gust=0.22),
)
#: How long a gust blows, from how long after yellow. [s]
GUST_FROM_S, GUST_FOR_S = 40.0, 90.0


class Roaster(Protocol):
    """What is practised on."""

    yellow_c: float
    crack_c: float
    gust: float

    @property
    def bean_c(self) -> float | None:
        """Mean bean temperature [degC]; None while the drum is empty."""

    def set(self, control: Control, value: float) -> None:
        """Move a control."""

    def charge(self, mass_kg: float) -> None:
        """The load falls in."""

    def drop(self) -> None:
        """The beans leave."""

    def step(self, seconds: float) -> None:
        """Let time go by."""

    def read(self) -> tuple[float, float]:
        """Bean and air probe. [degC]"""


class Practice:
    """One practice batch: a desk of its own, and the machine that answers its keys.

    Parameters
    ----------
    library : of the house; only read.
    plan : that is practised; with a load.
    settings : of this user.
    surprise : by name; one is drawn where None.
    seed : of the draw and of the noise.
    source : the monotonic time underneath. [s]

    Raises
    ------
    ValueError : if the plan has no load or no machine, or there is no such surprise.
    """

    def __init__(
        self,
        library: Library,
        plan: Plan,
        settings: Settings,
        surprise: str | None = None,
        seed: int | None = None,
        source: Callable[[], float] | None = None,
    ) -> None:
        machine = machine_of(library, plan)
        if machine is None or not plan.load_kg:
            raise ValueError(tr("the plan {!r} needs a machine and a load to be practised.", plan.name))
        rng = np.random.default_rng(seed)
        self.surprise = _chosen(surprise, rng)
        self.plan, self._load_kg = plan, plan.load_kg
        try:
            self._folder = tempfile.TemporaryDirectory(prefix="firnel-practice-", ignore_cleanup_errors=True)
        except OSError as error:
            raise ValueError(tr("A practice needs some room on the disk: {}.", error.strerror)) from error
        self._thread, self._later = threading.get_ident(), deque[Callable[[], None]]()
        model, _ = model_of(library, machine)
        lot = lot_of(library, plan)
        # The same machine once more, for what the surprise alone would do.
        self._another = partial(self._machine, model, machine, lot, np.random.default_rng(0))
        self.roaster = self._machine(model, machine, lot, rng)
        clock = Clock(source) if source is not None else Clock()
        own_library = Library(Path(self._folder.name) / "practice.sqlite")
        self.desk = Desk(own_library, settings, self._post, clock=clock)
        own = self.desk.library
        # The keys are the hands here: nothing is reported by the machine.
        controls = {control: replace(scale, reported=False) for control, scale in machine.controls.items()}
        kept = own.save_machine(replace(machine, id=None, controls=controls, device_url=""))
        if model.batches and kept.id is not None:
            own.machine_book.save_model(kept.id, model_to_document(model, machine.heat_kinds))
        kept_lot = own.save_lot(replace(lot, id=None)) if lot is not None else None
        self.order = BatchOrder(
            kept_lot,
            kept,
            own.save_plan(replace(plan, id=None, machine_id=kept.id, lot_id=kept_lot.id if kept_lot is not None else None)),
            plan.load_kg,
        )
        self.machine = kept
        self.desk.session.set_machine(kept)
        self.desk.fed(tr("The practice machine."))
        self.desk.prepare(self.order)
        self.truth: dict[MarkKind, float] = {}  #: when what could be seen and heard truly came, in log time [s]
        self._stepped = clock.now()
        self._settle()

    def _machine(self, model: MachineModel, machine: Machine, lot: Lot | None, rng: np.random.Generator) -> Roaster:
        charge_c, surprise = self.plan.targets.charge_c or 200.0, self.surprise
        steel = charge_c + model.steel_over_charge_c + self.plan.drum_c + surprise.steel_c
        made = VirtualRoaster(model, machine, traits_of(lot), rng, steel + 2.0, charge_c + ABOVE_C, self.plan.room_c)
        made.uptake = surprise.uptake
        return made

    def _settle(self) -> None:
        """Some readings of the empty machine, as if it had been watched before."""
        for control, value in self.plan.start.items():
            self.roaster.set(control, value if self.machine.role(control) is not Role.HEAT else 0.0)
        for control in self.machine.of(Role.HEAT):
            self.desk.session.set_control(control, 0.0, self.desk.clock.now())

    def by_the_plan(self) -> dict[str, float]:
        """By how much drying and browning [s] and the drop [K] would be off if the plan's moves were made and nothing else.

        That is what the surprise does; empty where the plan says no times.
        """
        plan, roaster = self.plan, self._another()
        drying, browning, development = plan.stages
        if drying is None or browning is None or development is None:
            return {}
        charge_c = plan.targets.charge_c or 200.0
        for control, value in plan.start.items():
            roaster.set(control, value if self.machine.role(control) is not Role.HEAT else 0.0)
        for _ in range(LONGEST_S):
            if roaster.read()[0] <= charge_c:
                break
            roaster.step(1.0)
        roaster.charge(self._load_kg * self.surprise.load)
        for control, value in plan.start.items():
            roaster.set(control, value)
        marks = self._roast_by_the_plan(roaster, development)
        found = {}
        if MarkKind.YELLOW in marks:
            found["drying_s"] = marks[MarkKind.YELLOW].t - drying
        if MarkKind.FIRST_CRACK in marks:
            found["browning_s"] = marks[MarkKind.FIRST_CRACK].t - marks[MarkKind.YELLOW].t - browning
            if plan.targets.drop_c is not None:
                found["drop_c"] = roaster.read()[0] - plan.targets.drop_c
        return found

    def _roast_by_the_plan(self, roaster: Roaster, development: float) -> dict[MarkKind, Mark]:
        """From the charge to the end of development, each move when its own mark has come; the marks, from the charge."""
        marks, done = {MarkKind.CHARGE: Mark(MarkKind.CHARGE, 0.0)}, dict[int, float]()
        for t in range(LONGEST_S):
            for entry in due_moves(self.plan, marks.values(), float(t), done):
                if entry.done_t is None and entry.due_t is not None and entry.due_t <= t:
                    done[entry.index] = float(t)
                    roaster.set(entry.move.control, entry.move.to)
            yellow = marks.get(MarkKind.YELLOW)
            blows = yellow is not None and GUST_FROM_S <= t - yellow.t < GUST_FROM_S + GUST_FOR_S
            roaster.gust = self.surprise.gust if blows else 0.0
            roaster.step(1.0)
            bean = roaster.bean_c
            for kind, level in ((MarkKind.YELLOW, roaster.yellow_c), (MarkKind.FIRST_CRACK, roaster.crack_c)):
                if bean is not None and bean >= level and kind not in marks:
                    marks[kind] = Mark(kind, t + 1.0)
            crack = marks.get(MarkKind.FIRST_CRACK)
            if crack is not None and t >= crack.t + development:
                break
        return marks

    def set_speed(self, speed: float) -> None:
        """Run so many times as fast as life.

        Raises
        ------
        ValueError : if it is not between 1 and 10.
        """
        if not 1.0 <= speed <= FASTEST:
            raise ValueError(tr("a practice runs at 1 to {:.0f} times the speed of life, not at {:g}.", FASTEST, speed))
        self.desk.clock.set_rate(speed)

    def _post(self, call: Callable[[], None]) -> None:
        """A call of the practice's own thread at once; one of another thread with the next tick."""
        if threading.get_ident() == self._thread:
            call()
        else:
            self._later.append(call)

    def tick(self) -> None:
        """Bring the machine up to now; a reading for each of its seconds."""
        while self._later:
            self._later.popleft()()
        session, now = self.desk.session, self.desk.clock.now()
        while now - self._stepped >= 1.0:
            self._stepped += 1.0
            self._doors()
            for control, value in session.held.items():
                self.roaster.set(control, value)
            self._blow(session.log_time(self._stepped))
            self.roaster.step(1.0)
            self._see(session.log_time(self._stepped))
            bean, air = self.roaster.read()
            self.desk.take_reading(Reading(self._stepped, bean, air))

    def _doors(self) -> None:
        marks = self.desk.session.marks
        if self.roaster.bean_c is None and MarkKind.CHARGE in marks and MarkKind.DROP not in marks:
            self.roaster.charge(self._load_kg * self.surprise.load)
            for control in self.machine.of(Role.HEAT):
                start = self.plan.start.get(control, 0.0)
                if start and not self.desk.session.held.get(control):  # the hand that charges opens the burner too
                    self.desk.session.set_control(control, start, self._stepped)
        elif self.roaster.bean_c is not None and MarkKind.DROP in marks:
            self.roaster.drop()

    def _blow(self, t: float) -> None:
        yellow = self.truth.get(MarkKind.YELLOW)
        blows = yellow is not None and GUST_FROM_S <= t - yellow < GUST_FROM_S + GUST_FOR_S
        self.roaster.gust = self.surprise.gust if blows else 0.0

    def _see(self, t: float) -> None:
        bean = self.roaster.bean_c
        for kind, level in ((MarkKind.YELLOW, self.roaster.yellow_c), (MarkKind.FIRST_CRACK, self.roaster.crack_c)):
            if bean is not None and bean >= level:
                self.truth.setdefault(kind, t)

    @property
    def seen(self) -> str:
        """What the trier shows and what is heard, in words; empty while the drum is empty."""
        bean = self.roaster.bean_c
        if bean is None:
            return ""
        pops = crack_rate(bean, self.roaster.crack_c)
        heard = "" if pops <= 0.0 else tr("pops thick and fast") if pops > 0.75 else tr("pops now and then")
        if pops > 0.0 and MarkKind.FIRST_CRACK in self.truth and bean > self.roaster.crack_c + 6.0:
            heard = tr("the last pops")
        shown = tr("The trier shows {}", colour_word(bean, self.roaster.yellow_c))
        return tr("{}; you hear {}.", shown, heard) if heard else f"{shown}."

    @property
    def over(self) -> bool:
        """Whether the beans have dropped."""
        return MarkKind.DROP in self.desk.session.marks

    def close(self) -> None:
        """Throw the practice away."""
        self.desk.shut_down()
        self._folder.cleanup()


def _chosen(name: str | None, rng: np.random.Generator) -> Surprise:
    if name is None:
        return SURPRISES[int(rng.integers(len(SURPRISES)))]
    found = next((one for one in SURPRISES if one.name == name), None)
    if found is None:
        raise ValueError(tr("there is no surprise {!r}; there are {}.", name, ", ".join(one.name for one in SURPRISES)))
    return found


def surprise_names() -> Sequence[str]:
    """The names of what can be otherwise than planned."""
    return tuple(one.name for one in SURPRISES)
