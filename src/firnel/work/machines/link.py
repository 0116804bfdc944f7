"""The link to a machine as a hand sets it up: the way, its fields, the register map, and what a try brings."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from pathlib import Path
from urllib.parse import parse_qs, quote, urlencode, urlsplit

from firnel.core.vocabulary import Control, ControlScale, Machine
from firnel.core.words import tr
from firnel.devices.clock import Clock
from firnel.devices.modbus import ModbusSource
from firnel.devices.reading import Tried
from firnel.devices.register_map import (
    PROBES,
    WIDTHS,
    Register,
    RegisterMap,
    RegisterMapError,
    find_map,
    own_folder,
    own_maps,
    parse_register_map,
    register_map_text,
    shipped_maps,
)
from firnel.devices.serial_line import DEFAULT_PATTERN, SerialSource, serial_ports
from firnel.devices.source import LinkBrokenError
from firnel.exchange.whole_file import write_whole

__all__ = [
    "PROBES", "WIDTHS", "Channel", "Instrument", "LinkBrokenError", "RegisterMapError", "Tried", "Way", "channels_of",
    "fitting_map", "instruments_of", "keep_map", "map_named", "map_of", "maps", "ports", "strange_to", "try_map",
    "try_thermometer", "url_of",
]  # fmt: skip

#: A shipped kind of machine that is simulated on this computer: ``simulated:gas-6``.
SIMULATED = "simulated"
USUAL_MAP = "gas-6"  #: where nothing tells which it is.


class Way(StrEnum):
    """How readings come."""

    MODBUS = "modbus"
    SERIAL = "serial"
    HAND = "hand"
    SIMULATED = SIMULATED


@dataclass(frozen=True)
class Instrument:
    """One instrument of a link, as its fields stand."""

    way: Way
    host: str = "192.168.0.10"
    port: int = 502
    unit: int = 1
    map: str = USUAL_MAP
    device: str = "/dev/ttyUSB0"
    baud: int = 9600
    fahrenheit: bool = False
    pattern: str = ""
    probe: str = "bean"

    @property
    def url(self) -> str:
        """Its address."""
        if self.way is Way.HAND:
            return "hand:"
        if self.way is Way.SIMULATED:
            return f"{SIMULATED}:{self.map}"
        if self.way is Way.MODBUS:
            return f"modbus://{self.host.strip()}:{self.port}?map={quote(self.map)}&unit={self.unit}"
        told = {"baud": str(self.baud)} | ({"temperature": "f"} if self.fahrenheit else {})
        told |= ({"pattern": self.pattern} if self.pattern else {}) | ({"as": self.probe} if self.probe != "bean" else {})
        return f"serial://{self.device.strip()}?{urlencode(told)}"


def url_of(instruments: Sequence[Instrument]) -> str:
    """The address of all of them."""
    return " ".join(one.url for one in instruments)


def instruments_of(url: str) -> list[Instrument]:
    """The fields behind an address; readings by hand where it is none that is known."""
    found = []
    for part in url.split():
        try:
            parts = urlsplit(part)
            port = parts.port if parts.port is not None else 502
        except ValueError:
            continue
        query = {key: values[-1] for key, values in parse_qs(parts.query).items()}
        if parts.scheme == "modbus":
            unit = int(query.get("unit", "1")) if query.get("unit", "1").isdecimal() else 1
            found.append(Instrument(Way.MODBUS, parts.hostname or "", port, unit, query.get("map", USUAL_MAP)))
        elif parts.scheme == "serial":
            baud = int(query.get("baud", "9600")) if query.get("baud", "9600").isdecimal() else 9600
            found.append(
                Instrument(
                    Way.SERIAL, device=parts.path, baud=baud, fahrenheit=query.get("temperature", "c").lower() == "f",
                    pattern=query.get("pattern", ""), probe=query.get("as", "bean"),
                )
            )  # fmt: skip
        elif parts.scheme == SIMULATED:
            found.append(Instrument(Way.SIMULATED, map=parts.path))
        elif parts.scheme == "hand":
            found.append(Instrument(Way.HAND))
    return found or [Instrument(Way.HAND)]


def ports() -> list[tuple[str, str]]:
    """Serial ports of this computer, and what is plugged in there."""
    return serial_ports()


def maps() -> dict[str, str]:
    """The register maps there are, shipped and of one's own: name and title."""
    return {name: found.title for name, found in (shipped_maps() | own_maps()).items()}


@dataclass(frozen=True)
class Channel:
    """One line of a register map as a hand edits it: what is read, and where it lies."""

    field: str  #: bean, air, or a control
    table: str = "input"
    address: int = 0
    type: str = "int16"
    scale: float = 0.1
    unit: str = "°C"


def channels_of(name: str) -> list[Channel]:
    """The channels of a map.

    Raises
    ------
    RegisterMapError : if there is no such map.
    """
    registers = find_map(name).registers
    return [Channel(field, one.table, one.address, one.type, one.scale, one.unit) for field, one in registers.items()]


def map_named(name: str) -> RegisterMap:
    """A map by name.

    Raises
    ------
    RegisterMapError : if there is none.
    """
    return find_map(name)


def map_of(name: str, machine: Machine, channels: Sequence[Channel], little: bool = False, poll_s: float = 1.0) -> RegisterMap:
    """The register map of channels, with the machine's own scales; checked as a file of its own would be.

    Raises
    ------
    RegisterMapError : in a sentence, if it cannot be.
    """
    fields = [channel.field for channel in channels]
    if twice := next((field for field in fields if fields.count(field) > 1), None):
        raise RegisterMapError(tr("Two channels are {}: each reading lies in one place.", twice))
    registers = {c.field: Register(c.table, c.address, c.type, c.scale, c.unit) for c in channels}
    controls: Mapping[Control, ControlScale] = {
        control: replace(scale, reported=str(control) in registers) for control, scale in machine.controls.items()
    }
    load = machine.stated_load_kg or machine.useful_load_kg or 1.0
    made = RegisterMap(
        name, machine.name, machine.heat, load, min(machine.useful_load_kg or load, load), poll_s,
        "little" if little else "big", registers, controls,
    )  # fmt: skip
    return parse_register_map(f"{name}.toml", register_map_text(made))


def keep_map(made: RegisterMap) -> Path:
    """Keep a map that was made in the window, under its name; one of that name is replaced. Where it lies.

    Raises
    ------
    RegisterMapError : if its name cannot be, or nothing can be written; nothing is written then.
    """
    if not re.fullmatch(r"[a-z0-9][a-z0-9-]{0,39}", made.name) or made.name in shipped_maps():
        raise RegisterMapError(
            tr("{!r} is no name for a map of your own: small letters, figures and hyphens, and not a shipped one's.", made.name)
        )
    path = own_folder() / f"{made.name}.toml"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, register_map_text(made))
    except OSError as error:
        raise RegisterMapError(tr("The register map {} cannot be written: {}.", path, error.strerror)) from error
    return path


def fitting_map(machine: Machine) -> str:
    """The map that reads most of what a machine has and nothing else, of the likest drum; the usual one where none fits."""

    found: dict[str, tuple[int, bool, float]] = {}
    for name in maps():
        try:
            one = find_map(name)
        except RegisterMapError:
            continue  # it is told where it is chosen
        reads = set(one.registers) - set(PROBES)
        if reads and reads <= set(machine.controls) and one.heat == machine.heat:
            found[name] = len(reads), name == machine.kind, -abs(math.log(one.useful_load_kg / machine.useful_load_kg))
    return max(found, key=lambda name: found[name], default=USUAL_MAP)


def strange_to(machine: Machine, instruments: Sequence[Instrument]) -> str:
    """What a map reads that the machine does not have: perhaps it is another machine's. A sentence, empty where all fits."""
    for one in instruments:
        if one.way is not Way.MODBUS:
            continue
        try:
            fields = set(find_map(one.map).registers) - set(PROBES)
        except RegisterMapError as error:
            return str(error)
        if strange := sorted(fields - set(machine.controls)):
            words = tr(" and ").join(Control(field).words for field in strange)
            has = ", ".join(machine.word(control) for control in machine.controls)
            return tr(
                "The map {} reads {}, which {} does not have ({}): is it another machine's?", one.map, words, machine.name, has
            )
    return ""


def try_map(host: str, port: int, unit: int, made: RegisterMap) -> list[Tried]:
    """Each channel's value now and what is wrong with it; some seconds.

    Raises
    ------
    LinkBrokenError : if nobody listens there.
    """
    return ModbusSource(host.strip(), port, made, Clock(), unit).try_each()


def try_thermometer(one: Instrument) -> list[Tried]:
    """What a thermometer prints now; some seconds.

    Raises
    ------
    LinkBrokenError, ValueError : if the port cannot be read, or its fields cannot be.
    """
    source = SerialSource(one.device.strip(), Clock(), one.baud, one.pattern or DEFAULT_PATTERN, one.fahrenheit, one.probe)
    line, reading = source.try_line()
    if reading is None:
        what = tr("it prints {!r}, in which there is no reading", line[:40]) if line else tr("nothing came in three seconds")
        return [Tried(one.probe, None, (), tr("{}: is the speed right?", what))]
    values = {"bean": reading.bean, "air": reading.air}
    return [Tried(field, value) for field, value in values.items() if value is not None]
