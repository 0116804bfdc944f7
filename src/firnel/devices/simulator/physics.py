r"""What goes on in the simulated drum.

The frame is the grey-box model of the field (bean heat balance, evaporation and own heat after
Schwartzberg [1]_), with effects that a planning model leaves out on purpose: the bean has a shell and a
core, the steel a drum and a frame, the bean probe is pulled by the hot air, the draft comes in gusts, the
gas supply wanders, and each load cracks at a temperature of its own.

References
----------
.. [1] H. G. Schwartzberg, "Modeling bean heating during batch roasting of coffee beans", in Engineering
   and Food for the 21st Century, CRC Press 2002; constants here from memory of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, sqrt

import numpy as np

from firnel.core.vocabulary import Control, Role
from firnel.core.words import tr
from firnel.devices.simulator.kinds import RoasterKind

EVAPORATION_HEAT = 2790.0  # kJ/kg
OWN_HEAT_TOTAL = 232.0  # kJ/kg dry
OWN_HEAT_RATE = 116200.0  # kW/kg
AIR_HEAT = 1.01  # kJ/(kg K)


@dataclass(frozen=True)
class GreenLoad:
    """What is charged: mass [kg], moisture (wet basis), bean size [mm], and how this lot deviates."""

    mass_kg: float
    moisture: float = 0.11
    size_mm: float = 6.2
    uptake: float = 1.0  #: of heat, against a middling bean: dense beans take longer
    yellow_shift_c: float = 0.0
    crack_shift_c: float = 0.0
    own_heat: float = 0.45  #: of the published rate
    evaporation: float = 1.0  #: of the published rate


@dataclass
class Beans:
    """The load in the drum."""

    load: GreenLoad
    dry_kg: float
    shell_c: float
    core_c: float
    moisture: float  #: dry basis
    own_heat_used: float = 0.0
    dry_lost: float = 0.0  #: share of the dry mass gone as gas and chaff
    darkness: float = 0.0
    crack_c: float = 200.0
    yellow_c: float = 152.0

    @property
    def mean_c(self) -> float:
        """Mean bean temperature [degC]."""
        return 0.5 * (self.shell_c + self.core_c)

    @property
    def mass_kg(self) -> float:
        """Mass as a scale would show it [kg]."""
        return self.dry_kg * (1.0 - self.dry_lost + self.moisture)

    @property
    def colour(self) -> float:
        """Colour index of whole beans, 0-100, lower is darker."""
        return 30.0 + 60.0 * exp(-self.darkness)

    @property
    def colour_word(self) -> str:
        """What a trier shows."""
        return colour_word(self.mean_c, self.yellow_c)


def colour_word(mean_c: float, yellow_c: float) -> str:
    """What a trier shows of beans that turn yellow at ``yellow_c``. [degC]"""
    share = (mean_c - (yellow_c - 22.0)) / 22.0
    if share < 0:
        return "green"
    if share < 1:
        return "pale"
    for word, rise in (("yellow", 8.0), ("tan", 22.0), ("light brown", 38.0), ("brown", 54.0)):
        if mean_c < yellow_c + rise:
            return word
    return "dark brown"


def crack_rate(mean_c: float, crack_c: float) -> float:
    """How thick the pops come, 0 to 1: thickest some 4 degC behind the onset, thinning out within some 8."""
    over = (mean_c - crack_c) / 3.5
    return float(exp(-0.5 * (over - 1.2) ** 2)) if over > 0 else 0.0


class DrumRoaster:
    """One simulated machine: set its controls, charge it, step it, read its probes.

    Parameters
    ----------
    kind : constants of the machine.
    rng : source of noise, gusts and spread.
    room_c : temperature of the room. [degC]
    steel_c : temperature of drum and frame at the start; room temperature where None. [degC]
    """

    def __init__(self, kind: RoasterKind, rng: np.random.Generator, room_c: float = 22.0, steel_c: float | None = None) -> None:
        self.kind, self.room_c = kind, room_c
        self._rng = rng
        self.t = 0.0
        self.main_heat, self._air, self._motion = (kind.first(role) for role in (Role.HEAT, Role.AIRFLOW, Role.MOTION))
        self.settings = dict.fromkeys(kind.controls, 0.0) | {self._motion: kind.controls[self._motion].high * 0.75}
        self.beans: Beans | None = None
        self.dropped: Beans | None = None
        self.heat_kw = 0.0
        self.more_kw = [0.0] * len(kind.more)  #: what the other sources give
        self.gust = self.supply = 0.0
        self.crack_rate = 0.0
        self.drum_c = self.frame_c = self.air_c = self.bean_probe_c = self.air_probe_c = room_c
        if steel_c is not None:
            self.soak(steel_c)

    def soak(self, drum_c: float, frame_c: float | None = None) -> None:
        """Put the steel to a temperature, as after a preheat; the air a little above it. [degC]"""
        self.drum_c = drum_c
        self.frame_c = drum_c - 0.32 * (drum_c - self.room_c) if frame_c is None else frame_c
        self.air_c = self.air_probe_c = drum_c
        self.bean_probe_c = drum_c - 4.0

    def set(self, control: Control, value: float) -> None:
        """Move a control, to the nearest value of its scale."""
        self.settings[control] = self.kind.controls[control].nearest(value)

    def charge(self, load: GreenLoad) -> None:
        """Open the charge door: the load falls in at room temperature.

        Raises
        ------
        ValueError : if there are beans in the drum already, or the load weighs nothing.
        """
        if self.beans is not None:
            raise ValueError(tr("there are beans in the drum already."))
        if load.mass_kg <= 0:
            raise ValueError(tr("a load of {} kg cannot be charged.", load.mass_kg))
        dry = load.mass_kg * (1.0 - load.moisture)
        self.beans = Beans(
            load,
            dry,
            self.room_c,
            self.room_c,
            load.moisture / (1.0 - load.moisture),
            crack_c=self.kind.cracks_at_c + load.crack_shift_c + 0.5 * float(self._rng.standard_normal()),
            yellow_c=153.0 + load.yellow_shift_c + 0.5 * float(self._rng.standard_normal()),
        )
        self.dropped = None

    def drop(self) -> Beans:
        """Open the drop door: the beans leave for the tray.

        Raises
        ------
        ValueError : if the drum is empty.
        """
        if self.beans is None:
            raise ValueError(tr("there are no beans in the drum."))
        self.dropped, self.beans = self.beans, None
        self.crack_rate = 0.0
        return self.dropped

    def step(self, seconds: float) -> None:
        """Let time go by, in steps of at most a quarter of a second."""
        count = max(1, int(np.ceil(seconds / 0.25 - 1e-9)))
        for _ in range(count):
            self._step(seconds / count)

    def read(self) -> tuple[float, float]:
        """Bean and air probe as the instrument shows them: with noise, to a tenth. [degC]"""
        noise = self.kind.noise_c * self._rng.standard_normal(2)
        return round(self.bean_probe_c + float(noise[0]), 1), round(self.air_probe_c + 1.6 * float(noise[1]), 1)

    def heat_set_kw(self) -> float:
        """Heat that the present setting gives once the lag is over, before the supply's wandering. [kW]"""
        scale = self.kind.controls[self.main_heat]
        setting = self.settings[self.main_heat]
        if self.kind.heat == "electric":
            return self.kind.power_kw * setting / scale.high
        if setting < scale.least:
            return 0.0  # below the least stable pressure the flame is out
        return self.kind.power_kw * sqrt(setting / scale.high)

    def air_flow(self) -> float:
        """Air through the drum. [kg/s]"""
        scale = self.kind.controls[self._air]
        share = self.settings[self._air] / scale.high
        share = sqrt(share) if scale.unit == "Pa" else share
        return self.kind.leak_kg_s + self.kind.air_kg_s * share * (1.0 + self.gust)

    def _step(self, dt: float) -> None:
        kind = self.kind
        self.t += dt
        self._weather(dt)
        self.heat_kw += (self.heat_set_kw() * (1.0 + self.supply) - self.heat_kw) * (1.0 - exp(-dt / kind.element_lag_s))
        flow = self.air_flow()
        drum_air = kind.drum_air_w_k / 1000.0
        bean_air = bean_drum = shell = 0.0
        if self.beans is not None:
            load, shell = self.beans.load, self.beans.shell_c
            draft = (flow / (kind.air_kg_s + kind.leak_kg_s)) ** 0.7
            turning = sqrt(self.settings[self._motion] / (0.75 * kind.controls[self._motion].high))
            bean_air = load.mass_kg * load.uptake * kind.bean_air_w_k * draft / 1000.0
            bean_drum = load.mass_kg * load.uptake * kind.bean_drum_w_k * turning / 1000.0
        through = flow * AIR_HEAT
        into_steel, onto_beans = kind.steel_share * self.heat_kw, 0.0
        air_heat = self.heat_kw - into_steel
        for index, source in enumerate(kind.more):
            wanted = source.power_kw * self.settings[source.control] / kind.controls[source.control].high
            self.more_kw[index] += (wanted * (1.0 + self.supply) - self.more_kw[index]) * (
                1.0 - exp(-dt / source.element_lag_s)
            )
            given = self.more_kw[index]
            radiant = source.bean_share * given
            # An empty drum takes what would have met the beans.
            into_steel += source.steel_share * given + (radiant if self.beans is None else 0.0)
            onto_beans += radiant if self.beans is not None else 0.0
            air_heat += (1.0 - source.steel_share - source.bean_share) * given
        steady = (air_heat + through * self.room_c + bean_air * shell + drum_air * self.drum_c) / (
            through + bean_air + drum_air
        )
        self.air_c += (steady - self.air_c) * (1.0 - exp(-dt / 5.0))
        to_frame = kind.drum_frame_w_k / 1000.0 * (self.drum_c - self.frame_c)
        to_air = drum_air * (self.drum_c - self.air_c)
        to_beans = bean_drum * (self.drum_c - shell) if self.beans is not None else 0.0
        self.drum_c += dt * (into_steel - to_frame - to_air - to_beans) / kind.drum_kj_k
        self.frame_c += dt * (to_frame - kind.frame_room_w_k / 1000.0 * (self.frame_c - self.room_c)) / kind.frame_kj_k
        if self.beans is not None:
            self._heat_beans(self.beans, dt, bean_air * (self.air_c - shell) + to_beans + onto_beans)
        self._probes(dt)

    def _weather(self, dt: float) -> None:
        """Gusts in the draft and a wandering gas supply: two slow random walks that return to zero."""
        draws = self._rng.standard_normal(2)
        self.gust += -self.gust * dt / 8.0 + 0.025 * sqrt(2 * dt / 8.0) * float(draws[0])
        drift = 0.010 if self.kind.heat == "gas" else 0.003
        self.supply += -self.supply * dt / 150.0 + drift * sqrt(2 * dt / 150.0) * float(draws[1])

    def _heat_beans(self, beans: Beans, dt: float, heat_kw: float) -> None:
        load, mean = beans.load, beans.mean_c
        kelvin = mean + 273.15
        drying = load.evaporation * 4.32e9 * beans.moisture**2 / load.size_mm**2 * exp(-9889.0 / kelvin)
        drying = min(drying, beans.moisture / dt)
        left = max(OWN_HEAT_TOTAL - beans.own_heat_used, 0.0) / OWN_HEAT_TOTAL
        own = load.own_heat * OWN_HEAT_RATE * exp(-5500.0 / kelvin) * left
        capacity = beans.dry_kg * (1.099 + 0.0070 * mean + 5.0 * beans.moisture)
        inner = beans.dry_kg * (own - EVAPORATION_HEAT * drying)
        across = capacity / 16.0 * (beans.shell_c - beans.core_c)  # shell and core level out in some 8 s
        beans.shell_c += dt * (heat_kw + 0.5 * inner - across) / (0.5 * capacity)
        beans.core_c += dt * (across + 0.5 * inner) / (0.5 * capacity)
        beans.moisture -= dt * drying
        beans.own_heat_used += dt * own
        beans.dry_lost += dt * 4.6e8 * exp(-13500.0 / kelvin)
        beans.darkness += dt * 6.0e7 * exp(-11500.0 / kelvin)
        self.crack_rate = crack_rate(mean, beans.crack_c)

    def _probes(self, dt: float) -> None:
        kind = self.kind
        if self.beans is None:
            seen, lag = 0.55 * self.air_c + 0.45 * self.drum_c, 2.0 * kind.probe_s
        else:
            bare = max(0.0, 1.0 - self.beans.load.mass_kg / kind.load_kg)
            pull = kind.probe_pull + 0.25 * bare
            seen, lag = (1.0 - pull) * self.beans.mean_c + pull * self.air_c, kind.probe_s * (1.0 + 0.6 * bare)
        self.bean_probe_c += (seen - self.bean_probe_c) * (1.0 - exp(-dt / lag))
        self.air_probe_c += (self.air_c - self.air_probe_c) * (1.0 - exp(-dt / kind.air_probe_s))
