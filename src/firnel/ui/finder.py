"""What the palette finds: every action, and the lots, plans, machines and batches of the library."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.ui.shared.actions import ACTIONS
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.command_palette import Entry, Found
from firnel.work import shelf
from firnel.work.review.records import BatchFilter, BatchLine

if TYPE_CHECKING:
    from firnel.ui.main_window import MainWindow


class Finder:
    """Finds for a window.

    Parameters
    ----------
    window : that is led to what was found.
    handlers : what each action does, by its name.
    asking : reads for the window.
    """

    def __init__(self, window: MainWindow, handlers: Callable[[], Mapping[str, Callable[[], object]]], asking: Asking) -> None:
        self._window, self._handlers, self._asking = window, handlers, asking

    def actions(self) -> Sequence[Entry]:
        """What can be done."""
        window, handlers = self._window, self._handlers()
        entries = [
            Entry(one.palette, tr("go to") if one.name.startswith("station ") else tr("action"), handlers[one.name])
            for one in ACTIONS
            if one.palette
        ]
        if window.tour.offered:
            entries.append(Entry(tr("Tour of the demo"), "action", window.tour.begin))
        return entries

    def names(self, found: Found) -> None:
        """Ask what is in the library by name."""
        ask = self._window.desk.ask
        self._asking.aside(
            "names", lambda: (ask(shelf.lots), ask(shelf.plans), ask(shelf.machines)), partial(self._named, found)
        )

    def _named(self, found: Found, read: tuple[list[Lot], list[Plan], list[Machine]]) -> None:
        window, show = self._window, self._window.show_in
        lots, plans, machines = read
        entries = [Entry(lot.name, "lot", partial(show, "Green", lot.name)) for lot in lots if not lot.archived]
        for plan in (plan for plan in plans if not plan.archived):
            entries.append(Entry(plan.name, "plan", partial(show, "Plan", plan.name)))
            entries.append(Entry(tr("Practise {}", plan.name), "action", partial(window.beside.practise, plan)))
        entries += [Entry(m.name, "machine", partial(show, "Machines", m.name)) for m in machines if not m.archived]
        found(entries)

    def batches(self, text: str, found: Found) -> None:
        """Ask for batches that a text leads to."""
        wanted = BatchFilter(text=text, statuses=("done", "dropped"))
        self._asking.aside(
            "batches", partial(self._window.desk.ask, shelf.batch_lines, wanted, limit=15), partial(self._listed, found)
        )

    def _listed(self, found: Found, lines: list[BatchLine]) -> None:
        show = self._window.show_batch
        found([Entry(tr("{} · {} · {:%d %b}", ln.label, ln.lot, ln.started), "batch", partial(show, ln.label)) for ln in lines])
