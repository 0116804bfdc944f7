"""The beginning: five steps on the left, the open one on the right; each can be left and come back to."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from firnel.core.words import tr
from firnel.ui.beginning_answers import ASKED
from firnel.ui.beginning_steps import StepRow
from firnel.ui.machines.link_page import LinkPage
from firnel.ui.shared.asking import Asking
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.parts import PageHead, button, card, chosen, label, offer, restyle
from firnel.ui.shared.side_by_side import SideBySide
from firnel.ui.shared.station import Station
from firnel.ui.shared.tabs import Shown
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.beginning import FUELS, HEATS, Step, first_lot, first_machine, new_lot, new_machine, pass_by, steps
from firnel.work.desk import Desk
from firnel.work.roast.batch_order import BatchOrder

#: The steps beside the page of one. [px]
LIST_WIDE = 360
PROCESSES = ("", "washed", "natural", "honey", "wet-hulled", "anaerobic", "decaffeinated")
CAUTION = tr(
    "Gas, flue and electrics are for licensed trades; the maker's manual and local codes come first. Draft right, chaff "
    "collector empty, extinguisher at hand, CO alarm on. Never leave a running roaster."
)


class BeginningView(Station):
    """Leads from an empty library to the first batch."""

    logs_wanted = pyqtSignal()
    batch_wanted = pyqtSignal(object)  # BatchOrder
    left = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk, self._asking = desk, Asking(desk, self, self.refused.emit)
        self._steps: tuple[Step, ...] = ()
        self._open = -1
        self._of_mass: list[tuple[QLabel, Callable[[str], str]]] = []  #: titles that name the unit of mass
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 12, 14, 12)
        column.setSpacing(SPACE_M)
        head = PageHead(tr("Beginning"), tr("Five steps to the first batch. Leave any of them, and come back when you like"))
        later = button(tr("Not now"), tr("Find it again under Begin, on the left"))
        later.clicked.connect(self.left)
        head.add(later)
        column.addWidget(head)
        row = SideBySide(SPACE_M)
        row.add(self._list(), wide=LIST_WIDE)
        self._pages = Shown()
        for page in (self._machine_page(), self._link_page(), self._logs_page(), self._coffee_page(), self._batch_page()):
            self._pages.addWidget(page)
        row.add(self._pages, 1)
        column.addWidget(row, 1)
        column.addWidget(label(CAUTION, "caution", wrap=True))

    # The list

    def _list(self) -> QWidget:
        frame, column = card(spacing=SPACE_S)
        self._group = QButtonGroup(self)
        self._rows: list[StepRow] = []
        for number in range(5):
            row = StepRow(number + 1)
            self._group.addButton(row.button, number)
            self._rows.append(row)
            column.addWidget(row)
        self._group.idClicked.connect(self.open_step)
        column.addStretch(1)
        return frame

    def read(self) -> None:
        """See anew what is done, without holding the window; the first step that is not is opened."""
        self._asking.aside("steps", partial(self._desk.ask, steps), self._show_steps)

    def refresh(self) -> None:
        """See anew what is done, before this returns."""
        self._asking.now("steps", partial(self._desk.ask, steps), self._show_steps)

    def _show_steps(self, known: tuple[Step, ...]) -> None:
        self._steps, units = known, self._desk.settings.units
        for reading in (self.yellow, self.crack):
            reading.setPlaceholderText(tr("{}, if known", units.temperature))
        for title, words in self._of_mass:
            title.setText(words(units.mass))
        for index, (fuel, top) in enumerate(FUELS):
            self.fuel.setItemText(index, units.sentence(tr("{}, gauge to {:g} kPa", tr(fuel), top)))
        for row, step in zip(self._rows, self._steps, strict=True):
            row.show_step(step)
        wanted = next((number for number, step in enumerate(self._steps) if not step.done), 4)
        self.open_step(wanted)
        self.changed.emit()

    def open_step(self, number: int) -> None:
        """Show one step and put the keys where it begins."""
        self._open = number
        button_ = self._group.button(number)
        if button_ is not None:
            button_.setChecked(True)
        for place, row in enumerate(self._rows):
            row.setProperty("open", place == number)
            restyle(row)
        self._pages.setCurrentIndex(number)
        machine = self._desk.ask(first_machine)
        if number == 1 and machine is not None:
            self.link.show_machine(machine)
        if number == 4:
            self._show_batch()
        self._first[number].setFocus(Qt.FocusReason.OtherFocusReason)

    # The steps

    @property
    def _first(self) -> tuple[QWidget, ...]:
        return (self.name, self.link.connect_button, self.none, self.coffee, self.prepare)

    def _page(self, name: str, title: str, told: str) -> tuple[QWidget, QVBoxLayout]:
        page = QWidget()
        outer = QVBoxLayout(page)
        outer.setContentsMargins(0, 0, 0, 0)
        frame, column = card(spacing=SPACE_M)
        column.addWidget(label(title, "title"))
        column.addWidget(label(told, "", wrap=True))
        outer.addWidget(frame)
        self._answer(outer, name)
        return page, column

    def _answer(self, page: QVBoxLayout, name: str) -> None:
        """Below a step: what is asked there, and the answers."""
        frame, column = card(spacing=SPACE_S)
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(SPACE_S)
        grid.setColumnStretch(1, 1)
        for line, (asked, told) in enumerate(ASKED[name]):
            grid.addWidget(label(asked, "heading"), line, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(label(tr(told), "", wrap=True), line, 1)  # with the keys as they are set
        grid.setColumnMinimumWidth(0, 170)  # as the names of the fields above
        column.addLayout(grid)
        page.setSpacing(0)
        page.addSpacing(SPACE_M)
        page.addWidget(frame)
        page.addStretch(1)

    def _foot(self, go: QPushButton, *others: QPushButton) -> QHBoxLayout:
        row = QHBoxLayout()
        for widget in others:
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(go)
        return row

    def _mass_title(self, words: Callable[[str], str]) -> QLabel:
        """A title that names the unit in which masses are shown and typed."""
        title = label("", "soft")
        self._of_mass.append((title, words))
        return title

    def _machine_page(self) -> QWidget:
        page, column = self._page(
            "machine",
            tr("Your machine"),
            tr("Its scales are set as they usually are and can be changed later, control by control, under Machines."),
        )
        self.name, self.useful = QLineEdit(), FigureEntry(tr("Roasts well at a time"))
        self.heat, self.fuel = QComboBox(), QComboBox()
        self.name.setPlaceholderText(tr("what you call it"))
        self.name.setAccessibleName(tr("Name of your machine"))
        offer(self.heat, [words for words, _ in HEATS])
        self.heat.setAccessibleName(tr("What heats it"))
        self.fuel.addItems([""] * len(FUELS))
        self.fuel.setAccessibleName(tr("Fuel"))
        fuel_title = label(tr("Fuel"), "soft")
        for part in (fuel_title, self.fuel):
            self.heat.currentIndexChanged.connect(lambda index, part=part: part.setVisible(index == 0))
        self.yellow, self.crack = FigureEntry(tr("Bean probe at yellow")), FigureEntry(tr("Bean probe at first crack"))
        grid = _fields(
            (tr("Name"), self.name),
            (self._mass_title(lambda unit: tr("Roasts well at a time, {}", unit)), self.useful),
            (tr("Heated by"), self.heat),
            (fuel_title, self.fuel),
            (tr("Bean probe at yellow"), self.yellow),
            (tr("Bean probe at first crack"), self.crack),
        )
        column.addLayout(grid)
        self._machine_wrong = label("", "warn", wrap=True)
        column.addWidget(self._machine_wrong)
        keep = button(tr("Keep it and go on"), "Enter", primary=True)
        keep.clicked.connect(self._on_machine)
        column.addLayout(self._foot(keep))
        return page

    def _link_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        self.link = LinkPage(self._desk)
        self.link.kept.connect(lambda _: self.refresh())
        self.link.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        column.addWidget(self.link)
        self._answer(column, "link")
        return page

    def _logs_page(self) -> QWidget:
        page, column = self._page(
            "logs",
            tr("Old logs"),
            tr(
                "Logs of this machine, from any logger that writes tables, teach Firnel what it is like before the first "
                "batch. Without them it goes by what drums of its heat and size do, and learns from each batch."
            ),
        )
        take, self.none = button(tr("Take in old logs"), primary=True), button(tr("I have none"), "Enter")
        take.clicked.connect(self.logs_wanted)
        self.none.clicked.connect(lambda: self._pass_by("logs"))
        column.addLayout(self._foot(take, self.none))
        return page

    def _coffee_page(self) -> QWidget:
        page, column = self._page(
            "coffee",
            tr("Your first coffee"),
            tr("Density, moisture and the rest can be measured and written down under Green."),
        )
        self.coffee, self.origin, self.process = QLineEdit(), QLineEdit(), QComboBox()
        self.on_hand = FigureEntry(tr("In the store"))
        self.coffee.setAccessibleName(tr("Name of your coffee"))
        self.coffee.setPlaceholderText(tr("what stands on its bag"))
        self.origin.setAccessibleName(tr("Origin"))
        self.process.setAccessibleName(tr("Process"))
        self.process.setEditable(True)
        self.process.addItems(PROCESSES)
        column.addLayout(
            _fields(
                (tr("Name"), self.coffee),
                (tr("Origin"), self.origin),
                (tr("Process"), self.process),
                (self._mass_title(lambda unit: tr("In the store, {}", unit)), self.on_hand),
            )
        )
        self._coffee_wrong = label("", "warn", wrap=True)
        column.addWidget(self._coffee_wrong)
        keep = button(tr("Keep it and go on"), "Enter", primary=True)
        keep.clicked.connect(self._on_coffee)
        column.addLayout(self._foot(keep))
        return page

    def _batch_page(self) -> QWidget:
        page, column = self._page(
            "batch",
            tr("Your first batch"),
            tr(
                "Heat the drum as its maker says until the bean probe stands steady, then charge with {mark}. Firnel keeps the "
                "record and says what comes next; a plan can be made under Plan, before or after."
            ),
        )
        self._batch_words = label("", "heading", wrap=True)
        column.addWidget(self._batch_words)
        self.load = FigureEntry(tr("Load"))
        column.addLayout(_fields((self._mass_title(lambda unit: tr("Load, {}", unit)), self.load)))
        self._batch_wrong = label("", "warn", wrap=True)
        column.addWidget(self._batch_wrong)
        self.prepare = button(tr("Prepare it"), "Enter", primary=True)
        self.prepare.clicked.connect(self._on_batch)
        column.addLayout(self._foot(self.prepare))
        return page

    # What is done

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter goes on from any field of a step."""
        go_on = {0: self._on_machine, 3: self._on_coffee, 4: self._on_batch}.get(self._open)
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and go_on is not None:
            go_on()
        else:
            super().keyPressEvent(event)

    def _try(self, wrong: QWidget, what: Callable[[], object]) -> None:
        try:
            what()
        except ValueError as error:
            wrong.setText(self._desk.settings.units.sentence(str(error)))  # type: ignore[attr-defined]  # a label
            return
        wrong.setText("")  # type: ignore[attr-defined]
        self.refresh()

    def _on_machine(self) -> None:
        if not self.useful.text().strip() and self.name.hasFocus():
            self.useful.setFocus(Qt.FocusReason.TabFocusReason)
            return
        fuel = FUELS[self.fuel.currentIndex()][0]

        def keep() -> None:
            units = self._desk.settings.units
            yellow_c, crack_c = (entry.read(units, "°C") for entry in (self.yellow, self.crack))
            useful_kg = self.useful.read(units, "kg")
            self._desk.ask(new_machine, self.name.text(), chosen(self.heat), useful_kg, fuel, (yellow_c, crack_c))

        self._try(self._machine_wrong, keep)

    def _on_coffee(self) -> None:
        def keep() -> None:
            on_hand_kg = self.on_hand.read(self._desk.settings.units, "kg")
            self._desk.ask(new_lot, self.coffee.text(), self.origin.text(), self.process.currentText(), on_hand_kg)

        self._try(self._coffee_wrong, keep)

    def _pass_by(self, name: str) -> None:
        self._desk.ask(pass_by, name)
        self.refresh()

    def _show_batch(self) -> None:
        machine, lot = self._desk.ask(first_machine), self._desk.ask(first_lot)
        told = (
            tr("{} on {}", lot.name if lot else tr("A coffee"), machine.name)
            if machine is not None
            else tr("A machine is needed first.")
        )
        self._batch_words.setText(told)
        if machine is not None and not self.load.isModified():
            units = self._desk.settings.units
            self.load.show_figure(units.show(machine.useful_load_kg, "kg"), 0 if units.mass == "g" else 2)
        self.prepare.setEnabled(machine is not None)

    def _on_batch(self) -> None:
        machine, lot = self._desk.ask(first_machine), self._desk.ask(first_lot)
        if machine is None:
            return
        try:
            load_kg = self.load.read(self._desk.settings.units, "kg")
            if load_kg is None or not 0.0 < load_kg <= machine.stated_load_kg + 0.005:  # as shown, a pound is a little more
                raise ValueError(tr("The load lies above nothing and at most at {:.2f} kg.", machine.stated_load_kg))
        except ValueError as error:
            self._batch_wrong.setText(self._desk.settings.units.sentence(str(error)))
            return
        self._batch_wrong.setText("")
        self.batch_wanted.emit(BatchOrder(lot, machine, None, load_kg))


def _fields(*fields: tuple[str | QLabel, QWidget]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(SPACE_M)
    grid.setVerticalSpacing(SPACE_S)
    for row, (title, widget) in enumerate(fields):
        grid.addWidget(label(title, "soft") if isinstance(title, str) else title, row, 0)
        grid.addWidget(widget, row, 1)
        widget.setMaximumWidth(360)
    grid.setColumnMinimumWidth(0, 170)
    grid.setColumnStretch(2, 1)
    return grid
