"""One roast on the model of a machine as it goes by, second by second, under hands that nobody knows beforehand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from firnel.core.model.constants import IdleState, StartState, hands_of
from firnel.core.model.learning import MachineModel
from firnel.core.model.planned import load_of
from firnel.core.model.simulation import State, carry_on, idle, start_state
from firnel.core.model.thresholds import GreenTraits
from firnel.core.vocabulary import Control, Machine, Role
from firnel.core.words import tr

#: Noise of the probes, as an instrument shows it. [K]
NOISE_C = 0.15
#: Steps of the model are no longer than this. [s]
LONGEST_STEP_S = 1.0


class VirtualRoaster:
    """A machine that is only its model: set its controls, charge it, step it, read its probes.

    Parameters
    ----------
    model, machine : fitted, and its scales.
    green : of the lot that will be charged; where its marks come is drawn from what is known of them.
    rng : of noise and marks.
    steel_c, probe_c, room_c : as it stands, empty. [degC]
    """

    def __init__(
        self,
        model: MachineModel,
        machine: Machine,
        green: GreenTraits,
        rng: np.random.Generator,
        steel_c: float,
        probe_c: float,
        room_c: float = 22.0,
    ) -> None:
        self._model, self._machine, self._green, self._rng, self._room = model, machine, green, rng, room_c
        self.t = 0.0
        self.settings = {
            control: 0.75 * scale.high if machine.role(control) is Role.MOTION else scale.low
            for control, scale in machine.controls.items()
        }
        self.uptake, self.gust = 1.0, 0.0  #: of heat, against what is expected; and of the draft, as a share of full flow
        air = np.array([probe_c + model.air_over_charge_c])
        self._empty = IdleState(np.array([steel_c]), np.array([probe_c]), air, np.zeros(1))
        self._full: State | None = None
        self._cracked_t: float | None = None
        self._load = load_of(model, green, machine.useful_load_kg or 1.0, room_c)
        self._luck = 0.5 * rng.standard_normal(2)
        self.yellow_c, self.crack_c = self._levels(machine.useful_load_kg)

    def _levels(self, load_kg: float | None) -> tuple[float, float]:
        """Where a load of this green turns yellow and cracks. [degC]"""
        told = (mark.expect(self._green, load_kg) for mark in (self._model.yellow, self._model.crack))
        yellow, crack = (mean + luck * sd for (mean, sd), luck in zip(told, self._luck, strict=True))
        return yellow, crack

    @property
    def bean_c(self) -> float | None:
        """Mean bean temperature [degC]; None while the drum is empty."""
        return float(self._full.bean[0]) if self._full is not None else None

    def set(self, control: Control, value: float) -> None:
        """Move a control, to the nearest value of its scale."""
        if control in self._machine.controls:
            self.settings[control] = self._machine.controls[control].nearest(value)

    def charge(self, mass_kg: float) -> None:
        """The load falls in.

        Raises
        ------
        ValueError : if there are beans in the drum already, or the load weighs nothing.
        """
        if self._full is not None:
            raise ValueError(tr("there are beans in the drum already."))
        if mass_kg <= 0:
            raise ValueError(tr("a load of {} kg cannot be charged.", mass_kg))
        load = load_of(self._model, self._green, mass_kg, self._room)
        self._load = replace(load, uptake=np.asarray(load.uptake) * self.uptake)
        self.yellow_c, self.crack_c = self._levels(mass_kg)
        empty = self._empty
        start = StartState(empty.steel, empty.bean_probe, empty.air_probe, self._room)
        self._full = replace(start_state(self._model.fitted.constants, self._load, start, 1), heat=empty.heat, more=empty.more)

    def drop(self) -> None:
        """The beans leave.

        Raises
        ------
        ValueError : if the drum is empty.
        """
        if self._full is None:
            raise ValueError(tr("there are no beans in the drum."))
        full, self._full, self._cracked_t = self._full, None, None
        self._empty = IdleState(full.steel, full.bean_probe, full.air_probe, full.heat, full.more)

    def step(self, seconds: float) -> None:
        """Let time go by."""
        count = max(1, int(np.ceil(seconds / LONGEST_STEP_S - 1e-9)))
        step = seconds / count
        made = hands_of(self._machine, {c: np.full(count, value) for c, value in self.settings.items()}, count)
        hands, constants = replace(made, air=np.clip(made.air + self.gust, 0.0, 1.2)), self._model.fitted.constants
        if self._full is not None:
            self._full = carry_on(constants, self._load, self._room, self._full, hands, step, self.t).end
            if self._cracked_t is None and float(self._full.bean[0]) >= self.crack_c:
                self._cracked_t = self.t + seconds
        else:
            self._empty = idle(constants, self._room, self._empty, hands, step).end
        self.t += seconds

    def read(self) -> tuple[float, float]:
        """Bean and air probe as the instrument shows them, with noise, to a tenth. [degC]"""
        state = self._full if self._full is not None else self._empty
        noise = NOISE_C * self._rng.standard_normal(2)
        if self._cracked_t is not None:  # what the model leaves out is reckoned with in every plan
            noise[0] += float(self._model.drift.after(np.array(self.t - self._cracked_t)))
        return round(float(state.bean_probe[0] + noise[0]), 1), round(float(state.air_probe[0] + noise[1]), 1)
