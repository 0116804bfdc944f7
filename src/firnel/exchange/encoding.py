"""What a text in a file is written in: spreadsheets and loggers write UTF-8, UTF-16 or the code page of old Windows."""

from __future__ import annotations

import codecs

#: So much of it tells a binary file.
LOOKED_AT = 4096


def decoded(raw: bytes) -> str | None:
    """The text, whatever it is written in; None if it is none."""
    if raw.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        encodings: tuple[str, ...] = ("utf-16",)
    elif b"\x00" in raw[:LOOKED_AT]:
        return None
    else:
        encodings = ("utf-8-sig", "cp1252")
    for encoding in encodings:
        try:
            return raw.decode(encoding)
        except UnicodeDecodeError:
            continue
    return None
