"""The views of the window: made when they are first wanted, read again where something has changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from firnel.core.words import tr
from firnel.ui.freshness import Freshness
from firnel.ui.shared.actions import STATIONS
from firnel.ui.shared.frame import Pages
from firnel.ui.shared.house_table import HouseTable
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.station import Station
from firnel.ui.shared.whole_words import WholeWords
from firnel.ui.view_maker import make_view

if TYPE_CHECKING:
    from firnel.ui.main_window import MainWindow
    from firnel.ui.roast.view import RoastView


class Stations:
    """The views by their names.

    Parameters
    ----------
    window : hears what they want.
    roast : the view that is there from the start, and reads nothing of the library.
    """

    def __init__(self, window: MainWindow, roast: RoastView) -> None:
        self._window, self._roast = window, roast
        self._whole_words, self._freshness = WholeWords(window), Freshness(window.desk)
        self._views: dict[str, Station] = {"Roast": roast}
        self._offers_begin = True
        roast.setAccessibleName(tr("Roast"))
        self.pages = Pages()
        self.pages.addWidget(roast)

    def view(self, name: str) -> Station:
        """A view, made when it is first wanted.

        Raises
        ------
        LibraryError : if the library does not answer.
        """
        if name not in self._views:
            self._views[name] = made = make_view(self._window, name)
            made.setFocusPolicy(Qt.FocusPolicy.ClickFocus)  # a press beside all fields leaves them; Tab does not
            made.setAccessibleName(tr(name))
            self._whole_words.watch(made)
            for table in made.findChildren(HouseTable):
                own = [entry for entry in self._window.desk.settings.hidden_columns if entry.startswith(f"{table.name}/")]
                table.hide_columns(tuple(entry.removeprefix(f"{table.name}/") for entry in own))
                table.columns_changed.connect(self._window.hide_columns)
            for page in (made, *made.findChildren(ListPage)):
                page.begin_wanted.connect(partial(self._window.show_station, "Beginning"))
                page.refused.connect(self._window.refuse)
                if isinstance(page, ListPage):
                    page.offer_begin(self._offers_begin)
            self.pages.addWidget(made)
        return self._views[name]

    @property
    def made(self) -> frozenset[str]:
        """The views that have been made so far."""
        return frozenset(self._views)

    @property
    def shown(self) -> str:
        """The name of the view that is shown."""
        return next(name for name, view in self._views.items() if view is self.pages.currentWidget())

    @property
    def elsewhere(self) -> bool:
        """Whether another view than Roast is shown."""
        return self.pages.currentWidget() is not self._roast

    def show(self, name: str) -> None:
        """Show a view, with what the library holds.

        Raises
        ------
        LibraryError : as in `view`.
        """
        view = self.view(name)
        self.pages.setCurrentWidget(view)
        view.setFocus(Qt.FocusReason.OtherFocusReason)  # nobody types by chance; a view that wants to be typed in asks for it

    def offer_begin(self, offers: bool) -> None:
        """Whether empty pages lead to the beginning."""
        self._offers_begin = offers
        for page in self.pages.findChildren(ListPage):
            page.offer_begin(offers)

    def stale(self) -> bool:
        """Whether the view that is shown does not show what the library holds."""
        return self.elsewhere and not self._freshness.is_fresh(self._views[self.shown])

    def read(self) -> None:
        """Have the view that is shown read again; where the library does not answer, it shows what it had."""
        self._freshness.read(self._views[self.shown])

    def forget(self) -> None:
        """Something was not read: every view is read again when it is gone to."""
        self._freshness.forget()

    def show_link(self) -> None:
        """The link to the machine stands otherwise."""
        for view in self._views.values():
            view.show_link()

    def upcoming(self) -> Callable[[], object] | None:
        """What somebody would wait for who went to a view: that it is made, and that it is read."""
        for name in STATIONS:
            view = self._views.get(name)
            if view is None:
                return partial(self.view, name)
            if view in (self._roast, self.pages.currentWidget()):
                continue
            if self._freshness.may_be_freshened(view):
                return partial(self._freshness.read, view)
        return None

    def end(self) -> None:
        """The window closes."""
        for view in self._views.values():
            view.end()
