"""What the hands and the constants make of heat: what each source gives, and the flows between air, steel and beans."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.model.constants import (
    STEP,
    Hands,
    LoadState,
    MachineConstants,
    Members,
    SourceConstants,
    heat_at,
    share_at,
)
from firnel.core.model.lags import lagged
from firnel.core.vocabulary import FloatArray

AIR_HEAT = 1.01  #: of air at constant pressure. [kJ/(kg K)]


@dataclass(frozen=True)
class Given:
    """Heat into air, steel and beans at the start of each step, shape (n, m), and what each source gives at the end. [kW]"""

    air: FloatArray
    steel: FloatArray
    beans: FloatArray | float
    end: FloatArray
    more_end: tuple[FloatArray, ...]


def given_by(constants: MachineConstants, hands: Hands, heat: FloatArray, more: tuple[FloatArray, ...], step: float) -> Given:
    """What all sources give, each behind its own setting."""
    members = heat.size

    def full(value: Members) -> FloatArray:
        return np.broadcast_to(np.asarray(value, float), (members,))

    def behind(share: FloatArray, source: MachineConstants | SourceConstants, begin: FloatArray) -> FloatArray:
        given = heat_at(source, np.atleast_2d(share.T).T)
        return lagged(np.broadcast_to(given, (given.shape[0], members)), full(source.heat_lag), begin, step)

    main = behind(hands.heat, constants, heat)
    of_steel = full(constants.steel_share) * main[:-1]
    of_air, ends = main[:-1] - of_steel, []
    beans: FloatArray | float = 0.0
    for index, (source, share) in enumerate(zip(constants.more, hands.more, strict=True)):
        first = np.broadcast_to(heat_at(source, share[0]), (members,)) if len(share) else np.zeros(members)
        own = behind(share, source, more[index] if more else first)
        into_steel = full(source.steel_share) * own[:-1]
        onto_beans = full(source.bean_share) * (own[:-1] - into_steel)
        of_steel, beans = of_steel + into_steel, beans + onto_beans
        of_air = of_air + own[:-1] - into_steel - onto_beans
        ends.append(own[-1])
    return Given(of_air, of_steel, beans, main[-1], tuple(ends))


def shares_after(constants: MachineConstants, hands: Hands, step: float = STEP) -> tuple[FloatArray, ...]:
    """What each source gives after such hands, which begin as they had long stood, as shares of its scale; each shape (1,)."""
    given = given_by(constants, hands, np.atleast_1d(heat_at(constants, hands.heat[0])), (), step)
    more = (share_at(source, heat) for source, heat in zip(constants.more, given.more_end, strict=True))
    return (share_at(constants, given.end), *more)


@dataclass(frozen=True)
class Terms:
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


def flows_of(constants: MachineConstants, load: LoadState, room: Members, hands: Hands, given: Given) -> Terms:
    """The flows between air, steel and beans in each step; the air in the drum is in balance at each moment."""
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
    return Terms(*(np.broadcast_to(part, shape) for part in parts))
