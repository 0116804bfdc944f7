"""What the bean probe of a machine reads at yellow and first crack, as its roaster tells it."""

from __future__ import annotations

from firnel.core.vocabulary import Machine
from firnel.core.words import tr

#: Both lie between these on any drum; common practice, no published source. [degC]
LOWEST_C, HIGHEST_C = 100.0, 240.0


def told_readings(machine: Machine) -> tuple[float | None, float | None]:
    """At yellow and at first crack; None where they stand as on every new machine: nobody has told. [degC]"""
    new = Machine("", "")
    return (
        machine.yellow_c if machine.yellow_c != new.yellow_c else None,
        machine.first_crack_c if machine.first_crack_c != new.first_crack_c else None,
    )


def check_readings(machine: Machine) -> None:
    """Refuse readings that no drum has.

    Raises
    ------
    ValueError : in a sentence.
    """
    if not LOWEST_C < machine.yellow_c < machine.first_crack_c < HIGHEST_C:
        raise ValueError(
            tr("Yellow comes before first crack, and both between {:.0f} and {:.0f} °C on the probe.", LOWEST_C, HIGHEST_C)
        )
