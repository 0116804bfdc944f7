"""The simulated machines. Constants are invented, of the order that such machines have."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from firnel.core.vocabulary import Control, ControlScale, Role, usual_role
from firnel.core.words import tr
from firnel.devices.register_map import shipped_maps


@dataclass(frozen=True)
class SourceKind:
    """A further source of heat of a simulated machine."""

    control: Control
    power_kw: float  #: at the top of its scale
    steel_share: float  #: into the drum steel
    bean_share: float  #: straight onto the beans, as radiation; the rest heats the air
    element_lag_s: float


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
    more: tuple[SourceKind, ...] = ()  #: sources of heat beside the main one

    def first(self, role: Role) -> Control:
        """The main control of a role."""
        return next(control for control, scale in self.controls.items() if (scale.role or usual_role(control)) is role)


KINDS: dict[str, RoasterKind] = {
    kind.name: kind
    for kind in (
        RoasterKind(
            name="gas-6",
            title=tr("6 kg gas drum"),
            heat="gas",
            load_kg=5.0,
            power_kw=17.5,
            steel_share=0.36,
            element_lag_s=8.0,
            drum_kj_k=17.0,
            frame_kj_k=22.0,
            drum_frame_w_k=14.0,
            frame_room_w_k=5.0,
            drum_air_w_k=60,
            air_kg_s=0.040,
            leak_kg_s=0.006,
            bean_air_w_k=8.5,
            bean_drum_w_k=3.6,
            probe_s=28.0,
            probe_pull=0.055,
            air_probe_s=9.0,
            noise_c=0.18,
            cracks_at_c=200.5,
            controls=shipped_maps()["gas-6"].controls,
        ),
        RoasterKind(
            name="gas-15",
            title=tr("15 kg gas drum"),
            heat="gas",
            load_kg=12.0,
            power_kw=38.0,
            steel_share=0.38,
            element_lag_s=12.0,
            drum_kj_k=46.0,
            frame_kj_k=60.0,
            drum_frame_w_k=26.0,
            frame_room_w_k=9.0,
            drum_air_w_k=120,
            air_kg_s=0.084,
            leak_kg_s=0.012,
            bean_air_w_k=8.0,
            bean_drum_w_k=3.4,
            probe_s=30.0,
            probe_pull=0.050,
            air_probe_s=11.0,
            noise_c=0.15,
            cracks_at_c=199.0,
            controls=shipped_maps()["gas-15"].controls,
        ),
        RoasterKind(
            name="electric-1",
            title=tr("1 kg electric drum"),
            heat="electric",
            load_kg=0.8,
            power_kw=3.1,
            steel_share=0.52,
            element_lag_s=45.0,
            drum_kj_k=3.6,
            frame_kj_k=4.2,
            drum_frame_w_k=3.2,
            frame_room_w_k=1.4,
            drum_air_w_k=11,
            air_kg_s=0.0080,
            leak_kg_s=0.0014,
            bean_air_w_k=8.5,
            bean_drum_w_k=4.6,
            probe_s=26.0,
            probe_pull=0.075,
            air_probe_s=7.0,
            noise_c=0.22,
            cracks_at_c=202.0,
            controls=shipped_maps()["electric-1"].controls,
        ),
        RoasterKind(
            name="electric-9",
            title=tr("9 kg electric, 3 heaters"),
            heat="electric",
            load_kg=7.5,
            power_kw=16.0,
            steel_share=0.12,
            element_lag_s=32.0,
            drum_kj_k=30.0,
            frame_kj_k=38.0,
            drum_frame_w_k=17.0,
            frame_room_w_k=7.0,
            drum_air_w_k=75,
            air_kg_s=0.055,
            leak_kg_s=0.007,
            bean_air_w_k=8.2,
            bean_drum_w_k=3.8,
            probe_s=27.0,
            probe_pull=0.050,
            air_probe_s=9.0,
            noise_c=0.17,
            cracks_at_c=200.0,
            controls=shipped_maps()["electric-9"].controls,
            more=(
                SourceKind(Control("radiant"), 7.0, 0.30, 0.65, 55.0),
                SourceKind(Control("drum_heater"), 6.0, 0.92, 0.0, 85.0),
            ),
        ),
    )
}
