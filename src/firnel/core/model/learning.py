"""What is known of one machine after looking at its batches: constants, marks, level, and how far to trust them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np

from firnel.core.model.constants import Members, StartState
from firnel.core.model.drift import Drift, learn_drift
from firnel.core.model.driven import Driven, driven_of
from firnel.core.model.identification import FittedMachine, logged_start, modelled
from firnel.core.model.level import LevelSample, RoastLevel, fit_level
from firnel.core.model.logged import LoggedBatch, UsualLoad
from firnel.core.model.probe_shift import ProbeShift
from firnel.core.model.simulation import Simulated
from firnel.core.model.statements import Foretold
from firnel.core.model.thresholds import (
    CRACK,
    YELLOW,
    GreenTraits,
    Habit,
    Threshold,
    mixed_of,
    threshold_from,
)
from firnel.core.model.widths import Widths
from firnel.core.vocabulary import Control, FloatArray, Machine
from firnel.core.words import tr

#: Settings that stood for less than this share of the logged time count for nothing.
RARE = 0.01


@dataclass(frozen=True)
class FitReport:
    """How well the model makes logged batches again; root mean squares over whole batches. [degC]"""

    batches: tuple[str, ...]
    rms_bean_c: float
    rms_air_c: float | None
    held_out: tuple[str, ...] = ()
    held_out_rms_bean_c: float | None = None
    held_out_crack_s: float | None = None  #: median error of first crack, without any live data [s]
    refused: tuple[str, ...] = ()  #: batches with which those held out came out worse
    shifts: tuple[ProbeShift, ...] = ()  #: of the bean probe; batches before them were fitted as it reads now


@dataclass(frozen=True)
class Seen:
    """How a control stood in the fitted batches, on its scale: least, usually at charge, most. Elsewhere it is not known."""

    low: float
    start: float
    high: float

    def inside(self, value: float) -> float:
        """The nearest setting that was ever logged."""
        return min(max(value, self.low), self.high)


#: Loads of a machine of which none was logged: of its full one, and standard deviation of their logarithm, as if so many had
#: been seen so; a guess. [1]
USUAL_FILL, LOADS_APART, LOADS_IMAGINED = 0.9, 0.25, 2.0


@dataclass(frozen=True)
class MachineModel:
    """All that the model knows of one machine."""

    fitted: FittedMachine
    yellow: Threshold
    crack: Threshold
    level: RoastLevel
    drift: Drift
    report: FitReport
    steel_over_charge_c: float = 5.0  #: what the steel usually has above the bean probe in the moment of charge [degC]
    air_over_charge_c: float = 0.0  #: the same of the air probe [degC]
    heat_at_charge: tuple[float, ...] = ()  #: what each source usually gives then, the main one first, as shares of its scale
    seen: Mapping[str, Seen] = field(default_factory=dict)  #: of each control of airflow and motion that was logged
    driven: tuple[Driven, ...] = ()  #: how the machine was driven in them
    widths: Widths = field(default_factory=Widths)  #: of what is told, so that it holds
    score: tuple[Foretold, ...] = ()  #: what came of what was foretold
    probe_moved: datetime | None = (
        None  #: since when it was told that the bean probe reads otherwise, and no batch has shown how
    )

    def charged(self, steel_c: Members, charge_c: Members, room_c: float) -> StartState:
        """The moment of charge as it usually is here, with this steel, at this reading of the bean probe. [degC]"""
        heat, *more = self.heat_at_charge or (self.fitted.number("heat_before"),)
        return StartState(steel_c, charge_c, charge_c + self.air_over_charge_c, room_c, heat, tuple(more))

    def burns_from(self, machine: Machine, control: Control) -> float:
        """The least setting at which a source burns: as defined; of a gas burner that nobody told of, the least logged."""
        least = machine.controls[control].least
        if least > 0.0 or machine.kind_of(control) != "gas":
            return least
        logged = (to for one in self.driven for levels in one.levels(control) for to in levels)
        return min((to for to in logged if to > machine.controls[control].low), default=0.0)

    def usual_load(self, machine: Machine) -> UsualLoad | None:
        """What it was charged with in the marked batches; before any nearly a full load, widely; None of unknown size."""
        loads = [load for load in self.crack.loads if load]
        usual = float(np.median(loads)) if loads else USUAL_FILL * machine.useful_load_kg
        apart = float(np.sum(np.square(np.log(np.array(loads) / usual)))) if loads else 0.0
        sd = float(np.sqrt((LOADS_IMAGINED * LOADS_APART**2 + apart) / (LOADS_IMAGINED + len(loads))))
        return UsualLoad(usual, sd) if usual > 0.0 else None

    @property
    def batches(self) -> int:
        """From how many batches it was learned; none in a machine that was not logged yet."""
        return len(self.report.batches)


def traits_of(batch: LoggedBatch) -> GreenTraits:
    """What of a batch's green bears on its marks."""
    return GreenTraits(batch.lot, batch.density, batch.moisture, batch.process, mixed_of(batch.blend), batch.untold)


def misfit(simulated: Simulated, batch: LoggedBatch) -> tuple[float, float | None]:
    """Root mean square of bean and air probe over a whole batch; None without an air probe. [degC]"""
    count = min(simulated.t.size, batch.bean.size)
    off_bean = simulated.bean_probe[:count, 0] - batch.bean[:count]
    off_air = simulated.air_probe[:count, 0] - batch.air[:count]
    air = float(np.sqrt(np.nanmean(off_air**2))) if np.isfinite(off_air).any() else None
    return float(np.sqrt(np.nanmean(off_bean**2))), air


def model_from(fitted: FittedMachine, batches: Sequence[LoggedBatch]) -> MachineModel:
    """Marks and level learned from the fitted batches; the report without any held out."""
    made = [(batch, modelled(fitted, batch)) for batch in batches]
    off = [misfit(simulated, batch) for batch, simulated in made]
    air = [value for _, value in off if value is not None]
    return MachineModel(
        fitted,
        _threshold(YELLOW, [(batch, simulated, batch.yellow_t) for batch, simulated in made]),
        _threshold(CRACK, [(batch, simulated, batch.first_crack_t) for batch, simulated in made]),
        fit_level([sample for batch, simulated in made if (sample := _sample(batch, simulated)) is not None]),
        learn_drift(made),
        FitReport(
            tuple(batch.label for batch in batches),
            float(np.sqrt(np.mean([value**2 for value, _ in off]))),
            float(np.sqrt(np.mean(np.square(air)))) if air else None,
        ),
        float(np.median([simulated.steel[0, 0] - batch.bean_at_charge for batch, simulated in made])),
        _usual([batch.air_at_charge - batch.bean_at_charge for batch in batches]),
        _heat_at_charge(fitted, batches),
        seen_in(batches),
        tuple(one for batch in batches if (one := driven_of(batch)) is not None),
    )


def level_samples(fitted: FittedMachine, batches: Sequence[LoggedBatch]) -> dict[str, LevelSample]:
    """What batches tell of loss and colour, by their label."""
    found = {batch.label: _sample(batch, modelled(fitted, batch)) for batch in batches}
    return {label: sample for label, sample in found.items() if sample is not None}


def _sample(batch: LoggedBatch, simulated: Simulated) -> LevelSample | None:
    if batch.drop_t is None:
        return None
    return LevelSample(simulated, batch.moisture, batch.drop_t, batch.loss, batch.colour)


def seen_in(batches: Sequence[LoggedBatch]) -> dict[str, Seen]:
    """How each control stood in batches, as far as that was logged; its rarest settings are left out."""
    found = {}
    for control in dict.fromkeys(control for batch in batches for control in batch.settings):
        columns = [batch.settings[control] for batch in batches if control in batch.settings]
        known = np.concatenate([column[np.isfinite(column)] for column in columns])
        starts = [column[np.isfinite(column)][0] for column in columns if np.isfinite(column).any()]
        if known.size:
            low, high = np.quantile(known, (RARE, 1.0 - RARE))
            found[str(control)] = Seen(float(low), float(np.median(starts)), float(high))
    return found


def _threshold(habit: Habit, marks: Sequence[tuple[LoggedBatch, Simulated, float | None]]) -> Threshold:
    marked = [(batch, simulated, t) for batch, simulated, t in marks if t is not None]
    seen = [(traits_of(batch), bean_at(batch, simulated, t)) for batch, simulated, t in marked]
    return threshold_from(habit, seen, [batch.label for batch, _, _ in marked], [batch.load_kg for batch, _, _ in marked])


def unaware_of(model: MachineModel, label: str, lot: str) -> MachineModel:
    """The model as far as it can forget a batch: its own marks, and its lot's deviation if no other batch told of it."""
    threshold = model.crack
    others = [t for t, known in zip(threshold.traits, threshold.labels, strict=False) if known != label and t.lot == lot]
    fitted = model.fitted
    if label in fitted.steel and not others:
        uptake, own_heat = ({k: v for k, v in of.items() if k != lot} for of in (fitted.uptake, fitted.own_heat))
        fitted = replace(fitted, uptake=uptake, own_heat=own_heat)
    return replace(model, fitted=fitted, yellow=model.yellow.without(label), crack=threshold.without(label))


def _usual(values: Sequence[float]) -> float:
    known = [value for value in values if np.isfinite(value)]
    return float(np.median(known)) if known else 0.0


def _heat_at_charge(fitted: FittedMachine, batches: Sequence[LoggedBatch]) -> tuple[float, ...]:
    """The medians over batches whose logs hold the empty machine; nothing where none does."""
    starts = [logged_start(fitted, batch, 0.0) for batch in batches if batch.idling is not None]
    if not starts:
        return ()
    return tuple(float(share) for share in np.median([(one.heat_share, *one.more_shares) for one in starts], axis=0))


def bean_at(batch: LoggedBatch, simulated: Simulated, t: float | None) -> float:
    """Bean temperature at a mark: the model's, put right by how far its probe is off just then. [degC]"""
    if t is None:
        raise ValueError(tr("there is no such mark."))
    bean = float(np.interp(t, simulated.t, simulated.bean[:, 0]))
    near = np.abs(batch.t - t) <= 10.0
    count = min(simulated.t.size, batch.bean.size)
    off = (batch.bean[:count] - simulated.bean_probe[:count, 0])[near[:count]]
    return bean + (float(np.nanmean(off)) if np.isfinite(off).any() else 0.0)


def crack_time(model: MachineModel, batch: LoggedBatch) -> float | None:
    """When first crack comes from charge state and moves alone [s from charge]; None if not before the end."""
    simulated = modelled(model.fitted, batch, known=False)
    level, _ = model.crack.expect(traits_of(batch), batch.load_kg)
    above = np.flatnonzero(simulated.bean[:, 0] >= level)
    if above.size == 0:
        # The log ends at the drop, the model may be behind: go on at its last rate.
        curve: FloatArray = simulated.bean[:, 0]
        rate = (curve[-1] - curve[-6]) / (simulated.t[-1] - simulated.t[-6])
        return float(simulated.t[-1] + (level - curve[-1]) / rate) if rate > 0.02 else None
    after = int(above[0])
    if after == 0:
        return 0.0
    low, high = simulated.bean[after - 1, 0], simulated.bean[after, 0]
    return float(simulated.t[after - 1] + (level - low) / (high - low) * batch.step)


def crack_error(model: MachineModel, batch: LoggedBatch) -> float | None:
    """How much later than it truly came first crack is expected; None if either is not known. [s]"""
    expected = crack_time(model, batch)
    return None if expected is None or batch.first_crack_t is None else expected - batch.first_crack_t
