"""The field's words as plain values: marks, moves, notes, traces, lots, machines.

Times are seconds. Inside one batch they count from the start of its record (``log time``), so that
correcting the charge mark never rewrites a reading. Temperatures are degrees Celsius, masses kilograms.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import IntFlag, StrEnum
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from firnel.core.units import PRESSURES
from firnel.core.words import later, tr

FloatArray = NDArray[np.float64]


class MarkKind(StrEnum):
    """A milestone of the roast."""

    CHARGE = "charge"
    TURNING = "turning"
    YELLOW = "yellow"
    FIRST_CRACK = "first_crack"
    FIRST_CRACK_END = "first_crack_end"
    SECOND_CRACK = "second_crack"
    DROP = "drop"

    @property
    def words(self) -> str:
        """The mark as it is said: ``first crack``."""
        return tr(self.value.replace("_", " "))


#: The marks a hand sets, in the order in which they come.
EXPECTED_MARKS = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)


class Found(StrEnum):
    """How a mark or a move came to be known."""

    CURVE = "curve"
    KEY = "key"
    GIVEN = "given"
    MACHINE = "machine"


class Control(str):
    """What a hand moves on a drum roaster, by its key on that machine: ``gas``, ``hot_air``, ``radiant``, ``airflow``.

    Which machine has which, and what each does, says `Machine.controls`. The three with a name here are the usual ones of
    a machine with one source of heat.
    """

    __slots__ = ()
    GAS: ClassVar[Control]
    AIRFLOW: ClassVar[Control]
    DRUM: ClassVar[Control]

    @classmethod
    def named(cls, name: str) -> Control:
        """The key for a control called ``name``: lower case, words joined by underscores.

        Raises
        ------
        ValueError : if nothing is left of the name, or it is a word that a log uses otherwise.
        """
        key = re.sub(r"[^a-z0-9]+", "_", name.strip().lower()).strip("_")
        if not key or len(key) > 20:
            raise ValueError(tr("{!r} is no name for a control: use one or two words.", name))
        if key in RESERVED:
            raise ValueError(tr("A control cannot be called {!r}: a log has a column of that name for something else.", name))
        return cls(key)

    @property
    def words(self) -> str:
        """The key as it is said where its machine gives it no other name."""
        return tr(self.replace("_", " "))


Control.GAS, Control.AIRFLOW, Control.DRUM = Control(later("gas")), Control(later("airflow")), Control(later("drum"))
#: The controls of a machine of which nothing is known.
USUAL_CONTROLS = (Control.GAS, Control.AIRFLOW, Control.DRUM)
#: What no control may be called: the other columns of a log.
RESERVED = ("t", "time", "bean", "air", "mark", "quality", "rate", "rate_sd", "controls")
#: More controls than this has no machine that a hand drives.
MOST_CONTROLS = 12


class Role(StrEnum):
    """What a control is for."""

    HEAT = "heat"
    AIRFLOW = "airflow"
    MOTION = "motion"


#: Kinds of each role. Of heat: where it goes; a gas burner heats air and drum, the rest are electric.
KINDS_OF = {
    Role.HEAT: ("gas", "electric", "hot-air", "radiant", "drum"),
    Role.AIRFLOW: ("damper", "fan", "pressure"),
    Role.MOTION: ("drum", "stirrer"),
}


def usual_role(control: str) -> Role:
    """The role of a control of which only the name is known."""
    if any(word in control for word in ("airflow", "damper", "fan", "draft", "flow")):
        return Role.AIRFLOW
    return Role.MOTION if control in ("drum", "stirrer", "speed", "drum_speed") else Role.HEAT


class Quality(IntFlag):
    """What is wrong with a reading; zero is good."""

    GOOD = 0
    SPIKE = 1
    FROZEN = 2
    OUT_OF_RANGE = 4
    HAND = 8


@dataclass(frozen=True)
class Mark:
    """A milestone at a moment. ``t`` is log time [s], ``bean`` the probe reading there [degC] or None."""

    kind: MarkKind
    t: float
    bean: float | None = None
    found: Found = Found.KEY


@dataclass(frozen=True)
class Move:
    """A change of one control at a moment, to a value on the machine's own scale."""

    control: Control
    t: float
    to: float
    found: Found = Found.KEY


@dataclass(frozen=True)
class Note:
    """A word from the trier (``kind`` colour or smell), or a remark."""

    t: float
    kind: str
    text: str


@dataclass(frozen=True)
class Trace:
    """What the probes and the machine said: equal-length arrays over log time.

    ``bean`` and ``air`` [degC]; ``controls`` on the machine's own scales; NaN where a value was not read; ``quality`` holds
    `Quality` bits.
    """

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    controls: Mapping[Control, FloatArray]
    quality: NDArray[np.int64]

    @classmethod
    def empty(cls) -> Trace:
        """A trace with no readings."""
        none = np.empty(0)
        return cls(none, none, none, {}, np.empty(0, np.int64))

    def control(self, control: Control) -> FloatArray:
        """Readings of one control, shape (n,), on the machine's own scale; NaN for one that the record does not hold."""
        series = self.controls.get(control)
        return series if series is not None else np.full(self.t.size, np.nan)

    def part(self, keep: NDArray[np.bool_] | slice) -> Trace:
        """Some of the readings."""
        controls = {control: series[keep] for control, series in self.controls.items()}
        return Trace(self.t[keep], self.bean[keep], self.air[keep], controls, self.quality[keep])

    @property
    def rows(self) -> Iterator[tuple[float, float, float, dict[Control, float], int]]:
        """Reading after reading: t, bean, air, what the record holds of the controls, quality."""
        for index in range(self.t.size):
            held = {control: float(series[index]) for control, series in self.controls.items() if np.isfinite(series[index])}
            yield float(self.t[index]), float(self.bean[index]), float(self.air[index]), held, int(self.quality[index])

    def bean_at(self, t: float) -> float | None:
        """Bean reading at log time ``t`` [degC], between readings by straight line; None outside the record."""
        known = np.isfinite(self.bean)
        if not known.any():
            return None
        times = self.t[known]
        if not times[0] - 1e-6 <= t <= times[-1] + 1e-6:
            return None
        return float(np.interp(t, times, self.bean[known]))


@dataclass(frozen=True)
class ControlScale:
    """One control of a machine: its scale (unit, range, step; ``least`` is the smallest setting that works), and what it is.

    ``name`` is what the roastery calls it, empty for the plain word of its key; ``role`` and ``kind`` say what it does, None
    and empty where the key alone does; ``lag_s`` is the time between setting and effect where it was measured [s].
    """

    unit: str
    low: float
    high: float
    step: float
    least: float = 0.0
    reported: bool = True
    role: Role | None = None
    kind: str = ""
    name: str = ""
    lag_s: float | None = None

    def digits(self, *values: float) -> int:
        """So many digits behind the point that neither a step nor what a hand has set is rounded away; three at most."""
        wanted = (self.step, *(value for value in values if np.isfinite(value)))
        return next((digits for digits in range(3) if all(abs(round(v, digits) - v) < 1e-6 for v in wanted)), 3)

    def nearest(self, value: float) -> float:
        """The settable value next to ``value``, inside the range."""
        steps = round((value - self.low) / self.step)
        return round(float(min(max(self.low + steps * self.step, self.low), self.high)), 6)  # no 2.4000000000000004 in a plan


@dataclass(frozen=True)
class Probe:
    """A probe: where it sits, how thick it is [mm], and its measured time constant [s] and offset [degC], if checked."""

    place: str
    thickness_mm: float | None = None
    lag_s: float | None = None
    offset_c: float | None = None


#: With beans in the drum the bean probe is never to read more than this; common practice, no published source. [degC]
HOT_BEAN_C = 230.0


@dataclass(frozen=True)
class Machine:
    """A drum roaster as the roastery knows it."""

    name: str
    kind: str
    heat: str = "gas"
    stated_load_kg: float = 6.0
    useful_load_kg: float = 4.5
    controls: Mapping[Control, ControlScale] = field(default_factory=dict)
    yellow_c: float = 155.0
    first_crack_c: float = 198.0
    air_probe: str = tr("drum air")
    device_url: str = ""
    second_crack_c: float | None = None
    tray_litres: float | None = None
    altitude_m: float = 0.0  #: of the roastery, for the boiling point
    probes: tuple[Probe, ...] = ()
    fuel: str = ""  #: of a gas burner: natural gas or LPG
    preheat: str = ""  #: the routine, in the house's own words
    between: str = ""  #: between two batches
    draft_check: str = ""  #: when and how the draft was last checked
    checks: str = ""  #: before each charge, in the house's own words; see `routine.steps_of`
    limit_c: float = HOT_BEAN_C  #: past this the roast is told to be ended
    covers_kg: float | None = None  #: the least load that covers the bean probe; a share of the useful one where not known
    preheat_low_c: float | None = None  #: preheating swings between this reading ..
    preheat_high_c: float | None = None  #: .. and this, usual ones where not told
    preheat_s: float | None = None  #: for so long
    care: Mapping[str, float] = field(default_factory=dict)  #: intervals of care jobs that are not the usual ones, by key
    id: int | None = None
    archived: bool = False

    def role(self, control: Control) -> Role:
        """What a control is for."""
        scale = self.controls.get(control)
        return scale.role if scale is not None and scale.role is not None else usual_role(control)

    def of(self, role: Role) -> tuple[Control, ...]:
        """The controls of a role, in the machine's own order: the first is the main one."""
        return tuple(control for control in self.controls if self.role(control) is role)

    @property
    def heat_kinds(self) -> tuple[str, ...]:
        """Kinds of the sources of heat, the main one first; ``gas-dial`` where gas is not told by its pressure."""
        kinds = ((self.kind_of(control), self.controls[control].unit) for control in self.of(Role.HEAT))
        return tuple("gas-dial" if kind == "gas" and unit not in PRESSURES else kind for kind, unit in kinds) or (self.heat,)

    @property
    def main_heat(self) -> Control:
        """The source of heat that steps are advised on first; ``gas`` where the machine has none."""
        return next(iter(self.of(Role.HEAT)), Control.GAS)

    @property
    def main_air(self) -> Control:
        """The airflow control that plans move; ``airflow`` where the machine has none."""
        return next(iter(self.of(Role.AIRFLOW)), Control.AIRFLOW)

    def kind_of(self, control: Control) -> str:
        """Kind of a control; for heat it says where it goes."""
        scale = self.controls.get(control)
        if scale is not None and scale.kind:
            return scale.kind
        role = self.role(control)
        return ("electric" if self.heat == "electric" else "gas") if role is Role.HEAT else KINDS_OF[role][0]

    def word(self, control: Control) -> str:
        """What a control is called on this machine: ``gas``, ``power``, ``hot air``."""
        scale = self.controls.get(control)
        if scale is not None and scale.name:
            return scale.name
        electric = control == Control.GAS and self.heat == "electric"
        return tr("power") if electric else control.words


def word_of(control: Control, machine: Machine | None) -> str:
    """What a control is called on a machine; the plain word of its key where the machine is not known."""
    return machine.word(control) if machine is not None else control.words


@dataclass(frozen=True)
class Lot:
    """One delivery of green coffee."""

    name: str
    origin: str = ""
    station: str = ""
    variety: str = ""
    process: str = ""
    altitude_m: float | None = None
    harvest: str = ""
    arrival: str = ""
    on_hand_kg: float | None = None
    density_g_per_l: float | None = None
    moisture: float | None = None
    remark: str = ""
    id: int | None = None
    bags: int | None = None
    price_per_kg: float | None = None  #: in the roastery's own currency
    water_activity: float | None = None
    mean_mm: float | None = None  #: mean bean diameter from the screens
    replaces: str = ""  #: name of the lot that this one takes the place of
    archived: bool = False
    sample: str = ""  #: what it is a sample of: offer, pre-shipment or arrival; empty for a lot that was bought
    verdict: str = ""  #: what was decided of a sample


@dataclass(frozen=True)
class BatchRecord:
    """Everything known of one batch: from the record on disk, or from a file."""

    label: str
    lot: str
    machine: str
    started: datetime
    trace: Trace
    marks: tuple[Mark, ...] = ()
    moves: tuple[Move, ...] = ()
    notes: tuple[Note, ...] = ()
    load_kg: float | None = None
    roasted_kg: float | None = None
    colour_whole: float | None = None
    colour_ground: float | None = None
    room_c: float | None = None
    plan: str = ""
    remark: str = ""
    status: str = "done"
    id: int | None = None
    operator: str = ""
    left_out: str = ""  #: why it is left out of charts and fits; empty where it counts
    lot_id: int | None = None  #: of the library, where it comes from there
    machine_id: int | None = None
    plan_id: int | None = None
    tags: str = ""  #: the house's own words, separated by spaces
    declined: str = ""  #: which results are not measured: weight, colour

    def mark(self, kind: MarkKind) -> Mark | None:
        """The mark of that kind, or None."""
        return next((mark for mark in self.marks if mark.kind is kind), None)

    @property
    def charge_t(self) -> float:
        """Log time of the charge [s]; the start of the record where no charge is known."""
        mark = self.mark(MarkKind.CHARGE)
        return mark.t if mark else (float(self.trace.t[0]) if self.trace.t.size else 0.0)

    @property
    def loss(self) -> float | None:
        """Weight loss, 1 - roasted / green [0..1]; None until weighed."""
        if not self.load_kg or self.roasted_kg is None:
            return None
        return 1.0 - self.roasted_kg / self.load_kg
