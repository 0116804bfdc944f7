"""Register maps: which register of a machine holds what, in a small TOML file for each kind.

The format is described in docs/register-maps.md; the shipped files lie in resources/register_maps.
"""

from __future__ import annotations

import logging
import math
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from firnel.core.units import linear_map
from firnel.core.vocabulary import KINDS_OF, MOST_CONTROLS, Control, ControlScale, Role, usual_role
from firnel.core.words import tr

log = logging.getLogger(__name__)

#: Registers that each number type takes.
WIDTHS = {"int16": 1, "uint16": 1, "int32": 2, "uint32": 2, "float32": 2}
PROBES = ("bean", "air")


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
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise RegisterMapError(tr("The register map {} cannot be read: {}.", path.name, error)) from error
    return parse_register_map(path.name, text)


def parse_register_map(file: str, text: str) -> RegisterMap:
    """A map from its text, checked.

    Raises
    ------
    RegisterMapError : naming ``file`` and the entry that is wrong.
    """
    name = file.removesuffix(".toml")
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise RegisterMapError(tr("The register map {} cannot be read: {}.", file, error)) from error
    try:
        title = str(data["title"])
        registers = {field: _register(file, field, entry) for field, entry in data["readings"].items()}
        controls = {Control(key): _scale(file, key, entry, registers) for key, entry in data.get("controls", {}).items()}
        _check_readings(file, registers, controls)
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
            clock_speed=_register(file, "clock_speed", speed) if speed else None,
        )
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
        if isinstance(error, RegisterMapError):
            raise
        raise RegisterMapError(tr("{}: {!r} is missing or not understood.", file, error)) from error


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
            tr(
                "{}: {} needs a table (input or holding), an address from 0 to 65535 and a type of {}.",
                file,
                field,
                list(WIDTHS),
            )
        )
    return register


def _figure(value: Any, low: float, high: float) -> float:
    figure = float(value)
    if not low <= figure <= high:
        raise ValueError(tr("{} is not between {:g} and {:g}", value, low, high))
    return figure


def _scale(file: str, key: str, entry: Mapping[str, Any], registers: Mapping[str, Register]) -> ControlScale:
    if Control.named(key) != key:
        raise RegisterMapError(tr("{}: {!r} is no name for a control: small letters, words joined by underscores.", file, key))
    scale = ControlScale(
        str(entry["unit"]), float(entry["low"]), float(entry["high"]), float(entry["step"]), float(entry.get("least", 0.0)),
        key in registers, Role(entry["role"]) if "role" in entry else None, str(entry.get("kind", "")),
        str(entry.get("name", "")), float(entry["lag_s"]) if "lag_s" in entry else None,
    )  # fmt: skip
    known = all(math.isfinite(figure) for figure in (scale.low, scale.high, scale.step, scale.least))
    if not known or not scale.low < scale.high or not 0 < scale.step <= scale.high - scale.low:
        raise RegisterMapError(tr("{}: the scale of {} must rise, and its step lie inside it.", file, key))
    role = scale.role or usual_role(key)
    if scale.kind and scale.kind not in KINDS_OF[role]:
        raise RegisterMapError(
            tr("{}: {} is {!r}; for {} there are {}.", file, key, scale.kind, role, ", ".join(KINDS_OF[role]))
        )
    return scale


def _check_readings(file: str, registers: Mapping[str, Register], controls: Mapping[Control, ControlScale]) -> None:
    """Every reading is a probe's or a control's, and no two of them take the same register."""
    if len(controls) > MOST_CONTROLS:
        raise RegisterMapError(
            tr("{}: {} controls are more than a hand drives; {} at most.", file, len(controls), MOST_CONTROLS)
        )
    known = {*PROBES, *controls}
    if unknown := sorted(field for field in registers if field not in known):
        which = ", ".join([*PROBES, *controls])
        raise RegisterMapError(
            tr("{}: the reading {!r} is neither a probe nor one of its controls ({}).", file, unknown[0], which)
        )
    if not registers:
        raise RegisterMapError(tr("{}: a map needs at least one reading, as readings.bean, the bean probe.", file))
    taken: dict[tuple[str, int], str] = {}
    for field, register in registers.items():
        for address in range(register.address, register.address + register.width):
            other = taken.setdefault((register.table, address), field)
            if other != field:
                raise RegisterMapError(
                    tr("{}: {} and {} both take {} register {}.", file, other, field, register.table, address)
                )


@cache
def shipped_maps() -> dict[str, RegisterMap]:
    """The maps that come with Firnel, by name."""
    folder = resources.files("firnel.resources") / "register_maps"
    maps = [read_register_map(entry) for entry in folder.iterdir() if entry.name.endswith(".toml")]
    return {found.name: found for found in sorted(maps, key=lambda found: found.name)}


def own_folder() -> Path:
    """Where maps that were made in the window lie."""
    from platformdirs import user_data_path

    return user_data_path("firnel") / "register_maps"


def own_maps() -> dict[str, RegisterMap]:
    """The maps that were made in the window, by name; what cannot be read is left out."""
    found = {}
    for path in sorted(own_folder().glob("*.toml")):
        try:
            found[path.stem] = read_register_map(path)
        except RegisterMapError:
            log.warning("a register map was left out", exc_info=True)
    return found


def find_map(name: str) -> RegisterMap:
    """A shipped map by name, one that was made in the window, or one from a file path.

    Raises
    ------
    RegisterMapError : if there is none.
    """
    if name in shipped_maps():
        return shipped_maps()[name]
    path = Path(name)
    if path.suffix == ".toml":
        return read_register_map(path)
    if path.name == name and (own := own_folder() / f"{name}.toml").is_file():
        return read_register_map(own)
    known = ", ".join([*shipped_maps(), *own_maps()])
    raise RegisterMapError(tr("No register map is called {!r}; there are {}, or give a .toml file.", name, known))


def register_map_text(found: RegisterMap) -> str:
    """A map as the file that `read_register_map` reads."""
    import tomli_w

    def of_register(register: Register) -> dict[str, Any]:
        unit = {"unit": register.unit} if register.unit else {}
        return {"table": register.table, "address": register.address, "type": register.type, "scale": register.scale} | unit

    def of_scale(scale: ControlScale) -> dict[str, Any]:
        told = {"role": str(scale.role) if scale.role else None, "kind": scale.kind, "name": scale.name, "lag_s": scale.lag_s}
        plain = {"unit": scale.unit, "low": scale.low, "high": scale.high, "step": scale.step, "least": scale.least}
        return {name: value for name, value in told.items() if value} | plain

    speed = {"clock_speed": of_register(found.clock_speed)} if found.clock_speed is not None else {}
    return tomli_w.dumps(
        {
            "title": found.title,
            "heat": found.heat,
            "stated_load_kg": found.stated_load_kg,
            "useful_load_kg": found.useful_load_kg,
            "poll_s": found.poll_s,
            "word_order": found.word_order,
            "readings": {field: of_register(register) for field, register in found.registers.items()},
            "controls": {str(control): of_scale(scale) for control, scale in found.controls.items()},
        }
        | speed
    )
