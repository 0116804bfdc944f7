"""Garbage collected where Qt allows it.

Python collects cycles on whichever thread happens to allocate. A worker thread that does so destroys the widgets of closed
windows and sheets, and a widget destroyed off the GUI thread corrupts Qt. So automatic collection is off while there is a
window, and the GUI thread looks for garbage itself.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

#: Between two looks: rare enough never to be felt, often enough that nothing piles up. [ms]
EVERY_MS = 5000


class Collector(QObject):
    """Collects on the thread it lives on, and keeps every other thread from it.

    Parameters
    ----------
    parent : the application.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(EVERY_MS)

    def look(self) -> int:
        """Collect the oldest generation that is due by Python's own thresholds; how many objects went."""
        for generation, (count, limit) in reversed(list(enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)))):
            if count > limit:
                return gc.collect(generation)
        return 0
