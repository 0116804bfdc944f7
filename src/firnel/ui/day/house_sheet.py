"""How the house's day goes: hours, pauses, closed days, the weights of its rules; and which machines roast on the day shown."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import date, time

from PyQt6.QtCore import QTime
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QTimeEdit,
    QVBoxLayout,
    QWidget,
)

from firnel.core.day.sequence import Rules
from firnel.core.words import capital, tr
from firnel.ui.shared.parts import NumberBox, button, label
from firnel.ui.shared.sheet import Sheet
from firnel.work.day.house_day import MOST_AT_ONCE, HouseDay, chosen_for, house_day, keep_house_day
from firnel.work.day.planning import assign, rest_machine
from firnel.work.desk import Desk
from firnel.work.shelf import machines

DAYS = (tr("Mon"), tr("Tue"), tr("Wed"), tr("Thu"), tr("Fri"), tr("Sat"), tr("Sun"))
WORDS = {
    "forgiving_first": tr("Something forgiving on the cold drum"),
    "same_together": tr("The same coffee together"),
    "light_first": tr("Light before dark"),
    "decaf_last": tr("Decaffeinated and flavoured last"),
    "due_first": tr("What is due first"),
}


class HouseSheet(Sheet):
    """Asks how the day goes; nothing is kept before Keep, and nonsense is refused in a sentence."""

    def __init__(self, desk: Desk, day: date, parent: QWidget) -> None:
        super().__init__(tr("The house's day"), parent)
        self._desk, self._day = desk, day
        self._house = desk.ask(house_day)
        column = QVBoxLayout(self.inside)
        column.setSpacing(10)
        beside = QHBoxLayout()
        beside.setSpacing(36)
        left, right = QVBoxLayout(), QVBoxLayout()
        for part in (left, right):
            part.setSpacing(10)
            beside.addLayout(part, 1)
        column.addLayout(beside)
        left.addWidget(label(tr("The house's day"), "heading"))
        self._add_hours(left)
        self._add_machines(left)
        left.addStretch(1)
        self._add_weights(right)
        right.addStretch(1)
        self.said = label("", "warn", wrap=True)
        column.addWidget(self.said)
        row = QHBoxLayout()
        row.addStretch(1)
        leave, keep = button(tr("Leave as it was")), button(tr("Keep"), primary=True)
        leave.clicked.connect(self.reject)
        keep.clicked.connect(self.keep)
        keep.setDefault(True)
        row.addWidget(leave)
        row.addWidget(keep)
        column.addLayout(row)

    def _add_hours(self, column: QVBoxLayout) -> None:
        house, grid = self._house, QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        self.opens, self.closes = _clock(house.opens, tr("Opens")), _clock(house.closes, tr("Closes"))
        self.pauses = QLineEdit(", ".join(tr("{:%H:%M}-{:%H:%M}", start, end) for start, end in house.pauses))
        self.pauses.setAccessibleName(tr("Pauses"))
        self.pauses.setPlaceholderText("12:00-12:30, 15:00-15:10")
        for row, (words, widget) in enumerate(
            ((tr("Opens"), self.opens), (tr("Closes"), self.closes), (tr("Pauses"), self.pauses))
        ):
            grid.addWidget(label(words, "soft"), row, 0)
            grid.addWidget(widget, row, 1)
        column.addLayout(grid)
        closed = QHBoxLayout()
        closed.addWidget(label(tr("Closed on"), "soft"))
        self.closed = [QCheckBox(name) for name in DAYS]
        for number, box in enumerate(self.closed):
            box.setChecked(number in house.closed)
            closed.addWidget(box)
        column.addLayout(closed)
        self.fresh = QCheckBox(tr("Roasted coffee may go out before it has rested"))
        self.fresh.setChecked(house.fresh_too)
        column.addWidget(self.fresh)

        alone = QHBoxLayout()
        self.at_once = QSpinBox()
        self.at_once.setRange(1, MOST_AT_ONCE)
        self.at_once.setValue(house.at_once)
        self.at_once.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.at_once.setFixedWidth(80)
        self.at_once.setAccessibleName(tr("Machines that one person roasts on at one time"))
        alone.addWidget(label(tr("One person roasts on so many machines at one time"), "soft"))
        alone.addStretch(1)
        alone.addWidget(self.at_once)
        column.addLayout(alone)

    def _add_weights(self, column: QVBoxLayout) -> None:
        column.addWidget(label(tr("What decides the order"), "heading"))
        column.addWidget(label(tr("0 does not count; up to 10."), "soft"))
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        self.weights: dict[str, NumberBox] = {}
        for row, (name, value) in enumerate(asdict(self._house.rules).items()):
            box = self.weights[name] = NumberBox()
            box.setRange(0.0, 10.0)
            box.setDecimals(1)
            box.setSingleStep(0.5)
            box.setValue(value)
            box.setAccessibleName(WORDS[name])
            grid.addWidget(label(WORDS[name]), row, 0)
            grid.addWidget(box, row, 1)
        column.addLayout(grid)

    def _add_machines(self, column: QVBoxLayout) -> None:
        column.addWidget(label(tr("Roasting on {:%A %-d %B}", self._day), "heading"))
        chosen = self._desk.ask(chosen_for, self._day)
        self.roasting: dict[str, QCheckBox] = {}
        self.people: dict[str, QLineEdit] = {}
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        for row, machine in enumerate(one for one in self._desk.ask(machines) if not one.archived):
            tick = self.roasting[machine.name] = QCheckBox(machine.name)
            tick.setChecked(machine.name not in chosen.resting)
            who = self.people[machine.name] = QLineEdit(chosen.people.get(machine.name, ""))
            who.setAccessibleName(tr("Who roasts on {}", machine.name))
            who.setPlaceholderText(tr("who"))
            grid.addWidget(tick, row, 0)
            grid.addWidget(who, row, 1)
        column.addLayout(grid)

    def keep(self) -> None:
        """Keep what stands here."""
        try:
            self._desk.ask(keep_house_day, self._typed())
        except ValueError as error:
            sentence = str(error)
            self.said.setText(capital(sentence))
            return
        for name, tick in self.roasting.items():
            rests = name in self._desk.ask(chosen_for, self._day).resting
            if rests == tick.isChecked():
                self._desk.ask(rest_machine, self._day, name, not tick.isChecked())
        for name, who in self.people.items():
            if who.text().strip() != self._desk.ask(chosen_for, self._day).people.get(name, ""):
                self._desk.ask(assign, self._day, name, who.text())
        self.accept()

    def _typed(self) -> HouseDay:
        return replace(
            self._house, opens=_time(self.opens.time()), closes=_time(self.closes.time()), pauses=_pauses(self.pauses.text()),
            closed=tuple(number for number, box in enumerate(self.closed) if box.isChecked()), fresh_too=self.fresh.isChecked(),
            at_once=self.at_once.value(), rules=Rules(**{name: box.value() for name, box in self.weights.items()}),
        )  # fmt: skip


def _clock(at: time, name: str) -> QTimeEdit:
    made = QTimeEdit(QTime(at.hour, at.minute))
    made.setDisplayFormat("HH:mm")
    made.setAccessibleName(name)
    made.setButtonSymbols(QTimeEdit.ButtonSymbols.NoButtons)
    return made


def _time(at: QTime) -> time:
    return time(at.hour(), at.minute())


def _pauses(text: str) -> tuple[tuple[time, time], ...]:
    """``12:00-12:30, 15:00-15:10``.

    Raises
    ------
    ValueError : if one is no pause.
    """
    found = []
    for part in (one.strip() for one in text.replace("–", "-").split(",") if one.strip()):
        start, _, end = part.partition("-")
        try:
            found.append((time.fromisoformat(start.strip().zfill(5)), time.fromisoformat(end.strip().zfill(5))))
        except ValueError:
            raise ValueError(tr("{!r} is no pause: write 12:00-12:30.", part)) from None
    return tuple(found)
