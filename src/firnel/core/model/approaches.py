"""The approaches as forms of moves: where heat, airflow and further sources stand in each, before any house has its own."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.plan import Anchor, PlannedMove

#: Airflow as shares of the scale while drying, from yellow, from first crack: common practice, no published source.
AIR_LEVELS = (0.22, 0.45, 0.70)
#: What becomes of the airflow: anchor, offset [s], share of its scale. Air-led, it does what else a step of heat would.
AIR_MOVES: dict[str, tuple[tuple[Anchor, float, float], ...]] = {
    "": ((Anchor.YELLOW, 20.0, AIR_LEVELS[1]), (Anchor.FIRST_CRACK, -20.0, AIR_LEVELS[2])),
    "air-led": ((Anchor.YELLOW, -10.0, 0.45), (Anchor.YELLOW, 100.0, 0.60), (Anchor.FIRST_CRACK, 5.0, 0.85)),
}
#: A soak-and-push coasts through this share of its development.
COASTED = 0.4
#: A coast that brings down a drop that comes too hot begins about so long before it; common practice, no published source. [s]
COAST_S = 25.0
#: And no later than this: what comes of a shorter one hangs on a second or two of the hand that makes it. [s]
SHORTEST_COAST_S = 15.0
#: Where the other sources of heat stand at charge, and what becomes of them, as shares of their scales: radiant heat runs on
#: into the beans and is off before first crack, a drum heater is moderate and declines; common practice, no published source.
SOURCE_AT_CHARGE = {"radiant": 0.70, "drum": 0.50, "hot-air": 0.60, "gas": 0.60, "electric": 0.60}
SOURCE_MOVES: dict[str, tuple[tuple[Anchor, float, float], ...]] = {
    "radiant": ((Anchor.YELLOW, 0.0, 0.40), (Anchor.FIRST_CRACK, -60.0, 0.0)),
    "drum": ((Anchor.YELLOW, 0.0, 0.40), (Anchor.FIRST_CRACK, -30.0, 0.25)),
    "hot-air": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
    "gas": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
    "electric": ((Anchor.YELLOW, 30.0, 0.50), (Anchor.FIRST_CRACK, -10.0, 0.30)),
}


@dataclass(frozen=True)
class OpenMove:
    """A move of heat: anchor, offset [s], level as a share of full heat, whether that is open, reading, when due if known."""

    anchor: Anchor
    offset_s: float
    level: float
    open: bool = True
    at_c: float | None = None
    due: float | None = None
    timed: bool = False  #: its moment is open although its level is not
    own: PlannedMove | None = None  #: of the plan, where it comes from there


#: Form of each approach: the level at charge (None: a soak, the heat truly off), then its moves. Common practice, no
#: published source.
FORMS: dict[str, tuple[float | None, tuple[OpenMove, ...]]] = {
    "falling": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.68),
            OpenMove(Anchor.YELLOW, 110.0, 0.60),
            OpenMove(Anchor.FIRST_CRACK, -15.0, 0.42),
        ),
    ),
    "air-led": (
        0.78,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.78),
            OpenMove(Anchor.YELLOW, -30.0, 0.66),
            OpenMove(Anchor.FIRST_CRACK, 0.0, 0.38),
        ),
    ),
    "soak-push": (
        None,
        (OpenMove(Anchor.CHARGE, 60.0, 0.92), OpenMove(Anchor.YELLOW, 20.0, 0.55)),
    ),
    "times": (
        0.80,
        (
            OpenMove(Anchor.CHARGE, 120.0, 0.80),
            OpenMove(Anchor.YELLOW, 0.0, 0.64),
            OpenMove(Anchor.FIRST_CRACK, -10.0, 0.42),
        ),
    ),
}
