"""The line to the machine: opened, claimed against other processes, and closed; late words of an earlier one are not heard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from firnel.core.units import linear_map
from firnel.core.vocabulary import Control, Machine
from firnel.core.words import tr
from firnel.devices.address import AddressError, open_source
from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.reading import LinkState, LinkStatus, Reading, ReadingSource
from firnel.store.locks import FileClaim, claim_device
from firnel.work.machines.simulated import SimulatedMachine

#: A shipped kind, simulated beside this Firnel: ``simulated:gas-6``.
SIMULATED = "simulated:"
#: Runs a function later on the thread that owns the link.
Post = Callable[[Callable[[], None]], None]


class Link:
    """Owns the source of the readings, and what is known of its state.

    Parameters
    ----------
    clock : that stamps the readings.
    post : brings calls from the source's thread over to the owner's.
    take : takes a reading.
    changed : told of each new state.
    """

    def __init__(
        self, clock: Clock, post: Post, take: Callable[[Reading], None], changed: Callable[[LinkStatus], None]
    ) -> None:
        self._clock, self._post, self._take, self._changed = clock, post, take, changed
        self.status = LinkStatus(LinkState.OFF, tr("No machine is connected."))
        self._source: ReadingSource | None = None
        self._claim: FileClaim | None = None
        self._simulated: SimulatedMachine | None = None
        self._generation = 0
        self._turned: dict[Control, tuple[float, float]] = {}

    @property
    def by_hand(self) -> HandSource | None:
        """The keyed source, if readings come by hand."""
        return self._source if isinstance(self._source, HandSource) else None

    def open(self, url: str, machine: Machine | None = None) -> str:
        """Leave what was read before for this device address; nothing comes before `start`. Says who reads it already, if any,
        or what does not fit ``machine``, on whose scales the settings come.

        Raises
        ------
        AddressError : if the address leads nowhere; what was read before goes on then.
        """
        simulated = None
        if url.startswith(SIMULATED):
            try:
                simulated = SimulatedMachine(url.removeprefix(SIMULATED))
            except ValueError as error:
                raise AddressError(str(error)) from error
            url = simulated.url
        source = open_source(url, self._clock)
        self.close()
        self._source, self._simulated = source, simulated
        unlike = self.fit(machine)
        if isinstance(source, HandSource):
            return ""
        claim = claim_device(url.partition("?")[0])
        if isinstance(claim, str):
            return claim
        self._claim = claim
        return unlike

    def fit(self, machine: Machine | None) -> str:
        """Let the settings come on the scales of the machine as they are now. Says what does not fit, if anything."""
        self._turned, unlike = _turned(self._source, machine) if self._source is not None else ({}, "")
        return unlike

    def start(self) -> None:
        """Let the readings come."""
        if self._source is None:
            return
        self._generation += 1
        generation = self._generation

        def on_reading(reading: Reading) -> None:
            self._post(lambda: self._take(self._on_scales(reading)) if generation == self._generation else None)

        def on_status(status: LinkStatus) -> None:
            self._post(lambda: self._tell(status) if generation == self._generation else None)

        self._source.start(on_reading, on_status)

    def fed(self, words: str) -> None:
        """What is read is handed over from elsewhere; ``words`` say from where."""
        self._tell(LinkStatus(LinkState.LIVE, words))

    def close(self) -> None:
        """Stop reading."""
        if self._source is not None:
            self._source.stop()
            self._source = None
            self._generation += 1
            self._tell(LinkStatus(LinkState.OFF, tr("No machine is connected.")))
        if self._claim is not None:
            self._claim.release()
            self._claim = None
        if self._simulated is not None:
            self._simulated.stop()
            self._simulated = None

    def _on_scales(self, reading: Reading) -> Reading:
        if not self._turned:
            return reading
        controls = dict(reading.controls)
        for control, (factor, offset) in self._turned.items():
            if control in controls:
                controls[control] = round(factor * controls[control] + offset, 6)
        return replace(reading, controls=controls)

    def _tell(self, status: LinkStatus) -> None:
        self.status = status
        self._changed(status)


def _turned(source: ReadingSource, machine: Machine | None) -> tuple[dict[Control, tuple[float, float]], str]:
    """Factor and offset of the controls that are read in another unit than the machine has; what measures something else."""
    turned: dict[Control, tuple[float, float]] = {}
    unlike = ""
    for control, unit in source.units.items():
        scale = machine.controls.get(control) if machine is not None else None
        if machine is None or scale is None or control not in source.reads or scale.unit == unit:
            continue
        try:
            turned[control] = linear_map(unit, scale.unit)
        except ValueError:
            unlike = tr(
                "{} is read in {}, and {} has it in {}: is the map another machine's?",
                machine.word(control), unit, machine.name, scale.unit,
            )  # fmt: skip
    return turned, unlike
