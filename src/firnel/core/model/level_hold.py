"""What the heat of a plan is held to beside its targets: how the house has it, what was logged, the form of the approach."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from firnel.core.vocabulary import FloatArray

#: A level of heat that lies this far from where the house has it counts as much as a target that is just met. [share]
STAYS = 0.12
#: The levels that were logged in its stage, made so much wider; outside of them each further share of this counts as much.
WIDER, LEAVES = (0.9, 1.1), 0.01
#: A level is there, so near to it: a step of a gauge may lie on either side. [share]
EDGE = 0.02
#: Before the machine is known levels stand to each other as the form of the approach has them, within this share.
FORMED = 0.15
#: Heat counts as turned up from so much on [shares of full heat]; what may not be counts more than any target.
UP, BARRED = 1e-3, 1e9
#: How hard heat that is turned up from yellow on counts, for full heat: as much as a stage missed by this many tolerances.
#: In moves that are the roaster's own it counts for little; where the form of the approach is kept it leads the search away.
RISING, RISING_OWN, RISING_FORMED = 60.0, 3.0, 600.0


@dataclass(frozen=True)
class LevelHold:
    """What the open levels of one plan are held to.

    Parameters
    ----------
    late : which moves come from yellow on, shape (moves,).
    chosen : before and behind which of them the level is the search's own to choose, shape (moves,).
    house : where the house has them, if the form is the house's, shape (levels,). [shares of full heat]
    logged : least and most that was logged in the stage of each, shapes (levels,); None where they may go anywhere.
    form : how they stand to each other in the form of the approach, where the machine is not known yet, shape (levels,).
    rising : how hard heat that is turned up late counts.
    """

    late: NDArray[np.bool_]
    chosen: NDArray[np.bool_]
    house: FloatArray | None = None
    logged: tuple[FloatArray, FloatArray] | None = None
    form: FloatArray | None = None
    rising: float = RISING

    def off(self, levels: FloatArray) -> list[FloatArray]:
        """How far candidates leave it, as targets that are just met count one, shapes (m,).

        Parameters
        ----------
        levels : of the candidates, shape (m, levels). [shares of full heat]
        """
        if not levels.shape[1]:
            return []
        rest = list((levels - self.house).T / STAYS) if self.house is not None else []
        if self.logged is not None:
            low, high = self.logged
            rest += list((levels - np.clip(levels, WIDER[0] * low, WIDER[1] * high)).T / LEAVES)
        if self.form is not None:
            ratio = levels / self.form  # all may be turned up or down as a whole
            apart = np.abs(ratio / ratio.mean(axis=1, keepdims=True) - 1.0) - FORMED
            rest += list(np.clip(apart, 0.0, None).T / LEAVES)
        return rest

    def at_edge(self, levels: FloatArray, top: bool) -> NDArray[np.bool_]:
        """Which levels of a candidate stand at the most, or the least, that was logged in their stage, shape (levels,)."""
        if self.logged is None:
            return np.zeros(levels.size, bool)
        low, high = self.logged
        return levels >= WIDER[1] * high - EDGE if top else levels <= WIDER[0] * low + EDGE

    def off_rising(self, before: FloatArray, after: FloatArray) -> FloatArray:
        """How far heat is turned up from yellow on or where that is barred, shape (m,): hard heat belongs to the first third.

        Parameters
        ----------
        before, after : levels about each move, shapes (m, moves). [shares of full heat]
        """
        counts = self.late if self.form is None else self.late | self.chosen
        return np.asarray(self.rising * np.sum(np.clip(after - before, 0.0, None)[:, counts], axis=1))

    def barred(self, before: FloatArray, after: FloatArray) -> FloatArray:
        """What it costs to turn heat up although the form of the approach is kept, shape (m,): no target is worth that.

        The push behind a soak is part of its form, and what follows on a level that the roaster holds is free.

        Parameters
        ----------
        before, after : as in `off_rising`.
        """
        if self.form is None:
            return np.zeros(len(before))
        return np.asarray(BARRED * np.any((after - before > UP)[:, self.chosen], axis=1))
