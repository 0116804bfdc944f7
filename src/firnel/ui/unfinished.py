"""A batch that was being recorded when Firnel ended: what of it lies elsewhere comes in, and it is asked what to do with it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer

from firnel.core.words import tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.sheets import Notice
from firnel.work import shelf
from firnel.work.desk import Desk
from firnel.work.review.records import LibraryError
from firnel.work.spilled import BroughtIn

AGAIN_MS = 10_000  #: between two tries to bring in what has to wait.


class Unfinished(QObject):
    """Asks in the notice above the views.

    Parameters
    ----------
    desk : whose library and session.
    notice : where it is asked.
    aside : what has to wait is tried there again, so that a slow disk does not hold the window.
    answered : called when it is decided.
    """

    def __init__(self, desk: Desk, notice: Notice, aside: Background, answered: Callable[[], None]) -> None:
        super().__init__(notice)
        self._desk, self._notice, self._answered = desk, notice, answered
        self._key: int | None = None
        self._name = ""
        notice.answered.connect(self._on_answer)
        self.again = QTimer(self)
        self.again.setSingleShot(True)  # the next try waits for the answer of the last, or that would go unheard
        self.again.setInterval(AGAIN_MS)
        self.again.timeout.connect(lambda: aside.run("bring in", desk.recover, self._on_brought, self._on_failed))

    def bring_in(self) -> list[str]:
        """Bring in what an earlier run could not write; what has to wait is tried again. In sentences."""
        brought = self._desk.recover()
        if brought.waits:
            self.again.start()
        return brought.said

    def _on_brought(self, brought: BroughtIn) -> None:
        if brought.came:
            self._desk.session.say(" ".join(brought.came))
        if brought.waits:
            self.again.start()
        else:
            self.offer()

    def _on_failed(self, why: str) -> None:
        self._desk.session.say(why)
        self.again.start()

    def offer(self) -> None:
        """Ask, if there is one: the newest; older ones are closed as they are."""
        left = self._desk.ask(shelf.unowned_batches, self._desk.clock.wall())
        begun = [line for line in left[:1] if line.status != "ready"]
        for line in begun:
            self._key, self._name = line.id, f"{line.label}, {line.lot}" if line.lot else line.label
            self._ask()
        try:
            for line in left[len(begun) :]:
                self._desk.ask(shelf.set_status, line.id, "dropped" if line.status == "roasting" else "discarded")
        except LibraryError as error:
            self._desk.session.say(str(error))  # they are found again at the next start

    def _ask(self) -> None:
        self._notice.ask(
            tr("Batch {} was being roasted when Firnel ended. All readings up to then are kept.", self._name),
            tr("Go on with it"),
            tr("Close it"),
        )

    def _on_answer(self, go_on: bool) -> None:
        if self._key is None:
            return
        try:
            if go_on:
                self._desk.resume(self._key)
            else:
                self._desk.ask(shelf.set_status, self._key, "dropped")
        except LibraryError as error:
            self._desk.session.say(str(error))
            if self._still_left:
                self._ask()  # the disk may have room by then
                return
        self._key = None
        self._answered()

    @property
    def _still_left(self) -> bool:
        """Whether nobody else records it by now, as far as the library tells."""
        try:
            return any(line.id == self._key for line in self._desk.ask(shelf.unowned_batches, self._desk.clock.wall()))
        except LibraryError:
            return True
