"""Small building blocks: cards, labelled rows, key caps, empty states."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from PyQt6.QtCore import QEvent, QSize, Qt, QTimer
from PyQt6.QtGui import QResizeEvent, QValidator
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from firnel.core.words import tr
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.shared.wrapped_label import WrappedLabel
from firnel.ui.theme.tokens import SPACE_M, SPACE_S

#: A label that gives way keeps room for so many letters.
LEAST_LETTERS = 18
UNDO_HEIGHT = 20  #: [px]
#: So wide at least are title and what just happened beside the actions of a page, else they stand above them. [px]
HEAD_WORDS = 150
#: A column of a grid behind all that hold anything.
FAR = 20


def label(text: str = "", name: str = "", wrap: bool = False) -> QLabel:
    """A label with the role ``name`` of the style sheet."""
    made = WrappedLabel(text) if wrap else QLabel(text)
    made.setObjectName(name)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


class YieldingLabel(QLabel):
    """A one-line label that gives way: cut with dots where there is no room, and then told whole in its tool tip.

    Its ``text`` is always the whole one.
    """

    def __init__(self, text: str = "", name: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self._whole = text
        super().setText(text)

    def text(self) -> str:
        """The whole text."""
        return self._whole

    def setText(self, text: str | None) -> None:
        """Show this text, cut if need be."""
        self._whole = text or ""
        self.setAccessibleName(self._whole)
        self.updateGeometry()
        self._fit()

    def sizeHint(self) -> QSize:
        """Room for the whole text."""
        hint = super().sizeHint()
        lines = self._whole.split("\n")
        wide = max(self.fontMetrics().horizontalAdvance(line) for line in lines)
        return QSize(wide + 2, hint.height())

    def minimumSizeHint(self) -> QSize:
        """Room for a few letters."""
        hint = self.sizeHint()
        return QSize(min(hint.width(), LEAST_LETTERS * self.fontMetrics().averageCharWidth()), hint.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the text anew."""
        super().resizeEvent(event)
        self._fit()

    def changeEvent(self, event: QEvent | None) -> None:
        """Fit the text anew in another font."""
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._fit()

    def _fit(self) -> None:
        shown = self._whole
        if "\n" not in shown:
            shown = self.fontMetrics().elidedText(shown, Qt.TextElideMode.ElideRight, self.width())
        if super().text() != shown:
            super().setText(shown)
        self.setToolTip(self._whole if shown != self._whole else "")


def rename(widget: QWidget, name: str) -> None:
    """Give a widget another role of the style sheet, if it has another."""
    if widget.objectName() == name:
        return
    widget.setObjectName(name)
    restyle(widget)


def restyle(widget: QWidget) -> None:
    """Have the style sheet looked at again, after a property or the role has changed."""
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def empty(layout: QLayout) -> None:
    """Take everything out of a layout, and out of the layouts in it."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            empty(inner)


def card(name: str = "card", spacing: int = SPACE_S, margin: int = SPACE_M + 4) -> tuple[QFrame, QVBoxLayout]:
    """A framed card and the column inside it."""
    frame = QFrame()
    frame.setObjectName(name)
    column = QVBoxLayout(frame)
    column.setContentsMargins(margin, SPACE_M, margin, SPACE_M)
    column.setSpacing(spacing)
    return frame, column


def bare_area(name: str) -> tuple[QScrollArea, QVBoxLayout]:
    """A scroll area without an edge, for what lies in a card already, and the column inside it."""
    area, inside = QScrollArea(), QWidget()
    area.setObjectName("bare")
    area.setAccessibleName(name)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    column = QVBoxLayout(inside)
    column.setContentsMargins(0, 0, 6, 0)
    area.setWidget(inside)
    return area, column


def button(text: str, tip: str = "", primary: bool = False) -> QPushButton:
    """A push button, pressed by Space or Enter where it has the focus; the one action a page is for is primary."""
    made = QPushButton(text)
    made.setAutoDefault(True)
    made.setAccessibleName(text)
    made.setToolTip(tip)
    if primary:
        made.setObjectName("primary")
    return made


def make_primary(made: QPushButton, primary: bool) -> None:
    """Let a button be the one action that a page is for, or one of the others."""
    name = "primary" if primary else ""
    if made.objectName() != name:
        made.setObjectName(name)
        if (style := made.style()) is not None:
            style.unpolish(made)
            style.polish(made)


class NumberBox(QDoubleSpinBox):
    """A number that is typed with the language's own mark before its parts, or with a point: 2.5 is never read as 25."""

    def __init__(self) -> None:
        super().__init__()
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        """The text with the mark of the language."""
        return super().validate((text or "").replace(".", self.locale().decimalPoint()), at)


def offer(box: QComboBox, words: Iterable[str]) -> None:
    """Offer these words, each shown in the chosen language and kept as it is; `chosen` says which."""
    for word in words:
        box.addItem(tr(word), word)


def chosen(box: QComboBox) -> str:
    """The word that is chosen, as it is kept."""
    return str(box.currentData() or box.currentText())


def choose(box: QComboBox, word: str) -> None:
    """Choose a word by what is kept of it; one that is not offered leaves the choice as it is."""
    box.setCurrentIndex(max(box.findData(word), 0) if box.findData(word) >= 0 else box.currentIndex())


class FigureGrid(QWidget):
    """Rows of a name and figures beside it, which line up on the right.

    Parameters
    ----------
    words : how many columns hold words; the others are figures.
    small : whether the figures are set smaller, for a narrow card.
    spacing : between columns. [px]
    beside : whether figures stand beside their names in a wide card, and not at its right edge.
    """

    def __init__(self, words: int = 1, small: bool = False, spacing: int = 10, beside: bool = False) -> None:
        super().__init__()
        self._words, self._figure = words, "smallFigure" if small else "figure"
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(spacing)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(FAR if beside else 0, 1)
        self._rows: list[tuple[QLabel, ...]] = []

    def show_rows(self, rows: Sequence[tuple[str, ...]]) -> None:
        """Show these rows: name first, then figures. A row that begins with ``*`` is emphasised."""
        for index, texts in enumerate(rows):
            strong = texts[0].startswith("*")
            cells = (tr(texts[0][1:] if strong else texts[0]), *(map(tr, texts[1:]) if strong else texts[1:]))
            if index >= len(self._rows) or len(self._rows[index]) != len(cells):
                self._add_row(index, len(cells))
            for cell, text in zip(self._rows[index], cells, strict=True):
                if cell.text() != text:
                    cell.setText(text)
                font = cell.font()
                if font.bold() != strong:
                    font.setBold(strong)
                    cell.setFont(font)
                cell.show()
        for row in self._rows[len(rows) :]:
            for cell in row:
                cell.hide()

    def _add_row(self, index: int, count: int) -> None:
        if index < len(self._rows):
            for cell in self._rows[index]:
                self._grid.removeWidget(cell)
                cell.deleteLater()
        cells = tuple(YieldingLabel("", "" if column < self._words else self._figure) for column in range(count))
        for column, cell in enumerate(cells):
            side = Qt.AlignmentFlag.AlignLeft if column == 0 else Qt.AlignmentFlag.AlignRight
            self._grid.addWidget(cell, index, column, side | Qt.AlignmentFlag.AlignVCenter)
        if index < len(self._rows):
            self._rows[index] = cells
        else:
            self._rows.append(cells)


class PageHead(QWidget):
    """Title, room for actions on the right, and under the title the one place where the page says what just happened."""

    def __init__(self, title: str, subtitle: str = "") -> None:
        super().__init__()
        self._back: Callable[[], None] | None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        beside, said_of, doing = SideBySide(SPACE_S), QWidget(), QWidget()
        outer.addWidget(beside)
        said_of.setMinimumWidth(HEAD_WORDS)
        words = QVBoxLayout(said_of)
        words.setContentsMargins(0, 0, 0, 0)
        words.setSpacing(0)
        row = QHBoxLayout(doing)
        row.setContentsMargins(0, 0, 0, 0)
        row.addStretch(1)
        self.title, self.subtitle = YieldingLabel(title, "title"), YieldingLabel(subtitle, "subtitle")
        words.addWidget(self.title)
        said = QHBoxLayout()
        said.setSpacing(SPACE_S)
        self.undo = button(tr("Undo"), tr("Take back what just happened"))
        self.undo.setObjectName("quiet")
        self.undo.hide()
        self.undo.clicked.connect(self._on_undo)
        self.undo.setFixedHeight(UNDO_HEIGHT)  # no higher than the words: nothing moves when it comes
        said.addWidget(self.subtitle)
        said.addWidget(self.undo)
        said.addStretch(1)
        words.addLayout(said)
        beside.add(said_of, 1)
        beside.add(doing)
        self._row, self._rest, self._back, self._stays = row, subtitle, None, False
        self._told = QTimer(self)  # what stands at rest is there again after a while, where it is worth reading
        self._told.setSingleShot(True)
        self._told.timeout.connect(lambda: self.tell(""))

    def rest(self, sentence: str) -> None:
        """What stands there where nothing just happened, from now on."""
        self._rest = sentence
        if not self._stays:
            self.subtitle.setText(sentence)

    def tell(self, sentence: str, back: Callable[[], None] | None = None, for_ms: int = 0) -> None:
        """Say what just happened, with what takes it back beside it; empty: what the page is for stands there again.

        Parameters
        ----------
        sentence, back : what happened, and what takes it back.
        for_ms : so long; until something else is told where 0. [ms]
        """
        self.subtitle.setText(sentence or self._rest)
        self._back, self._stays = back, bool(sentence)
        self.undo.setVisible(back is not None)
        self._told.stop()
        if for_ms:
            self._told.start(for_ms)

    def _on_undo(self) -> None:
        back = self._back
        self.tell("")
        if back is not None:
            back()

    def add(self, widget: QWidget) -> None:
        """Put a widget at the right end."""
        self._row.insertWidget(self._row.count() - 1, widget, 0, Qt.AlignmentFlag.AlignVCenter)


#: Between the parts of a sentence in small.
PART = " · "


class ElidedLabel(QLabel):
    """A one-line label that shortens what does not fit, and tells it whole in its tooltip.

    Of a sentence in parts, ``this · that``, whole parts are left out from the end before a word is cut.
    """

    def __init__(self, name: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        self._whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(20)

    def show_text(self, text: str) -> None:
        """Show this text, shortened if need be."""
        if text != self._whole:
            self._whole = text
            self.setToolTip(text)
            self._fit()

    def whole_text(self) -> str:
        """The text as given."""
        return self._whole

    def resizeEvent(self, event: object) -> None:
        """Fit the text anew."""
        super().resizeEvent(event)  # type: ignore[arg-type]  # Qt hands its own event
        self._fit()

    def _fit(self) -> None:
        parts, measure = self._whole.split(PART), self.fontMetrics()
        while len(parts) > 1 and measure.horizontalAdvance(PART.join(parts)) > self.width():
            parts.pop()
        self.setText(measure.elidedText(PART.join(parts), Qt.TextElideMode.ElideRight, self.width()))


def lay_rows(grid: QGridLayout, titles: Sequence[str], rows: Sequence[Sequence[QWidget]]) -> None:
    """Lay rows of entries under their titles anew; what is no longer in one of them goes."""
    kept = {widget for row in rows for widget in row}
    while (item := grid.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None and widget not in kept:
            widget.setParent(None)  # at once: until it is deleted it would still be found under its name
            widget.deleteLater()
    for index, title in enumerate(titles):
        grid.addWidget(label(tr(title), "soft"), 0, index)
    for line, row in enumerate(rows, start=1):
        for index, widget in enumerate(row):
            grid.addWidget(widget, line, index)
    grid.setRowStretch(len(rows) + 1, 1)
