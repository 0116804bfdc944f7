"""The right-hand column before the charge: which batch, unmistakably; how soaked the steel is; the checks."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.key_press import key_row
from firnel.ui.shared.parts import ElidedLabel, card, label, rename
from firnel.ui.theme.look import Look, mono, sans
from firnel.work.roast.ready_picture import CheckLine, ReadyPicture, SteelPicture


class ReadyCards(QWidget):
    """Shows a `ReadyPicture`."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._batch_card())
        self._steel_frame = self._steel_card(look)
        column.addWidget(self._steel_frame)
        self._checks_frame = self._checks_card(look)
        column.addWidget(self._checks_frame)
        column.addStretch(1)
        keys, keys_column = card(spacing=5)
        keys_column.addWidget(key_row(("mark", tr("charge")), ("confirm", tr("check"))))
        keys_column.addWidget(key_row(("label", tr("read a label")), ("prepare", tr("another batch"))))
        column.addWidget(keys)
        self._keys_frame = keys

    def _batch_card(self) -> QWidget:
        frame, column = card(spacing=1)
        row = QHBoxLayout()
        self._number, self._load = label("", "identity"), label("", "identityLoad")
        row.addWidget(self._number)
        row.addStretch(1)
        row.addWidget(self._load)
        column.addLayout(row)
        self._lot, self._of_lot, self._plan = label("", "identityLot", wrap=True), ElidedLabel("soft"), ElidedLabel("soft")
        self._label_state = label("", "good", wrap=True)
        for widget in (self._lot, self._of_lot, self._plan, self._label_state):
            column.addWidget(widget)
        return frame

    def _steel_card(self, look: Look) -> QWidget:
        frame, column = card(spacing=2)
        row = QHBoxLayout()
        row.addWidget(label(tr("Steel"), "heading"))
        self._steel_figure = label("", "smallFigure")
        row.addStretch(1)
        row.addWidget(self._steel_figure)
        column.addLayout(row)
        self.steel = SteelBar(look)
        column.addWidget(self.steel)
        self._steel_words = label("", "", wrap=True)
        column.addWidget(self._steel_words)
        return frame

    def _checks_card(self, look: Look) -> QWidget:
        frame, column = card(spacing=2)
        self._checks_title = label(tr("Checks"), "heading")
        column.addWidget(self._checks_title)
        self.checks = CheckList(look)
        column.addWidget(self.checks)
        return frame

    def show_picture(self, picture: ReadyPicture) -> None:
        """Show this batch, steel and checks."""
        for widget, text in (
            (self._number, picture.number), (self._load, picture.load), (self._lot, picture.lot),
            (self._steel_words, picture.steel.words), (self._steel_figure, picture.steel.figure),
            (self._checks_title, picture.checks_title),
        ):  # fmt: skip
            if widget.text() != text:
                widget.setText(text)
        self._of_lot.show_text(picture.of_lot)
        self._of_lot.setVisible(bool(picture.of_lot))
        self._plan.show_text(picture.plan)
        name = {"right": "good", "open": "soft"}.get(picture.label_state, "warn")
        rename(self._label_state, name)
        self._label_state.setText(picture.label_words)
        self.steel.show_picture(picture.steel)
        self.checks.show_checks(picture.checks)
        self._checks_frame.setVisible(bool(picture.checks))
        # Where the steel has much to say the keys give way: they are on the key sheet.
        self._keys_frame.setVisible(picture.steel.ready or not picture.steel.words)


class SteelBar(QWidget):
    """The steel on a scale about what the plan assumes: the band that is ready, the steel now, and how sure that is."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._picture: SteelPicture | None = None
        self.setFixedHeight(44)
        self.setAccessibleName(tr("Steel against what the plan assumes"))
        look.changed.connect(self.update)

    def show_picture(self, picture: SteelPicture) -> None:
        """Show this estimate."""
        self._picture = picture
        self.setVisible(picture.now is not None)
        self.setAccessibleDescription(picture.words)
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw scale, band, spread and the steel now."""
        picture = self._picture
        if picture is None or picture.now is None:
            return
        palette, painter = self._look.palette, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = picture.scale
        left, width = 6.0, self.width() - 12.0

        def x(level: float) -> float:
            return left + width * min(max((level - low) / (high - low), 0.0), 1.0)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.line))
        painter.drawRoundedRect(QRectF(left, 10.0, width, 12.0), 6.0, 6.0)
        if picture.band is not None:
            painter.setBrush(QColor(palette.moss_band))
            painter.setPen(QPen(QColor(palette.moss), 1.6))
            painter.drawRect(QRectF(QPointF(x(picture.band[0]), 7.0), QPointF(x(picture.band[1]), 25.0)))
        spread = QColor(palette.ink)
        spread.setAlpha(60)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(spread)
        painter.drawRect(QRectF(QPointF(x(picture.now - picture.sd), 12.0), QPointF(x(picture.now + picture.sd), 20.0)))
        painter.setBrush(QColor(palette.moss if picture.ready else palette.ember))
        painter.setPen(QPen(QColor(palette.card), 1.5))
        painter.drawEllipse(QPointF(x(picture.now), 16.0), 7.0, 7.0)
        painter.setFont(mono(12))
        painter.setPen(QColor(palette.soft))
        for level in (low, 0.5 * (low + high), high):
            text = tr("{:.0f}", level)
            at = min(max(x(level) - 24.0, 0.0), self.width() - 48.0)
            side = Qt.AlignmentFlag.AlignHCenter
            side = Qt.AlignmentFlag.AlignLeft if level == low else Qt.AlignmentFlag.AlignRight if level == high else side
            painter.drawText(QRectF(at, 27.0, 48.0, 16.0), side, text)


class CheckList(QWidget):
    """Checks or steps, each ticked or open; the next open one is emphasised."""

    ROW = 25

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._checks: tuple[CheckLine, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        look.changed.connect(self.update)

    def show_checks(self, checks: tuple[CheckLine, ...]) -> None:
        """Show these."""
        if checks == self._checks:
            return
        self._checks = checks
        self.setFixedHeight(self.ROW * len(checks))
        said = "; ".join(f"{check.text}, {(tr('done') if check.done else tr('open'))}" for check in checks)
        self.setAccessibleName(said)
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the rows."""
        palette, painter = self._look.palette, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        following = next((index for index, check in enumerate(self._checks) if not check.done), None)
        for index, check in enumerate(self._checks):
            top = float(index * self.ROW)
            box = QRectF(1.5, top + 5.0, 15.0, 15.0)
            painter.setPen(QPen(QColor(palette.moss if check.done else palette.soft), 1.8))
            painter.setBrush(QColor(palette.moss_band) if check.done else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 3.5, 3.5)
            if check.done:
                painter.drawPolyline(QPolygonF([QPointF(5.0, top + 12.5), QPointF(8.0, top + 16.0), QPointF(13.5, top + 8.5)]))
            painter.setPen(QColor(palette.soft if check.done else palette.ink))
            painter.setFont(sans(15, QFont.Weight.Bold if index == following else QFont.Weight.Normal))
            room = self.width() - 26 - (54 if check.when else 0)
            words = painter.fontMetrics().elidedText(check.text, Qt.TextElideMode.ElideRight, room)
            middle = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(26.0, top, self.width() - 26.0, self.ROW), Qt.AlignmentFlag.AlignLeft | middle, words)
            painter.setFont(mono(13))
            painter.drawText(QRectF(self.width() - 52.0, top, 50.0, self.ROW), Qt.AlignmentFlag.AlignRight | middle, check.when)
