"""Plan: the plans of the library, drawn, with their moves as sentences."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal

from firnel.core.plan import Plan
from firnel.core.units import clock
from firnel.ui.plan.editor import PlanEditor
from firnel.ui.roast.curves import as_ribbon
from firnel.ui.shared.lanes import HandsLane, Lane, line_pen
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.theme.look import Look
from firnel.work.desk import Desk
from firnel.work.plan_picture import PlanPicture, plan_picture
from firnel.work.planning import Solved, weigh_moves


class PlanView(ListPage):
    """Lists the plans; one is shown with its curve, its moves and what it wants."""

    roast_wanted = pyqtSignal(object)  # Plan

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            "Plan",
            "Targets and moves; one key takes a plan to the roaster",
            ("Plan", "#Development", "#Drop"),
            "No plans yet. Press “New plan”: a fitted machine and a lot are enough. A batch can be roasted without one.",
            sheet_width=700,
        )
        self._desk, self._look = desk, look
        self._plan: Plan | None = None
        self._picture: PlanPicture | None = None
        new, change = (
            button("New plan", "Targets, and the moves found for them"),
            button("Change", "Other targets for this plan"),
        )
        roast = button("Roast this plan", "Prepare a batch of it", primary=True)
        new.clicked.connect(self.begin_new)
        change.clicked.connect(self.begin_change)
        roast.clicked.connect(self._on_roast)
        for widget in (new, change, roast):
            self.head.add(widget)
        self._name, self._for = ElidedLabel("heading"), ElidedLabel("soft")
        head, column = card(spacing=2)
        column.addWidget(self._name)
        column.addWidget(self._for)
        self._targets = FigureGrid()
        column.addWidget(self._targets)
        self._head_card = head
        self.sheet_column.addWidget(head)
        self.editor = PlanEditor(desk, look)
        self.editor.hide()
        self.editor.solved.connect(self._on_solved)
        self.editor.kept.connect(self._on_kept)
        self.editor.laddered.connect(self._on_laddered)
        self.editor.left.connect(self.leave_editor)
        self.sheet_column.addWidget(self.editor)
        self._lane = Lane(look, "card", with_time=True)
        self._bean, self._air = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._low, self._high = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._band = pg.FillBetweenItem(self._low, self._high)
        self._stages = [pg.InfiniteLine(angle=90) for _ in range(3)]
        for item in (self._band, self._air, self._bean, *self._stages):
            self._lane.plot.addItem(item, ignoreBounds=True)
        self._lane.setMinimumHeight(80)
        self._lane.plot.setMinimumHeight(60)
        self.sheet_column.addWidget(self._lane, 1)
        self._hands = HandsLane(look, self._lane)
        self._hands.setFixedHeight(132)
        self.sheet_column.addWidget(self._hands)
        moves, moves_column = card(spacing=2)
        moves_column.addWidget(label("Moves", "heading"))
        self._moves = FigureGrid(words=2)
        moves_column.addWidget(self._moves)
        self.sheet_column.addWidget(moves)
        look.changed.connect(self._dress)
        self._dress()

    def _dress(self) -> None:
        palette = self._look.palette
        self._bean.setPen(line_pen(palette.ink, 2.6))
        self._air.setPen(line_pen(palette.slate, 1.6, Qt.PenStyle.DashLine))
        self._band.setBrush(pg.mkBrush(palette.moss_band))
        for line in self._stages:
            line.setPen(line_pen(palette.soft, 1, Qt.PenStyle.DotLine))

    def refresh(self) -> None:
        """Read the plans anew."""
        units = self._desk.settings.units
        self.show_rows(
            [
                ((plan.name, clock(plan.targets.development_s), units.text(plan.targets.drop_c, "°C", 1)), plan)
                for plan in self._desk.library.plans()
            ]
        )

    def show_choice(self, key: Plan) -> None:
        """Show one plan."""
        self._plan = key
        self._edit(False)
        self._show(key)

    def _edit(self, editing: bool) -> None:
        # First hide, then show: for a moment both would ask for more height than there is, and the window would grow.
        for widget in (self._head_card, self._hands) if editing else (self.editor,):
            widget.hide()
        for widget in (self.editor,) if editing else (self._head_card, self._hands):
            widget.show()
        self.sheet.show()

    def begin_new(self) -> None:
        """Begin a new plan."""
        self._edit(True)
        self.editor.begin(None)

    def begin_with(self, plan: Plan) -> None:
        """Begin with a plan that is not kept yet, as from a past batch."""
        self._edit(True)
        self.editor.begin(plan)

    def begin_change(self) -> None:
        """Change the plan that is shown."""
        if self._plan is not None:
            self._edit(True)
            self.editor.begin(self._plan)

    def _on_solved(self, solved: Solved) -> None:
        if self.editor.isVisible():
            self._show(solved.plan)
            self._weigh(solved.plan)

    def _weigh(self, plan: Plan) -> None:
        """Beside each move, what one step and five seconds in it do: that hand must be exact, this one need not."""
        library = self._desk.library
        machine = next((m for m in library.machines() if m.name == plan.machine), None)
        if machine is not None:
            self.editor.background.run("weigh", lambda: weigh_moves(library, machine, plan), self._on_weighed)

    def _on_weighed(self, weighed: tuple[tuple[float, float], ...]) -> None:
        if self._picture is None or not self.editor.isVisible():
            return
        units = self._desk.settings.units
        shown = [(units.show_difference(step), units.show_difference(late)) for step, late in weighed]
        words = [f"{_signed(step)}° a step, {_signed(late)}° 5 s late" for step, late in shown]
        order = self._picture.move_order
        if len(order) == len(words):
            rows = zip(self._picture.moves, order, strict=True)
            self._moves.show_rows([(what, when, words[index], at) for (what, when, at), index in rows])

    def _on_kept(self, plan: Plan) -> None:
        saved = self._desk.library.save_plan(plan)
        self._edit(False)
        self.refresh()
        self.select_key(lambda key: key.id == saved.id)

    def _on_laddered(self, plans: list[Plan]) -> None:
        self._edit(False)
        self.refresh()
        self.select_key(lambda key: key.id == plans[0].id)

    def leave_editor(self) -> None:
        """Leave the editor without keeping."""
        self._edit(False)
        if self._plan is not None:
            self._show(self._plan)

    def _show(self, key: Plan) -> None:
        machine = next((m for m in self._desk.library.machines() if m.name == key.machine), None)
        picture = self._picture = plan_picture(key, machine, self._desk.settings.units)
        self._name.show_text(key.name)
        self._for.show_text(picture.made_for)
        self._targets.show_rows(list(picture.targets))
        self._moves.show_rows(list(picture.moves))
        self._bean.setData(picture.t, picture.bean)
        self._air.setData(picture.t, picture.air)
        self._low.setData(picture.t, picture.low)
        self._high.setData(picture.t, picture.high)
        for line, moment in zip(self._stages, (*picture.stage_ends, -1e6, -1e6, -1e6), strict=False):
            line.setValue(moment)
        self._lane.time_span(-20.0, picture.end + 20.0)
        self._lane.level_span(*picture.levels)
        self._hands.show_ribbons([as_ribbon(ribbon) for ribbon in picture.ribbons])

    def _on_roast(self) -> None:
        if self._plan is not None:
            self.roast_wanted.emit(self._plan)


def _signed(value: float) -> str:
    """``+0.3``, and ``0.0`` without a sign."""
    return f"{value:+.1f}" if abs(value) >= 0.05 else "0.0"
