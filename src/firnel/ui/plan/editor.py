"""Making a plan: for what, the targets, the curve the model draws of them, and the moves, found or the roaster's own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from firnel.core.machine.capacity import load_warnings
from firnel.core.model.outlook import Outlook
from firnel.core.plan import TARGET_WORDS, Plan, Targets
from firnel.core.vocabulary import Control, Lot, Machine
from firnel.ui.plan.move_list import MoveList, MoveRow
from firnel.ui.plan.plots import PlanPlots
from firnel.ui.plan.stage_ruler import StageRuler
from firnel.ui.plan.target_row import TargetRow
from firnel.ui.shared.background import Background
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.desk import Desk
from firnel.work.plan.draft import (
    PlanDraft,
    coasting,
    for_machine,
    hold,
    rehung,
    set_to,
    started_at,
    turned,
    with_move,
    with_target,
    with_tolerance,
    without,
)
from firnel.work.plan.orders import LADDERS, ladder, split_order
from firnel.work.plan.picture import PlanPicture, plan_picture
from firnel.work.plan.planning import (
    DEVELOPMENT_S,
    FORMS,
    How,
    Solved,
    for_lot,
    outlook_of,
    sensible_start,
    solve_plan,
    transferred,
    weigh_moves,
)
from firnel.work.plan.words import APPROACHES, shortfalls, target_text
from firnel.work.roast.picture import ROLES

#: Time kept free behind the drop, so that a stage can grow under the hand.
FREE = 1.16
SIDE = 318


class PlanEditor(QFrame):
    """Takes edits, has each solved in the background, shows what comes of it, and hands over the plan."""

    solved = pyqtSignal(object)  # Solved
    sketched = pyqtSignal(object)  # Solved, while a hand is dragging
    kept = pyqtSignal(object, str)  # Plan, why
    laddered = pyqtSignal(list)  # of Plan, kept already
    left = pyqtSignal()
    explained = pyqtSignal(str)  # why the targets are as they are

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self._draft = PlanDraft(Plan(""))
        self._begun: Plan | None = None
        self._weighed: tuple[tuple[float, float], ...] = ()
        self._sure: Outlook | None = None
        self._sketching, self._next_sketch = False, False
        self._known_usual: dict[tuple[str, str, str], Targets] = {}
        self.background = Background(self, self._on_error)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        head, head_column = card(spacing=SPACE_S, margin=SPACE_M)
        head_column.addLayout(self._for_what())
        self.targets = TargetRow()
        head_column.addWidget(self.targets)
        column.addWidget(head)
        self.ruler = StageRuler(look)
        self.plots = PlanPlots(look, self.ruler)
        self.plots.hands.editable = True
        self.ruler.follow(self.plots.hands.x_of)
        row = QHBoxLayout()
        row.setSpacing(SPACE_M)
        row.addWidget(self.plots, 1)
        row.addWidget(self._side())
        column.addLayout(row, 1)
        column.addLayout(self._buttons())
        self._connect()

    def _for_what(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_S)
        grid.setVerticalSpacing(2)
        self._name = QLineEdit()
        self._name.setAccessibleName("Name of the plan")
        self._lot, self._machine, self._purpose, self._approach = (QComboBox() for _ in range(4))
        self._load, self._room, self._drum = FigureEntry("Load"), FigureEntry("Room"), FigureEntry("Drum at charge")
        self._drum.setToolTip("How much colder (−) or hotter than usual the steel is at charge")
        self._purpose.addItems(list(DEVELOPMENT_S))
        for key in FORMS:
            self._approach.addItem(APPROACHES[key], key)
        rows: tuple[tuple[str, QWidget, int], ...] = (
            ("Name", self._name, 6), ("Lot", self._lot, 5), ("Machine", self._machine, 4), ("Purpose", self._purpose, 3),
            ("Approach", self._approach, 4), ("Load", self._load, 2), ("Room", self._room, 2), ("Drum ±", self._drum, 2),
        )  # fmt: skip
        self._heads = {}
        for index, (title, widget, stretch) in enumerate(rows):
            self._heads[title] = label(title, "soft")
            grid.addWidget(self._heads[title], 0, index)
            grid.addWidget(widget, 1, index)
            grid.setColumnStretch(index, stretch)
            if not widget.accessibleName():
                widget.setAccessibleName(title)
            if isinstance(widget, QComboBox):
                widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                widget.setMinimumContentsLength(5)
        return grid

    def _side(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(SIDE)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        moves, moves_column = card(spacing=2, margin=SPACE_M)
        title = QHBoxLayout()
        title.addWidget(label("Moves", "heading"), 1)
        self._weighs = label("a step · 5 s late, at the drop", "soft")
        title.addWidget(self._weighs)
        moves_column.addLayout(title)
        self.moves = MoveList(self._look)
        area = QScrollArea()
        area.setObjectName("bare")
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.moves)
        area.setMinimumHeight(44)
        moves_column.addWidget(area, 1)
        column.addWidget(moves, 1)
        gives, gives_column = card(spacing=2, margin=SPACE_M)
        gives_column.addWidget(label("What this should give", "heading"))
        self._gives = FigureGrid(small=True)
        gives_column.addWidget(self._gives)
        column.addWidget(gives)
        self._said = label("", "warn", wrap=True)
        column.addWidget(self._said)
        return side

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(SPACE_S)
        self._order = FigureEntry("Roasted wanted")
        self._order.setFixedWidth(150)
        self._split = ElidedLabel("soft")
        self._ladder = button("Ladder", "Keep five variants in equal steps, to roast and cup")
        menu = QMenu(self._ladder)
        for name, (step, _) in LADDERS.items():
            unit = "s" if name.endswith("_s") else "°C"
            if (action := menu.addAction(f"On {TARGET_WORDS[name]}, {step:.0f} {unit} apart")) is not None:
                action.triggered.connect(partial(self._on_ladder, name))
        self._ladder.setMenu(menu)
        self._undo, self._redo = button("Undo", "Ctrl+Z"), button("Redo", "Ctrl+Shift+Z")
        self._coast = button("Coast", "Burner off for the last half minute")
        self._find = button("Find the moves", "Propose them anew, around those that are held")
        leave = button("Leave it")
        leave.clicked.connect(self.left)
        self._reason = QLineEdit()
        self._reason.setAccessibleName("Why it was changed")
        self._reason.setPlaceholderText("Why this change?")
        self._keep = button("Keep the plan", primary=True)
        row.addWidget(self._order)
        row.addWidget(self._split, 1)
        for widget in (self._ladder, self._coast, self._undo, self._redo, self._find, leave):
            row.addWidget(widget)
        row.addWidget(self._reason, 1)
        row.addWidget(self._keep)
        return row

    def _connect(self) -> None:
        self.ruler.dragged.connect(self._on_dragged)
        self.ruler.released.connect(self._on_released)
        self._machine.activated.connect(self._on_machine)
        self._lot.activated.connect(self._on_lot)
        self._purpose.activated.connect(self._on_other_start)
        self._approach.activated.connect(self._on_approach)
        for field in (self._load, self._room, self._drum):
            field.editingFinished.connect(self._on_conditions)
        self.targets.targeted.connect(lambda name, value: self._edit(with_target(self._draft.plan, name, value)))
        self.targets.tolerated.connect(lambda name, value: self._edit(with_tolerance(self._draft.plan, name, value)))
        self.targets.won.connect(lambda name: self._edit(replace(self._draft.plan, wins=name)))
        self.targets.not_understood.connect(self._say)
        self.moves.held.connect(lambda index, held: self._edit(hold(self._draft.plan, index, held)))
        self.moves.rehung.connect(self._on_rehung)
        self.moves.deleted.connect(lambda index: self._edit(without(self._draft.plan, index)))
        self.moves.stepped.connect(lambda index, steps: self._turn(index, steps=steps))
        self.moves.shifted.connect(lambda index, seconds: self._turn(index, seconds=seconds))
        hands = self.plots.hands
        hands.added.connect(self._on_added)
        hands.raised.connect(self._on_raised)
        hands.shifted.connect(self._on_shifted)
        self._order.textChanged.connect(self._on_order)
        self._coast.clicked.connect(self._on_coast)
        self._find.clicked.connect(self.find_moves)
        self._undo.clicked.connect(self.undo)
        self._redo.clicked.connect(self.redo)
        self._keep.clicked.connect(self._on_keep)
        for keys, action in (("Ctrl+Z", self.undo), ("Ctrl+Shift+Z", self.redo)):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(action)

    # Beginning

    def begin(self, plan: Plan | None) -> None:
        """Begin with a plan, or with a sensible start for the first lot and machine."""
        library, units = self._desk.library, self._desk.settings.units
        self._lot.clear()
        self._lot.addItems([lot.name for lot in library.lots() if not lot.archived])
        self._machine.clear()
        self._machine.addItems([machine.name for machine in library.machines()])
        self._begun, self._draft = plan, PlanDraft(plan or Plan(""))
        self._known_usual.clear()
        self._order.clear()
        self._order.setPlaceholderText(f"roasted, {units.mass}")
        self._reason.clear()
        self._heads["Load"].setText(f"Load, {units.mass}")
        self._heads["Room"].setText(f"Room, {units.temperature}")
        self._heads["Drum ±"].setText(f"Drum ±{units.temperature}")
        self._explain("")
        self._say("")
        if plan is None:
            self._name.clear()
            if (start := self._start()) is not None:
                self._draft = PlanDraft(start)
                self._show()
                self._solve(How.NEW)
            return
        for box, text in ((self._lot, plan.lot), (self._machine, plan.machine), (self._purpose, plan.purpose)):
            box.setCurrentText(text)
        self._approach.setCurrentIndex(max(self._approach.findData(plan.approach), 0))
        self._name.setText(plan.name)
        self._show()
        self._solve(How.AS_IS)

    def _chosen_machine(self) -> Machine | None:
        return next((m for m in self._desk.library.machines() if m.name == self._machine.currentText()), None)

    def _chosen_lot(self) -> Lot | None:
        return next((lot for lot in self._desk.library.lots() if lot.name == self._lot.currentText()), None)

    def _start(self) -> Plan | None:
        """A sensible start for what is chosen; None, with a word, where there is no machine."""
        machine = self._chosen_machine()
        if machine is None:
            self._say("Add a machine first (F7): a plan is for one.")
            return None
        targets, why = sensible_start(
            self._desk.library, machine, self._chosen_lot(), self._purpose.currentText(), self._today()
        )
        self._explain(" ".join(why))
        return replace(
            for_machine(self._draft.plan, machine), id=self._draft.plan.id, version=self._draft.plan.version,
            lot=self._lot.currentText(), purpose=self._purpose.currentText(), approach=str(self._approach.currentData()),
            load_kg=self._draft.plan.load_kg or machine.useful_load_kg, targets=targets, asked=None,
        )  # fmt: skip

    def _on_other_start(self) -> None:
        if (start := self._start()) is not None:
            self._edit(start, How.NEW)

    def _today(self) -> date:
        return self._desk.clock.wall().date()

    def _on_lot(self) -> None:
        """Another lot: a plan that exists already keeps its targets, moved by the handling of both lots."""
        machine, lot = self._chosen_machine(), self._chosen_lot()
        if self._begun is None or machine is None or lot is None:
            self._on_other_start()
            return
        plan, why = for_lot(self._desk.library, machine, self._draft.plan, lot, self._today())
        self._explain(why)
        self._edit(replace(plan, moves=tuple(move for move in plan.moves if move.held)), How.NEW)

    def _on_machine(self) -> None:
        """Another machine: a plan that exists already travels; a new one begins anew."""
        machines, before = self._desk.library.machines(), self._draft.plan
        source = next((m for m in machines if m.name == before.machine), None)
        target = self._chosen_machine()
        if self._begun is None or source is None or target is None or source.name == target.name:
            self._on_other_start()
            return
        usual = self._usual(target)
        moved, why = transferred(before.targets if before.asked is None else before.wanted, source, target, usual)
        share = (before.load_kg or source.useful_load_kg) / source.useful_load_kg
        plan = replace(for_machine(before, target), targets=moved, asked=None, load_kg=round(share * target.useful_load_kg, 2))
        self._name.setText(f"{self._name.text().strip() or before.name} on {target.name}")
        self._explain(why)
        self._edit(plan, How.NEW)

    def _on_approach(self) -> None:
        self._edit(replace(self._draft.plan, approach=str(self._approach.currentData())), How.NEW)

    def _on_conditions(self) -> None:
        """Load, room or drum as typed."""
        units, plan = self._desk.settings.units, self._draft.plan
        try:
            load, room, drum = (field.figure() for field in (self._load, self._room, self._drum))
        except ValueError as error:
            self._say(str(error))
            return
        load_kg = None if load is None else units.read(load, "kg")
        if load_kg is not None and plan.load_kg is not None and abs(load_kg - plan.load_kg) < 0.005:
            load_kg = plan.load_kg
        room_c = 22.0 if room is None else round(units.read(room, "°C"), 1)
        drum_c = 0.0 if drum is None else round(units.read_difference(drum), 1)
        self._edit(replace(plan, load_kg=load_kg, room_c=room_c, drum_c=drum_c))

    # Edits

    def _edit(self, plan: Plan, how: How = How.KEPT) -> None:
        """Take an edit, and have it solved: by the moves there are, or with moves found anew."""
        if self._draft.edit(plan):
            self._show()
            self._solve(how)

    def _scale(self, control: Control) -> Any:
        machine = self._chosen_machine()
        return machine.controls.get(control) if machine is not None else None

    def _turn(self, index: int, steps: int = 0, seconds: float = 0.0) -> None:
        scale = self._scale(self._draft.plan.moves[index].control)
        if scale is not None:
            self._edit(turned(self._draft.plan, index, scale, steps, seconds))

    def _control_of(self, row: int) -> Control | None:
        machine = self._chosen_machine()
        return list(machine.controls)[row] if machine is not None and row < len(machine.controls) else None

    def _move_at(self, row: int, step: int) -> int | None:
        """The plan's move that begins a step of a ribbon; None for the setting at charge."""
        control, plan = self._control_of(row), self._draft.plan
        own = [index for index in self._picture().move_order if plan.moves[index].control is control]
        place = step - 1 if control in plan.start else step
        return own[place] if 0 <= place < len(own) else None

    def _on_added(self, row: int, t: float, value: float) -> None:
        control = self._control_of(row)
        scale = self._scale(control) if control is not None else None
        if control is not None and scale is not None and t > 0:
            self._edit(with_move(self._draft.plan, control, scale.nearest(value), t))

    def _on_raised(self, row: int, step: int, value: float) -> None:
        control, index = self._control_of(row), self._move_at(row, step)
        scale = self._scale(control) if control is not None else None
        if control is None or scale is None:
            return
        to = scale.nearest(value)
        self._edit(started_at(self._draft.plan, control, to) if index is None else set_to(self._draft.plan, index, to))

    def _on_shifted(self, row: int, step: int, seconds: float) -> None:
        index = self._move_at(row, step)
        if index is not None:
            self._turn(index, seconds=seconds)

    def _on_rehung(self, index: int) -> None:
        """A move hung on its mark, a bean temperature or the clock, at the moment at which it is expected."""
        solved = self._draft.solved
        t = solved.roast.expected_t[index] if solved is not None else None
        if solved is not None and t is not None:
            made = solved.roast.simulated
            self._edit(rehung(self._draft.plan, index, t, float(np.interp(t, made.t, made.bean_probe[:, 0]))))

    def _on_coast(self) -> None:
        scale = self._scale(Control.GAS)
        if scale is not None:
            self._edit(coasting(self._draft.plan, scale))

    def undo(self) -> None:
        """Take the last edit back."""
        if self._draft.undo():
            self._returned()

    def redo(self) -> None:
        """Make the edit again that was taken back last."""
        if self._draft.redo():
            self._returned()

    def _returned(self) -> None:
        plan = self._draft.plan
        for box, text in ((self._lot, plan.lot), (self._machine, plan.machine), (self._purpose, plan.purpose)):
            box.setCurrentText(text)
        self._approach.setCurrentIndex(max(self._approach.findData(plan.approach), 0))
        if self._draft.solved is None:
            self._show()
            self._solve(How.KEPT)
        else:
            self._on_solved(self._draft.solved)

    # Solving

    def find_moves(self) -> None:
        """Have the moves found anew, around those that are held."""
        self._solve(How.NEW)

    def _solve(self, how: How) -> None:
        machine, plan, library = self._chosen_machine(), self._draft.plan, self._desk.library
        if machine is None:
            return
        self.background.run("sketch", lambda: None, lambda _: None)  # what is still being sketched is no longer wanted
        self._sketching = self._next_sketch = False
        usual = self._usual(machine)
        self.background.run("solve", lambda: solve_plan(library, machine, plan, usual, how), self._on_solved)

    def _usual(self, machine: Machine) -> Targets:
        """What is usual for this lot and purpose on a machine; looked up once for each."""
        key = (self._draft.plan.lot, machine.name, self._draft.plan.purpose)
        if key not in self._known_usual:
            lot = next((lot for lot in self._desk.library.lots() if lot.name == key[0]), None)
            self._known_usual[key] = sensible_start(self._desk.library, machine, lot, key[2], self._today())[0]
        return self._known_usual[key]

    def _on_solved(self, result: Solved) -> None:
        self._draft.settle(result)
        self._weighed, self._sure = (), None
        units = self._desk.settings.units
        machine, lot = self._chosen_machine(), self._chosen_lot()
        said = [*shortfalls(result, units, machine), *result.warnings]
        if machine is not None and result.plan.load_kg:
            said += load_warnings(machine, result.plan.load_kg, lot.density_g_per_l if lot else None)
        self._say(" ".join(said))
        self._show()
        self.solved.emit(result)
        library = self._desk.library
        if machine is not None:
            self.background.run("sure", lambda: outlook_of(library, machine, result), self._on_sure)
            self.background.run("weigh", lambda: weigh_moves(library, machine, result.plan), self._on_weighed)

    def _on_sure(self, sure: Outlook) -> None:
        self._sure = sure
        self._show()

    def _on_weighed(self, weighed: tuple[tuple[float, float], ...]) -> None:
        self._weighed = weighed
        self._show_moves(self._picture())

    def _on_dragged(self, seconds: tuple[float, float, float]) -> None:
        self.targets.show_stage(self.ruler.chosen, seconds[self.ruler.chosen])
        self._next_sketch = True
        self._sketch()

    def _sketch(self) -> None:
        """The curve of the stages as they are dragged; one at a time, always the newest."""
        machine, library = self._chosen_machine(), self._desk.library
        if self._sketching or not self._next_sketch or machine is None:
            return
        self._sketching, self._next_sketch = True, False
        plan, usual = self._dragged(), self._usual(machine)
        self.background.run("sketch", lambda: solve_plan(library, machine, plan, usual, How.SKETCH), self._on_sketched)

    def _on_sketched(self, sketch: Solved) -> None:
        self._sketching = False
        picture = plan_picture(sketch.plan, self._chosen_machine(), self._desk.settings.units, sketch)
        self.plots.show_picture(picture, self._room_end())
        self._gives.show_rows(picture.gives)
        self.sketched.emit(sketch)
        self._sketch()

    def _dragged(self) -> Plan:
        """The plan with the stage that is dragged as the ruler has it."""
        name = ("drying_s", "browning_s", "development_s")[self.ruler.chosen]
        return with_target(self._draft.plan, name, self.ruler.seconds[self.ruler.chosen])

    def _on_released(self) -> None:
        self._edit(self._dragged())

    # Showing

    def _picture(self) -> PlanPicture:
        return plan_picture(self._draft.plan, self._chosen_machine(), self._desk.settings.units, self._draft.solved, self._sure)

    def _room_end(self) -> float:
        return max(FREE * sum(self._stages()), 500.0)

    def _stages(self) -> tuple[float, float, float]:
        drying, browning, development = self._draft.plan.stages
        return drying or 300.0, browning or 220.0, development or 95.0

    def _show(self) -> None:
        """Show the draft as it stands."""
        plan, units = self._draft.plan, self._desk.settings.units
        self.targets.show_plan(plan, units)
        self._show_figure(self._load, plan.load_kg, lambda kg: units.show(kg, "kg"), 2 if units.mass == "kg" else 0)
        self._show_figure(self._room, plan.room_c, lambda c: units.show(c, "°C"), 0)
        self._show_figure(self._drum, plan.drum_c, units.show_difference, 0)
        if not self.ruler.held:
            self.ruler.show_stages(self._stages(), target_text("drop_c", plan.targets.drop_c, units))
            picture = self._picture()
            self.plots.show_picture(picture, self._room_end())
            self._gives.show_rows(picture.gives)
            self._show_moves(picture)
        self._undo.setEnabled(self._draft.can_undo)
        self._redo.setEnabled(self._draft.can_redo)
        ready = self._draft.solved is not None
        self._keep.setEnabled(ready)
        self._ladder.setEnabled(ready)
        self._reason.setVisible(plan.id is not None)

    def _show_figure(self, field: FigureEntry, value: float | None, shown: Callable[[float], float], digits: int) -> None:
        if not field.hasFocus() or not field.isModified():
            field.show_figure(None if value is None else shown(value), digits)

    def _show_moves(self, picture: PlanPicture) -> None:
        units, plan = self._desk.settings.units, self._draft.plan
        rows = []
        for (what, when, at), index in zip(picture.moves, picture.move_order, strict=True):
            move, weighed = plan.moves[index], ""
            if len(self._weighed) == len(plan.moves):
                step, late = (units.show_difference(value) for value in self._weighed[index])
                weighed = f"{_signed(step)}° · {_signed(late)}°"
            rows.append(MoveRow(index, ROLES[move.control], what, when, at, weighed, move.held))
        self.moves.show_rows(tuple(rows))

    def _on_error(self, sentence: str) -> None:
        self._sketching = False
        self._say(sentence[:1].upper() + sentence[1:])

    def _say(self, sentence: str) -> None:
        self._said.setText(sentence)
        self._said.setVisible(bool(sentence))

    def _explain(self, sentence: str) -> None:
        self.explained.emit(sentence)

    # What becomes of it

    def _on_order(self) -> None:
        """An order in roasted weight: how many batches of what load."""
        units, machine, lot = self._desk.settings.units, self._chosen_machine(), self._chosen_lot()
        try:
            typed = self._order.figure()
            if typed is None or machine is None or lot is None:
                self._split.show_text("")
                return
            split = split_order(self._desk.library, lot, machine, units.read(typed, "kg"))
        except ValueError as error:
            self._split.show_text(str(error))
            return
        load, out = units.text(split.load_kg, "kg"), split.expected
        spread = 50.0 * (out.high - out.low)
        words = f"{split.batches} × {load}, loss {100 * out.loss:.1f} ± {spread:.1f} %"
        self._split.show_text(" · ".join((words, *split.warnings)))
        self._edit(replace(self._draft.plan, load_kg=split.load_kg))

    def _named(self) -> Plan:
        plan = self._draft.plan
        usual = f"{plan.lot} {plan.purpose}".strip() or "Plan"
        return replace(plan, name=self._name.text().strip() or plan.name or usual)

    def _on_ladder(self, on: str) -> None:
        """Solve and keep the variants of a ladder, in the background."""
        machine, library, wanted = self._chosen_machine(), self._desk.library, self._named()
        if machine is None:
            return
        usual = self._usual(machine)
        try:
            variants = ladder(wanted, on)
        except ValueError as error:
            self._on_error(str(error))
            return

        def keep() -> list[Plan]:
            return [library.save_plan(solve_plan(library, machine, variant, usual, How.KEPT).plan) for variant in variants]

        self._say("Solving the five variants …")
        self.background.run("ladder", keep, self._on_laddered)

    def _on_laddered(self, plans: list[Plan]) -> None:
        self._say("")
        self.laddered.emit(plans)

    def _on_keep(self) -> None:
        plan = self._named()
        if any(other.name == plan.name and other.id != plan.id for other in self._desk.library.plans()):
            self._say(f"There is a plan called {plan.name} already.")
            return
        self.kept.emit(plan, self._reason.text().strip())


def _signed(value: float) -> str:
    """``+0.3``, and ``0.0`` without a sign."""
    return f"{value:+.1f}" if abs(value) >= 0.05 else "0.0"
