"""How far cuppers agree: about the order of the coffees, and about their scores."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: Agreement of orders at which it is called good or fair; common practice, no published source.
GOOD, FAIR = 0.7, 0.4


@dataclass(frozen=True)
class Agreement:
    """Kendall's coefficient of concordance W [0..1] with its p; bias and spread of each cupper against the table. [points]"""

    w: float
    p: float
    bias: FloatArray
    spread: FloatArray

    @property
    def words(self) -> str:
        """``The cuppers agree well on the order (W = 0.82).``"""
        how = tr("agree well") if self.w >= GOOD else tr("agree in part") if self.w >= FAIR else tr("do not agree")
        return tr("The cuppers {} on the order (W = {:.2f}).", how, self.w)


def agreement(scores: FloatArray) -> Agreement | None:
    """Agreement of scores, shape (cuppers, coffees), NaN where a cupper left out a coffee; None for fewer than two of either.

    W is corrected for ties. Only coffees that every remaining cupper scored are ranked; a cupper who scored fewer than half of
    them left the table and is not ranked.
    """
    table = scores[np.isfinite(scores).mean(axis=1) >= 0.5] if scores.size else scores
    ranked = table[:, np.isfinite(table).all(axis=0)] if table.size else table
    if ranked.ndim != 2 or ranked.shape[0] < 2 or ranked.shape[1] < 2:
        return None
    from scipy import stats  # takes longer to load than all of Firnel: only where it is wanted

    judges, coffees = ranked.shape
    ranks = np.apply_along_axis(stats.rankdata, 1, ranked)
    sums = ranks.sum(axis=0)
    ties = sum(float(np.sum(counts**3 - counts)) for counts in (np.unique(row, return_counts=True)[1] for row in ranks))
    most = judges**2 * (coffees**3 - coffees) - judges * ties
    w = float(12.0 * np.sum((sums - sums.mean()) ** 2) / most) if most > 0 else 1.0
    p = float(stats.chi2.sf(judges * (coffees - 1) * w, coffees - 1))
    off = scores - np.nanmean(scores, axis=0)
    return Agreement(w, p, np.nanmean(off, axis=1), np.nanstd(off, axis=1))
