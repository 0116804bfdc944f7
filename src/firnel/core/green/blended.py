"""Green that is blended before the roast, as one lot: what it is on average, and how far its parts lie apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from firnel.core.green.process import process_of
from firnel.core.vocabulary import Lot


@dataclass(frozen=True)
class BlendedLot(Lot):
    """A lot of several: each with its share of the green weight. It has no row of its own in a library."""

    parts: tuple[tuple[Lot, float], ...] = ()

    def apart(self, density: float, moisture: float) -> tuple[float, float, float, float]:
        """Standard deviation within the blend: density [g/L], moisture, dried with the fruit, altered [shares].

        Parameters
        ----------
        density, moisture : of parts that were not measured.
        """
        shares = np.array([share for _, share in self.parts])
        rows = np.array([
            [
                lot.density_g_per_l or density, lot.moisture or moisture,
                process_of(lot.process).natural, process_of(lot.process).altered,
            ]
            for lot, _ in self.parts
        ], float)  # fmt: skip
        mean = shares @ rows / shares.sum()
        found = np.sqrt(shares @ (rows - mean) ** 2 / shares.sum())
        return float(found[0]), float(found[1]), float(found[2]), float(found[3])


def blended(name: str, parts: Sequence[tuple[Lot, float]]) -> BlendedLot:
    """The blend of lots as one lot of that name; it has the id of its first part.

    Parameters
    ----------
    name : of the coffee.
    parts : lots with their shares of the green weight.
    """
    first, whole = parts[0][0], sum(share for _, share in parts)

    def mean(of: str) -> float | None:
        known = [(getattr(lot, of), share) for lot, share in parts if getattr(lot, of) is not None]
        return sum(value * share for value, share in known) / sum(share for _, share in known) if known else None

    processes = {lot.process for lot, _ in parts}
    on_hand = [lot.on_hand_kg * whole / share for lot, share in parts if lot.on_hand_kg is not None]
    return BlendedLot(
        name, process=processes.pop() if len(processes) == 1 else "", density_g_per_l=mean("density_g_per_l"),
        moisture=mean("moisture"), mean_mm=mean("mean_mm"), on_hand_kg=min(on_hand) if on_hand else None, id=first.id,
        parts=tuple(parts),
    )  # fmt: skip
