"""Many batches over time: a control chart of one figure, how capable it is, what moved with it, and how well plans are kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from firnel.core.plan import Plan
from firnel.core.review.charts import Capability, Chart, capability, individuals_chart
from firnel.core.review.comparison import figures_wanted, tolerance_of
from firnel.core.vocabulary import FloatArray
from firnel.core.words import later, tr
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library

#: What can be charted: name, words, unit of the words of `FIGURES`; the moment of first crack is what a clock shows.
CHARTED = (
    ("development_s", tr("development"), "s"),
    ("crack_s", tr("first crack"), "s"),
    ("drying_s", tr("drying"), "s"),
    ("browning_s", tr("browning"), "s"),
    ("total_s", tr("total"), "s"),
    ("drop_c", tr("drop"), "°C"),
    ("loss", tr("weight loss"), "share"),
    ("colour_ground", tr("colour ground"), "index"),
    ("colour_whole", tr("colour whole"), "index"),
)
#: By what batches are chosen.
CHOSEN_BY = (later("plan"), later("lot"), later("machine"), later("operator"))
#: At most so many batches are charted.
MOST = 10_000
#: A batch after a pause of this is the first of its day. [h]
DAY_BREAK_H = 3.0
#: Candidates for a drift need so many batches, and are told below this p.
LEAST_FOR_DRIFT, DRIFT_P = 8, 0.05


@dataclass(frozen=True)
class Candidate:
    """Something that moved with a figure: its words, Spearman's rank correlation, and its p; no proof."""

    words: str
    rho: float
    p: float


@dataclass(frozen=True)
class OverTime:
    """One figure over time: the batches, their values, chart, target and tolerance where a plan has them, and candidates."""

    name: str
    words: str
    unit: str
    lines: tuple[BatchLine, ...]
    chart: Chart
    wanted: float | None
    tolerance: float | None
    capability: Capability | None
    candidates: tuple[Candidate, ...]


def value_of(line: BatchLine, name: str) -> float | None:
    """One figure of a line of the list."""
    if name == "crack_s":
        return line.drying_s + line.browning_s if line.drying_s is not None and line.browning_s is not None else None
    found: float | None = getattr(line, name)
    return found


def chosen_lines(library: Library, by: str, name: str) -> list[BatchLine]:
    """The finished batches of a plan, lot, machine or operator, oldest first; of all for an empty name."""
    lot = next((lot.id for lot in library.lots() if lot.name == name), None) if by == "lot" else None
    machine = next((m.id for m in library.machines() if m.name == name), None) if by == "machine" else None
    wanted = BatchFilter(lot_id=lot, machine_id=machine, statuses=("done", "dropped"), counting=True)
    lines = library.batch_lines(wanted, limit=MOST)
    if name and by in ("plan", "operator"):
        lines = [line for line in lines if getattr(line, by) == name]
    return lines[::-1]


def choices(library: Library, by: str) -> list[str]:
    """The names there are to choose from."""
    if by == "operator":
        return sorted({line.operator for line in library.batch_lines(BatchFilter(), limit=MOST) if line.operator})
    if by == "plan":
        return [plan.name for plan in library.plans()]
    return [lot.name for lot in library.lots()] if by == "lot" else [machine.name for machine in library.machines()]


def over_time(library: Library, figure: str, by: str, name: str) -> OverTime | None:
    """One figure of the chosen batches over time; None with fewer than two values."""
    words, unit = next((words, unit) for known, words, unit in CHARTED if known == figure)
    lines = [line for line in chosen_lines(library, by, name) if value_of(line, figure) is not None]
    values = np.array([value_of(line, figure) for line in lines], float)
    if values.size < 2:
        return None
    plan = next((plan for plan in library.plans() if by == "plan" and plan.name == name), None)
    wanted, tolerance = _wanted(plan, figure)
    able = None
    if wanted is not None and tolerance is not None:
        able = capability(values, wanted - tolerance, wanted + tolerance, wanted)
    found = candidates(values, _companions(library, lines))
    return OverTime(figure, words, unit, tuple(lines), individuals_chart(values), wanted, tolerance, able, found)


def _wanted(plan: Plan | None, figure: str) -> tuple[float | None, float | None]:
    if plan is None:
        return None, None
    known = figures_wanted(plan)
    wanted = known.get(figure)
    if figure == "crack_s" and "drying_s" in known and "browning_s" in known:
        wanted = known["drying_s"] + known["browning_s"]
    return (None, None) if wanted is None else (wanted, tolerance_of(figure, wanted, plan))


def candidates(values: FloatArray, companions: Mapping[str, FloatArray]) -> tuple[Candidate, ...]:
    """What moved with the values, the strongest first: ranked correlations, none of them a proof.

    So many are tried that the p of each is taken times their number.
    """
    from scipy import stats  # takes longer to load than all of Firnel: only where it is wanted

    found = []
    for words, other in companions.items():
        known = np.isfinite(other) & np.isfinite(values)
        if known.sum() < LEAST_FOR_DRIFT or min(np.unique(part[known]).size for part in (other, values)) < 3:
            continue
        told = stats.spearmanr(values[known], other[known])
        found.append(Candidate(words, float(told.statistic), min(float(told.pvalue) * len(companions), 1.0)))
    return tuple(sorted((one for one in found if one.p < DRIFT_P), key=lambda one: -abs(one.rho)))


def _companions(library: Library, lines: Sequence[BatchLine]) -> dict[str, FloatArray]:
    """What is known beside each batch: number of the day, pause before it, room, lot age, time since cleaning, time itself."""
    started = np.array([line.started.timestamp() for line in lines])
    by_machine: dict[str, list[int]] = {}
    for index, line in enumerate(lines):
        by_machine.setdefault(line.machine, []).append(index)
    number, pause = np.full(len(lines), np.nan), np.full(len(lines), np.nan)
    for indices in by_machine.values():
        count, before = 0, float("-inf")
        for index in indices:
            hours = (started[index] - before) / 3600.0
            count = 1 if hours > DAY_BREAK_H else count + 1
            number[index] = min(count, 6)
            pause[index] = np.nan if hours > DAY_BREAK_H else 60.0 * hours
            before = started[index] + (lines[index].total_s or 0.0)
    arrived = {lot.name: _day(lot.arrival) for lot in library.lots()}
    age = [
        np.nan if (day := arrived.get(line.lot)) is None else (line.started - day).total_seconds() / 86400.0 for line in lines
    ]
    room = [np.nan if line.room_c is None else line.room_c for line in lines]
    return {
        tr("batch of the day"): number,
        tr("pause before it"): pause,
        tr("room temperature"): np.array(room, float),
        tr("age of the lot"): np.array(age, float),
        tr("time since cleaning"): _since_care(library, lines),
        tr("time itself"): started,
    }


def _day(text: str) -> datetime | None:
    try:
        return datetime.fromisoformat(text).replace(tzinfo=UTC)
    except ValueError:
        return None  # an arrival in words tells no age


def _since_care(library: Library, lines: Sequence[BatchLine]) -> FloatArray:
    """Days since the machine's last entry of care, for each batch."""
    care: dict[str, list[float]] = {}
    for machine in library.machines():
        if machine.id is not None:
            care[machine.name] = [entry.at.timestamp() for entry in library.machine_book.log(machine.id, "care")]
    out = np.full(len(lines), np.nan)
    for index, line in enumerate(lines):
        before = [at for at in care.get(line.machine, ()) if at <= line.started.timestamp()]
        if before:
            out[index] = (line.started.timestamp() - max(before)) / 86400.0
    return out


@dataclass(frozen=True)
class Replication:
    """How well a plan is kept: batches, share with every figure in tolerance, spreads of development [s] and drop [K]."""

    plan: str
    batches: int
    kept: float
    development_sd: float | None
    drop_sd: float | None


def replication(library: Library) -> list[Replication]:
    """For every plan with three batches or more, the best kept first."""
    found = []
    lines = library.batch_lines(BatchFilter(statuses=("done", "dropped"), counting=True), limit=MOST)
    for plan in library.plans():
        own = [line for line in lines if line.plan == plan.name]
        if len(own) < 3:
            continue
        good = 0
        for line in own:
            pairs = [(value_of(line, name), *_wanted(plan, name)) for name in ("browning_s", "development_s", "drop_c")]
            good += all(
                value is None or wanted is None or tolerance is None or abs(value - wanted) <= tolerance
                for value, wanted, tolerance in pairs
            )
        spreads = []
        for name in ("development_s", "drop_c"):
            known = np.array([value for line in own if (value := value_of(line, name)) is not None], float)
            spreads.append(float(known.std(ddof=1)) if known.size > 2 else None)
        found.append(Replication(plan.name, len(own), good / len(own), spreads[0], spreads[1]))
    return sorted(found, key=lambda one: -one.kept)
