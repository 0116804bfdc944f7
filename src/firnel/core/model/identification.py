"""The machine's constants from its own logs: all batches at once, with priors, robustly, and with uncertainties.

Shared by all batches are the constants of the machine and how its steel stands to the probes at charge; each batch has
a steel of its own, each lot a heat uptake and own heat of its own. The fit itself is in `firnel.core.model.fitting`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace

import numpy as np

from firnel.core.model import drums
from firnel.core.model.constants import (
    IdleState,
    LoadState,
    MachineConstants,
    Members,
    SourceConstants,
    StartState,
    heat_at,
)
from firnel.core.model.flows import shares_after
from firnel.core.model.logged import USUAL_DENSITY, LoggedBatch
from firnel.core.model.simulation import Simulated, idle, simulate
from firnel.core.vocabulary import FloatArray


@dataclass(frozen=True)
class Prior:
    """Where a number is expected: on the logarithm, on the logit of a share, or straight."""

    name: str
    mean: float
    sd: float  #: on the scale of the fit
    scale: str = "log"  #: ``log``, ``logit`` or ``straight``
    unit: str = ""
    most: float = np.inf  #: no drum has more; in its own unit

    @property
    def furthest(self) -> float:
        """The most on the scale of the fit; infinite where nothing bounds it."""
        return float(self.inside(self.most)) if np.isfinite(self.most) else np.inf

    def inside(self, value: float | FloatArray) -> FloatArray:
        """From the number to the scale of the fit."""
        value = np.asarray(value, float)
        if self.scale == "log":
            return np.asarray(np.log(value))
        return np.asarray(np.log(value / (1.0 - value))) if self.scale == "logit" else value

    def outside(self, value: FloatArray) -> FloatArray:
        """Back to the number."""
        if self.scale == "log":
            return np.asarray(np.exp(value))
        return np.asarray(1.0 / (1.0 + np.exp(-value))) if self.scale == "logit" else value

    def outside_sd(self, value: float, sd: float) -> float:
        """Spread of the number, from that on the scale of the fit."""
        number = float(self.outside(np.asarray(value)))
        if self.scale == "log":
            return number * sd
        return number * (1.0 - number) * sd if self.scale == "logit" else sd


#: What a drum roaster is like before it has been heard of: orders of magnitude for each kilogram of its useful load.
#: From memory of such machines, no published source; wide on purpose.
PER_KG = {"power": 3.0, "steel_capacity": 5.0, "steel_air": 0.012, "steel_loss": 0.0015, "air_flow": 0.008}


@dataclass(frozen=True)
class KindOfHeat:
    """What a source of heat of some kind is like: share into the steel, of the rest onto the beans, and lag [s].

    ``exponent`` is that of its share in its heat, and its spread on the logarithm: a gauge of pressure goes by the orifice law,
    a dial or a valve by whatever its maker gave it, an element gives the share of the time for which it is switched on.
    """

    steel_share: float
    bean_share: float
    lag_s: float
    exponent: tuple[float, float] = (1.0, 0.1)


#: From memory of such machines, no published source. A gas dial lies between the root and the straight line.
KINDS_OF_HEAT = {
    "gas": KindOfHeat(0.40, 0.03, 12.0, (1.0, 0.3)),
    "gas-dial": KindOfHeat(0.40, 0.03, 12.0, (1.4, 0.35)),
    "electric": KindOfHeat(0.40, 0.03, 45.0),
    "hot-air": KindOfHeat(0.15, 0.03, 40.0),
    "radiant": KindOfHeat(0.40, 0.50, 60.0),
    "drum": KindOfHeat(0.85, 0.03, 90.0),
}
#: Logs whose moves come at the same readings each time would have a flame answer after minutes, for what the equations lack
#: there; then every other move is foretold too small. No fit goes further than this: times the lag that is guessed. From memory
#: of such machines, no published source.
MOST_LAG = 1.75
#: Of several sources the main one has this share of the heat; the others have the rest, in equal parts.
MAIN_SHARE = 0.55
#: What the constants of a further source are called: ``power_2``, ``steel_share_2``.
OF_SOURCE = ("power", "steel_share", "bean_share", "heat_lag", "heat_exponent")


def priors_of(full_load: float, heats: Sequence[str]) -> tuple[Prior, ...]:
    """Priors of the machine's constants, of the start of its steel, and of what density does: as fitted drums have them.

    Parameters
    ----------
    full_load : useful load of the machine. [kg]
    heats : kind of each source of heat, the main one first: gas, gas-dial, electric, hot-air, radiant, drum.
    """
    mean, covariance = drums.mean_and_covariance()
    seen = dict(zip(drums.NUMBERS, zip(mean, np.sqrt(np.diag(covariance)), strict=True), strict=True))

    def as_seen(guess: Prior) -> Prior:
        shift, wide = seen.get(guess.name, (0.0, 1.0))  # what drums do not have in common stays as it was guessed
        middle = guess.outside(guess.inside(guess.mean) + guess.sd * shift)
        return replace(guess, mean=float(middle), sd=guess.sd * float(wide))

    return tuple(map(as_seen, _guesses(full_load, heats)))


def prior_covariance(priors: Sequence[Prior]) -> FloatArray:
    """Covariance of the priors, shape (k, k), on the scale of the fit: what goes together in drums that were fitted."""
    _, covariance = drums.mean_and_covariance()
    spread, names = np.sqrt(np.diag(covariance)), [prior.name for prior in priors]
    at = [names.index(name) for name in drums.NUMBERS]
    correlation = np.eye(len(priors))
    correlation[np.ix_(at, at)] = covariance / np.outer(spread, spread)
    sd = np.array([prior.sd for prior in priors])
    return np.asarray(correlation * np.outer(sd, sd))


def _guesses(full_load: float, heats: Sequence[str]) -> tuple[Prior, ...]:
    """What was thought of drums before any was fitted; those are told as so many spreads away from it."""
    main, power = KINDS_OF_HEAT[heats[0]], PER_KG["power"] * full_load
    rest = (1.0 - MAIN_SHARE) / max(len(heats) - 1, 1)
    more = [
        prior
        for number, kind in enumerate(heats[1:], start=2)
        for prior in _source_priors(number, KINDS_OF_HEAT[kind], rest * power)
    ]
    return (
        Prior("power", power * (MAIN_SHARE if more else 1.0), 0.4, unit="kW"),
        Prior("steel_share", main.steel_share, 0.6, "logit"),
        Prior("heat_lag", main.lag_s, 0.5, unit="s", most=MOST_LAG * main.lag_s),
        Prior("steel_capacity", PER_KG["steel_capacity"] * full_load, 0.5, unit="kJ/K"),
        Prior("steel_air", PER_KG["steel_air"] * full_load, 0.5, unit="kW/K"),
        Prior("steel_loss", PER_KG["steel_loss"] * full_load, 0.6, unit="kW/K"),
        Prior("air_flow", PER_KG["air_flow"] * full_load, 0.4, unit="kg/s"),
        Prior("air_leak", 0.2, 0.5),
        Prior("bean_air", 0.0085, 0.3, unit="kW/(K kg)"),
        Prior("bean_steel", 0.0040, 0.4, unit="kW/(K kg)"),
        Prior("probe_lag", 18.0, 0.5, unit="s"),
        Prior("probe_pull", 0.05, 0.5),
        Prior("bare_pull", 0.15, 0.6),
        Prior("air_probe_lag", 12.0, 0.5, unit="s"),
        Prior("air_probe_steel", 0.1, 1.0, "logit"),
        Prior("evaporation", 0.9, 0.35),
        Prior("own_heat", 0.5, 0.4),
        Prior("own_heat_k", 5500.0, 400.0, "straight", "K"),
        Prior("load_exponent", 0.9, 0.17),
        Prior("air_exponent", 1.0, 0.25),
        Prior("draft_exponent", 0.7, 0.17),
        Prior("steel_over_probe", 5.0, 12.0, "straight", "degC"),
        Prior("steel_by_air", 0.4, 0.4, "straight"),
        Prior("steel_first_batch", 0.0, 6.0, "straight", "degC"),
        Prior("idle_lag", 40.0, 0.5, unit="s"),
        Prior("idle_air", 0.5, 0.8, "logit"),
        Prior("heat_before", 0.35, 0.8, "logit"),
        Prior("uptake_by_density", 0.0, 0.04, "straight", "per 50 g/L"),
        Prior("heat_exponent", *main.exponent),
        Prior("probe_sheath", 0.1, 1.5, "logit"),
        Prior("bean_heat_130", 0.0, 0.1, "straight"),
        Prior("bean_heat_155", 0.0, 0.1, "straight"),
        Prior("bean_heat_180", 0.0, 0.1, "straight"),
        Prior("bean_heat_205", 0.0, 0.1, "straight"),
        *more,
    )


def _source_priors(number: int, kind: KindOfHeat, power: float) -> tuple[Prior, ...]:
    return (
        Prior(f"power_{number}", power, 0.4, unit="kW"),
        Prior(f"steel_share_{number}", kind.steel_share, 0.5, "logit"),
        Prior(f"bean_share_{number}", kind.bean_share, 0.5, "logit"),
        Prior(f"heat_lag_{number}", kind.lag_s, 0.4, unit="s", most=MOST_LAG * kind.lag_s),
        Prior(f"heat_exponent_{number}", *kind.exponent),
    )


CONSTANT_NAMES = tuple(field.name for field in fields(MachineConstants) if field.name not in ("full_load", "more"))
#: Spread of what a batch or a lot has of its own: steel [degC], uptake and own heat (logarithms).
BATCH_STEEL_SD, LOT_UPTAKE_SD, LOT_OWN_HEAT_SD = 8.0, 0.05, 0.25
#: Expected misfit of bean and air probe in the empty machine. [degC]
IDLE_BEAN_MISFIT, IDLE_AIR_MISFIT = 1.0, 5.0
#: Share of its first spread below which a number counts as learned. [-]
LEARNED = 0.75
#: What the steel was at the charge shows in this part of a roast; before it the load falls in. [s from charge]
ROAST_FROM_S, ROAST_TELLS_S = 90.0, 300.0
#: Readings are compared this often: closer ones err together. [s]
EVERY_S = 10.0
#: Expected misfit of bean and air probe late in a roast; so many times that in the first minute and a half, where the load
#: falls in; and this much of what a fit leaves there on the median batch, where that is more. [degC], [s]
BEAN_MISFIT, AIR_MISFIT = 1.2, 4.0
EARLY, EARLY_S, EARLY_LEFT = 4.0, 90.0, 1.5
#: The air probe's: the air is in balance here, and where it is not yet a fit would make a slow burner of that.
EARLY_AIR = 12.0


@dataclass(frozen=True)
class FittedMachine:
    """The result: numbers on the scale of the fit, their covariance, and what each batch and lot has of its own."""

    priors: tuple[Prior, ...]
    values: FloatArray  #: shape (k,), on the scale of the fit
    covariance: FloatArray  #: shape (k, k)
    full_load: float
    steel: dict[str, float]  #: steel over what the probes let expect where its log begins, by batch [degC]
    uptake: dict[str, tuple[float, float]]  #: logarithm and its sd, by lot
    own_heat: dict[str, tuple[float, float]]
    #: what is made of the bean probe while the load falls in, as spread of a reading each `EVERY_S`, on this machine [degC]
    early: tuple[float, ...] = ()
    #: how a lot's uptake and own heat lean on the shared numbers, shape (2, k), and a root of the covariance that is left,
    #: (2, 2), by lot: what a fit knows is mostly what they come to together
    together: Mapping[str, tuple[FloatArray, FloatArray]] = field(default_factory=dict, compare=False)
    #: the fit had each batch not been there, by batch; only where it was just made
    without: Mapping[str, FittedMachine] = field(default_factory=dict, compare=False, repr=False)

    def number(self, name: str) -> float:
        """One shared number in its own unit."""
        index = self._index(name)
        return float(self.priors[index].outside(self.values[index : index + 1])[0])

    def spread(self, name: str) -> float:
        """Its standard deviation."""
        index = self._index(name)
        return self.priors[index].outside_sd(float(self.values[index]), float(np.sqrt(self.covariance[index, index])))

    def learned(self, name: str) -> bool:
        """Whether the logs told anything of a shared number: it is known better than beforehand."""
        index = self._index(name)
        return bool(np.sqrt(self.covariance[index, index]) < LEARNED * self.priors[index].sd)

    def _index(self, name: str) -> int:
        return next(index for index, prior in enumerate(self.priors) if prior.name == name)

    @property
    def constants(self) -> MachineConstants:
        """The machine's constants, one number each."""
        return constants_of(self.priors, self.values[None, :], self.full_load)

    def draw(self, members: int, rng: np.random.Generator) -> FloatArray:
        """Members drawn from the fit, on its scale, shape (members, k)."""
        root = np.linalg.cholesky(self.covariance + 1e-12 * np.eye(self.values.size))
        return np.asarray(self.values + rng.standard_normal((members, self.values.size)) @ root.T)

    def draw_lot(self, lot: str, rows: FloatArray, normal: FloatArray) -> tuple[FloatArray, FloatArray]:
        """What a lot takes up of the heat, and gives of its own, in members with these shared numbers; logarithms, each (m,).

        Parameters
        ----------
        lot : by name; one that was never logged is as thought beforehand.
        rows : of shared numbers, on the scale of the fit, shape (m, k).
        normal : scatter of the members, shape (2, m). [standard deviations]
        """
        means, sds = zip(
            self.uptake.get(lot, (0.0, LOT_UPTAKE_SD)), self.own_heat.get(lot, (0.0, LOT_OWN_HEAT_SD)), strict=True
        )
        apart = np.zeros((2, self.values.size)), np.diag(sds)
        leans, root = self.together.get(lot, apart) if lot in self.uptake else apart
        uptake, own_heat = np.array(means)[:, None] + leans @ (rows - self.values).T + root @ normal
        return uptake, own_heat


def constants_of(priors: Sequence[Prior], rows: FloatArray, full_load: float) -> MachineConstants:
    """Constants, each of shape (m,), from rows on the scale of the fit, shape (m, k)."""
    columns = {prior.name: prior.outside(rows[:, index]) for index, prior in enumerate(priors)}
    more: list[SourceConstants] = []
    while f"power_{len(more) + 2}" in columns:
        more.append(SourceConstants(*(columns[f"{name}_{len(more) + 2}"] for name in OF_SOURCE)))
    return MachineConstants(**{name: columns[name] for name in CONSTANT_NAMES}, full_load=full_load, more=tuple(more))


def first_readings(batch: LoggedBatch) -> tuple[float, float]:
    """Bean and air probe where the log begins; the bean's for an air probe that is not there. [degC]"""
    if batch.idling is None:
        bean, air = batch.bean_at_charge, batch.air_at_charge
    else:
        bean, air = float(batch.idling.bean[0]), float(batch.idling.air[0])
    return bean, bean if np.isnan(air) else air


def steel_at_charge(constants: MachineConstants, batch: LoggedBatch, steel: FloatArray) -> FloatArray:
    """Steel at the charge, shape (m,), from that where the log begins, through what the empty machine was made to do. [degC]"""
    if batch.idling is None:
        return steel
    bean, air = (np.full(steel.size, reading) for reading in first_readings(batch))
    heat = np.broadcast_to(heat_at(constants, batch.idling.hands.heat[0]), steel.shape)
    return idle(constants, batch.room_c, IdleState(steel, bean, air, heat), batch.idling.hands, batch.step).end.steel


def expected_steel(priors: Sequence[Prior], rows: FloatArray, batch: LoggedBatch) -> FloatArray:
    """Steel as the probes let expect it, where the log of the batch begins, at the charge or before it; shape (m,). [degC]"""
    bean, air = first_readings(batch)
    steel = bean + column_of(priors, rows, "steel_over_probe") + (air - bean) * column_of(priors, rows, "steel_by_air")
    return steel + column_of(priors, rows, "steel_first_batch") if batch.batch_of_day == 1 else steel


def expected_uptake(priors: Sequence[Prior], rows: FloatArray, density: float) -> FloatArray:
    """Logarithm of the heat uptake that the density lets expect, shape (m,)."""
    return np.asarray(column_of(priors, rows, "uptake_by_density") * (density - USUAL_DENSITY) / 50.0)


def column_of(priors: Sequence[Prior], rows: FloatArray, name: str) -> FloatArray:
    """One shared number of all rows, in its own unit, shape (m,)."""
    index = next(i for i, prior in enumerate(priors) if prior.name == name)
    return priors[index].outside(rows[:, index])


def steel_from_idling(fitted: FittedMachine, batch: LoggedBatch) -> tuple[float, float]:
    """Steel where the log begins, and its sd: what the probes let expect, put right by the empty machine. [degC]"""
    expected = float(expected_steel(fitted.priors, fitted.values[None, :], batch)[0])
    if batch.idling is None:
        return expected, BATCH_STEEL_SD
    idling, constants = batch.idling, fitted.constants
    # Two members, one degree apart: the readings are linear in the steel.
    bean, air = (np.full(2, reading) for reading in first_readings(batch))
    steel = np.array([expected, expected + 1.0])
    heat = np.full(2, float(heat_at(constants, idling.hands.heat[0])[0]))
    made = idle(constants, batch.room_c, IdleState(steel, bean, air, heat), idling.hands, batch.step)
    at = np.arange(len(idling.hands), 0, -max(1, round(EVERY_S / batch.step)))
    off = np.concatenate([(idling.bean[at] - made.bean_probe[at, 0]), (idling.air[at] - made.air_probe[at, 0])])
    slope = np.concatenate([made.bean_probe[at, 1] - made.bean_probe[at, 0], made.air_probe[at, 1] - made.air_probe[at, 0]])
    weight = np.repeat([IDLE_BEAN_MISFIT**-2, IDLE_AIR_MISFIT**-2], at.size)
    known = np.isfinite(off)
    information = float(np.sum(weight[known] * slope[known] ** 2)) + BATCH_STEEL_SD**-2
    shift = float(np.sum(weight[known] * slope[known] * off[known])) / information
    return expected + shift, information**-0.5


def steel_from_roast(fitted: FittedMachine, batch: LoggedBatch, near: float) -> tuple[float, float]:
    """Steel at the charge, and its sd, as the first minutes of the roast show it, whatever was known before. [degC]

    Parameters
    ----------
    fitted, batch : the machine, and its roast.
    near : about this much: the readings are taken as linear in the steel around it. [degC]
    """
    load, hands = logged_load(fitted, batch), batch.hands.part(slice(0, round(ROAST_TELLS_S / batch.step)))
    made = [simulate(fitted.constants, load, logged_start(fitted, batch, near + by), hands, batch.step) for by in (0.0, 10.0)]
    at = np.arange(round(ROAST_FROM_S / batch.step), made[0].t.size, max(1, round(EVERY_S / batch.step)))
    information = weighed = 0.0
    for column, misfit, probe in ((batch.bean, BEAN_MISFIT, "bean_probe"), (batch.air, AIR_MISFIT, "air_probe")):
        first, second = (getattr(one, probe)[at, 0] for one in made)
        off, slope = column[at] - first, (second - first) / 10.0
        known = np.isfinite(off)
        information += float(np.sum(slope[known] ** 2)) / misfit**2
        weighed += float(np.sum(slope[known] * off[known])) / misfit**2
    return near + weighed / max(information, 1e-9), max(information, 1e-9) ** -0.5


def modelled(fitted: FittedMachine, batch: LoggedBatch, known: bool = True) -> Simulated:
    """A logged batch as the model makes it from its charge state and moves.

    Parameters
    ----------
    fitted : of the machine.
    batch : to be made again.
    known : whether the steel that the fit found for this very batch may be used.
    """
    row = fitted.values[None, :]
    if known and batch.label in fitted.steel:
        steel = float(expected_steel(fitted.priors, row, batch)[0]) + fitted.steel[batch.label]
    else:
        steel, _ = steel_from_idling(fitted, batch)
    at_charge = steel_at_charge(fitted.constants, batch, np.array([steel]))
    return simulate(
        fitted.constants, logged_load(fitted, batch), logged_start(fitted, batch, at_charge), batch.hands, batch.step
    )


def logged_load(fitted: FittedMachine, batch: LoggedBatch) -> LoadState:
    """The beans of a logged batch as the fit knows them."""
    row = fitted.values[None, :]
    uptake = float(expected_uptake(fitted.priors, row, batch.density)[0]) + fitted.uptake.get(batch.lot, (0.0, 0.0))[0]
    own_heat = fitted.own_heat.get(batch.lot, (0.0, 0.0))[0]
    return LoadState(
        batch.load_kg, batch.moisture, green_c=batch.room_c, uptake=float(np.exp(uptake)), own_heat=float(np.exp(own_heat))
    )


def logged_start(fitted: FittedMachine, batch: LoggedBatch, steel: Members) -> StartState:
    """The moment of charge of a logged batch, with this steel. [degC]"""
    air = batch.bean_at_charge if np.isnan(batch.air_at_charge) else batch.air_at_charge
    if batch.idling is None:
        return StartState(steel, batch.bean_at_charge, air, batch.room_c, fitted.number("heat_before"))
    heat, *more = (float(share[0]) for share in shares_after(fitted.constants, batch.idling.hands, batch.step))
    return StartState(steel, batch.bean_at_charge, air, batch.room_c, heat, tuple(more))
