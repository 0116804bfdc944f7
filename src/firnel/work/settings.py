"""Settings of this user on this computer: declared once, kept as JSON, read back with their bounds checked."""

from __future__ import annotations

import json
import os
import socket
from collections.abc import Mapping
from dataclasses import Field, asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from firnel.core.units import AS_READ, CHOICES, Units
from firnel.core.words import later, tr
from firnel.exchange.whole_file import write_whole

#: Pages of the settings, in their order. What is on none is set where it is used.
UNITS, ROASTING, SOUND, BENCH, CUP, WORDS, KEYS = PAGES = (
    later("Units and look"), later("Roasting"), later("Sound"), later("Scale and colour"), later("Cup"), later("Words"),
    later("Keys"),
)  # fmt: skip
ELSEWHERE = ""


def _setting(
    page: str, default: Any, title: str, choices: tuple[str, ...] = (), low: int = 0, high: int = 0, most: int = 0
) -> Any:
    """A setting: its page, its default, the text that stands beside it, and its choices or bounds."""
    limits = {"page": page, "title": title, "choices": choices, "low": low, "high": high, "most": most}
    return field(default=default, metadata=limits)


#: What Firnel speaks: how each names itself, and its code of ISO 639. German was made by the team.
LANGUAGES = {"English": "en", "Deutsch": "de"}

#: The house's own words for roast levels, each with the highest ground colour that still has it, to begin with.
LEVEL_WORDS = (
    f"{later('dark')} 45", f"{later('medium dark')} 56", f"{later('medium')} 64", f"{later('medium light')} 72",
    f"{later('light')} 100",
)  # fmt: skip
#: Columns of the list of batches, to begin with.
LIST_COLUMNS = ("Batch", "Day", "Lot", "Dev.", "Loss")
#: The house's own words of the cup, to begin with.
CUP_WORDS = (
    "sweet", "bright", "juicy", "floral", "citrus", "berry", "stone fruit", "chocolate", "nutty", "caramel", "clean", "round",
    "grassy", "flat", "papery", "thin", "sharp", "roasty", "bitter", "ashy", "uneven", "harsh",
)  # fmt: skip


@dataclass(frozen=True)
class Settings:
    """Every setting.

    Raises
    ------
    ValueError : if a value is not among its choices or out of its bounds; the message names the setting.
    """

    temperature: str = _setting(UNITS, "°C", "Temperature", CHOICES["temperature"])
    mass: str = _setting(UNITS, "kg", "Weight", CHOICES["mass"])
    pressure: str = _setting(UNITS, AS_READ, "Pressure", CHOICES["pressure"])
    theme: str = _setting(UNITS, "day", "Theme", (later("day"), later("night")))
    language: str = _setting(UNITS, "as the system", "Language, from the next start", ("as the system", *LANGUAGES))
    size_percent: int = _setting(UNITS, 100, "Size of text and all else, %, from the next start", low=80, high=200)
    motion: str = _setting(UNITS, "as the system", "Changes fade in", (later("as the system"), later("never")))
    operator: str = _setting(ROASTING, "", "Who roasts")
    station: str = _setting(ROASTING, "", "Name of this station")
    cup_form: str = _setting(CUP, "attributes", "Cupping form", (later("attributes"), later("affective")))
    cup_ml: int = _setting(CUP, 150, "Water of a cup, mL", low=30, high=400)
    cup_ratio: int = _setting(CUP, 55, "Coffee to water, g/L", low=20, high=120)
    phones_tls: str = _setting(CUP, "off", "Cuppers' phones by TLS", (later("off"), later("on")))
    cooling_aim_s: int = _setting(ROASTING, 240, "Cooling aim, seconds", low=60, high=900)
    hand_every_s: int = _setting(ROASTING, 30, "Readings by hand, every so many seconds", low=10, high=120)
    learning: str = _setting(ROASTING, "by itself", "Machines are learned", (later("by itself"), later("by the button")))
    crack_rule: str = _setting(
        ROASTING, "rolling", "First crack is", (later("the first pop"), later("the third pop"), later("rolling"))
    )
    sound_move: int = _setting(SOUND, 0, "Sound of a move that is due, %", high=100)
    sound_soon: int = _setting(SOUND, 0, "Sound ten seconds before, %", high=100)
    sound_drop: int = _setting(SOUND, 0, "Sound of the drop, %", high=100)
    sound_warning: int = _setting(SOUND, 60, "Sound of a warning, %", high=100)
    spoken: str = _setting(SOUND, "off", "Cues spoken", (later("off"), later("on")))
    review_columns: tuple[str, ...] = _setting(
        ELSEWHERE, ("Batch", "Day", "Lot", "Dev.", "Loss"), "Columns of the list in Review", most=20
    )
    hidden_columns: tuple[str, ...] = _setting(ELSEWHERE, (), "Hidden columns, such as Coffees/Level", most=200)
    scale_port: str = _setting(BENCH, "", "Scale, serial port")
    scale_baud: int = _setting(BENCH, 9600, "Scale, speed of the line", low=300, high=921600)
    colour_scale: str = _setting(BENCH, later("index"), "Name of the colour scale")
    meter_points: tuple[str, ...] = _setting(BENCH, (), "Colour meter, reading=index, two for a line", most=12)
    level_words: tuple[str, ...] = _setting(BENCH, LEVEL_WORDS, "Roast levels, each up to a colour", most=12)
    cup_words: tuple[str, ...] = _setting(CUP, CUP_WORDS, "Cup words", most=60)
    keys: tuple[str, ...] = _setting(KEYS, (), "Keys of your own, as undo=U", most=60)
    colour_words: tuple[str, ...] = _setting(
        WORDS,
        (
            later("green"),
            later("pale"),
            later("yellow"),
            later("tan"),
            later("light brown"),
            later("brown"),
            later("dark brown"),
        ),
        "Colour words, up to nine",
        most=9,
    )
    smell_words: tuple[str, ...] = _setting(
        WORDS,
        (later("grass"), later("hay"), later("bread"), later("caramel"), later("cocoa"), later("smoke"), later("wax")),
        "Smell words, up to nine",
        most=9,
    )

    def __post_init__(self) -> None:
        for declared in fields(self):
            _check(declared, getattr(self, declared.name))
        _ = self.levels, self.meter
        keys = [entry.partition("=")[0].strip() for entry in self.keys]
        if len(set(keys)) < len(keys):
            raise ValueError(tr("Keys of your own: an action is named twice."))

    @classmethod
    def from_mapping(cls, values: Mapping[str, Any]) -> Settings:
        """Settings from JSON values; names that are not known (an older or newer Firnel's) are passed over."""
        known = {declared.name for declared in fields(cls)}
        given: dict[str, Any] = {name: tuple(v) if isinstance(v, list) else v for name, v in values.items() if name in known}
        return cls(**given)

    @property
    def levels(self) -> dict[str, float]:
        """The house's words for roast levels, each with the highest ground colour that still has it.

        Raises
        ------
        ValueError : if one has no figure at its end.
        """
        found = {}
        for entry in self.level_words:
            word, _, limit = entry.rpartition(" ")
            try:
                found[word.strip()] = float(limit)
            except ValueError:
                raise ValueError(tr("Roast levels: {!r} needs a colour at its end, as in ‘medium 64’.", entry)) from None
        return found

    @property
    def station_name(self) -> str:
        """What other stations call this one: the computer's own name unless another is set."""
        return (self.station or socket.gethostname())[:80]

    @property
    def units(self) -> Units:
        """The chosen units."""
        return Units(self.temperature, self.mass, self.pressure, tr(self.colour_scale or "index"))

    @property
    def meter(self) -> tuple[tuple[float, float], ...]:
        """What the house's colour meter reads, and the index that stands for: points in order, none for the same scale.

        Raises
        ------
        ValueError : if a point is none, or two say different things of one reading.
        """
        points = []
        for entry in self.meter_points:
            reads, _, index = entry.partition("=")
            try:
                points.append((float(reads), float(index)))
            except ValueError:
                raise ValueError(tr("Colour meter: {!r} is no point; write reading=index, as in ‘55=62’.", entry)) from None
        points.sort()
        if any(one[0] == two[0] for one, two in zip(points, points[1:], strict=False)):
            raise ValueError(tr("Colour meter: one reading stands for two colours."))
        return tuple(points)


def _check(declared: Field[Any], value: Any) -> None:
    limits = declared.metadata
    if limits["choices"] and value not in limits["choices"]:
        raise ValueError(tr("{}: {!r} is none of {}.", tr(limits["title"]), value, ", ".join(limits["choices"])))
    if limits["high"] and not (isinstance(value, int) and limits["low"] <= value <= limits["high"]):
        raise ValueError(tr("{}: {!r} is not between {} and {}.", tr(limits["title"]), value, limits["low"], limits["high"]))
    if limits["most"]:
        words = isinstance(value, tuple) and all(isinstance(word, str) and word for word in value)
        least = 0 if declared.default == () else 1
        if not words or not least <= len(value) <= limits["most"]:
            raise ValueError(tr("{}: give {} to {} words.", tr(limits["title"]), "up" if not least else "one", limits["most"]))


def settings_path() -> Path:
    """Where the settings lie: FIRNEL_SETTINGS, or the user's configuration folder."""
    given = os.environ.get("FIRNEL_SETTINGS")
    if given:
        return Path(given)
    from platformdirs import user_config_path

    return user_config_path("firnel") / "settings.json"


def load_settings(path: Path | None = None) -> tuple[Settings, str | None]:
    """The settings, and a sentence if what lay there could not be used (it is kept beside, as ``.unread``)."""
    path = path or settings_path()
    if not path.exists():
        return Settings(), None
    try:
        return Settings.from_mapping(json.loads(path.read_text(encoding="utf-8"))), None
    except (OSError, ValueError, TypeError, AttributeError) as error:
        kept = path.with_suffix(".unread")
        path.replace(kept)
        return (
            Settings(),
            tr("The settings in {} could not be read ({}). They are kept as {}; defaults are used.", path, error, kept.name),
        )


def save_settings(settings: Settings, path: Path | None = None) -> None:
    """Keep the settings; written whole or not at all."""
    path = path or settings_path()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, json.dumps(asdict(settings), indent=2, ensure_ascii=False))
