"""Machines that are made otherwise than both the model and the drawn ones: what fits only those shows here.

The drum is four pieces along the flow of the air, hotter at the burner's end; the air gives its heat on its way through them,
some of it goes round again, and hot air draws less. A heater box stands before the drum. A valve may follow a root, its dial,
or equal percentages. The bean is a sphere of eight shells that dry from the outside; own heat is a bump in temperature, crack
steam takes some of it. Yellow is a colour reached by temperature and time, first crack waits for the core and for what water is
left. The probe sits in a sheath and touches the outer shells. Lots, loads and hands are those of the drawn machines. All
figures are invented, of the order that such machines have.
"""

from __future__ import annotations

from math import exp

import numpy as np
from drawn_machines import AIRFLOW, DRUM, DT, STEFAN, Body, Drawn, DrawnRoaster, Green, Rng, Source, draw

PIECES, SHELLS, RADIUS_M = 4, 8, 3.3e-3
EDGES = np.linspace(0.0, RADIUS_M, SHELLS + 1)
VOLUME = np.diff(EDGES**3) / RADIUS_M**3  #: share of each shell, from the core out
INNER = SHELLS // 2
#: Sensible heat of dry bean and of water [kJ/(kg K)], heat of drying [kJ/kg].
BEAN_KJ, BEAN_KJ_PER_C, WATER_KJ, DRYING_KJ = 1.25, 0.0055, 4.19, 2500.0
#: The crack's steam takes its heat over so long. [s]
CRACKING_S = 60.0
GAS_R = 8.314  #: [J/(mol K)]
#: By name.
STRANGE = tuple(f"strange-{number}" for number in range(200, 216))


def drawn_of(name: str) -> Drawn:
    """The machine of a name, ``drawn-3`` or ``strange-200``."""
    sort, _, number = name.partition("-")
    return draw(int(number), StrangeRoaster) if sort == "strange" else draw(int(number))


class StrangeRoaster(DrawnRoaster):
    """One of them at work; what the body does not say of it follows from its number."""

    def __init__(self, body: Body, rng: Rng, room_c: float = 22.0, steel_c: float = 200.0, still: bool = False) -> None:
        super().__init__(body, rng, room_c, steel_c, still)
        made = np.random.default_rng([int(body.name.rpartition("-")[2]), 991])
        self.again = float(made.choice([0.0, 0.0, made.uniform(0.2, 0.7)]))  # share of the air that goes round
        self.box_kj, self.box_kw = body.load_kg * made.uniform(0.2, 1.2), body.load_kg * made.uniform(0.02, 0.06)
        self.hot_end = made.uniform(0.0, 0.6)
        self.conductivity = made.uniform(0.7, 1.4) * 1e-7 * 1.9  # diffusivity times heat, per kilogram [kJ m2/(kg K s)]
        self.valve = str(made.choice(["root", "equal", "dial"]))
        self.own_kj, self.own_c, self.own_width = made.uniform(60, 180), made.uniform(205, 225), made.uniform(14, 28)
        self.sink_kj, self.sink_c = made.uniform(0, 40), made.uniform(150, 175)
        self.steam_kj = made.uniform(0.0, 15.0)
        self.dries = made.uniform(0.6, 1.5)
        self.by_colour, self.colour_j = made.uniform(0.5, 1.0), made.uniform(60e3, 110e3)
        self.by_core = made.uniform(0.3, 1.0)
        self.sheath_s = made.uniform(0.0, 1.0) * body.probe_s
        self.sheath = self.bean_probe_c
        self.box, self.exhaust = steel_c + 60.0, steel_c
        self.pieces = steel_c * (1.0 + 0.03 * np.arange(PIECES))
        self.shells = self.water = np.zeros(0)
        self.levels = (0.0, 0.0)
        self.coloured = self.coloured_at = 0.0
        self.cracked_t: float | None = None

    def charge(self, load: Green) -> None:
        """The load falls in."""
        super().charge(load)
        assert self.beans is not None
        self.shells, self.water = np.full(SHELLS, self.room_c), np.full(SHELLS, self.beans.moisture)
        self.levels, self.coloured = (self.beans.yellow_c, self.beans.crack_c), 0.0
        # Yellow is as brown as ten degrees a minute make it by the drawn reading.
        on_the_way = np.arange(100.0, self.beans.yellow_c, 0.1)
        self.coloured_at = float(np.sum(np.exp(-self.colour_j / GAS_R / (on_the_way + 273.15)))) * 0.1 * 6.0
        self.beans.yellow_c = self.beans.crack_c = 1e9  # not by the mean temperature, see `_mark`

    def _share(self, source: Source) -> float:
        scale, setting = self.body.controls[source.control], self.settings[source.control]
        share = max(setting / scale.high, 0.0)
        if share == 0.0 or source.exponent >= 1.0:
            return share
        if self.valve == "equal":
            return 0.9 * (25.0 ** (share - 1.0) - 0.04) / 0.96 + 0.1 * share
        return share**0.5 if self.valve == "root" else share**0.9

    def _step(self) -> None:
        body, beans = self.body, self.beans
        self.t += DT
        self._weather()
        into_air, into_steel, onto_beans = self._heated(beans is not None)
        share = self.settings[AIRFLOW] / 100.0
        power, curved = body.damper
        curve = (1.0 - curved) * share**power + curved * share * share * (3.0 - 2.0 * share)
        flow = (body.leak_kg_s + body.air_kg_s * curve * (1.0 + self.gust)) * 473.15 / (273.15 + max(self.exhaust, 20.0))
        through = 1.04 * flow
        flame = self.again * self.exhaust + (1.0 - self.again) * self.room_c + into_air / through
        taken = 1.0 - exp(-self.box_kw / through)
        self.box += 0.5 * DT * through * taken * (flame - self.box) / self.box_kj
        inlet = flame - 0.5 * taken * (flame - self.box)
        onto_beans += self._through(through, inlet, into_steel, flow)
        self.air = self.exhaust
        if beans is not None:
            self._roast(beans, onto_beans)
            self._mark()
        self._probes()

    def _through(self, through: float, air: float, into_steel: float, flow: float) -> float:
        """The air on its way through the pieces of the drum; what the beans get of it all. [kW]"""
        body, beans = self.body, self.beans
        by_air = by_steel = surface = radiant = 0.0
        if beans is not None:
            mass = beans.load.mass_kg * beans.load.uptake
            most = body.leak_kg_s + body.air_kg_s
            by_air = mass * body.bean_air * ((1.0 - body.bypass) * flow / most) ** body.draft
            by_steel = mass * body.bean_steel * (max(self.settings[DRUM], 1.0) / 60.0) ** 0.4
            surface = float(self.shells[-1])
            radiant = STEFAN * body.radiant_m2 * min(beans.load.mass_kg / body.load_kg, 1.0)
        of_drum, given = body.drum_air_kw / PIECES, 0.0
        flamed = 1.0 + self.hot_end * np.array([1.0, 1.0 / 3.0, -1.0 / 3.0, -1.0])
        gains = np.zeros(PIECES)
        for index, steel in enumerate(self.pieces):
            both = of_drum + by_air / PIECES
            about = (of_drum * steel + by_air / PIECES * surface) / both
            left = exp(-both / through)
            mean = about + (air - about) * (1.0 - left) * through / both
            touched = by_steel / PIECES * (steel - surface)
            touched += radiant / PIECES * ((steel + 273.15) ** 4 - (surface + 273.15) ** 4)
            given += (touched + by_air / PIECES * (mean - surface)) if beans is not None else 0.0
            gains[index] = into_steel / PIECES * flamed[index] + of_drum * (mean - steel)
            gains[index] -= touched if beans is not None else 0.0
            air = about + (air - about) * left
        across = 0.002 * body.load_kg * np.diff(self.pieces)
        gains[:-1] += across
        gains[1:] -= across
        if len(body.steel_kj) > 1:  # a housing that the ends hold on to; what it loses, it loses to the room
            lost = 0.5 * body.steel_kw[0] * (self.pieces[[0, -1]] - self.steel[1])
            gains[[0, -1]] -= lost
            self.steel[1] += DT * (lost.sum() - body.room_kw * (self.steel[1] - self.room_c)) / body.steel_kj[1]
        self.pieces = self.pieces + DT * gains / (body.steel_kj[0] / PIECES)
        self.exhaust += (air - self.exhaust) * (1.0 - exp(-DT / 4.0))
        self.steel[0] = float(self.pieces.mean())
        return given

    def _roast(self, beans: object, heat: float) -> None:
        load = self.beans
        assert load is not None
        step, dry, now, water = 0.5 * DT, load.dry_kg, self.shells, self.water
        between = 3.0 * self.conductivity * dry / RADIUS_M**3 * EDGES[1:-1] ** 2 / (RADIUS_M / SHELLS)
        for _ in range(2):
            flows = between * np.diff(now)
            gains = np.append(flows, 0.0) - np.append(0.0, flows)
            gains[-1] += heat
            drying = self.dries * 1.83e-3 * np.minimum(np.exp(0.034 * (now - 100.0)), 60.0) * water**1.5
            drying = np.minimum(drying * np.linspace(0.5, 1.2, SHELLS), 0.3 * water / step)
            left = max(1.0 - load.own_used / self.own_kj, 0.0)
            bump = np.exp(-0.5 * ((np.minimum(now, self.own_c) - self.own_c) / self.own_width) ** 2)
            own = 0.5 * load.load.own_heat * self.own_kj / 230.0 * bump * left
            sink = self.sink_kj / 120.0 * np.exp(-0.5 * ((now - self.sink_c) / 10.0) ** 2)
            steaming = self.cracked_t is not None and self.t - self.cracked_t < CRACKING_S
            gains += dry * VOLUME * (own - sink - DRYING_KJ * drying - (self.steam_kj / CRACKING_S if steaming else 0.0))
            now = now + step * gains / (dry * VOLUME * (BEAN_KJ + BEAN_KJ_PER_C * now + WATER_KJ * water))
            water = water - step * drying
            load.own_used += step * float(own @ VOLUME)
        self.shells, self.water = now, water
        load.moisture, load.shells = float(water @ VOLUME), now.tolist()

    def _mark(self) -> None:
        """Yellow by the colour it has come to, first crack by the core and the water that is left."""
        beans = self.beans
        assert beans is not None
        mean = float(self.shells @ VOLUME)
        self.coloured += DT * exp(-self.colour_j / GAS_R / (mean + 273.15))
        browner = np.log(max(self.coloured, 1e-300) / self.coloured_at) * GAS_R * 430.0**2 / self.colour_j  # [K]
        if self.by_colour * browner + (1.0 - self.by_colour) * (mean - self.levels[0]) >= 0.0:
            beans.yellow_c = -1e9
        core = float(self.shells[:INNER] @ VOLUME[:INNER] / VOLUME[:INNER].sum()) + 60.0 * (beans.moisture - 0.02)
        if self.cracked_t is None and (1.0 - self.by_core) * mean + self.by_core * core >= self.levels[1]:
            beans.crack_c, self.cracked_t = -1e9, self.t

    def _about_probes(self) -> tuple[float, float, float]:
        outer = float(self.shells[-3:] @ VOLUME[-3:] / VOLUME[-3:].sum()) if self.beans is not None else 0.0
        return outer, float(self.pieces[0]), float(self.pieces[-1])

    def _sheathed(self, seen: float) -> float:
        self.sheath += (seen - self.sheath) * (1.0 - exp(-DT / max(self.sheath_s, DT)))
        return self.sheath
