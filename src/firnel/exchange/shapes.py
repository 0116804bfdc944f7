"""Which columns of a log are time, bean and air by how they run, where their headings do not tell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from firnel.core.mark_finding import find_charge
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.exchange.cells import numbers_of
from firnel.exchange.errors import ImportRefusedError
from firnel.exchange.log_times import in_seconds, laid_out, times_of

#: A column of readings has one in this share of its lines, and so many different ones.
KNOWN, DIFFERENT = 0.5, 20
#: Behind the charge the lowest reading of the beans is looked for, so long. [s]
LOWEST_S = 300.0
#: What a probe may read, in degC or degF.
READS = (-60.0, 1300.0)


def by_shape(
    named: Mapping[str, int], header: Sequence[str], body: Sequence[Sequence[str]], decimal: str, name: str
) -> dict[str, int]:
    """Time, bean and air as far as ``named`` lacks them: what goes forward all the while; what plunges at a charge, the deepest
    of all; and the hottest of the rest, if the beans were found so. Without headings and a plunge they stand in this order.

    Raises
    ------
    ImportRefusedError : if there is no time, or nothing that runs like beans in a drum.
    """
    found: dict[str, int] = {}
    left = [index for index in range(max((len(row) for row in body[:50]), default=0)) if index not in named.values()]

    def refuse(missing: str) -> ImportRefusedError:
        words = tr("No column of {} looks like {}; tell its columns, as time=…,bean=…. It has: {}.", name, missing,
                   ", ".join(header) or tr("no headings"))  # fmt: skip
        return ImportRefusedError(words)

    if "time" not in named:
        at = next((index for index in left if _goes_forward(body, index, decimal, name)), None if header else 0)
        if at is None:
            raise refuse(tr("time"))
        found["time"] = at
    if "bean" in named:
        return found
    time = named.get("time", found.get("time", 0))
    t = times_of(body, time, decimal, name)
    t = laid_out(in_seconds(t, body, time, header[time] if header else "", name)[0])[0]
    probes = {index: numbers_of(body, index, decimal) for index in left if index != time}
    probes = {index: values for index, values in probes.items() if _reads(values)}
    depths = {index: depth for index, values in probes.items() if (depth := _depth(t, values)) is not None}
    if not depths and header:
        raise refuse(tr("bean temperature"))
    if not depths:
        return found | {field: index for field, index in (("bean", 1), ("air", 2)) if index in left}
    found["bean"] = min(depths, key=lambda index: depths[index])
    hotter = {index: float(np.nanmedian(values)) for index, values in probes.items() if index != found["bean"]}
    hottest = max(hotter, key=lambda index: hotter[index], default=None)
    if "air" not in named and hottest is not None and hotter[hottest] > float(np.nanmedian(probes[found["bean"]])):
        found["air"] = hottest
    return found


def _goes_forward(body: Sequence[Sequence[str]], index: int, decimal: str, name: str) -> bool:
    try:
        t = times_of(body, index, decimal, name)
    except ImportRefusedError:
        return False  # no column of times
    t = t[np.isfinite(t)]
    return t.size > 0.9 * len(body) and bool((np.diff(t) >= 0.0).all()) and t[-1] > t[0]


def _reads(values: FloatArray) -> bool:
    known = values[np.isfinite(values)]
    inside = (known > READS[0]) & (known < READS[1])
    return known.size > KNOWN * values.size and bool(inside.mean() > 0.9) and np.unique(known).size >= DIFFERENT


def _depth(t: FloatArray, values: FloatArray) -> float | None:
    """The lowest reading behind the charge; None where there is no charge in it."""
    known = np.isfinite(t) & np.isfinite(values)
    charge_t = find_charge(t[known], values[known])
    if charge_t is None:
        return None
    behind = known & (t >= charge_t) & (t <= charge_t + LOWEST_S)
    return float(values[behind].min()) if behind.any() else None
