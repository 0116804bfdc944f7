"""What a machine learns from its batches: fitted, judged on some that were held out, and scored; never for the worse."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.fitting import FitCancelledError, identify
from firnel.core.model.identification import modelled
from firnel.core.model.learning import MachineModel, crack_error, misfit, model_from
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.moved_probe import moved_probe
from firnel.core.model.probe_shift import ProbeShift, as_read_now, joined
from firnel.core.model.score import scored

#: One batch in this many is held out to judge the fit, if there are at least `FEWEST_TO_JUDGE`.
HOLD_OUT_EVERY, FEWEST_TO_JUDGE = 4, 4
#: Further batches make a model worse where it is off by so many times as much as without them, and by so much. [1, degC]
WORSE_TIMES, WORSE_C = 1.15, 0.3
#: And where they themselves are so many times as strange to what was learned without them, and by so much. [1, degC]
STRANGE_TIMES, STRANGE_C = 2.0, 4.0
#: So often a bean probe is looked for that was moved, each time with what was found before.
LOOKS = 4


@dataclass(frozen=True)
class Lesson:
    """What further batches taught: the model, and what it is worth on batches that none of those compared had seen."""

    model: MachineModel
    taught: tuple[str, ...]  #: batches that the standing model did not know
    refused: tuple[str, ...] = ()  #: of them those with which others came out worse: not learned from
    before_c: float | None = None  #: root mean square without the further batches [degC]
    after_c: float | None = None  #: and with them [degC]
    moved: tuple[ProbeShift, ...] = ()  #: of the bean probe, as far as they were not known


def learn(
    batches: Sequence[LoggedBatch],
    full_load: float,
    heats: Sequence[str],
    progress: Callable[[float], bool] | None = None,
    shifts: tuple[ProbeShift, ...] = (),
) -> MachineModel:
    """Learn a machine from its logged batches: first without some of them to see how good that is, then from all.

    Parameters
    ----------
    batches, full_load, heats : as in `identify`.
    shifts : of the bean probe that are known.
    progress : told the share done [0..1]; answers False to cancel.

    Raises
    ------
    ValueError : if there are no batches.
    FitCancelledError : if ``progress`` says so.
    """
    return learn_more((), batches, full_load, heats, progress, shifts).model


def learn_more(
    known: Collection[str],
    batches: Sequence[LoggedBatch],
    full_load: float,
    heats: Sequence[str],
    progress: Callable[[float], bool] | None = None,
    shifts: tuple[ProbeShift, ...] = (),
) -> Lesson:
    """Learn from all batches, if those that are not yet known make nothing worse.

    Where the bean probe turns out to have been moved, all are learned anew as it reads now.

    Parameters
    ----------
    known : labels of the batches that the standing model was fitted to.
    batches, full_load, heats : as in `identify`; further ones among them, oldest first.
    progress : told the share done [0..1]; answers False to cancel.
    shifts : of the bean probe that are known.

    Raises
    ------
    ValueError : if there are no batches.
    FitCancelledError : if ``progress`` says so.
    """
    before, begun, found = shifts, 0.0, ""
    for looks in reversed(range(LOOKS)):
        now = as_read_now(batches, shifts)
        came = _learn(known, now, full_load, heats, _part(progress, begun, 1.0), looks > 0, found)
        if isinstance(came, Lesson):
            break
        shifts, begun = joined(shifts, came), 0.5 * (1.0 + begun)
        found = came.label if came.label != found else ""  # what is left of it is made good once
    assert isinstance(came, Lesson)  # the last time none is looked for
    model = replace(came.model, report=replace(came.model.report, shifts=shifts))
    return replace(came, model=model, moved=tuple(shift for shift in shifts if shift not in before))


def _part(progress: Callable[[float], bool] | None, begin: float, end: float) -> Callable[[float], bool] | None:
    """What is told of a part of the work."""
    return None if progress is None else lambda share: progress(begin + (end - begin) * share)


def _learn(
    known: Collection[str],
    batches: Sequence[LoggedBatch],
    full_load: float,
    heats: Sequence[str],
    progress: Callable[[float], bool] | None,
    look: bool,
    just_found: str,
) -> Lesson | ProbeShift:
    """What batches teach; or, where ``look`` is asked for, that the bean probe was moved among them.

    Some of the known ones are held out; what is fitted with the further batches must be as good on them as what is
    fitted without. Where it is not, and the further ones are strange to it as well (a load that was typed wrongly, a mark at
    the wrong time), they are left out.
    """
    further = [batch for batch in batches if batch.label not in known]
    doubted, held_out = _judges(batches, further)

    def part(begin: float, end: float) -> Callable[[int], bool] | None:
        if progress is None:
            return None
        told = progress
        return lambda calls: told(begin + (end - begin) * (1.0 - np.exp(-calls / 12.0)))

    def without(left: Sequence[LoggedBatch], guess: MachineModel | None, begin: float, end: float) -> MachineModel:
        kept = [batch for batch in batches if all(batch is not other for other in left)]
        return model_from(identify(kept, full_load, heats, guess.fitted if guess else None, part(begin, end)), kept)

    def scoring(share: float) -> bool:
        if progress is not None and not progress(0.9 + 0.1 * share):
            raise FitCancelledError
        return True

    first: MachineModel | None = None
    refused: list[LoggedBatch] = []
    before = after = None
    if held_out:
        first = without(held_out, None, 0.0, 0.5)
        after = _off(first, held_out)
        if doubted:
            plain = without([*held_out, *further], first, 0.5, 0.7)
            before = _off(plain, held_out)
            worse = after > max(WORSE_TIMES * before, before + WORSE_C)
            if worse and _off(plain, further) > max(STRANGE_TIMES * before, STRANGE_C):
                refused, first = further, plain
    model = without((), first, 0.7, 0.9)
    moved = moved_probe(model, batches, just_found) if look else None
    if moved is not None:
        return moved
    if refused:
        model = without(refused, first, 0.7, 0.9)
    model = scored(model, [batch for batch in batches if batch.label in model.report.batches], scoring)
    taught = tuple(batch.label for batch in further)
    if first is None:
        return Lesson(model, taught)
    left_out = tuple(batch.label for batch in refused)
    return Lesson(_judged(model, first, held_out, left_out), taught, left_out, before, after)


def _judges(batches: Sequence[LoggedBatch], further: Sequence[LoggedBatch]) -> tuple[bool, list[LoggedBatch]]:
    """Whether the further batches are to be doubted, and the batches held out to judge by: none where there are too few."""
    new = {batch.label for batch in further}
    old = [batch for batch in batches if batch.label not in new]
    doubted = len(old) >= FEWEST_TO_JUDGE - 1 and 0 < len(further) <= len(old) / 2
    if len(batches) < FEWEST_TO_JUDGE:
        return doubted, []
    # The newest is never held out: it is what is to be learned from.
    pool = old if doubted else batches[:-1]
    return doubted, [batch for index, batch in enumerate(pool) if index % HOLD_OUT_EVERY == HOLD_OUT_EVERY - 2]


def _judged(
    model: MachineModel, first: MachineModel, held_out: Sequence[LoggedBatch], refused: tuple[str, ...]
) -> MachineModel:
    """The model with what it was worth on batches that ``first`` had not seen."""
    late = [error for batch in held_out if (error := crack_error(first, batch)) is not None]
    report = replace(
        model.report,
        held_out=tuple(batch.label for batch in held_out),
        held_out_rms_bean_c=_off(first, held_out),
        held_out_crack_s=float(np.median(np.abs(late))) if late else None,
        refused=refused,
    )
    return replace(model, report=report)


def _off(model: MachineModel, batches: Sequence[LoggedBatch]) -> float:
    """Root mean square of the bean probe over batches that the model has not seen. [degC]"""
    off = [misfit(modelled(model.fitted, batch, known=False), batch)[0] for batch in batches]
    return float(np.sqrt(np.mean(np.square(off))))
