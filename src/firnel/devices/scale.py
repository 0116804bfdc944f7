"""A scale on a serial line, which prints its weight over and over; and a stand-in for one on a pseudo-terminal."""

from __future__ import annotations

import os
import re
import threading
import time

from firnel.core.words import tr

#: A weight with its unit; decimal point or comma. What a scale prints before and after it does not matter.
PATTERN = re.compile(r"([+-]?\s*\d+(?:[.,]\d+)?)\s*(kg|g|lb)\b", re.IGNORECASE)
KG = {"kg": 1.0, "g": 0.001, "lb": 0.45359237}
#: No scale prints a longer line than this; one that sends no end of line is read all the same. [bytes]
LONGEST_LINE = 96
#: The weight stands when so many lines agree within this much of it, or this much. [share], [kg]
AGREE, WITHIN, WITHIN_KG = 3, 0.0005, 0.001


class ScaleError(OSError):
    """A scale that cannot be read, or does not come to rest; the message says which."""


def weight_in(line: str) -> float | None:
    """The weight on a line [kg]; None where there is none."""
    found = PATTERN.search(line)
    if found is None:
        return None
    return float(found[1].replace(" ", "").replace(",", ".")) * KG[found[2].lower()]


def read_weight(port: str, baud: int = 9600, patience_s: float = 6.0) -> float:
    """The weight once it stands. [kg]

    Parameters
    ----------
    port : device file, such as ``/dev/ttyUSB1``.
    baud : speed of the line.
    patience_s : how long it may take to stand.

    Raises
    ------
    ScaleError : if the port cannot be opened, prints no weight, or the weight does not come to rest.
    """
    import serial

    last: list[float] = []
    deadline = time.monotonic() + patience_s
    try:
        with serial.Serial(port, baud, timeout=0.3) as line:
            while time.monotonic() < deadline:
                weight = weight_in(line.read_until(b"\n", size=LONGEST_LINE).decode("ascii", "replace"))
                if weight is None:
                    continue
                last = [*last[1 - AGREE :], weight]
                if len(last) == AGREE and max(last) - min(last) <= max(WITHIN * abs(weight), WITHIN_KG):
                    return weight
    except (serial.SerialException, OSError, ValueError, OverflowError) as error:
        raise ScaleError(tr("The scale on {} cannot be read: {}.", port, error)) from error
    if not last:
        raise ScaleError(tr("The scale on {} prints no weight: is it set to send, and to this speed?", port))
    raise ScaleError(
        tr("The scale on {} does not come to rest: the last weights were {} kg.", port, ", ".join(f"{w:.3f}" for w in last))
    )


class StandInScale:
    """Prints a weight on a pseudo-terminal, first swinging, then at rest; `port` is its device file.

    Parameters
    ----------
    weight_kg : that it comes to.
    swings : lines before it stands.
    """

    def __init__(self, weight_kg: float, swings: int = 4) -> None:
        self._weight, self._swings = weight_kg, swings
        self._master, slave = os.openpty()
        self._slave = slave
        self.port = os.ttyname(slave)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="scale", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        lines = 0
        while not self._stop.wait(0.1):
            off = 0.02 * (-1.0) ** lines * max(self._swings - lines, 0)
            mark = "US" if off else "ST"
            try:
                os.write(self._master, f"{mark},GS,{self._weight + off:+8.3f} kg\r\n".encode("ascii"))
            except OSError:
                return  # nobody reads, and the terminal is full
            lines += 1

    def close(self) -> None:
        """Stop printing."""
        self._stop.set()
        self._thread.join()
        os.close(self._master)
        os.close(self._slave)
