"""A bean probe that was moved or changed: from some batch on it reads more or less than before, and nobody said so.

Every mark of a lot then comes at another reading, and whole curves lie higher or lower than load and moves make them. Either
may have another cause; both by the same amount, from the same batch on, hardly has. Batches that were read before are held
against the present probe, so that none of them is lost to the fit.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from firnel.core.model.fitting import curve_shifts
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.probe_shift import LEAST_C as TOLD_LEAST_C
from firnel.core.model.probe_shift import USUAL_C, ProbeShift
from firnel.core.vocabulary import FloatArray

#: So many batches at least must have been read before, and since.
BEFORE, SINCE = 3, 2
#: Where it was told that the probe was moved, one batch since is enough.
TOLD_SINCE = 1
#: Readings of one batch err together: their misfits tell this many times less than they would by themselves.
TOGETHER = 10.0
#: It is believed where it is this much likelier than a probe that stayed, as a logarithm, and not less than so far. [1], [degC]
SURE, LEAST_C = 5.0, 1.5
#: And where it was told.
TOLD_SURE = 0.0
#: So much that is left of a shift is made good. [degC]
LEAST_REST_C = 0.3


def moved_probe(model: MachineModel, batches: Sequence[LoggedBatch], just_found: str = "") -> ProbeShift | None:
    """Where the bean probe most likely was moved or changed; None where it stayed, or that is not sure.

    Parameters
    ----------
    model : fitted to these batches.
    batches : oldest first.
    just_found : label of the batch where that was found before this fit: what is left of it is told where nothing else is.
    """
    count = len(batches)
    since = [TOLD_SINCE if batch.probe_moved else SINCE for batch in batches]
    if not any(count - since[first] >= first for first in range(BEFORE, count)):
        return None
    by = USUAL_C * np.linspace(-3.0, 3.0, 121)  # looked at are shifts up to three times the usual
    thought = -0.5 * np.square(by / USUAL_C)
    thought -= _log_sum(thought)
    index = {batch.label: place for place, batch in enumerate(batches)}
    marks = [mark for mark in (model.yellow, model.crack) if mark.seen]
    places = [np.array([index[label] for label in mark.labels]) for mark in marks]
    stayed = sum(float(mark.likelihood(np.array(mark.seen)[None])[0]) for mark in marks)
    best, found, rest = 0.0, None, None
    curves = curve_shifts(model.fitted, batches)
    for first in range(BEFORE, count):
        if count - since[first] < first:
            continue
        sure, least = (TOLD_SURE, TOLD_LEAST_C) if batches[first].probe_moved else (SURE, LEAST_C)
        middle, sd, gain = curves[first]
        told = thought + 0.5 * (gain - np.square((by - middle) / sd)) / TOGETHER
        for mark, place in zip(marks, places, strict=True):
            told = told + mark.likelihood(np.array(mark.seen) - np.outer(by, place >= first))
        surer = _log_sum(told) - stayed - sure
        shift = ProbeShift(batches[first].label, float(np.exp(told - _log_sum(told)) @ by), batches[first].started)
        if shift.label == just_found and abs(shift.by_c) >= LEAST_REST_C:
            rest = shift
        if surer > best and abs(shift.by_c) >= least:
            best, found = surer, shift
    return found or rest


def _log_sum(logs: FloatArray) -> float:
    most = float(logs.max())
    return most + float(np.log(np.sum(np.exp(logs - most))))
