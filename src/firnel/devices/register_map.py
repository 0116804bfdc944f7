"""Register maps: which register of a machine holds what, in a small TOML file for each kind.

The format is described in docs/register-maps.md; the shipped files lie in resources/register_maps.
"""

from __future__ import annotations

import math
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from firnel.core.units import linear_map
from firnel.core.vocabulary import Control, ControlScale

#: Registers that each number type takes.
WIDTHS = {"int16": 1, "uint16": 1, "int32": 2, "uint32": 2, "float32": 2}
FIELDS = ("bean", "air", "gas", "airflow", "drum")


class RegisterMapError(ValueError):
    """A register map that cannot be used; the message says which file and what is wrong."""


@dataclass(frozen=True)
class Register:
    """Where one number lies and how it is to be read: value = raw * scale, in ``unit``."""

    table: str  #: ``input`` or ``holding``
    address: int
    type: str = "int16"
    scale: float = 1.0
    unit: str = ""

    @property
    def width(self) -> int:
        """Registers taken."""
        return WIDTHS[self.type]

    def decode(self, words: Iterable[int], word_order: str = "big") -> float:
        """The number in its unit, from the raw 16-bit words."""
        import struct

        parts = list(words) if word_order == "big" else list(words)[::-1]
        raw = b"".join(int(word).to_bytes(2, "big") for word in parts)
        form = {"int16": ">h", "uint16": ">H", "int32": ">i", "uint32": ">I", "float32": ">f"}[self.type]
        return float(struct.unpack(form, raw)[0]) * self.scale


@dataclass(frozen=True)
class RegisterMap:
    """One machine kind over Modbus: its registers and the scales of its controls."""

    name: str
    title: str
    heat: str
    stated_load_kg: float
    useful_load_kg: float
    poll_s: float
    word_order: str
    registers: Mapping[str, Register]
    controls: Mapping[Control, ControlScale]
    clock_speed: Register | None = None

    def celsius(self, field: str, value: float) -> float:
        """A decoded probe reading in degC, whatever the machine sends."""
        unit = self.registers[field].unit
        factor, offset = linear_map(unit, "°C") if unit in ("°C", "°F") else (1.0, 0.0)
        return value * factor + offset


def read_register_map(path: Path | Any) -> RegisterMap:
    """Read and check one map file.

    Raises
    ------
    RegisterMapError : naming the file and the entry that is wrong.
    """
    name = path.name.removesuffix(".toml")
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise RegisterMapError(f"The register map {path.name} cannot be read: {error}.") from error
    try:
        title = str(data["title"])
        registers = {field: _register(path.name, field, entry) for field, entry in data["readings"].items()}
        if unknown := set(registers) - set(FIELDS):
            raise RegisterMapError(f"{path.name}: nobody knows the reading {sorted(unknown)[0]!r}; use {', '.join(FIELDS)}.")
        if "bean" not in registers:
            raise RegisterMapError(f"{path.name}: a map needs at least readings.bean, the bean probe.")
        controls = {
            Control(control): ControlScale(
                entry["unit"], float(entry["low"]), float(entry["high"]), float(entry["step"]),
                float(entry.get("least", 0.0)), reported=control in registers,
            )
            for control, entry in data.get("controls", {}).items()
        }  # fmt: skip
        _check_scales(path.name, controls)
        poll_s, stated = _figure(data.get("poll_s", 1.0), 0.05, 60.0), _figure(data["stated_load_kg"], 0.01, 1000.0)
        useful = _figure(data.get("useful_load_kg", 0.75 * stated), 0.01, stated)
        speed = data.get("clock_speed")
        return RegisterMap(
            name=name,
            title=title,
            heat=data.get("heat", "gas"),
            stated_load_kg=stated,
            useful_load_kg=useful,
            poll_s=poll_s,
            word_order=data.get("word_order", "big"),
            registers=registers,
            controls=controls,
            clock_speed=_register(path.name, "clock_speed", speed) if speed else None,
        )
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
        if isinstance(error, RegisterMapError):
            raise
        raise RegisterMapError(f"{path.name}: {error!r} is missing or not understood.") from error


def _register(file: str, field: str, entry: Mapping[str, Any]) -> Register:
    register = Register(
        entry["table"],
        int(entry["address"]),
        str(entry.get("type", "int16")),
        _figure(entry.get("scale", 1.0), -1e6, 1e6),
        str(entry.get("unit", "")),
    )
    if register.table not in ("input", "holding") or register.type not in WIDTHS or not 0 <= register.address <= 65535:
        raise RegisterMapError(
            f"{file}: {field} needs a table (input or holding), an address from 0 to 65535 and a type of {list(WIDTHS)}."
        )
    return register


def _figure(value: Any, low: float, high: float) -> float:
    figure = float(value)
    if not low <= figure <= high:
        raise ValueError(f"{value} is not between {low:g} and {high:g}")
    return figure


def _check_scales(file: str, controls: Mapping[Control, ControlScale]) -> None:
    for control, scale in controls.items():
        known = all(math.isfinite(figure) for figure in (scale.low, scale.high, scale.step, scale.least))
        if not known or not scale.low < scale.high or not 0 < scale.step <= scale.high - scale.low:
            raise RegisterMapError(f"{file}: the scale of {control.value} must rise, and its step lie inside it.")


@cache
def shipped_maps() -> dict[str, RegisterMap]:
    """The maps that come with Firnel, by name."""
    folder = resources.files("firnel.resources") / "register_maps"
    maps = [read_register_map(entry) for entry in folder.iterdir() if entry.name.endswith(".toml")]
    return {found.name: found for found in sorted(maps, key=lambda found: found.name)}


def find_map(name: str) -> RegisterMap:
    """A shipped map by name, or one from a file path.

    Raises
    ------
    RegisterMapError : if there is neither.
    """
    if name in shipped_maps():
        return shipped_maps()[name]
    path = Path(name)
    if path.suffix == ".toml":
        return read_register_map(path)
    raise RegisterMapError(f"No register map is called {name!r}; there are {', '.join(shipped_maps())}, or give a .toml file.")
