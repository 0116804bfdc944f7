"""The orders of a day: typed on one line, with how far each is; packed, cancelled, and taken in from a table."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.words import meant, tr
from firnel.ui.shared.parts import ElidedLabel, bare_area, button, card, empty, label, rename
from firnel.ui.theme.look import Look
from firnel.work.day.day_report import packs_text
from firnel.work.day.lists import PackRow
from firnel.work.day.planning import DaySheet


class ShareBar(QWidget):
    """How much of an order is there: on the shelf, and weighed."""

    def __init__(self, look: Look, share: float) -> None:
        super().__init__()
        self._look, self._share = look, min(max(share, 0.0), 1.0)
        self.setFixedHeight(5)
        self.setAccessibleName(tr("{:.0f} % is there", 100 * self._share))

    def sizeHint(self) -> QSize:
        """A thin bar."""
        return QSize(120, 5)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw what is there on the ground of all that is wanted."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._look.palette.line))
        painter.drawRoundedRect(0, 0, self.width(), self.height(), 2.5, 2.5)
        if self._share > 0.0:
            painter.setBrush(QColor(self._look.palette.moss))
            painter.drawRoundedRect(0, 0, max(int(self._share * self.width()), 5), self.height(), 2.5, 2.5)


class OrderCard(QWidget):
    """Takes and shows orders."""

    typed = pyqtSignal(str)
    pack_wanted = pyqtSignal(object)  # Order
    cancel_wanted = pyqtSignal(object)
    table_wanted = pyqtSignal()

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=6)
        outer.addWidget(frame)
        row = QHBoxLayout()
        row.addWidget(label(tr("Orders"), "heading"))
        row.addStretch(1)
        table = button(tr("From a table …"), tr("CSV or XLSX: coffee, kg or packs, due, customer"))
        table.clicked.connect(self.table_wanted)
        row.addWidget(table)
        column.addLayout(row)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("12 kg House friday for …"))
        self.line.setAccessibleName(tr("A new order"))
        self.line.setToolTip(
            tr("Weight or packs (20 x 250 g), the coffee, the day, “every week”, and last “for” whom. Enter takes it.")
        )
        self.line.returnPressed.connect(self._on_typed)
        column.addWidget(self.line)
        self.said = label("", "soft", wrap=True)
        column.addWidget(self.said)
        area, self._rows = bare_area(tr("Open orders"))
        self._rows.setSpacing(3)
        column.addWidget(area, 1)

    def show_orders(self, sheet: DaySheet, units: Units) -> None:
        """Show the orders of the day."""
        empty(self._rows)
        for entry in sheet.pack:
            self._add(entry, sheet, units)
        if not sheet.pack:
            self._rows.addWidget(label(tr("Nothing is ordered for this day. Type an order above."), "soft", wrap=True))
        self._rows.addStretch(1)

    def say(self, text: str, wrong: bool = False) -> None:
        """What came of what was typed."""
        rename(self.said, "warn" if wrong else "soft")
        self.said.setText(text)
        self.said.setVisible(bool(text))

    def _add(self, entry: PackRow, sheet: DaySheet, units: Units) -> None:
        order = entry.order
        head, foot = QHBoxLayout(), QHBoxLayout()
        name = ElidedLabel("strong")
        name.show_text(order.coffee)
        head.addWidget(name, 1)
        head.addWidget(label(units.text(order.kg, "kg", 1), "figure"))
        about = ElidedLabel("soft")
        when = tr("today") if order.due == sheet.day else tr("{:%a %-d %b}", order.due)
        about.show_text(" · ".join(part for part in (when, packs_text(order.packs), order.customer) if part))
        foot.addWidget(about, 1)
        if entry.ready:
            pack = button(tr("Pack"), tr("Take it off the shelf: {}, {}", order.coffee, units.text(order.kg, "kg", 2)))
            pack.clicked.connect(partial(self.pack_wanted.emit, order))
        else:
            pack = button(meant("order", "Cancel"), tr("No longer wanted: {}, {}", order.coffee, units.text(order.kg, "kg", 2)))
            pack.clicked.connect(partial(self.cancel_wanted.emit, order))
        pack.setObjectName("small" if entry.ready else "quiet")
        pack.setAccessibleName(f"{pack.text()} {order.coffee}, {units.text(order.kg, 'kg', 2)}")
        pack.setFixedHeight(30)
        foot.addWidget(pack)
        self._rows.addLayout(head)
        self._rows.addLayout(foot)
        self._rows.addWidget(ShareBar(self._look, 1.0 - entry.to_roast_kg / order.kg))
        self._rows.addSpacing(8)

    def _on_typed(self) -> None:
        text = self.line.text().strip()
        if text:
            self.typed.emit(text)
