"""Several instruments that serve one machine, read as one: a thermometer for the beans, a converter for gas and air."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

from firnel.core.vocabulary import Control
from firnel.core.words import tr
from firnel.devices.reading import LinkState, LinkStatus, OnReading, OnStatus, Reading, ReadingSource

#: What another instrument told is held so long; after that it is not known any more. [s]
HELD_S = 10.0
#: While the beans are not read for so long, the readings of the others are handed up by themselves. [s]
WITHOUT_BEAN_S = 5.0
#: How bad a state is: the worst of all instruments is told.
WORST = (LinkState.LIVE, LinkState.CONNECTING, LinkState.SILENT, LinkState.LOST, LinkState.OFF)


class JoinedSource:
    """Hands up a reading whenever the beans are read, with what the others told last.

    Parameters
    ----------
    sources : the instruments; no two of them bring the same reading.
    """

    def __init__(self, sources: Sequence[ReadingSource]) -> None:
        self._sources = tuple(sources)
        self.title = " and ".join(source.title for source in sources)
        self.reads = tuple(field for source in sources for field in source.reads)
        self.units: Mapping[Control, str] = {control: unit for source in sources for control, unit in source.units.items()}
        self._lock = threading.Lock()
        self._last: dict[int, Reading] = {}
        self._states: dict[int, LinkStatus] = {}
        self._told: LinkStatus | None = None
        self._of_bean = next(index for index, source in enumerate(sources) if "bean" in source.reads)

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Begin to read all of them."""
        self._last, self._states, self._told = {}, {}, None
        for index, source in enumerate(self._sources):
            source.start(partial(self._take, index, on_reading), partial(self._hear, index, on_status))

    def stop(self) -> None:
        """End all of them."""
        for source in self._sources:
            source.stop()

    def _take(self, index: int, on_reading: OnReading, reading: Reading) -> None:
        with self._lock:
            self._last[index] = reading
            bean = self._last.get(self._of_bean)
            if index != self._of_bean and bean is not None and reading.time - bean.time < WITHOUT_BEAN_S:
                return  # it goes with the next reading of the beans
            others = [other for key, other in self._last.items() if key != index and 0.0 <= reading.time - other.time <= HELD_S]
            if index != self._of_bean:
                others = [replace(other, bean=None) for other in others]
            air = next((one.air for one in (reading, *others) if one.air is not None), None)
            controls = {name: value for one in (*others, reading) for name, value in one.controls.items()}
            joined = replace(reading, air=air, controls=controls)
        on_reading(joined)

    def _hear(self, index: int, on_status: OnStatus, status: LinkStatus) -> None:
        with self._lock:
            self._states[index] = status
            worst = max(self._states.values(), key=lambda known: WORST.index(known.state))
            live = worst.state is LinkState.LIVE
            told = LinkStatus(worst.state, tr("Reading {}.", self.title) if live else worst.sentence)
            if told == self._told:
                return
            self._told = told
        on_status(told)
