"""What the palette finds: every action, and the lots, plans, machines and batches of the library."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from firnel.core.words import tr
from firnel.ui.shared.actions import ACTIONS
from firnel.ui.shared.command_palette import Entry
from firnel.work import shelf
from firnel.work.review.records import BatchFilter

if TYPE_CHECKING:
    from firnel.ui.main_window import MainWindow


class Finder:
    """Finds for a window.

    Parameters
    ----------
    window : that is led to what was found.
    handlers : what each action does, by its name.
    """

    def __init__(self, window: MainWindow, handlers: Callable[[], Mapping[str, Callable[[], object]]]) -> None:
        self._window, self._handlers = window, handlers

    def entries(self) -> Sequence[Entry]:
        """What can be done, and what is in the library by name."""
        window, handlers = self._window, self._handlers()
        entries = [
            Entry(one.palette, tr("go to") if one.name.startswith("station ") else tr("action"), handlers[one.name])
            for one in ACTIONS
            if one.palette
        ]
        if window.tour.offered:
            entries.append(Entry(tr("Tour of the demo"), "action", window.tour.begin))
        ask, show = window.desk.ask, window.show_in
        lots, plans, machines = ask(shelf.lots), ask(shelf.plans), ask(shelf.machines)
        entries += [Entry(lot.name, "lot", partial(show, "Green", lot.name)) for lot in lots if not lot.archived]
        for plan in (plan for plan in plans if not plan.archived):
            entries.append(Entry(plan.name, "plan", partial(show, "Plan", plan.name)))
            entries.append(Entry(tr("Practise {}", plan.name), "action", partial(window.beside.practise, plan)))
        entries += [Entry(m.name, "machine", partial(show, "Machines", m.name)) for m in machines if not m.archived]
        return entries

    def batches(self, text: str) -> Sequence[Entry]:
        """Batches that a text leads to."""
        window = self._window
        lines = window.desk.ask(shelf.batch_lines, BatchFilter(text=text, statuses=("done", "dropped")), limit=15)
        return [
            Entry(tr("{} · {} · {:%d %b}", ln.label, ln.lot, ln.started), "batch", partial(window.show_batch, ln.label))
            for ln in lines
        ]
