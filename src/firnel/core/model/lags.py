"""First-order lags over steps: of heat behind a burner, of a probe behind what it sees. Exact for any lag and any step."""

from __future__ import annotations

import numpy as np

from firnel.core.vocabulary import FloatArray

SHORTEST_LAG_S = 1e-3  #: of a probe: a shorter one is none. [s]


def lagged(target: FloatArray, lag: FloatArray, heat: FloatArray, step: float) -> FloatArray:
    """Heat at the beginning of each step and at the end, a first-order lag behind its target, shape (n + 1, m). [kW]"""
    keep = np.exp(-step / lag)
    out = np.empty((target.shape[0] + 1, heat.size))
    out[0] = heat
    for index in range(target.shape[0]):
        out[index + 1] = target[index] + (out[index] - target[index]) * keep
    return out


def followed(
    seen: FloatArray, lag: FloatArray, reading: FloatArray, step: float, counts: FloatArray | None = None
) -> FloatArray:
    """What a first-order probe reads, shape (n + 1, m), of what it sees in the middle of each step; exact, for any lag."""
    keep = np.exp(-step / lag)
    kept = np.broadcast_to(keep, seen.shape) if counts is None else keep**counts
    return _carried(kept, seen * (1.0 - kept), reading)


def followed_line(seen: FloatArray, lag: FloatArray, reading: FloatArray, step: float) -> FloatArray:
    """The same of what it sees at the ends of the steps, shape (n + 1, m), in lines between them; a lag may be nought."""
    keep = np.exp(-step / np.maximum(lag, SHORTEST_LAG_S))
    behind = lag / step * (1.0 - keep)
    gained = seen[1:] - keep * seen[:-1] - behind * np.diff(seen, axis=0)
    return _carried(np.broadcast_to(keep, gained.shape), gained, reading)


def _carried(kept: FloatArray, gained: FloatArray, reading: FloatArray) -> FloatArray:
    """Of a reading a share is kept in each step, and something gained; shape (n + 1, m)."""
    out = np.empty((gained.shape[0] + 1, reading.size))
    out[0] = reading
    if reading.size == 1:
        # scipy.signal.lfilter would do it in one call, but it alone takes longer to load than all of this.
        value = float(reading[0])
        for index, (keep, gain) in enumerate(zip(kept[:, 0].tolist(), gained[:, 0].tolist(), strict=True), start=1):
            value = value * keep + gain
            out[index, 0] = value
        return out
    for index in range(gained.shape[0]):
        out[index + 1] = out[index] * kept[index] + gained[index]
    return out
