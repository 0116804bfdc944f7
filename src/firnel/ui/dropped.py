"""Files that are dropped on the window: Firnel's own documents are opened, all else are old logs to be looked at first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QWidget

#: What Firnel writes itself. Anything may lie in another file, or in a folder.
DOCUMENTS = (".json", ".firnel")


class Dropped(QObject):
    """Takes what is dropped on a window.

    Parameters
    ----------
    window : on which; sheets of its own take theirs.
    documents, logs : what is done with files of Firnel, and with all others.
    """

    def __init__(
        self, window: QWidget, documents: Callable[[Sequence[Path]], object], logs: Callable[[Sequence[Path]], object]
    ) -> None:
        super().__init__(window)
        self._documents, self._logs = documents, logs
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        """Files are welcome."""
        if not isinstance(event, QDropEvent) or event.type() not in (QEvent.Type.DragEnter, QEvent.Type.Drop):
            return False
        mime = event.mimeData()
        places = [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()] if mime is not None else []
        if not places:
            return False
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            ours = all(place.suffix.lower() in DOCUMENTS for place in places)
            (self._documents if ours else self._logs)(places)
        return True
