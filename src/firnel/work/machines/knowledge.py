"""What is known of a machine: its fitted model, from which batches, and how far to trust it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from firnel.core.machine.readings import told_readings
from firnel.core.model.document import OutdatedModelError, model_from_document, model_to_document, scales_of, shifts_in
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel, misfit
from firnel.core.model.lessons import learn
from firnel.core.model.logged import LoggedBatch, UnusableLogError, UsualLoad, logged_batch
from firnel.core.model.prior import prior_model
from firnel.core.model.probe_shift import ProbeShift, as_read_now, since_read
from firnel.core.model.rescaled import rescaled
from firnel.core.vocabulary import BatchRecord, FloatArray, Machine
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.machines.moved import first_since, plans_go_along, probe_moves
from firnel.work.plan.whose import green_blends, lot_of

#: At most so many batches are fitted: the newest, all lots in turn.
MOST_BATCHES = 16
#: Where nothing tells how much a machine holds. [kg]
USUAL_LOAD_KG = 5.0
#: A batch is the first on a cold machine after a pause of this.
COLD_AFTER = timedelta(hours=3)
#: How far a model may be off on batches it had not seen to be good to plan with, and to be planned with at all: the root mean
#: square of the bean probe, the median of first crack without live data; common practice, no published source. [degC], [s]
GOOD, ROUGH = (3.0, 20.0), (6.0, 60.0)
#: What is told the share done [0..1], and says whether to go on.
Told = Callable[[float], bool]
#: What learns a machine: batches, full load [kg], its kinds of heat, what is told, and known shifts of the bean probe.
Learning = Callable[[Sequence[LoggedBatch], float, Sequence[str], Told | None, tuple[ProbeShift, ...]], MachineModel]


class CannotKnowError(ValueError):
    """Something that cannot be known from what there is; the message says what is missing."""


@dataclass(frozen=True)
class Compared:
    """A batch measured and modelled, from charge: times [s] and readings [degC], and the misfit."""

    label: str
    t: FloatArray
    bean: FloatArray
    air: FloatArray
    model_t: FloatArray
    model_bean: FloatArray
    model_air: FloatArray
    rms_bean_c: float
    in_fit: bool


@dataclass(frozen=True)
class KnownOfMachine:
    """A machine's model and whence it is, the batches that it can be held against, and one of them; or why it cannot be."""

    model: MachineModel
    whence: str
    labels: tuple[str, ...]
    shown: str
    compared: Compared | None
    not_compared: str


def usable_batches(
    library: Library, machine: Machine, labels: Sequence[str] | None = None
) -> tuple[list[LoggedBatch], list[str]]:
    """Batches of a machine that the model can learn from, and why others cannot be used.

    Parameters
    ----------
    labels : which batches, by label or id; the newest of all lots where None.

    Raises
    ------
    NotInLibraryError : if a batch is not there.
    """
    lines = batch_lines_of(library, machine)
    wanted = [library.find_batch(label) for label in labels] if labels else [line.id for line in _in_turn(lines)]
    lots = {lot.name: lot for lot in library.lots()}
    blends = green_blends(library, list(lots.values()))
    numbers = _batch_of_day(lines)
    taken, refused = [], []
    for key in wanted:
        record = library.batch(key)
        if record.machine != machine.name:
            refused.append(
                tr(
                    "batch {} was roasted on {}, not on {}.",
                    record.label,
                    record.machine or tr("an unknown machine"),
                    machine.name,
                )
            )
            continue
        try:
            taken.append(
                logged_batch(record, machine, blends.get(record.plan_id or 0) or lots.get(record.lot), numbers.get(key))
            )
        except UnusableLogError as error:
            refused.append(str(error))
    return first_since(taken, probe_moves(library, machine)), refused


def batch_lines_of(library: Library, machine: Machine) -> list[BatchLine]:
    """The machine's finished batches, newest first."""
    return library.batch_lines(BatchFilter(machine_id=machine.id, statuses=("done", "dropped"), counting=True), limit=400)


def _in_turn(lines: Sequence[BatchLine]) -> list[BatchLine]:
    """The newest of each lot, then the next of each, and so on, so that no lot crowds out the others; oldest first."""
    rank: dict[str, int] = {}
    ranked = []
    for line in lines:
        if line.total_s is None or line.load_kg is None:
            continue
        rank[line.lot] = rank.get(line.lot, 0) + 1
        ranked.append((rank[line.lot], -line.started.timestamp(), line))
    chosen = [line for _, _, line in sorted(ranked, key=lambda entry: entry[:2])[:MOST_BATCHES]]
    return sorted(chosen, key=lambda line: line.started)


def _batch_of_day(lines: Sequence[BatchLine]) -> dict[int, int]:
    """Which batch of the day each is, a long pause beginning a new one. Imported logs without clock times tell nothing."""
    numbers: dict[int, int] = {}
    before: datetime | None = None
    number = 0
    for line in sorted(lines, key=lambda line: line.started):
        number = 1 if before is None or line.started - before > COLD_AFTER else number + 1
        numbers[line.id] = number
        before = line.started
    return numbers if len({line.started.date() for line in lines}) > 1 else {}


def fit_machine(
    library: Library,
    machine: Machine,
    labels: Sequence[str] | None = None,
    progress: Callable[[float], bool] | None = None,
    at: datetime | None = None,
    learned: Learning = learn,
) -> tuple[MachineModel, list[str]]:
    """Fit a machine to its batches and keep the model, made ``at`` (now). Returns it, and why batches were left out.

    ``learned`` is what learns: here and now, or elsewhere.

    Raises
    ------
    CannotKnowError : if there is no usable batch; the message says why.
    FitCancelledError : if ``progress`` says so.
    """
    batches, refused = usable_batches(library, machine, labels)
    if not batches:
        why = f" {refused[0]}" if refused else ""
        raise CannotKnowError(
            tr(
                "{} has no batch yet that can be learned from: roast one, or import old logs with their loads.{}",
                machine.name,
                why,
            )
        )
    shifts = model_of(library, machine)[0].report.shifts
    model = learned(batches, full_load_of(machine, batches), machine.heat_kinds, progress, shifts)
    keep_model(library, machine, model, batches, at)
    return model, refused


def full_load_of(machine: Machine, batches: Sequence[LoggedBatch] = ()) -> float:
    """The useful load; where it was not told, the largest that was logged, or a usual one. [kg]"""
    told = machine.useful_load_kg or machine.stated_load_kg
    return told or max((batch.load_kg for batch in batches), default=USUAL_LOAD_KG)


def keep_model(
    library: Library, machine: Machine, model: MachineModel, batches: Sequence[LoggedBatch], at: datetime | None = None
) -> None:
    """Keep what was learned of a machine from batches, made ``at`` (now), and where its marks usually come.

    Where it was learned that the bean probe was moved, the machine's plans get their readings on it.

    Raises
    ------
    CannotKnowError : if the machine is not in the library.
    """
    if machine.id is None:
        raise CannotKnowError(tr("{} is not in the library.", machine.name))
    kept = library.machine_book.model(machine.id)
    before = shifts_in(kept[1]) if kept is not None else ()
    document = model_to_document(model, machine.heat_kinds) | {"scales": scales_of(machine)}
    library.machine_book.save_model(machine.id, document, at)
    plans_go_along(library, machine, before, model.report.shifts)
    good = [batch for batch in as_read_now(batches, model.report.shifts) if batch.label not in model.report.refused]
    yellow_c, crack_c = mark_readings(good)
    library.save_machine(
        replace(
            machine,
            yellow_c=round(yellow_c, 1) if yellow_c is not None else machine.yellow_c,
            first_crack_c=round(crack_c, 1) if crack_c is not None else machine.first_crack_c,
        ),
        machine,
    )


def model_of(library: Library, machine: Machine) -> tuple[MachineModel, str]:
    """The machine's model, and where it comes from; before anything is learned, what drums of its heat and size are like."""
    kept = library.machine_book.model(machine.id) if machine.id is not None else None
    why = tr("nothing is learned of {} yet: this is what a {} drum of its size usually does", machine.name, machine.heat)
    if kept is not None:
        at, document = kept
        try:
            model = rescaled(model_from_document(document), machine, document.get("scales", scales_of(machine)))
        except OutdatedModelError as error:
            why = str(error)
        else:
            if model is not None:
                return _doubting(library, machine, model), tr("fitted {:%d %B %Y}", at.astimezone())
            why = tr("the scales of {} were changed since it was fitted: fit it again", machine.name)
    return prior_model(full_load_of(machine), machine.heat_kinds, *told_readings(machine)), why


def _doubting(library: Library, machine: Machine, model: MachineModel) -> MachineModel:
    """The model, which doubts its marks where the bean probe was moved and no batch since has shown how it reads now."""
    moves = probe_moves(library, machine)
    if not moves:
        return model
    shown = any(line.started >= moves[-1] and line.label in model.report.batches for line in batch_lines_of(library, machine))
    return model if shown else replace(model, probe_moved=moves[-1])


def trust_words(model: MachineModel) -> tuple[str, ...]:
    """How far to trust the model, and what batch to log next to trust it more; in sentences."""
    report, said = model.report, []
    count = model.batches
    if not count:
        return (
            tr(
                "Nothing is learned of this machine yet: plans and forecasts go by what drums of its heat and size are like, "
                "and may be minutes off. Each batch teaches it, by itself."
            ),
        )
    if report.held_out_rms_bean_c is None:
        of = tr("one batch") if count == 1 else tr("{} batches", count)
        said.append(tr("Learned from {}, none held out: it has not been judged. It is from four batches on.", of))
    else:
        off, late = report.held_out_rms_bean_c, report.held_out_crack_s
        verdict = (
            tr("good to plan with")
            if off <= GOOD[0] and (late or 0.0) <= GOOD[1]
            else tr("rough: plan with it, but watch")
            if off <= ROUGH[0] and (late or 0.0) <= ROUGH[1]
            else tr("not to be planned with yet")
        )
        crack = tr(", first crack {:.0f} s", late) if late is not None else ""
        on = tr("one batch") if len(report.held_out) == 1 else tr("{} batches", len(report.held_out))
        said.append(tr("On {} it had not seen it was {:.1f} K off{}: {}.", on, off, crack, verdict))
    if model.probe_moved is not None:
        said.append(
            tr(
                "The bean probe was moved or changed on {:%d %B %Y}: until a batch since then is learned, marks may come some "
                "degrees off what plans say. Drive it by colour, sound and time.",
                model.probe_moved.astimezone(),
            )
        )
    said += [shift_words(shift) for shift in report.shifts if shift.label in report.batches[1:]]
    if report.refused:
        said.append(
            tr(
                "Not learned from {}: with it the others came out worse. Is its load or a mark wrong, or was a probe moved?",
                " and ".join(report.refused),
            )
        )
    loose = next((name for name in _WOULD_TELL if not model.fitted.learned(name)), None)
    if loose is not None:
        said.append(tr("Little is known of {}. {}", _PLAIN[loose], _WOULD_TELL[loose]))
    lots = len(set(model.fitted.uptake))
    if lots < 3:
        said.append(
            tr(
                "All from {} {}: log a batch of another one, dense or natural.",
                lots,
                tr("lot") if lots == 1 else tr("lots"),
            )
        )
    return tuple(said)


def shift_words(shift: ProbeShift) -> str:
    """That a bean probe was moved or changed, and what follows from it."""
    return tr(
        "Since {} the bean probe reads {:.1f} K {}: it was moved or changed. Older batches count as it reads now; plans from "
        "before it have a version with its readings.",
        shift.label,
        abs(shift.by_c),
        tr("more") if shift.by_c > 0 else tr("less"),
    )


_PLAIN = {
    "air_exponent": tr("what the airflow scale does"),
    "load_exponent": tr("what other loads do"),
    "heat_exponent": tr("what the heat scale does"),
    "bare_pull": tr("small loads"),
    "steel_first_batch": tr("the first batch of the day"),
    "heat_lag": tr("how fast the burner answers"),
}
_WOULD_TELL = {
    "load_exponent": tr("Log a batch with two thirds of the usual load."),
    "bare_pull": tr("Log a batch with half the usual load."),
    "steel_first_batch": tr("Log the first batch of a day."),
    "air_exponent": tr("Log a batch with much less or more air early on."),
    "heat_exponent": tr("Log a batch that runs on much less or more heat than usual."),
    "heat_lag": tr("Log a batch with one large gas change in the middle."),
}


def fitted_labels(library: Library, machine: Machine) -> list[str]:
    """Labels of the machine's batches that can be looked at, newest first."""
    return [
        line.label for line in batch_lines_of(library, machine)[:40] if line.total_s is not None and line.load_kg is not None
    ]


def compare(library: Library, machine: Machine, model: MachineModel, label: str) -> Compared:
    """A batch measured and modelled.

    Raises
    ------
    UnusableLogError, NotInLibraryError : if there is no such batch, or it cannot be modelled.
    """
    record = library.batch(library.find_batch(label))
    batch = logged(library, machine, record)
    by = since_read(batch, model.report.shifts)  # the model knows the present probe
    made = modelled(model.fitted, batch.reading_more(by))
    return Compared(
        record.label, batch.t, batch.bean, batch.air, made.t, made.bean_probe[:, 0] - by, made.air_probe[:, 0],
        misfit(made, batch.reading_more(by))[0], record.label in model.report.batches,
    )  # fmt: skip


def known_of(library: Library, machine: Machine, wanted: str = "") -> KnownOfMachine:
    """What is known of a machine, held against the wanted batch if it is of this machine, else against its newest."""
    model, whence = model_of(library, machine)
    labels = tuple(fitted_labels(library, machine))
    shown = wanted if wanted in labels else next(iter(labels), "")
    try:
        return KnownOfMachine(model, whence, labels, shown, compare(library, machine, model, shown) if shown else None, "")
    except ValueError as error:
        return KnownOfMachine(model, whence, labels, shown, None, str(error))


def logged(
    library: Library, machine: Machine, record: BatchRecord, until: float | None = None, usual: UsualLoad | None = None
) -> LoggedBatch:
    """A recorded batch as the model looks at it, with what is usual for a load that nobody told, if anything.

    Raises
    ------
    UnusableLogError : if it cannot.
    """
    lot = lot_of(library, record)
    return logged_batch(record, machine, lot, None, until, usual)


def fit_document(machine: Machine, model: MachineModel) -> dict[str, Any]:
    """The document of ``firnel machine fit --json``."""
    fitted, report = model.fitted, model.report
    return {
        "machine": machine.name,
        "batches": list(report.batches),
        "constants": {
            prior.name: {"value": fitted.number(prior.name), "sd": fitted.spread(prior.name), "unit": prior.unit or "1"}
            for prior in fitted.priors
        },
        "rms_bean_c": report.rms_bean_c,
        "rms_air_c": report.rms_air_c,
        "held_out": list(report.held_out),
        "held_out_rms_bean_c": report.held_out_rms_bean_c,
        "held_out_first_crack_s": report.held_out_crack_s,
        "probe_shifts": [{"since": shift.label, "bean_c": shift.by_c} for shift in report.shifts],
        "trust": list(trust_words(model)),
    }


def mark_readings(batches: Sequence[LoggedBatch]) -> tuple[float | None, float | None]:
    """The machine's own bean readings at yellow and first crack: the medians of its batches. [degC]"""
    at: list[float | None] = []
    for name in ("yellow_t", "first_crack_t"):
        read = np.array([np.interp(getattr(b, name), b.t, b.bean) for b in batches if getattr(b, name) is not None])
        read = read[np.isfinite(read)]
        at.append(float(np.median(read)) if read.size else None)
    return at[0], at[1]
