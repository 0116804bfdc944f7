"""The control panel of the simulated roaster: a window of its own, for the hands that are not Firnel's."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QHBoxLayout, QLabel, QSlider, QVBoxLayout, QWidget

from firnel.core.vocabulary import Machine, Role
from firnel.core.words import capital, tr
from firnel.ui.shared.parts import button, card, label

FAULTS = (
    tr("no fault"), tr("silence"), tr("frozen probes"), tr("spikes"), tr("broken cable"), tr("exceptions")
)  # fmt: skip
COLOURS = (
    tr("green"), tr("pale"), tr("yellow"), tr("tan"), tr("light brown"), tr("brown"), tr("dark brown")
)  # fmt: skip


class SimulatorPanel(QWidget):
    """Knobs for burner, damper and drum, both doors, and faults.

    Parameters
    ----------
    machine : whose scales the knobs have.
    title : of the window.
    read : gives the input registers, shape (16,), and the holding registers.
    write : writes a holding register.
    load_kg : charged when the door is opened.
    """

    def __init__(
        self,
        machine: Machine,
        title: str,
        read: Callable[[], tuple[list[int], list[int]]],
        write: Callable[[int, int], None],
        load_kg: float,
    ) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setWindowTitle(title)
        self._read, self._write = read, write
        column = QVBoxLayout(self)
        column.addWidget(label(title, "heading"))
        column.addWidget(label(tr("Simulated. Firnel only reads it; these are the roaster's hands."), "soft", wrap=True))
        self._state = label("", "bigFigure")
        self._sense = label("", "heading")
        column.addWidget(self._state)
        column.addWidget(self._sense)
        frame, inside = card()
        grid = QGridLayout()
        inside.addLayout(grid)
        self._values: list[tuple[int, QSlider, QLabel, float, str]] = []
        first = [machine.main_heat, machine.main_air, *machine.of(Role.MOTION)[:1]]
        registers = dict(zip((0, 1, 2, 6, 7), [*first, *machine.of(Role.HEAT)[1:]], strict=False))
        for row, (register, control) in enumerate(registers.items()):
            scale = machine.controls[control]
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setAccessibleName(control.words)
            slider.setRange(round(scale.low / scale.step), round(scale.high / scale.step))
            value = label("", "figure")
            grid.addWidget(label(capital(machine.word(control))), row, 0)
            grid.addWidget(slider, row, 1)
            grid.addWidget(value, row, 2)
            slider.setProperty("register", register)
            slider.setProperty("step", scale.step)
            slider.valueChanged.connect(self._on_slider)
            self._values.append((register, slider, value, scale.step, scale.unit))
        column.addWidget(frame)
        doors = QHBoxLayout()
        self._load = _load_box(machine, load_kg)
        charge, drop = button(tr("Open charge door")), button(tr("Open drop door"))
        charge.clicked.connect(self._on_charge)
        drop.clicked.connect(self._on_drop)
        for widget in (self._load, charge, drop):
            doors.addWidget(widget)
        column.addLayout(doors)
        self._fault = QComboBox()
        self._fault.setAccessibleName(tr("Fault"))
        self._fault.addItems(FAULTS)
        self._fault.currentIndexChanged.connect(self._on_fault)
        column.addWidget(self._fault)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.refresh)
        self._timer.start(300)
        self.refresh()

    def refresh(self) -> None:
        """Show how the machine stands."""
        says, knobs = self._read()
        loaded, crack, word = says[5], says[7], says[8]
        self._state.setText(tr("bean {:.1f} °C   air {:.1f} °C", says[0] / 10, says[1] / 10))
        if loaded:
            cracks = tr("  ·  cracking") if crack > 15 else (tr("  ·  single pops") if crack else "")
            self._sense.setText(tr("trier: {}{}", COLOURS[word], cracks))
        elif says[10]:
            self._sense.setText(tr("tray: {} g, colour {:.1f} whole, {:.1f} ground", says[10], says[11] / 10, says[12] / 10))
        else:
            self._sense.setText(tr("drum empty"))
        for register, slider, value, step, unit in self._values:
            raw = knobs[register] if register < len(knobs) else 0
            if not slider.isSliderDown():
                slider.blockSignals(True)
                slider.setValue(round(raw / 100 / step))
                slider.blockSignals(False)
            value.setText(tr("{:.{}f} {}", raw / 100, 0 if step >= 1 else 1, unit))

    def _on_slider(self, steps: int) -> None:
        slider = self.sender()
        if slider is not None:
            self._write(int(slider.property("register")), round(steps * float(slider.property("step")) * 100))

    def _on_charge(self) -> None:
        self._write(3, round(self._load.value() * 1000))

    def _on_drop(self) -> None:
        self._write(4, 1)

    def _on_fault(self, index: int) -> None:
        self._write(5, index)


def _load_box(machine: Machine, load_kg: float) -> QDoubleSpinBox:
    box = QDoubleSpinBox()
    box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    box.setAccessibleName(tr("Load, kg"))
    box.setRange(0.1, machine.stated_load_kg)
    box.setValue(load_kg)
    box.setSuffix(" kg")
    return box
