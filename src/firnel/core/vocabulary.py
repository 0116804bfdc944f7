"""The field's words as plain values: marks, moves, notes, traces, lots, machines.

Times are seconds. Inside one batch they count from the start of its record (``log time``), so that
correcting the charge mark never rewrites a reading. Temperatures are degrees Celsius, masses kilograms.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import IntFlag, StrEnum

import numpy as np
from numpy.typing import NDArray

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
        return self.value.replace("_", " ")


#: The marks a hand sets, in the order in which they come.
EXPECTED_MARKS = (MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP)


class Found(StrEnum):
    """How a mark or a move came to be known."""

    CURVE = "curve"
    KEY = "key"
    GIVEN = "given"
    MACHINE = "machine"


class Control(StrEnum):
    """What a hand moves on a drum roaster."""

    GAS = "gas"
    AIRFLOW = "airflow"
    DRUM = "drum"


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

    ``bean`` and ``air`` [degC]; ``gas``, ``airflow``, ``drum`` on the machine's own scale; NaN where a
    value was not read; ``quality`` holds `Quality` bits.
    """

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    gas: FloatArray
    airflow: FloatArray
    drum: FloatArray
    quality: NDArray[np.int64]

    @classmethod
    def from_columns(cls, columns: Iterable[FloatArray], quality: NDArray[np.int64]) -> Trace:
        """A trace from t, bean, air, gas, airflow and drum in this order."""
        t, bean, air, gas, airflow, drum = columns
        return cls(t, bean, air, gas, airflow, drum, quality)

    @classmethod
    def empty(cls) -> Trace:
        """A trace with no readings."""
        none = np.empty(0)
        return cls(none, none, none, none, none, none, np.empty(0, np.int64))

    def control(self, control: Control) -> FloatArray:
        """Readings of one control, shape (n,), on the machine's own scale."""
        series: FloatArray = getattr(self, control.value)
        return series

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
    """The scale on which one control is set: unit, range and step; ``least`` is the smallest setting that works."""

    unit: str
    low: float
    high: float
    step: float
    least: float = 0.0
    reported: bool = True

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
    air_probe: str = "drum air"
    device_url: str = ""
    second_crack_c: float | None = None
    tray_litres: float | None = None
    altitude_m: float = 0.0  #: of the roastery, for the boiling point
    probes: tuple[Probe, ...] = ()
    heaters: tuple[str, ...] = ()  #: of an electric machine, each by name
    preheat: str = ""  #: the routine, in the house's own words
    between: str = ""  #: between two batches
    draft_check: str = ""  #: when and how the draft was last checked
    checks: str = ""  #: before each charge, in the house's own words; see `routine.steps_of`
    id: int | None = None
    archived: bool = False


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
