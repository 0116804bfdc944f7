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
from firnel.core.vocabulary import Lot, Machine


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
    reasons = _reasons(lot, age, mean_mm, rules)
    base = usual_charge_c if usual_charge_c is not None else rules.usual_charge_c
    from_rules = base + sum(reason.charge_c for reason in reasons)
    weight = sum(batch.likeness for batch in past)
    charge, sd = from_rules, rules.rule_sd_c
    if weight > 0:
        seen = sum(batch.likeness * batch.charge_c for batch in past) / weight
        share = weight / (weight + 2.0)  # two batches of its own weigh as much as the rules
        charge = (1.0 - share) * from_rules + share * seen
        spread = sum(batch.likeness * (batch.charge_c - seen) ** 2 for batch in past) / weight
        sd = (((1.0 - share) * rules.rule_sd_c) ** 2 + spread / max(weight, 1.0) + 0.5**2) ** 0.5
        own = sum(batch.likeness >= 1.0 for batch in past)
        told = f"{own} of its own batches" if own else f"{len(past)} batches of like lots"
        reasons = (*reasons, Reason(charge - from_rules, 0.0, f"{told} charged {seen:.0f} °C"))
    load, hints = _load_and_hints(lot, machine, mean_mm)
    return Handling(charge, sd, 1.0 + sum(reason.heat for reason in reasons), load, reasons, hints, len(past))


def _reasons(lot: Lot, age: Age | None, mean_mm: float | None, rules: HouseRules) -> tuple[Reason, ...]:
    process = lot.process.lower()
    density, moisture, altitude = lot.density_g_per_l, lot.moisture, lot.altitude_m
    found = []

    def add(applies: bool, by: tuple[float, float], words: str) -> None:
        if applies:
            found.append(Reason(by[0], by[1], words))

    add(density is not None and density > HIGH_DENSITY, rules.dense, f"dense ({density or 0:.0f} g/L): takes more heat early")
    add(density is not None and density < LOW_DENSITY, rules.soft, f"low density ({density or 0:.0f} g/L): gentler start")
    natural = "natural" in process or "anaerobic" in process
    add(natural, rules.natural, f"{lot.process}: sugars left on the bean scorch")
    add("decaf" in process or "hulled" in process, rules.altered, f"{lot.process}: open structure, takes heat fast")
    add(moisture is not None and moisture < DRY_MOISTURE, rules.dry, f"dry ({100 * (moisture or 0):.1f} %): heats faster")
    add(
        moisture is not None and moisture > MOST_MOISTURE,
        rules.moist,
        f"moist ({100 * (moisture or 0):.1f} %): more water to drive",
    )
    add(altitude is not None and altitude >= 1700, rules.high_grown, f"grown at {altitude or 0:.0f} m: hard bean")
    add(altitude is not None and altitude < 1200, rules.low_grown, f"grown at {altitude or 0:.0f} m: soft bean")
    add(mean_mm is not None and mean_mm < 5.8, rules.small, f"small beans ({mean_mm or 0:.1f} mm): heat fast")
    add(mean_mm is not None and mean_mm > 7.2, rules.large, f"very large beans ({mean_mm or 0:.1f} mm): dry them slower")
    add(age is not None and bool(age.warning), rules.old, f"{age.months if age else 0} months from {age.since if age else ''}")
    return tuple(found)


def _load_and_hints(lot: Lot, machine: Machine, mean_mm: float | None) -> tuple[float, tuple[str, ...]]:
    load, hints = machine.useful_load_kg, []
    process = lot.process.lower()
    if mean_mm is not None and mean_mm < 5.8:
        load *= 0.9
        hints.append("A tenth less load and low heat late: small beans run away.")
    if "natural" in process or "anaerobic" in process:
        hints.append("Soak first, and less heat at the end.")
    if "anaerobic" in process or "experimental" in process:
        hints.append("Unpredictable process: run a small ladder before a full batch.")
    if "decaf" in process:
        hints.append("Colour misleads and the crack is quiet: go by time and temperature.")
    if lot.moisture is not None and lot.moisture < DRY_MOISTURE:
        hints.append("Quiet first crack: listen closely.")
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
        raise ValueError(f"there is no house rule {name!r}.")
    if abs(charge_c) > 30.0 or abs(heat) > 0.5:
        raise ValueError(f"a rule of {charge_c:g} °C and {100 * heat:g} % is too much: at most 30 °C and 50 %.")
    return replace(rules, **{name: (charge_c, heat)})  # type: ignore[arg-type]  # all rules are pairs
