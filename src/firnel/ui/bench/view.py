"""Bench: batches waiting for scale and colour meter, and the sheet to enter both."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import label
from firnel.ui.shared.weigh_sheet import Results, WeighSheet
from firnel.work.desk import Desk
from firnel.work.records import BatchFilter, BatchLine


class BenchView(ListPage):
    """The queue of batches that are dropped and not weighed."""

    recorded = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            "Bench",
            "Batches waiting for their weight and colour",
            ("Batch", "Dropped", "Lot", "Machine", "#Green"),
            "Nothing waits. A dropped batch comes here until it is weighed.",
            sheet_width=340,
        )
        self._desk = desk
        self._line: BatchLine | None = None
        self._form = WeighSheet()
        self._form.saved.connect(self._on_saved)
        self.sheet_column.addWidget(self._form)
        self.sheet_column.addWidget(
            label(
                "Weigh when the beans are hand-warm. Hot beans and a hot tray burn: gloves. "
                "Fresh coffee gives off carbon monoxide and dioxide: do not keep it in a closed room with people.",
                "caution",
                wrap=True,
            )
        )
        self.sheet_column.addStretch(1)

    def refresh(self) -> None:
        """Read the queue anew."""
        units = self._desk.settings.units
        lines = self._desk.library.batch_lines(BatchFilter(statuses=("dropped",)), limit=500)
        running = self._desk.session.batch_id if self._desk.session.recording else None
        self.show_rows(
            [
                (
                    (
                        ln.label,
                        f"{ln.started.astimezone():%d %b %H:%M}",
                        ln.lot or "–",
                        ln.machine or "–",
                        units.text(ln.load_kg, "kg"),
                    ),
                    ln,
                )
                for ln in lines
                if ln.id != running
            ]
        )

    def show_choice(self, key: BatchLine) -> None:
        """Ask for the results of one batch."""
        if self._line is not None and self._line.id == key.id:
            return  # a refresh must not wipe what is being typed
        self._line = key
        known = Results(key.roasted_kg, None, key.colour_ground, "")
        self._form.begin(f"Batch {key.label}", key.load_kg, self._desk.settings.units, known)

    def _on_saved(self, results: Results) -> None:
        if self._line is None:
            return
        self._desk.library.set_results(
            self._line.id, results.roasted_kg, results.colour_whole, results.colour_ground, results.remark, status="done"
        )
        self._line = None
        self.refresh()
        self.recorded.emit()
