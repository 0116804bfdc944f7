"""All that is said, in the language that is chosen: sentences looked up in a catalogue, figures and days as it writes them.

The English template is the code of a sentence, and its figures stand beside it: ``tr("{:.1f} kg of {}", 2.5, "Isuka")``. A
catalogue (GNU gettext's) is given once, by `use`, before anything is said; without one all is English, digit for digit what
`str.format` makes of it.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time
from enum import StrEnum
from gettext import NullTranslations
from typing import Any

#: Nothing that is typed here is so large.
BILLION = 1e9
#: Control characters, but for the tab and the ends of lines.
_UNPRINTABLE = {code: None for code in (*range(32), *range(127, 160)) if chr(code) not in "\t\n\r"}
#: Keys that sentences speak of, by the action; ``{mark}`` in a template is the key that the user has for it.
KEYS = {
    "mark": "Space", "confirm": "Enter", "undo": "Z", "other": "O", "advice": "A", "dismiss": "D", "prepare": "N", "next": "Q",
    "label": "L", "weigh": "W", "nudge back": ",", "nudge on": ".", "find": "Ctrl+K", "settings": "Ctrl+,", "keys": "?",
    "take back": "Ctrl+Z", "compare": "Ctrl+D", "set control": "V",
}  # fmt: skip
_KEY = re.compile(r"\{(" + "|".join(KEYS) + r")\}")
_own_keys: dict[str, str] = {}
_ENGLISH = NullTranslations()
_catalogue = _ENGLISH
_point = "."


def use(catalogue: NullTranslations | None = None) -> None:
    """Speak by this catalogue from now on, English without one. It says too what stands between whole numbers and parts.

    What was said before stays as it is: to be called before the modules that say something are loaded.
    """
    global _catalogue, _point
    _catalogue = catalogue or _ENGLISH
    _point = meant("number", ".")


def use_keys(own: Mapping[str, str]) -> None:
    """Speak of these keys from now on, by the action; of the others as in `KEYS`."""
    _own_keys.clear()
    _own_keys.update(own)


def key_words(keys: str) -> str:
    """Keys as they are named: each part of ``Ctrl+Left``, and each of several that are parted by spaces.

    >>> key_words("Ctrl+Left  Space")
    'Ctrl+Left  Space'
    """
    return " ".join(
        "+".join(meant("key", part) if len(part) > 1 else part for part in key.split("+")) for key in keys.split(" ")
    )


def key_of(name: str) -> str:
    """The key that the user has for an action of `KEYS`, as it is named."""
    return key_words(_own_keys.get(name, KEYS[name]))


def tr(template: str, *figures: Any) -> str:
    """A sentence in the chosen language, with its figures and the user's keys in place.

    Parameters
    ----------
    template : in English, as `str.format` takes it; a translation may put its figures in another order, ``{1} {0}``.
    figures : anything that can be formatted; a `StrEnum` is told by its word.

    Examples
    --------
    >>> tr("{:.1f} kg of {}", 2.5, "Isuka"), tr("{mark} marks it"), tr("{:+.1f} K, then {:.1f}", -2.5, -0.04)
    ('2.5 kg of Isuka', 'Space marks it', '−2.5 K, then 0.0')
    """
    if _catalogue is _ENGLISH:
        said = _with_keys(template, bool(figures))
        return said.format(*map(_signed, figures)) if figures else said
    if isinstance(template, _Said) or not template:
        return template
    said = _with_keys(_catalogue.gettext(template), bool(figures))
    return _Said(said.format(*map(_told, figures)) if figures else said)


def _with_keys(template: str, formatted: bool) -> str:
    """The template with the names of its keys; what is still to be formatted keeps a brace that is a key."""
    if "{" not in template:
        return template

    def named(found: re.Match[str]) -> str:
        key = key_of(found[1])
        return key.replace("{", "{{").replace("}", "}}") if formatted else key

    return _KEY.sub(named, template)


def trn(one: str, many: str, count: int, *figures: Any) -> str:
    """The sentence for so many: ``one`` or ``many`` in English, as many forms as the language has; ``count`` stands first.

    Examples
    --------
    >>> trn("{} batch", "{} batches", 1), trn("{} batch", "{} batches", 3)
    ('1 batch', '3 batches')
    """
    said = _catalogue.ngettext(one, many, count)
    return said.format(count, *map(_signed if _catalogue is _ENGLISH else _told, figures))


def meant(sense: str, word: str) -> str:
    """A word that stands alone and means different things elsewhere: ``meant("key", "Left")`` is no direction."""
    return _catalogue.pgettext(sense, word) if word else ""


def later(word: str) -> str:
    """A word that is kept, compared or looked up as it is, and shown by `tr`: named here so that a catalogue has it."""
    return word


def as_number(text: str) -> float:
    """A number as it is typed here: with the language's own mark before its parts, or a point.

    Raises
    ------
    ValueError : if it is none, or none that anything here could be: not a number, without end, or a billion and more.

    Examples
    --------
    >>> as_number(" 2.5"), as_number("2,5"), as_number("−4")
    (2.5, 2.5, -4.0)
    """
    number = float(text.strip().replace("\u2212", "-").replace(_point, ".").replace(",", "."))
    if not abs(number) < BILLION:  # which "nan" is not either
        raise ValueError(tr("{!r} is no figure.", text))
    return number


def some_of(names: Sequence[str], most: int = 3) -> str:
    """The first few of many names, and how many more there are."""
    more = tr(" and {} more", len(names) - most) if len(names) > most else ""
    return ", ".join(names[:most]) + more


def printable(text: str) -> str:
    """The text without what no table, file or screen can hold: control characters, and halves of letters.

    Examples
    --------
    >>> printable("Isuka" + chr(7) + " filter" + chr(0xD800))
    'Isuka filter'
    """
    return text if text.isprintable() else text.translate(_UNPRINTABLE).encode("utf-8", "ignore").decode()


def in_english(text: str, vocabulary: Iterable[str]) -> str:
    """What was typed, with the language's own words for those of a vocabulary turned into them; theirs are understood too.

    Parameters
    ----------
    vocabulary : English words; a catalogue has those of its language under the sense ``typed``, several parted by ``|``.

    Examples
    --------
    >>> in_english("gas 1.8 at yellow", ("at", "yellow"))
    'gas 1.8 at yellow'
    """
    for word in vocabulary:
        if (own := meant("typed", word)) != word:
            several = "|".join(re.escape(one) for one in sorted(own.split("|"), key=len, reverse=True))
            text = re.sub(rf"(?<!\w)(?:{several})(?!\w)", word, text, flags=re.IGNORECASE)
    return text


def capital(text: str) -> str:
    """The text with a capital at its beginning; the rest stays as it is.

    >>> capital("drum air of Isuka")
    'Drum air of Isuka'
    """
    return _Said(text[:1].upper() + text[1:]) if isinstance(text, _Said) else text[:1].upper() + text[1:]


def inside(text: str) -> str:
    """A sentence as it goes on inside another: begun small in English, as it is where nouns are written with a capital.

    >>> inside("Empty the chaff collector")
    'empty the chaff collector'
    """
    return text[:1].lower() + text[1:] if _catalogue is _ENGLISH else text


def language() -> str:
    """The language that is spoken, by its code of ISO 639."""
    return "en" if _catalogue is _ENGLISH else _catalogue.info().get("language", "en")


def point() -> str:
    """What stands between whole numbers and their parts."""
    return _point


class _Said(str):
    """What is said in the chosen language already: `tr` leaves it so, though a word of it may mean another thing in English."""

    __slots__ = ()


class _Figure(float):
    """A number with the language's own mark before its parts, and a minus that is no hyphen; nought has none."""

    def __format__(self, spec: str) -> str:
        text = format(float(self), spec).replace(".", _point)
        return text.replace("-", "\u2212") if re.search("[1-9]", text) or not math.isfinite(self) else text.replace("-", "")

    def __str__(self) -> str:
        return format(self, "")


class _Day:
    """A day or a moment whose names of days and months are the language's own."""

    def __init__(self, moment: date | time) -> None:
        self._moment = moment

    def __format__(self, spec: str) -> str:
        return re.sub("%-?[a-zA-Z]", lambda found: self._part(found[0]), spec) if spec else str(self._moment)

    def _part(self, code: str) -> str:
        said = format(self._moment, code)
        return _catalogue.pgettext("day", said) if code in ("%a", "%A", "%b", "%B") else said


def _signed(figure: Any) -> Any:
    return _Figure(figure) if isinstance(figure, float) and figure <= 0.0 else figure


def _told(figure: Any) -> Any:
    if isinstance(figure, float):
        return _Figure(figure)
    if isinstance(figure, StrEnum):
        return _catalogue.gettext(str(figure.value))
    return _Day(figure) if isinstance(figure, date | datetime | time) else figure
