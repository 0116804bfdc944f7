"""The right-hand column of the Roast view: what belongs to the phase, the prepare sheet, or the scale."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from PyQt6.QtCore import QEvent, QSize
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from firnel.ui.roast.prepare_sheet import PrepareSheet
from firnel.ui.roast.ready_cards import CheckList, ReadyCards
from firnel.ui.roast.side_cards import SideCards
from firnel.ui.shared.parts import card, label
from firnel.ui.shared.weigh_sheet import WeighSheet
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SIDE_WIDTH
from firnel.work.roast.picture import RoastPicture


class SideColumn(QStackedWidget):
    """Shows one page at a time; those behind it ask for no room."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.cards, self.prepare, self.weigh = SideCards(look), PrepareSheet(), WeighSheet()
        self.ready = ReadyCards(look)
        self.setFixedWidth(SIDE_WIDTH)
        self._cools = self._changing = False
        self.cooling = QWidget()
        cooling = QVBoxLayout(self.cooling)
        cooling.setContentsMargins(0, 0, 0, 0)
        self._cooled_cards = SideCards(look, short=True)
        cooling.addWidget(self.weigh)
        self._between_card, between = card(spacing=2)
        self._between_title, self._between = label("", "heading"), CheckList(look)
        between.addWidget(self._between_title)
        between.addWidget(self._between)
        cooling.addWidget(self._between_card)
        cooling.addWidget(self._cooled_cards, 10)
        cooling.addStretch(1)
        for page in (self.cards, self.ready, self.prepare, self.cooling):
            self.addWidget(page)
        self.turn_to(self.cards)

    @property
    def preparing(self) -> bool:
        """Whether the prepare sheet is open."""
        return self.currentWidget() is self.prepare

    def show_picture(self, picture: RoastPicture, waiting: Sequence[tuple[str, str]] = ()) -> None:
        """Show the words of this picture, and what waits."""
        if picture.phase == "idle":
            self.cards.show_waiting(waiting)
        cards = self._cooled_cards if picture.phase == "cooling" else self.cards
        with self._at_once():
            cards.show_picture(picture)
        if picture.ready is not None:
            self.ready.show_picture(picture.ready)
            self._between_title.setText(picture.ready.checks_title)
            self._between.show_checks(picture.ready.checks)

    def minimumSizeHint(self) -> QSize:
        """Without what goes where there is little room: lines above the view make nothing scroll."""
        hint = super().minimumSizeHint()
        page = self.currentWidget()
        if page is self.cards:
            return QSize(hint.width(), self.cards.least_height)
        if page is self.cooling and self._cooled_cards.isVisibleTo(self.cooling):
            return QSize(hint.width(), hint.height() - self._marks_room())
        return hint

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Show as much as there is room for."""
        super().resizeEvent(event)
        self._fit()

    def event(self, event: QEvent | None) -> bool:
        """Lines that have just come are laid out later than they are told: then it shows whether there is room for all."""
        done = super().event(event)
        if event is not None and event.type() is QEvent.Type.LayoutRequest:
            self._fit()
        return done

    @contextmanager
    def _at_once(self) -> Iterator[None]:
        """Cards come and go, and whether there is room is looked at behind that.

        Qt lays the parents out while a card is being shown; one that were hidden in the midst of it would be drawn all the
        same, with no place of its own.
        """
        if self._changing:
            yield
            return
        self._changing = True
        try:
            yield
            self._make_fit()
        finally:
            self._changing = False

    def _fit(self) -> None:
        with self._at_once():
            pass

    def _make_fit(self) -> None:
        if self.currentWidget() is self.cards:
            self.cards.fit(self.height())
        elif self.currentWidget() is self.cooling:
            shown = self._cooled_cards.isVisibleTo(self.cooling)
            needed = self.cooling.minimumSizeHint().height() + (0 if shown else self._marks_room())
            self._cooled_cards.setVisible(self._cools and needed <= self.height())

    def _marks_room(self) -> int:
        layout = self.cooling.layout()
        return self._cooled_cards.minimumSizeHint().height() + (layout.spacing() if layout is not None else 0)

    def show_phase(self, phase: str, weighing: bool) -> None:
        """The page that belongs to the phase, unless another batch is being weighed."""
        cooling = self._cools = phase == "cooling"
        with self._at_once():
            for widget in (self._between_card, self._cooled_cards):
                widget.setVisible(cooling)
            self.turn_to(self.cooling if weighing or cooling else self.ready if phase == "ready" else self.cards)

    def turn_to(self, page: QWidget) -> None:
        """Show a page."""
        for index in range(self.count()):
            other = self.widget(index)
            if other is not None:
                room = QSizePolicy.Policy.Preferred if other is page else QSizePolicy.Policy.Ignored
                other.setSizePolicy(QSizePolicy.Policy.Preferred, room)
        self.setCurrentWidget(page)
