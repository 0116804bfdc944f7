"""Entry fields for figures: empty means not known, and what is typed is checked in words."""

from __future__ import annotations

from PyQt6.QtWidgets import QLineEdit, QWidget

from firnel.core.units import Units
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
        if not self.text().strip():
            return None
        try:
            return as_number(self.text())
        except ValueError:
            raise ValueError(tr("{}: {!r} is not a figure.", self._name, self.text())) from None

    def read(self, units: Units, unit: str) -> float | None:
        """The figure in ``unit``, typed in the unit shown or with its own behind it; None if nothing is typed.

        Raises
        ------
        ValueError : if what is typed is no figure, or one of something else.
        """
        if not self.text().strip():
            return None
        try:
            return units.typed(self.text(), unit)
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
