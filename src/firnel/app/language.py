"""The language that is spoken: as the settings or the system say, from its catalogue in the resources."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from pathlib import Path

from firnel.work.languages import speak
from firnel.work.settings import LANGUAGES, settings_path

#: Where the system says its language, what counts first standing first; as gettext looks for it.
VARIABLES = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")


def language_of(chosen: str, environment: Mapping[str, str] = os.environ) -> str:
    """Code of the language to speak, of ISO 639: the one that is chosen, else the system's, else English.

    Examples
    --------
    >>> language_of("English", {"LANG": "de_AT"}), language_of("", {"LANG": "de_AT.UTF-8"}), language_of("", {"LANG": "fi_FI"})
    ('en', 'de', 'en')
    """
    if chosen in LANGUAGES:
        return LANGUAGES[chosen]
    said = next((environment[name] for name in VARIABLES if environment.get(name)), "")
    asked = [entry.partition(".")[0].partition("_")[0] for entry in said.split(":")]
    return next((code for code in asked if code in LANGUAGES.values()), "en")


def speak_as_set(settings: Path | None = None) -> None:
    """Speak as the settings there, or the user's, say, else as the system does. What is wrong there is told by the window."""
    try:
        chosen = json.loads((settings or settings_path()).read_text(encoding="utf-8"))["language"]
    except (OSError, ValueError, KeyError, TypeError):
        chosen = ""
    speak(language_of(str(chosen)))
