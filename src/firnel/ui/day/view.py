"""Day: the plan of it, and what was roasted."""

from __future__ import annotations

from datetime import date
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from firnel.core.words import tr
from firnel.ui.day.coffee_page import CoffeePage
from firnel.ui.day.now_page import NowPage
from firnel.ui.day.plan_page import DayPlanPage
from firnel.ui.day.queue_card import QueueCard
from firnel.ui.day.roasted_page import RoastedPage
from firnel.ui.day.shelf_page import ShelfPage
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.station import Station
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_L
from firnel.work.day import orders as shop
from firnel.work.day.orders import Coffee
from firnel.work.desk import Desk


class DayView(Station):
    """The pages of a day."""

    roast_wanted = pyqtSignal()
    taken_over = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(0)
        self.tabs = Tabs(SPACE_L - 2)  # its words over those of the page
        self.plan, self.roasted = DayPlanPage(desk, look), RoastedPage(desk)
        self.shelf, self.coffees = ShelfPage(desk), CoffeePage(desk)
        pages = (
            (tr("Plan"), self.plan),
            (tr("Roasted"), self.roasted),
            (tr("Shelf"), self.shelf),
            (tr("Coffees"), self.coffees),
        )
        for name, page in pages:
            self.tabs.add(name, page)
        self.now: NowPage | None = None
        if desk.shared:
            self.now = NowPage(desk, look)
            self.tabs.add(tr("Stations"), self.now)
            self.now.taken_over.connect(self.taken_over)
        self.tabs.chosen.connect(self._on_chosen)
        self._desk, self._opened = desk, False
        self.asking = Asking(desk, self, self.refused.emit)
        column.addWidget(self.tabs)
        self.roasted.roast_wanted.connect(self.roast_wanted)
        self.plan.queued.connect(self.roasted.refresh)

    def _on_chosen(self, number: int) -> None:
        self._opened = True
        page = (self.plan, self.roasted, self.shelf, self.coffees, self.now)[number]
        if isinstance(page, ListPage):
            page.read()
        elif page is not None:
            page.refresh()  # beside the window, or of what was heard

    def show_stations(self) -> None:
        """Show what the other stations roast."""
        if self.now is not None:
            self.tabs.choose(4)

    @property
    def queue(self) -> QueueCard:
        """What waits."""
        return self.roasted.queue

    def show_day(self, day: date) -> None:
        """Show what was roasted on this day."""
        self.tabs.choose(1)
        self.roasted.show_day(day)

    def read(self) -> None:
        """Read anew what is shown; the other pages do it when they are chosen."""
        if self._opened:
            self._on_chosen(self.tabs.shown)
        else:
            self.asking.aside("first", partial(self._desk.ask, shop.coffees), self._open_first)

    def _open_first(self, coffees: list[Coffee]) -> None:
        """A house that sells nothing here yet looks at what it has roasted."""
        if not self._opened:
            self.tabs.choose(0 if coffees else 1)
