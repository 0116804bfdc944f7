"""An ensemble that follows a running batch: each call takes in what came since the last."""

from __future__ import annotations

import numpy as np

from firnel.core.model.forecast import MEMBERS, TAKE_EVERY_S, Forecaster
from firnel.core.model.foretelling import Marks
from firnel.core.model.learning import MachineModel, traits_of
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import bean_by, forecaster_of, near, part, stops_of


class Follower:
    """Keeps the ensemble of one batch up to date.

    A mark that was set, nudged or taken back in what is already behind makes it begin anew: rare, and a third of a second.

    Parameters
    ----------
    model : of the machine.
    seed : of the members: the same batch is always forecast alike.
    members : of the ensemble.
    """

    def __init__(self, model: MachineModel, seed: int, members: int = MEMBERS) -> None:
        self._model, self._seed, self._members = model, seed, members
        self._ensemble: Forecaster | None = None
        self._done = 0
        self._told: dict[str, float] = {}
        self._begun: tuple[object, ...] = ()

    def follow(self, batch: LoggedBatch) -> tuple[Forecaster, Marks]:
        """The ensemble after everything in the record, and the marks it knows.

        Parameters
        ----------
        batch : from charge up to now, on the grid.
        """
        begun = (batch.lot, batch.load_kg, batch.load_doubt, batch.bean_at_charge, traits_of(batch))
        marks = {name: t for name, t in (("yellow", batch.yellow_t), ("first_crack", batch.first_crack_t)) if t is not None}
        last = len(batch.hands)
        new = {name: t for name, t in marks.items() if name not in self._told}
        changed = any(self._told.get(name) != marks.get(name) for name in self._told)
        behind = any(t < (self._done - 1) * batch.step - TAKE_EVERY_S for t in new.values())
        if self._ensemble is None or begun != self._begun or changed or behind or last < self._done:
            self._ensemble = forecaster_of(self._model, batch, np.random.default_rng(self._seed), self._members)
            self._done, self._told, self._begun = 0, {}, begun
        self._advance(self._ensemble, batch, marks)
        return self._ensemble, Marks(marks.get("yellow"), marks.get("first_crack"))

    def _advance(self, ensemble: Forecaster, batch: LoggedBatch, marks: dict[str, float]) -> None:
        last = len(batch.hands)
        stops = stops_of(batch, self._done, last)
        due = {min(max(round(t / batch.step), self._done), last): name for name, t in marks.items() if name not in self._told}
        for stop in sorted(stops | set(due)):
            if stop > self._done:
                ensemble.advance(part(batch.hands, self._done, stop), bean_by(batch, stop), near(batch.air, stop))
                self._done = stop
            if stop in due:
                (ensemble.mark_yellow if due[stop] == "yellow" else ensemble.mark_first_crack)()
                self._told[due[stop]] = marks[due[stop]]
