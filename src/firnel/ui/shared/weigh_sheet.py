"""The small sheet after the drop: roasted weight, colour whole and ground, a remark."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from statistics import fmean

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.entries import FigureEntry, FiguresEntry
from firnel.ui.shared.parts import button, card, label, rename
from firnel.ui.theme.tokens import SPACE_L
from firnel.work.bench.results import check_results
from firnel.work.bench.weighing import Results, UsualLoss, as_index


class WeighSheet(QWidget):
    """Takes down `Results`; `saved` carries them once they make sense."""

    saved = pyqtSignal(object)  # Results

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=4)
        outer.addWidget(frame)
        self._title = label(tr("Weigh"), "heading")
        column.addWidget(self._title)
        self._roasted_name = label("", "soft")
        self._roasted = FigureEntry(tr("Roasted weight"))
        self._loss = label("", "figure")
        self._whole = FiguresEntry(tr("Colour, whole bean"), tr("0 to 100; several"))
        self._ground = FiguresEntry(tr("Colour, ground"), tr("0 to 100; several"))
        self._whole_name, self._ground_name = label("", "soft"), label("", "soft")
        self._remark = QLineEdit()
        self._remark.setAccessibleName(tr("Remark"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(1, 1)
        for row, (name, field) in enumerate(
            (
                (self._roasted_name, self._roasted),
                (label(tr("Weight loss"), "soft"), self._loss),
                (self._whole_name, self._whole),
                (self._ground_name, self._ground),
                (label(tr("Remark"), "soft"), self._remark),
            )
        ):
            grid.addWidget(name, row, 0)
            grid.addWidget(field, row, 1)
        column.addLayout(grid)
        self._declined = {"weight": QCheckBox(tr("not weighed")), "colour": QCheckBox(tr("no colour"))}
        without = QHBoxLayout()
        without.setSpacing(SPACE_L)
        for box in self._declined.values():
            box.setAccessibleName(box.text())
            box.setToolTip(tr("The bench no longer waits for it"))
            without.addWidget(box)
        without.addStretch(1)
        column.addLayout(without)
        self._said = label("", "soft", wrap=True)
        self._said.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self._said)
        self._save = button(tr("Save the batch"), "Enter", primary=True)
        column.addWidget(self._save)
        self._save.clicked.connect(self._on_save)
        self._roasted.textChanged.connect(self._on_weight)
        order: list[QLineEdit] = [self._roasted, self._whole, self._ground, self._remark]
        for entry, following in zip(order, order[1:], strict=False):
            entry.returnPressed.connect(following.setFocus)
        self._remark.returnPressed.connect(self._on_save)
        self._units = Units()
        self._load: float | None = None
        self._meter: tuple[tuple[float, float], ...] = ()
        self._known = Results(None, None, None, "")
        self._usual: UsualLoss | None = None
        self._hold_room()

    def begin(
        self, title: str, load_kg: float | None, units: Units, known: Results | None = None,
        meter: Sequence[tuple[float, float]] = (),
    ) -> None:  # fmt: skip
        """Ask for the results of one batch; ``meter`` are the points of a colour meter with a scale of its own.

        What the lot usually loses is told later, by `know`.
        """
        self._usual = None
        self._units, self._load, self._meter = units, load_kg, tuple(meter)
        scale = "meter" if meter else units.colour
        self._whole_name.setText(tr("Colour whole, {}", scale))
        self._ground_name.setText(tr("Colour ground, {}", scale))
        green = tr(", green {}", units.text(load_kg, "kg")) if load_kg else ""
        self._title.setText(f"{title}{green}")
        self._roasted_name.setText(tr("Roasted, {}", units.mass))
        known = known or Results(None, None, None, "")
        shown = units.show(known.roasted_kg, "kg") if known.roasted_kg is not None else None
        self._roasted.show_figure(shown, 0 if units.mass == "g" else 3)
        # What is known stands on the house's scale: beside a meter's own it is told, not typed over.
        for field, colour in ((self._whole, known.colour_whole), (self._ground, known.colour_ground)):
            field.show_figure(None if meter else colour, 1)
            field.setPlaceholderText(units.colour_text(colour) if colour is not None else tr("0 to 100"))
        self._known = known
        self._remark.setText(known.remark)
        for name, box in self._declined.items():
            box.setChecked(name in known.declined)
        self._on_weight()

    def know(self, usual: UsualLoss | None) -> None:
        """What the lot usually loses; None where nothing is usual yet."""
        self._usual = usual
        self._on_weight()

    def changeEvent(self, event: QEvent | None) -> None:
        """A line has its room in any size of letters: what is said of a weight moves nothing."""
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._hold_room()

    def _hold_room(self) -> None:
        self._said.setMinimumHeight(self._said.fontMetrics().lineSpacing())

    def take_weight(self, roasted_kg: float) -> None:
        """A weight from the scale."""
        self._roasted.show_figure(self._units.show(roasted_kg, "kg"), 0 if self._units.mass == "g" else 3)
        self._whole.setFocus(Qt.FocusReason.OtherFocusReason)

    def take_focus(self) -> None:
        """Put the cursor where the first figure is typed."""
        self._roasted.setFocus(Qt.FocusReason.OtherFocusReason)

    def say(self, sentence: str) -> None:
        """Show why the figures were not taken, or what is waited for."""
        self._show(sentence, "warn")

    def _show(self, sentence: str, role: str) -> None:
        rename(self._said, role)
        self._said.setText(sentence)
        self._said.setToolTip("")

    def _on_weight(self) -> None:
        try:
            roasted = self._roasted.read(self._units, "kg")
        except ValueError:
            roasted = None
        self._show("", "soft")
        if roasted is None or not self._load:
            self._loss.setText("–")
            return
        loss = 1 - roasted / self._load
        self._loss.setText(tr("{:.1f} %", 100 * loss))
        if self._usual is not None and 0 < loss < 1:
            self._show(self._usual.words(loss), "warn" if self._usual.doubts(loss) else "soft")
            tip = tr(
                "What {} batches of this lot lost; where it is far off, scale, label or load are wrong.", self._usual.batches
            )
            self._said.setToolTip(tip)

    def _on_save(self) -> None:
        try:
            roasted = self._roasted.read(self._units, "kg")
            whole, ground = self._whole.figures(), self._ground.figures()
            shades = [fmean(as_index(one, self._meter) for one in several) if several else None for several in (whole, ground)]
            declined = tuple(name for name, box in self._declined.items() if box.isChecked())
            results = Results(
                roasted, shades[0], shades[1], self._remark.text().strip(), tuple(whole), tuple(ground),
                bool(self._meter), declined,
            )  # fmt: skip
            if self._meter:  # what is not typed anew stays
                results = replace(
                    results, colour_whole=results.colour_whole if whole else self._known.colour_whole,
                    colour_ground=results.colour_ground if ground else self._known.colour_ground,
                )  # fmt: skip
            check_results(self._load, results)
        except ValueError as error:
            self.say(self._units.sentence(str(error)))
            return
        self.saved.emit(results)
