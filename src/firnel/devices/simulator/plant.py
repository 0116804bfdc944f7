"""The simulated machine as a plant in real time: registers in front, physics behind, faults on demand."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable
from enum import IntEnum
from pathlib import Path

import numpy as np

from firnel.core.vocabulary import Role
from firnel.core.words import tr
from firnel.devices.simulator.auto_hand import AutomaticHand
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad


class Fault(IntEnum):
    """What can be provoked."""

    NONE = 0
    SILENCE = 1  #: the machine stops answering
    FROZEN = 2  #: the probes repeat their last value
    SPIKE = 3  #: now and then a wild bean reading
    CABLE = 4  #: the connection breaks and cannot be made
    EXCEPTION = 5  #: the machine answers with Modbus exceptions


class Knob(IntEnum):
    """Holding registers, which the panel writes. Settings in hundredths of their unit, load in grams."""

    GAS = 0
    AIRFLOW = 1
    DRUM = 2
    CHARGE_DOOR = 3
    DROP_DOOR = 4
    FAULT = 5
    SECOND_HEAT = 6
    THIRD_HEAT = 7


COLOUR_WORDS = ("green", "pale", "yellow", "tan", "light brown", "brown", "dark brown")
INPUT_REGISTERS = 16
#: The longest time that is caught up in one go; a machine that was stopped does not race. [s]
MOST_CATCH_UP = 120.0


class Plant:
    """Keeps a `DrumRoaster` in step with the wall clock, ``speed`` times as fast.

    Parameters
    ----------
    roaster : the machine.
    speed : its seconds per second of ours.
    hand : follows a plan by itself, or None.
    load : charged when the door register is written without a mass.
    truth : file to which what truly happened is written, one JSON document a line.
    source : wall clock. [s]
    """

    def __init__(
        self,
        roaster: DrumRoaster,
        speed: float = 1.0,
        hand: AutomaticHand | None = None,
        load: GreenLoad | None = None,
        truth: Path | None = None,
        source: Callable[[], float] = time.monotonic,
    ) -> None:
        if not 0 < speed <= 60:
            raise ValueError(tr("the simulator runs at up to 60 times the speed of life, not at {}.", speed))
        self.roaster, self.speed, self.hand = roaster, speed, hand
        self.load = load or GreenLoad(roaster.kind.load_kg)
        self.fault = Fault.NONE
        kind = roaster.kind
        self._knobs = {
            Knob.GAS: kind.first(Role.HEAT), Knob.AIRFLOW: kind.first(Role.AIRFLOW), Knob.DRUM: kind.first(Role.MOTION),
            **{knob: one.control for knob, one in zip((Knob.SECOND_HEAT, Knob.THIRD_HEAT), kind.more, strict=False)},
        }  # fmt: skip
        self._truth = truth
        self._source = source
        self._last = source()
        self._rng = np.random.default_rng(1)
        self._frozen: tuple[float, float] | None = None
        self._seen: set[str] = set()
        self._lock = threading.RLock()

    def advance(self) -> None:
        """Bring the machine up to now."""
        with self._lock:
            now = self._source()
            behind = min((now - self._last) * self.speed, MOST_CATCH_UP)
            self._last = now
            while behind > 1e-6:
                step = min(0.25, behind)
                self.roaster.step(step)
                if self.hand is not None:
                    self.hand.step(self.roaster)
                self._note_truth()
                behind -= step

    def write(self, knob: Knob, value: int) -> None:
        """A knob was turned or a door opened. Values that make no sense are ignored, as a machine would."""
        knob = Knob(knob)
        with self._lock:
            self.advance()
            control = self._knobs.get(knob)
            if control is not None:
                self.roaster.set(control, value / 100.0)
            elif knob is Knob.CHARGE_DOOR and value and self.roaster.beans is None:
                from dataclasses import replace

                self.roaster.charge(replace(self.load, mass_kg=value / 1000.0))
            elif knob is Knob.DROP_DOOR and value and self.roaster.beans is not None:
                self.roaster.drop()
            elif knob is Knob.FAULT and value in set(Fault):
                self.fault = Fault(value)
                self._frozen = None
            self._note_truth()

    def input_registers(self) -> list[int]:
        """What the machine says, as raw 16-bit words, shape (16,)."""
        with self._lock:
            self.advance()
            roaster = self.roaster
            bean, air = roaster.read()
            if self.fault is Fault.FROZEN:
                bean, air = self._frozen = self._frozen or (bean, air)
            elif self.fault is Fault.SPIKE and self._rng.random() < 0.03:
                bean += float(self._rng.choice([-90.0, 140.0]))
            beans, tray = roaster.beans, roaster.dropped
            word = COLOUR_WORDS.index(beans.colour_word) if beans else 0
            words = [
                round(bean * 10), round(air * 10), round(self._set(Knob.GAS) * 100),
                round(self._set(Knob.AIRFLOW) * 10), round(self._set(Knob.DRUM) * 10),
                int(beans is not None), round(self.speed * 10), round(100 * roaster.crack_rate), word,
                round(1000 * beans.mass_kg) if beans else 0, round(1000 * tray.mass_kg) if tray else 0,
                round(10 * tray.colour) if tray else 0, round(10 * (tray.colour + 2.0)) if tray else 0,
                round(10 * self._set(Knob.SECOND_HEAT)), round(10 * self._set(Knob.THIRD_HEAT)),
            ]  # fmt: skip
            words += [0] * (INPUT_REGISTERS - len(words))
            return [word & 0xFFFF for word in words]

    def holding_registers(self) -> list[int]:
        """The knobs as they stand, raw words by `Knob`."""
        with self._lock:
            stand = {knob: round(self._set(knob) * 100) & 0xFFFF for knob in self._knobs} | {Knob.FAULT: int(self.fault)}
            return [stand.get(knob, 0) for knob in Knob]

    def _set(self, knob: Knob) -> float:
        """How a knob stands; 0 for one that this machine does not have."""
        control = self._knobs.get(knob)
        return self.roaster.settings[control] if control is not None else 0.0

    def _note_truth(self) -> None:
        """Write down what truly happened, once each a batch, with the wall time that it happened at."""
        beans, roaster = self.roaster.beans, self.roaster
        if beans is not None and "charge" not in self._seen:
            self._seen = {"charge"}
            self._say("charge", load_kg=beans.load.mass_kg)
        if beans is not None and "yellow" not in self._seen and beans.mean_c >= beans.yellow_c:
            self._seen.add("yellow")
            self._say("yellow")
        if beans is not None and "first_crack" not in self._seen and beans.mean_c >= beans.crack_c:
            self._seen.add("first_crack")
            self._say("first_crack")
        if roaster.dropped is not None and "charge" in self._seen:
            self._seen = set()
            tray = roaster.dropped
            self._say("drop", roasted_kg=round(tray.mass_kg, 4), colour_whole=round(tray.colour, 1))

    def _say(self, what: str, **more: float) -> None:
        if self._truth is not None:
            line = {"event": what, "t": round(self.roaster.t, 2), "bean": round(self.roaster.bean_probe_c, 2), **more}
            with self._truth.open("a", encoding="utf-8") as file:
                file.write(json.dumps(line) + "\n")
