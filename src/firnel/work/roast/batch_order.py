"""What is to be roasted, and what the desk knows around it: values that a batch is handed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from firnel.core.plan import Plan
from firnel.core.vocabulary import BatchRecord, Lot, Machine

if TYPE_CHECKING:
    from firnel.work.roast.steel import Readiness, SteelEstimate


@dataclass(frozen=True)
class BatchOrder:
    """What is to be roasted: any of it may be unknown when the charge comes unannounced."""

    lot: Lot | None = None
    machine: Machine | None = None
    plan: Plan | None = None
    load_kg: float | None = None
    operator: str = ""
    waiting_id: int | None = None  #: of the one in the queue, whose number it takes


@dataclass(frozen=True)
class Around:
    """What the desk knows around the batch: it alone works this out, and hands it over as one value."""

    steel: SteelEstimate | None = None  #: of the idling machine
    steel_untold: str = ""  #: why nothing is said of the steel of this machine, and what earns it
    readiness: Readiness | None = None  #: of the steel for this plan
    rested_s: float | None = None  #: since the machine's last drop, when the batch was prepared; None for the day's first
    reference: BatchRecord | None = None  #: that this batch is to be like
    lead_s: float = 0.0  #: the drop is called this long before, for the hand and the door
    by_hand: bool = False  #: whether readings are typed
    hand_every_s: float = 30.0  #: between two of them
    crack_rule: str = ""  #: which pop the house takes for first crack
    care: str = ""  #: what is due on the machine, in a line
