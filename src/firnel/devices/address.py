"""Where the readings come from, as one address: ``modbus://``, ``serial://`` or ``hand:``."""

from __future__ import annotations

from urllib.parse import parse_qs, urlsplit

from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.modbus import ModbusSource
from firnel.devices.reading import ReadingSource
from firnel.devices.register_map import find_map
from firnel.devices.serial_line import DEFAULT_PATTERN, SerialSource


class AddressError(ValueError):
    """An address that leads nowhere; the message says what was expected."""


def open_source(url: str, clock: Clock) -> ReadingSource:
    """The driver for an address, not yet started.

    Parameters
    ----------
    url : ``modbus://HOST:PORT?map=NAME&unit=1``, ``serial:///dev/ttyUSB0?baud=9600&pattern=...&temperature=f``, or ``hand:``.
    clock : stamps the readings.

    Raises
    ------
    AddressError : if the address is not one of these.
    """
    try:
        parts = urlsplit(url)
        query = {key: values[-1] for key, values in parse_qs(parts.query).items()}
        if parts.scheme == "modbus" and parts.hostname:
            register_map = find_map(query.get("map", "gas-6"))
            unit = int(query.get("unit", "1"))
            if not 0 <= unit <= 255:
                raise ValueError(f"there is no Modbus unit {unit}: 0 to 255.")
            return ModbusSource(parts.hostname, 502 if parts.port is None else parts.port, register_map, clock, unit)
        if parts.scheme == "serial" and parts.path:
            return SerialSource(
                parts.path,
                clock,
                int(query.get("baud", "9600")),
                query.get("pattern", DEFAULT_PATTERN),
                query.get("temperature", "c").lower() == "f",
            )
        if parts.scheme == "hand":
            return HandSource(clock)
    except ValueError as error:
        raise AddressError(f"The address {url!r} does not work: {error}") from error
    raise AddressError(f"The address {url!r} leads nowhere. Use modbus://HOST:PORT?map=NAME, serial:///dev/ttyUSB0 or hand:.")
