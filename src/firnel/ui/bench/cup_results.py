"""What a revealed table came to: ranks with what was said of each, and the attributes of one coffee against another."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.cup.agreement import Agreement
from firnel.core.words import tr
from firnel.ui.shared.lane_head import Key, LaneHead
from firnel.ui.shared.parts import card, empty, label
from firnel.ui.theme.look import Look, mono, sans
from firnel.work.bench.cupping import Part, Result

#: Room for the name of an attribute and for its figures, and height of its row. [px]
NAME, FIGURES, ROW = 172, 112, 23
MEAN = tr("mean of the table")


class AttributeLines(QWidget):
    """A dot on a line for each attribute of a coffee, with its cuppers' spread; a diamond for what it is held against."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._parts: tuple[Part, ...] = ()
        self._other: tuple[Part, ...] = ()
        look.changed.connect(self.update)

    def show_parts(self, parts: tuple[Part, ...], other: tuple[Part, ...]) -> None:
        """Show these attributes, and the same of another coffee beside them."""
        self._parts, self._other = parts, other
        self.setAccessibleDescription(", ".join(f"{tr(part.name)} {_figures(part)}" for part in parts))
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        """One row for each attribute."""
        return QSize(420, ROW * max(len(self._parts), 1) + 6)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the lines."""
        painter, palette = QPainter(self), self._look.palette
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = max(self.width() - NAME - FIGURES, 40)
        for row, part in enumerate(self._parts):
            top, middle = row * ROW, row * ROW + 0.5 * ROW
            painter.setFont(sans(14))
            painter.setPen(QColor(palette.ink))
            side = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, top, NAME - 8, ROW), side | Qt.AlignmentFlag.AlignLeft, tr(part.name))
            painter.setPen(QPen(QColor(palette.line), 1.0))
            painter.drawLine(QPointF(NAME, middle), QPointF(NAME + room, middle))
            other = next((one for one in self._other if one.name == part.name and one.mean is not None), None)
            painter.setPen(QPen(QColor(palette.card), 1.4))
            if other is not None and other.mean is not None:
                painter.setBrush(QColor(palette.ink))
                at = QPointF(self._x(other.mean, part, room), middle)
                painter.drawPolygon(QPolygonF([at + QPointF(*by) for by in ((-6, 0), (0, -8), (6, 0), (0, 8))]))
            if part.mean is not None:
                low, high = (self._x(part.mean + by * (part.spread or 0.0), part, room) for by in (-1.0, 1.0))
                painter.fillRect(QRectF(low, middle - 2.0, high - low, 4.0), QColor(palette.plum))
                painter.setBrush(QColor(palette.plum))
                painter.drawEllipse(QPointF(self._x(part.mean, part, room), middle), 6.5, 6.5)
            painter.setFont(mono(14))
            painter.setPen(QColor(palette.ink))
            box = QRectF(self.width() - FIGURES, top, FIGURES, ROW)
            painter.drawText(box, side | Qt.AlignmentFlag.AlignRight, _figures(part))
        painter.end()

    @staticmethod
    def _x(value: float, part: Part, room: float) -> float:
        share = (value - part.low) / (part.high - part.low)
        return NAME + room * min(max(share, 0.0), 1.0)


def _figures(part: Part) -> str:
    if part.mean is None:
        return "–"
    return tr("{:.2f}", part.mean) if part.spread is None else tr("{:.2f} ±{:.2f}", part.mean, part.spread)


class TableResults(QWidget):
    """What a revealed table came to."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._told: list[Result] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        frame, inside = card()
        holder = QWidget()
        self._grid = QGridLayout(holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(1)
        self._grid.setColumnStretch(0, 1)
        inside.addWidget(holder)
        self._agreement = label("", "heading", wrap=True)
        inside.addWidget(self._agreement)
        column.addWidget(frame)
        self._attributes, room = card()
        row = QHBoxLayout()
        self.of, self.against = QComboBox(), QComboBox()
        self.of.setAccessibleName(tr("Coffee whose attributes are shown"))
        self.against.setAccessibleName(tr("Coffee that it is held against"))
        for widget in (label(tr("Attributes of"), "heading"), self.of, label(tr("against"), "soft"), self.against):
            row.addWidget(widget)
        row.addStretch(1)
        room.addLayout(row)
        self._head, self._lines = LaneHead(look, 0), AttributeLines(look)
        self._lines.setAccessibleName(tr("Attributes"))
        room.addWidget(self._head)
        room.addWidget(self._lines)
        for box in (self.of, self.against):
            box.currentIndexChanged.connect(self._compare)
        column.addWidget(self._attributes)
        column.addStretch(1)

    def show_results(self, told: list[Result], agreed: Agreement | None) -> None:
        """Show ranks, scores, words and attributes."""
        self._told = told
        empty(self._grid)
        heading = label(tr("What stood where, and what was said of it"), "heading", wrap=True)
        heading.setContentsMargins(0, 0, 0, 4)
        self._grid.addWidget(heading, 0, 0)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        for place, word in enumerate((tr("code"), tr("score"), tr("± cuppers")), start=1):
            self._grid.addWidget(label(word, "soft"), 0, place, right)
        for index, one in enumerate(told):
            name = f"{one.rank}. {one.label}" if one.rank is not None else one.label
            score = tr("not scored") if one.score is None else tr("{:.2f}", one.score)
            spread = "" if one.spread is None else tr("± {:.2f}", one.spread)
            code = f"{one.coffee.code}{(tr(' · reference') if one.coffee.reference else '')}"
            for place, (text, role) in enumerate(((name, ""), (code, "figure"), (score, "figure"), (spread, "figure"))):
                side = Qt.AlignmentFlag.AlignLeft if place == 0 else Qt.AlignmentFlag.AlignRight
                cell = label(text, role)
                font = cell.font()
                font.setWeight(QFont.Weight.DemiBold)
                cell.setFont(font)
                self._grid.addWidget(cell, 2 * index + 1, place, side | Qt.AlignmentFlag.AlignVCenter)
            said = label(_most_said(one.words) or tr("no words"), "soft", wrap=True)
            said.setContentsMargins(18, 0, 0, 3)
            self._grid.addWidget(said, 2 * index + 2, 0, 1, 4)
        self._agreement.setText(
            agreed.words if agreed is not None else tr("One cupper or one coffee: agreement cannot be told.")
        )
        self._offer()

    def _offer(self) -> None:
        names = [one.label for one in self._told]
        for box, entries in ((self.of, names), (self.against, [MEAN, *names])):
            box.blockSignals(True)
            box.clear()
            box.addItems(entries)
            box.blockSignals(False)
        reference = next((index for index, one in enumerate(self._told) if one.coffee.reference), None)
        self.against.setCurrentIndex(0 if reference is None else reference + 1)
        self._attributes.setVisible(any(part.mean is not None for one in self._told for part in one.parts))
        self._compare()

    def _compare(self) -> None:
        if not self._told:
            return
        own = self._told[max(self.of.currentIndex(), 0)]
        place = self.against.currentIndex() - 1
        other = self._told[place].parts if place >= 0 else _mean_parts(self._told)
        self._lines.show_parts(own.parts, other)
        against = self._told[place].label if place >= 0 else MEAN
        keys = (Key(own.label, "plum", "spot"), Key(tr("spread of its cuppers"), "plum"), Key(against, "ink", "diamond"))
        low, high = own.parts[0].low, own.parts[0].high
        self._head.show_head(tr("Points, {:g} to {:g}", low, high), keys)


def _mean_parts(told: list[Result]) -> tuple[Part, ...]:
    parts = []
    for index, part in enumerate(told[0].parts):
        known = [mean for one in told if (mean := one.parts[index].mean) is not None]
        parts.append(Part(part.name, sum(known) / len(known) if known else None, None, part.low, part.high))
    return tuple(parts)


def _most_said(words: tuple[str, ...]) -> str:
    counts = sorted(((words.count(word), word) for word in set(words)), key=lambda pair: (-pair[0], pair[1]))
    return ", ".join(f"{word} ×{count}" if count > 1 else word for count, word in counts[:8])
