"""Entries that can be taken away and brought back, one button beside each: measurements, checks, care."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from firnel.core.words import tr
from firnel.ui.shared.parts import button, empty, label


@dataclass(frozen=True)
class Entry:
    """One entry: its key, its words, and whether it was taken away."""

    key: int
    words: str
    struck: bool


class EntryList(QScrollArea):
    """Shows entries, the newest first; what was taken away stands among them and says so."""

    toggled = pyqtSignal(int, bool)  # key, taken away

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("bare")
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(0, 1)
        self.setWidget(inside)
        self._shown: tuple[Entry, ...] = ()

    def show_entries(self, entries: Sequence[Entry]) -> None:
        """Show these; nothing moves under the pointer where they are the same."""
        if tuple(entries) == self._shown:
            return
        self._shown = tuple(entries)
        empty(self._grid)
        for row, entry in enumerate(entries):
            words = label(tr("taken away: {}", entry.words) if entry.struck else entry.words, "soft", wrap=True)
            toggle = button(tr("Bring back") if entry.struck else tr("Remove"))
            toggle.setAccessibleName(f"{toggle.text()}: {entry.words}")
            toggle.setObjectName("quiet")
            toggle.setFixedHeight(32)
            toggle.clicked.connect(partial(self.toggled.emit, entry.key, not entry.struck))
            self._grid.addWidget(words, row, 0)
            self._grid.addWidget(toggle, row, 1, Qt.AlignmentFlag.AlignTop)
        self._grid.setRowStretch(len(entries), 1)
