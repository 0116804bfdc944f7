r"""The equations of the roast, carried forward for a whole ensemble at once.

States are the mean bean temperature :math:`T_b`, moisture :math:`X` (dry basis), what is left of the own heat
:math:`\rho = 1 - H_e/H_{et}`, drum steel :math:`T_m`, and the readings of bean probe :math:`T_p`, in its sheath, and air probe
:math:`T_e`. The air in the drum is in balance at each moment. Time goes on by the two-step method of Adams and
Bashforth, moisture and probes by their exact solutions over the step: moisture never turns negative, a probe never overshoots.

References
----------
.. [1] H. G. Schwartzberg, "Modeling bean heating during batch roasting of coffee beans", in Engineering and Food for
   the 21st Century, CRC Press 2002: heat capacity, evaporation, own heat. The figures are from memory of it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from firnel.core.model.constants import STEP, Hands, IdleState, LoadState, MachineConstants, Members, StartState, heat_at
from firnel.core.model.flows import Terms, flows_of, given_by
from firnel.core.model.lags import followed, followed_line
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

EVAPORATION_HEAT = 2790.0  #: of water bound in beans [1]_. [kJ/kg]
OWN_HEAT = 232.0  #: in all [1]_. [kJ/kg dry]
OWN_HEAT_RATE = 116200.0  #: [1]_. [kW/kg dry]
OWN_HEAT_K = 5500.0  #: activation temperature [1]_. [K]
OWN_HEAT_PIVOT = 433.15  #: where a machine's own activation temperature leaves the rate as it is. [K]
EVAPORATION_RATE = 4.32e9  #: [1]_. [mm^2/s]
EVAPORATION_K = 9889.0  #: [1]_. [K]
BEAN_HEAT = (1.099, 0.0070, 5.0)  #: constant, per degC, per moisture [1]_. [kJ/(kg K)]
BENDS_C = (105.0, 130.0, 155.0, 180.0, 205.0)  #: where the share by which beans take up more than that bends. [degC]
LEAST_MORE = -0.6  #: which never falls below this. [-]
KELVIN = 273.15
FAR = 1500.0  #: a state further from nought than this has run away. [degC, kW]


@dataclass(frozen=True)
class State:
    """All states at one moment, each shape (m,); ``slopes`` are those of the last step."""

    bean: FloatArray
    moisture: FloatArray
    own_left: FloatArray
    steel: FloatArray
    bean_probe: FloatArray
    air_probe: FloatArray
    heat: FloatArray
    sheath: FloatArray  #: of the bean probe, which the reading itself follows
    slopes: FloatArray | None = None  #: of bean and steel one step ago, shape (2, m)
    more: tuple[FloatArray, ...] = ()  #: heat of the other sources [kW]; as their hands begin, where not given


@dataclass(frozen=True)
class Simulated:
    """A simulated roast at the moments ``t`` [s], shape (n + 1,); all else shape (n + 1, m)."""

    t: FloatArray
    bean: FloatArray  #: [degC]
    bean_probe: FloatArray  #: [degC]
    air_probe: FloatArray  #: [degC]
    steel: FloatArray  #: [degC]
    moisture: FloatArray  #: dry basis [kg/kg]
    end: State

    def rate(self) -> FloatArray:
        """Rate of rise of the bean probe, shape (n + 1, m). [degC/min]"""
        return np.asarray(60.0 * np.gradient(self.bean_probe, self.t, axis=0))

    def about_middle(self) -> Simulated:
        """The curves of the members about that of the middle one, which comes last and goes: shape (n + 1, m - 1)."""
        return replace(
            self,
            bean=about_middle(self.bean),
            bean_probe=about_middle(self.bean_probe),
            air_probe=about_middle(self.air_probe),
            steel=about_middle(self.steel),
            moisture=about_middle(self.moisture),
        )


def about_middle(values: FloatArray) -> FloatArray:
    """What the members have of something, about what the middle one has, which comes last: shape (..., m) to (..., m - 1).

    The equations bend: the mean of many roasts whose numbers scatter is not the roast that the numbers in the middle make, on
    some machines by a quarter of a minute at first crack, always the same way. How far they scatter is what members are for.
    One that ran away does not count; where the middle one did, the others stay as they are.
    """
    members, middle = values[..., :-1], values[..., -1:]
    sane = np.abs(members) < FAR
    mean = np.sum(members, axis=-1, keepdims=True, where=sane) / np.maximum(sane.sum(axis=-1, keepdims=True), 1)
    return np.asarray(members + np.where(np.abs(middle) < FAR, middle - mean, 0.0))


def start_state(constants: MachineConstants, load: LoadState, start: StartState, members: int) -> State:
    """The state in the moment of charge: the load at green temperature, the steel and the probes as they are."""

    def full(value: Members) -> FloatArray:
        return np.broadcast_to(np.asarray(value, float), (members,)).copy()

    return State(
        bean=full(load.green_c),
        moisture=full(np.asarray(load.moisture) / (1.0 - np.asarray(load.moisture))),
        own_left=full(1.0),
        steel=full(start.steel_c),
        bean_probe=full(start.bean_probe_c),
        air_probe=full(start.air_probe_c),
        heat=full(heat_at(constants, start.heat_share)),
        sheath=full(start.bean_probe_c),
        more=tuple(full(heat_at(*source)) for source in zip(constants.more, start.more_shares, strict=False)),
    )


def simulate(
    constants: MachineConstants,
    load: LoadState,
    start: StartState,
    hands: Hands,
    step: float = STEP,
    members: int = 1,
) -> Simulated:
    """Roast a load: every member at once, from the charge on.

    Parameters
    ----------
    constants, load, start : floats, or shape (members,).
    hands : settings held through each of the n steps.
    step : at most 4 s, where the method is still accurate. [s]
    members : of the ensemble.

    Raises
    ------
    ValueError : if a mass, a lag or a capacity is not positive, or the step is not between 0 and 4 s.
    """
    if not 0.0 < step <= 4.0:
        raise ValueError(tr("step is {} s; it must be above 0 and at most 4 s.", step))
    for name, value in (
        ("mass_kg", load.mass_kg),
        ("probe_lag", constants.probe_lag),
        ("steel_capacity", constants.steel_capacity),
    ):
        if not np.all(np.asarray(value) > 0):
            raise ValueError(tr("{} is {}; it must be positive.", name, value))
    return carry_on(constants, load, start.room_c, start_state(constants, load, start, members), hands, step)


def carry_on(
    constants: MachineConstants,
    load: LoadState,
    room_c: Members,
    state: State,
    hands: Hands,
    step: float = STEP,
    t: float = 0.0,
) -> Simulated:
    """Carry an ensemble on from a state; as `simulate`, with ``t`` [s] the time of the state."""
    members = state.bean.size

    def full(value: Members) -> FloatArray:
        return np.broadcast_to(np.asarray(value, float), (members,))

    given = given_by(constants, hands, state.heat, state.more, step)
    terms = flows_of(constants, load, room_c, hands, given)
    beans = _Beans(
        dry=full(load.mass_kg) * (1.0 - full(load.moisture)),
        drying=np.log(full(constants.evaporation) * full(load.evaporation) * EVAPORATION_RATE / full(load.size_mm) ** 2),
        own=np.log(full(constants.own_heat) * full(load.own_heat) * OWN_HEAT_RATE)
        + (full(constants.own_heat_k) - OWN_HEAT_K) / OWN_HEAT_PIVOT,
        own_k=full(constants.own_heat_k),
        bends=_bends(constants, members),
    )
    bean, steel, moisture, left, slopes = _heat(terms, beans, state, step)
    air = terms.air_0 + terms.air_b * bean[:-1] + terms.air_m * steel[:-1]
    air_end = terms.air_0[-1] + terms.air_b[-1] * bean[-1] + terms.air_m[-1] * steel[-1]
    bare = np.clip(1.0 - full(load.mass_kg) / constants.full_load, 0.0, 1.0)
    pull = full(constants.probe_pull) + full(constants.bare_pull) * bare
    steps = (bean[:-1], bean[1:]), (steel[:-1], steel[1:]), (air, np.vstack([air[1:], air_end]))
    mean_bean, mean_steel, mean_air = (0.5 * (before + after) for before, after in steps)
    first = full(constants.probe_lag) / (1.0 + full(constants.probe_sheath))
    sheath = followed(mean_bean + pull * (mean_air - mean_bean), first, state.sheath, step)
    bean_probe = followed_line(sheath, full(constants.probe_lag) - first, state.bean_probe, step)
    of_steel = full(constants.air_probe_steel)
    seen = mean_air + of_steel * (mean_steel - mean_air)
    air_probe = followed(seen, full(constants.air_probe_lag), state.air_probe, step)
    probes = bean_probe[-1], air_probe[-1]
    end = State(bean[-1], moisture[-1], left, steel[-1], *probes, given.end, sheath[-1], slopes, given.more_end)
    times = t + step * np.arange(len(hands) + 1, dtype=np.float64)
    return Simulated(times, bean, bean_probe, air_probe, steel, moisture, end)


@dataclass(frozen=True)
class _Beans:
    """Dry mass [kg], and the logarithms of the rates of drying and own heat; each shape (m,)."""

    dry: FloatArray
    drying: FloatArray
    own: FloatArray
    own_k: FloatArray  #: activation temperature of the own heat [K]
    bends: FloatArray  #: by how much the slope of what beans take up beyond the published changes at `BENDS_C`, (5, m) [1/K]


def _bends(constants: MachineConstants, members: int) -> FloatArray:
    """What beans take up beyond the published, which is known at some temperatures, as bends of a line, shape (5, m). [1/K]"""
    known = (constants.bean_heat_130, constants.bean_heat_155, constants.bean_heat_180, constants.bean_heat_205)
    more = np.stack([np.broadcast_to(np.maximum(share, LEAST_MORE), (members,)) for share in (0.0, *known)])
    slopes = np.diff(more, axis=0) / np.diff(BENDS_C)[:, None]
    return np.diff(slopes, axis=0, prepend=0.0, append=0.0)


def _heat(
    terms: Terms, beans: _Beans, state: State, step: float
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]:
    """Bean, steel and moisture, shape (n + 1, m); what is left of the own heat; the last slopes.

    The same lines run on arrays for an ensemble and on plain numbers for a single roast, where they are ten times as fast.
    """
    count, members = terms.air_0.shape
    alone = members == 1
    rows = zip(*(column[:, 0].tolist() if alone else column for column in terms.of_heat(beans.dry)), strict=True)
    start = (state.bean, state.steel, state.moisture, state.own_left, beans.drying, beans.own, beans.own_k)
    bean, steel, moisture, left, log_drying, log_own, own_k = (float(part[0]) if alone else part for part in start)
    exp = math.exp if alone else np.exp
    kept = np.empty((3, count + 1, members))
    kept[0, 0], kept[1, 0], kept[2, 0] = bean, steel, moisture
    evaporated, spent = EVAPORATION_HEAT / step, step / OWN_HEAT
    dry_heat, per_degree, per_moisture = BEAN_HEAT
    bends, bends_c = list(zip(beans.bends[:, 0].tolist(), BENDS_C, strict=True)), np.array(BENDS_C)[:, None]
    before: Any = None
    if state.slopes is not None:
        before = state.slopes[:, 0].tolist() if alone else state.slopes
    slope: Any = 0.0
    slope_m: Any = 0.0
    for index, (bean_0, bean_b, bean_m, steel_0, steel_b, steel_m) in enumerate(rows, start=1):
        heat = dry_heat + per_degree * bean + per_moisture * moisture
        if alone:
            heat *= 1.0 + sum(bend * max(bean - at, 0.0) for bend, at in bends)
        else:
            heat *= 1.0 + np.einsum("jm,jm->m", beans.bends, np.maximum(bean - bends_c, 0.0))
        slope = (bean_0 + bean_b * bean + bean_m * steel) / heat
        slope_m = steel_0 + steel_b * bean + steel_m * steel
        last, last_m = (slope, slope_m) if before is None else before
        rise = step * (1.5 * slope - 0.5 * last)
        kelvin = bean + 0.5 * rise + KELVIN  # the beans' own rates as they are in the middle of the step
        dried = moisture / (1.0 + step * exp(log_drying - EVAPORATION_K / kelvin) * moisture)
        rate = exp(log_own - own_k / kelvin)
        bean = bean + rise + step * (rate * left - evaporated * (moisture - dried)) / heat
        steel = steel + step * (1.5 * slope_m - 0.5 * last_m)
        before = (slope, slope_m)
        moisture, left = dried, left / (1.0 + spent * rate)
        kept[0, index], kept[1, index], kept[2, index] = bean, steel, moisture
    slopes = np.array([slope, slope_m], float).reshape(2, members)
    return kept[0], kept[1], kept[2], np.broadcast_to(np.asarray(left, float), (members,)), slopes


@dataclass(frozen=True)
class Idled:
    """An empty machine over time; shape (n + 1, m). [degC]"""

    bean_probe: FloatArray
    air_probe: FloatArray
    steel: FloatArray
    end: IdleState


def idle(
    constants: MachineConstants,
    room_c: Members,
    state: IdleState,
    hands: Hands,
    step: float = STEP,
    active: FloatArray | None = None,
) -> Idled:
    """Carry an empty machine on: steel, and what the probes make of steel and air.

    Parameters
    ----------
    constants, room_c : floats, or shape (m,).
    state : where it begins.
    hands : settings held through each of the n steps.
    active : share of each step that counts, shape (n, m), so that members of unlike length can end together; all where None.
    """
    members = state.steel.size

    def full(value: Members) -> FloatArray:
        return np.broadcast_to(np.asarray(value, float), (members,))

    counts = np.ones((len(hands), members)) if active is None else active
    given = given_by(constants, hands, state.heat, state.more, step)
    given = replace(given, steel=given.steel + given.beans, beans=0.0)  # without beans, radiation meets the drum
    terms = flows_of(constants, LoadState(0.0), room_c, hands, given)
    steel = np.empty((len(hands) + 1, members))
    steel[0] = state.steel
    for index in range(len(hands)):
        # Exact over a step of steady heat, so that no step is too long.
        pull = -terms.steel_m[index]
        gain = -np.expm1(-pull * step * counts[index])
        steel[index + 1] = steel[index] + gain * (terms.steel_0[index] / pull - steel[index])
    mean_steel = 0.5 * (steel[1:] + steel[:-1])
    air = terms.air_0 + terms.air_m * mean_steel
    of_air, of_steel = full(constants.idle_air), full(constants.air_probe_steel)
    bean_probe = followed(mean_steel + of_air * (air - mean_steel), full(constants.idle_lag), state.bean_probe, step, counts)
    air_probe = followed(air + of_steel * (mean_steel - air), full(constants.air_probe_lag), state.air_probe, step, counts)
    return Idled(bean_probe, air_probe, steel, IdleState(steel[-1], bean_probe[-1], air_probe[-1], given.end, given.more_end))
