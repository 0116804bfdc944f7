"""Plan: the plans of the library, drawn, with their moves as sentences."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QFrame, QMenu, QScrollArea

from firnel.core.plan import TARGET_WORDS, Plan
from firnel.core.units import clock
from firnel.core.vocabulary import Machine
from firnel.core.words import inside, later, tr
from firnel.ui.plan.editor import PlanEditor
from firnel.ui.plan.plots import PlanPlots
from firnel.ui.plan.versions import VersionsSheet
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage, archived_words
from firnel.ui.shared.parts import ElidedLabel, FigureGrid, button, card, chosen, make_primary, offer
from firnel.ui.shared.questions import asked_number
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.day import queue
from firnel.work.desk import Desk
from firnel.work.plan.picture import PlanPicture, course_points, plan_picture, stages_text
from firnel.work.plan.versions import ToldVersion, history
from firnel.work.plan.whose import machine_of
from firnel.work.plan.words import asked_text

#: All plans, and whether one that was worked on lies in the library; the machine of one plan, and its versions.
PlansRead = tuple[list[Plan], bool]
PlanRead = tuple[Machine | None, list[ToldVersion]]
MOST_BATCHES = 60  #: that are queued or labelled at once.
ABOUT = tr("Targets and moves; one key takes a plan to the roaster")


class FittingArea(QScrollArea):
    """As high as what it holds, where there is room; Qt's own remembers how high that was at first."""

    def sizeHint(self) -> QSize:
        """What it holds."""
        inside = self.widget()
        return super().sizeHint() if inside is None else inside.sizeHint()


class PlanView(ListPage):
    """Lists the plans; one is shown with its curve, its moves and what it wants."""

    roast_wanted = pyqtSignal(object)  # Plan
    practice_wanted = pyqtSignal(object)  # Plan

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            desk,
            tr("Plan"),
            ABOUT,
            (tr("Plan"), "~Course", "#Dev.", "#Drop"),
            tr("No plans yet. Press “New plan”: a machine and a lot are enough. A batch can be roasted without a plan, too."),
            sheet_width=648,
        )
        self._look = look
        self._plan: Plan | None = None
        self._picture: PlanPicture | None = None
        self.draw_curves(look)
        self._add_buttons()
        self._name, self._for = ElidedLabel("heading"), ElidedLabel("soft")
        head, column = card(spacing=2)
        column.addWidget(self._name)
        column.addWidget(self._for)
        self._start, self._targets = FigureGrid(), FigureGrid()
        column.addWidget(self._start)
        column.addWidget(self._targets)
        self._head_card = head
        self.sheet_column.addWidget(head)
        self.editor = PlanEditor(desk, look)
        self.editor.hide()
        self.editor.kept.connect(self._on_kept)
        self.editor.laddered.connect(self._on_laddered)
        self.editor.left.connect(self.leave_editor)
        self.editor.explained.connect(self.head.tell)
        self.background = Background(self, self.head.tell)
        self.body.add(self.editor, 1)
        self._plots = PlanPlots(look)
        self.sheet_column.addWidget(self._plots, 1)
        moves, moves_column = card(spacing=2)
        self._moves = FigureGrid(words=2)
        area = self._moves_area = FittingArea()
        area.setObjectName("bare")
        area.setAccessibleName(tr("Moves"))
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setMinimumHeight(52)
        area.setWidget(self._moves)
        moves_column.addWidget(area)
        moves.setMaximumHeight(232)
        self.sheet_column.addWidget(moves)
        self._history = ElidedLabel("soft")
        column.addWidget(self._history)

    def _add_buttons(self) -> None:
        new, change = (
            button(tr("New plan"), tr("Targets, and the moves found for them")),
            button(tr("Change"), tr("Other targets for this plan")),
        )
        roast = button(tr("Roast this plan"), tr("Prepare a batch of it"), primary=True)
        new.clicked.connect(self.begin_new)
        change.clicked.connect(self.begin_change)
        roast.clicked.connect(self._on_roast)
        versions, paper = (
            button(tr("Versions"), tr("What changed, why, and roasted when")),
            button(tr("Print"), tr("The sheet for the wall")),
        )
        versions.clicked.connect(self.open_versions)
        menu = QMenu(paper)
        for text, action in (
            (tr("Plan sheet for the wall …"), self._on_sheet),
            (tr("Labels for the loads …"), self._on_labels),
        ):
            if (entry := menu.addAction(text)) is not None:
                entry.triggered.connect(action)
        paper.setMenu(menu)
        wait = button(tr("Queue"), tr("Batches of it wait until they are roasted"))
        wait.clicked.connect(self._on_queue)
        practise = button(tr("Practise"), tr("Roast it on the model of the machine; nothing is kept"))
        practise.clicked.connect(self._on_practise)
        self._which = QComboBox()
        offer(self._which, (later("in use"), later("archived")))
        self._which.setAccessibleName(tr("Which plans are listed"))
        self._which.currentIndexChanged.connect(self.read)
        self._archive = button(tr("Archive"), tr("Put it away; it can be brought back"))
        self._archive.clicked.connect(self._on_archive)
        for widget in (self._which, self._archive):
            self.tools.addWidget(widget)
        self._list_buttons = (new, change, versions, paper, wait, practise, roast)
        for widget in self._list_buttons:
            self.head.add(widget)
        self._new = new
        self.of_chosen += [change, versions, paper, wait, practise, roast, self._archive]

    def offer_for_chosen(self) -> None:
        """Without a plan the page is for making one."""
        super().offer_for_chosen()
        make_primary(self._new, self.of_chosen[0].isHidden())

    def question(self) -> Callable[[], PlansRead]:
        """What reads the plans, and whether an end or a crash has left one that was worked on."""
        ask, waiting = self._desk.ask, self.editor.bench.waiting
        return lambda: (ask(shelf.plans), waiting())

    def show_read(self, read: PlansRead) -> None:
        """Fill the list. A plan that is being worked on stays where it is; one that a crash left is taken up again."""
        plans, waiting = read
        if self.editor.bench.open:
            return
        self.editor.bench.seen()
        if waiting:
            self._edit(True)
            if self.editor.take_up():
                return
            self._edit(False)
        units = self._desk.settings.units
        self.show_rows(
            [
                (
                    (
                        plan.name,
                        (stages_text(plan), course_points(plan)),
                        clock(plan.targets.development_s),
                        units.text(plan.targets.drop_c, "°C", 1),
                    ),
                    plan,
                )
                for plan in plans
                if plan.archived == (chosen(self._which) == "archived")
            ]
        )
        self._archive.setText(tr("Bring back") if chosen(self._which) == "archived" else tr("Archive"))

    def _on_archive(self) -> None:
        if self._plan is not None:
            self._put_away(self._plan, not self._plan.archived)

    def _put_away(self, plan: Plan, away: bool) -> None:
        kept = self._desk.ask(shelf.save_plan, replace(plan, archived=away))
        self.refresh()
        self.head.tell(archived_words(plan.name, away), partial(self._put_away, kept, not away))

    def choice_question(self, key: Plan) -> Callable[[], PlanRead]:
        """What reads the machine of a plan and how the plan came about."""
        ask, units = self._desk.ask, self._desk.settings.units

        def read() -> PlanRead:
            machine = ask(machine_of, key)
            return machine, ask(history, key.id, units, machine) if key.id is not None else []

        return read

    def show_choice(self, key: Plan, read: PlanRead) -> None:
        """Show one plan."""
        self._plan = key
        self._edit(False)
        machine, told = read
        picture = self._picture = plan_picture(key, machine, self._desk.settings.units)
        self._name.show_text(key.name)
        self._for.show_text(picture.made_for)
        (charge, reads), (stages, seconds), (drop, lands) = picture.targets
        self._start.show_rows([(picture.start or charge, reads)])
        lands = lands.partition(" ±")[0]  # how far it may be off stands where it is changed
        self._targets.show_rows([(f"{stages} · {inside(drop)}", "  ".join((*seconds.split(" · "), lands)))])
        self._moves.show_rows(list(picture.moves))
        self._moves_area.updateGeometry()  # as high as its moves, where there is room
        self._plots.show_picture(picture)
        self._history.show_text(" · ".join(part for one in told[:1] for part in (one.title, one.changed, one.roasted) if part))

    def _edit(self, editing: bool) -> None:
        for widget in (self.left, self.sheet, *self._list_buttons) if editing else (self.editor,):
            widget.hide()
        for widget in (self.editor,) if editing else (self.left, self.sheet, *self._list_buttons):
            widget.show()
        if not editing:
            self.offer_for_chosen()
        self.sheet.setVisible(not editing and self._plan is not None)
        self.head.title.setHidden(editing)  # its room is the moves'
        self.head.rest(
            tr("A draft: the moves are found for the targets; nothing changes before it is kept") if editing else ABOUT
        )
        self.head.tell("")

    def begin_new(self) -> None:
        """Begin a new plan."""
        self._begin(None)

    def _begin(self, plan: Plan | None) -> None:
        bench = self.editor.bench
        if bench.open and bench.changed:
            self.head.tell(tr("{} is being worked on: keep it or leave it, then begin another.", bench.named().name))
            return
        self._edit(True)
        self.editor.begin(plan)

    def begin_with(self, plan: Plan) -> None:
        """Begin with a plan that is not kept yet, as from a past batch."""
        self._begin(plan)

    def begin_change(self) -> None:
        """Change the plan that is shown."""
        if self._plan is not None:
            self._begin(self._plan)

    def _on_kept(self, plan: Plan) -> None:
        self._edit(False)
        self.refresh()
        self.select_key(lambda key: key.id == plan.id)

    def _on_laddered(self, plans: list[Plan]) -> None:
        self._edit(False)
        self.refresh()
        self.select_key(lambda key: key.id == plans[0].id)

    def leave_editor(self) -> None:
        """Leave the editor without keeping."""
        self._edit(False)
        self.refresh()
        if self._plan is not None:
            self.open(self._plan)

    def open_versions(self) -> None:
        """All versions of the plan that is shown."""
        plan = self._plan
        if plan is None or plan.id is None:
            return
        told = self._desk.ask(history, plan.id, self._desk.settings.units, self._machine_of(plan))
        sheet = VersionsSheet(plan.name, told, self)
        sheet.wanted.connect(lambda version: self._begin_version(plan, version))
        sheet.open()

    def _begin_version(self, plan: Plan, version: Plan) -> None:
        self.begin_with(
            replace(
                version,
                id=plan.id,
                name=plan.name,
                lot=plan.lot,
                machine=plan.machine,
                lot_id=plan.lot_id,
                machine_id=plan.machine_id,
            )
        )

    def _machine_of(self, plan: Plan) -> Machine | None:
        return self._desk.ask(machine_of, plan)

    def _on_sheet(self) -> None:
        if self._plan is not None and (path := self._ask_path(f"{self._plan.name}.pdf")):
            try:
                self.print_sheet(path)
            except OSError as error:
                self.head.tell(str(error))

    def _on_labels(self) -> None:
        if self._plan is None:
            return
        count = asked_number(self, tr("How many loads are weighed?"), tr("Print their labels"), 4, MOST_BATCHES)
        if count and (path := self._ask_path(f"{self._plan.name} labels.pdf")):
            self.print_labels(path, count)

    def _ask_path(self, name: str) -> Path | None:
        chosen, _ = QFileDialog.getSaveFileName(self, tr("Print into a PDF file"), name, tr("PDF (*.pdf)"))
        return Path(chosen) if chosen else None

    def print_sheet(self, path: Path) -> None:
        """Write the sheet for the wall of the plan that is shown.

        Raises
        ------
        OSError : if the file cannot be written.
        """
        from firnel.ui.plan.paper import PlanPaper, write_plan_sheet

        plan, units = self._plan, self._desk.settings.units
        if plan is None or self._picture is None:
            return
        today = tr("{:%-d %b %Y}", self._desk.clock.wall().astimezone())
        wins = tr("{} wins where two disagree", TARGET_WORDS[plan.wins])
        paper = PlanPaper(
            plan.name, tr("version {}, printed {}", plan.version, today), asked_text(plan, units), wins, plan.remark
        )
        write_plan_sheet(path, paper, self._picture)
        self.head.tell(tr("Written: {}", path))

    def print_labels(self, path: Path, count: int) -> None:
        """Write labels for the next loads of the plan that is shown, beside the window."""
        from firnel.ui.plan.paper import write_labels
        from firnel.work.day.labels import labels_for

        plan, ask, units = self._plan, self._desk.ask, self._desk.settings.units
        if plan is not None:
            self.background.run(
                "labels",
                lambda: write_labels(path, ask(labels_for, plan, count, units)),
                lambda _: self.head.tell(tr("Written: {}", path)),
            )

    def _on_queue(self) -> None:
        if self._plan is None:
            return
        count = asked_number(self, tr("How many batches of {}?", self._plan.name), tr("Queue them"), 1, MOST_BATCHES)
        if count:
            self.queue_batches(count)

    def queue_batches(self, count: int) -> None:
        """Put batches of the plan that is shown at the end of the queue."""
        if self._plan is not None:
            self._desk.ask(queue.add, self._plan, count)
            waiting = len(self._desk.ask(queue.queue))
            self.head.tell(
                tr("{} of {} queued; {} wait. Day shows them, Q in Roast takes the first.", count, self._plan.name, waiting)
            )

    def _on_practise(self) -> None:
        if self._plan is not None:
            self.practice_wanted.emit(self._plan)

    def _on_roast(self) -> None:
        if self._plan is not None:
            self.roast_wanted.emit(self._plan)
