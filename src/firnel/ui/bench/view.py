"""Bench: weighing and looking, cupping, telling apart, and what is due on the table."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from firnel.core.words import tr
from firnel.ui.bench.cup_page import CupPage
from firnel.ui.bench.rest_page import RestPage
from firnel.ui.bench.test_page import TestPage
from firnel.ui.bench.weigh_page import WeighPage
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.station import Station
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_L
from firnel.work.desk import Desk


class BenchView(Station):
    """The four pages of the bench."""

    recorded = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self.setObjectName("page")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(0)
        self.tabs = Tabs(SPACE_L - 2)  # its words over those of the page
        self.weigh, self.cup, self.apart, self.rest = WeighPage(desk, look), CupPage(desk, look), TestPage(desk), RestPage(desk)
        self._pages: tuple[ListPage, ...] = (self.weigh, self.cup, self.apart, self.rest)
        for name, page in zip((tr("Weigh and look"), tr("Cup"), tr("Tell apart"), tr("Due")), self._pages, strict=True):
            self.tabs.add(name, page)
        self.tabs.chosen.connect(lambda number: self._pages[number].read())
        column.addWidget(self.tabs)
        self.weigh.recorded.connect(self.recorded)
        self.rest.cup_wanted.connect(self._on_cup)

    def end(self) -> None:
        """Phones are served no longer."""
        self.cup.close_phones()

    def refresh(self) -> None:
        """Read the records anew, and show them before this returns; those of the other pages when they are chosen."""
        self._pages[self.tabs.shown].refresh()

    def read(self) -> None:
        """Read the records anew without holding the window; those of the other pages when they are chosen."""
        self._pages[self.tabs.shown].read()

    def _on_cup(self, batch_ids: list[int]) -> None:
        self.tabs.choose(1)
        self.cup.begin(batch_ids)
