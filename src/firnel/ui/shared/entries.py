"""Entry fields for figures: empty means not known, and what is typed is checked in words."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit, QWidget

from firnel.core.units import Units, parse_clock
from firnel.core.words import as_number, tr


class FigureEntry(QLineEdit):
    """A line for one figure; decimal point or comma.

    Parameters
    ----------
    name : accessible name, also used when the entry is not understood.
    placeholder : shown while it is empty.
    """

    def __init__(self, name: str, placeholder: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("figures")
        self.setAccessibleName(name)
        self.setPlaceholderText(placeholder)
        self._name = name

    def figure(self) -> float | None:
        """The figure; None if nothing is typed.

        Raises
        ------
        ValueError : if what is typed is no figure.
        """
        return self._read_as(as_number)

    def read(self, units: Units, unit: str) -> float | None:
        """The figure in ``unit``, typed in the unit shown or with its own behind it; None if nothing is typed.

        Raises
        ------
        ValueError : if what is typed is no figure, or one of something else.
        """
        return self._read_as(lambda text: units.typed(text, unit))

    def read_difference(self, units: Units) -> float | None:
        """A difference of temperatures, typed as `read` has it. [K]

        Raises
        ------
        ValueError : if what is typed is none.
        """
        return self._read_as(units.typed_difference)

    def seconds(self) -> float | None:
        """Seconds, typed as such or as minutes:seconds.

        Raises
        ------
        ValueError : if what is typed is neither.
        """
        return self._read_as(lambda text: parse_clock(text.casefold().removesuffix("s")))

    def _read_as(self, read: Callable[[str], float | None]) -> float | None:
        text = self.text().strip()
        if not text:
            return None
        try:
            return read(text)
        except ValueError:
            raise ValueError(tr("{}: {!r} is not a figure.", self._name, self.text())) from None

    def show_figure(self, value: float | None, digits: int) -> None:
        """Show a figure, or nothing."""
        self.setText("" if value is None else tr("{:.{}f}", value, digits))


class FiguresEntry(FigureEntry):
    """A line for one figure or several, parted by spaces or semicolons."""

    def figures(self) -> list[float]:
        """The figures; empty if nothing is typed.

        Raises
        ------
        ValueError : if something typed is no figure.
        """
        found = []
        for part in self.text().replace(";", " ").split():
            try:
                found.append(as_number(part))
            except ValueError:
                raise ValueError(tr("{}: {!r} is not a figure.", self._name, part)) from None
        return found
