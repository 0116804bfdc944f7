"""The simulated roaster as a process of its own: Modbus server, optional panel window, optional automatic hand."""

from __future__ import annotations

import json
import sys
import threading
from dataclasses import replace
from pathlib import Path

import numpy as np

from firnel.app.ends import end_on_signals, end_with_parent, wake_qt_on_signals
from firnel.core.plan import Plan
from firnel.core.vocabulary import Control
from firnel.devices.simulator.auto_hand import AutomaticHand, HandHabits
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad
from firnel.devices.simulator.plant import Fault, Knob, Plant
from firnel.devices.simulator.server import SimulatorServer
from firnel.work.desk import machine_of_kind


def make_plant(
    kind: str,
    speed: float,
    seed: int,
    steel_c: float | None,
    plan: Plan | None,
    load: GreenLoad | None = None,
    again_s: float | None = None,
    truth: Path | None = None,
    fault: Fault = Fault.NONE,
    delay_s: float = 2.0,
) -> Plant:
    """A simulated machine, idling near its charge temperature, or cold where ``steel_c`` says so.

    Raises
    ------
    ValueError : if there is no such kind, or the speed is out of range.
    """
    if kind not in KINDS:
        raise ValueError(f"There is no machine kind {kind!r}; there are {', '.join(KINDS)}.")
    rng = np.random.default_rng(seed)
    roaster = DrumRoaster(KINDS[kind], rng, steel_c=208.0 if steel_c is None else steel_c)
    roaster.set(Control.AIRFLOW, 0.2 * roaster.kind.controls[Control.AIRFLOW].high)
    load = load or GreenLoad(roaster.kind.load_kg)
    hand = None
    if plan is not None:
        mass = plan.load_kg or load.mass_kg
        load = replace(load, mass_kg=mass)
        hand = AutomaticHand(plan, load, HandHabits(delay_s=delay_s, again_after_s=again_s), rng)
    plant = Plant(roaster, speed, hand, load, truth)
    plant.fault = fault
    return plant


def serve(plant: Plant, port: int, panel: bool, with_parent: bool = False) -> int:
    """Run until the process is told to stop, or its parent is gone. The port is printed when clients can connect."""
    server = SimulatorServer(plant, port)
    server.start()
    kind, done = plant.roaster.kind, threading.Event()
    if not panel:
        end_on_signals(done.set)  # before anybody knows that it is there
    print(json.dumps({"port": server.port, "machine": kind.name, "speed": plant.speed}), flush=True)
    try:
        if panel:
            return _with_panel(plant, kind.name, kind.title, with_parent)
        if with_parent:
            end_with_parent(done.set)
        while not done.wait(0.5):
            pass
        return 0
    finally:
        server.stop()


def _with_panel(plant: Plant, kind: str, title: str, with_parent: bool) -> int:
    from PyQt6.QtWidgets import QApplication

    from firnel.ui.shared.background import Hop
    from firnel.ui.shared.collector import Collector
    from firnel.ui.simulator_panel import SimulatorPanel
    from firnel.ui.theme.look import Look

    application = QApplication(sys.argv[:1])
    Collector(application)
    Look(application).use("day")
    window = SimulatorPanel(
        machine_of_kind(title, kind),
        f"{title}, simulated",
        lambda: (plant.input_registers(), plant.holding_registers()),
        lambda register, value: plant.write(Knob(register), value),
        plant.load.mass_kg,
    )
    window.resize(460, 420)
    if (screen := application.primaryScreen()) is not None:  # out of the way of rail and cue, wherever no one else puts it
        room = screen.availableGeometry()
        window.move(room.right() + 1 - window.width(), room.bottom() + 1 - window.height())
    window.show()
    end_on_signals(application.quit)
    wake_qt_on_signals(window)
    if with_parent:
        hop = Hop()
        end_with_parent(lambda: hop.post(application.quit))
    return application.exec()
