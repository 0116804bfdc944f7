"""From the wish for a batch to its record: what it can be prepared of, which load waits next, and its beginning."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from firnel.core.plan import Plan
from firnel.core.words import tr
from firnel.ui.roast.prepare_sheet import PrepareSheet
from firnel.ui.shared.asking import Asking
from firnel.work.day.queue import OnOffer, on_offer
from firnel.work.desk import Desk
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.mark_keys import ASKED_S, BOUNCE_S
from firnel.work.roast.preparing import Prepared, prepared_without


class Preparing(QObject):
    """Prepares batches, also while the library does not answer: by what it said last.

    Parameters
    ----------
    desk : begins the batch.
    sheet : takes the order down.
    say : tells what cannot be done.
    parent : the view.
    """

    sheet_wanted = pyqtSignal()
    begun = pyqtSignal()

    def __init__(self, desk: Desk, sheet: PrepareSheet, say: Callable[[str], None], parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._sheet, self._say = desk, sheet, say
        self._asking = Asking(desk, self, say)
        self._known: OnOffer | None = None
        self._asked: tuple[int, float] | None = None  # the run that was asked for, and when
        self.following = ""  #: which load waits next, in a sentence
        self.waiting: list[tuple[str, str]] = []  #: all that wait, and their loads
        sheet.prepared.connect(self._on_prepared)

    def look(self, free: bool) -> None:
        """Read what waits next, where a batch can be prepared now."""
        self.following, self.waiting = "", []
        if free:
            self._asking.aside("next", self._question(), self._take_known, lambda _: None)

    def _question(self) -> Callable[[], OnOffer]:
        return partial(self._desk.ask, on_offer, self._desk.session.machine)

    def _take_known(self, read: OnOffer) -> None:
        self._known, one, units = read, read.next, self._desk.settings.units
        self.waiting = [(f"{each.number} {each.plan.name}", units.text(each.load_kg, "kg")) for each in read.waiting]
        load = f", {units.text(one.load_kg, 'kg')}" if one is not None and one.load_kg else ""
        self.following = tr("{next} takes the next: {} {}{}.", one.number, one.plan.name, load) if one is not None else ""

    def begin(self, plan: Plan | None = None) -> None:
        """Open the prepare sheet with a plan chosen, or the load that waits next; for beans in the drum when asked twice."""
        if not self._in_the_drum(tr("{prepare} again: other lot, plan or load of it.")):
            self._asking.aside("prepare", self._question(), partial(self._show, plan), partial(self._show_known, plan))

    def _show_known(self, plan: Plan | None, why: str) -> None:
        """The library does not answer: what it said last is on offer."""
        if self._known is None:
            self._say(why)
            return
        self._show(plan, self._known)
        self._sheet.say(tr("The library does not answer. Lots, machines and plans are as they were read last."))

    def _show(self, plan: Plan | None, read: OnOffer) -> None:
        session, self._known = self._desk.session, read
        self._sheet.offer(read.lots, read.machines, read.plans, session.machine, self._desk.settings.units)
        if session.phase == "ready" or (session.roasting and not session.unnamed):
            self._sheet.show_order(session.order)  # what is prepared is corrected, and keeps its number
        elif read.next is not None and plan is None:
            self._sheet.choose_plan(read.next.plan)
        if plan is not None:
            self._sheet.choose_plan(plan)
        self.sheet_wanted.emit()

    def take_next(self) -> None:
        """Prepare the load that waits next."""
        if not self._in_the_drum():
            self._asking.aside("begin", self._desk.preparing_next(), self._take, self._take_known_next)

    def _take_known_next(self, why: str) -> None:
        waits = self._known.next if self._known is not None else None
        if self._known is None or waits is None:
            self._say(why)
            return
        lot = next((one for one in self._known.lots if one.id == waits.lot_id), None)
        machine = next((one for one in self._known.machines if one.id == waits.machine_id), None)
        self._take(prepared_without(BatchOrder(lot, machine, waits.plan, waits.load_kg, waiting_id=waits.id)))

    def _take(self, gathered: Prepared | None) -> None:
        if gathered is None:
            self._say(tr("No batch waits: queue one in Plan, or press {prepare}."))
        elif not self._in_the_drum():
            self._desk.begin(gathered)

    def _on_prepared(self, order: BatchOrder) -> None:
        self._asking.aside("begin", self._desk.preparing(order), self._begin, partial(self._begin_without, order))

    def _begin_without(self, order: BatchOrder, why: str) -> None:
        """The library does not answer: the batch begins all the same, and goes in when it does."""
        if order.lot is not None and order.lot.id is None:
            self._sheet.say(tr("{} A new lot cannot be kept now: choose one that is there.", why))
        else:
            self._begin(prepared_without(order))

    def _begin(self, gathered: Prepared) -> None:
        try:
            self._desk.begin(gathered)
        except ValueError as error:
            self._sheet.say(self._desk.settings.units.sentence(str(error)))
            return
        self.begun.emit()

    def _in_the_drum(self, again: str = "") -> bool:
        """Whether another batch has to wait; ``again`` is what the same key means when it is pressed once more."""
        session, now = self._desk.session, self._desk.clock.now()
        taken = session.roasting and not session.unnamed
        if taken and again:
            asked, self._asked = self._asked, (session.run, now)
            if asked is not None and asked[0] == session.run and BOUNCE_S <= now - asked[1] <= ASKED_S:
                self._asked = None
                return False
        if taken:
            self._say(" ".join(filter(None, (tr("Batch {} is in the drum: drop it first.", session.label), again))))
        return taken
