"""Was it the same? A batch against its reference or its plan, the likely cause of what was not, and what to change next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.causes import Cause, likely_causes
from firnel.core.model.logged import UnusableLogError, logged_batch
from firnel.core.model.solving import CannotSolveError, How
from firnel.core.plan import TARGET_WORDS, Plan
from firnel.core.review.changes import Change, changes
from firnel.core.review.comparison import Deviation, aligned, deviations, figures_of, figures_wanted, was_the_same
from firnel.core.units import Units, clock
from firnel.core.vocabulary import BatchRecord, Machine, MarkKind
from firnel.core.words import capital, meant, tr
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores, cup_words
from firnel.work.bench.weighing import inspection_of
from firnel.work.machines.knowledge import CannotKnowError, model_of
from firnel.work.plan.planning import solve_plan
from firnel.work.plan.whose import machine_of, plan_of
from firnel.work.review.compare_picture import Drawn, drawn_of
from firnel.work.review.references import reference_of

#: The model is never quite sure.
SUREST = 0.99
#: From this belief on a cause that lies in no plan is seen to before a plan is changed, and how.
SURE_ENOUGH = 0.7
SEE_TO = {
    "fan": tr("Change nothing in the plan for this batch: see to the air first, then roast it once more."),
    "steel": tr("Change nothing in the plan for this batch: let the drum soak as the plan assumes, then roast it once more."),
    "load": tr("Change nothing in the plan for this batch: weigh the load, then roast it once more."),
    "probe": tr("Change nothing in the plan for this batch: check the bean probe first, then roast it once more."),
}
#: Causes below this belief are not told beside the first.
WORTH_TELLING = 0.05


@dataclass(frozen=True)
class Expected:
    """An edit of the plan with what the model expects of it: the plan as it would be, and words; None where it cannot say."""

    change: Change
    words: str
    plan: Plan | None


@dataclass(frozen=True)
class Judged:
    """A batch judged: against what, the table, whether it was the same, the causes in words, and the edits called for."""

    against: str
    table: tuple[Deviation, ...]
    same: bool | None
    verdict: str
    causes: tuple[tuple[str, float], ...]
    why_none: str
    edits: tuple[Expected, ...]
    no_edits: str = ""  #: why none are called for


def judge(library: Library, key: int, units: Units, against: int | None = None, with_edits: bool = True) -> Judged:
    """Judge a batch.

    Parameters
    ----------
    library, key : the batch.
    units : of the words.
    against : another batch; the plan's reference where None, or the plan itself where it has none.
    with_edits : whether the model is asked what edits of the plan would do, which takes a second.

    Raises
    ------
    NotInLibraryError : if one of the batches is not there.
    """
    record = library.batch(key)
    plan, other = _held_against(library, record, against)
    cups = cup_scores(library)
    came = figures_of(record, cups.get(key))
    if other is not None:
        wanted, name = figures_of(other, cups.get(other.id or -1)), tr("reference {}", other.label)
    elif plan is not None:
        wanted, name = figures_wanted(plan), tr("plan {}", plan.name)
    else:
        return Judged("", (), None, tr("Nothing to judge it by: it has no plan, and no batch was chosen."), (), "", ())
    table = deviations(came, wanted, plan)
    same = was_the_same(table)
    found, why, first = (
        _causes(library, record, other, units) if other is not None else ((), tr("Causes need a reference batch."), "")
    )
    found = (*((words, 1.0) for words in _facts(table)), *found)
    missed = (first or _missed_plan(came, plan)) if plan is not None else ""
    edits = _edits(library, record, plan, table, units) if with_edits and plan is not None and not missed else ()
    verdict = _verdict(table, same, name)
    if other is not None and record.lot and other.lot and record.lot != other.lot:
        verdict = tr("It is another lot, {} and not {}. {}", record.lot, other.lot, verdict)
    return Judged(name, table, same, verdict, found, why, edits, missed)


def _held_against(library: Library, record: BatchRecord, against: int | None) -> tuple[Plan | None, BatchRecord | None]:
    """The plan of a batch, and the other batch that it is judged by, if one is."""
    plan = (library.plan_book.used_by(record.id) if record.id is not None else None) or plan_of(library, record)
    other = library.batch(against) if against is not None else reference_of(library, plan)
    return plan, other if other is None or other.id != record.id else None


def laid_over(library: Library, key: int, units: Units) -> tuple[Drawn, ...]:
    """What a batch is judged by, and itself, over the time from the charge.

    A batch is drawn whose charge and drop are marked and whose bean probe read anything between.

    Raises
    ------
    NotInLibraryError : if the batch is not there.
    """
    record = library.batch(key)
    plan, other = _held_against(library, record, None)
    drawn = []
    if other is None and plan is not None and plan.curve is not None:
        curve, scale, offset = plan.curve, units.show_difference(1.0), units.show(0.0, "°C")
        drawn.append(Drawn(plan.name, curve.t, curve.bean * scale + offset, curve.air * scale + offset, curve.ror * scale, {}))
    for one in (other, record):
        if one is not None and {MarkKind.CHARGE, MarkKind.DROP} <= {mark.kind for mark in one.marks}:
            drawn.append(drawn_of(aligned(one, MarkKind.CHARGE.value), units))
    return tuple(one for one in drawn if np.isfinite(one.bean).any())


def _facts(table: Sequence[Deviation]) -> list[str]:
    """What needs no model: the hand that dropped early or late."""
    return [
        tr("it was dropped {} {} after first crack", clock(abs(one.by)), tr("late") if one.by > 0 else tr("early"))
        for one in table
        if one.name == "development_s" and one.word == "off"
    ]


def _missed_plan(came: Mapping[str, float], plan: Plan) -> str:
    """Why a plan is not to be changed by this batch: it was not roasted as the plan says; empty where it was."""
    for one in deviations(came, figures_wanted(plan), plan):
        if one.name == "development_s" and one.word == "off":
            side = tr("long") if one.by > 0 else tr("short")
            return tr(
                "Development came {} {} of the plan: roast it as planned before the plan is changed.", clock(abs(one.by)), side
            )
    return ""


def _verdict(table: Sequence[Deviation], same: bool | None, name: str) -> str:
    if same is None:
        return tr("Against {} nothing can be compared: marks or figures are missing.", name)
    if same:
        return tr("The same as {}, within every tolerance.", name)
    counted = [one for one in table if one.name not in ("charge_c", "total_s")]
    off, close = (", ".join(one.words for one in counted if one.word == word) for word in ("off", "close"))
    if not off:
        return tr("Close to {}, a little outside: {}.", name, close)
    return tr("Not the same as {}: {}.", name, ", ".join(filter(None, (off, close))))


def _causes(
    library: Library, record: BatchRecord, other: BatchRecord, units: Units
) -> tuple[tuple[tuple[str, float], ...], str, str]:
    """The likely causes as sentences with their belief, likeliest first; why there are none; what is to be seen to first."""
    machine = machine_of(library, record)
    if machine is None or other.machine != record.machine:
        return (), tr("Causes are looked for on one machine: the two batches were roasted on different ones."), ""
    model, why = model_of(library, machine)
    if not model.batches:
        return (), why, ""
    lots = {lot.name: lot for lot in library.lots()}
    try:
        batch, reference = (logged_batch(one, machine, lots.get(one.lot)) for one in (record, other))
    except UnusableLogError as error:
        return (), str(error), ""
    ranked = likely_causes(model, batch, reference)
    told = [(cause_words(cause, machine, units), min(cause.confidence, SUREST)) for cause in ranked]
    first = SEE_TO.get(ranked[0].kind, "") if ranked[0].confidence >= SURE_ENOUGH else ""
    return tuple(entry for index, entry in enumerate(told) if index == 0 or entry[1] >= WORTH_TELLING), "", first


def cause_words(cause: Cause, machine: Machine, units: Units) -> str:
    """One cause as a sentence: ``the steel was 12 °C colder at charge``."""
    amount = cause.amount
    if cause.kind == "none":
        return tr("no cause: any two batches differ by as much")
    if cause.kind == "steel":
        degrees = tr("{:.0f} {}", abs(units.show_difference(amount)), units.temperature)
        return tr("the steel was {} {} at charge", degrees, tr("hotter") if amount > 0 else tr("colder"))
    if cause.kind == "load":
        return tr(
            "the load was {:.0f} % {} than was told",
            100 * abs(amount),
            tr("heavier") if amount > 0 else meant("weight", "lighter"),
        )
    if cause.kind == "probe":
        degrees = tr("{:.1f} {}", abs(units.show_difference(amount)), units.temperature)
        return tr("the bean probe read {} too {}: check it in boiling water", degrees, tr("high") if amount > 0 else tr("low"))
    if cause.kind == "fan":
        side = tr("more") if amount > 0 else tr("less")
        return tr(
            "the fan drew {:.0f} % {} air at the same setting: check filter, duct and chaff collector", 100 * abs(amount), side
        )
    name = machine.word(machine.main_heat)
    name = name if cause.kind == "gas" else tr("air")
    return tr("the {} stood differently from the reference for {}", name, clock(amount))


def _edits(library: Library, record: BatchRecord, plan: Plan, table: Sequence[Deviation], units: Units) -> tuple[Expected, ...]:
    key = record.id or -1
    asked = changes(cup_words(library, key), inspection_of(library, key), table)
    machine = machine_of(library, plan)
    return tuple(_expected(library, machine, plan, change, units) for change in asked)


def _expected(library: Library, machine: Machine | None, plan: Plan, change: Change, units: Units) -> Expected:
    words = change_words(plan, change, units)
    now = getattr(plan.targets, change.target)
    if machine is None or now is None:
        return Expected(change, words, None)
    asked = {*plan.wanted.asked, change.target}
    if change.target == "development_s":
        asked -= {"drop_c", "rise_c", "loss", "colour", "total_s", "ratio"}  # these are what follows from it
    edited = replace(plan, targets=replace(plan.targets, **{change.target: now + change.by}), asked=tuple(asked))
    try:
        before, after = (solve_plan(library, machine, one, how=How.KEPT) for one in (plan, edited))
    except (CannotKnowError, CannotSolveError) as error:
        return Expected(change, tr("{} The model cannot say what comes of it: {}", words, error), None)
    loss, colour = after.roast.loss - before.roast.loss, after.roast.colour - before.roast.colour
    drop = (after.roast.came()["drop_c"] or 0.0) - (before.roast.came()["drop_c"] or 0.0)
    told = tr("Expected: drop {:+.1f} {}, loss {:+.1f} points", units.show_difference(drop), units.temperature, 100 * loss)
    told += tr(", colour {:+.1f}.", colour)
    return Expected(change, f"{words} {told}", after.plan)


def change_words(plan: Plan, change: Change, units: Units) -> str:
    """``Development 1:35 → 1:55: grassy in the cup.``"""
    now, name = getattr(plan.targets, change.target), capital(TARGET_WORDS[change.target])
    if change.target.endswith("_s"):
        shown = clock(now) + " → " + clock(now + change.by) if now is not None else tr("{:+.0f} s", change.by)
    else:
        by = units.show_difference(change.by)
        shown = tr("{:+.0f} {}", by, units.temperature)
        if now is not None:
            shown = f"{units.text(now, '°C', 0, with_unit=False)} → {units.text(now + change.by, '°C', 0)}"
    return f"{name} {shown}: {change.why}."
