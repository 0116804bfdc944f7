"""Keys of the keyboard as they are named in the chosen language."""

from __future__ import annotations

from firnel.core.words import meant

#: Sense of the words that name keys, for the catalogue: ``Left`` is a key here.
KEY = "key"


def key_words(keys: str) -> str:
    """Keys as they are named: each part of ``Ctrl+Left``, and each of several that are parted by spaces.

    >>> key_words("Ctrl+Left  Space")
    'Ctrl+Left  Space'
    """
    return " ".join("+".join(meant(KEY, part) if len(part) > 1 else part for part in key.split("+")) for key in keys.split(" "))
