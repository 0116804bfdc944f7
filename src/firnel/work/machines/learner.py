"""A machine is learned anew after each batch: by itself, in a process of its own, and never for the worse."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from multiprocessing import get_context
from multiprocessing.connection import Connection
from typing import Any

from firnel.core.model.fitting import FitCancelledError
from firnel.core.model.learning import MachineModel
from firnel.core.model.lessons import Lesson, learn_more
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.probe_shift import ProbeShift
from firnel.core.vocabulary import Machine
from firnel.core.words import language, tr
from firnel.store.library import Library
from firnel.work.languages import speak
from firnel.work.machines.knowledge import (
    Told,
    fit_machine,
    full_load_of,
    keep_model,
    model_of,
    shift_words,
    usable_batches,
)

log = logging.getLogger(__name__)
#: How willingly the process that learns gives way to all others: where nobody waits for it, and where somebody does. [1]
NICENESS, AWAITED = 15, 2
#: Between two looks whether to go on. [s]
LOOK_S = 0.2


@dataclass(frozen=True)
class Task:
    """What is to be learned of a machine."""

    machine: Machine
    known: tuple[str, ...]
    batches: tuple[LoggedBatch, ...]
    shifts: tuple[ProbeShift, ...] = ()  #: of the bean probe that are known

    def learn(self, progress: Told | None = None) -> Lesson:
        """Learn it here and now.

        Raises
        ------
        FitCancelledError : if ``progress`` says so.
        """
        full_load = full_load_of(self.machine, self.batches)
        return learn_more(self.known, self.batches, full_load, self.machine.heat_kinds, progress, self.shifts)


def task_of(library: Library, machine: Machine, only: str | None = None) -> Task | None:
    """What the machine's batches could still teach; None where all of them have.

    Parameters
    ----------
    only : label of the one batch that is to teach, where others were left out of what is learned so far.
    """
    report = model_of(library, machine)[0].report
    batches, _ = usable_batches(library, machine)
    if only is not None and report.batches:
        # One that was refused may be right together with this one.
        batches = [batch for batch in batches if batch.label in (*report.batches, *report.refused, only)]
    if all(batch.label in report.batches or batch.label in report.refused for batch in batches):
        return None
    # What was refused last may be right together with what came since: a probe that was moved shows in several batches only.
    last = max((index for index, batch in enumerate(batches) if batch.label in report.batches), default=-1)
    left = tuple(batch for index, batch in enumerate(batches) if batch.label not in report.refused or index > last)
    return Task(machine, report.batches, left, report.shifts)


def learn_apart(task: Task, progress: Told, niceness: int | None = None) -> Lesson:
    """Learn in a process of its own that gives way to all others: neither window nor readings wait for it.

    Parameters
    ----------
    niceness : `NICENESS` where nothing else is told.

    Raises
    ------
    FitCancelledError : if ``progress`` says so.
    RuntimeError : if the process ended without an answer.
    """
    here, there = get_context("spawn").Pipe(duplex=False)
    asked = (task, there, language(), NICENESS if niceness is None else niceness)
    process = get_context("spawn").Process(target=_learn, args=asked, name="learner", daemon=True)
    process.start()
    there.close()
    done = 0.0
    try:
        while True:
            if not progress(done):
                raise FitCancelledError(tr("Stopped; the model is as it was."))
            if not here.poll(LOOK_S):
                continue
            try:
                told: Any = here.recv()
            except EOFError as error:
                raise RuntimeError(tr("Learning {} ended before it had a result.", task.machine.name)) from error
            if isinstance(told, Lesson):
                return told
            if isinstance(told, str):
                raise RuntimeError(tr("{} could not be learned: {}", task.machine.name, told))
            done = float(told)
    finally:
        process.terminate()
        process.join()
        process.close()
        here.close()


def fit_apart(library: Library, machine: Machine, progress: Told) -> tuple[MachineModel, list[str]]:
    """Fit a machine to all its batches, as `fit_machine` does, in a process of its own.

    Raises
    ------
    CannotKnowError : if there is no usable batch; the message says why.
    FitCancelledError : if ``progress`` says so.
    RuntimeError : if the process ended without an answer.
    """

    def learned(
        batches: Sequence[LoggedBatch],
        _full_load: float,
        _heats: Sequence[str],
        going: Told | None,
        shifts: tuple[ProbeShift, ...],
    ) -> MachineModel:
        return learn_apart(Task(machine, (), tuple(batches), shifts), going or progress, AWAITED).model

    return fit_machine(library, machine, progress=progress, learned=learned)


def _learn(task: Task, out: Connection, spoken: str, niceness: int) -> None:
    """In the process of its own, which speaks as this one does."""
    speak(spoken)
    os.nice(niceness)

    def progress(done: float) -> bool:
        out.send(done)
        return True

    try:
        out.send(task.learn(progress))
    except (ValueError, ArithmeticError) as error:
        out.send(str(error))
    except BrokenPipeError:
        log.debug("nobody waits for this any more")  # the window that asked is gone


def keep_lesson(library: Library, task: Task, lesson: Lesson) -> str:
    """Keep what was learned, and say it in one line."""
    machine = library.machine(task.machine.name)
    before = model_of(library, machine)[0].report
    refused = tuple(
        label for label in dict.fromkeys((*before.refused, *lesson.refused)) if label not in lesson.model.report.batches
    )
    model = replace(lesson.model, report=replace(lesson.model.report, refused=refused))
    keep_model(library, machine, model, task.batches)
    return lesson_words(machine, lesson)


def lesson_words(machine: Machine, lesson: Lesson) -> str:
    """What was learned and how far to trust it, in one line."""
    report = lesson.model.report
    which = _listed(lesson.taught)
    if lesson.moved:
        return shift_words(lesson.moved[-1])
    if lesson.refused:
        return tr(
            "Not learned from {}: with it Firnel was {:.1f} K off on other batches of {}, without it {:.1f} "
            "K. Is its load or a mark wrong, or was a probe moved?",
            which,
            lesson.after_c,
            machine.name,
            lesson.before_c,
        )
    count = len(report.batches)
    if report.held_out_rms_bean_c is None:
        trust = tr("not judged yet: it is from four batches on")
    else:
        crack = tr(", first crack {:.0f} s", report.held_out_crack_s) if report.held_out_crack_s is not None else ""
        trust = tr("on batches it had not seen {:.1f} K off{}", report.held_out_rms_bean_c, crack)
    return tr("{} learned from {} ({} in all): {}.", machine.name, which, count, trust)


def _listed(labels: tuple[str, ...]) -> str:
    if len(labels) > 3:
        return tr("{} batches", len(labels))
    return tr(" and ").join(filter(None, (", ".join(labels[:-1]), labels[-1])))


def learn_next(
    library: Library,
    in_vain: frozenset[tuple[str, ...]],
    on_try: Callable[[Machine, tuple[str, ...]], None],
    progress: Callable[[float], bool],
) -> str | None:
    """Learn the first machine that has something to learn; what it learned, in a line, or None.

    Parameters
    ----------
    in_vain : machine and batches, by name, that are not tried again.
    on_try : told what is tried.
    progress : told the share done [0..1]; answers False to cancel.

    Raises
    ------
    FitCancelledError, RuntimeError : see `learn_apart`.
    """
    for machine in library.machines():
        if machine.archived or not progress(0.0):
            continue
        task = task_of(library, machine)
        labels = tuple(batch.label for batch in task.batches) if task is not None else ()
        if task is None or (machine.name, *labels) in in_vain:
            continue
        on_try(machine, labels)
        return keep_lesson(library, task, learn_apart(task, progress))
    return None
