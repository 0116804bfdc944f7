"""Stage targets that hang together: what is asked of drying, browning, development, total and ratio, made into three times.

Each asked target is one linear equation of the three stages. They are admitted in order of rank; one that contradicts those
before it gives way and is named. What is left open stays as near to the usual as the admitted ones allow.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from firnel.core.plan import TARGET_WORDS, Targets
from firnel.core.units import clock
from firnel.core.usual import USUAL_STAGES
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

STAGES = ("drying_s", "browning_s", "development_s")
#: Disagreement that is only rounding. [s]
ROUNDING_S = 1.0
#: How freely each stage gives, relative to the others, where the targets leave it open.
GIVES = (1.0, 1.0, 0.3)


@dataclass(frozen=True)
class StageTimes:
    """Drying, browning and development [s]; which targets were admitted; which gave way, by name and in words."""

    seconds: tuple[float, float, float]
    admitted: tuple[str, ...]
    outdone: tuple[str, ...]
    gave_way: tuple[str, ...]

    @property
    def crack(self) -> float:
        """First crack, from charge. [s]"""
        return self.seconds[0] + self.seconds[1]

    @property
    def end(self) -> float:
        """The drop, from charge. [s]"""
        return sum(self.seconds)

    @cached_property
    def fixed(self) -> tuple[bool, bool, bool]:
        """Which stages the admitted targets leave no freedom."""
        rows = np.array([_row(name, 0.2) for name in self.admitted])
        free = [
            rows.size == 0 or np.linalg.matrix_rank(np.vstack([rows, unit])) > np.linalg.matrix_rank(rows) for unit in np.eye(3)
        ]
        return (not free[0], not free[1], not free[2])


def _row(name: str, ratio: float) -> FloatArray:
    """The equation of a target over the three stages, shape (3,)."""
    if name in STAGES:
        return np.asarray(np.eye(3)[STAGES.index(name)])
    return np.ones(3) if name == "total_s" else np.array([-ratio, -ratio, 1.0 - ratio])


def stage_times(targets: Targets, usual: Targets, wins: str = "development_s") -> StageTimes:
    """The three stage times that meet as many of the asked targets as go together.

    Parameters
    ----------
    targets : asked.
    usual : stage times to stay near where nothing is asked.
    wins : the target that never gives way.

    Raises
    ------
    ValueError : if a total is shorter than the stages that are asked in it, or a ratio is not between 0 and 1.
    """
    ratio = targets.ratio if targets.ratio is not None else 0.2
    if not 0.0 < ratio < 0.6:
        raise ValueError(tr("a development ratio of {:.0f} % cannot be: above 0 and under 60 %.", 100 * ratio))
    names = [name for name in TARGET_WORDS if name in (*STAGES, "total_s", "ratio") and getattr(targets, name) is not None]
    names.sort(key=lambda name: name != wins)
    rows: list[FloatArray] = []
    sides: list[float] = []
    admitted: list[str] = []
    outdone: list[str] = []
    gave_way: list[str] = []
    for name in names:
        row, side = _row(name, ratio), 0.0 if name == "ratio" else float(getattr(targets, name))
        if rows and np.linalg.matrix_rank(np.vstack([*rows, row])) == len(rows):
            share, *_ = np.linalg.lstsq(np.array(rows).T, row, rcond=None)
            comes = float(share @ np.array(sides))
            if abs(comes - side) > ROUNDING_S:
                outdone.append(name)
                gave_way.append(_gives_way(name, targets, comes, admitted))
            continue
        rows.append(row)
        sides.append(side)
        admitted.append(name)
    near = np.array([getattr(usual, name) or fallback for name, fallback in zip(STAGES, USUAL_STAGES, strict=True)])
    seconds = near
    if rows:
        # The nearest to the usual that meets all that were admitted.
        weight, matrix = np.diag(GIVES), np.array(rows)
        off = np.array(sides) - matrix @ near
        seconds = near + weight @ matrix.T @ np.linalg.solve(matrix @ weight @ matrix.T, off)
    if (seconds < 10.0).any():
        short = STAGES[int(np.argmin(seconds))]
        told = tr(" and ").join(f"{TARGET_WORDS[name]} {_shown(name, targets)}" for name in admitted)
        raise ValueError(tr("{} leave {} no time.", told, TARGET_WORDS[short]))
    found = (float(seconds[0]), float(seconds[1]), float(seconds[2]))
    return StageTimes(found, tuple(admitted), tuple(outdone), tuple(gave_way))


def _shown(name: str, targets: Targets) -> str:
    value = getattr(targets, name)
    return tr("{:.1f} %", 100 * value) if name == "ratio" else clock(value)


def _gives_way(name: str, targets: Targets, comes: float, admitted: list[str]) -> str:
    told = ", ".join(f"{TARGET_WORDS[other]} {_shown(other, targets)}" for other in admitted)
    if name == "ratio":
        return tr("the development ratio {} gives way: {} are asked too.", _shown(name, targets), told)
    return tr("{} {} gives way: {} make it {}.", TARGET_WORDS[name], _shown(name, targets), told, clock(comes))
