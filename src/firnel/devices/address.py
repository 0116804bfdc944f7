"""Where the readings come from, as one address: ``modbus://``, ``serial://`` or ``hand:``, or several of them."""

from __future__ import annotations

from urllib.parse import parse_qs, urlsplit

from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.hand import HandSource
from firnel.devices.joined import JoinedSource
from firnel.devices.reading import ReadingSource
from firnel.devices.serial_line import DEFAULT_PATTERN, SerialSource


class AddressError(ValueError):
    """An address that leads nowhere; the message says what was expected."""


def open_source(url: str, clock: Clock) -> ReadingSource:
    """The driver for an address, not yet started.

    Parameters
    ----------
    url : ``modbus://HOST:PORT?map=NAME&unit=1``, ``serial:///dev/ttyUSB0?baud=9600&pattern=...&temperature=f&as=air``, or
        ``hand:``; several of the first two, parted by spaces, where several instruments serve one machine.
    clock : stamps the readings.

    Raises
    ------
    AddressError : if the address is not one of these, or none of its instruments reads the beans.
    """
    parts = url.split()
    if len(parts) <= 1:
        source = _one_source(url.strip(), clock)
        if "bean" not in source.reads:
            raise AddressError(tr("The address {!r} does not work: nothing there reads the beans.", url))
        return source
    sources = [_one_source(part, clock) for part in parts]
    if any(isinstance(source, HandSource) for source in sources):
        raise AddressError(tr("Readings by hand stand alone: no other instrument goes with them."))
    fields = [field for source in sources for field in source.reads]
    if twice := next((field for field in fields if fields.count(field) > 1), None):
        raise AddressError(tr("Two instruments of {!r} read {}: each reading comes from one of them.", url, twice))
    if "bean" not in fields:
        raise AddressError(tr("The address {!r} does not work: none of its instruments reads the beans.", url))
    return JoinedSource(sources)


def _one_source(url: str, clock: Clock) -> ReadingSource:
    try:
        parts = urlsplit(url)
        query = {key: values[-1] for key, values in parse_qs(parts.query).items()}
        if parts.scheme == "modbus" and parts.hostname:
            from firnel.devices.modbus import ModbusSource  # not wanted before a machine is connected
            from firnel.devices.register_map import find_map

            register_map = find_map(query.get("map", "gas-6"))
            unit = int(query.get("unit", "1"))
            if not 0 <= unit <= 255:
                raise ValueError(tr("there is no Modbus unit {}: 0 to 255.", unit))
            return ModbusSource(parts.hostname, 502 if parts.port is None else parts.port, register_map, clock, unit)
        if parts.scheme == "serial" and parts.path:
            return SerialSource(
                parts.path,
                clock,
                int(query.get("baud", "9600")),
                query.get("pattern", DEFAULT_PATTERN),
                query.get("temperature", "c").lower() == "f",
                query.get("as", "bean"),
            )
        if parts.scheme == "hand":
            return HandSource(clock)
    except ValueError as error:
        raise AddressError(tr("The address {!r} does not work: {}", url, error)) from error
    raise AddressError(
        tr("The address {!r} leads nowhere. Use modbus://HOST:PORT?map=NAME, serial:///dev/ttyUSB0 or hand:.", url)
    )
