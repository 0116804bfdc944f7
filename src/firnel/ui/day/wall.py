"""The board for the wall: of each machine what runs now, what is next, and what then; to be read from across the room."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from firnel.core.units import Units
from firnel.core.words import tr
from firnel.ui.shared.parts import ElidedLabel, empty, label
from firnel.ui.theme.tokens import SPACE_L
from firnel.work.day.lists import without_origin
from firnel.work.day.planning import DaySheet

STEPS = ("now", "next", "then")


@dataclass(frozen=True)
class OnTheWall:
    """One batch as it stands there: what, how much, when."""

    what: str
    load: str
    when: str


def wall_of(sheet: DaySheet, now: datetime, units: Units) -> dict[str, tuple[OnTheWall | None, ...]]:
    """Of each machine that has something to do: what runs, and the two that follow."""
    seconds = (now - sheet.at(0.0)).total_seconds()
    found: dict[str, tuple[OnTheWall | None, ...]] = {}
    for station in sheet.plan.stations:
        running = [one for one in sheet.fixed if one.machine == station.name and one.state == "running"]
        waits = [one for one in sheet.fixed if one.machine == station.name and one.state == "waiting"]
        ahead = [_of(f"{one.number} {without_origin(one.lot)}", one.load_kg, sheet.at(one.start_s), units) for one in waits]
        ahead += [
            _of(without_origin(block.share.need.lot), block.share.load_kg, sheet.at(block.start_s), units)
            for block in sorted(sheet.plan.of(station.name), key=lambda block: block.start_s)
            if block.share is not None
        ]
        runs = None
        if running:
            one = running[-1]
            minutes = max((seconds - one.start_s) / 60.0, 0.0)
            runs = OnTheWall(
                f"{one.number} {without_origin(one.lot)}", units.text(one.load_kg, "kg", 2), tr("for {:.0f} min", minutes)
            )
        elif any(start_s <= seconds < end_s for start_s, end_s in _preheats(sheet, station.name)):
            runs = OnTheWall(tr("preheat"), "", tr("first charge {}", ahead[0].when) if ahead else "")
        if runs is not None or ahead:
            found[station.name] = (runs, *([*ahead, None, None][:2]))
    return found


def _of(what: str, load_kg: float | None, at: datetime, units: Units) -> OnTheWall:
    return OnTheWall(what, units.text(load_kg, "kg", 2), tr("{:%-H:%M}", at))


def _preheats(sheet: DaySheet, machine: str) -> list[tuple[float, float]]:
    own = [(one.start_s, one.end_s) for one in sheet.fixed if one.machine == machine and one.state == "preheat"]
    return own + [(block.start_s, block.end_s) for block in sheet.plan.of(machine) if block.kind == "preheat"]


class WallBoard(QWidget):
    """A window of its own; it follows the plan that it is shown."""

    def __init__(self) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setWindowTitle(tr("Firnel: the day"))
        self.resize(1280, 720)
        column = QVBoxLayout(self)
        column.setContentsMargins(SPACE_L, SPACE_L, SPACE_L, SPACE_L)
        self._title = label("", "wallTitle")
        column.addWidget(self._title)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(SPACE_L)
        column.addLayout(self._grid, 1)

    def show_day(self, sheet: DaySheet, now: datetime, units: Units) -> None:
        """Show what is now, next and then."""
        self._title.setText(tr("{:%A %-d %B, %-H:%M}", now))
        empty(self._grid)
        machines = wall_of(sheet, now, units)
        for row, step in enumerate(STEPS, 1):
            self._grid.addWidget(label(step, "wallStep"), row, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.setRowStretch(row, 1)
        for column, (name, several) in enumerate(machines.items(), 1):
            head = ElidedLabel("wallMachine")
            head.show_text(name)
            self._grid.addWidget(head, 0, column)
            self._grid.setColumnStretch(column, 1)
            for row, one in enumerate(several, 1):
                cell, inside = QWidget(), QVBoxLayout()
                cell.setLayout(inside)
                inside.setContentsMargins(0, 0, 0, 0)
                what, about = ElidedLabel("wallNow" if row == 1 else "wallNext"), ElidedLabel("wallAbout")
                what.show_text(one.what if one is not None else "–")
                about.show_text(" · ".join(part for part in (one.load, one.when) if part) if one is not None else "")
                inside.addWidget(what)
                inside.addWidget(about)
                inside.addStretch(1)
                self._grid.addWidget(cell, row, column)
        if not machines:
            self._grid.addWidget(label(tr("Nothing is left to roast."), "wallNext"), 1, 1)
