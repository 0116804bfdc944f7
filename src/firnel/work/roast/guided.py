"""What the running batch is told when it is looked ahead."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from firnel.core.guidance import Advice
from firnel.core.known_course import Course
from firnel.core.landing import Landing
from firnel.core.model.foretelling import Forecast
from firnel.core.vocabulary import MarkKind
from firnel.work.roast.coming import Coming


@dataclass(frozen=True)
class Ghost:
    """Where the batch would land with another step: name, development [s], drop [degC]."""

    name: str
    development_s: float
    drop_c: float


@dataclass(frozen=True)
class Guidance:
    """What was worked out at ``at`` [s of log time]; ``marks`` are expected in log time too."""

    at: float
    forecast: Forecast
    marks: Mapping[MarkKind, float]
    landing: Landing | None = None
    moved_s: float = 0.0  #: by how much the drop is moved from the leading target's moment, so that it lands in the box [s]
    ghosts: tuple[Ghost, ...] = ()
    advice: Advice | None = None
    too_late: bool = False
    coming: tuple[Coming, ...] = ()
    why: str = ""
    muted: str = ""  #: why nothing is advised on this machine, and what earns it
    tried: bool = False  #: whether steps were tried against what is missed
    #: marks not set that members are past: when half of them were (log time), half the 80 % interval [s], and what share is
    passed: Mapping[MarkKind, tuple[float, float, float]] = field(default_factory=dict)
    course: Course | None = None  #: what a model that was fitted makes of the batch from its load and moves alone, in log time
