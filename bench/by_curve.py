"""What is foretold where a batch says nothing of its heat: the curve carried on, on the seven logged machines, with the air and
without.

Each mark is looked for at the machine's median reading at it; how far off that is, and how many 80 % intervals hold.
"""

from collections import defaultdict
from pathlib import Path

import numpy as np
from logged import record_of, rows
from rate_of_rise import logged_roast
from report import Line

from firnel.core.curve_forecast import curve_forecast
from firnel.core.model.foretelling import DropRule, Marks
from firnel.core.vocabulary import BatchRecord, MarkKind

#: Which mark is asked for, and how long before it. [s]
ASKED = (
    (MarkKind.YELLOW, 60.0),
    (MarkKind.FIRST_CRACK, 180.0),
    (MarkKind.FIRST_CRACK, 90.0),
    (MarkKind.FIRST_CRACK, 30.0),
)
NEVER_S = 300.0


def foretold(record: BatchRecord, kind: MarkKind, ahead: float, levels: tuple[float, float], aired: bool) -> tuple[float, bool]:
    """By how much one mark of one batch is foretold wrong [s], and whether its interval holds."""
    t, bean, air, charge, moves, _ = logged_roast(record.label)
    came = {one: record.mark(one).t - charge for one in (MarkKind.YELLOW, MarkKind.FIRST_CRACK)}
    at = came[kind] - ahead
    part = (t >= charge) & (t <= charge + at)
    yellow_t = None if kind is MarkKind.YELLOW else came[MarkKind.YELLOW]
    told = curve_forecast(
        t[part] - charge, bean[part], [move - charge for move in moves if move - charge <= at], DropRule(90.0),
        Marks(yellow_t), *levels, air=air[part] if aired else None,
    )  # fmt: skip
    said = told.yellow if kind is MarkKind.YELLOW else told.first_crack
    if said is None:
        return NEVER_S, False
    held = (said.low or -np.inf) <= came[kind] <= (said.high or np.inf)
    return min(abs(said.value - came[kind]), NEVER_S), bool(held)


def run(_folder: Path) -> list[Line]:
    machines: dict[str, list[BatchRecord]] = defaultdict(list)
    for row in rows():
        machines[row["machine"]].append(record_of(row["file"]))
    off: dict[tuple[bool, str, float], list[tuple[float, bool]]] = defaultdict(list)
    for records in machines.values():
        read = [[record.mark(kind).bean for record in records] for kind in (MarkKind.YELLOW, MarkKind.FIRST_CRACK)]
        levels = (float(np.median(read[0])), float(np.median(read[1])))
        for record in records[::2]:
            for kind, ahead in ASKED:
                for aired in (True, False):
                    off[aired, kind.value, ahead].append(foretold(record, kind, ahead, levels, aired))
    for (aired, name, ahead), all_of in off.items():
        median, most = np.quantile([one for one, _ in all_of], (0.5, 0.9))
        held = 100.0 * np.mean([holds for _, holds in all_of])
        what = "with the air" if aired else "the beans alone"
        print(f"  {name} {ahead:.0f} s ahead, {what}: median {median:.0f} s, nine in ten {most:.0f} s, held {held:.0f} %")
    held = 100.0 * np.mean([holds for all_of in off.values() for _, holds in all_of])
    crack = [[one for one, _ in off[aired, "first_crack", 180.0]] for aired in (True, False)]
    return [
        Line("80 % intervals by the curve, off 80 by", abs(held - 80.0), "points", 5.0),
        Line(
            "first crack 180 s ahead, with the air", float(np.median(crack[0]) / np.median(crack[1])), "times", 1.0, "without"
        ),
    ]
