"""Choosing batches by ticking them in a list."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from firnel.core.words import tr
from firnel.work.bench.mixes import Mix
from firnel.work.review.records import BatchLine

KEY = Qt.ItemDataRole.UserRole
MIX = Qt.ItemDataRole.UserRole + 1


class BatchTicks(QListWidget):
    """The newest batches, each with a box to tick."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)

    def offer(self, lines: Sequence[BatchLine], ticked: Sequence[int] = ()) -> None:
        """Offer these, some of them ticked; those come first."""
        self.clear()
        for line in sorted(lines, key=lambda line: line.id not in ticked):
            score = tr(" · {:.1f} %", 100 * line.loss) if line.loss is not None else ""
            item = QListWidgetItem(
                tr("{} {} · {:%-d %b}{}", line.label, line.plan or line.lot or "–", line.started.astimezone(), score)
            )
            item.setData(KEY, line.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if line.id in ticked else Qt.CheckState.Unchecked)
            self.addItem(item)

    def offer_mixes(self, mixes: Sequence[tuple[Mix, str]]) -> None:
        """Offer blends too, each with its words; they stand above the batches."""
        for row, (mix, words) in enumerate(mixes):
            item = QListWidgetItem(tr("Blend · {}", words))
            item.setData(MIX, mix)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.insertItem(row, item)

    def ticked_mixes(self) -> list[Mix]:
        """The blends that are ticked."""
        items = [self.item(row) for row in range(self.count())]
        return [
            item.data(MIX)
            for item in items
            if item is not None and item.data(MIX) and item.checkState() is Qt.CheckState.Checked
        ]

    def ticked(self) -> list[int]:
        """Ids of what is ticked, in the order of the list."""
        items = [self.item(row) for row in range(self.count())]
        return [
            item.data(KEY)
            for item in items
            if item is not None and item.data(KEY) is not None and item.checkState() is Qt.CheckState.Checked
        ]

    def name_of(self, batch_id: int) -> str:
        """What the list says of a batch."""
        items = [self.item(row) for row in range(self.count())]
        return next((item.text() for item in items if item is not None and item.data(KEY) == batch_id), "")

    def tick(self, batch_id: int) -> None:
        """Tick one."""
        for row in range(self.count()):
            item = self.item(row)
            if item is not None and item.data(KEY) == batch_id:
                item.setCheckState(Qt.CheckState.Checked)
