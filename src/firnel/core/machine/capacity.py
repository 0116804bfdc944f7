"""What fits: load against the drum, swelling against the tray, and a probe that small loads leave bare."""

from __future__ import annotations

from firnel.core.vocabulary import Machine
from firnel.core.words import tr

#: Beans swell by this factor in volume; common practice (1.5 to 2), no published source.
SWELLING = 1.8
#: Bulk density of green where the lot's is not known. [g/L]
USUAL_DENSITY = 720.0
#: Below this share of the useful load the bean probe is no longer covered; common practice, no published source.
COVERS_PROBE = 0.45


def load_warnings(machine: Machine, load_kg: float, density: float | None = None) -> tuple[str, ...]:
    """What to say about a load on a machine; empty if nothing.

    Parameters
    ----------
    machine : with stated and useful load, and the tray's volume if known.
    load_kg : green to be charged. [kg]
    density : bulk density of the lot. [g/L]

    Raises
    ------
    ValueError : if the load is not positive.
    """
    if load_kg <= 0:
        raise ValueError(tr("a load of {:g} kg cannot be roasted.", load_kg))
    said = []
    if load_kg > machine.stated_load_kg:
        said.append(tr("{:g} kg are over the maker's {:g} kg: do not charge this.", load_kg, machine.stated_load_kg))
    elif load_kg > machine.useful_load_kg * 1.001:
        said.append(
            tr("{:g} kg are over the useful {:g} kg: mixing suffers and beans may scorch.", load_kg, machine.useful_load_kg)
        )
    litres = swollen_litres(load_kg, density)
    if machine.tray_litres is not None and litres > machine.tray_litres:
        said.append(tr("Swollen, they fill {:.0f} L; the tray holds {:g} L and will overflow.", litres, machine.tray_litres))
    if bares_probe(machine, load_kg):
        said.append(
            tr("{:g} kg leave the bean probe bare: its readings do not compare. Drive by time, colour and sound.", load_kg)
        )
    return tuple(said)


def bares_probe(machine: Machine, load_kg: float | None) -> bool:
    """Whether so small a load leaves the bean probe bare: its readings do not compare then."""
    covers = machine.covers_kg if machine.covers_kg is not None else COVERS_PROBE * machine.useful_load_kg
    return load_kg is not None and load_kg < covers - 1e-9


def swollen_litres(load_kg: float, density: float | None = None) -> float:
    """Volume of the roasted load in the tray. [L]"""
    return SWELLING * 1000.0 * load_kg / (density or USUAL_DENSITY)


def most_for_tray(machine: Machine, density: float | None = None) -> float | None:
    """The load whose swollen beans just fill the tray; None where its volume is not known. [kg]"""
    if machine.tray_litres is None:
        return None
    return machine.tray_litres * (density or USUAL_DENSITY) / (SWELLING * 1000.0)
