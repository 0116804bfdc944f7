"""Care: what is due after how many batches, kilograms or days, and the seasoning of a new drum."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from firnel.core.words import tr


@dataclass(frozen=True)
class CareJob:
    """A job, and after how many batches, kilograms or days it is due; None where that does not count."""

    key: str
    title: str
    every_batches: int | None = None
    every_kg: float | None = None
    every_days: int | None = None
    caution: str = ""

    @property
    def every(self) -> float:
        """The interval, in its unit."""
        return float(self.every_batches or self.every_kg or self.every_days or 1)

    @property
    def unit(self) -> str:
        """What the interval counts."""
        return tr("batches") if self.every_batches is not None else "kg" if self.every_kg is not None else tr("days")

    def at(self, every: float) -> CareJob:
        """The same job at another interval.

        Raises
        ------
        ValueError : if it is none.
        """
        if not 1.0 <= every <= 100_000.0:
            raise ValueError(tr("{}: every {:g} {} cannot be.", self.title, every, self.unit))
        if self.every_kg is not None:
            return replace(self, every_kg=float(every))
        whole = round(every)
        return replace(self, every_batches=whole) if self.every_batches is not None else replace(self, every_days=whole)


#: Usual intervals; common practice, no published source. The maker's manual comes first.
CARE_JOBS = (
    CareJob(
        "draft",
        tr("Check the draft with a little flame"),
        every_days=7,
        caution=tr(
            "Draft: at the open trier, drum turning, heat low, a little flame leans in gently; nothing that burns near."
        ),
    ),
    CareJob(
        "chaff",
        tr("Empty the chaff collector"),
        every_batches=6,
        caution=tr("Chaff smoulders: cold drum, metal bucket, lid on."),
    ),
    CareJob("tray", tr("Clean the cooling tray and its holes"), every_batches=30),
    CareJob("fan", tr("Clean the fan and its blades"), every_kg=800.0, caution=tr("Power off at the main switch.")),
    CareJob("duct", tr("Clean ducts and cyclone"), every_kg=1500.0, caution=tr("Oily ducts burn: never put it off.")),
    CareJob("probe", tr("Check the probes in ice and boiling water"), every_days=90),
    CareJob(
        "burner",
        tr("Have burner or elements inspected"),
        every_days=365,
        caution=tr("Gas, flue and electrics are for licensed trades."),
    ),
)


@dataclass(frozen=True)
class DoneBatch:
    """When a batch was roasted, and its load. [kg]"""

    at: datetime
    load_kg: float


@dataclass(frozen=True)
class CareState:
    """Where a job stands: what has run since it was done, and how much of its interval is used (1 is due)."""

    job: CareJob
    done_at: datetime | None
    batches: int
    kg: float
    days: int | None
    used: float

    @property
    def due(self) -> bool:
        """Whether it is due."""
        return self.used >= 1.0

    def due_after(self, batches: int, kg: float) -> bool:
        """Whether it is due once so many more batches of so much together [kg] are roasted."""
        counts = self.job.every_batches is not None and self.batches + batches >= self.job.every_batches
        weighs = self.job.every_kg is not None and self.kg + kg >= self.job.every_kg
        return self.due or counts or weighs

    @property
    def words(self) -> str:
        """Where it stands, in words."""
        parts = []
        if self.job.every_batches is not None:
            parts.append(tr("{} of {} batches", self.batches, self.job.every_batches))
        if self.job.every_kg is not None:
            parts.append(tr("{:.0f} of {:.0f} kg", self.kg, self.job.every_kg))
        if self.job.every_days is not None:
            parts.append(tr("{} of {} days", self.days, self.job.every_days) if self.days is not None else tr("never noted"))
        return ", ".join(parts)


def care_states(
    batches: Iterable[DoneBatch], done: Mapping[str, datetime], now: datetime, jobs: Iterable[CareJob] = CARE_JOBS
) -> tuple[CareState, ...]:
    """Where every job stands, the most urgent first.

    Parameters
    ----------
    batches : of the machine.
    done : when each job was last done, by key.
    now : the present.
    """
    batches = tuple(batches)
    states = []
    for job in jobs:
        last = done.get(job.key)
        since = [batch for batch in batches if last is None or batch.at > last]
        kg = sum(batch.load_kg for batch in since)
        days = (now - last).days if last is not None else None
        used = 0.0
        if job.every_batches is not None:
            used = max(used, len(since) / job.every_batches)
        if job.every_kg is not None:
            used = max(used, kg / job.every_kg)
        if job.every_days is not None:
            used = max(used, days / job.every_days if days is not None else 1.0)
        states.append(CareState(job, last, len(since), kg, days, used))
    return tuple(sorted(states, key=lambda state: -state.used))


def jobs_at(intervals: Mapping[str, float]) -> tuple[CareJob, ...]:
    """The jobs, those with an interval of the machine's own at that."""
    return tuple(job.at(intervals[job.key]) if job.key in intervals else job for job in CARE_JOBS)


#: How a new or stripped drum is seasoned; common practice, no published source.
SEASONING_LOADS = 5
SEASONING = (
    tr("Use old green that nobody will miss: five full loads, one after the other."),
    tr("Take each well past second crack, then heat off, and let it tumble in the drum for 5 to 20 minutes."),
    tr("Throw every load away. Nobody drinks it, not even to try."),
    tr("It smokes: ventilate, watch the exhaust, keep the extinguisher at hand. Have somebody beside you, and never leave."),
    tr("Water near a hot drum only as the maker says. If it burns: doors shut, and the maker's way."),
    tr("Let each load cool in the open before it goes into a metal bin with a lid: hot dark beans relight."),
)
#: A load tumbles at least so long after its heat is off, and at most. [s]
TUMBLE_S = (300.0, 1200.0)


@dataclass(frozen=True)
class SeasonStep:
    """One step of a seasoning load: what to do, the caution that matters there, and whether it is the tumbling."""

    words: str
    caution: str = ""
    tumbles: bool = False


SEASON_STEPS = (
    SeasonStep(
        tr("Charge a full load of old green"), tr("Somebody beside you, extinguisher at hand, exhaust on. Never leave it.")
    ),
    SeasonStep(
        tr("Heat through first crack and well past second crack"), tr("It smokes. Watch the exhaust and the chaff collector.")
    ),
    SeasonStep(
        tr("Heat off, drum turning, doors shut"),
        tr("If it burns: heat off, doors shut, the maker's way. Water only as the maker says."),
    ),
    SeasonStep(
        tr("Let it tumble"),
        tr("Not before five minutes, not beyond twenty. The beans go on heating by themselves."),
        tumbles=True,
    ),
    SeasonStep(
        tr("Drop it, cool it in the open, throw it away"),
        tr("Into a metal bin with a lid, once it is cold: hot dark beans relight. Nobody drinks it."),
    ),
)
