"""Making a plan: for what, the targets, the curve the model draws of them, and the moves, found or the roaster's own."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from firnel.core.plan import TARGET_WORDS, Plan
from firnel.core.vocabulary import Role, usual_role
from firnel.core.words import tr
from firnel.ui.plan.for_what import ForWhat
from firnel.ui.plan.move_list import MoveList, MoveRow
from firnel.ui.plan.plots import PlanPlots
from firnel.ui.plan.stage_ruler import StageRuler
from firnel.ui.plan.target_row import TargetRow
from firnel.ui.shared.actions import PLAN, bind, tell_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.desk import Desk
from firnel.work.plan.draft import (
    coasting,
    hold,
    hold_all,
    rehung,
    with_target,
    with_tolerance,
    without,
)
from firnel.work.plan.orders import LADDERS
from firnel.work.plan.picture import PlanPicture, drop_text, plan_picture
from firnel.work.plan.planning import Solved
from firnel.work.plan.ribbon_edits import RibbonEdits
from firnel.work.plan.typed import HOW, with_typed
from firnel.work.plan.workbench import PlanWorkbench
from firnel.work.review.records import LibraryError
from firnel.work.roast.picture import ROLES

#: Time kept free behind the drop, so that a stage can grow under the hand.
FREE = 1.16
#: Moves and what they should give beside the curves, and below them. [px]
SIDE, SIDE_TALL, PLOTS_WIDE = 318, 420, 540
#: About the words of a field. [px]
PADDING = 26


class PlanEditor(QFrame):
    """Shows a `PlanWorkbench` and passes the roaster's edits on to it."""

    solved = pyqtSignal(object)  # Solved
    sketched = pyqtSignal(object)  # Solved, while a hand is dragging
    kept = pyqtSignal(object)  # Plan, kept already
    laddered = pyqtSignal(list)  # of Plan, kept already
    left = pyqtSignal()
    explained = pyqtSignal(str)  # why the targets are as they are

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self.background = Background(self, self._say)
        self._writer = Background(self, self._say, threads=1)  # one after the other: the newest draft has the last word
        self.bench = PlanWorkbench(desk, self.background.run, self._writer.run)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        head, head_column = card(spacing=SPACE_S, margin=SPACE_M)
        self._for_what = ForWhat(self.bench)
        head_column.addWidget(self._for_what)
        self.targets = TargetRow()
        head_column.addWidget(self.targets)
        column.addWidget(head)
        self.ruler = StageRuler(look)
        self.plots = PlanPlots(look, self.ruler)
        self.plots.hands.editable = True
        self.ruler.follow(self.plots.hands.x_of)
        row = SideBySide(SPACE_M)
        self.plots.setMinimumWidth(PLOTS_WIDE)
        row.add(self.plots, 1)
        row.add(self._side(), wide=SIDE, tall=SIDE_TALL)
        column.addWidget(row, 1)
        column.addWidget(self._new_or_version())
        column.addWidget(self._buttons())
        self._connect()

    def _new_or_version(self) -> QFrame:
        """Asked once, where a kept plan is made for another lot or machine; until it is answered, it is a new plan."""
        self._asks, asks = card(spacing=SPACE_S, margin=SPACE_S)
        row = QHBoxLayout()
        self._asked = label("", "heading")
        self._as_new = button(tr("Keep as a new plan"), tr("The plan that it began with stays as it is"))
        self._as_version = button(tr("A new version of it"), tr("Batches of it are roasted by this one from now on"))
        for widget in (self._as_new, self._as_version):
            widget.setCheckable(True)
        self._as_new.clicked.connect(partial(self.bench.choose_new, True))
        self._as_version.clicked.connect(partial(self.bench.choose_new, False))
        row.addWidget(self._asked, 1)
        row.addWidget(self._as_new)
        row.addWidget(self._as_version)
        asks.addLayout(row)
        self._asks.hide()
        return self._asks

    def _side(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        moves, moves_column = card(spacing=2, margin=SPACE_M)
        title = QHBoxLayout()
        title.setSpacing(SPACE_S)
        title.addWidget(label(tr("Moves"), "heading"))
        self.typed = QLineEdit()
        self.typed.setAccessibleName(tr("A move, typed"))
        self.typed.setPlaceholderText(tr("gas 1.8 at yellow"))
        self.typed.setToolTip(tr("Type a move, a setting at charge, a soak or a coast, {}", HOW))
        title.addWidget(self.typed, 1)
        self._hold_all = button(tr("Hold all"), tr("The recipe stays as it is, whatever the targets are; again gives all back"))
        self._hold_all.setCheckable(True)
        title.addWidget(self._hold_all)
        moves_column.addLayout(title)
        self._weighs = label(tr("beside each: a step · 5 s late, at the drop"), "soft")
        moves_column.addWidget(self._weighs)
        self.moves = MoveList(self._look)
        area = QScrollArea()
        area.setAccessibleName(tr("Moves"))
        area.setObjectName("bare")
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.moves)
        area.setMinimumHeight(44)
        moves_column.addWidget(area, 1)
        column.addWidget(moves, 1)
        gives, gives_column = card(spacing=2, margin=SPACE_M)
        gives_column.addWidget(label(tr("What this should give"), "heading"))
        self._gives = FigureGrid(small=True)
        gives_column.addWidget(self._gives)
        column.addWidget(gives)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        return side

    def _buttons(self) -> SideBySide:
        both, rows = SideBySide(SPACE_S), []
        for stretch in (9, 0, 5):
            part = QWidget()
            rows.append(QHBoxLayout(part))
            rows[-1].setContentsMargins(0, 0, 0, 0)
            rows[-1].setSpacing(SPACE_S)
            both.add(part, stretch)
        order, deeds, end = rows
        self._order = FigureEntry(tr("Roasted wanted"))
        self._order.setFixedWidth(150)
        self._split = ElidedLabel("soft")
        self._ladder = button(tr("Ladder"), tr("Keep five variants in equal steps, to roast and cup"))
        self._ladders = QMenu(self._ladder)
        self._ladders.aboutToShow.connect(self._offer_ladders)
        self._ladder.setMenu(self._ladders)
        self._undo, self._redo = button(tr("Undo")), button(tr("Redo"))
        tell_key(self._undo, "plan undo")
        tell_key(self._redo, "plan redo")
        self._coast = button(tr("Coast"), tr("Burner off for the last half minute"))
        self._find = button(tr("Find the moves"), tr("Propose them anew, around those that are held"))
        leave = button(tr("Leave it"), tr("Without keeping: the draft is gone"))
        leave.clicked.connect(self._on_leave)
        self._reason = QLineEdit()
        self._reason.setAccessibleName(tr("Why it was changed"))
        self._reason.setPlaceholderText(tr("Why this change?"))
        self._reason.setMinimumWidth(self._reason.fontMetrics().horizontalAdvance(tr("Why this change?")) + PADDING)
        self._keep = button(tr("Keep the plan"), primary=True)
        order.addWidget(self._order)
        order.addWidget(self._split, 1)
        for widget in (self._ladder, self._coast):
            order.addWidget(widget)
        for widget in (self._undo, self._redo, self._find, leave):
            deeds.addWidget(widget)
        deeds.addStretch(1)
        end.addWidget(self._reason, 1)
        end.addWidget(self._keep)
        return both

    def _connect(self) -> None:
        bench = self.bench
        bench.on_change, bench.on_explained = self._show, self.explained.emit
        bench.solving.on_solved, bench.solving.on_sketch = self.solved.emit, self._on_sketched
        self.ruler.dragged.connect(self._on_dragged)
        self.ruler.released.connect(self._on_released)
        self._for_what.refused.connect(self._say)
        self._reason.textChanged.connect(bench.explain)
        self.targets.targeted.connect(lambda name, value: bench.edit(with_target(bench.plan, name, value)))
        self.targets.tolerated.connect(lambda name, value: bench.edit(with_tolerance(bench.plan, name, value)))
        self.targets.won.connect(lambda name: bench.edit(replace(bench.plan, wins=name)))
        self.targets.not_understood.connect(self._say)
        self.moves.held.connect(lambda index, held: bench.edit_moves(hold(bench.plan, index, held)))
        self.moves.rehung.connect(self._on_rehung)
        self.moves.deleted.connect(lambda index: bench.edit_moves(without(bench.plan, index)))
        self.typed.returnPressed.connect(self._on_typed)
        self._hold_all.clicked.connect(lambda held: bench.edit_moves(hold_all(bench.plan, held)))
        self.moves.stepped.connect(lambda index, steps: bench.turn(index, steps=steps))
        self.moves.shifted.connect(lambda index, seconds: bench.turn(index, seconds=seconds))
        hands, self._ribbons = self.plots.hands, RibbonEdits(bench)  # kept: a signal alone holds nobody
        hands.added.connect(self._ribbons.add)
        hands.raised.connect(self._ribbons.raise_to)
        hands.shifted.connect(self._ribbons.shift)
        self._order.textChanged.connect(self._on_order)
        self._coast.clicked.connect(self._on_coast)
        self._find.clicked.connect(bench.find_moves)
        self._undo.clicked.connect(bench.undo)
        self._redo.clicked.connect(bench.redo)
        self._keep.clicked.connect(self._on_keep)
        handlers = {"plan undo": bench.undo, "plan redo": bench.redo}
        bind(self, PLAN, handlers, whole_window=False)

    # Beginning

    def begin(self, plan: Plan | None) -> None:
        """Begin with a plan, or with a sensible start for the first lot and machine."""
        self._dress()
        self.bench.begin(plan)
        self._show()

    def take_up(self) -> bool:
        """Go on with the draft that an end or a crash left; False if there is none."""
        self._dress()
        return self.bench.take_up()

    def _dress(self) -> None:
        units = self._desk.settings.units
        self._order.clear()
        self._order.setPlaceholderText(tr("roasted, {}", units.mass))
        self._on_order()
        self._for_what.use(units)

    # Edits

    def _on_rehung(self, index: int) -> None:
        """A move hung on its mark, a bean temperature or the clock, at the moment at which it is expected."""
        solved = self.bench.draft.solved
        t = solved.roast.expected_t[index] if solved is not None else None
        if solved is not None and t is not None:
            made = solved.roast.simulated
            self.bench.edit_moves(rehung(self.bench.plan, index, t, float(np.interp(t, made.t, made.bean_probe[:, 0]))))

    def _on_coast(self) -> None:
        if self.bench.machine is not None and self.bench.machine.of(Role.HEAT):
            self.bench.edit_moves(coasting(self.bench.plan, self.bench.machine))

    def _on_typed(self) -> None:
        """A move as it is said."""
        if self.bench.machine is None:
            return
        try:
            plan = with_typed(self.bench.plan, self.bench.machine, self.typed.text(), self._desk.settings.units)
        except ValueError as error:
            self._say(str(error))
            return
        self.typed.clear()
        self.bench.edit_moves(plan)

    def _on_dragged(self, seconds: tuple[float, float, float]) -> None:
        self.targets.show_stage(self.ruler.chosen, seconds[self.ruler.chosen])
        self.bench.solving.sketch(self._dragged())

    def _on_sketched(self, sketch: Solved) -> None:
        picture = plan_picture(sketch.plan, self.bench.machine, self._desk.settings.units, sketch)
        self.plots.show_picture(picture, self._room_end())
        self._gives.show_rows(picture.gives)
        self.ruler.show_stages(self.ruler.seconds, drop_text(sketch.plan, self._desk.settings.units))
        self.sketched.emit(sketch)

    def _dragged(self) -> Plan:
        """The plan with the stage that is dragged as the ruler has it."""
        name = ("drying_s", "browning_s", "development_s")[self.ruler.chosen]
        return with_target(self.bench.plan, name, self.ruler.seconds[self.ruler.chosen])

    def _on_released(self) -> None:
        self.bench.edit(self._dragged())

    # Showing

    def _room_end(self) -> float:
        return max(FREE * sum(self.bench.plan.usual_stages), 500.0)

    def _show(self) -> None:
        """Show the draft as it stands."""
        bench, plan, units = self.bench, self.bench.plan, self._desk.settings.units
        self._for_what.show_plan()
        if self._reason.text() != bench.reason:
            self._reason.setText(bench.reason)
        self._hold_all.setChecked(bool(plan.moves) and plan.start_held and all(move.held for move in plan.moves))
        self.targets.show_plan(plan, units)
        if not self.ruler.held:
            self.ruler.show_stages(plan.usual_stages, drop_text(plan, units))
            picture = bench.picture
            self.plots.show_picture(picture, self._room_end())
            self._gives.show_rows(picture.gives)
            self._show_moves(picture)
        self._undo.setEnabled(bench.draft.can_undo)
        self._redo.setEnabled(bench.draft.can_redo)
        self._ladder.setEnabled(bench.draft.solved is not None)
        self._reason.setVisible(plan.id is not None)
        self._asks.setVisible(bench.asks_new)
        if bench.asks_new and bench.begun is not None:
            self._asked.setText(tr("It is no longer for what {} is for:", bench.begun.name))
            self._as_new.setChecked(bench.as_new is not False)
            self._as_version.setChecked(bench.as_new is False)
        self._said.setText(bench.solving.said)
        self._said.setVisible(bool(bench.solving.said))

    def _show_moves(self, picture: PlanPicture) -> None:
        units, plan, told = self._desk.settings.units, self.bench.plan, self.bench.solving.weighed
        rows = []
        for (what, when, at), index in zip(picture.moves, picture.move_order, strict=True):
            move, weighed = plan.moves[index], ""
            if len(told) == len(plan.moves):
                step, late = (units.show_difference(value) for value in told[index])
                weighed = f"{_signed(step)}° · {_signed(late)}°"
            rows.append(MoveRow(index, ROLES[usual_role(move.control)], what, when, at, weighed, move.held))
        self.moves.show_rows(tuple(rows))

    def _say(self, sentence: str) -> None:
        self._said.setText(sentence)
        self._said.setVisible(bool(sentence))

    # What becomes of it

    def _on_order(self) -> None:
        """An order in roasted weight: how many batches of what load."""
        units = self._desk.settings.units
        try:
            roasted_kg = self._order.read(units, "kg")
            split = self.bench.order(roasted_kg) if roasted_kg is not None else None
        except ValueError as error:
            self._split.show_text(str(error))
            return
        if split is None:
            self._split.show_text(tr("in how many batches"))
            return
        load, out = units.text(split.load_kg, "kg"), split.expected
        spread = 50.0 * (out.high - out.low)
        words = tr("{} × {}, loss {:.1f} ± {:.1f} %", split.batches, load, 100 * out.loss, spread)
        self._split.show_text(units.sentence(" · ".join((words, *split.warnings))))

    def _offer_ladders(self) -> None:
        """What a ladder can climb, in the units of now."""
        self._ladders.clear()
        for name, (step, _) in LADDERS.items():
            unit = "s" if name.endswith("_s") else "K"
            words = self._desk.settings.units.sentence(tr("On {}, {:.0f} {} apart", TARGET_WORDS[name], step, unit))
            if (action := self._ladders.addAction(words)) is not None:
                action.triggered.connect(partial(self._on_ladder, name))

    def _on_ladder(self, on: str) -> None:
        try:
            self.bench.make_ladder(on, self.laddered.emit)
        except ValueError as error:
            self._say(str(error))

    def _on_leave(self) -> None:
        self.bench.leave()
        self.left.emit()

    def _on_keep(self) -> None:
        try:
            plan = self.bench.keep()
        except (ValueError, LibraryError) as error:
            self._say(str(error))
            return
        self.kept.emit(plan)


def _signed(value: float) -> str:
    """``+0.3``, and ``0.0`` without a sign."""
    return tr("{:+.1f}", value) if abs(value) >= 0.05 else tr("{:.1f}", 0.0)
