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

from firnel.core.model.constants import (
    Hands,
    IdleState,
    LoadState,
    MachineConstants,
    Members,
    SourceConstants,
    StartState,
    heat_at,
    share_at,
)
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

AIR_HEAT = 1.01  #: of air at constant pressure. [kJ/(kg K)]
EVAPORATION_HEAT = 2790.0  #: of water bound in beans [1]_. [kJ/kg]
OWN_HEAT = 232.0  #: in all [1]_. [kJ/kg dry]
OWN_HEAT_RATE = 116200.0  #: [1]_. [kW/kg dry]
OWN_HEAT_K = 5500.0  #: activation temperature [1]_. [K]
OWN_HEAT_PIVOT = 433.15  #: where a machine's own activation temperature leaves the rate as it is. [K]
EVAPORATION_RATE = 4.32e9  #: [1]_. [mm^2/s]
EVAPORATION_K = 9889.0  #: [1]_. [K]
BEAN_HEAT = (1.099, 0.0070, 5.0)  #: constant, per degC, per moisture [1]_. [kJ/(kg K)]
STEP = 2.0  #: usual step. [s]
KELVIN = 273.15
SHORTEST_LAG_S = 1e-3  #: of a probe: a shorter one is none. [s]


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


@dataclass(frozen=True)
class _Terms:
    """What the hands and the constants make of each step, shape (n, m): every flow is linear in bean and steel."""

    bean_0: FloatArray  #: heat into the beans [kW]: constant, per degC of bean, per degC of steel
    bean_b: FloatArray
    bean_m: FloatArray
    steel_0: FloatArray  #: slope of the steel [K/s]
    steel_b: FloatArray
    steel_m: FloatArray
    air_0: FloatArray  #: air in the drum [degC]
    air_b: FloatArray
    air_m: FloatArray

    def of_heat(self, dry: FloatArray) -> tuple[FloatArray, ...]:
        """The six terms of bean and steel, those of the bean per kilogram dry."""
        return self.bean_0 / dry, self.bean_b / dry, self.bean_m / dry, self.steel_0, self.steel_b, self.steel_m


def _lagged(target: FloatArray, lag: FloatArray, heat: FloatArray, step: float) -> FloatArray:
    """Heat at the beginning of each step and at the end, a first-order lag behind its target, shape (n + 1, m). [kW]"""
    keep = np.exp(-step / lag)
    out = np.empty((target.shape[0] + 1, heat.size))
    out[0] = heat
    for index in range(target.shape[0]):
        out[index + 1] = target[index] + (out[index] - target[index]) * keep
    return out


@dataclass(frozen=True)
class _Given:
    """Heat into air, steel and beans at the start of each step, shape (n, m), and what each source gives at the end. [kW]"""

    air: FloatArray
    steel: FloatArray
    beans: FloatArray | float
    end: FloatArray
    more_end: tuple[FloatArray, ...]


def _given(constants: MachineConstants, hands: Hands, heat: FloatArray, more: tuple[FloatArray, ...], step: float) -> _Given:
    """What all sources give, each behind its own setting."""
    members = heat.size

    def full(value: Members) -> FloatArray:
        return np.broadcast_to(np.asarray(value, float), (members,))

    def behind(share: FloatArray, source: MachineConstants | SourceConstants, begin: FloatArray) -> FloatArray:
        given = heat_at(source, np.atleast_2d(share.T).T)
        return _lagged(np.broadcast_to(given, (given.shape[0], members)), full(source.heat_lag), begin, step)

    lagged = behind(hands.heat, constants, heat)
    of_steel = full(constants.steel_share) * lagged[:-1]
    of_air, ends = lagged[:-1] - of_steel, []
    beans: FloatArray | float = 0.0
    for index, (source, share) in enumerate(zip(constants.more, hands.more, strict=True)):
        first = np.broadcast_to(heat_at(source, share[0]), (members,)) if len(share) else np.zeros(members)
        own = behind(share, source, more[index] if more else first)
        into_steel = full(source.steel_share) * own[:-1]
        onto_beans = full(source.bean_share) * (own[:-1] - into_steel)
        of_steel, beans = of_steel + into_steel, beans + onto_beans
        of_air = of_air + own[:-1] - into_steel - onto_beans
        ends.append(own[-1])
    return _Given(of_air, of_steel, beans, lagged[-1], tuple(ends))


def shares_after(constants: MachineConstants, hands: Hands, step: float = STEP) -> tuple[FloatArray, ...]:
    """What each source gives after such hands, which begin as they had long stood, as shares of its scale; each shape (1,)."""
    given = _given(constants, hands, np.atleast_1d(heat_at(constants, hands.heat[0])), (), step)
    more = (share_at(source, heat) for source, heat in zip(constants.more, given.more_end, strict=True))
    return (share_at(constants, given.end), *more)


def _terms(constants: MachineConstants, load: LoadState, room: Members, hands: Hands, given: _Given) -> _Terms:
    full = (np.atleast_2d(part.T).T for part in (hands.air, hands.drum))
    air, drum = full
    flow = np.asarray(constants.air_flow) * (np.asarray(constants.air_leak) + air ** np.asarray(constants.air_exponent))
    most = np.asarray(constants.air_flow) * (1.0 + np.asarray(constants.air_leak))
    filled = np.asarray(load.mass_kg) / constants.full_load
    into = constants.full_load * filled ** np.asarray(constants.load_exponent) * np.asarray(load.uptake)
    bean_air = into * np.asarray(constants.bean_air) * (flow / most) ** np.asarray(constants.draft_exponent)
    bean_steel = into * np.asarray(constants.bean_steel) * np.sqrt(drum)
    through, steel_air = AIR_HEAT * flow, np.asarray(constants.steel_air)
    loss = np.asarray(constants.steel_loss)
    sum_air = through + bean_air + steel_air
    air_0 = (given.air + through * np.asarray(room)) / sum_air
    air_b, air_m = bean_air / sum_air, steel_air / sum_air
    capacity = np.asarray(constants.steel_capacity)
    parts = (
        bean_air * air_0 + given.beans,
        bean_air * (air_b - 1.0) - bean_steel,
        bean_air * air_m + bean_steel,
        (given.steel + steel_air * air_0 + loss * np.asarray(room)) / capacity,
        (steel_air * air_b + bean_steel) / capacity,
        (steel_air * (air_m - 1.0) - bean_steel - loss) / capacity,
        air_0,
        air_b,
        air_m,
    )
    shape = np.broadcast_shapes(*(part.shape for part in parts), given.air.shape)
    return _Terms(*(np.broadcast_to(part, shape) for part in parts))


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

    given = _given(constants, hands, state.heat, state.more, step)
    terms = _terms(constants, load, room_c, hands, given)
    beans = _Beans(
        dry=full(load.mass_kg) * (1.0 - full(load.moisture)),
        drying=np.log(full(constants.evaporation) * full(load.evaporation) * EVAPORATION_RATE / full(load.size_mm) ** 2),
        own=np.log(full(constants.own_heat) * full(load.own_heat) * OWN_HEAT_RATE)
        + (full(constants.own_heat_k) - OWN_HEAT_K) / OWN_HEAT_PIVOT,
        own_k=full(constants.own_heat_k),
    )
    bean, steel, moisture, left, slopes = _heat(terms, beans, state, step)
    air = terms.air_0 + terms.air_b * bean[:-1] + terms.air_m * steel[:-1]
    air_end = terms.air_0[-1] + terms.air_b[-1] * bean[-1] + terms.air_m[-1] * steel[-1]
    bare = np.clip(1.0 - full(load.mass_kg) / constants.full_load, 0.0, 1.0)
    pull = full(constants.probe_pull) + full(constants.bare_pull) * bare
    steps = (bean[:-1], bean[1:]), (steel[:-1], steel[1:]), (air, np.vstack([air[1:], air_end]))
    mean_bean, mean_steel, mean_air = (0.5 * (before + after) for before, after in steps)
    first = full(constants.probe_lag) / (1.0 + full(constants.probe_sheath))
    sheath = _followed(mean_bean + pull * (mean_air - mean_bean), first, state.sheath, step)
    bean_probe = _followed_line(sheath, full(constants.probe_lag) - first, state.bean_probe, step)
    of_steel = full(constants.air_probe_steel)
    seen = mean_air + of_steel * (mean_steel - mean_air)
    air_probe = _followed(seen, full(constants.air_probe_lag), state.air_probe, step)
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


def _heat(
    terms: _Terms, beans: _Beans, state: State, step: float
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
    before: Any = None
    if state.slopes is not None:
        before = state.slopes[:, 0].tolist() if alone else state.slopes
    slope: Any = 0.0
    slope_m: Any = 0.0
    for index, (bean_0, bean_b, bean_m, steel_0, steel_b, steel_m) in enumerate(rows, start=1):
        heat = dry_heat + per_degree * bean + per_moisture * moisture
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
    given = _given(constants, hands, state.heat, state.more, step)
    given = replace(given, steel=given.steel + given.beans, beans=0.0)  # without beans, radiation meets the drum
    terms = _terms(constants, LoadState(0.0), room_c, hands, given)
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
    bean_probe = _followed(mean_steel + of_air * (air - mean_steel), full(constants.idle_lag), state.bean_probe, step, counts)
    air_probe = _followed(air + of_steel * (mean_steel - air), full(constants.air_probe_lag), state.air_probe, step, counts)
    return Idled(bean_probe, air_probe, steel, IdleState(steel[-1], bean_probe[-1], air_probe[-1], given.end, given.more_end))


def _followed(
    seen: FloatArray, lag: FloatArray, reading: FloatArray, step: float, counts: FloatArray | None = None
) -> FloatArray:
    """What a first-order probe reads, shape (n + 1, m), of what it sees in the middle of each step; exact, for any lag."""
    keep = np.exp(-step / lag)
    kept = np.broadcast_to(keep, seen.shape) if counts is None else keep**counts
    return _carried(kept, seen * (1.0 - kept), reading)


def _followed_line(seen: FloatArray, lag: FloatArray, reading: FloatArray, step: float) -> FloatArray:
    """The same of what it sees at the ends of the steps, shape (n + 1, m), in lines between them; a lag may be nought."""
    keep = np.exp(-step / np.maximum(lag, SHORTEST_LAG_S))
    behind = lag / step * (1.0 - keep)
    gained = seen[1:] - keep * seen[:-1] - behind * np.diff(seen, axis=0)
    return _carried(np.broadcast_to(keep, gained.shape), gained, reading)


def _carried(kept: FloatArray, gained: FloatArray, reading: FloatArray) -> FloatArray:
    """Of a reading a share is kept in each step, and something gained; shape (n + 1, m)."""
    out = np.empty((gained.shape[0] + 1, reading.size))
    out[0] = reading
    if reading.size == 1:
        # scipy.signal.lfilter would do it in one call, but it alone takes longer to load than all of this.
        value = float(reading[0])
        for index, (keep, gain) in enumerate(zip(kept[:, 0].tolist(), gained[:, 0].tolist(), strict=True), start=1):
            value = value * keep + gain
            out[index, 0] = value
        return out
    for index in range(gained.shape[0]):
        out[index + 1] = out[index] * kept[index] + gained[index]
    return out
