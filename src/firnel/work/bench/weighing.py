"""Weight loss and colour of a batch among those of its lot, inspections, and the house's words for roast levels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import mean, stdev
from typing import Any

import numpy as np

from firnel.core.vocabulary import Lot
from firnel.core.words import later, tr
from firnel.devices.scale import ScaleError, read_weight
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.bench.results import Results
from firnel.work.plan.whose import lot_of

__all__ = ["EYE_COUNTS", "EYE_GRADES", "Results", "ScaleError", "UsualLoss", "as_index", "inspection_of", "keep_colours",
           "keep_inspection", "level_word", "read_weight", "reckoned_colour", "usual_loss", "usual_loss_of"]  # fmt: skip

#: What the eye counts in a sample, and what it grades from 0 (none) to 3 (strong).
EYE_COUNTS = (later("scorched"), later("tipped"), later("chipped"), later("quakers"))
#: Ground colour that usually goes with a weight loss; common practice, no published source. [0..1], [index]
COLOUR_BY_LOSS = ((0.11, 0.145, 0.175, 0.21), (82.0, 64.0, 55.0, 42.0))
EYE_GRADES = (later("uneven"), later("wrinkled"), later("oily"), later("chaff"))


#: So few batches have no usual loss; a loss is clearly another, and in doubt, so many spreads off; common practice, no
#: published source.
FEWEST, CLEARLY, IN_DOUBT = 3, 1.5, 4.0
#: What is said of a loss, more and less than the mean.
AS_USUAL = 2 * (later("As usual, {:.1f} to {:.1f} %."),)
OTHERWISE = (later("More than usual, {:.1f} to {:.1f} %."), later("Less than usual, {:.1f} to {:.1f} %."))
DOUBTED = 2 * (later("Usual {:.1f} to {:.1f} %: check the scale."),)


@dataclass(frozen=True)
class UsualLoss:
    """What the lot's other batches lost: how many of them, their mean and spread [0..1]."""

    batches: int
    mean: float
    spread: float

    def off(self, loss: float) -> float:
        """How many spreads a loss [0..1] is off."""
        return (loss - self.mean) / self.spread

    def doubts(self, loss: float) -> bool:
        """Whether a loss [0..1] is so far off that scale or label are likely wrong."""
        return abs(self.off(loss)) > IN_DOUBT

    def words(self, loss: float) -> str:
        """``As usual, 12.4 to 13.4 %.``: short enough for a line of a side column."""
        off = self.off(loss)
        more, less = AS_USUAL if abs(off) <= CLEARLY else DOUBTED if self.doubts(loss) else OTHERWISE
        low, high = 100 * (self.mean - self.spread), 100 * (self.mean + self.spread)
        return tr(more if off > 0 else less, low, high)


def usual_loss(library: Library, lot: Lot | None, plan: str, but: int | None = None) -> UsualLoss | None:
    """What batches of a lot lost by the same plan, or by any; None where too few were weighed.

    Parameters
    ----------
    lot : of the batch that is asked about; one that is blended before the roast is known by its plan alone.
    plan : by name.
    but : the batch itself, which does not count.
    """
    if lot is None:
        return None
    lines = library.batch_lines(BatchFilter(lot_id=lot.id, statuses=("done",), counting=True), limit=120)
    others = [one for one in lines if one.id != but and one.loss is not None]
    same = [one for one in others if one.plan == plan]
    losses = [one.loss for one in (same if len(same) >= FEWEST or lot.id is None else others) if one.loss is not None]
    return UsualLoss(len(losses), mean(losses), max(stdev(losses), 0.001)) if len(losses) >= FEWEST else None


def usual_loss_of(library: Library, line: BatchLine) -> UsualLoss | None:
    """`usual_loss` for a batch of the library."""
    return usual_loss(library, lot_of(library, line), line.plan, line.id)


def reckoned_colour(colour_ground: float | None, loss: float | None) -> float | None:
    """The ground colour, or what goes with the weight loss where it was not measured; None where neither is known."""
    if colour_ground is not None or loss is None:
        return colour_ground
    return float(np.interp(loss, *COLOUR_BY_LOSS))


def level_word(colour_ground: float | None, words: Mapping[str, float], loss: float | None = None) -> str:
    """The house's word for a level: one word for one colour, everywhere. Empty if nothing is known.

    Parameters
    ----------
    colour_ground : as measured.
    words : each with the highest colour that still has it.
    loss : goes by where no colour was measured [0..1].
    """
    colour = reckoned_colour(colour_ground, loss)
    if colour is None or not words:
        return ""
    scale = sorted((limit, word) for word, limit in words.items())
    return tr(next((word for limit, word in scale if colour <= limit), scale[-1][1]))


def as_index(reading: float, points: Sequence[tuple[float, float]]) -> float:
    """What a meter's reading is on the house's own scale: by straight lines through its points, carried on beyond them.

    Parameters
    ----------
    reading : of the meter.
    points : reading and index, in order; none for the same scale, one for a shift, two for a line.
    """
    if not points:
        return reading
    reads, index = (np.array(column) for column in zip(*points, strict=True))
    if len(points) == 1:
        return float(reading + index[0] - reads[0])
    place = int(np.clip(np.searchsorted(reads, reading) - 1, 0, len(points) - 2))
    slope = (index[place + 1] - index[place]) / (reads[place + 1] - reads[place])
    return float(index[place] + slope * (reading - reads[place]))


def keep_colours(library: Library, batch_id: int, results: Results) -> None:
    """Keep every single reading of the colour meter, where there are several or it has a scale of its own."""
    if len(results.whole) > 1 or len(results.ground) > 1 or results.by_meter:
        document = {"whole": list(results.whole), "ground": list(results.ground)}
        library.bench_book.note(batch_id, "colour", document | ({"meter": True} if results.by_meter else {}))


def keep_inspection(library: Library, batch_id: int, document: Mapping[str, Any]) -> None:
    """Keep what the eye found: counts of a sample, grades, a picture's path, a remark.

    Raises
    ------
    ValueError : if more beans are counted than were looked at, or a grade is none.
    """
    sample = document.get("beans", 0)
    for name in EYE_COUNTS:
        count = document.get(name, 0)
        if count and (not sample or count > sample):
            raise ValueError(tr("{} {} of {} beans: how many were looked at?", count, name, sample))
    for name in EYE_GRADES:
        if document.get(name, 0) not in (0, 1, 2, 3):
            raise ValueError(tr("{} is graded 0 (none) to 3 (strong), not {}.", name, document[name]))
    library.bench_book.note(batch_id, "inspection", document)


def inspection_of(library: Library, batch_id: int) -> dict[str, float]:
    """The newest inspection as shares of the sample and grades, by name; empty where there was none."""
    kept = library.bench_book.notes(batch_id, "inspection")
    if not kept:
        return {}
    document = kept[-1].document
    sample = document.get("beans") or 1
    found = {name: document[name] / sample for name in EYE_COUNTS if document.get(name)}
    return found | {name: float(document[name]) for name in EYE_GRADES if document.get(name)}
