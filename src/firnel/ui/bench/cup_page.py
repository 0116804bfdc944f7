"""Cupping: tables are set, scored blind by code, and told only at the end."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QSpinBox, QStackedWidget, QWidget

from firnel.core.cup.agreement import Agreement
from firnel.core.cup.scores import Form
from firnel.core.words import tr
from firnel.ui.bench.choosing import BatchTicks
from firnel.ui.bench.cup_form import CupForm
from firnel.ui.bench.cup_results import TableResults
from firnel.ui.bench.phone_card import PhoneCard
from firnel.ui.bench.steep_card import SteepCard
from firnel.ui.shared.background import Background
from firnel.ui.shared.list_page import ListPage
from firnel.ui.shared.over_time_card import OVER_TIME, OverTimeCard
from firnel.ui.shared.parts import button, card, label
from firnel.ui.shared.report_button import report_button
from firnel.ui.theme.look import Look
from firnel.work import shelf
from firnel.work.bench import cupping, mixes
from firnel.work.bench.cupping import Result, TableSet
from firnel.work.bench.phones import LocalPage, PhoneTable, open_table
from firnel.work.bench.scored import scored
from firnel.work.desk import Desk
from firnel.work.review.records import BatchFilter
from firnel.work.review.reports import Report, session_report

#: Results of a table, and how far its cuppers agreed.
TableRead = tuple[list[Result], Agreement | None]
#: So many of the newest batches are offered.
OFFERED = 80


class CupPage(ListPage):
    """Lists the tables; one is set, scored, or read."""

    entered_by_phone = pyqtSignal()  # from the thread of the page
    step_begins = pyqtSignal()  # of the steep

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__(
            desk,
            tr("Cup"),
            tr("Blind: three-digit codes, a drawn order for each cupper, the reference always on the table"),
            (tr("Table"), tr("Set"), "#Coffees", tr("State")),
            tr("No table has been set yet. Press “Set a table”: choose batches, name the cuppers."),
            sheet_width=640,
        )
        self.head.title.hide()
        self._table: TableSet | None = None
        self._set, self._print, self._reveal = (
            button(tr("Set a table"), primary=True),
            button(tr("Print codes")),
            button(tr("Reveal")),
        )
        for widget, action in ((self._print, self._on_print), (self._reveal, self.reveal), (self._set, lambda: self.begin([]))):
            widget.clicked.connect(action)
            self.head.add(widget)
        self.head.add(report_button(self._report, self.head.tell))
        self._pages = QStackedWidget()
        self._setting, self.form, self._told = self._setting_page(), CupForm(), TableResults(look)
        self.form.entered.connect(self._on_entered)
        self.form.left.connect(self._on_left)
        for page in (self._setting, self.form, self._told):
            self._pages.addWidget(page)
        self.steep = SteepCard(self._desk.clock.now, lambda: self.step_begins.emit())
        self.phone_card = PhoneCard()
        self._phones: tuple[PhoneTable, LocalPage] | None = None
        self.phones = button(
            tr("Phones"), tr("Each cupper scores on a phone of their own, in the local network; off by default")
        )
        self.phones.setCheckable(True)
        self.phones.clicked.connect(self.open_phones)
        self.head.add(self.phones)
        self.steep.hide()
        self.sheet_column.addWidget(self.steep)
        self._pages.addWidget(self.phone_card)
        self.phone_card.here.clicked.connect(lambda: self._pages.setCurrentWidget(self.form))
        self.sheet_column.addWidget(self._pages, 1)
        self.background = Background(self, self.head.tell)
        self.over_time = OverTimeCard(look, tr("No table is revealed yet: once one is, its scores stand here."))
        self.over_time.setFixedHeight(OVER_TIME)
        self.list_side.addWidget(self.over_time)
        self.of_chosen.append(self.over_time)
        self.entered_by_phone.connect(self._on_phone)

    def _setting_page(self) -> QWidget:
        frame, column = card()
        column.addWidget(label(tr("Set a table"), "heading"))
        self.name, self.cuppers = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText(tr("Name of the table"))
        self.cuppers.setPlaceholderText(tr("Cuppers, separated by commas"))
        self.name.setAccessibleName(tr("Name of the table"))
        self.cuppers.setAccessibleName(tr("Cuppers"))
        self.cups = QSpinBox()
        self.cups.setRange(1, 10)
        self.cups.setValue(cupping.USUAL_CUPS)
        self.cups.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.cups.setAccessibleName(tr("Cups of each coffee"))
        self.ticks = BatchTicks(tr("Batches on the table"))
        self._setting_said = label("", "soft", wrap=True)
        go = button(tr("Set it"), tr("Codes and orders are drawn"), primary=True)
        go.clicked.connect(self.set_it)
        for widget in (
            self.name,
            self.cuppers,
            label(tr("Cups of each coffee"), "soft"),
            self.cups,
            label(tr("Batches and blends; their references are added"), "soft"),
        ):
            column.addWidget(widget)
        column.addWidget(self.ticks, 1)
        column.addWidget(self._setting_said)
        column.addWidget(go)
        return frame

    def question(self) -> Callable[[], list[TableSet]]:
        """What reads the tables."""
        return partial(self._desk.ask, shelf.tables, ("cupping",))

    def show_read(self, read: list[TableSet]) -> None:
        """Fill the list."""
        ask, units = self._desk.ask, self._desk.settings.units
        self.background.run("scored", lambda: ask(scored), lambda courses: self.over_time.show_courses(courses, units))
        self.show_rows(
            [
                (
                    (
                        table.name, (tr("{:%d %b %y}", table.at.astimezone()), table.at.timestamp()),
                        str(len(table.document["coffees"])),
                        tr("revealed") if table.revealed else tr("open"),
                    ),
                    table,
                )
                for table in read
            ]
        )  # fmt: skip

    def choice_question(self, key: TableSet) -> Callable[[], TableRead | None]:
        """What reads the results of a table that is told."""
        return partial(self._desk.ask, cupping.results, key) if key.revealed else lambda: None

    def show_choice(self, key: TableSet, read: TableRead | None) -> None:
        """Show one table: its form while it is blind, its results after."""
        self._table = key
        settings = self._desk.settings
        if read is not None:
            self._told.show_results(*read)
        else:
            self.form.show_table(key, settings.cup_words)
        self._pages.setCurrentWidget(self._told if key.revealed else self.form)
        self._reveal.setEnabled(not key.revealed)
        self.phones.setEnabled(not key.revealed)
        if self._phones is not None and self._phones[0].table.id != key.id:
            self.close_phones()
        document = key.document
        self.steep.setVisible(not key.revealed)
        self.steep.show_table(len(document["coffees"]), document["cups"], settings.cup_ml, settings.cup_ratio)

    def begin(self, batch_ids: list[int]) -> None:
        """Begin to set a table, with these batches on it and the references of their plans."""
        lines = self._desk.ask(shelf.batch_lines, BatchFilter(statuses=("done", "dropped")), limit=OFFERED)
        self.ticks.offer(lines, self._desk.ask(cupping.with_references, batch_ids))
        self.ticks.offer_mixes(self._desk.ask(mixes.on_offer, self._desk.clock.wall().astimezone().date()))
        self.name.setText(tr("Cupping {:%-d %b}", self._desk.clock.wall().astimezone()))
        self.cuppers.setText(self.cuppers.text() or self._desk.settings.operator)
        self._setting_said.setText("")
        self.sheet.show()
        self.steep.hide()
        self._pages.setCurrentWidget(self._setting)

    # Phones

    def open_phones(self, wanted: bool = True) -> None:
        """Let phones in for the chosen table, or no more."""
        if not wanted or self._table is None or self._table.revealed:
            self.close_phones()
            return
        tls = self._desk.settings.phones_tls == "on"
        try:
            opened = self._desk.ask(open_table, self._table, self.entered_by_phone.emit, tls)
        except (OSError, ValueError) as error:
            self.phones.setChecked(False)
            self.form.say(tr("No phones: {}.", error))
            return
        self._phones = opened
        self.phones.setChecked(True)
        self.phone_card.show_page(opened[1].url, opened[0].code, opened[1].fingerprint)
        self._pages.setCurrentWidget(self.phone_card)  # what is scored here is not for everybody's eyes
        self._on_phone()

    def close_phones(self) -> None:
        """Let nobody in any more; what was entered stays."""
        if self._phones is not None:
            self._phones[1].stop()
            self._phones = None
        self.phones.setChecked(False)
        if self._pages.currentWidget() is self.phone_card:
            self._pages.setCurrentWidget(self.form)

    def _on_phone(self) -> None:
        """Somebody has entered: who is done is shown, and no score."""
        if self._phones is None:
            return
        self.phone_card.show_done(self._phones[0].done())
        self._table = self._phones[0].table
        self.form.keep(self._table)

    def set_it(self) -> None:
        """Set the table as it is filled in."""
        ask = self._desk.ask
        keys = ask(cupping.with_references, self.ticks.ticked())
        mixed = ask(mixes.with_references, self.ticks.ticked_mixes())
        form: Form = "affective" if self._desk.settings.cup_form == "affective" else "attributes"
        try:
            made = ask(
                cupping.set_table, self.name.text().strip(), keys, self.cuppers.text().split(","), datetime.now(UTC),
                form, self.cups.value(), mixed=mixed,
            )  # fmt: skip
        except ValueError as error:
            self._setting_said.setText(str(error))
            return
        self.refresh()
        self.select_key(lambda table: table.id == made.id)

    def _changed(self, action: Callable[[TableSet], TableSet]) -> None:
        if self._table is None:
            return
        try:
            self._table = action(self._table)
        except ValueError as error:
            self.form.say(str(error))
            return
        self.form.keep(self._table)

    def _on_entered(self, cupper: str, code: str, values: dict[str, Any]) -> None:
        self._changed(lambda table: self._desk.ask(cupping.enter, table, cupper, code, **values))

    def _on_left(self, cupper: str) -> None:
        self._changed(lambda table: self._desk.ask(cupping.leave, table, cupper))

    def reveal(self) -> None:
        """Tell what stood where; pressed twice while something is missing."""
        table = self._table
        if table is None or table.revealed:
            return
        missing = cupping.missing(table)
        if missing and not self.form.warned:
            self.form.warned = True
            self.form.say(tr("Not scored yet: {}. Press Reveal again to end all the same.", "; ".join(missing)))
            return
        self.close_phones()
        self._table = self._desk.ask(cupping.reveal, table)
        self.refresh()
        self.select_key(lambda other: other.id == table.id)
        self.open(self._table)

    def _report(self) -> Callable[[], Report] | None:
        return partial(self._desk.ask, session_report, self._table) if self._table is not None else None

    def _on_print(self) -> None:
        if self._table is None:
            return
        chosen, _ = QFileDialog.getSaveFileName(self, tr("Print into a PDF file"), f"{self._table.name}.pdf", tr("PDF (*.pdf)"))
        if chosen:
            self.print_codes(Path(chosen))

    def print_codes(self, path: Path) -> None:
        """Write the codes and each cupper's order as a PDF; the same codes however often.

        Raises
        ------
        OSError : if the file cannot be written.
        """
        from firnel.ui.bench.table_paper import write_table

        if self._table is not None:
            write_table(path, self._table)
            self.form.say(tr("Written: {}", path))
