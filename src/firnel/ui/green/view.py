"""Green: the lots in the store, and the sheet of one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QStackedWidget

from firnel.core.green.check import check_lot
from firnel.core.units import Units
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import later, tr
from firnel.ui.green.forms import LotForm, RulesDialog
from firnel.ui.green.sheet import LotSheetPanel, stock_text
from firnel.ui.shared.actions import give_key
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage, archived_words
from firnel.ui.shared.over_time_card import OVER_TIME, OverTimeCard
from firnel.ui.shared.parts import button, choose, chosen, offer
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.courses import Course
from firnel.work.desk import Desk
from firnel.work.green.intake import (
    ImportRefusedError,
    LotSheet,
    MeasurementError,
    house_rules,
    keep_house_rules,
    lot_sheet,
    measure,
    read_figures,
    strike_measurement,
    take_in_lots,
    write_out_lots,
)
from firnel.work.green.over_time import lot_courses
from firnel.work.green.samples import KINDS, Cupped, SampleError, cupped, decide

TABLES = tr("Tables (*.csv *.xlsx)")


class GreenView(ListPage):
    """Lists the lots, shows the sheet of one, takes down new ones and what is measured of them."""

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            desk,
            tr("Green"),
            tr("The lots in the store, and how they want to be handled"),
            (tr("Lot"), tr("Process"), "#Density", tr("#On hand")),
            tr("No lots yet. Press “Add a lot” and give it a name, or take in a table of lots."),
            sheet_width=632,
        )
        self._lot: Lot | None = None
        self._machine = ""
        self._which = QComboBox()
        offer(self._which, (later("in store"), later("samples"), later("all lots"), later("archived")))
        self._which.setAccessibleName(tr("Which lots are listed"))
        self._which.currentIndexChanged.connect(self.read)
        take, write = (
            button(tr("Take in a table"), tr("CSV or spreadsheet")),
            button(tr("Write a table"), tr("CSV or spreadsheet")),
        )
        take.clicked.connect(self._on_take_in)
        write.clicked.connect(self._on_write)
        sample = button(tr("Add a sample"), tr("Green that is roasted and cupped before it is bought"))
        sample.clicked.connect(partial(self._begin_new, KINDS[0]))
        add = button(tr("Add a lot"), tr("Write down a delivery"), primary=True)
        add.clicked.connect(partial(self._begin_new, ""))
        for widget in (self._which, take, write, sample, add):
            self.head.add(widget)
        give_key(self.head.undo, "take back")
        self.panel, self._form = LotSheetPanel(), LotForm()
        self._pages = QStackedWidget()
        self._pages.addWidget(self.panel)
        self._pages.addWidget(self._form)
        self.sheet_column.addWidget(self._pages, 1)
        self.panel.edit_wanted.connect(self._begin_edit)
        self.panel.archive_wanted.connect(self._on_archive)
        self.panel.counted.connect(self._on_counted)
        self.panel.machine_chosen.connect(self._on_machine)
        self.panel.rules_wanted.connect(self._on_rules)
        self.panel.measure.typed.connect(self._on_measured)
        self.panel.struck.connect(self._on_struck)
        self.panel.sample.decided.connect(self._on_decided)
        self.background = Background(self, self.head.tell)
        self.over_time = OverTimeCard(
            look, tr("Nothing is known over time yet: measure it, roast it, cup it."), tr("this lot"), tr("other lots")
        )
        self.list_side.addWidget(self.over_time)
        self.of_chosen += [write, self.over_time]
        self.over_time.setFixedHeight(OVER_TIME)
        self._form.saved.connect(self._on_saved)
        self._form.left.connect(self._on_left)

    def question(self) -> Callable[[], tuple[list[Lot], list[Machine]]]:
        """What reads the lots, and for which machines they can be handled."""
        ask = self._desk.ask
        return lambda: (ask(shelf.lots), ask(shelf.machines))

    def show_read(self, read: tuple[list[Lot], list[Machine]]) -> None:
        """Fill the list."""
        (lots, known), units, which = read, self._desk.settings.units, chosen(self._which)
        rows = [
            (
                (
                    lot.name,
                    lot.process or "–",
                    tr("{:.0f} g/L", lot.density_g_per_l) if lot.density_g_per_l else "–",
                    stock_text(lot.on_hand_kg, units),
                ),
                lot,
            )
            for lot in lots
            if which == "all lots"
            or (lot.archived == (which == "archived") and bool(lot.sample) == (which == "samples"))
            or (which == "archived" and lot.archived)
        ]
        machines = [machine.name for machine in known if not machine.archived]
        if self._machine not in machines:
            self._machine = machines[0] if machines else ""
        self.panel.show_machines(machines, self._machine)
        self.show_rows(rows)

    def choice_question(self, key: Lot) -> Callable[[], tuple[LotSheet, Cupped | None]]:
        """What reads the sheet of a lot, and how a sample was scored."""
        ask, name, today = self._desk.ask, self._machine, self._desk.clock.wall().astimezone().date()

        def read() -> tuple[LotSheet, Cupped | None]:
            machine = next((one for one in ask(shelf.machines) if one.name == name), None)
            return ask(lot_sheet, key, machine, today), ask(cupped, key) if key.sample else None

        return read

    def show_choice(self, key: Lot, read: tuple[LotSheet, Cupped | None]) -> None:
        """Show one lot."""
        self._lot = key
        self.panel.measure.say("")
        self._pages.setCurrentWidget(self.panel)
        self._show_sheet(key, read)

    def _show(self) -> None:
        if self._lot is not None:
            self.asking.now("choice", self.choice_question(self._lot), partial(self._show_sheet, self._lot))

    def _show_sheet(self, lot: Lot, read: tuple[LotSheet, Cupped | None]) -> None:
        sheet, scored = read
        now, ask, units = self._desk.clock.wall(), self._desk.ask, self._desk.settings.units
        self.panel.show_sheet(sheet, units)
        self.background.run("courses", lambda: ask(lot_courses, lot, now), partial(self._show_courses, lot, units))
        self.panel.sample.show_sample(lot, scored)

    def _show_courses(self, lot: Lot, units: Units, courses: tuple[Course, ...]) -> None:
        if self._lot is lot:
            self.over_time.show_courses(courses, units)

    def _on_machine(self, name: str) -> None:
        self._machine = name
        self._show()

    def _on_rules(self) -> None:
        dialog = RulesDialog(self._desk.ask(house_rules), self._desk.settings.units, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def keep(changed: dict[str, tuple[float, float]]) -> None:
            try:
                self._desk.ask(keep_house_rules, changed)
            except ValueError as error:
                dialog.say(str(error))
                return
            dialog.accept()
            self._show()

        dialog.kept.connect(keep)
        dialog.open()

    def _begin_new(self, sample: str) -> None:
        self.sheet.show()
        self._pages.setCurrentWidget(self._form)
        self._form.begin(None, self._desk.settings.units, sample)

    def _on_decided(self, buy: bool, why: str) -> None:
        if self._lot is None:
            return
        try:
            lot = self._desk.ask(decide, self._lot, buy, why)
        except (SampleError, shelf.ChangedMeanwhileError) as error:
            self.head.tell(str(error))
            return
        choose(self._which, "in store" if buy else "archived")
        self._lot = lot
        self._refresh_to(lot)
        self.head.tell(f"{lot.name}: {lot.verdict}.")

    def _begin_edit(self) -> None:
        self._pages.setCurrentWidget(self._form)
        self._form.begin(self._lot, self._desk.settings.units)

    def _on_left(self) -> None:
        self._pages.setCurrentWidget(self.panel)
        self.sheet.setVisible(self._lot is not None)

    def _on_saved(self, lot: Lot) -> None:
        if any(known.name == lot.name and known.id != lot.id for known in self._desk.ask(shelf.lots)):
            self._form.say(tr("There is a lot called {} already.", lot.name))
            return
        before = self._lot if self._lot is not None and self._lot.id == lot.id else None
        try:
            check_lot(lot)
            self._lot = self._desk.ask(shelf.save_lot, lot, before)
        except ValueError as error:
            self._form.say(str(error))
            return
        except shelf.ChangedMeanwhileError as error:
            self._form.say(str(error))
            self.refresh()
            return
        self._pages.setCurrentWidget(self.panel)
        if bool(self._lot.sample) != (chosen(self._which) == "samples"):
            choose(self._which, "samples" if self._lot.sample else "in store")
        self._refresh_to(self._lot)

    def _refresh_to(self, lot: Lot) -> None:
        self.refresh()
        if not self.select_key(lambda key: key.id == lot.id):
            self._lot = lot
            self._show()

    def _on_struck(self, key: int, struck: bool) -> None:
        if self._lot is not None:
            self._strike(self._lot, key, struck)

    def _strike(self, lot: Lot, key: int, struck: bool) -> None:
        try:
            self._lot = self._desk.ask(strike_measurement, lot, key, struck)
        except MeasurementError as error:  # meanwhile it went elsewhere
            self.head.tell(str(error))
            return
        self._refresh_to(self._lot)
        self._show()
        done = tr("taken away") if struck else tr("brought back")
        self.head.tell(tr("A measurement of {} is {}.", lot.name, done), partial(self._strike, self._lot, key, not struck))

    def _on_archive(self) -> None:
        if self._lot is not None:
            self._archive(self._lot, not self._lot.archived)

    def _archive(self, lot: Lot, away: bool) -> None:
        kept = self._desk.ask(shelf.save_lot, replace(lot, archived=away), lot)
        self.refresh()
        self.head.tell(archived_words(lot.name, away), partial(self._archive, kept, not away))

    def _on_counted(self, on_hand_kg: float) -> None:
        if self._lot is None or self._lot.id is None:
            return
        try:
            self._desk.ask(shelf.stocktake, self._lot.id, on_hand_kg)
        except ValueError as error:
            self.panel.measure.say(str(error), wrong=True)
            return
        self._refresh_to(self._lot)

    def _on_measured(self, kind: str, typed: str, beside: float | None) -> None:
        if self._lot is None:
            return
        try:
            self._lot, words = self._desk.ask(measure, self._lot, kind, read_figures(kind, typed, beside))
        except ValueError as error:
            self.panel.measure.say(str(error), wrong=True)
            return
        self._refresh_to(self._lot)
        self.panel.measure.say(words)

    def _on_take_in(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Take in a table of lots"), "", TABLES)
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """Take in a table of lots, and say what came of it."""
        try:
            new, changed, said = self._desk.ask(take_in_lots, path)
        except ImportRefusedError as error:
            self.head.tell(str(error))
            return
        self.refresh()
        self.head.tell(tr("{}: {} new lots, {} changed. {}", path.name, new, changed, " ".join(said)))

    def _on_write(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, tr("Write the lots as a table"), "lots.xlsx", TABLES)
        if path:
            self.write_out(Path(path))

    def write_out(self, path: Path) -> None:
        """Write the lots as a table, and say so."""
        try:
            count = self._desk.ask(write_out_lots, path)
        except OSError as error:
            self.head.tell(tr("{} cannot be written: {}.", path, error.strerror))
            return
        self.head.tell(tr("Wrote {} lots to {}.", count, path))
