"""Intake measurements with the arithmetic done: density, screen sizes, moisture, water activity, defects."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import sqrt

from firnel.core.words import tr

#: Classes of bulk density: below the first low, above the second high. Common practice, no published source. [g/L]
LOW_DENSITY, HIGH_DENSITY = 680.0, 720.0
#: Green that is coffee at all. [g/L]
LEAST_DENSITY, MOST_DENSITY = 450.0, 950.0
#: Diameter of round-hole screens: the size is in sixty-fourths of an inch (ISO 4150:2011); an inch is 25.4 mm (NIST SP 811).
SCREEN_STEP_MM = 25.4 / 64.0
#: Usual moisture, wet basis; common practice, no published source.
DRY_MOISTURE, LEAST_MOISTURE, MOST_MOISTURE = 0.09, 0.10, 0.12
#: Water activity above which mould can grow on green; common practice, no published source.
MOULD_WATER_ACTIVITY = 0.65


class MeasurementError(ValueError):
    """A figure that no green coffee has; the message says which and what was expected."""


@dataclass(frozen=True)
class Density:
    """Mean bulk density of several fills, its spread [g/L] and class: low, medium or high."""

    g_per_l: float
    spread: float | None
    fills: int
    kind: str


def bulk_density(masses_g: Sequence[float], vessel_ml: float) -> Density:
    """Free-settled bulk density from level fills of one vessel.

    Parameters
    ----------
    masses_g : of the beans in each fill. [g]
    vessel_ml : volume of the vessel. [mL]

    Raises
    ------
    MeasurementError : if there is no fill, or a fill that no green coffee gives; a litre typed for a millilitre is named.

    Examples
    --------
    >>> bulk_density([182.0], 250.0).g_per_l
    728.0
    """
    if not masses_g:
        raise MeasurementError(tr("no fill was weighed: type the grams of at least one level vessel."))
    if vessel_ml <= 0:
        raise MeasurementError(tr("a vessel of {:g} mL holds nothing.", vessel_ml))
    densities = [1000.0 * mass / vessel_ml for mass in masses_g]
    for mass, density in zip(masses_g, densities, strict=True):
        if LEAST_DENSITY <= density <= MOST_DENSITY:
            continue
        hint = ""
        if LEAST_DENSITY <= density / 1000.0 <= MOST_DENSITY:
            hint = tr(" Is the vessel {:g} L, that is {:g} mL?", vessel_ml, 1000 * vessel_ml)
        raise MeasurementError(
            tr("{:g} g in {:g} mL are {:.0f} g/L; green coffee has 450 to 950.{}", mass, vessel_ml, density, hint)
        )
    mean = sum(densities) / len(densities)
    spread = None
    if len(densities) > 1:
        spread = sqrt(sum((density - mean) ** 2 for density in densities) / (len(densities) - 1))
    return Density(mean, spread, len(densities), density_class(mean))


def density_class(g_per_l: float) -> str:
    """low, medium or high."""
    return tr("low") if g_per_l < LOW_DENSITY else tr("high") if g_per_l > HIGH_DENSITY else tr("medium")


def check_moisture(share: float) -> str:
    """A word on a moisture, wet basis.

    Raises
    ------
    MeasurementError : outside 3 to 20 %.
    """
    if not 0.03 <= share <= 0.20:
        raise MeasurementError(tr("a moisture of {:.1f} % is no green coffee's: 3 to 20 % can be.", 100 * share))
    if share < DRY_MOISTURE:
        return tr("dry: heats faster, quieter crack, may taste woody; do not build a blend on it")
    if share < LEAST_MOISTURE:
        return tr("on the dry side: heats a little faster")
    return tr("usual") if share <= MOST_MOISTURE else tr("moist: dries longer, and keeps badly")


def check_water_activity(value: float) -> str:
    """A word on a water activity.

    Raises
    ------
    MeasurementError : outside 0.2 to 0.95.
    """
    if not 0.2 <= value <= 0.95:
        raise MeasurementError(tr("a water activity of {:g} is no green coffee's: 0.2 to 0.95 can be.", value))
    return tr("too high to store: mould can grow") if value > MOULD_WATER_ACTIVITY else tr("safe to store")


@dataclass(frozen=True)
class ScreenSizes:
    """Shares by screen [0..1], mean diameter [mm], and the two neighbouring screens that hold most."""

    shares: Mapping[int, float]
    mean_mm: float
    main: tuple[int, int]
    main_share: float


def screen_sizes(masses_g: Mapping[int, float]) -> ScreenSizes:
    """Screen distribution from what stays on each screen.

    Parameters
    ----------
    masses_g : grams by screen size, in sixty-fourths of an inch; what falls through the lowest goes to the size below it.

    Raises
    ------
    MeasurementError : if nothing was weighed, a mass is negative, or a size is not between 8 and 22.
    """
    total = sum(masses_g.values())
    if total <= 0 or any(mass < 0 for mass in masses_g.values()):
        raise MeasurementError(tr("the screens hold nothing: type the grams that stay on each."))
    for size in masses_g:
        if not 8 <= size <= 22:
            raise MeasurementError(tr("there is no screen {}: sizes run from 8 to 22 sixty-fourths of an inch.", size))
    shares = {size: mass / total for size, mass in sorted(masses_g.items())}
    mean = sum(share * (size + 0.5) * SCREEN_STEP_MM for size, share in shares.items())
    main = max(shares, key=lambda size: shares[size] + shares.get(size + 1, 0.0))
    return ScreenSizes(shares, mean, (main, main + 1), shares[main] + shares.get(main + 1, 0.0))


@dataclass(frozen=True)
class DefectKind:
    """A kind of defect: category, and how many beans make one full defect."""

    name: str
    category: int
    beans: int


#: Full-defect equivalents in a 350 g sample of the Specialty Coffee Association's green arabica classification
#: (defect handbook, 2004 and later); from memory of its table.
DEFECTS = (
    DefectKind("full black", 1, 1),
    DefectKind("full sour", 1, 1),
    DefectKind("dried cherry or pod", 1, 1),
    DefectKind("fungus damage", 1, 1),
    DefectKind("foreign matter", 1, 1),
    DefectKind("severe insect damage", 1, 5),
    DefectKind("partial black", 2, 3),
    DefectKind("partial sour", 2, 3),
    DefectKind("parchment", 2, 5),
    DefectKind("floater", 2, 5),
    DefectKind("immature", 2, 5),
    DefectKind("withered", 2, 5),
    DefectKind("shell", 2, 5),
    DefectKind("broken, chipped or cut", 2, 5),
    DefectKind("hull or husk", 2, 5),
    DefectKind("slight insect damage", 2, 10),
)
#: The sample that the tables are made for. [g]
SAMPLE_G = 350.0
#: Most full defects of the grades below specialty in the association's older table of five grades; from memory of it.
LOWER_GRADES = (("premium", 8), ("exchange", 23), (tr("below standard"), 86))


@dataclass(frozen=True)
class DefectCount:
    """Full defects in a 350 g sample by category, and the grade with the reason in words."""

    first: int
    second: int
    grade: str
    why: str


def count_defects(beans: Mapping[str, int], sample_g: float) -> DefectCount:
    """Full-defect equivalents and grade from defective beans counted in a weighed sample.

    Only whole full defects count: four broken beans are none, five are one.

    Parameters
    ----------
    beans : count by the name of the kind, as in `DEFECTS`.
    sample_g : mass of the sample; counts are brought to 350 g. [g]

    Raises
    ------
    MeasurementError : for a kind that is not in the table, a negative count, or a sample under 100 g.
    """
    if sample_g < 100.0:
        raise MeasurementError(tr("a sample of {:g} g is too small to grade: weigh 300 or 350 g.", sample_g))
    kinds = {kind.name: kind for kind in DEFECTS}
    full = {1: 0, 2: 0}
    for name, count in beans.items():
        if name not in kinds:
            raise MeasurementError(tr("{!r} is not a kind of defect in the table.", name))
        if count < 0:
            raise MeasurementError(tr("{} beans of {}: a count cannot be negative.", count, name))
        full[kinds[name].category] += int(count * SAMPLE_G / sample_g / kinds[name].beans + 1e-9)
    first, second = full[1], full[2]
    if first == 0 and second <= 5:
        return DefectCount(
            first, second, tr("specialty"), tr("no primary and {} secondary full defects; at most 0 and 5", second)
        )
    total = first + second
    for grade, most in LOWER_GRADES:
        if total <= most:
            reason = tr("{} primary", first) if first else tr("{} secondary", second)
            return DefectCount(
                first, second, grade, tr("{} full defects; specialty has no primary and at most 5 secondary", reason)
            )
    return DefectCount(first, second, tr("off grade"), tr("{} full defects in all; more than 86", total))
