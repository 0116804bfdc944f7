"""Whose figures the weigh sheet takes: those of the batch that cools, or of the last one that was not weighed."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from firnel.core.words import tr
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.weigh_sheet import WeighSheet
from firnel.work import shelf
from firnel.work.bench.weighing import Results, usual_loss, usual_loss_of
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter, BatchLine, LibraryError


class WeighingUp(QObject):
    """Weighs batches, whatever runs meanwhile.

    Parameters
    ----------
    desk : keeps the figures.
    sheet : takes them down.
    parent : the view.
    """

    sheet_wanted = pyqtSignal()
    weighed = pyqtSignal()

    def __init__(self, desk: Desk, sheet: WeighSheet, parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._sheet = desk, sheet
        self._asking = Asking(desk, self, desk.session.say)
        self.owed: BatchLine | None = None  #: the batch that the sheet is about, where it is not the running one
        sheet.saved.connect(self._on_saved)

    def begin_cooling(self) -> None:
        """The running batch cools: the sheet is about it."""
        session, self.owed = self._desk.session, None
        plan = session.order.plan.name if session.order.plan else ""
        self._begin(session.label, session.order.load_kg)
        usual = partial(self._desk.ask, usual_loss, session.order.lot, plan)
        self._asking.aside("usual loss", usual, self._sheet.know)

    def begin(self) -> None:
        """Take figures down: of the batch that cools, or of the last one that was not weighed."""
        if self._desk.session.phase == "cooling":
            self._sheet.take_focus()
        else:
            due = partial(self._desk.ask, shelf.batch_lines, BatchFilter(due=True), limit=1)
            self._asking.aside("owed", due, self._begin_owed)

    def leave(self) -> None:
        """The sheet is about no other batch any more."""
        self.owed = None

    def _begin_owed(self, owed: list[BatchLine]) -> None:
        if not owed:
            self._desk.session.say(tr("Every batch is weighed."))
            return
        self.owed = owed[0]
        self._begin(owed[0].label, owed[0].load_kg)
        self._asking.aside("usual loss", partial(self._desk.ask, usual_loss_of, owed[0]), self._sheet.know)
        self.sheet_wanted.emit()
        self._sheet.take_focus()

    def _begin(self, label: str, load_kg: float | None) -> None:
        settings = self._desk.settings
        self._sheet.begin(tr("Weigh batch {}", label), load_kg, settings.units, meter=settings.meter)

    def _on_saved(self, results: Results) -> None:
        try:
            self._desk.weigh(results, self.owed)
        except (ValueError, LibraryError) as error:
            self._sheet.say(self._desk.settings.units.sentence(str(error)))
            return
        self.weighed.emit()
