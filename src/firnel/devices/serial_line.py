"""A thermometer on a serial line that prints one reading per line."""

from __future__ import annotations

import re
import threading

from firnel.devices.clock import Clock
from firnel.devices.modbus import PAUSES
from firnel.devices.reading import LinkState, LinkStatus, OnReading, OnStatus, QualityWatch, Reading

#: One or two numbers on a line: the bean probe, then the air probe. Decimal point or comma.
DEFAULT_PATTERN = r"(?P<bean>-?\d+(?:[.,]\d+)?)(?:[\s;,\t]+(?P<air>-?\d+(?:[.,]\d+)?))?"


class SerialSource:
    """Reads lines from a serial port and finds the readings in them by a pattern.

    Parameters
    ----------
    port : device file, such as ``/dev/ttyUSB0``.
    clock : stamps each line at its end.
    baud : speed of the line.
    pattern : regular expression with a group ``bean`` and, if there is one, ``air``.
    fahrenheit : whether the thermometer prints degrees Fahrenheit.

    Raises
    ------
    ValueError : if the pattern is no regular expression or has no group ``bean``.
    """

    def __init__(
        self, port: str, clock: Clock, baud: int = 9600, pattern: str = DEFAULT_PATTERN, fahrenheit: bool = False
    ) -> None:
        try:
            self._pattern = re.compile(pattern)
        except re.error as error:
            raise ValueError(f"the pattern {pattern!r} is no regular expression: {error}.") from error
        if "bean" not in self._pattern.groupindex:
            raise ValueError(f"the pattern {pattern!r} needs a group called bean.")
        self.title = f"thermometer on {port}"
        self._port, self._clock, self._baud, self._fahrenheit = port, clock, baud, fahrenheit
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._watch = QualityWatch()

    def start(self, on_reading: OnReading, on_status: OnStatus) -> None:
        """Begin to read in a thread of its own."""
        self._stop.clear()
        self._thread = threading.Thread(target=self._run, args=(on_reading, on_status), name="serial", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End; returns when the thread is gone."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def parse(self, line: str) -> Reading | None:
        """The reading on a line, stamped now; None where there is none."""
        found = self._pattern.search(line)
        if found is None:
            return None
        values = {
            name: self._celsius(float(text.replace(",", ".")))
            for name, text in found.groupdict().items()
            if text is not None and name in ("bean", "air")
        }
        if "bean" not in values:
            return None
        return self._watch.judge(Reading(time=self._clock.now(), bean=values["bean"], air=values.get("air")))

    def _celsius(self, value: float) -> float:
        return (value - 32.0) / 1.8 if self._fahrenheit else value

    def _run(self, on_reading: OnReading, on_status: OnStatus) -> None:
        import serial

        failures = 0
        while not self._stop.is_set():
            try:
                with serial.Serial(self._port, self._baud, timeout=0.2) as line:
                    failures = 0
                    self._listen(line, on_reading, on_status)
            except (serial.SerialException, OSError) as error:
                on_status(LinkStatus(LinkState.LOST, f"The {self.title} cannot be read: {error.strerror or error}."))
            self._stop.wait(PAUSES[min(failures, len(PAUSES) - 1)])
            failures += 1

    def _listen(self, line: object, on_reading: OnReading, on_status: OnStatus) -> None:
        on_status(LinkStatus(LinkState.CONNECTING, f"The {self.title} is open; waiting for its first line."))
        state = LinkState.CONNECTING
        pending = b""
        while not self._stop.is_set():
            pending += line.read_until(b"\n")  # type: ignore[attr-defined]  # pyserial has no common protocol type
            if not pending.endswith(b"\n"):
                continue  # the time-out came in mid-line: keep what there is
            text, pending = pending.decode("ascii", "replace").strip(), b""
            reading = self.parse(text)
            if reading is None:
                if text and state is not LinkState.SILENT:
                    state = LinkState.SILENT
                    on_status(LinkStatus(state, f"The {self.title} prints {text[:40]!r}, in which there is no reading."))
                continue
            if state is not LinkState.LIVE:
                state = LinkState.LIVE
                on_status(LinkStatus(state, f"Reading the {self.title}."))
            on_reading(reading)
