"""The three simulated machines. Constants are invented, of the order that such machines have."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from firnel.core.vocabulary import Control, ControlScale
from firnel.devices.register_map import shipped_maps


@dataclass(frozen=True)
class RoasterKind:
    """The constants of one simulated machine; SI with kW and kJ."""

    name: str
    title: str
    heat: str  #: ``gas`` or ``electric``
    load_kg: float  #: the load it is usually given
    power_kw: float  #: heat at the top of the scale
    steel_share: float  #: of the heat that goes into the drum steel rather than the air
    element_lag_s: float  #: between setting and heat
    drum_kj_k: float  #: heat capacity of drum steel
    frame_kj_k: float  #: of face plate and frame, the second steel node
    drum_frame_w_k: float
    frame_room_w_k: float
    drum_air_w_k: float
    air_kg_s: float  #: air mass flow at the top of the airflow scale
    leak_kg_s: float
    bean_air_w_k: float  #: per kg of beans at full airflow
    bean_drum_w_k: float  #: per kg of beans
    probe_s: float  #: time constant of the bean probe in beans
    probe_pull: float  #: share of hot air in the bean probe's reading at full load
    air_probe_s: float
    noise_c: float
    cracks_at_c: float  #: mean bean temperature of first crack
    controls: Mapping[Control, ControlScale]  #: as the register map of the kind declares them


KINDS: dict[str, RoasterKind] = {
    kind.name: kind
    for kind in (
        RoasterKind(
            "gas-6",
            "6 kg gas drum",
            "gas",
            5.0,
            16.5,
            0.36,
            8.0,
            15.0,
            22.0,
            14.0,
            5.0,
            24.0,
            0.040,
            0.006,
            9.0,
            5.4,
            28.0,
            0.055,
            9.0,
            0.18,
            200.5,
            shipped_maps()["gas-6"].controls,
        ),
        RoasterKind(
            "gas-15",
            "15 kg gas drum",
            "gas",
            12.0,
            36.0,
            0.38,
            12.0,
            42.0,
            60.0,
            26.0,
            9.0,
            46.0,
            0.084,
            0.012,
            8.4,
            5.0,
            30.0,
            0.050,
            11.0,
            0.15,
            199.0,
            shipped_maps()["gas-15"].controls,
        ),
        RoasterKind(
            "electric-1",
            "1 kg electric drum",
            "electric",
            0.8,
            3.0,
            0.52,
            45.0,
            3.4,
            4.2,
            3.2,
            1.4,
            5.0,
            0.0080,
            0.0014,
            9.0,
            6.6,
            26.0,
            0.075,
            7.0,
            0.22,
            202.0,
            shipped_maps()["electric-1"].controls,
        ),
    )
}
