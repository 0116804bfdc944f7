"""What the model knows of a machine, of a load, and of the hands: plain values, one number or one for each member."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.vocabulary import Control, ControlScale, FloatArray

#: One value for all members, or an array of shape (m,).
Members = float | FloatArray


@dataclass(frozen=True)
class MachineConstants:
    """The constants of one machine in the model; heat in kW and kJ, each a float or shape (m,).

    ``power`` is the heat at the top of the scale, ``steel_share`` its part that goes into the drum steel rather than
    the air. ``bean_air`` and ``bean_steel`` are per kilogram of green at ``full_load``, full airflow and usual drum speed. The
    bean probe reads the beans with lag ``probe_lag`` and is pulled by the air by ``probe_pull``, more by
    ``bare_pull`` as the load falls short of ``full_load``.
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
    full_load: float = 5.0  #: load that covers the bean probe. [kg]


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
    heat_share: Members = 0.0  #: heat that the burner gave just before, as a share of full power


@dataclass(frozen=True)
class IdleState:
    """The empty machine at one moment: steel and probes [degC], and the heat that the burner gives [kW]; each shape (m,)."""

    steel: FloatArray
    bean_probe: FloatArray
    air_probe: FloatArray
    heat: FloatArray


@dataclass(frozen=True)
class Hands:
    """What the controls were set to, step by step: shares of the full scale, shape (n,) or (n, m).

    ``heat`` is the share of full power, ``air`` of full flow, ``drum`` of the usual speed.
    """

    heat: FloatArray
    air: FloatArray
    drum: FloatArray

    def __len__(self) -> int:
        return int(self.heat.shape[0])


def heat_share(setting: FloatArray, scale: ControlScale, heat: str = "gas") -> FloatArray:
    r"""Share of full power at a setting of the gas gauge or the heater dial.

    .. math:: P / P_{max} = \sqrt{p / p_{max}}

    for gas (the orifice law: flow goes with the square root of the pressure ahead of the jet, ISO 5167-1:2003),
    and none below the least stable pressure; straight for electric heaters.

    Parameters
    ----------
    setting : on the machine's own scale, shape (n,); NaN counts as nothing. [scale.unit]
    scale : of the control.
    heat : ``gas`` or ``electric``.
    """
    share = np.clip(np.nan_to_num(setting) / scale.high, 0.0, 1.0)
    if heat == "electric":
        return np.asarray(share, float)
    return np.where(np.nan_to_num(setting) >= scale.least - 1e-9, np.sqrt(share), 0.0)


def air_share(setting: FloatArray, scale: ControlScale) -> FloatArray:
    """Share of full airflow at a setting: with the root of a pressure (Bernoulli), straight for a dial or per cent."""
    share = np.clip(np.nan_to_num(setting) / scale.high, 0.0, 1.0)
    return np.asarray(np.sqrt(share) if scale.unit == "Pa" else share, float)


def drum_share(setting: FloatArray, scale: ControlScale) -> FloatArray:
    """Drum speed as a share of the usual, three quarters of the top; the usual where it was not read."""
    known = np.isfinite(setting)
    return np.where(known, np.clip(np.nan_to_num(setting), 0.0, None) / (0.75 * scale.high), 1.0)


def control_share(control: Control, setting: FloatArray, scale: ControlScale, heat: str) -> FloatArray:
    """Share at a setting of any control."""
    if control is Control.GAS:
        return heat_share(setting, scale, heat)
    return air_share(setting, scale) if control is Control.AIRFLOW else drum_share(setting, scale)
