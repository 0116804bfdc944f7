"""A guided tour: a line above the view that says what to look at, and shows it; left at any time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from firnel.core.words import tr
from firnel.ui.shared.parts import button, label


@dataclass(frozen=True)
class Stop:
    """One stop: its title, what to look at there, and what shows it."""

    title: str
    words: str
    show: Callable[[], None]


class Tour(QFrame):
    """Leads from stop to stop."""

    ended = pyqtSignal(bool)  # whether it was gone to its end

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self._stops: tuple[Stop, ...] = ()
        self._at = 0
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 12, 8)
        told = QVBoxLayout()
        told.setSpacing(2)
        self._title, self._words = label("", "heading"), label("", "", wrap=True)
        told.addWidget(self._title)
        told.addWidget(self._words)
        row.addLayout(told, 1)
        self.leave, self.back, self.go_on = button(tr("Leave the tour")), button(tr("Back")), button(tr("Next"), primary=True)
        for one, action in ((self.leave, self._on_leave), (self.back, self._on_back), (self.go_on, self._on_next)):
            one.clicked.connect(action)
            row.addWidget(one, 0, Qt.AlignmentFlag.AlignVCenter)
        self.hide()

    def offer(self, stops: tuple[Stop, ...], title: str, words: str) -> None:
        """Ask whether it is wanted; until it is, nothing else is shown."""
        self._stops, self._at = stops, -1
        self._title.setText(title)
        self._words.setText(words)
        self.setAccessibleName(f"{title}: {words}")
        self.back.hide()
        for one, text in ((self.leave, tr("Look around alone")), (self.go_on, tr("Take the tour"))):
            one.setText(text)
            one.setAccessibleName(text)
        self.show()

    @property
    def offered(self) -> bool:
        """Whether there is one here."""
        return bool(self._stops)

    def begin(self) -> None:
        """Begin at the first stop."""
        self.show()
        self._show(0)

    @property
    def at(self) -> int:
        """The stop that is shown, from 0."""
        return self._at

    def _show(self, number: int) -> None:
        self._at, stop, last = number, self._stops[number], number == len(self._stops) - 1
        stop.show()
        self._title.setText(tr("{} of {} · {}", number + 1, len(self._stops), stop.title))
        self._words.setText(stop.words)
        self.setAccessibleName(tr("Tour, {}: {}", self._title.text(), stop.words))
        self.back.show()
        self.back.setEnabled(number > 0)
        self.leave.setText(tr("Leave the tour"))
        self.leave.setAccessibleName(tr("Leave the tour"))
        self.go_on.setText(tr("Begin the practice") if last else tr("Next"))
        self.go_on.setAccessibleName(self.go_on.text())
        self.go_on.setFocus(Qt.FocusReason.OtherFocusReason)

    def _on_next(self) -> None:
        if self._at + 1 < len(self._stops):
            self._show(self._at + 1)
        else:
            self._end(whole=True)

    def _on_back(self) -> None:
        self._show(max(self._at - 1, 0))

    def _on_leave(self) -> None:
        self._end(whole=False)

    def _end(self, whole: bool) -> None:
        self.hide()
        self.ended.emit(whole)
