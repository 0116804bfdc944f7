"""The whole sheet of one lot: facts, stock, what was measured, handling, and what differs."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from firnel.core.green.measurements import density_class
from firnel.core.units import Units
from firnel.core.vocabulary import Lot
from firnel.core.words import capital, tr
from firnel.ui.green.forms import MeasureForm
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.entry_list import Entry, EntryList
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.green.intake import KIND_WORDS, LotSheet
from firnel.work.green.samples import Cupped

#: Below this a tenth of a kilogram says too little. [kg]
FEW_KG = 5.0


def stock_text(kg: float | None, units: Units) -> str:
    """What is on hand: of a sample to the gram that matters, of a lot to a tenth."""
    few = kg is not None and kg < FEW_KG
    return units.text(kg, "kg", (2 if few else 1) if units.mass == "kg" else None)


class SampleLine(QWidget):
    """Of a sample: what the cup says of it so far, why it is bought or not, and the two ways."""

    decided = pyqtSignal(bool, str)  # whether it is bought, and why

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self._said = label("", "strong", wrap=True)
        column.addWidget(self._said)
        self._row = QWidget()
        row = QHBoxLayout(self._row)
        row.setContentsMargins(0, 0, 0, 0)
        self.why = QLineEdit()
        self.why.setAccessibleName(tr("Why it is bought or not"))
        self.why.setPlaceholderText(tr("why, in words"))
        buy = button(tr("Buy"), tr("It becomes a lot with all that is known of it"))
        leave = button(tr("Pass"), tr("It is put away with the reason"))
        buy.clicked.connect(partial(self._on_decided, True))
        leave.clicked.connect(partial(self._on_decided, False))
        for widget, stretch in ((self.why, 1), (leave, 0), (buy, 0)):
            row.addWidget(widget, stretch)
        column.addWidget(self._row)

    def show_sample(self, lot: Lot, seen: Cupped | None) -> None:
        """Show what is known; nothing of a lot that never was a sample."""
        self.setVisible(bool(lot.sample or lot.verdict))
        self._row.setVisible(bool(lot.sample) and not lot.archived)
        self.why.clear()
        if seen is None or lot.archived:
            self._said.setText(f"{capital(lot.verdict)}.")
            return
        cup = tr("cupped {:.1f} over {}", seen.score, seen.scored) if seen.score is not None else tr("not cupped yet")
        roasted = {0: tr("not roasted yet"), 1: tr("roasted once")}.get(seen.roasted, tr("roasted {} times", seen.roasted))
        self._said.setText(tr("{} sample, {}, {}.", capital(lot.sample), roasted, cup))

    def _on_decided(self, buy: bool) -> None:
        self.decided.emit(buy, self.why.text())


class LotSheetPanel(QWidget):
    """Shows one `LotSheet`."""

    edit_wanted = pyqtSignal()
    archive_wanted = pyqtSignal()
    counted = pyqtSignal(float)  # [kg]
    machine_chosen = pyqtSignal(str)
    rules_wanted = pyqtSignal()
    struck = pyqtSignal(int, bool)  # a measurement, taken away or brought back

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        column.addWidget(self._head())
        row = QHBoxLayout()
        row.setSpacing(SPACE_S)
        row.addWidget(self._measured(), 8)
        row.addWidget(self._handled(), 10)
        column.addLayout(row, 1)

    def _head(self) -> QFrame:
        frame, column = card(spacing=4)
        top = QHBoxLayout()
        self._name, self._stock = ElidedLabel("title"), label("", "bigFigure")
        top.addWidget(self._name, 1)
        top.addWidget(self._stock)
        column.addLayout(top)
        self._facts = label("", "soft", wrap=True)
        self._words = label("", "warn", wrap=True)
        self._differs = label("", "", wrap=True)
        for widget in (self._facts, self._words, self._differs):
            column.addWidget(widget)
        self.sample = SampleLine()
        column.addWidget(self.sample)
        actions = QHBoxLayout()
        edit = button(tr("Facts"), tr("Change name, origin, process and the like"))
        self._archive = button(tr("Archive"), tr("Put it away; it can be shown again"))
        self._units, self._counted = Units(), FigureEntry(tr("Stocktake"))
        self._counted.setFixedWidth(150)
        keep = button(tr("Stocktake"), tr("Keep what was counted just now (Enter)"))
        edit.clicked.connect(self.edit_wanted)
        self._archive.clicked.connect(self.archive_wanted)
        keep.clicked.connect(self._on_count)
        self._counted.returnPressed.connect(self._on_count)
        actions.addWidget(edit)
        actions.addWidget(self._archive)
        actions.addStretch(1)
        actions.addWidget(self._counted)
        actions.addWidget(keep)
        column.addLayout(actions)
        return frame

    def _measured(self) -> QFrame:
        frame, column = card()
        column.addWidget(label(tr("Measured"), "heading"))
        self._figures = FigureGrid()
        column.addWidget(self._figures)
        self.measure = MeasureForm()
        column.addWidget(self.measure)
        self._history = EntryList(tr("Measurements"))
        self._history.toggled.connect(self.struck)
        self._nothing = label(tr("Nothing measured yet. Type the grams of a level vessel above."), "soft", wrap=True)
        column.addWidget(self._nothing, 1, Qt.AlignmentFlag.AlignTop)
        column.addWidget(self._history, 1)
        frame.setMinimumWidth(290)
        return frame

    def _handled(self) -> QFrame:
        frame, column = card()
        top = QHBoxLayout()
        top.addWidget(label(tr("Handling on"), "heading"))
        self._machine = QComboBox()
        self._machine.setAccessibleName(tr("Machine for the handling advice"))
        self._machine.textActivated.connect(self.machine_chosen)
        top.addWidget(self._machine, 1)
        column.addLayout(top)
        self._charge = label("", "bigFigure")
        self._advice = FigureGrid()
        self._reasons = FigureGrid()
        self._hints = label("", "", wrap=True)
        self._basis = label("", "soft", wrap=True)
        self._why = label(tr("Why"), "kicker")
        for widget in (self._charge, self._advice, self._why, self._reasons, self._hints, self._basis):
            column.addWidget(widget)
        column.addStretch(1)
        rules = button(tr("Rules of the house"), tr("What a trait of the green does to charge and early heat"))
        rules.clicked.connect(self.rules_wanted)
        bottom = QHBoxLayout()
        bottom.addStretch(1)
        bottom.addWidget(rules)
        column.addLayout(bottom)
        return frame

    def show_machines(self, names: list[str], chosen: str) -> None:
        """Which machines the advice can be for."""
        self._machine.clear()
        self._machine.addItems(names)
        self._machine.setCurrentText(chosen)

    def show_sheet(self, sheet: LotSheet, units: Units) -> None:
        """Show this sheet."""
        lot = sheet.lot
        self._name.show_text(lot.name)
        self._stock.setText(stock_text(lot.on_hand_kg, units))
        self._counted.clear()
        self._units = units
        self._counted.setPlaceholderText(tr("counted, {}", units.mass))
        self._archive.setText(tr("Bring back") if lot.archived else tr("Archive"))
        self._archive.setAccessibleName(self._archive.text())
        _show(self._facts, " · ".join(_facts(sheet)))
        _show(self._words, units.sentence(" ".join(sheet.words)))
        _show(self._differs, tr("Against {}: {}.", lot.replaces, ", ".join(sheet.differs)) if sheet.differs else "")
        self._figures.show_rows(_figures(sheet))
        self._history.show_entries(
            [
                Entry(one.key, tr("{:%d %b %y}  {}: {}", one.at.astimezone(), one.what, one.words), one.struck)
                for one in sheet.measured
            ]
        )
        self._history.setVisible(bool(sheet.measured))
        self._nothing.setVisible(not sheet.measured)
        self._show_handling(sheet, units)

    def _show_handling(self, sheet: LotSheet, units: Units) -> None:
        advice = sheet.handling
        for widget in (self._charge, self._advice, self._why, self._reasons, self._hints):
            widget.setVisible(advice is not None)
        if advice is None:
            self._basis.setText(tr("No machine yet: add one in Machines (F7)."))
            return
        sd = units.show_difference(advice.charge_sd_c)
        self._charge.setText(tr("Charge {} ± {:.0f}", units.text(advice.charge_c, "°C", 0), sd))
        percent = 100 * (advice.early_heat - 1.0)
        heat = tr("as usual") if abs(percent) < 1 else tr("{:+.0f} %", percent)
        self._advice.show_rows(
            [(tr("Early heat"), heat), (tr("Load"), units.text(advice.load_kg, "kg", 1 if units.mass == "kg" else None))]
        )
        rows = []
        for reason in advice.reasons:
            shift = units.show_difference(reason.charge_c)
            rows.append((units.sentence(reason.words), tr("{:+.0f}°", shift) if round(shift) else "0°"))
        self._reasons.show_rows(rows or [(tr("nothing unusual in what is known"), "")])
        _show(self._hints, units.sentence("\n".join(advice.hints)))
        seen = tr("and {} batches", advice.batches) if advice.batches else tr("alone; no batches of its kind yet")
        self._basis.setText(tr("From the rules of the house {}.", seen))

    def _on_count(self) -> None:
        try:
            counted = self._counted.read(self._units, "kg")
        except ValueError as error:
            self.measure.say(str(error), wrong=True)
            return
        if counted is not None:
            self.counted.emit(counted)


def _show(target: QLabel, text: str) -> None:
    target.setText(text)
    target.setVisible(bool(text))


def _facts(sheet: LotSheet) -> list[str]:
    lot = sheet.lot
    facts = [lot.origin, lot.station, lot.variety, lot.process]
    facts.append(tr("{:.0f} m", lot.altitude_m) if lot.altitude_m else "")
    facts.append(tr("harvest {}", lot.harvest) if lot.harvest else "")
    facts.append(tr("arrived {}", lot.arrival) if lot.arrival else "")
    facts.append(sheet.age.words if sheet.age and not sheet.age.warning else "")
    facts.append(tr("{} bags", lot.bags) if lot.bags else "")
    facts.append(tr("{:.2f} a kg", lot.price_per_kg) if lot.price_per_kg else "")
    facts.append(lot.remark)
    return [fact for fact in facts if fact]


def _figures(sheet: LotSheet) -> list[tuple[str, ...]]:
    lot = sheet.lot
    density = tr("{:.0f} g/L, {}", lot.density_g_per_l, density_class(lot.density_g_per_l)) if lot.density_g_per_l else "–"
    grade = next((m.words.partition(":")[0] for m in sheet.measured if m.what == KIND_WORDS["defects"] and not m.struck), "–")
    return [
        (tr("Density"), density),
        (tr("Moisture"), tr("{:.1f} %", 100 * lot.moisture) if lot.moisture else "–"),
        (tr("Water activity"), tr("{:.2f}", lot.water_activity) if lot.water_activity else "–"),
        (tr("Bean size"), tr("{:.1f} mm", lot.mean_mm) if lot.mean_mm else "–"),
        (tr("Grade"), grade),
    ]
