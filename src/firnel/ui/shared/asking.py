"""How a view reads the library: at once from a file, beside the window from a server, which may be far away or silent."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from PyQt6.QtCore import QObject

from firnel.ui.shared.background import Background
from firnel.work.desk import Desk
from firnel.work.review.records import LibraryError

Read = TypeVar("Read")


class Asking:
    """Asks for one view; of several questions of one name only the newest is still answered.

    Parameters
    ----------
    desk : what is asked.
    over : for whom; with it the answers end.
    refused : is told why there is no answer.
    """

    def __init__(self, desk: Desk, over: QObject, refused: Callable[[str], None]) -> None:
        self._desk, self._refused, self._background = desk, refused, Background(over, refused)

    def now(self, name: str, question: Callable[[], Read], show: Callable[[Read], None]) -> None:
        """Read and show before this returns, as one's own deed wants to be seen.

        Raises
        ------
        LibraryError : if the library does not answer.
        """
        self._background.forget(name)  # what was asked before it is older
        show(question())

    def aside(
        self,
        name: str,
        question: Callable[[], Read],
        show: Callable[[Read], None],
        refused: Callable[[str], None] | None = None,
    ) -> None:
        """Read without holding the window's hands; ``refused`` is told instead of the usual one where no answer comes.

        The question looks at no widget.
        """
        if self._desk.shared:
            self._background.run(name, partial(self._desk.ask_beside, question), show, refused)
            return
        try:
            self.now(name, question, show)
        except LibraryError as error:
            (refused or self._refused)(str(error))

    def wait(self) -> None:
        """Wait until what was asked is answered; it is shown with the next events."""
        self._background.wait()
