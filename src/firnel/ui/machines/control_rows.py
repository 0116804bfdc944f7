"""The controls of a machine as a list: each with its name, what it does, and its scale; rows are added and taken away."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.vocabulary import MOST_CONTROLS, Control, ControlScale, Machine, Role, usual_role
from firnel.core.words import capital, tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import button, lay_rows
from firnel.ui.theme.tokens import SPACE_S

#: What a control does, as it is chosen: words, role, kind.
CHOICES = (
    (tr("gas burner"), Role.HEAT, "gas"),
    (tr("electric heat"), Role.HEAT, "electric"),
    (tr("hot air"), Role.HEAT, "hot-air"),
    (tr("radiant heat"), Role.HEAT, "radiant"),
    (tr("drum heat"), Role.HEAT, "drum"),
    ("damper", Role.AIRFLOW, "damper"),
    ("fan", Role.AIRFLOW, "fan"),
    (tr("draft pressure"), Role.AIRFLOW, "pressure"),
    (tr("drum speed"), Role.MOTION, "drum"),
    ("stirrer", Role.MOTION, "stirrer"),
)
AS_READ = Units()  #: a scale is kept in the unit of its gauge, whatever the pressures are shown in.
UNITS = ("%", "kPa", "mbar", "inH2O", "Pa", "kW", "rpm", "step")
TITLES = ("name", tr("what it does"), "unit", "from", "to", "step", "least", "")


class _Row:
    """The fields of one control; ``key`` is None for one that is new."""

    def __init__(self) -> None:
        self.key: Control | None = None
        self.before: ControlScale | None = None
        self.name = QLineEdit()
        self.does = QComboBox()
        self.does.addItems([words for words, _, _ in CHOICES])
        self.unit = QComboBox()
        self.unit.setEditable(True)
        self.unit.addItems(UNITS)
        self.figures = tuple(
            FigureEntry(tr("{} of the control", what)) for what in (tr("Low"), tr("High"), tr("Step"), tr("Least"))
        )
        self.name.setMinimumWidth(96)
        for entry in self.figures:
            entry.setFixedWidth(64)
        self.away = button("×", tr("Take it away"))
        self.away.setFixedWidth(38)

    def show(self, machine: Machine, key: Control, scale: ControlScale) -> None:
        """Fill the fields with a control of a machine."""
        self.key, self.before = key, scale
        self.name.setText(machine.word(key))
        self.name.setPlaceholderText("")
        self.name_all(machine.word(key))
        kind = (machine.role(key), machine.kind_of(key))
        self.does.setCurrentIndex(next((i for i, (_, *what) in enumerate(CHOICES) if tuple(what) == kind), 0))
        self.unit.setCurrentText(scale.unit)
        for entry, value in zip(self.figures, (scale.low, scale.high, scale.step, scale.least), strict=True):
            entry.setText(tr("{:g}", value))

    def name_all(self, word: str) -> None:
        """Every field says whose it is."""
        self.name.setAccessibleName(tr("Name of the {}", word))
        for box, about in ((self.does, tr("What the {} does", word)), (self.unit, tr("Unit of the {}", word))):
            box.setAccessibleName(about)
            box.setAccessibleDescription(about)  # it is called by what is chosen in it
        if (typed := self.unit.lineEdit()) is not None:
            typed.setAccessibleName(tr("Unit of the {}", word))
        for what, entry in zip((tr("Low"), tr("High"), tr("Step"), tr("Least")), self.figures, strict=True):
            entry.setAccessibleName(tr("{} of the {}", what, word))
        self.away.setAccessibleName(tr("Remove the {}", word))

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return (self.name, self.does, self.unit, *self.figures, self.away)


class ControlRows(QWidget):
    """Edits the controls of one machine."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[_Row] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(SPACE_S)
        self._grid.setVerticalSpacing(2)
        inside = QWidget()
        inside.setLayout(self._grid)
        scroll = QScrollArea()
        scroll.setAccessibleName(tr("Controls"))
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        scroll.setMinimumHeight(56)  # on a small screen it scrolls
        column.addWidget(scroll, 1)
        self._add = button(tr("Add a control"))
        self._add.clicked.connect(self.add)
        column.addWidget(self._add, 0, Qt.AlignmentFlag.AlignLeft)

    def show_machine(self, machine: Machine) -> None:
        """Show a machine's controls."""
        before, wanted = len(self._rows), len(machine.controls)
        self._rows = [*self._rows[:wanted], *(self._row() for _ in range(wanted - before))]
        for row, (control, scale) in zip(self._rows, machine.controls.items(), strict=True):
            row.show(machine, control, scale)
        if before != wanted:
            self._lay()

    def add(self) -> None:
        """One row more, for a control that the machine has too."""
        if len(self._rows) >= MOST_CONTROLS:
            return
        row = self._row()
        row.name.setPlaceholderText(tr("radiant, damper …"))
        row.name_all(tr("new control"))
        self._rows.append(row)
        self._lay()
        row.name.setFocus(Qt.FocusReason.OtherFocusReason)

    def _row(self) -> _Row:
        row = _Row()
        row.away.clicked.connect(lambda: self._take_away(row))
        return row

    def _take_away(self, row: _Row) -> None:
        self._rows.remove(row)
        self._lay()

    def _lay(self) -> None:
        lay_rows(self._grid, TITLES, [row.widgets for row in self._rows])
        self._grid.setColumnStretch(0, 3)
        self._grid.setColumnStretch(1, 3)
        self._add.setEnabled(len(self._rows) < MOST_CONTROLS)

    def controls(self) -> dict[Control, ControlScale]:
        """The controls as typed, the main source of heat first among the heat as in the list.

        Raises
        ------
        ValueError : in a sentence, if one cannot be, two have one name, or none gives heat.
        """
        found: dict[Control, ControlScale] = {}
        for row in self._rows:
            name = row.name.text().strip()
            figures = [entry.read(AS_READ, row.unit.currentText().strip()) for entry in row.figures]
            if not name and row.key is None and all(figure is None for figure in figures):
                continue  # a row that was added and left empty
            # A control that is called otherwise stays the same one: its readings lie under its key.
            key = row.key if row.key is not None else Control.named(name)
            if key in found:
                raise ValueError(tr("Two controls are called {}: give each a name of its own.", name))
            found[key] = _scale_of(row, key, name, figures)
        if not found:
            raise ValueError(tr("A machine needs at least one source of heat."))
        if not any((scale.role or usual_role(key)) is Role.HEAT for key, scale in found.items()):
            raise ValueError(tr("None of these controls gives heat: a machine needs at least one source of heat."))
        return found


def _scale_of(row: _Row, key: Control, name: str, figures: list[float | None]) -> ControlScale:
    low, high, step, least = figures
    unit = row.unit.currentText().strip()
    said = name or key.words
    if not unit or low is None or high is None or step is None:
        raise ValueError(tr("{} needs a unit, from, to and step.", capital(said)))
    if not low < high or not 0 < step <= high - low:
        raise ValueError(tr("{} runs from {:g} to {:g} in steps of {:g}: that cannot be.", capital(said), low, high, step))
    if least is not None and not 0 <= least <= high:
        raise ValueError(tr("{}: the least that works lies between 0 and {:g}.", capital(said), high))
    _, role, kind = CHOICES[row.does.currentIndex()]
    before = row.before
    called = name if name not in ("", key.words) else ""
    return ControlScale(
        unit, low, high, step, least or 0.0, before.reported if before is not None else False, role, kind, called,
        before.lag_s if before is not None else None,
    )  # fmt: skip
