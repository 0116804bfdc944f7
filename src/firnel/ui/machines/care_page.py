"""Care of a machine: jobs and when they are due, probe checks, seasoning, with the cautions where the work is."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from firnel.core.units import clock
from firnel.core.vocabulary import Machine
from firnel.core.words import later, tr
from firnel.ui.shared.entries import FigureEntry
from firnel.ui.shared.entry_list import Entry, EntryList
from firnel.ui.shared.parts import ElidedLabel, bare_area, button, card, choose, chosen, label, offer
from firnel.ui.theme.tokens import SPACE_M, SPACE_S
from firnel.work.desk import Desk
from firnel.work.machines.care import (
    CARE_JOBS,
    SEASON_STEPS,
    SEASONING,
    SEASONING_LOADS,
    TUMBLE_S,
    CareSheet,
    ImportRefusedError,
    care_sheet,
    keep_interval,
    measure_step,
    note_done,
    note_probe_check,
    note_probe_moved,
    note_seasoning,
    probe_places,
    strike_entry,
)
from firnel.work.machines.meters import note_meter, unit_of

#: Said while no load is under way; each step has its own cautions.
AT_REST = "  ".join((SEASONING[0], *SEASONING[2:4]))


class CarePage(QWidget):
    """Shows where the care of one machine stands, and takes down what was done."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._machine: Machine | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, column = bare_area(tr("Care and probes"))
        outer.addWidget(area)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        column.addWidget(self._jobs())
        column.addWidget(self._probes(), 1)
        column.addWidget(self._seasoning())

    def _jobs(self) -> QWidget:
        frame, column = card(spacing=2)
        column.addWidget(label(tr("Care"), "heading"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(SPACE_M)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        self._rows: list[tuple[QLabel, ElidedLabel, QProgressBar, QPushButton]] = []
        self._every: list[FigureEntry] = []
        for row in range(len(CARE_JOBS)):
            title, words, bar = label(), ElidedLabel("soft"), QProgressBar()
            every = FigureEntry(tr("Interval"))
            every.setToolTip(tr("How often; empty is the usual interval. The maker's manual comes first."))
            every.setFixedSize(66, 26)
            every.editingFinished.connect(partial(self._on_every, row))
            self._every.append(every)
            bar.setTextVisible(False)
            bar.setRange(0, 100)
            bar.setFixedSize(48, 10)
            done = button(tr("Done"), tr("It was done just now"))
            done.setFixedHeight(27)
            done.clicked.connect(partial(self._on_done, row))
            for index, widget in enumerate((title, words, bar, every, done)):
                grid.addWidget(widget, row, index)
            self._rows.append((title, words, bar, done))
        column.addLayout(grid)
        self._caution = label("", "caution", wrap=True)
        column.addWidget(self._caution)
        return frame

    def _probes(self) -> QWidget:
        frame, column = card(spacing=4)
        column.addWidget(label(tr("Probes and meter"), "heading"))
        row = QHBoxLayout()
        self._probe, self._kind = QComboBox(), QComboBox()
        self._probe.setAccessibleName(tr("Probe"))
        self._kind.setAccessibleName(tr("Kind of check"))
        offer(self._kind, (later("boiling"), later("ice"), later("moved")))
        self._kind.currentIndexChanged.connect(lambda _: self._read.setEnabled(chosen(self._kind) != "moved"))
        self._read = FigureEntry(tr("Reading in the water"))
        self._read.setFixedWidth(140)
        keep, step = (
            button(tr("Keep"), tr("Keep the reading (Enter)")),
            button(tr("Plunge log"), tr("A log of the probe plunged into hot water")),
        )
        keep.setAccessibleName(tr("Keep the reading"))
        keep.clicked.connect(self._on_check)
        self._read.returnPressed.connect(self._on_check)
        step.clicked.connect(self._on_step)
        for widget in (self._probe, self._kind, self._read, keep, step):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        column.addLayout(self._meter())
        self._said = label("", "", wrap=True)
        column.addWidget(self._said)
        column.addWidget(label(tr("Noted of probes, meter, care and seasoning"), "kicker"))
        self._entries = EntryList(tr("What was noted"))
        self._entries.toggled.connect(self._on_struck)
        self._entries.setMinimumHeight(96)
        column.addWidget(self._entries, 1)
        return frame

    def _meter(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(SPACE_S)
        self._meter_name = label("", "")
        self._metered = FigureEntry(tr("Reading of the meter"))
        self._metered.setFixedWidth(140)
        self._another = QCheckBox(tr("another meter"))
        self._another.setToolTip(tr("The meter was changed: nothing was used up to this reading"))
        keep = button(tr("Keep"), tr("Keep what the meter shows (Enter)"))
        keep.setAccessibleName(tr("Keep the meter's reading"))
        keep.clicked.connect(self._on_meter)
        self._metered.returnPressed.connect(self._on_meter)
        for widget in (self._meter_name, self._metered, self._another, keep):
            row.addWidget(widget)
        row.addStretch(1)
        return row

    def _on_meter(self) -> None:
        if self._machine is None:
            return
        try:
            value = self._metered.read(self._desk.settings.units, unit_of(self._machine))
            if value is None:
                return
            by, another = self._desk.settings.operator, self._another.isChecked()
            said = self._desk.ask(note_meter, self._machine, value, self._desk.clock.wall(), by, another)
        except ValueError as error:
            self._said.setText(str(error))
            return
        self._metered.clear()
        self._another.setChecked(False)
        self._said.setText(said)
        self.changed.emit()

    def _seasoning(self) -> QWidget:
        frame, column = card(spacing=2)
        row = QHBoxLayout()
        self._season_title = label("", "heading")
        self._season_go = button(tr("Begin a load"), tr("Step by step, with its cautions"))
        self._season_go.clicked.connect(self._on_season)
        row.addWidget(self._season_title, 1)
        row.addWidget(self._season_go)
        column.addLayout(row)
        self._season_words = label(AT_REST, "caution", wrap=True)
        column.addWidget(self._season_words)
        self._season_step: int | None = None
        self._tumbling: float | None = None
        self._season_tick = QTimer(self)
        self._season_tick.timeout.connect(self._show_season)
        return frame

    def _on_season(self) -> None:
        """The next step of a seasoning load; after the last it is noted."""
        if self._season_step is None:
            self._season_step = 0
        elif self._season_step + 1 < len(SEASON_STEPS):
            self._season_step += 1
        else:
            self._season_step, self._tumbling = None, None
            self._season_tick.stop()
            self._on_load()
            return
        self._tumbling = self._desk.clock.now() if SEASON_STEPS[self._season_step].tumbles else None
        self._season_tick.start(1000)
        self._show_season()

    def _show_season(self) -> None:
        if self._season_step is None:
            self._season_words.setText(AT_REST)
            self._season_go.setText(tr("Begin a load"))
            self._season_go.setEnabled(True)
            return
        step = SEASON_STEPS[self._season_step]
        last = self._season_step + 1 == len(SEASON_STEPS)
        title = tr("{} of {}: {}", self._season_step + 1, len(SEASON_STEPS), step.words)
        if self._tumbling is not None:
            since = self._desk.clock.now() - self._tumbling
            title += f", {clock(since)}"
            self._season_go.setEnabled(since >= TUMBLE_S[0])
            if since > TUMBLE_S[1]:
                title += tr(": out with it now")
        else:
            self._season_go.setEnabled(True)
        self._season_title.setText(title)
        self._season_words.setText(step.caution)
        self._season_go.setText(tr("It is thrown away") if last else tr("Done, go on"))

    def _on_every(self, row: int) -> None:
        if self._machine is None:
            return
        state = self._states[row]
        try:
            every = self._every[row].figure()
            if every != state.job.every:
                self._machine = self._desk.ask(keep_interval, self._machine, state.job.key, every)
                self.changed.emit()
        except ValueError as error:
            self._said.setText(str(error))
        self.show_machine(self._machine)

    def question(self, machine: Machine) -> Callable[[], CareSheet]:
        """What reads where the care of a machine stands."""
        return partial(self._desk.ask, care_sheet, machine, self._desk.clock.wall())

    def show_machine(self, machine: Machine) -> None:
        """Read where the care of a machine stands, and show it."""
        self.show_sheet(machine, self.question(machine)())

    def show_sheet(self, machine: Machine, sheet: CareSheet) -> None:
        """Show where the care of a machine stands."""
        if self._machine is None or self._machine.id != machine.id:
            self._said.setText("")
        self._machine = machine
        units = self._desk.settings.units
        self._states = sheet.states
        for (title, words, bar, _), every, state in zip(self._rows, self._every, sheet.states, strict=False):
            every.setAccessibleName(tr("Interval of: {}, {}", state.job.title, state.job.unit))
            every.show_figure(state.job.every, 0)
            font = title.font()
            font.setBold(state.due)
            title.setFont(font)
            title.setText(state.job.title)
            last = sheet.done.get(state.job.key)
            words.show_text(
                (tr("due: {}", state.words) if state.due else state.words) + (tr(" · done {}", last) if last else "")
            )
            bar.setValue(min(100, round(100 * state.used)))
            bar.setAccessibleName(f"{state.job.title}: {state.words}")
        due = [state.job.caution for state in sheet.states if state.due and state.job.caution]
        self._caution.setText(" ".join(due))
        self._caution.setVisible(bool(due))
        before = chosen(self._probe)
        self._probe.clear()
        offer(self._probe, probe_places(machine))
        choose(self._probe, before)
        self._read.setPlaceholderText(tr("reads, {}", self._desk.settings.units.temperature))
        self._meter_name.setText(tr("Gas meter") if unit_of(machine) == "m³" else tr("Power meter"))
        self._metered.setPlaceholderText(tr("shows, {}", unit_of(machine)))
        self._entries.show_entries([Entry(one.key, units.sentence(one.words), one.struck) for one in sheet.entries])
        self._season_title.setText(tr("Seasoning a new or stripped drum: {} of {} loads", sheet.seasoned, SEASONING_LOADS))
        self._show_season()

    @property
    def _now_and_by(self) -> tuple[datetime, str]:
        return self._desk.clock.wall(), self._desk.settings.operator

    def _on_done(self, row: int) -> None:
        if self._machine is not None:
            self._desk.ask(note_done, self._machine, self._states[row].job.key, *self._now_and_by)
            self.show_machine(self._machine)

    def _on_struck(self, key: int, struck: bool) -> None:
        self._desk.ask(strike_entry, key, struck)
        self._desk.forget_model()  # it may have been that a probe was moved
        if self._machine is not None:
            self.show_machine(self._machine)

    def _on_check(self) -> None:
        if self._machine is None:
            return
        if chosen(self._kind) == "moved":
            said = self._desk.ask(note_probe_moved, self._machine, chosen(self._probe), *self._now_and_by)
            self._desk.forget_model()  # it doubts its marks now
            choose(self._kind, "boiling")  # the next press of Keep is no second move
            self.show_machine(self._machine)
            self._said.setText(said)
            self.changed.emit()
            return
        try:
            read_c = self._read.read(self._desk.settings.units, "°C")
            if read_c is None:
                return
            words = self._desk.ask(
                note_probe_check, self._machine, chosen(self._probe), chosen(self._kind), read_c, self._desk.clock.wall()
            )
        except ValueError as error:
            self._said.setText(self._desk.settings.units.sentence(str(error)))
            return
        self._read.clear()
        self._said.setText(self._desk.settings.units.sentence(words))
        self.changed.emit()

    def _on_step(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("A log of the plunge"), "", tr("Logs (*.csv)"))
        if path:
            self.take_step(Path(path))

    def take_step(self, path: Path) -> None:
        """Measure a probe's time constant from a logged plunge."""
        if self._machine is None:
            return
        try:
            lag = self._desk.ask(measure_step, self._machine, chosen(self._probe), path)
        except (ValueError, ImportRefusedError) as error:
            self._said.setText(str(error))
            return
        self._said.setText(tr("63 % of the step in {:.1f} s.", lag))
        self.changed.emit()

    def _on_load(self) -> None:
        if self._machine is None:
            return
        done = self._desk.ask(note_seasoning, self._machine, *self._now_and_by)
        self.show_machine(self._machine)
        if done >= SEASONING_LOADS:
            self._season_title.setText(tr("Seasoned: five loads are done and thrown away."))
