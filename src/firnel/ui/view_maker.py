"""Makes the views of the window, each at its first showing, and lets what they want be heard by the window."""

from __future__ import annotations

from functools import partial
from importlib import import_module
from typing import TYPE_CHECKING

from firnel.core.units import linear_map
from firnel.ui.shared.station import Station

if TYPE_CHECKING:
    from firnel.ui.main_window import MainWindow


#: Where the views are; what they need with them, plots and solvers, takes longer to load than the window itself.
MODULES = ("green", "plan", "day", "bench", "review", "machines")


def load_views() -> None:
    """Load the code of all views, and of the units, on any thread: the first look at each is sooner then."""
    for name in MODULES:
        import_module(f"firnel.ui.{name}.view")
    linear_map("°C", "°F")


def make_view(window: MainWindow, name: str) -> Station:
    """A view; its code is loaded only now, so that the window is there sooner."""
    if name == "Green":
        from firnel.ui.green.view import GreenView

        return GreenView(window.desk, window.look)
    if name == "Plan":
        from firnel.ui.plan.view import PlanView

        plan = PlanView(window.desk, window.look)
        plan.roast_wanted.connect(window.roast_plan)
        plan.practice_wanted.connect(window.beside.practise)
        return plan
    if name == "Day":
        from firnel.ui.day.view import DayView

        day = DayView(window.desk, window.look)
        day.roast_wanted.connect(window.take_next)
        day.taken_over.connect(window.after_taking_over)
        return day
    if name == "Bench":
        from firnel.ui.bench.view import BenchView

        bench = BenchView(window.desk, window.look)
        bench.recorded.connect(window.after_record)
        bench.cup.step_begins.connect(window.above.announce_step)
        return bench
    if name == "Review":
        from firnel.ui.review.view import ReviewView

        review = ReviewView(window.desk, window.look)
        review.plan_wanted.connect(window.begin_plan)
        review.columns_changed.connect(window.write_settings)
        return review
    if name == "Beginning":
        from firnel.ui.beginning import BeginningView

        beginning = BeginningView(window.desk)
        beginning.logs_wanted.connect(window.beside.open_old_logs)
        beginning.batch_wanted.connect(window.prepare_first)
        beginning.left.connect(partial(window.show_station, "Roast"))
        beginning.changed.connect(window.show_begin)
        beginning.link.settings_changed.connect(window.write_settings)
        return beginning
    from firnel.ui.machines.view import MachinesView

    machines = MachinesView(window.desk, window.look)
    machines.link.settings_changed.connect(window.write_settings)
    machines.redefined.connect(window.after_record)
    return machines
