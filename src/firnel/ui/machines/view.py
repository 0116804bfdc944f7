"""Machines: the roasters of the house, how they are set, and the link to them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFrame, QLineEdit, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.vocabulary import Machine
from firnel.core.words import later, tr
from firnel.ui.machines.care_page import CarePage
from firnel.ui.machines.definition_page import DefinitionPage
from firnel.ui.machines.link_page import LinkPage
from firnel.ui.machines.model_page import ModelPage
from firnel.ui.machines.record_page import RecordPage
from firnel.ui.shared.actions import give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage, archived_words
from firnel.ui.shared.over_time_card import OVER_TIME, OverTimeCard
from firnel.ui.shared.parts import ElidedLabel, button, card, chosen, label, offer
from firnel.ui.shared.tabs import Tabs
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.courses import Course
from firnel.work.desk import Desk, machine_kinds, machine_of_kind
from firnel.work.machines.care import CareSheet
from firnel.work.machines.knowledge import KnownOfMachine
from firnel.work.machines.use import machine_courses

CAUTIONS = tr(
    "Firnel reads and advises; it never commands a burner. Gas fitting, flue and electrics are for licensed trades, "
    "and the maker's manual and local codes come first. Keep chaff collector and ducts clean, an extinguisher suited "
    "to the place at hand, a carbon monoxide alarm on, and never leave a running roaster."
)


class MachinesView(ListPage):
    """Lists the machines, connects them, takes down new ones."""

    connected = pyqtSignal()
    redefined = pyqtSignal()  # a machine's definition: what was learned may be so no more

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            desk,
            tr("Machines"),
            tr("The roasters: what the model knows of them, how they are set, cared for and linked"),
            (tr("Machine"), "+Kind", "#Useful"),
            tr("No machines yet. Press “Add a machine”: a name, its kind, and where its readings come from."),
            sheet_width=716,
        )
        self._machine: Machine | None = None
        add = button(tr("Add a machine"), primary=True)
        add.clicked.connect(self._begin_new)
        self._which = QComboBox()
        offer(self._which, (later("in use"), later("archived")))
        self._which.setAccessibleName(tr("Which machines are listed"))
        self._which.currentIndexChanged.connect(self.read)
        self._archive = button(tr("Archive"), tr("Put it away; it can be brought back"))
        self._archive.clicked.connect(self._on_archive)
        self.head.add(add)
        give_key(self.head.undo, "take back")
        for widget in (self._which, self._archive):
            self.tools.addWidget(widget)
        self._name = ElidedLabel("title")
        self.background = Background(self, self.head.tell)
        self.over_time = OverTimeCard(look, tr("No batch has been roasted here yet."))
        self.over_time.setFixedHeight(OVER_TIME)
        self.list_side.addWidget(self.over_time)
        self.of_chosen += [self._archive, self.over_time]
        self.sheet_column.addWidget(self._name)
        self.sheet_column.addWidget(self._form())
        self.tabs = Tabs()
        self.model, self.definition, self.care = ModelPage(desk, look), DefinitionPage(desk), CarePage(desk)
        self.record = RecordPage(desk, look)
        link = QWidget()
        column = QVBoxLayout(link)
        column.setContentsMargins(0, 0, 0, 0)
        self.link = LinkPage(desk)
        self.link.kept.connect(self._on_linked)
        column.addWidget(self.link)
        column.addWidget(label(CAUTIONS, "caution", wrap=True))
        column.addStretch(1)
        for name, page in (
            (tr("Model"), self.model),
            (tr("Record"), self.record),
            (tr("Definition"), self.definition),
            (tr("Care and probes"), self.care),
            (tr("Link"), link),
        ):
            self.tabs.add(name, page)
        self.sheet_column.addWidget(self.tabs, 1)
        self.model.fitted.connect(self._on_fitted)
        self.care.changed.connect(self.refresh)
        self.definition.changed.connect(self._on_changed)
        self.definition.added.connect(self._on_changed)

    def _form(self) -> QFrame:
        frame, column = card(spacing=4)
        self._form_frame = frame
        column.addWidget(label(tr("A new machine"), "heading"))
        self._new_name, self._kind = QLineEdit(), QComboBox()
        self._new_name.setPlaceholderText(tr("Name"))
        self._new_name.setAccessibleName(tr("Name of the machine"))
        self._kind.setAccessibleName(tr("Kind of the machine"))
        for kind, title in machine_kinds().items():
            self._kind.addItem(tr(title), kind)
        self._warning = label("", "warn", wrap=True)
        save = button(tr("Add it"), primary=True)
        save.clicked.connect(self._save)
        for widget in (self._new_name, self._kind, self._warning, save):
            column.addWidget(widget)
        frame.hide()
        return frame

    def question(self) -> Callable[[], list[Machine]]:
        """What reads the machines."""
        return partial(self._desk.ask, shelf.machines)

    def show_read(self, read: list[Machine]) -> None:
        """Fill the list."""
        units, kinds = self._desk.settings.units, machine_kinds()
        self.show_rows(
            [
                ((m.name, tr(kinds.get(m.kind, "")) or tr("{} drum", tr(m.heat)), units.text(m.useful_load_kg, "kg", 1)), m)
                for m in read
                if m.archived == (chosen(self._which) == "archived")
            ]
        )
        self._archive.setText(tr("Bring back") if chosen(self._which) == "archived" else tr("Archive"))
        self.show_link()

    def _on_archive(self) -> None:
        if self._machine is not None:
            self._put_away(self._machine, not self._machine.archived)

    def _put_away(self, machine: Machine, away: bool) -> None:
        kept = self._desk.ask(shelf.save_machine, replace(machine, archived=away), machine)
        self.refresh()
        self.head.tell(archived_words(machine.name, away), partial(self._put_away, kept, not away))

    def show_link(self) -> None:
        """Show how the link stands."""
        self.link.show_state()

    def choice_question(self, key: Machine) -> Callable[[], tuple[KnownOfMachine, CareSheet]]:
        """What reads all that its pages show of a machine."""
        known, care = self.model.question(key), self.care.question(key)
        return lambda: (known(), care())

    def show_choice(self, key: Machine, read: tuple[KnownOfMachine, CareSheet]) -> None:
        """Show one machine."""
        known, care = read
        self._machine = key
        self._name.show_text(key.name)
        self.model.show_known(key, known)
        self.record.show_model(known.model)
        self.care.show_sheet(key, care)
        for page in (self.definition, self.link):
            page.show_machine(key)
        ask, now, units = self._desk.ask, self._desk.clock.wall(), self._desk.settings.units
        self.background.run("use", lambda: ask(machine_courses, key, now), partial(self._show_courses, key, units))

    def _show_courses(self, machine: Machine, units: Units, courses: tuple[Course, ...]) -> None:
        if self._machine is machine:
            self.over_time.show_courses(courses, units)

    def _on_fitted(self) -> None:
        self._desk.forget_model()
        self.refresh()

    def _on_changed(self, machine: Machine) -> None:
        since = self._machine if self._machine is not None and self._machine.id == machine.id else None
        said = ""
        try:
            machine = self._desk.ask(shelf.save_machine, machine, since)
        except (ValueError, shelf.ChangedMeanwhileError) as error:
            said = str(error)
        self._desk.forget_model()
        self.refresh()
        self.select_key(lambda key: key.id == machine.id)
        self.definition.say(said)
        if not said:
            self._desk.redefine(machine)
        self.redefined.emit()

    def _on_linked(self, machine: Machine) -> None:
        self._machine = machine
        self.refresh()
        self.connected.emit()

    def _begin_new(self) -> None:
        self.sheet.show()
        self._form_frame.show()
        self._new_name.setFocus(Qt.FocusReason.OtherFocusReason)

    def _save(self) -> None:
        name = self._new_name.text().strip()
        if not name:
            self._warning.setText(tr("A machine needs a name."))
            return
        if any(machine.name == name for machine in self._desk.ask(shelf.machines)):
            self._warning.setText(tr("There is a machine called {} already.", name))
            return
        try:
            self._desk.ask(shelf.save_machine, machine_of_kind(name, self._kind.currentData()))
        except ValueError as error:
            self._warning.setText(str(error))
            return
        self._new_name.clear()
        self._form_frame.hide()
        self.refresh()
