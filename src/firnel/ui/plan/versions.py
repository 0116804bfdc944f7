"""The versions of a plan, the newest first: what changed and why, and the way back to one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from firnel.core.words import capital, tr
from firnel.ui.shared.parts import button, card, label
from firnel.work.plan.versions import ToldVersion


class VersionsSheet(QDialog):
    """Lists versions; one of them can be begun with anew."""

    wanted = pyqtSignal(object)  # Plan

    def __init__(self, name: str, versions: Sequence[ToldVersion], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Versions of {}", name))
        self.resize(720, 520)
        column = QVBoxLayout(self)
        column.addWidget(label(tr("Versions of {}", name), "title"))
        area, inside = QScrollArea(), QWidget()
        area.setAccessibleName(tr("Versions"))
        area.setObjectName("bare")
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        rows = QVBoxLayout(inside)
        rows.setContentsMargins(0, 0, 0, 0)
        for place, version in enumerate(versions):
            frame, told = card(spacing=2)
            head = QHBoxLayout()
            head.addWidget(label(capital(version.title), "heading"), 1)
            if place > 0:
                take = button(tr("Begin with this one"), tr("It becomes the newest version when it is kept"))
                take.clicked.connect(partial(self._take, version))
                head.addWidget(take)
            told.addLayout(head)
            changed = version.changed or (
                tr("As it was first kept.") if place == len(versions) - 1 else tr("Nothing that matters.")
            )
            told.addWidget(label(capital(changed), "", wrap=True))
            for text in (tr("Why: {}", version.why) if version.why else "", capital(version.roasted)):
                if text:
                    told.addWidget(label(text, "soft", wrap=True))
            rows.addWidget(frame)
        rows.addStretch(1)
        area.setWidget(inside)
        column.addWidget(area, 1)
        close = button(tr("Close"), primary=True)
        close.clicked.connect(self.accept)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(close)
        column.addLayout(foot)

    def _take(self, version: ToldVersion) -> None:
        self.accept()
        self.wanted.emit(version.plan)
