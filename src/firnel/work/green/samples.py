"""Samples: green that is roasted and cupped before it is bought. A sample is a lot, and stays one once it is bought."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from firnel.core.vocabulary import Lot
from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.bench.cupping import cup_scores

#: What green can be a sample of, in the order in which it comes.
KINDS = ("offer", "pre-shipment", "arrival")
#: Of a sample so many batches are looked at.
MOST = 50


class SampleError(ValueError):
    """Nothing can be decided of this; the message says why."""


@dataclass(frozen=True)
class Cupped:
    """What the cup says of a lot so far: batches roasted, how many of them were scored, and their mean score (None: none)."""

    roasted: int
    scored: int
    score: float | None


def cupped(library: Library, lot: Lot) -> Cupped:
    """What was roasted of a lot, and how it was scored."""
    if lot.id is None:
        return Cupped(0, 0, None)
    lines = library.batch_lines(BatchFilter(lot_id=lot.id, statuses=("done", "dropped")), limit=MOST)
    known = cup_scores(library)
    scores = [known[line.id] for line in lines if line.id in known]
    return Cupped(len(lines), len(scores), float(np.mean(scores)) if scores else None)


def decide(library: Library, lot: Lot, buy: bool, why: str = "", kg: float | None = None) -> Lot:
    """Buy what a sample is of: it becomes a lot with all that is known of it; or pass: it is put away with the reason.

    Parameters
    ----------
    lot : a sample, as it was read.
    buy : or pass.
    why : in words.
    kg : what was bought, where it lies here already.

    Raises
    ------
    SampleError : if it is no sample, or is not decided by a weight.
    ChangedMeanwhileError : if another has decided it meanwhile.
    """
    if not lot.sample or lot.id is None:
        raise SampleError(tr("{} is no sample: there is nothing to decide.", lot.name))
    if kg is not None and not 0.0 < kg < 1e6:
        raise SampleError(tr("{:g} kg cannot have been bought.", kg))
    seen = cupped(library, lot)
    cup = tr(", cupped {:.1f}", seen.score) if seen.score is not None else ""
    said = tr(
        "{} after the {} sample{}{}",
        tr("bought") if buy else tr("passed"),
        lot.sample,
        cup,
        f": {why.strip()}" if why.strip() else "",
    )
    kept = library.save_lot(replace(lot, sample="" if buy else lot.sample, verdict=said[:200], archived=not buy), lot)
    if buy and kg is not None:
        library.lot_book.count(lot.id, kg)
        kept = next(one for one in library.lots() if one.id == lot.id)
    return kept
