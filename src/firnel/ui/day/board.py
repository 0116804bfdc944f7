"""The machines of a day side by side with time running down: batches, preheat, pauses; now is a line across all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.theme.look import Look, mono, sans
from firnel.work.day.planning import Block, DaySheet, Fixed

#: Of the drawing. [px]
HEAD, LEFT, GAP, FOOT, LEAST_ROW, MOST_HOUR = 46.0, 52.0, 8.0, 8.0, 25.0, 150.0
#: A machine with nothing to do takes this much of the room of another.
IDLE = 0.64
WORDS = {"preheat": tr("preheat"), "pause": tr("pause"), "cooling": tr("cooling"), "cleaning": tr("cleaning")}


@dataclass(frozen=True)
class _Spot:
    """A block where it is drawn."""

    block: Block
    rect: QRectF


class DayBoard(QWidget):
    """Draws a plan of a day. Arrow keys or a click choose a batch; it is dragged, or held by H, elsewhere by Alt and arrows."""

    chosen = pyqtSignal(object)  # Block or None
    moved = pyqtSignal(object, str, int)  # Need, machine, place among its needs
    let_go = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look, self._units = look, Units()
        self._sheet: DaySheet | None = None
        self._now: datetime | None = None
        self._spots: list[_Spot] = []
        self._chosen: tuple[str, str, int] | None = None  # need, machine, number
        self._dragged: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(420, 260)
        self.setMouseTracking(True)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Room for a morning of three machines."""
        return QSize(560, 420)

    def show_day(self, sheet: DaySheet, now: datetime, units: Units) -> None:
        """Show this plan; ``now`` is local."""
        self._sheet, self._now, self._units = sheet, now, units
        self.setAccessibleName(tr("Plan of {:%A %-d %B}, {} batches", sheet.day, len(sheet.plan.batches)))
        self._tell()
        self.update()

    @property
    def block(self) -> Block | None:
        """The batch that is chosen."""
        if self._sheet is None or self._chosen is None:
            return None
        found = [block for block in self._sheet.plan.batches if _key(block) == self._chosen]
        return found[0] if found else None

    def choose(self, block: Block | None) -> None:
        """Choose a batch."""
        self._chosen = _key(block) if block is not None else None
        self._tell()
        self.chosen.emit(self.block)
        self.update()

    def _tell(self) -> None:
        """What is chosen, for those who do not see it."""
        block, sheet = self.block, self._sheet
        if block is None or block.share is None or sheet is None:
            self.setAccessibleDescription(tr("No batch is chosen. Arrow keys choose one."))
            return
        self.setAccessibleDescription(
            tr("{:%H:%M} {}: {}. {}", sheet.at(block.start_s), block.machine, self._words(block), block.why)
        )

    def _words(self, block: Block) -> str:
        share = block.share
        if share is None:
            return WORDS.get(block.kind, block.kind)
        return tr("{}, {}, for {}", share.need.lot, self._units.text(share.load_kg, "kg", 1), share.need.coffee.name)

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose what is under the pointer; it may be dragged."""
        if event is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        spot = self._at(event.position())
        self.choose(spot.block if spot is not None else None)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the chosen batch; over others, tell them whole."""
        if event is None:
            return
        if event.buttons() & Qt.MouseButton.LeftButton and self.block is not None:
            self._dragged = event.position()
            self.update()
            return
        spot = self._at(event.position(), batches_only=False)
        why = spot.block.why if spot is not None else ""
        self.setToolTip(f"{self._words(spot.block)}: {why}" if spot is not None and why else "")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Put what was dragged where it was let go, if that is elsewhere."""
        block, dragged, self._dragged = self.block, self._dragged, None
        self.update()
        if block is None or dragged is None or block.share is None or self._sheet is None:
            return
        columns = self._columns()
        machine = next(
            (name for name, rect in columns.items() if rect.left() - GAP <= dragged.x() <= rect.right()), block.machine
        )
        own = self._places(machine)
        above = [key for key, rect in own.items() if rect.center().y() < dragged.y() and key != block.share.need.key]
        spot = next((spot for spot in self._spots if spot.block == block), None)
        if spot is not None and spot.rect.contains(dragged):
            return
        self.moved.emit(block.share.need, machine, len(above))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose; with Alt they move; H holds or lets go."""
        if event is None:
            return
        batches = list(self._sheet.plan.batches) if self._sheet is not None else []
        block = self.block
        if not batches:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier and block is not None:
            self._move_by_key(block, Qt.Key(event.key()))
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            own = [one for one in batches if block is None or one.machine == block.machine]
            at = own.index(block) + (1 if event.key() == Qt.Key.Key_Down else -1) if block in own else 0
            self.choose(own[min(max(at, 0), len(own) - 1)])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and block is not None:
            names = [name for name in self._machines() if any(one.machine == name for one in batches)]
            at = names.index(block.machine) + (1 if event.key() == Qt.Key.Key_Right else -1)
            other = names[min(max(at, 0), len(names) - 1)]
            self.choose(min((one for one in batches if one.machine == other), key=lambda one: abs(one.start_s - block.start_s)))
        elif event.key() == Qt.Key.Key_H and block is not None and block.share is not None:
            if block.held:
                self.let_go.emit(block.share.need.key)
            else:
                place = list(self._places(block.machine)).index(block.share.need.key)
                self.moved.emit(block.share.need, block.machine, place)
        else:
            super().keyPressEvent(event)

    def _move_by_key(self, block: Block, key: Qt.Key) -> None:
        if block.share is None:
            return
        need, names = block.share.need, self._machines()
        own = list(self._places(block.machine))
        place = own.index(need.key) if need.key in own else 0
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.moved.emit(need, block.machine, max(place + (1 if key is Qt.Key.Key_Down else -1), 0))
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            at = names.index(block.machine) + (1 if key is Qt.Key.Key_Right else -1)
            if 0 <= at < len(names):
                self.moved.emit(need, names[at], place)

    def _at(self, point: QPointF, batches_only: bool = True) -> _Spot | None:
        there = [spot for spot in self._spots if spot.rect.contains(point)]
        return next((spot for spot in there if spot.block.share is not None or not batches_only), None)

    def _machines(self) -> list[str]:
        """The machines that are drawn: those that have something to do, or can have."""
        return [station.name for station in self._sheet.plan.stations] if self._sheet is not None else []

    def _columns(self) -> dict[str, QRectF]:
        """The ground of each machine; one with nothing to do is narrower."""
        sheet, names = self._sheet, self._machines()
        if sheet is None or not names:
            return {}
        busy = {block.machine for block in sheet.plan.batches} | {one.machine for one in sheet.fixed}
        shares = [1.0 if name in busy else IDLE for name in names]
        unit, left, found = (self.width() - LEFT) / sum(shares), LEFT, {}
        for name, share in zip(names, shares, strict=True):
            found[name] = QRectF(left, 0.0, unit * share - GAP, float(self.height()))
            left += unit * share
        return found

    def _places(self, machine: str) -> dict[str, QRectF]:
        """The needs of a machine in their order, with the ground that each takes."""
        found: dict[str, QRectF] = {}
        for spot in self._spots:
            if spot.block.machine == machine and spot.block.share is not None:
                key = spot.block.share.need.key
                found[key] = found[key].united(spot.rect) if key in found else spot.rect
        return found

    # Drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the day."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._spots = []
        if self._sheet is None:
            return
        first, last = self._span()
        per_hour = min((self.height() - HEAD - FOOT) / max((last - first) / 3600.0, 0.5), MOST_HOUR)

        def down(seconds: float) -> float:
            return HEAD + per_hour * (seconds - first) / 3600.0

        self._draw_hours(painter, first, last, per_hour)
        self._draw_now(painter, first, last, down)  # behind the batches: the one that runs is framed
        for name, column in self._columns().items():
            self._draw_head(painter, name, QRectF(column.left(), 0.0, column.width(), HEAD))
            floor = 0.0  # a block is a readable row: where time is too short for it, what follows is set lower
            things: list[Block | Fixed] = [
                *self._sheet.plan.of(name),
                *(one for one in self._sheet.fixed if one.machine == name),
            ]
            for thing in sorted(things, key=lambda one: one.start_s):
                row = LEAST_ROW if isinstance(thing, Fixed) or thing.share is not None else 0.0
                top = max(down(thing.start_s), floor)
                height = max(down(thing.end_s) - down(thing.start_s), row)
                rect = QRectF(column.left(), top, column.width(), height - 2.0)
                floor = top + height
                if isinstance(thing, Fixed):
                    self._draw_fixed(painter, thing, rect)
                else:
                    self._spots.append(_Spot(thing, rect))  # one without a load is only told of
                    self._draw_block(painter, thing, rect)

    def _span(self) -> tuple[float, float]:
        """From when to when the day is drawn, whole half hours. [s from the opening]"""
        if self._sheet is None:
            return 0.0, 3600.0
        blocks: list[Block | Fixed] = [*self._sheet.plan.blocks, *self._sheet.fixed]
        first = min((block.start_s for block in blocks), default=0.0)
        last = max((block.end_s for block in blocks), default=4 * 3600.0)
        return 1800.0 * (first // 1800.0), 1800.0 * -(-max(last, first + 3600.0) // 1800.0)

    def _draw_hours(self, painter: QPainter, first: float, last: float, per_hour: float) -> None:
        palette = self._look.palette
        painter.setFont(mono(13))
        step = 3600.0 if per_hour > 34.0 else 7200.0
        seconds = step * -(-first // step)
        while seconds <= last and self._sheet is not None:
            y = HEAD + per_hour * (seconds - first) / 3600.0
            painter.setPen(QPen(QColor(palette.line), 1.0))
            painter.drawLine(QPointF(LEFT - 4.0, y), QPointF(float(self.width()), y))
            painter.setPen(QColor(palette.soft))
            painter.drawText(
                QRectF(0.0, y - 9.0, LEFT - 10.0, 18.0), Qt.AlignmentFlag.AlignRight, tr("{:%-H:%M}", self._sheet.at(seconds))
            )
            seconds += step

    def _draw_head(self, painter: QPainter, name: str, rect: QRectF) -> None:
        palette, sheet = self._look.palette, self._sheet
        if sheet is None:
            return
        ends = [block.end_s for block in sheet.plan.of(name) if block.share is not None]
        ends += [one.end_s for one in sheet.fixed if one.machine == name]
        painter.setPen(QColor(palette.ink if ends else palette.soft))
        painter.setFont(_bold(14))
        shown = QFontMetricsF(_bold(14)).elidedText(name, Qt.TextElideMode.ElideRight, rect.width())
        painter.drawText(rect.adjusted(0, 0, 0, -20), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setPen(QColor(palette.soft))
        painter.setFont(sans(13))
        said = tr("done {:%-H:%M}", sheet.at(max(ends))) if ends else tr("free")
        said += f" · {sheet.chosen.people[name]}" if name in sheet.chosen.people else ""
        said = QFontMetricsF(sans(13)).elidedText(said, Qt.TextElideMode.ElideRight, rect.width())
        painter.drawText(rect.adjusted(0, 22, 0, -4), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, said)

    def _draw_fixed(self, painter: QPainter, one: Fixed, rect: QRectF) -> None:
        """A batch that is done, on its way, or waits under its number."""
        palette, done = self._look.palette, one.state == "done"
        if one.state == "preheat":
            self._draw_between(painter, one.state, rect)
            return
        ground = QColor(palette.hover if done else palette.lane)
        painter.setPen(QPen(QColor(palette.ember if one.state == "running" else palette.line), 1.2))
        painter.setBrush(ground)
        painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 4.0, 4.0)
        weight = "✓" if done else self._units.text(one.load_kg, "kg", 1).split()[0]
        self._draw_words(painter, rect, f"{one.number} {one.lot}", weight, palette.soft if done else palette.ink, sans(13))

    def _draw_between(self, painter: QPainter, kind: str, rect: QRectF, words: str = "") -> None:
        """Preheat, a pause, cooling, or the care that is due."""
        palette = self._look.palette
        ground = QColor(palette.ember if kind == "preheat" else palette.soft)
        ground.setAlphaF(0.16 if kind == "preheat" else 0.10)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(rect, 4.0, 4.0)
        if rect.height() > 17.0:
            painter.setPen(QColor(palette.soft))
            painter.setFont(sans(13))
            inside = rect.adjusted(8, 0, -6, 0)
            shown = QFontMetricsF(sans(13)).elidedText(words or WORDS[kind], Qt.TextElideMode.ElideRight, inside.width())
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, shown)

    def _draw_words(self, painter: QPainter, rect: QRectF, words: str, figure: str, colour: str, font: QFont) -> None:
        inside = rect.adjusted(7, 0, -6, 0)
        painter.setPen(QColor(colour))
        painter.setFont(mono(13))
        painter.drawText(inside, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, figure)
        room = inside.width() - QFontMetricsF(mono(13)).horizontalAdvance(figure) - 6.0
        painter.setFont(font)
        measure, parts = QFontMetricsF(font), words.split()
        first = int(parts[0].isdecimal())
        while len(parts) > first + 1 and measure.horizontalAdvance(" ".join(parts)) > room:
            parts.pop(first)  # the origin says less than the station that follows it
        shown = measure.elidedText(" ".join(parts), Qt.TextElideMode.ElideRight, room)
        painter.drawText(inside, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)

    def _draw_block(self, painter: QPainter, block: Block, rect: QRectF) -> None:
        palette, share = self._look.palette, block.share
        if share is None:
            self._draw_between(painter, block.kind, rect, block.why if block.kind == "cleaning" else "")
            return
        chosen, late = _key(block) == self._chosen, self._sheet is not None and block in self._sheet.plan.late
        edge = palette.ember if late else palette.ink if chosen or block.held else palette.line
        painter.setPen(QPen(QColor(edge), 2.0 if chosen else 1.2, Qt.PenStyle.DashLine if late else Qt.PenStyle.SolidLine))
        painter.setBrush(QColor(palette.selected if chosen else palette.field))
        painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 4.0, 4.0)
        weight = self._units.text(share.load_kg, "kg", 1).split()[0]
        self._draw_words(painter, rect, f"{'▪ ' if block.held else ''}{share.need.lot}", weight, palette.ink, _bold(13))

    def _draw_now(self, painter: QPainter, first: float, last: float, down: Callable[[float], float]) -> None:
        sheet, now, palette = self._sheet, self._now, self._look.palette
        if sheet is None or now is None or now.date() != sheet.day:
            return
        seconds = (now - sheet.at(0.0)) / timedelta(seconds=1)
        if not first <= seconds <= last:
            return
        y = down(seconds)
        painter.setPen(QPen(QColor(palette.ink), 2.0))
        painter.drawLine(QPointF(LEFT, y), QPointF(float(self.width()), y))
        plate = QRectF(0.0, y - 11.0, LEFT - 4.0, 22.0)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.ink))
        painter.drawRoundedRect(plate, 5.0, 5.0)
        painter.setPen(QColor(palette.card))
        painter.setFont(mono(13))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, tr("{:%-H:%M}", now))


def _key(block: Block) -> tuple[str, str, int]:
    return (block.share.need.key if block.share is not None else "", block.machine, block.number)


def _bold(size: int) -> QFont:
    return sans(size, QFont.Weight.DemiBold)
