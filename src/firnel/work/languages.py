"""Speaking another language: its catalogue, which lies in the resources."""

from __future__ import annotations

from gettext import GNUTranslations
from importlib import resources

from firnel.core import words


def speak(code: str) -> None:
    """Speak that language from now on: before any module is loaded that says something.

    Raises
    ------
    FileNotFoundError : if Firnel has no catalogue of it.
    """
    if code == "en":
        words.use()
        return
    with (resources.files("firnel") / "resources" / "locale" / code / "LC_MESSAGES" / "firnel.mo").open("rb") as file:
        words.use(GNUTranslations(file))
