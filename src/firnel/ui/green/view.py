"""Green: the lots, and the sheet of one."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLineEdit

from firnel.core.vocabulary import Lot
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.work.desk import Desk


class GreenView(ListPage):
    """Lists the lots and takes down new ones."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            "Green",
            "The lots in the store, and what is known of them",
            ("Lot", "Process", "#Density", "#Moisture", "#On hand"),
            "No lots yet. Press “Add a lot” and give it a name: origin and station will do.",
        )
        self._desk = desk
        add = button("Add a lot", "Write down a delivery", primary=True)
        add.clicked.connect(self._begin_new)
        self.head.add(add)
        frame, column = card()
        self._name, self._grid = ElidedLabel("heading"), FigureGrid()
        self._remark = label("", "soft", wrap=True)
        for widget in (self._name, self._grid, self._remark):
            column.addWidget(widget)
        self.sheet_column.addWidget(frame)
        self.sheet_column.addWidget(self._form())
        self.sheet_column.addStretch(1)

    def _form(self) -> QFrame:
        frame, column = card(spacing=4)
        self._form_frame = frame
        column.addWidget(label("A new lot", "heading"))
        self._fields = {name: QLineEdit() for name in ("Name", "Origin", "Station", "Process")}
        for name, field in self._fields.items():
            field.setAccessibleName(name)
            field.setPlaceholderText(name)
            column.addWidget(field)
        self._kg = FigureEntry("On hand", "On hand")
        self._density = FigureEntry("Density", "Density, g/L")
        self._moisture = FigureEntry("Moisture", "Moisture, %")
        for field in (self._kg, self._density, self._moisture):
            column.addWidget(field)
        self._warning = label("", "warn", wrap=True)
        save = button("Add it", primary=True)
        save.clicked.connect(self._save)
        column.addWidget(self._warning)
        column.addWidget(save)
        frame.hide()
        return frame

    def refresh(self) -> None:
        """Read the lots anew."""
        units = self._desk.settings.units
        rows = [
            (
                (
                    lot.name,
                    lot.process or "–",
                    f"{lot.density_g_per_l:.0f} g/L" if lot.density_g_per_l else "–",
                    f"{100 * lot.moisture:.1f} %" if lot.moisture else "–",
                    units.text(lot.on_hand_kg, "kg", 1 if units.mass == "kg" else None),
                ),
                lot,
            )
            for lot in self._desk.library.lots()
        ]
        self.show_rows(rows)

    def show_choice(self, key: Lot) -> None:
        """Show one lot."""
        self._name.show_text(key.name)
        altitude = f"{key.altitude_m:.0f} m" if key.altitude_m else "–"
        pairs = (
            ("Origin", key.origin), ("Station", key.station), ("Variety", key.variety), ("Process", key.process),
            ("Altitude", altitude), ("Harvest", key.harvest), ("Arrived", key.arrival),
        )  # fmt: skip
        self._grid.show_rows([(name, value or "–") for name, value in pairs])
        self._remark.setText(key.remark)

    def _begin_new(self) -> None:
        self.sheet.show()
        self._form_frame.show()
        self._warning.setText("")
        self._kg.setPlaceholderText(f"On hand, {self._desk.settings.units.mass}")
        self._fields["Name"].setFocus(Qt.FocusReason.OtherFocusReason)

    def _save(self) -> None:
        texts = {name.lower(): field.text().strip() for name, field in self._fields.items()}
        if not texts["name"]:
            self._warning.setText("A lot needs a name.")
            return
        if any(lot.name == texts["name"] for lot in self._desk.library.lots()):
            self._warning.setText(f"There is a lot called {texts['name']} already.")
            return
        try:
            shown, density, moisture = self._kg.figure(), self._density.figure(), self._moisture.figure()
            lot = Lot(texts["name"], texts["origin"], texts["station"], process=texts["process"], density_g_per_l=density)
            if shown is not None:
                lot = replace(lot, on_hand_kg=self._desk.settings.units.read(shown, "kg"))
            if moisture is not None:
                lot = replace(lot, moisture=_checked(moisture, 0, 30, "Moisture", "%") / 100)
            if density is not None:
                _checked(density, 300, 1000, "Density", "g/L")
        except ValueError as error:
            self._warning.setText(str(error))
            return
        self._desk.library.save_lot(lot)
        for field in (*self._fields.values(), self._kg, self._density, self._moisture):
            field.clear()
        self._form_frame.hide()
        self.refresh()


def _checked(value: float, low: float, high: float, name: str, unit: str) -> float:
    if not low <= value <= high:
        raise ValueError(f"{name} of {value:g} {unit} cannot be: it lies between {low:g} and {high:g} {unit}.")
    return value
