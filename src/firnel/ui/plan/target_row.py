"""The targets of a plan in one row: what is wanted, how nearly, and what wins; what is left open shows what to expect."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit

from firnel.core.plan import PLAN_LIMITS, TARGET_WORDS, Plan
from firnel.core.units import Units, clock, parse_clock
from firnel.core.words import as_number, tr
from firnel.ui.shared.parts import label
from firnel.ui.shared.side_by_side import SideBySide, fields
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.plan.words import target_text, within_limits

#: Order in which a roaster names them, and their short titles.
TITLES = {
    "charge_c": tr("Charge"), "drying_s": tr("Drying"), "browning_s": tr("Browning"), "development_s": tr("Development"),
    "drop_c": tr("Drop"), "rise_c": tr("Rise"), "total_s": tr("Total"), "ratio": tr("Ratio"), "loss": tr("Loss"),
    "colour": tr("Colour"),
}  # fmt: skip


#: So many of them stand in the first row where one is too short for all.
FIRST = 5
#: In which a figure is read whole. [px]
LEAST = 76


class TargetRow(SideBySide):
    """Fields of all targets. An empty field leaves the target to the solver and shows, in grey, what it comes to."""

    targeted = pyqtSignal(str, object)  # name, value or None
    tolerated = pyqtSignal(str, float)  # name, tolerance
    won = pyqtSignal(str)  # name of what wins
    not_understood = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(SPACE_S)
        self._units = Units()
        stretches = [4 if name == "development_s" else 3 for name in TITLES]
        grids = fields(self, sum(stretches[:FIRST])), fields(self, sum(stretches[FIRST:]) + 4)
        self._titles: dict[str, QLabel] = {}
        self._values: dict[str, QLineEdit] = {}
        self._tolerances: dict[str, QLineEdit] = {}
        self._shown, self._allowed = dict.fromkeys(TITLES, ""), dict.fromkeys(TITLES, "")
        for column, (name, title) in enumerate(TITLES.items()):
            self._titles[name] = label(title, "soft")
            value, tolerance = QLineEdit(), QLineEdit()
            value.setMinimumWidth(LEAST)
            value.setAccessibleName(title)
            tolerance.setAccessibleName(tr("Tolerance of {}", TARGET_WORDS[name]))
            value.setObjectName("figures")
            tolerance.setObjectName("tolerance")
            policy = tolerance.sizePolicy()
            policy.setRetainSizeWhenHidden(True)
            tolerance.setSizePolicy(policy)
            value.editingFinished.connect(partial(self._on_value, name))
            tolerance.editingFinished.connect(partial(self._on_tolerance, name))
            self._values[name], self._tolerances[name] = value, tolerance
            for row, widget in enumerate((self._titles[name], value, tolerance)):
                grids[column // FIRST].addWidget(widget, row, column % FIRST)
            grids[column // FIRST].setColumnStretch(column % FIRST, stretches[column])
        self._wins = QComboBox()
        self._wins.setAccessibleName(tr("What wins when two disagree"))
        self._wins.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._wins.setMinimumContentsLength(8)
        self._wins.activated.connect(lambda: self.won.emit(str(self._wins.currentData())))
        grid, last = grids[-1], len(TITLES) - FIRST
        grid.addWidget(label(tr("What wins"), "soft"), 0, last)
        grid.addWidget(self._wins, 1, last)
        grid.addWidget(label(tr("± each may be off"), "soft"), 2, last, Qt.AlignmentFlag.AlignVCenter)
        grid.setColumnStretch(last, 4)

    def show_plan(self, plan: Plan, units: Units) -> None:
        """Show the targets of a plan."""
        self._units = units
        asked = plan.wanted.asked
        for name, field in self._values.items():
            value = getattr(plan.targets, name)
            shown = "" if value is None else self._text(name, value)
            self._shown[name] = shown if name in asked else ""
            field.setText(self._shown[name])
            field.setPlaceholderText("" if name in asked else shown)
            tolerance = self._tolerances[name]
            self._allowed[name] = f"± {self._tolerance_text(name, plan.tolerance(name))}" if name in asked else ""
            tolerance.setText(self._allowed[name])
            tolerance.setVisible(name in asked)
            self._titles[name].setText(f"{TITLES[name]}, {unit}" if (unit := self._unit(name)) else TITLES[name])
        self._wins.clear()
        for name in TARGET_WORDS:
            if name in asked and name != "charge_c":
                self._wins.addItem(TARGET_WORDS[name], name)
        self._wins.setCurrentIndex(max(self._wins.findData(plan.wins), 0))

    def show_stage(self, index: int, seconds: float) -> None:
        """Show the time of a stage that a hand is dragging: drying, browning or development."""
        self._values[("drying_s", "browning_s", "development_s")[index]].setText(clock(seconds))

    def _unit(self, name: str) -> str:
        if name == "colour":
            return self._units.colour
        return self._units.temperature if name.endswith("_c") else "%" if name in ("ratio", "loss") else ""

    def _text(self, name: str, value: float) -> str:
        told = target_text(name, value, self._units)
        return told.removesuffix(" %").removesuffix(f" {self._units.temperature}").removesuffix(f" {self._units.colour}")

    def _tolerance_text(self, name: str, value: float) -> str:
        if name.endswith("_c"):
            return tr("{:.1f}", self._units.show_difference(value))
        return tr("{:.1f}", 100 * value) if name in ("ratio", "loss") else tr("{:.0f}", value)

    def _read(self, name: str, text: str, difference: bool = False) -> float | None:
        """A typed figure in SI units; None where nothing is typed.

        Raises
        ------
        ValueError : if it is not understood, or no plan has such a figure; the message says what is expected.
        """
        value = self._understood(name, text, difference)
        return value if value is None or difference else within_limits(name, value, self._units)

    def _understood(self, name: str, text: str, difference: bool) -> float | None:
        text = text.strip().removeprefix("±").strip()
        if not text:
            return None
        if name.endswith("_s") and not difference:
            try:
                return parse_clock(text)
            except ValueError:
                raise ValueError(tr("Stage times are written minutes:seconds, such as 5:10.")) from None
        try:
            if name.endswith("_c"):
                reads = self._units.typed_difference if difference or name == "rise_c" else self._units.typed
                return reads(text, "°C")
            figure = as_number(text.removesuffix("%") if name in ("ratio", "loss") else text.removesuffix("s"))
        except ValueError:
            raise ValueError(tr("{}: {!r} is no figure.", TITLES[name], text)) from None
        return figure / 100.0 if name in ("ratio", "loss") else figure

    def _on_value(self, name: str) -> None:
        field = self._values[name]
        if not field.isModified():
            return
        field.setModified(False)
        try:
            self.targeted.emit(name, self._read(name, field.text()))
        except ValueError as error:
            field.setText(self._shown[name])  # what stands there is the plan's
            self.not_understood.emit(str(error))

    def _on_tolerance(self, name: str) -> None:
        field = self._tolerances[name]
        if not field.isModified():
            return
        field.setModified(False)
        try:
            value = self._read(name, field.text(), difference=True)
            if value is None or value <= 0:
                raise ValueError(tr("The tolerance of {} must be above nothing.", TARGET_WORDS[name]))
            if value > PLAN_LIMITS["tolerance"][1]:
                raise ValueError(tr("A tolerance of {} is none.", field.text().strip()))
        except ValueError as error:
            field.setText(self._allowed[name])
            self.not_understood.emit(str(error))
            return
        self.tolerated.emit(name, value)
