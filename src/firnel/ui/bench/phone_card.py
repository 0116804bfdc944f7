"""The phones of a table: the code that lets them in, as a picture too, and who is done; no score is shown."""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO

import segno
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from firnel.core.words import tr
from firnel.ui.shared.parts import FigureGrid, button, card, label

#: Side of a dot of the picture [px].
DOT = 4


class PhoneCard(QWidget):
    """Shows how a phone comes in, and how far each cupper is."""

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=6)
        outer.addWidget(frame)
        row = QHBoxLayout()
        row.setSpacing(16)
        self._picture = QLabel()
        self._picture.setAccessibleName(tr("Address of the page as a QR picture"))
        words = QVBoxLayout()
        words.setSpacing(2)
        self._code, self._url = label("", "identity"), label("", "figure")
        self._url.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._how = label("", "soft", wrap=True)
        for widget in (label(tr("Code for the phones"), "soft"), self._code, self._url, self._how):
            words.addWidget(widget)
        words.addStretch(1)
        row.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(words, 1)
        column.addLayout(row)
        self._done = FigureGrid(words=2)
        self._done.setMinimumWidth(300)
        beside = QHBoxLayout()
        beside.addWidget(self._done)
        beside.addStretch(1)
        column.addLayout(beside)
        column.addStretch(1)
        self.here = button(tr("Enter at this screen"), tr("For a cupper without a phone; the others keep theirs"))
        column.addWidget(self.here)

    def show_page(self, url: str, code: str, fingerprint: str) -> None:
        """Show where the page is and what lets a phone in."""
        png = BytesIO()
        segno.make(f"{url}?code={code}", error="m").save(png, kind="png", scale=DOT, border=2)
        pixmap = QPixmap()
        pixmap.loadFromData(png.getvalue())
        self._picture.setPixmap(pixmap)
        self._code.setText(f"{code[:3]} {code[3:]}")
        self._url.setText(url)
        known = tr(" The phone warns of a certificate it does not know: {} …", fingerprint) if fingerprint else ""
        self._how.setText(tr("In the same network: scan it, or type the address and the code.{}", known))

    def show_done(self, done: Sequence[tuple[str, int, int, bool]]) -> None:
        """Show how far each cupper is."""
        rows = []
        for person, scored, of, there in done:
            state = tr("done") if scored == of else tr("on a phone") if there else tr("no phone yet")
            rows.append((f"*{person}" if scored == of else person, state, tr("{} of {}", scored, of)))
        self._done.show_rows(rows)
