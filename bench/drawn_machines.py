"""Drum roasters drawn at random: not only their numbers but what they are made of, and the hands of the house that has them.

Firnel's model has one steel node, one bean temperature and mixed air. These have one to three steel nodes, a bean in one to
five shells, a by-pass, leaks, dampers that are not straight, burners that go out low, radiation, stems that conduct, and hands
of their own; nothing of the model's code is used here. All figures are invented, of the order that such machines have.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import lru_cache
from math import exp

import numpy as np

from firnel.core.model.logged import LoggedBatch, logged_batch
from firnel.core.vocabulary import BatchRecord, Control, ControlScale, Lot, Machine, Mark, MarkKind, Move, Role, Trace

DT = 0.5  #: step of the simulation [s]
STEFAN = 5.67e-11  #: [kW/(m2 K4)], NIST CODATA, from memory
LONGEST_S = 1500.0
AIRFLOW, DRUM = Control.AIRFLOW, Control.DRUM
Rng = np.random.Generator


@dataclass(frozen=True)
class Source:
    """A source of heat: power [kW], where it goes (steel, beans, the rest air), lag [s], exponent of its dial."""

    control: Control
    power: float
    into_steel: float
    onto_beans: float
    lag: float
    exponent: float


@dataclass(frozen=True)
class Body:
    """What one machine is made of."""

    name: str
    load_kg: float
    sources: tuple[Source, ...]
    controls: dict[Control, ControlScale]
    steel_kj: tuple[float, ...]  #: drum, housing, face plate
    steel_kw: tuple[float, ...]  #: between the drum and each further node [kW/K]
    room_kw: float  #: from the last node to the room [kW/K]
    drum_air_kw: float
    air_kg_s: float
    leak_kg_s: float
    damper: tuple[float, float]  #: exponent, and how much of an S the curve is
    bypass: float  #: share of the air that never meets the beans
    bean_air: float  #: [kW/K per kg at full air]
    bean_steel: float  #: [kW/K per kg]
    draft: float  #: exponent of air in the heat from air to beans
    radiant_m2: float  #: of drum that the beans see, with its emissivity [m2]
    shells: int
    levelling_s: float  #: in which shells level out
    evaporation: float
    own_heat: float
    probe_s: float
    stem: float  #: share of the steel in the bean probe
    pull: float
    bare_pull: float
    air_probe_s: float
    air_probe_steel: float
    noise: float
    digit: float
    gust: float
    drift: float
    crack_c: float
    yellow_c: float
    crack_by_density: float  #: [K per 50 g/L]
    crack_sd: float  #: from lot to lot


@dataclass(frozen=True)
class Green:
    """A load as it truly is."""

    mass_kg: float
    moisture: float
    uptake: float
    own_heat: float
    yellow_shift: float
    crack_shift: float


@dataclass(frozen=True)
class House:
    """How this machine is driven: charge reading, airflow and drum, moves as (when, control, share of the top), development."""

    charge_c: float
    level: float  #: the first heat, share of the top
    soak_s: float
    moves: tuple[
        tuple[str, float, Control, float], ...
    ]  #: anchor, offset [s] or reading [degC], control, share (heat: of level)
    start: dict[Control, float]  #: shares
    development_s: float
    spread: float


@dataclass(frozen=True)
class Ranges:
    """Between what machines and houses are drawn; bench/odd.py draws outside of these."""

    load_kg: tuple[float, float] = (0.3, 60.0)
    probe_s: tuple[float, float] = (6.0, 38.0)
    crack_c: tuple[float, float] = (195.0, 204.0)
    yellow_c: tuple[float, float] = (149.0, 157.0)
    crack_s: tuple[float, float] = (430.0, 700.0)
    development_s: tuple[float, float] = (65.0, 140.0)
    rise_c: tuple[float, float] = (3.0, 22.0)  #: from first crack to the drop


USUAL = Ranges()


def draw_body(rng: Rng, number: int, ranges: Ranges = USUAL) -> Body:
    """One machine."""
    load = float(np.exp(rng.uniform(*np.log(ranges.load_kg))))
    small = (load / 5.0) ** (-1.0 / 3.0)  # surface against volume
    gas = bool(rng.random() < 0.65)
    power = load * rng.uniform(3.2, 4.6) * small**0.5
    controls: dict[Control, ControlScale] = {}
    sources = []
    if gas:
        high, unit = ((5.0, "kPa"), (20.0, "mbar"), (10.0, "inH2O"), (100.0, "%"))[int(rng.integers(4))]
        step = high / float(rng.choice([20, 40, 80]))
        least = round(float(rng.uniform(0.02, 0.12)) * high / step) * step
        controls[Control.GAS] = ControlScale(unit, 0.0, high, step, least, kind="gas")
        sources.append(Source(Control.GAS, power, rng.uniform(0.1, 0.5), 0.0, rng.uniform(3, 20), rng.uniform(0.45, 0.65)))
    else:
        count = int(rng.integers(1, 4))
        shares = rng.dirichlet([4.0] + [2.0] * (count - 1))
        for index in range(count):
            control = (Control("hot_air"), Control("radiant"), Control("drum_heater"))[index] if count > 1 else Control.GAS
            kind = ("hot-air", "radiant", "drum")[index] if count > 1 else "electric"
            step = float(rng.choice([1.0, 2.0, 5.0]))
            controls[control] = ControlScale("%", 0.0, 100.0, step, role=Role.HEAT, kind=kind)
            steel = (rng.uniform(0.05, 0.5), rng.uniform(0.2, 0.45), rng.uniform(0.8, 0.95))[index]
            beans = (0.0, rng.uniform(0.4, 0.55), 0.0)[index]
            sources.append(Source(control, power * 1.1 * shares[index], steel, beans, rng.uniform(15, 80), 1.0))
    controls[AIRFLOW] = ControlScale("%", 0.0, 100.0, float(rng.choice([1.0, 5.0])))
    controls[DRUM] = ControlScale("rpm", 0.0, 80.0, 1.0)
    nodes = int(rng.integers(1, 4))
    steel = load * small * rng.uniform(2.0, 6.5)
    parts = rng.dirichlet([5.0] + [3.0] * (nodes - 1))
    return Body(
        f"drawn-{number}", load, tuple(sources), controls,
        tuple(float(steel * part) for part in parts),
        tuple(load * small * rng.uniform(1.5, 5.0) * 1e-3 for _ in range(nodes - 1)),
        load * small * rng.uniform(0.5, 2.0) * 1e-3, load * small * rng.uniform(8.0, 18.0) * 1e-3,
        load * small**0.3 * rng.uniform(0.006, 0.011), load * rng.uniform(0.0004, 0.002),
        (float(rng.uniform(0.5, 1.4)), float(rng.uniform(0.0, 0.5))), rng.uniform(0.0, 0.25),
        rng.uniform(5.5, 10.0) * 1e-3, rng.uniform(2.0, 5.5) * 1e-3, rng.uniform(0.4, 0.9),
        load * rng.uniform(0.0, 0.03) * small,
        int(rng.integers(1, 6)), rng.uniform(4.0, 14.0), rng.uniform(0.6, 1.5), rng.uniform(0.2, 0.7),
        rng.uniform(*ranges.probe_s), rng.uniform(0.0, 0.05), rng.uniform(0.0, 0.08), rng.uniform(0.05, 0.3),
        rng.uniform(3.0, 14.0), rng.uniform(0.0, 0.5), rng.uniform(0.05, 0.35), float(rng.choice([0.1, 0.1, 0.5])),
        rng.uniform(0.005, 0.04), rng.uniform(0.002, 0.02), rng.uniform(*ranges.crack_c), rng.uniform(*ranges.yellow_c),
        rng.uniform(0.0, 3.0), rng.uniform(0.4, 1.6),
    )  # fmt: skip


@dataclass
class Beans:
    """The load in the drum."""

    load: Green
    dry_kg: float
    shells: list[float]
    moisture: float
    crack_c: float
    yellow_c: float
    own_used: float = 0.0

    @property
    def mean_c(self) -> float:
        """Mean bean temperature. [degC]"""
        return sum(self.shells) / len(self.shells)


@dataclass(frozen=True)
class Kind:
    """What the hands know of it."""

    controls: dict[Control, ControlScale]


class DrawnRoaster:
    """The machine at work: set, charge, step, read."""

    def __init__(self, body: Body, rng: Rng, room_c: float = 22.0, steel_c: float = 200.0, still: bool = False) -> None:
        self.body, self.kind, self.rng, self.room_c, self.still = body, Kind(body.controls), rng, room_c, still
        self.t = 0.0
        self.settings = {control: scale.low for control, scale in body.controls.items()}
        self.settings[DRUM] = 52.0
        falls = np.linspace(0.0, 0.35, len(body.steel_kj))
        self.steel = [float(steel_c - fall * (steel_c - room_c)) for fall in falls]
        self.air = steel_c
        self.bean_probe_c, self.air_probe_c = steel_c - 4.0, steel_c
        self.heat = [0.0] * len(body.sources)
        self.beans: Beans | None = None
        self.gust = self.supply = 0.0

    def set(self, control: Control, value: float) -> None:
        """Move a control to the nearest value of its scale."""
        self.settings[control] = self.body.controls[control].nearest(value)

    def charge(self, load: Green) -> None:
        """The load falls in."""
        spread = 0.0 if self.still else 0.5
        dry = load.mass_kg * (1.0 - load.moisture)
        crack = self.body.crack_c + load.crack_shift + spread * float(self.rng.standard_normal())
        yellow = self.body.yellow_c + load.yellow_shift + spread * float(self.rng.standard_normal())
        shells = [self.room_c] * self.body.shells
        self.beans = Beans(load, dry, shells, load.moisture / (1.0 - load.moisture), crack, yellow)

    def step(self, seconds: float) -> None:
        """Let time go by."""
        for _ in range(round(seconds / DT)):
            self._step()

    def read(self) -> tuple[float, float]:
        """Bean and air probe as the thermometers show them. [degC]"""
        noise = (0.0, 0.0) if self.still else self.rng.standard_normal(2)
        digit = self.body.digit

        def shown(value: float, by: float) -> float:
            return round(round((value + by) / digit) * digit, 1)

        return shown(self.bean_probe_c, self.body.noise * noise[0]), shown(self.air_probe_c, 1.5 * self.body.noise * noise[1])

    def _share(self, source: Source) -> float:
        scale, setting = self.body.controls[source.control], self.settings[source.control]
        if setting <= 0.0 or setting < scale.least - 1e-9:
            return 0.0
        return float((setting / scale.high) ** source.exponent)

    def _weather(self) -> None:
        """Gusts in the flue, and a supply that wanders."""
        if self.still:
            return
        body, dt = self.body, DT
        a, b = self.rng.standard_normal(2)
        self.gust += -self.gust * dt / 8.0 + body.gust * (2 * dt / 8.0) ** 0.5 * a
        self.supply += -self.supply * dt / 150.0 + body.drift * (2 * dt / 150.0) ** 0.5 * b

    def _heated(self, loaded: bool) -> tuple[float, float, float]:
        """What all sources give to the air, the steel and the beans. [kW]"""
        into_air = into_steel = onto_beans = 0.0
        for index, source in enumerate(self.body.sources):
            wanted = source.power * self._share(source) * (1.0 + self.supply)
            self.heat[index] += (wanted - self.heat[index]) * (1.0 - exp(-DT / source.lag))
            given = self.heat[index]
            radiant = source.onto_beans * given
            into_steel += source.into_steel * given + (0.0 if loaded else radiant)
            onto_beans += radiant if loaded else 0.0
            into_air += (1.0 - source.into_steel - source.onto_beans) * given
        return into_air, into_steel, onto_beans

    def _step(self) -> None:
        body, dt = self.body, DT
        self.t += dt
        self._weather()
        beans = self.beans
        into_air, into_steel, onto_beans = self._heated(beans is not None)
        share = self.settings[AIRFLOW] / 100.0
        power, curved = body.damper
        curve = (1.0 - curved) * share**power + curved * share * share * (3.0 - 2.0 * share)
        flow = body.leak_kg_s + body.air_kg_s * curve * (1.0 + self.gust)
        most = body.leak_kg_s + body.air_kg_s
        through = 1.01 * flow
        by_air = by_steel = outer = 0.0
        if beans is not None:
            outer = beans.shells[0]
            mass = beans.load.mass_kg * beans.load.uptake
            by_air = mass * body.bean_air * ((1.0 - body.bypass) * flow / most) ** body.draft
            turning = (max(self.settings[DRUM], 1.0) / 60.0) ** 0.4
            by_steel = mass * body.bean_steel * turning
        steady = (into_air + through * self.room_c + by_air * outer + body.drum_air_kw * self.steel[0]) / (
            through + by_air + body.drum_air_kw
        )
        self.air += (steady - self.air) * (1.0 - exp(-dt / 5.0))
        drum = self.steel[0]
        radiation = 0.0
        if beans is not None:
            filled = min(beans.load.mass_kg / body.load_kg, 1.0)
            radiation = STEFAN * body.radiant_m2 * filled * ((drum + 273.15) ** 4 - (outer + 273.15) ** 4)
        gains = [
            into_steel - by_steel * (drum - outer) * (beans is not None) - radiation - body.drum_air_kw * (drum - self.air)
        ]
        for index, coupling in enumerate(body.steel_kw, start=1):
            across = coupling * (drum - self.steel[index])
            gains[0] -= across
            gains.append(across)
        gains[-1] -= body.room_kw * (self.steel[-1] - self.room_c)
        self.steel = [c + dt * gain / kj for c, gain, kj in zip(self.steel, gains, body.steel_kj, strict=True)]
        if beans is not None:
            self._roast(beans, by_air * (self.air - outer) + by_steel * (drum - outer) + radiation + onto_beans)
        self._probes()

    def _roast(self, beans: Beans, heat: float) -> None:
        body, dt = self.body, DT
        count = len(beans.shells)
        mean = beans.mean_c
        kelvin = mean + 273.15
        drying = min(body.evaporation * 1.2e8 * beans.moisture**2 * exp(-9889.0 / kelvin), beans.moisture / dt)
        left = max(1.0 - beans.own_used / 232.0, 0.0)
        own = body.own_heat * beans.load.own_heat * 116200.0 * exp(-5500.0 / kelvin) * left
        capacity = beans.dry_kg * (1.099 + 0.0070 * mean + 5.0 * beans.moisture)
        inner = beans.dry_kg * (own - 2790.0 * drying) / count
        each = capacity / count
        between = each * count * count / (2.0 * body.levelling_s * max(count - 1, 1))
        between = min(between, 0.4 * each / dt)
        gains = [inner] * count
        gains[0] += heat
        for index in range(count - 1):
            across = between * (beans.shells[index] - beans.shells[index + 1])
            gains[index] -= across
            gains[index + 1] += across
        beans.shells = [c + dt * gain / each for c, gain in zip(beans.shells, gains, strict=True)]
        beans.moisture -= dt * drying
        beans.own_used += dt * own

    def _probes(self) -> None:
        body, beans = self.body, self.beans
        if beans is None:
            seen, lag = 0.55 * self.air + 0.45 * self.steel[0], 2.0 * body.probe_s
        else:
            bare = max(0.0, 1.0 - beans.load.mass_kg / body.load_kg)
            pull = body.pull + body.bare_pull * bare
            touched, stem_c, _ = self._about_probes()
            seen = (1.0 - pull - body.stem) * touched + pull * self.air + body.stem * stem_c
            lag = body.probe_s * (1.0 + 0.6 * bare)
        self.bean_probe_c += (self._sheathed(seen) - self.bean_probe_c) * (1.0 - exp(-DT / lag))
        of_steel, steel_c = body.air_probe_steel, self._about_probes()[2]
        self.air_probe_c += ((1.0 - of_steel) * self.air + of_steel * steel_c - self.air_probe_c) * (
            1.0 - exp(-DT / body.air_probe_s)
        )

    def _about_probes(self) -> tuple[float, float, float]:
        """The beans that the bean probe touches, the steel about its stem, and that about the air probe. [degC]"""
        return self.beans.mean_c if self.beans is not None else 0.0, self.steel[-1], self.steel[0]

    def _sheathed(self, seen: float) -> float:
        """What the bean probe has of what is about it: here it has no sheath. [degC]"""
        return seen


def draw_house(rng: Rng, body: Body, ranges: Ranges = USUAL) -> House:
    """The hands of the house: many moves or few, a soak or none, air that stays or steps; the level is found in `settled`."""
    start = {AIRFLOW: float(rng.uniform(0.25, 0.6)), DRUM: float(rng.uniform(48.0, 62.0) / 80.0)}
    moves: list[tuple[str, float, Control, float]] = []
    heats = [source.control for source in body.sources]
    level = 1.0
    for step in range(int(rng.integers(2, 6))):
        level *= float(rng.uniform(0.72, 0.92))
        at = (("yellow", 10.0), ("bean", 168.0), ("bean", 180.0), ("bean", 188.0), ("first_crack", 5.0))[step]
        moves.append((*at, heats[0], level))
        if len(heats) > 1 and step == 1:
            moves.append(("bean", 176.0, heats[1], 0.0 if rng.random() < 0.7 else 0.5))
    if rng.random() < 0.75:  # the air is opened after yellow, and again before the crack
        higher = start[AIRFLOW] + float(rng.uniform(0.05, 0.2))
        moves.append(("yellow", 30.0, AIRFLOW, higher))
        if rng.random() < 0.6:
            moves.append(("bean", 190.0, AIRFLOW, min(higher + float(rng.uniform(0.05, 0.2)), 1.0)))
    soak = float(rng.choice([0.0, 0.0, 45.0, 75.0]))
    return House(
        float(rng.uniform(175.0, 212.0)), 0.7, soak, tuple(moves), start, float(rng.uniform(*ranges.development_s)),
        float(rng.uniform(0.03, 0.1)),
    )  # fmt: skip


@dataclass
class Came:
    """One roast as it was logged."""

    rows: list[tuple[float, ...]] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)
    moves: list[Move] = field(default_factory=list)
    charge_t: float = 0.0


def roast(
    body: Body, house: House, green: Green, rng: Rng, steel_by: float = 0.0, warmer: float = 1.0, idle_s: float = 0.0,
    still: bool = False, room_c: float = 22.0, probe: list[float] | None = None, made: type[DrawnRoaster] = DrawnRoaster,
) -> Came:  # fmt: skip
    """A roast in the house's own hand, from what is logged before the charge to the drop; ``probe`` gets its true readings."""
    roaster = made(body, rng, room_c, house.charge_c + 6.0 + steel_by, still)
    roaster.bean_probe_c = house.charge_c + 2.0
    came = Came()
    heats = [source.control for source in body.sources]

    def put(control: Control, share: float) -> None:
        scale = body.controls[control]
        value = share * (house.level * warmer if control in heats else 1.0) * scale.high
        if control in heats and share > 0.0:
            value = max(value, scale.least)
        before = roaster.settings[control]
        roaster.set(control, value)
        if roaster.settings[control] != before:
            came.moves.append(Move(control, roaster.t, roaster.settings[control]))

    def second() -> None:
        roaster.step(1.0)
        came.rows.append((roaster.t, *roaster.read(), *(roaster.settings[control] for control in body.controls)))
        if probe is not None:
            probe.append(roaster.bean_probe_c)

    for control, share in house.start.items():
        put(control, share)
    brought_to_charge(roaster, house, idle_s, lambda share: put(heats[0], share), second)
    roaster.charge(green)
    came.charge_t = zero = roaster.t
    came.marks.append(Mark(MarkKind.CHARGE, zero, roaster.bean_probe_c))
    waiting = list(house.moves)
    soaked = house.soak_s <= 0.0
    for control in heats:
        put(control, 1.0 if soaked else 0.0)
    at: dict[str, float] = {}
    late = 0.0 if still else 1.0
    lowest = 999.0
    while roaster.t < zero + LONGEST_S:
        now = roaster.t
        if not soaked and now >= zero + house.soak_s:
            soaked = True
            for control in heats:
                put(control, 1.0)
        lowest = min(lowest, roaster.bean_probe_c)
        turned = roaster.bean_probe_c > lowest + 3.0
        for entry in list(waiting):
            anchor, offset, control, share = entry
            if (anchor in at and now >= at[anchor] + offset) or (
                anchor == "bean" and turned and roaster.bean_probe_c >= offset
            ):
                waiting.remove(entry)
                put(control, share)
        second()
        assert roaster.beans is not None
        for kind, level in ((MarkKind.YELLOW, roaster.beans.yellow_c), (MarkKind.FIRST_CRACK, roaster.beans.crack_c)):
            if kind.value not in at and roaster.beans.mean_c >= level:
                at[kind.value] = roaster.t + late * float(abs(rng.normal(0.0, 2.0)))
                came.marks.append(Mark(kind, round(at[kind.value]), roaster.bean_probe_c))
        if "first_crack" in at and roaster.t >= at["first_crack"] + house.development_s * (
            1.0 + late * float(rng.normal(0, 0.001))
        ):
            came.marks.append(Mark(MarkKind.DROP, roaster.t, roaster.bean_probe_c))
            break
    return came


def brought_to_charge(
    roaster: DrawnRoaster, house: House, idle_s: float, heat: Callable[[float], None], second: Callable[[], None]
) -> None:
    """The empty machine about the charge reading, for so long and until it is there; at once where that is not logged."""
    if not idle_s:
        roaster.bean_probe_c = house.charge_c
        second()
        return
    while roaster.t < idle_s or (abs(roaster.bean_probe_c - house.charge_c) > 1.5 and roaster.t < idle_s + 400.0):
        heat(0.6 if roaster.bean_probe_c < house.charge_c else 0.0)
        second()


def settled(body: Body, house: House, rng: Rng, made: type[DrawnRoaster], ranges: Ranges = USUAL) -> tuple[Body, House] | None:
    """The level of heat with which this house comes to first crack in its time; a bigger burner where it must be."""
    wanted = float(rng.uniform(*ranges.crack_s))
    green = Green(0.85 * body.load_kg, 0.11, 1.0, 1.0, 0.0, 0.0)

    def crack_at(one: Body, level: float) -> float:
        came = roast(one, replace(house, level=level), green, rng, still=True, made=made)
        return next((mark.t - came.charge_t for mark in came.marks if mark.kind is MarkKind.FIRST_CRACK), LONGEST_S)

    for _ in range(12):
        if crack_at(body, 0.85) < wanted:
            break
        body = replace(body, sources=tuple(replace(source, power=1.2 * source.power) for source in body.sources))
    low, high = 0.08, 0.95
    for _ in range(9):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if crack_at(body, middle) < wanted else (middle, high)
    came = roast(body, replace(house, level=high), green, rng, still=True, made=made)
    drop = next((mark for mark in came.marks if mark.kind is MarkKind.DROP), None)
    found = next((mark for mark in came.marks if mark.kind is MarkKind.FIRST_CRACK), None)
    # A roast that loses its heat in the crack, or runs away, is no house's recipe.
    if drop is None or found is None or not ranges.rise_c[0] <= (drop.bean or 0.0) - (found.bean or 0.0) <= ranges.rise_c[1]:
        return None
    # Nor is one that a few hundredths of heat turn into another roast.
    if crack_at(body, 0.94 * high) > 1.4 * wanted or crack_at(body, 1.06 * high) < 0.7 * wanted:
        return None
    return body, replace(house, level=high)


@dataclass(frozen=True)
class Drawn:
    """One machine with its house and its lots."""

    body: Body
    house: House
    lots: dict[str, tuple[Lot, Green]]
    idles: bool
    machine: Machine
    made: type[DrawnRoaster] = DrawnRoaster


def _lots(rng: Rng, body: Body, name: str) -> dict[str, tuple[Lot, Green]]:
    lots = {}
    for index in range(6):
        density, moisture = float(rng.uniform(650.0, 790.0)), float(rng.uniform(0.094, 0.122))
        process = str(rng.choice(["washed", "washed", "natural", "honey"]))
        shift = body.crack_by_density * (density - 720.0) / 50.0 + body.crack_sd * float(rng.standard_normal())
        shift -= 1.2 if process == "natural" else 0.0
        uptake = float(np.exp(-0.10 * (density - 720.0) / 50.0 * rng.uniform(0.0, 1.0) + 0.03 * rng.standard_normal()))
        green = Green(
            body.load_kg,
            moisture,
            uptake,
            float(np.exp(0.15 * rng.standard_normal())),
            0.8 * float(rng.standard_normal()),
            shift,
        )
        label = f"{name} lot {index}"
        lots[label] = (Lot(label, process=process, moisture=round(moisture, 3), density_g_per_l=round(density)), green)
    return lots


@lru_cache(maxsize=4)
def draw(number: int, made: type[DrawnRoaster] = DrawnRoaster, ranges: Ranges = USUAL) -> Drawn:
    """The machine of a number: always the same one."""
    for attempt in range(40):
        rng = np.random.default_rng([number, attempt, 77])
        body = draw_body(rng, number, ranges)
        found = settled(body, draw_house(rng, body, ranges), rng, made, ranges)
        if found is not None:
            break
    else:
        raise RuntimeError(f"no house could be found for machine {number}.")
    body, house = found
    lots = _lots(rng, body, body.name)
    kind = "gas" if any(scale.kind == "gas" for scale in body.controls.values()) else "electric"
    # The house knows neither the lowest fire nor what is in the machine: as a new user would have it.
    controls = {control: replace(scale, least=0.0) for control, scale in body.controls.items()}
    useful = round(0.95 * body.load_kg, 3)
    machine = Machine(body.name, "own", kind, round(1.1 * body.load_kg, 3), useful, controls)
    return Drawn(body, house, lots, bool(rng.random() < 0.5), machine, made)


def record_of(drawn: Drawn, came: Came, lot: str, load_kg: float, label: str, room_c: float = 22.0) -> BatchRecord:
    """What was logged."""
    table = np.array(came.rows)
    settings = {control: table[:, 3 + index] for index, control in enumerate(drawn.body.controls)}
    trace = Trace(table[:, 0], table[:, 1], table[:, 2], settings, np.zeros(len(table), np.int64))
    return BatchRecord(
        label,
        lot,
        drawn.machine.name,
        datetime.now(UTC),
        trace,
        tuple(came.marks),
        tuple(came.moves),
        load_kg=load_kg,
        room_c=room_c,
    )


def logged(drawn: Drawn, count: int, seed: int = 0, wanted: Callable[[int], str] | None = None) -> list[LoggedBatch]:
    """So many batches in the house's own hand: five lots in turn, three loads, steel that is never quite the same."""
    rng = np.random.default_rng([seed, 5])
    names, batches = list(drawn.lots), []
    for number in range(count):
        lot = wanted(number) if wanted is not None else names[number % 5]
        load_kg = round(drawn.body.load_kg * float(rng.choice([0.85, 0.85, 0.7, 0.95])), 3)
        of_day = number % 4 + 1
        room = float(rng.uniform(15.0, 28.0))
        steel_by = float(rng.normal(0.0, 5.0)) - (12.0 if of_day == 1 else 0.0)
        warmer = float(np.exp(drawn.house.spread * rng.standard_normal()))
        came = roast(
            drawn.body, drawn.house, replace(drawn.lots[lot][1], mass_kg=load_kg), rng, steel_by, warmer,
            float(rng.uniform(60.0, 150.0)) if drawn.idles else 0.0, room_c=room, made=drawn.made,
        )  # fmt: skip
        if came.marks[-1].kind is not MarkKind.DROP:
            continue
        record = record_of(drawn, came, lot, load_kg, f"{drawn.body.name}-{number}", room)
        batches.append(logged_batch(record, drawn.machine, drawn.lots[lot][0], of_day))
    return batches


if __name__ == "__main__":
    for number in range(12):
        one = draw(number)
        rows = logged(one, 8)
        said = ", ".join(f"{b.yellow_t:.0f}/{b.first_crack_t:.0f}/{b.drop_t:.0f}" for b in rows)
        print(f"{one.body.name}: {one.body.load_kg:.1f} kg {one.machine.heat} {len(one.body.sources)} heaters, "
              f"{len(one.body.steel_kj)} steel, {one.body.shells} shells, level {one.house.level:.2f}: {said}")  # fmt: skip
