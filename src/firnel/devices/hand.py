"""Hand readings: what the roaster reads off the machine's own display and keys in."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from firnel.core.vocabulary import Control, Quality
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, LinkStatus, OnReading, OnStatus, Reading


class HandSource:
    """Takes keyed readings. The stamp is the moment of the first key, not that of Enter.

    Parameters
    ----------
    clock : stamps the first key.
    """

    title = tr("readings by hand")
    reads: tuple[str, ...] = ("bean", "air")
    units: Mapping[Control, str] = MappingProxyType({})

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._on_reading: OnReading | None = None
        self._begun: float | None = None

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Be ready for keys."""
        self._on_reading = on_reading
        on_status(LinkStatus(LinkState.LIVE, tr("Readings by hand: type the bean reading and press Enter.")))

    def stop(self) -> None:
        """Take no more."""
        self._on_reading = None

    def begin(self) -> float:
        """The first key went down: remember the moment. Further keys of one entry change nothing."""
        if self._begun is None:
            self._begun = self._clock.now()
        return self._begun

    def cancel(self) -> None:
        """Forget an entry that was begun."""
        self._begun = None

    def enter(self, bean: float, air: float | None = None) -> Reading:
        """Hand up the entry, stamped at its first key. Readings in degC.

        Raises
        ------
        ValueError : if the reading cannot be one of a roast.
        """
        if not 0.0 <= bean <= 400.0:
            raise ValueError(tr("{:.0f} °C is not a bean reading; it must lie between 0 and 400 °C.", bean))
        reading = Reading(time=self.begin(), bean=bean, air=air, quality=Quality.HAND)
        self._begun = None
        if self._on_reading is not None:
            self._on_reading(reading)
        return reading
