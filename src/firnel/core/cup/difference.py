"""Whether two coffees can be told apart: triangle and paired tests, exactly, in plain words.

References
----------
.. [1] ISO 4120 (triangle test) and ISO 5495 (paired comparison test): the binomial law with a chance of 1/3 and 1/2.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from firnel.core.words import tr

Test = Literal["triangle", "paired"]
CHANCE = {"triangle": 1.0 / 3.0, "paired": 0.5}
#: A difference is called shown below this p.
ALPHA = 0.05
#: The difference that a panel would find with this probability is what it can find.
POWER = 0.80


@dataclass(frozen=True)
class Verdict:
    """What a test says: exact p, answers needed, the share of tasters who truly tell it apart.

    A paired test with two sides asks whether either is chosen more; there ``correct`` counts how often the second was.

    ``share`` is the estimate above chance with its upper 95 % limit; ``findable`` the least share that this panel would have
    found in four tests of five, None where even a difference that everybody tells would be missed.
    """

    test: Test
    answers: int
    correct: int
    p: float
    needed: int | None
    share: float
    share_high: float
    findable: float | None
    sides: int = 1

    @property
    def shown(self) -> bool:
        """Whether a difference is shown."""
        return self.p < ALPHA

    @property
    def words(self) -> str:
        """The verdict in one or two sentences."""
        counted = tr("{} of {} {}", self.correct, self.answers, tr("chose the second") if self.sides == 2 else tr("right"))
        if self.shown:
            return tr("A difference is shown: {}, by chance in {} (p = {:.3f}).", counted, _chance_words(self.p), self.p)
        no = tr("No difference shown: {}, p = {:.2f}.", counted, self.p)
        if self.findable is None:
            return tr("{} With {} answers none could have been: take more tasters or rounds.", no, self.answers)
        if self.findable > 0.5:
            return tr("{} With {} answers only a large one would be.", no, self.answers)
        return tr(
            "{} One that {:.0f} % of tasters can taste would have been found in four tests of five.", no, 100 * self.findable
        )


def _chance_words(p: float) -> str:
    return tr("1 test of {:.0f}", 1.0 / p) if p > 1e-4 else tr("fewer than 1 test of 10,000")


def least_correct(test: Test, answers: int, alpha: float = ALPHA, sides: int = 1) -> int | None:
    """The least number of right answers that shows a difference; None where no number does.

    With two sides it is the number of times that either must be chosen.
    """
    from scipy import stats  # takes longer to load than all of Firnel: only where it is wanted

    counts = np.arange(answers + 1)
    p = stats.binom.sf(counts - 1, answers, CHANCE[test])
    enough = np.flatnonzero(p <= alpha / sides)
    return int(counts[enough[0]]) if enough.size else None


def judge(test: Test, answers: int, correct: int, sides: int = 1) -> Verdict:
    """Judge a test.

    Parameters
    ----------
    test, answers, correct : the kind, how many answers, and how many of them are right, or chose the second.
    sides : 2 where either of a pair may be chosen more often, 1 where it was said beforehand which one.

    Raises
    ------
    ValueError : if there are no answers, more are right than were given, or a triangle test is to have two sides.
    """
    if answers < 1 or not 0 <= correct <= answers:
        raise ValueError(tr("{} right of {} answers cannot be judged.", correct, answers))
    if sides not in (1, 2) or (sides == 2 and test == "triangle"):
        raise ValueError(tr("a {} test does not have {} sides.", test, sides))
    from scipy import optimize, stats  # takes longer to load than all of Firnel: only where it is wanted

    chance = CHANCE[test]
    found = stats.binomtest(correct, answers, chance, alternative="greater" if sides == 1 else "two-sided")
    more = correct if sides == 1 else max(correct, answers - correct)
    high = stats.binomtest(more, answers, chance, alternative="less").proportion_ci(0.95).high
    needed = least_correct(test, answers, sides=sides)

    def telling(share: float) -> float:
        return max((share - chance) / (1.0 - chance), 0.0)

    findable = None
    if needed is not None:

        def missing(share: float) -> float:
            return float(stats.binom.sf(needed - 1, answers, chance + (1.0 - chance) * share)) - POWER

        findable = float(optimize.brentq(missing, 0.0, 1.0))
    return Verdict(test, answers, correct, float(found.pvalue), needed, telling(more / answers), telling(high), findable, sides)
