"""A batch that was being recorded when Firnel ended: it is asked what to do with it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject

from firnel.core.words import tr
from firnel.ui.shared.sheets import Notice
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.records import LibraryError


class Unfinished(QObject):
    """Asks in the notice above the views.

    Parameters
    ----------
    desk : whose library and session.
    notice : where it is asked.
    answered : called when it is decided.
    """

    def __init__(self, desk: Desk, notice: Notice, answered: Callable[[], None]) -> None:
        super().__init__(notice)
        self._desk, self._notice, self._answered = desk, notice, answered
        self._key: int | None = None
        notice.answered.connect(self._on_answer)

    def offer(self) -> None:
        """Ask, if there is one: the newest; older ones are closed as they are."""
        left = self._desk.ask(shelf.unowned_batches, self._desk.clock.wall())
        for line in left[1:]:
            self._desk.ask(shelf.set_status, line.id, "dropped" if line.status == "roasting" else "discarded")
        if not left:
            return
        line = left[0]
        if line.status == "ready":
            self._desk.ask(shelf.set_status, line.id, "discarded")
            return
        self._key = line.id
        name = f"{line.label}, {line.lot}" if line.lot else line.label
        self._notice.ask(
            tr("Batch {} was being roasted when Firnel ended. All readings up to then are kept.", name),
            tr("Go on with it"),
            tr("Close it"),
        )

    def _on_answer(self, go_on: bool) -> None:
        if self._key is None:
            return
        if go_on:
            try:
                self._desk.session.resume(self._key)
            except LibraryError as error:
                self._desk.session.say(str(error))
        else:
            self._desk.ask(shelf.set_status, self._key, "dropped")
        self._key = None
        self._answered()
