"""What the model knows of a machine, of a load, and of the hands: plain values, one number or one for each member."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np

from firnel.core.units import PRESSURES
from firnel.core.vocabulary import Control, ControlScale, FloatArray, Machine, Role

#: One value for all members, or an array of shape (m,).
Members = float | FloatArray
STEP = 2.0  #: usual step of a simulation. [s]


@dataclass(frozen=True)
class SourceConstants:
    """A further source of heat, floats or shape (m,): what goes neither into the steel nor onto the beans heats the air."""

    power: Members  #: at the top of its scale. [kW]
    steel_share: Members  #: of it into the drum steel. [-]
    bean_share: Members  #: of what is left, straight onto the beans, as radiation. [-]
    heat_lag: Members  #: between setting and heat. [s]
    heat_exponent: Members = 1.0  #: of its share in its heat. [-]


@dataclass(frozen=True)
class MachineConstants:
    """The constants of one machine in the model; heat in kW and kJ, each a float or shape (m,).

    ``power`` is the heat of the main source at the top of its scale, ``steel_share`` its part that goes into the drum steel
    rather than the air. ``bean_air`` and ``bean_steel`` are per kilogram of green at ``full_load``, full airflow and usual
    drum speed. The bean probe reads the beans with lag ``probe_lag`` and is pulled by the air by ``probe_pull``, more by
    ``bare_pull`` as the load falls short of ``full_load``. In a sheath it lags in two stages, the second ``probe_sheath`` times
    as long as the first, both together ``probe_lag``.
    """

    power: Members  #: [kW]
    steel_share: Members  #: [-]
    heat_lag: Members  #: between setting and heat. [s]
    steel_capacity: Members  #: [kJ/K]
    steel_air: Members  #: [kW/K]
    steel_loss: Members  #: to the room. [kW/K]
    air_flow: Members  #: at the top of the airflow scale. [kg/s]
    air_leak: Members  #: with the damper shut, as a share of ``air_flow``. [-]
    bean_air: Members  #: [kW/(K kg)]
    bean_steel: Members  #: [kW/(K kg)]
    probe_lag: Members  #: [s]
    probe_pull: Members  #: [-]
    bare_pull: Members  #: [-]
    air_probe_lag: Members  #: [s]
    air_probe_steel: Members  #: share of the steel in the air probe's reading. [-]
    idle_lag: Members = 50.0  #: of the bean probe in an empty drum. [s]
    idle_air: Members = 0.5  #: share of the air in its reading there; the rest is steel. [-]
    evaporation: Members = 1.0  #: multiplier of the published rate. [-]
    own_heat: Members = 0.5  #: multiplier of the published rate. [-]
    own_heat_k: Members = 5500.0  #: its activation temperature; the multiplier holds at 160 degC. [K]
    load_exponent: Members = 1.0  #: of the load in its heat transfer: below 1 where a full drum mixes less well. [-]
    air_exponent: Members = 1.0  #: of the share of full airflow in the flow itself, for dials that are not straight. [-]
    draft_exponent: Members = 0.7  #: of the flow in the heat transfer from air to beans: 0.6 to 0.8 in tumbled beds. [-]
    heat_exponent: Members = 1.0  #: of the main source's share in its heat, for dials and valves that are not as thought. [-]
    probe_sheath: Members = 0.0  #: second stage of the bean probe's lag against the first; which is which shows nowhere. [-]
    bean_heat_130: Members = 0.0  #: more heat than is published that beans take up at 130 degC, as a share of it; [-]
    bean_heat_155: Members = 0.0  #: and at 155,
    bean_heat_180: Members = 0.0  #: 180,
    bean_heat_205: Members = 0.0  #: and 205 degC, with lines between: none 25 degrees below the first, as much above the last
    full_load: float = 5.0  #: load that covers the bean probe. [kg]
    more: tuple[SourceConstants, ...] = ()  #: the machine's other sources of heat, in its own order


def heat_at(source: MachineConstants | SourceConstants, share: Members) -> FloatArray:
    """What a source gives in the end at a share of its scale, floats or shape (m,) or (n, m). [kW]"""
    return np.asarray(np.asarray(source.power) * np.asarray(share) ** np.asarray(source.heat_exponent), float)


def share_at(source: MachineConstants | SourceConstants, heat: Members) -> FloatArray:
    """The share of its scale at which a source gives so much heat [kW] in the end: the inverse of `heat_at`."""
    return np.asarray((np.asarray(heat) / np.asarray(source.power)) ** (1.0 / np.asarray(source.heat_exponent)), float)


@dataclass(frozen=True)
class LoadState:
    """A load as it is charged; floats or shape (m,). ``moisture`` is wet basis [kg/kg], ``size_mm`` the bean's diameter."""

    mass_kg: Members
    moisture: Members = 0.11
    size_mm: Members = 6.2
    green_c: Members = 22.0
    uptake: Members = 1.0  #: of heat, against a middling lot
    own_heat: Members = 1.0  #: against the machine's usual
    evaporation: Members = 1.0  #: against the machine's usual


@dataclass(frozen=True)
class StartState:
    """Steel, bean probe and air probe at the moment of charge [degC], and the room; floats or shape (m,)."""

    steel_c: Members
    bean_probe_c: Members
    air_probe_c: Members
    room_c: Members = 22.0
    heat_share: Members = 0.0  #: what the main source gives just then, as the share of its scale that gives it in the end
    more_shares: tuple[Members, ...] = ()  #: the same of the other sources; as their hands begin, where not given


@dataclass(frozen=True)
class IdleState:
    """The empty machine at one moment: steel and probes [degC], and the heat that the burner gives [kW]; each shape (m,)."""

    steel: FloatArray
    bean_probe: FloatArray
    air_probe: FloatArray
    heat: FloatArray
    more: tuple[FloatArray, ...] = ()  #: of the other sources; as their hands begin, where not given


@dataclass(frozen=True)
class Hands:
    """What the controls were set to, step by step: shares of the full scale, shape (n,) or (n, m).

    ``heat`` is the share of full power of the main source and ``more`` those of the others, ``air`` of full flow, ``drum`` of
    the usual speed.
    """

    heat: FloatArray
    air: FloatArray
    drum: FloatArray
    more: tuple[FloatArray, ...] = ()

    def __len__(self) -> int:
        return int(self.heat.shape[0])

    @property
    def columns(self) -> tuple[FloatArray, ...]:
        """All shares: heat, air, drum, then the other sources."""
        return (self.heat, self.air, self.drum, *self.more)

    def mapped(self, change: Callable[[FloatArray], FloatArray]) -> Hands:
        """The same done to every control's shares."""
        heat, air, drum, *more = (change(column) for column in self.columns)
        return Hands(heat, air, drum, tuple(more))

    def part(self, which: Any) -> Hands:
        """Some of the steps: a slice, or whatever an array takes."""
        return self.mapped(lambda column: column[which])

    def held(self, index: int, count: int) -> Hands:
        """All controls left for ``count`` steps as they are in one of these, of shape (n,)."""
        return self.mapped(lambda column: np.full(count, float(column[index])))


#: A setting further beyond the end of its scale is none, or in another unit.
MOST_SHARE = 1.5


def heat_share(setting: FloatArray, scale: ControlScale, heat: str = "gas") -> FloatArray:
    r"""Share of full power at a setting of the gas gauge or the heater dial.

    .. math:: P / P_{max} = \sqrt{p / p_{max}}

    for gas (the orifice law: flow goes with the square root of the pressure ahead of the jet, ISO 5167-1:2003); straight for
    electric heaters. A setting below the least that the machine is said to burn at burns like any other: logs show such
    settings burning, and heat that is silently taken for none is the worse mistake. Nothing is planned or advised there.

    Parameters
    ----------
    setting : on the machine's own scale, shape (n,); NaN counts as nothing. [scale.unit]
    scale : of the control.
    heat : ``gas`` or ``electric``.
    """
    share = _share(setting, scale)
    return np.asarray(share if heat == "electric" else np.sqrt(share), float)


def air_share(setting: FloatArray, scale: ControlScale) -> FloatArray:
    """Share of full airflow at a setting: with the root of a pressure (Bernoulli), straight for a dial or per cent."""
    share = _share(setting, scale)
    return np.asarray(np.sqrt(share) if scale.unit in PRESSURES else share, float)


def _share(setting: FloatArray, scale: ControlScale) -> FloatArray:
    """Of the scale: a log tells what was set, though the scale was told too short; a reading far beyond is none."""
    return np.clip(np.nan_to_num(setting) / scale.high, 0.0, MOST_SHARE)


def drum_share(setting: FloatArray, scale: ControlScale) -> FloatArray:
    """Drum speed as a share of the usual, three quarters of the top; the usual where it was not read."""
    known = np.isfinite(setting)
    return np.where(known, np.clip(np.nan_to_num(setting), 0.0, None) / (0.75 * scale.high), 1.0)


def source_share(machine: Machine, control: Control, setting: FloatArray) -> FloatArray:
    """Share of full power at a setting of one of the machine's sources of heat; shape (n,)."""
    heat = "gas" if machine.kind_of(control) == "gas" else "electric"
    return heat_share(setting, machine.controls[control], heat)


def control_share(machine: Machine, control: Control, setting: FloatArray) -> FloatArray:
    """Share at a setting of any control of a machine; shape (n,)."""
    role, scale = machine.role(control), machine.controls[control]
    if role is Role.HEAT:
        return source_share(machine, control, setting)
    return air_share(setting, scale) if role is Role.AIRFLOW else drum_share(setting, scale)


def hands_of(machine: Machine, settings: Mapping[Control, FloatArray], count: int) -> Hands:
    """The machine's hands as shares, from settings on its own scales.

    Parameters
    ----------
    machine : whose controls they are.
    settings : by control, each shape (n,) or (n, m); airflow and motion that are not known are taken as middling and steady.
    count : n.
    """
    heat, *more = [
        source_share(machine, control, settings.get(control, np.full(count, np.nan))) for control in machine.of(Role.HEAT)
    ] or [np.zeros(count)]
    airs = [
        np.where(np.isfinite(settings[control]), air_share(settings[control], machine.controls[control]), 0.5)
        for control in machine.of(Role.AIRFLOW)
        if control in settings and np.isfinite(settings[control]).any()
    ]
    # Damper and fan in one duct: each throttles what the other lets through.
    air = reduce(lambda one, other: (one.T * other.T).T, airs) if airs else np.full(count, 0.5)
    motions = [control for control in machine.of(Role.MOTION) if control in settings]
    drum = drum_share(settings[motions[0]], machine.controls[motions[0]]) if motions else np.ones(count)
    return Hands(heat, np.asarray(air), drum, tuple(more))
