"""What is heard of the server and of the other stations, told above the views: each thing once."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from firnel.core.words import tr
from firnel.ui.shared.frame import ServerNote
from firnel.work.desk import Desk
from firnel.work.stations.watch import Floor

if TYPE_CHECKING:
    from firnel.ui.day.now_page import NowPage


class FloorNote(QObject):
    """Listens for the window.

    Parameters
    ----------
    desk : whose clock counts.
    note : the line above the view while the server is silent.
    page : the page of the other stations, if it is looked at.
    tell : tells what must not be overlooked.
    back : called when the server answers again.
    """

    def __init__(
        self,
        desk: Desk,
        note: ServerNote,
        page: Callable[[], NowPage | None],
        tell: Callable[[str], None],
        back: Callable[[], None],
    ) -> None:
        super().__init__(note)
        self._desk, self._note, self._page, self._tell, self._back = desk, note, page, tell, back
        self._silent_since: datetime | None = None
        self._told: set[str] = set()

    def hear(self, floor: Floor) -> None:
        """The other stations were heard of, or the server was not."""
        page = self._page()
        if page is not None:
            page.show_floor(floor)
        if floor.answers and self._silent_since is not None:
            self._silent_since = None
            self._back()
        elif not floor.answers and self._silent_since is None:
            self._silent_since = self._desk.clock.wall().astimezone()
        self._note.setVisible(not floor.answers)
        if self._silent_since is not None:
            self._note.show_text(
                tr(
                    "The server has not answered since {:%-H:%M}. A roast goes on; it is kept on this computer.",
                    self._silent_since,
                )
            )
        away = [
            tr(
                "{} was cut off while it roasted batch {}: see Day, Stations.",
                seen.running.station or tr("A station"),
                seen.running.label,
            )
            for seen in floor.batches
            if seen.running.away and floor.answers and page is None
        ]
        for sentence in (floor.wrong, floor.clock_words.partition(":")[0], *away):
            if sentence and sentence not in self._told:
                self._told.add(sentence)
                self._tell(floor.clock_words if floor.clock_words.startswith(sentence) else sentence)
