"""Weight loss and colour of a batch among those of its lot, inspections, and the house's words for roast levels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import mean, stdev
from typing import Any

import numpy as np

from firnel.core.words import later, tr
from firnel.devices.scale import ScaleError, read_weight
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.store.library import Library
from firnel.work.bench.results import Results
from firnel.work.plan.whose import lot_of

__all__ = ["EYE_COUNTS", "EYE_GRADES", "Place", "Results", "ScaleError", "as_index", "inspection_of", "keep_colours",
           "keep_inspection", "level_word", "place_of", "read_weight", "reckoned_colour"]  # fmt: skip

#: What the eye counts in a sample, and what it grades from 0 (none) to 3 (strong).
EYE_COUNTS = (later("scorched"), later("tipped"), later("chipped"), later("quakers"))
#: Ground colour that usually goes with a weight loss; common practice, no published source. [0..1], [index]
COLOUR_BY_LOSS = ((0.11, 0.145, 0.175, 0.21), (82.0, 64.0, 55.0, 42.0))
EYE_GRADES = (later("uneven"), later("wrinkled"), later("oily"), later("chaff"))


@dataclass(frozen=True)
class Place:
    """A loss among those of the lot's other batches: how many, their mean and spread [0..1], and how many spreads it is off."""

    batches: int
    mean: float
    spread: float
    off: float

    @property
    def words(self) -> str:
        """``The lot usually loses 12.4 to 13.4 % (23 batches): as usual.``"""
        low, high = 100 * (self.mean - self.spread), 100 * (self.mean + self.spread)
        usual = tr("The lot usually loses {:.1f} to {:.1f} % ({} batches)", low, high, self.batches)
        if abs(self.off) <= 1.5:
            return tr("{}: as usual.", usual)
        side = tr("more") if self.off > 0 else tr("less")
        doubt = tr(" Check scale and label.") if abs(self.off) > 4.0 else ""
        return tr("{}: clearly {}.{}", usual, side, doubt)


def place_of(library: Library, line: BatchLine, loss: float) -> Place | None:
    """Where a loss lies among the lot's batches at the same plan, or at any; None with fewer than three."""
    lot = lot_of(library, line)
    if lot is None:
        return None
    lines = library.batch_lines(BatchFilter(lot_id=lot.id, statuses=("done",), counting=True), limit=120)
    others = [one for one in lines if one.id != line.id and one.loss is not None]
    same = [one for one in others if one.plan == line.plan]
    losses = [one.loss for one in (same if len(same) >= 3 else others) if one.loss is not None]
    if len(losses) < 3:
        return None
    centre, spread = mean(losses), max(stdev(losses), 0.001)
    return Place(len(losses), centre, spread, (loss - centre) / spread)


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
