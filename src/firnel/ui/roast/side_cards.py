"""The right-hand column while roasting: which batch, its marks, what comes, and the keys."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.roast.landing import LandingSquare
from firnel.ui.shared.key_press import KeyPress, key_row
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, card, label
from firnel.ui.theme.look import Look
from firnel.work.roast.picture import RoastPicture

#: Beside coming moves there is room for the keys while no more rows of marks than this are told.
KEYS_BESIDE = 3
#: Between two cards. [px]
SPACING = 6
#: So many of the batches that wait are named.
MOST_WAITING = 9


class SideCards(QWidget):
    """Shows the words of a `RoastPicture`.

    Parameters
    ----------
    short : only the marks, where the weigh sheet takes most of the room.
    """

    def __init__(self, look: Look, short: bool = False) -> None:
        super().__init__()
        self._look = look
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACING)
        batch, marks, moves, keys = self._batch_card(), self._marks_card(), self._moves_card(), self._keys_card()
        self._waiting_frame, self._idle_keys = self._waiting_card(), self._idle_keys_card()
        for frame in (self._waiting_frame, batch, marks, moves):
            column.addWidget(frame)
        self._landing_frame = self._landing_card()
        column.addWidget(self._landing_frame, 10)
        column.addStretch(1)
        column.addWidget(keys)
        column.addWidget(self._idle_keys)
        self._keys_frame, self._batch_frame, self._marks_frame = keys, batch, marks
        self._tight = False  # without room for which batch it is
        if short:
            for frame in (batch, keys):
                frame.hide()
        self._short = short

    def _waiting_card(self) -> QWidget:
        frame, column = card()
        column.addWidget(label(tr("Waiting"), "heading"))
        self._waiting = FigureGrid()
        self._nothing_waits = label(tr("Nothing. Batches are queued under Plan and Day."), "soft", wrap=True)
        self._more_wait = label("", "soft")
        for widget in (self._nothing_waits, self._waiting, self._more_wait):
            column.addWidget(widget)
        frame.hide()
        return frame

    def _idle_keys_card(self) -> QWidget:
        frame, column = card(spacing=5)
        column.addWidget(key_row(("prepare", tr("prepare a batch"))))
        column.addWidget(key_row(("next", tr("take the first that waits"))))
        column.addWidget(key_row(("weigh", tr("weigh the last batch"))))
        frame.hide()
        return frame

    def _batch_card(self) -> QWidget:
        frame, column = card(spacing=3)
        self._title = label("", "bigFigure")
        column.addWidget(self._title)
        self._lines = [ElidedLabel("heading"), ElidedLabel(), ElidedLabel("soft")]
        for line in self._lines:
            column.addWidget(line)
        return frame

    def _marks_card(self) -> QWidget:
        frame, column = card()
        column.addWidget(label(tr("Marks"), "heading"))
        self._marks = FigureGrid()
        self._no_marks = label(tr("None yet. {mark} sets the next one."), "soft", wrap=True)
        column.addWidget(self._no_marks)
        column.addWidget(self._marks)
        return frame

    def _moves_card(self) -> QWidget:
        frame, column = card(spacing=2)
        self._moves_title = label("", "heading")
        column.addWidget(self._moves_title)
        self._moves = [(ElidedLabel(), ElidedLabel("soft")) for _ in range(2)]
        for what, when in self._moves:
            column.addWidget(what)
            column.addWidget(when)
        self._moves_frame = frame
        return frame

    def _landing_card(self) -> QWidget:
        frame, column = card(spacing=2)
        head = QHBoxLayout()
        head.addWidget(label(tr("Landing"), "heading"))
        self._lands = label("", "smallFigure")
        head.addStretch(1)
        head.addWidget(self._lands)
        column.addLayout(head)
        self.landing = LandingSquare(self._look)
        column.addWidget(self.landing, 1)
        frame.setMaximumHeight(330)
        frame.hide()
        return frame

    def _keys_card(self) -> QWidget:
        frame, column = card(spacing=5)
        self._space = KeyPress("mark")
        column.addWidget(self._space)
        column.addWidget(key_row(("confirm", tr("move done")), ("undo", tr("undo"))))
        column.addWidget(key_row((("nudge back", "nudge on"), tr("nudge 1 s")), ("keys", tr("all keys"))))
        column.addWidget(key_row(("colour", tr("colour")), ("smell", tr("smell")), ("remark", tr("remark"))))
        return frame

    @property
    def whole_height(self) -> int:
        """What all of it needs. [px]"""
        return self.least_height + self._batch_frame.minimumSizeHint().height() + SPACING

    @property
    def least_height(self) -> int:
        """What it needs without which batch it is: that goes first where there is little room. [px]"""
        batch = self._batch_frame.minimumSizeHint().height() + SPACING if self._batch_frame.isVisibleTo(self) else 0
        return self.minimumSizeHint().height() - batch

    def fit(self, height: int) -> None:
        """Leave out what goes first where this height has no room for all. [px]"""
        self._tight = not self._short and self.whole_height > height
        if self._tight:
            self._batch_frame.hide()

    def show_waiting(self, waiting: Sequence[tuple[str, str]]) -> None:
        """What waits to be roasted, with its loads."""
        self._waiting.show_rows(waiting[:MOST_WAITING])
        self._nothing_waits.setVisible(not waiting)
        left = len(waiting) - MOST_WAITING
        self._more_wait.setText(tr("and {} more", left) if left > 0 else "")
        self._more_wait.setVisible(left > 0)

    def show_picture(self, picture: RoastPicture) -> None:
        """Show these words."""
        lands = picture.landing is not None and not self._short
        moves = bool(picture.moves) and not self._short and not lands
        # The landing is where the eye rests, and with marks and moves the column is full; the keys are known by then.
        idle = picture.phase == "idle" and not self._short
        keys = not (lands or self._short or idle or (moves and len(picture.rows) > KEYS_BESIDE))
        # First hide, then show, or the window grows.
        wanted = (
            (self._landing_frame, lands), (self._keys_frame, keys), (self._moves_frame, moves), (self._waiting_frame, idle),
            (self._idle_keys, idle), (self._batch_frame, not (idle or self._short or self._tight)),
            (self._marks_frame, not idle),
        )  # fmt: skip
        for frame, shown in sorted(wanted, key=lambda pair: pair[1]):
            frame.setVisible(shown)
        self._title.setText(picture.batch_title)
        lines = (*picture.batch_lines, "", "", "")[:3]
        for line, text in zip(self._lines, lines, strict=True):
            line.show_text(text)
            line.setVisible(bool(text))
        self._no_marks.setVisible(not picture.rows)
        self._marks.show_rows([row for row in picture.rows if not self._short or row[0].startswith(("*", "drop"))])
        self._moves_title.setText(picture.moves_title)
        for (what, when), pair in zip(self._moves, (*picture.moves, *[("", "")] * 2)[:2], strict=True):
            what.show_text(pair[0])
            when.show_text(pair[1])
            what.setVisible(bool(pair[0]))
            when.setVisible(bool(pair[0]))
        if picture.landing is not None:
            self._lands.setText(picture.landing.words)
            self.landing.show_picture(picture.landing)
        self._space.say(picture.next_key or tr("prepare a batch first: {prepare}"))
