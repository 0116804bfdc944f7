"""What scale, colour meter and roaster say of a batch, and what no batch can have."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from firnel.core.words import tr


@dataclass(frozen=True)
class Results:
    """What scale, colour meter and roaster say of a batch; kg and index points."""

    roasted_kg: float | None
    colour_whole: float | None
    colour_ground: float | None
    remark: str
    whole: tuple[float, ...] = ()  #: every single reading, where several were typed
    ground: tuple[float, ...] = ()
    by_meter: bool = False  #: whether those are a meter's readings on a scale of its own
    declined: tuple[str, ...] = ()  #: what is not measured of this batch: weight, colour

    @property
    def complete(self) -> bool:
        """Whether weight and colour are in, or said not to be measured: until then the batch stays due."""
        coloured = self.colour_whole is not None or self.colour_ground is not None
        return (self.roasted_kg is not None or "weight" in self.declined) and (coloured or "colour" in self.declined)

    @property
    def empty(self) -> bool:
        """Whether nothing is said at all."""
        figures = (self.roasted_kg, self.colour_whole, self.colour_ground)
        return all(figure is None for figure in figures) and not self.remark and not self.declined

    @property
    def columns(self) -> dict[str, Any]:
        """As they stand in the batch's row."""
        return {
            "roasted_kg": self.roasted_kg, "colour_whole": self.colour_whole, "colour_ground": self.colour_ground,
            "remark": self.remark, "declined": ",".join(self.declined),
        }  # fmt: skip


def check_results(load_kg: float | None, results: Results) -> None:
    """Refuse figures that no batch can have.

    Raises
    ------
    ValueError : naming the figure, what was expected and what was given.
    """
    if results.empty:
        raise ValueError(tr("Nothing is typed: a weight, a colour or a word; or say that it is not measured."))
    roasted_kg = results.roasted_kg
    if roasted_kg is not None and not (roasted_kg > 0 and math.isfinite(roasted_kg)):
        raise ValueError(tr("A roasted weight of {:g} kg cannot be: it must be above zero.", roasted_kg))
    if roasted_kg is not None and load_kg is not None and roasted_kg >= load_kg:
        raise ValueError(
            tr(
                "Roasted {:.3f} kg is not less than the green load of {:.3f} kg: check the scale and the load.",
                roasted_kg,
                load_kg,
            )
        )
    for name, value in (("whole", results.colour_whole), ("ground", results.colour_ground)):
        if value is not None and not 0 <= value <= 100:
            raise ValueError(tr("Colour {} is {:g}; the index runs from 0 to 100.", name, value))
    for value in () if results.by_meter else (*results.whole, *results.ground):
        if not 0 <= value <= 100:
            raise ValueError(tr("Colour {:g} is outside the index of 0 to 100: does the meter read on another scale?", value))


def missing_of(results: Results) -> str:
    """What is still waited for: ``weight and colour``."""
    coloured = results.colour_whole is not None or results.colour_ground is not None
    missing = [
        tr(name)
        for name, known in (("weight", results.roasted_kg is not None), ("colour", coloured))
        if not known and name not in results.declined
    ]
    return tr(" and ").join(missing)
