"""Display units. Inside Firnel everything is SI with degC; this is the one place that turns it into what is shown.

The factors come from Pint [1]_, loaded only when somebody leaves the base units, for it is slow to load.

References
----------
.. [1] Pint's unit registry follows NIST SP 811; tests check it against that table.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from math import isfinite
from typing import Any

from firnel.core.words import as_number, later, point, tr

#: Pressures are told in the unit of the gauge that they are read on: a hand looks at that.
AS_READ = later("as the gauge reads")
#: Kind of quantity -> the units a user may choose, the usual one first.
CHOICES: dict[str, tuple[str, ...]] = {
    "temperature": ("°C", "°F"),
    "mass": ("kg", "g", "lb"),
    "pressure": (AS_READ, "kPa", "mbar", "inH2O"),
}
_PINT_NAMES = {"°C": "degC", "°F": "degF", "kg": "kg", "g": "g", "lb": "lb"} | {
    "Pa": "Pa", "kPa": "kPa", "mbar": "mbar", "inH2O": "inH2O"
}  # fmt: skip
#: Units of the pressure that gas or draft is told by.
PRESSURES = ("Pa", "kPa", "mbar", "inH2O")
_DIGITS = {"kg": 2, "g": 0, "lb": 2, "Pa": 0, "kPa": 2, "mbar": 1, "inH2O": 2, "%": 0, "rpm": 0}


@lru_cache(maxsize=1)
def _registry() -> Any:
    import pint

    return pint.UnitRegistry(cache_folder=None)


@lru_cache(maxsize=64)
def linear_map(unit: str, shown: str) -> tuple[float, float]:
    """Factor and offset that turn a number in ``unit`` into one in ``shown``.

    Raises
    ------
    ValueError : if the two do not measure the same thing, or one is unknown.
    """
    if unit == shown:
        return 1.0, 0.0
    if unit not in _PINT_NAMES or shown not in _PINT_NAMES:
        raise ValueError(tr("no conversion from {!r} to {!r}.", unit, shown))
    registry = _registry()
    if registry.Unit(_PINT_NAMES[unit]).dimensionality != registry.Unit(_PINT_NAMES[shown]).dimensionality:
        raise ValueError(tr("{!r} and {!r} do not measure the same thing.", unit, shown))
    zero, one = (float(registry.Quantity(v, _PINT_NAMES[unit]).to(_PINT_NAMES[shown]).magnitude) for v in (0.0, 1.0))
    return one - zero, zero


@dataclass(frozen=True)
class Units:
    """The units a user has chosen, and numbers turned into them and back."""

    temperature: str = "°C"
    mass: str = "kg"
    pressure: str = AS_READ
    colour: str = "index"  #: how the house calls the scale of its colour figures

    def colour_text(self, value: float | None) -> str:
        """A colour with the name of its scale."""
        return "–" if value is None or value != value else tr("{:.1f} {}", value, self.colour)

    def shown_unit(self, unit: str) -> str:
        """The unit in which a quantity of ``unit`` is displayed; a small draft in Pa stays small."""
        if unit == "°C":
            return self.temperature
        if unit == "kg":
            return self.mass
        if unit in PRESSURES and self.pressure != AS_READ:
            return "Pa" if unit == "Pa" and self.pressure == "kPa" else self.pressure
        return unit

    def show(self, value: float, unit: str) -> float:
        """``value`` in ``unit`` as a number of the displayed unit."""
        factor, offset = linear_map(unit, self.shown_unit(unit))
        return value * factor + offset

    def show_difference(self, value: float, unit: str = "°C") -> float:
        """A difference or a rate: scaled, not shifted."""
        return value * linear_map(unit, self.shown_unit(unit))[0]

    def read(self, shown: float, unit: str) -> float:
        """A number typed in the displayed unit, turned back into ``unit``."""
        factor, offset = linear_map(unit, self.shown_unit(unit))
        return (shown - offset) / factor

    def typed(self, text: str, unit: str) -> float:
        """What was typed in the displayed unit, or with its own behind it, turned into ``unit``.

        Raises
        ------
        ValueError : if it is no figure, or one of something else.

        Examples
        --------
        >>> Units().typed("5,5", "kg"), Units().typed("5.5kg", "kg"), round(Units().typed("12 lbs", "kg"), 2)
        (5.5, 5.5, 5.44)
        >>> round(Units("°F").typed("392", "°C"), 6), Units("°F").typed("200 C", "°C")
        (200.0, 200.0)
        """
        found = _TYPED.fullmatch(text)
        number, name = (found["number"], found["unit"]) if found else (text, "")
        if name.casefold() in ("", "°", self.shown_unit(unit).casefold()):
            return self.read(as_number(number), unit)
        factor, offset = linear_map(_TYPED_AS.get(name.casefold(), name), unit)
        return as_number(number) * factor + offset

    def typed_difference(self, text: str, unit: str = "°C") -> float:
        """A difference as it was typed, in the displayed unit or with its own behind it, turned into ``unit``.

        Raises
        ------
        ValueError : if it is no figure, or one of something else.

        Examples
        --------
        >>> Units().typed_difference("-5"), round(Units().typed_difference("9 F"), 6), Units("°F").typed_difference("5 K")
        (-5.0, 5.0, 5.0)
        """
        text = _KELVIN.sub("°C", text)
        return self.typed(text, unit) - self.typed(_TYPED.sub(r"0 \g<unit>", text), unit)

    def text(self, value: float | None, unit: str, digits: int | None = None, with_unit: bool = True) -> str:
        """``value`` with its displayed unit, a dash where it is unknown."""
        if value is None or value != value:
            return "–"
        name = self.shown_unit(unit)
        places = digits if digits is not None else _DIGITS.get(name, 1)
        number = tr("{:.{}f}", self.show(value, unit), places)
        return f"{number} {name}" if with_unit else number

    def rate_text(self, c_per_min: float | None, digits: int = 1) -> str:
        """A rate of rise with its displayed unit."""
        if c_per_min is None or c_per_min != c_per_min:
            return "–"
        return tr("{:.{}f} {}/min", self.show_difference(c_per_min), digits, self.temperature)

    def sentence(self, text: str) -> str:
        """A sentence of the core in the chosen units: there °C is a reading, K a difference, and kg, kPa, K/min what they say.

        Examples
        --------
        >>> Units("°F", "lb").sentence("5.00 kg at 100 to 200 °C, 2.5 K high, 10 K/min")
        '11.02 lb at 212 to 392 °F, 4.5 °F high, 18 °F/min'
        """

        def told(found: re.Match[str]) -> str:
            unit = found["unit"]
            figures = [found["first"], found["last"]] if found["last"] else [found["first"]]
            shown = [self._figure(figure, unit) for figure in figures]
            return f"{(found['between'] or '').join(shown)} {_SHOWN_AS.get(unit, '{}').format(self._name(unit))}"

        return _figures(point(), tr(" to "), tr(" and ")).sub(told, text)

    def _name(self, unit: str) -> str:
        return self.temperature if unit in _SHOWN_AS else self.shown_unit(unit)

    def _figure(self, figure: str, unit: str) -> str:
        value = as_number(figure)
        shown = self.show_difference(value) if unit in _SHOWN_AS else self.show(value, unit)
        digits = len(figure.partition(point())[2])
        if unit == "kg":
            digits = 0 if self.mass == "g" else max(digits, 2 if self.mass == "lb" and digits else digits)
        sign = "+" if figure.startswith("+") else ""
        return tr("{:{}.{}f}", shown, sign, digits)


#: A figure with a unit behind it, as hands type them; and what else they call the units.
_TYPED = re.compile(r"\s*(?P<number>[^\s°A-Za-z%]+)\s*(?P<unit>[°A-Za-z%/³]*)\s*")
_KELVIN = re.compile(r"(?<![A-Za-z])K\s*$")  # a degree of a difference
_TYPED_AS = {"c": "°C", "°c": "°C", "f": "°F", "°f": "°F", "kgs": "kg", "kilo": "kg", "kilos": "kg", "lbs": "lb", "gr": "g"} | {
    name.casefold(): name for name in ("kg", "g", "lb", "Pa", "kPa", "mbar", "inH2O")
}
#: Differences and rates of temperature: how the core names them, and how they are shown.
_SHOWN_AS = {"K/min": "{}/min", "K": "{}"}


@lru_cache(maxsize=4)
def _figures(mark: str, to: str, both: str) -> re.Pattern[str]:
    """One or two figures with a unit that can be chosen, as they are written in the chosen language."""
    one = rf"\d+(?:{re.escape(mark)}\d+)?"
    between = "|".join(map(re.escape, (to, both, " ± ")))
    return re.compile(
        rf"(?<![\w{re.escape(mark)}])(?P<first>[+−-]?{one})(?:(?P<between>{between})(?P<last>{one}))? "
        r"(?P<unit>K/min|K|°C|kg|kPa)(?![\w/])"
    )


def clock(seconds: float | None, sign: bool = False) -> str:
    """Minutes and seconds: ``5:07``, ``−0:12``; a dash where unknown.

    Examples
    --------
    >>> clock(307.4), clock(-12, sign=True), clock(None)
    ('5:07', '−0:12', '–')
    """
    if seconds is None or not isfinite(seconds):
        return "–"
    whole = round(abs(seconds))
    prefix = "−" if seconds < 0 and whole else ("+" if sign else "")
    return f"{prefix}{whole // 60}:{whole % 60:02d}"


def parse_clock(text: str) -> float | None:
    """Seconds from ``m:ss`` or plain seconds; None for an empty text.

    Raises
    ------
    ValueError : if it is neither.

    Examples
    --------
    >>> parse_clock("5:07"), parse_clock("307"), parse_clock("-0:04")
    (307.0, 307.0, -4.0)
    """
    text = text.strip().replace("−", "-")
    if text in ("", "–"):
        return None
    sign = -1.0 if text.startswith("-") else 1.0
    total = 0.0
    for part in text.removeprefix("-").split(":"):
        total = total * 60.0 + as_number(part)
    return sign * total
