"""What to weigh of each lot, and what goes into which order."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.parts import ElidedLabel, bare_area, card, empty, label
from firnel.work.day.planning import DaySheet


class ListCard(QWidget):
    """A card of rows: a name and a figure, and under them two words in small; ``foot`` has room for what is done with them."""

    def __init__(self, title: str, nothing: str) -> None:
        super().__init__()
        self._nothing = nothing
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=6)
        outer.addWidget(frame)
        column.addWidget(label(title, "heading"))
        area, self._rows = bare_area(title)
        self._rows.setSpacing(1)
        column.addWidget(area, 1)
        self.foot = QVBoxLayout()
        column.addLayout(self.foot)

    def show_rows(self, rows: list[tuple[str, str, str, str, str]]) -> None:
        """Show rows: name, figure, small words left and right, and the role of the right ones (soft, warn, good)."""
        empty(self._rows)
        for name, figure, left, right, role in rows:
            for words, style, beside, beside_style in ((name, "strong", figure, "figure"), (left, "soft", right, role)):
                line, title = QHBoxLayout(), ElidedLabel(style)
                title.show_text(words)
                line.addWidget(title, 1)
                line.addWidget(label(beside, beside_style))
                self._rows.addLayout(line)
            self._rows.addSpacing(7)
        if not rows:
            self._rows.addWidget(label(self._nothing, "soft", wrap=True))
        self._rows.addStretch(1)


def weigh_rows(sheet: DaySheet, units: Units) -> list[tuple[str, str, str, str, str]]:
    """What to weigh, a row for each lot; loads that are alike are counted."""
    rows = []
    for row in sheet.weigh:
        loads = " + ".join(f"{count} × {units.text(load, 'kg', 2).split()[0]}" for count, load in row.loads)
        lacks = row.on_hand_kg is not None and row.kg > row.on_hand_kg + 1e-6
        there = "" if row.on_hand_kg is None else tr("of {}", units.text(row.on_hand_kg, "kg", 1))
        whole = row.weighed_kg > 0.0 and row.weighed_kg >= row.kg - 1e-3
        if row.weighed_kg > 0.0:
            there = tr("weighed") if whole else tr("{} weighed", units.text(row.weighed_kg, "kg", 1))
        role = "warn" if lacks else "good" if whole else "soft"
        rows.append((row.lot, units.text(row.kg, "kg", 1), loads, there, role))
    return rows


def pack_rows(sheet: DaySheet, units: Units) -> list[tuple[str, str, str, str, str]]:
    """What goes into each order, and from which batches."""
    rows = []
    for entry in sheet.pack:
        source = ", ".join(dict.fromkeys(one.stock.batch for one in entry.from_stock))
        left = tr("ready") if entry.ready else tr("{} to come", units.text(entry.to_roast_kg, "kg", 1))
        whom = " · ".join(part for part in (entry.order.customer, tr("from {}", source) if source else "") if part)
        weight = units.text(entry.order.kg, "kg", 1)
        rows.append((entry.order.coffee, weight, whom or tr("nothing on the shelf"), left, "good" if entry.ready else "soft"))
    return rows
