"""Settings of this user on this computer: declared once, kept as JSON, read back with their bounds checked."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from firnel.core.units import Units


class Settings(BaseModel):
    """Every setting: name, bounds, default, and the text the settings sheet shows."""

    model_config = ConfigDict(validate_assignment=True, extra="ignore")

    version: int = 1
    temperature: Literal["°C", "°F"] = Field("°C", title="Temperature")
    mass: Literal["kg", "g", "lb"] = Field("kg", title="Weight")
    pressure: Literal["kPa", "mbar", "inH2O"] = Field("kPa", title="Pressure")
    theme: Literal["day", "night"] = Field("day", title="Theme")
    cooling_aim_s: int = Field(240, ge=60, le=900, title="Cooling aim, seconds")
    colour_words: tuple[str, ...] = Field(
        ("green", "pale", "yellow", "tan", "light brown", "brown", "dark brown"), title="Colour words", max_length=9
    )
    smell_words: tuple[str, ...] = Field(
        ("grass", "hay", "bread", "caramel", "cocoa", "smoke", "wax"), title="Smell words", max_length=9
    )

    @property
    def units(self) -> Units:
        """The chosen units."""
        return Units(self.temperature, self.mass, self.pressure)


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
        return Settings.model_validate(json.loads(path.read_text(encoding="utf-8"))), None
    except (OSError, ValueError, ValidationError) as error:
        kept = path.with_suffix(".unread")
        path.replace(kept)
        first = str(error).splitlines()[0]
        return (
            Settings(),
            f"The settings in {path} could not be read ({first}). They are kept as {kept.name}; defaults are used.",
        )


def save_settings(settings: Settings, path: Path | None = None) -> None:
    """Keep the settings; written whole or not at all."""
    path = path or settings_path()
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_suffix(".new")
    fresh.write_text(settings.model_dump_json(indent=2), encoding="utf-8")
    fresh.replace(path)
