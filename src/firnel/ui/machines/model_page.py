"""What the model knows of a machine: measured against modelled, how far to trust it, its constants; and the fit."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from firnel.core.model.learning import MachineModel
from firnel.core.units import linear_map
from firnel.core.vocabulary import FloatArray, Machine
from firnel.core.words import capital, tr
from firnel.ui.shared.background import Background
from firnel.ui.shared.glance import Glance
from firnel.ui.shared.lane_head import Key
from firnel.ui.shared.lanes import Lane, line_pen, thin_out
from firnel.ui.shared.parts import FigureGrid, button, card, label
from firnel.ui.theme.look import Look
from firnel.ui.theme.tokens import SPACE_S
from firnel.work.desk import Desk
from firnel.work.machines.knowledge import Compared, KnownOfMachine, compare, known_of, trust_words
from firnel.work.machines.learner import fit_apart

#: Constants that a roaster may make something of: name in the fit, words, unit, digits, factor.
SHOWN = (
    ("power", tr("Heat at the top of the scale"), "kW", 1, 1.0),
    ("steel_capacity", tr("Steel that is heated along"), "kJ/K", 0, 1.0),
    ("heat_lag", tr("The burner answers within"), "s", 0, 1.0),
    ("probe_lag", tr("The bean probe lags by"), "s", 1, 1.0),
    ("probe_pull", tr("Hot air pulls it by"), "%", 0, 100.0),
    ("air_probe_lag", tr("The air probe lags by"), "s", 1, 1.0),
)


class ModelPage(QWidget):
    """Shows the model of one machine, and fits it."""

    fitted = pyqtSignal()

    def __init__(self, desk: Desk, look: Look) -> None:
        super().__init__()
        self._desk, self._look = desk, look
        self._machine: Machine | None = None
        self._model: MachineModel | None = None
        self._cancel: Callable[[], None] | None = None
        self.background = Background(self, self._say_error)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(SPACE_S)
        column.addWidget(self._words())
        column.addWidget(self._plot(), 1)
        column.addWidget(self._constants())
        look.changed.connect(self._dress)
        self._dress()

    def _words(self) -> QWidget:
        frame, column = card(spacing=4)
        row = QHBoxLayout()
        self._trust = label("", "", wrap=True)
        self._bar = QProgressBar()
        self._bar.setRange(0, 100)
        self._bar.setTextVisible(False)
        self._bar.setFixedSize(140, 10)
        self._bar.setAccessibleName(tr("Progress of the fit"))
        self._bar.hide()
        self._fit, self._stop = button(tr("Fit to its batches"), primary=True), button(tr("Stop"))
        self._fit.clicked.connect(self._on_fit)
        self._stop.clicked.connect(self._on_stop)
        self._stop.hide()
        row.addWidget(self._trust, 1)
        for widget in (self._bar, self._stop, self._fit):
            row.addWidget(widget)
        column.addLayout(row)
        return frame

    def _plot(self) -> QWidget:
        frame, column = card()
        row = QHBoxLayout()
        row.addWidget(label(tr("Measured and modelled, batch"), "heading"))
        self._batch = QComboBox()
        self._batch.setAccessibleName(tr("Batch to compare"))
        self._batch.textActivated.connect(self._on_batch)
        row.addWidget(self._batch)
        self._off = label("", "soft")
        row.addWidget(self._off, 1)
        column.addLayout(row)
        self._lane = Lane(self._look, "card", with_time=True)
        self._lane.setObjectName("bare")  # it lies in a card already
        self._lane.setAccessibleName(tr("Measured and modelled curves"))
        self._lines = [pg.PlotCurveItem(connect="finite") for _ in range(4)]
        for item in self._lines:
            self._lane.plot.addItem(item, ignoreBounds=True)
        column.addWidget(self._lane, 1)
        for words, line in zip(("bean", tr("bean modelled"), "air", tr("air modelled")), self._lines, strict=True):
            self._lane.reads(words, line)
        self.glance = Glance((self._lane,))
        return frame

    def _constants(self) -> QWidget:
        frame, column = card(spacing=2)
        self._left, self._right = FigureGrid(), FigureGrid()
        row = QHBoxLayout()
        row.setSpacing(28)
        row.addWidget(self._left)
        row.addWidget(self._right)
        column.addLayout(row)
        self._constants_card = frame
        return frame

    def _dress(self) -> None:
        palette = self._look.palette
        bean, bean_model, air, air_model = self._lines
        bean.setPen(line_pen(palette.ink, 2.4))
        bean_model.setPen(line_pen(palette.moss, 2.2, Qt.PenStyle.DashLine))
        air.setPen(line_pen(palette.slate, 1.4))
        air_model.setPen(line_pen(palette.moss, 1.4, Qt.PenStyle.DotLine))

    def question(self, machine: Machine) -> Callable[[], KnownOfMachine]:
        """What reads what is known of a machine, and the batch that was looked at of it, else its newest."""
        return partial(self._desk.ask, known_of, machine, self._batch.currentText())

    def show_known(self, machine: Machine, known: KnownOfMachine) -> None:
        """Show what is known of a machine."""
        if self._machine is None or self._machine.id != machine.id:
            self._on_stop()
        self._machine = machine
        model = self._model = known.model
        told = "\n".join((*trust_words(model), f"({capital(known.whence)}.)") if model.batches else trust_words(model))
        self._trust.setText(self._desk.settings.units.sentence(told))
        self._batch.clear()
        self._batch.addItems(known.labels)
        self._batch.setCurrentText(known.shown)
        fitted = model.fitted
        rows = [
            (
                words,
                f"{tr('{:.{}f}', by * fitted.number(name), digits)} ± {tr('{:.{}f}', by * fitted.spread(name), digits)} {unit}",
            )
            for name, words, unit, digits, by in SHOWN
        ]
        self._left.show_rows(rows[:3])
        self._right.show_rows(rows[3:])
        self._show_compared(known.compared)
        self._off.setText(known.not_compared or self._off.text())

    def _on_batch(self) -> None:
        machine, chosen = self._machine, self._batch.currentText()
        if machine is None or self._model is None or not chosen:
            self._show_compared(None)
            return
        try:
            self._show_compared(self._desk.ask(compare, machine, self._model, chosen))
        except ValueError as error:
            self._show_compared(None)
            self._off.setText(str(error))

    def _show_compared(self, compared: Compared | None) -> None:
        bean, bean_model, air, air_model = self._lines
        if compared is None:
            for line in self._lines:
                line.setData([], [])
            self._off.setText("")
            return
        units = self._desk.settings.units

        factor, offset = linear_map("°C", units.temperature)

        def shown(t: FloatArray, value: FloatArray) -> tuple[FloatArray, ...]:
            return thin_out(t, value * factor + offset)

        bean.setData(*shown(compared.t, compared.bean))
        air.setData(*shown(compared.t, compared.air))
        bean_model.setData(*shown(compared.model_t, compared.model_bean))
        air_model.setData(*shown(compared.model_t, compared.model_air))
        end = float(compared.t[-1])
        low, high = (units.show(value, "°C") for value in (40.0, 260.0))
        self._lane.time_span(0.0, end)
        self._lane.level_span(low, high)
        keys = (
            Key("bean"),
            Key("air", "slate"),
            Key(tr("bean modelled"), "moss", "dash"),
            Key(tr("air modelled"), "moss", "dots"),
        )
        self._lane.head.show_head(tr("Temperature, {}", units.temperature), keys, tr("minutes from the charge"))
        kind = tr("in the fit") if compared.in_fit else tr("not in the fit")
        off = units.show_difference(compared.rms_bean_c)
        self._off.setText(tr("{:.1f} {} off, {}", off, units.temperature, kind))

    def _on_fit(self) -> None:
        machine = self._machine
        if machine is None:
            return
        self._fit.setEnabled(False)
        self._bar.setValue(0)
        self._bar.show()
        self._stop.show()
        self._trust.setText(tr("Fitting {}: some seconds. You can go on working.", machine.name))
        ask = self._desk.ask
        self._cancel = self.background.run_long(
            "fit", lambda progress: ask(fit_apart, machine, progress), self._on_fitted, self._on_progress
        )

    def _on_progress(self, done: float) -> None:
        self._bar.setValue(round(100 * done))

    def _on_fitted(self, result: Any) -> None:
        self._at_rest()
        refused: list[str] = result[1]
        self.fitted.emit()
        if refused:
            self._trust.setText(tr("{}\n{} left out: {}", self._trust.text(), len(refused), refused[0]))

    def _say_error(self, sentence: str) -> None:
        self._at_rest()
        self._trust.setText(sentence or tr("Stopped; the model is as it was."))

    def _on_stop(self) -> None:
        if self._cancel is not None:
            self._cancel()

    def _at_rest(self) -> None:
        self._cancel = None
        self._fit.setEnabled(True)
        self._bar.hide()
        self._stop.hide()
