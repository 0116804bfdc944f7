"""The tour of the demo: eight stops through a fortnight of the invented roastery, and a practice behind them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QWidget

from firnel.core.words import tr
from firnel.store.batch_list import BatchFilter, BatchLine
from firnel.ui.main_window import MainWindow
from firnel.ui.shared.tabs import Tabs
from firnel.ui.shared.tour import Stop

#: The plan that is looked at, and practised on at the end.
PLAN = "Isuka filter"
#: Remarks that the story's batches are known by.
CHAFF, FROST = "Chaff not emptied", "Frost over the weekend"
FOLLOWED_BY = "India Velakuni"


def stops_of(window: MainWindow) -> tuple[Stop, ...]:
    """The stops of the demo library that a window shows."""
    library = window.desk.library
    chaff, frost = (_batch(library.batch_lines(BatchFilter(text=words), limit=1)) for words in (CHAFF, FROST))
    follows = _batch(library.batch_lines(BatchFilter(text=FOLLOWED_BY), limit=1))

    def station(name: str, then: Callable[[QWidget], None] = lambda view: None) -> Callable[[], None]:
        def show() -> None:
            window.show_station(name)
            then(window.view(name))

        return show

    def judged(label: str) -> Callable[[], None]:
        def show() -> None:
            window.show_batch(label)
            _tab(window.view("Review"), tr("Was it the same?"))

        return show

    return (
        Stop(
            tr("What is wanted today"),
            tr("Orders beside the day of each machine: preheat, batches, pauses, care. Drag a batch; type an order in a line."),
            station("Day"),
        ),
        Stop(
            tr("A lot that runs low"),
            tr(
                "Kelavani goes into the house blend and runs out. Velakuni follows: the sheet says how differently it wants to "
                "be roasted."
            ),
            partial(window.show_in, "Green", FOLLOWED_BY),
        ),
        Stop(
            tr("What the new lot did"),
            tr(
                "Batch {} is Velakuni, roasted by Kelavani's old plan: it came late and lost more. The verdict "
                "says first that it is another lot.",
                follows,
            ),
            judged(follows),
        ),
        Stop(
            tr("A drift to be found"),
            tr(
                "Batch {} ran fast, the last of five that each ran faster than the one before. Nobody moved "
                "otherwise: what changed stands beside “Likely”.",
                chaff,
            ),
            judged(chaff),
        ),
        Stop(
            tr("A cold Monday"),
            tr("Batch {}, after a frost: the drum had not soaked. The cause is told with its size.", frost),
            judged(frost),
        ),
        Stop(
            tr("The plan"),
            tr("Targets, moves, and how surely it comes out. Change it: drag a stage, and the curve follows."),
            partial(window.show_in, "Plan", PLAN),
        ),
        Stop(
            tr("How far to trust it"),
            tr("Everything foretold is held against what came. What has a poor record here is not said while you roast."),
            station("Machines", partial(_tab, name=tr("Record"))),
        ),
        Stop(
            tr("The roast"),
            tr(
                "The simulated roaster is connected. The large line says what is next, and where the batch lands. Now "
                "practise it: the machine is simulated, the keys are the same."
            ),
            station("Roast"),
        ),
    )


def offer_tour(window: MainWindow) -> None:
    """Offer to lead through the demo; behind its last stop the practice begins by itself."""

    def ended(whole: bool) -> None:
        plan = next((plan for plan in window.desk.library.plans() if plan.name == PLAN), None)
        if whole and plan is not None:
            window.beside.practise(plan)

    window.tour.ended.connect(ended)
    words = tr(
        "Orders, a lot that runs low, a drift, a cold Monday: eight stops show what there is to find. Leave it at any time."
    )
    window.tour.offer(stops_of(window), tr("A fortnight of an invented roastery"), words)


def _batch(lines: list[BatchLine]) -> str:
    return lines[0].label if lines else ""


def _tab(view: QWidget, name: str) -> None:
    for tabs in view.findChildren(Tabs):
        if tabs.choose_named(name):
            return
