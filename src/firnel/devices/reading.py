"""What a driver hands up: readings, and the state of the link."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Protocol

from firnel.core.vocabulary import Control, Quality


@dataclass(frozen=True)
class Reading:
    """One look at the machine. ``time`` is clock time of its arrival [s]; probes in degC, controls on the machine's scale."""

    time: float
    bean: float | None = None
    air: float | None = None
    controls: Mapping[Control, float] = field(default_factory=dict)  #: as far as the machine reports them
    quality: Quality = Quality.GOOD

    def control(self, control: Control) -> float | None:
        """The setting of one control, None where the machine does not report it."""
        return self.controls.get(control)


class LinkState(StrEnum):
    """How it stands between Firnel and the machine."""

    OFF = "off"
    CONNECTING = "connecting"
    LIVE = "live"
    SILENT = "silent"
    LOST = "lost"


@dataclass(frozen=True)
class LinkStatus:
    """State of the link in one word and one sentence."""

    state: LinkState
    sentence: str


@dataclass(frozen=True)
class Tried:
    """What one channel of a link brought when it was tried: a value [degC, or on its scale], raw words, and what is wrong."""

    field: str
    value: float | None
    raw: tuple[int, ...] = ()
    wrong: str = ""


OnReading = Callable[[Reading], None]
OnStatus = Callable[[LinkStatus], None]


class ReadingSource(Protocol):
    """A driver: started once, it calls back from its own thread until it is stopped."""

    title: str
    reads: tuple[str, ...]  #: the probes (bean, air) and controls that it brings
    units: Mapping[Control, str]  #: of the controls, as far as the driver knows them

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Begin to read."""

    def stop(self) -> None:
        """End, and wait until the last call has been made."""


class QualityWatch:
    """Marks readings that cannot be: out of range, a lone spike, a value frozen for too long.

    Parameters
    ----------
    frozen_after_s : a bean and air reading unchanged for this long is called frozen. [s]
    """

    def __init__(self, frozen_after_s: float = 20.0) -> None:
        self._frozen_after = frozen_after_s
        self._last: deque[float] = deque(maxlen=3)
        self._same_since: float | None = None
        self._same: tuple[float | None, float | None] | None = None

    def judge(self, reading: Reading) -> Reading:
        """The reading with its quality set; what is out of range loses its value."""
        quality = reading.quality
        bean, air = self._in_range(reading.bean), self._in_range(reading.air)
        if (bean is None) != (reading.bean is None) or (air is None) != (reading.air is None):
            quality |= Quality.OUT_OF_RANGE
        if (bean, air) != self._same:
            self._same, self._same_since = (bean, air), reading.time
        elif self._same_since is not None and reading.time - self._same_since >= self._frozen_after:
            quality |= Quality.FROZEN
        if bean is not None:
            if len(self._last) == 3 and abs(bean - sorted(self._last)[1]) > 25.0:
                quality |= Quality.SPIKE
            self._last.append(bean)
        return replace(reading, bean=bean, air=air, quality=quality)

    @staticmethod
    def _in_range(value: float | None) -> float | None:
        return value if value is not None and math.isfinite(value) and -30.0 <= value <= 700.0 else None
