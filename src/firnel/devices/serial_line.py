"""A thermometer on a serial line that prints one reading per line."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.reading import LinkState, Reading
from firnel.devices.source import LinkBrokenError, ThreadedSource

if TYPE_CHECKING:
    import serial

#: Speeds of a line. [baud]
SLOWEST_BAUD, FASTEST_BAUD = 300, 4_000_000
#: No thermometer prints a longer line than this. [bytes]
LONGEST_LINE = 512

#: One or two numbers on a line: the bean probe, then the air probe. Decimal point or comma.
DEFAULT_PATTERN = r"(?P<bean>-?\d+(?:[.,]\d+)?)(?:[\s;,\t]+(?P<air>-?\d+(?:[.,]\d+)?))?"


def serial_ports() -> list[tuple[str, str]]:
    """Serial ports of this computer: device file, and what is plugged in there."""
    from serial.tools.list_ports import comports

    return sorted((port.device, port.description if port.description != "n/a" else "") for port in comports())


class SerialSource(ThreadedSource):
    """Reads lines from a serial port and finds the readings in them by a pattern.

    Parameters
    ----------
    port : device file, such as ``/dev/ttyUSB0``.
    clock : stamps each line at its end.
    baud : speed of the line.
    pattern : regular expression with a group ``bean`` and, if there is one, ``air``.
    fahrenheit : whether the thermometer prints degrees Fahrenheit.
    probe : what its first figure is, ``bean`` or ``air``: a second thermometer reads the air.

    Raises
    ------
    ValueError : if the pattern is no regular expression or has no group ``bean``, or there is no such probe.
    """

    def __init__(
        self,
        port: str,
        clock: Clock,
        baud: int = 9600,
        pattern: str = DEFAULT_PATTERN,
        fahrenheit: bool = False,
        probe: str = "bean",
    ) -> None:
        try:
            self._pattern = re.compile(pattern)
        except re.error as error:
            raise ValueError(tr("the pattern {!r} is no regular expression: {}.", pattern, error)) from error
        if "bean" not in self._pattern.groupindex:
            raise ValueError(tr("the pattern {!r} needs a group called bean.", pattern))
        if not SLOWEST_BAUD <= baud <= FASTEST_BAUD:
            raise ValueError(tr("a line of {} baud cannot be: {} to {}.", baud, SLOWEST_BAUD, FASTEST_BAUD))
        if probe not in ("bean", "air"):
            raise ValueError(tr("a thermometer reads bean or air, not {!r}.", probe))
        self._probe = probe
        both = "air" in self._pattern.groupindex and pattern != DEFAULT_PATTERN
        super().__init__(tr("thermometer on {}", port), clock, "serial", ("bean", "air") if both else (probe,))
        self._port, self._baud, self._fahrenheit = port, baud, fahrenheit

    def parse(self, line: str) -> Reading | None:
        """The reading on a line, stamped now; None where there is none."""
        found = self._pattern.search(line)
        if found is None:
            return None
        values = {name: self._celsius(found.groupdict().get(name)) for name in ("bean", "air")}
        if values["bean"] is None:
            return None
        if self._probe == "air":
            return Reading(time=self._clock.now(), air=values["bean"])
        return Reading(time=self._clock.now(), bean=values["bean"], air=values["air"])

    def _celsius(self, text: str | None) -> float | None:
        """The figure in degC; None where there is none, as where a pattern of one's own finds words."""
        try:
            value = float((text or "").replace(",", "."))
        except ValueError:
            return None
        return (value - 32.0) / 1.8 if self._fahrenheit else value

    def _read_on(self) -> None:
        import serial

        try:
            with serial.Serial(self._port, self._baud, timeout=0.2, exclusive=True) as line:
                self._tell(LinkState.CONNECTING, tr("The {} is open; waiting for its first line.", self.title), again=True)
                self._listen(line)
        except (serial.SerialException, OSError) as error:
            raise LinkBrokenError(tr("The {} cannot be read: {}.", self.title, error.strerror or error)) from error

    def _listen(self, line: serial.Serial) -> None:
        pending = b""
        while not self.stopped:
            pending += line.read(max(1, min(line.in_waiting, LONGEST_LINE)))
            *lines, pending = re.split(rb"[\r\n]+", pending)
            for raw in lines:
                self._take_line(raw[:LONGEST_LINE].decode("ascii", "replace").strip())
            if len(pending) > LONGEST_LINE:
                self._tell(LinkState.SILENT, tr("The {} prints without an end of line: is it set to this speed?", self.title))
                pending = b""
            self._look_whether_silent()

    def try_line(self, seconds: float = 3.0) -> tuple[str, Reading | None]:
        """Listen for a while: the last line that came, and the reading in it.

        Raises
        ------
        LinkBrokenError : if the port cannot be read.
        """
        import serial

        try:
            with serial.Serial(self._port, self._baud, timeout=seconds, exclusive=True) as line:
                line.readline()  # the first is often cut
                last = line.readline()[:LONGEST_LINE].decode("ascii", "replace").strip()
        except (serial.SerialException, OSError) as error:
            raise LinkBrokenError(tr("The {} cannot be read: {}.", self.title, error.strerror or error)) from error
        return last, self.parse(last)

    def _take_line(self, text: str) -> None:
        reading = self.parse(text)
        if reading is not None:
            self._hand_up(reading)
        elif text and self._state is not LinkState.LIVE:
            self._tell(LinkState.SILENT, tr("The {} prints {!r}, in which there is no reading.", self.title, text[:40]))
        elif text:
            self._look_whether_silent()
