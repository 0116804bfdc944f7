"""Settings of this user on this computer: declared once, kept as JSON, read back with their bounds checked."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from dataclasses import Field, asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from firnel.core.units import CHOICES, Units
from firnel.exchange.whole_file import write_whole


def _setting(default: Any, title: str, choices: tuple[str, ...] = (), low: int = 0, high: int = 0, most: int = 0) -> Any:
    """A setting: its default, the text the settings sheet shows, and its choices or bounds."""
    return field(default=default, metadata={"title": title, "choices": choices, "low": low, "high": high, "most": most})


#: The house's own words for roast levels, each with the highest ground colour that still has it, to begin with.
LEVEL_WORDS = ("dark 45", "medium dark 56", "medium 64", "medium light 72", "light 100")
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

    temperature: str = _setting("°C", "Temperature", CHOICES["temperature"])
    mass: str = _setting("kg", "Weight", CHOICES["mass"])
    pressure: str = _setting("kPa", "Pressure", CHOICES["pressure"])
    theme: str = _setting("day", "Theme", ("day", "night"))
    operator: str = _setting("", "Who roasts")
    cup_form: str = _setting("attributes", "Cupping form", ("attributes", "affective"))
    cooling_aim_s: int = _setting(240, "Cooling aim, seconds", low=60, high=900)
    hand_every_s: int = _setting(30, "Readings by hand, every so many seconds", low=10, high=120)
    sound: str = _setting("off", "Sound when a move or the drop is due", ("off", "on"))
    scale_port: str = _setting("", "Scale, serial port")
    scale_baud: int = _setting(9600, "Scale, speed of the line", low=300, high=921600)
    level_words: tuple[str, ...] = _setting(LEVEL_WORDS, "Roast levels, each up to a colour", most=12)
    cup_words: tuple[str, ...] = _setting(CUP_WORDS, "Cup words", most=60)
    colour_words: tuple[str, ...] = _setting(
        ("green", "pale", "yellow", "tan", "light brown", "brown", "dark brown"), "Colour words, up to nine", most=9
    )
    smell_words: tuple[str, ...] = _setting(
        ("grass", "hay", "bread", "caramel", "cocoa", "smoke", "wax"), "Smell words, up to nine", most=9
    )

    def __post_init__(self) -> None:
        for declared in fields(self):
            _check(declared, getattr(self, declared.name))
        _ = self.levels

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
                raise ValueError(f"Roast levels: {entry!r} needs a colour at its end, as in ‘medium 64’.") from None
        return found

    @property
    def units(self) -> Units:
        """The chosen units."""
        return Units(self.temperature, self.mass, self.pressure)


def _check(declared: Field[Any], value: Any) -> None:
    limits = declared.metadata
    if limits["choices"] and value not in limits["choices"]:
        raise ValueError(f"{limits['title']}: {value!r} is none of {', '.join(limits['choices'])}.")
    if limits["high"] and not (isinstance(value, int) and limits["low"] <= value <= limits["high"]):
        raise ValueError(f"{limits['title']}: {value!r} is not between {limits['low']} and {limits['high']}.")
    if limits["most"]:
        words = isinstance(value, tuple) and all(isinstance(word, str) and word for word in value)
        if not words or not 1 <= len(value) <= limits["most"]:
            raise ValueError(f"{limits['title']}: give one to {limits['most']} words.")


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
            f"The settings in {path} could not be read ({error}). They are kept as {kept.name}; defaults are used.",
        )


def save_settings(settings: Settings, path: Path | None = None) -> None:
    """Keep the settings; written whole or not at all."""
    path = path or settings_path()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, json.dumps(asdict(settings), indent=2, ensure_ascii=False))
