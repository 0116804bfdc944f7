"""How a lot wants to be handled on a machine: charge temperature, early heat, load and end, with reasons in words.

Every reason moves a figure by a little; the house may set by how much. What this lot's and similar lots' own batches show
outweighs the rules as they grow in number. The rules are common practice, no published source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from statistics import median

from firnel.core.green.age import Age
from firnel.core.green.measurements import DRY_MOISTURE, HIGH_DENSITY, LOW_DENSITY, MOST_MOISTURE
from firnel.core.green.process import process_of
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr

#: All shifts of the charge [degC] and of the early heat [share] together; common practice, no published source.
MOST_TOGETHER_C, MOST_HEAT = 8.0, 0.12
#: A correction smaller than this is not told. [degC]
TOLD_C = 0.25
#: Rules set in gradually: over so much density [g/L], moisture to both sides [share], bean size [mm], age from .. to [months].
DENSITY_RAMP, MOISTURE_RAMP, SMALL_MM, LARGE_MM, AGES = 40.0, 0.005, 5.8, 7.2, (3.0, 15.0)
#: What not knowing a trait, or a process that nobody can foresee, adds to the doubt of a charge. [degC]
UNKNOWN_SD_C, UNPREDICTABLE_SD_C = 2.0, 4.0


@dataclass(frozen=True)
class HouseRules:
    """By how much each trait moves the charge temperature [degC] and the early heat [share of the usual]."""

    dense: tuple[float, float] = (4.0, 0.05)
    soft: tuple[float, float] = (-8.0, -0.08)
    natural: tuple[float, float] = (-6.0, -0.06)
    altered: tuple[float, float] = (-8.0, -0.08)  #: decaffeinated or wet-hulled
    dry: tuple[float, float] = (-5.0, -0.05)
    moist: tuple[float, float] = (2.0, 0.03)
    high_grown: tuple[float, float] = (2.0, 0.02)
    low_grown: tuple[float, float] = (-3.0, -0.03)
    small: tuple[float, float] = (-4.0, -0.05)
    large: tuple[float, float] = (-2.0, -0.04)
    old: tuple[float, float] = (-4.0, -0.04)
    usual_charge_c: float = 200.0  #: where the machine has no batches yet
    rule_sd_c: float = 4.0  #: how far a charge from the rules alone may be off


@dataclass(frozen=True)
class Reason:
    """One reason: what it does to the charge [degC] and to the early heat [share], and why."""

    charge_c: float
    heat: float
    words: str


@dataclass(frozen=True)
class PastBatch:
    """What a batch tells of its lot: the lot, how like it is (1 the same), charge [degC] and load [kg]."""

    label: str
    likeness: float
    charge_c: float
    load_kg: float | None = None


@dataclass(frozen=True)
class Handling:
    """Advice for one lot on one machine."""

    charge_c: float
    charge_sd_c: float
    early_heat: float  #: share of the machine's usual
    load_kg: float
    reasons: tuple[Reason, ...]
    hints: tuple[str, ...] = field(default=())  #: on load, soak and end
    batches: int = 0  #: how many batches of this and like lots are in it


def handling(
    lot: Lot,
    machine: Machine,
    past: Sequence[PastBatch] = (),
    age: Age | None = None,
    mean_mm: float | None = None,
    rules: HouseRules | None = None,
    usual_charge_c: float | None = None,
) -> Handling:
    """Advice for a lot on a machine.

    Parameters
    ----------
    lot, machine : what is roasted on what.
    past : batches of this lot and of lots like it on this machine.
    age : of the lot, if known.
    mean_mm : mean bean diameter from the screens. [mm]
    rules : of the house.
    usual_charge_c : the machine's usual charge, from its batches. [degC]
    """
    rules = rules or HouseRules()
    reasons = _bounded(_reasons(lot, age, mean_mm, rules))
    base = usual_charge_c if usual_charge_c is not None else rules.usual_charge_c
    from_rules = base + sum(reason.charge_c for reason in reasons)
    weight = sum(batch.likeness for batch in past)
    unsure = _unsure(lot, rules)
    charge, sd = from_rules, unsure
    if weight > 0:
        seen = sum(batch.likeness * batch.charge_c for batch in past) / weight
        share = weight / (weight + 2.0)  # two batches of its own weigh as much as the rules
        charge = (1.0 - share) * from_rules + share * seen
        spread = sum(batch.likeness * (batch.charge_c - seen) ** 2 for batch in past) / weight
        sd = (((1.0 - share) * unsure) ** 2 + spread / max(weight, 1.0) + 0.5**2) ** 0.5
        own = sum(batch.likeness >= 1.0 for batch in past)
        told = tr("{} of its own batches", own) if own else tr("{} batches of like lots", len(past))
        reasons = (*reasons, Reason(charge - from_rules, 0.0, tr("{} charged {:.0f} °C", told, seen)))
    load, hints = _load_and_hints(lot, machine, mean_mm)
    return Handling(charge, sd, 1.0 + sum(reason.heat for reason in reasons), load, reasons, hints, len(past))


def _unsure(lot: Lot, rules: HouseRules) -> float:
    """How far a charge from the rules may be off for what is not known of the lot. [degC]"""
    unknown = UNKNOWN_SD_C**2 * ((lot.density_g_per_l is None) + (lot.moisture is None))
    odd = UNPREDICTABLE_SD_C**2 if process_of(lot.process).unpredictable else 0.0
    return float((rules.rule_sd_c**2 + unknown + odd) ** 0.5)


def _bounded(reasons: tuple[Reason, ...]) -> tuple[Reason, ...]:
    """The reasons, put back by one more where together they would go too far; a rule of the house may go further by itself."""
    charge, heat = sum(reason.charge_c for reason in reasons), sum(reason.heat for reason in reasons)
    most_c = max([MOST_TOGETHER_C, *(abs(reason.charge_c) for reason in reasons)])
    most_heat = max([MOST_HEAT, *(abs(reason.heat) for reason in reasons)])
    back_c, back_heat = min(max(charge, -most_c), most_c) - charge, min(max(heat, -most_heat), most_heat) - heat
    if abs(back_c) < TOLD_C:
        return reasons
    return (*reasons, Reason(back_c, back_heat, tr("together not more than about {:.0f} °C", most_c)))


def ramp(value: float | None, none_at: float, full_at: float) -> float:
    """How much of a rule holds: nothing up to one value, all from another on, in between by straight line; 0 if not known.

    Examples
    --------
    >>> ramp(710.0, 700.0, 740.0), ramp(0.085, 0.095, 0.085), ramp(None, 0.0, 1.0)
    (0.25, 1.0, 0.0)
    """
    return 0.0 if value is None else min(max((value - none_at) / (full_at - none_at), 0.0), 1.0)


def _reasons(lot: Lot, age: Age | None, mean_mm: float | None, rules: HouseRules) -> tuple[Reason, ...]:
    process = process_of(lot.process)
    density, moisture, altitude = lot.density_g_per_l, lot.moisture, lot.altitude_m
    found = []

    def add(share: float, by: tuple[float, float], words: str) -> None:
        if share > 0.0:
            found.append(Reason(share * by[0], share * by[1], words))

    half = DENSITY_RAMP / 2.0
    add(
        ramp(density, HIGH_DENSITY - half, HIGH_DENSITY + half),
        rules.dense,
        tr("dense ({:.0f} g/L): takes more heat early", density or 0),
    )
    add(
        ramp(density, LOW_DENSITY + half, LOW_DENSITY - half),
        rules.soft,
        tr("low density ({:.0f} g/L): gentler start", density or 0),
    )
    add(float(process.natural), rules.natural, tr("{}: sugars left on the bean scorch", lot.process))
    add(float(process.altered), rules.altered, tr("{}: open structure, takes heat fast", lot.process))
    share = tr("{:.1f} %", 100 * (moisture or 0))
    add(
        ramp(moisture, DRY_MOISTURE + MOISTURE_RAMP, DRY_MOISTURE - MOISTURE_RAMP),
        rules.dry,
        tr("dry ({}): heats faster", share),
    )
    add(
        ramp(moisture, MOST_MOISTURE - MOISTURE_RAMP, MOST_MOISTURE + MOISTURE_RAMP),
        rules.moist,
        tr("moist ({}): more water to drive", share),
    )
    add(ramp(altitude, 1500.0, 1900.0), rules.high_grown, tr("grown at {:.0f} m: hard bean", altitude or 0))
    add(ramp(altitude, 1400.0, 1000.0), rules.low_grown, tr("grown at {:.0f} m: soft bean", altitude or 0))
    add(ramp(mean_mm, SMALL_MM + 0.3, SMALL_MM - 0.3), rules.small, tr("small beans ({:.1f} mm): heat fast", mean_mm or 0))
    add(
        ramp(mean_mm, LARGE_MM - 0.3, LARGE_MM + 0.3),
        rules.large,
        tr("very large beans ({:.1f} mm): dry them slower", mean_mm or 0),
    )
    if age is not None:
        add(ramp(float(age.months), *AGES), rules.old, age.words)
    return tuple(found)


def _load_and_hints(lot: Lot, machine: Machine, mean_mm: float | None) -> tuple[float, tuple[str, ...]]:
    load, hints = machine.useful_load_kg, []
    process = process_of(lot.process)
    small = ramp(mean_mm, SMALL_MM + 0.3, SMALL_MM - 0.3)
    if small > 0.0:
        load = round(load * (1.0 - 0.1 * small), 2)
        hints.append(tr("A tenth less load and low heat late: small beans run away."))
    if process.natural:
        hints.append(tr("Soak first, and less heat at the end."))
    if process.unpredictable:
        what = (
            tr("“{}” is no process that is known", " ".join(process.unknown))
            if process.unknown
            else tr("Unpredictable process")
        )
        hints.append(tr("{}: run a small ladder before a full batch.", what))
    if process.decaf:
        hints.append(tr("Colour misleads and the crack is quiet: go by time and temperature."))
    if lot.moisture is not None and lot.moisture < DRY_MOISTURE:
        hints.append(tr("Quiet first crack: listen closely."))
    return load, tuple(hints)


def likeness(one: Lot, other: Lot) -> float:
    """How like two lots are for the roaster, 0 to 1: the same lot 1; like process and density up to a half."""
    if one.name == other.name:
        return 1.0
    if one.process.lower() != other.process.lower():
        return 0.0
    if one.density_g_per_l is None or other.density_g_per_l is None:
        return 0.2
    apart = abs(one.density_g_per_l - other.density_g_per_l)
    return 0.5 * max(0.0, 1.0 - apart / 60.0)


def usual_charge(charges: Sequence[float]) -> float | None:
    """The machine's usual charge: the median of its batches; None without any. [degC]"""
    return float(median(charges)) if charges else None


def with_rule(rules: HouseRules, name: str, charge_c: float, heat: float) -> HouseRules:
    """The rules with one of them changed.

    Raises
    ------
    ValueError : if there is no such rule, or it would move the charge by more than 30 degC.
    """
    if not isinstance(getattr(rules, name, None), tuple):
        raise ValueError(tr("there is no house rule {!r}.", name))
    if abs(charge_c) > 30.0 or abs(heat) > 0.5:
        raise ValueError(tr("a rule of {:g} °C and {:g} % is too much: at most 30 °C and 50 %.", charge_c, 100 * heat))
    return replace(rules, **{name: (charge_c, heat)})  # type: ignore[arg-type]  # all rules are pairs
