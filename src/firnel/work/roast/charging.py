"""The charge as the readings show it: of a forgotten key, of one that came too early, and of other beans in the same drum."""

from __future__ import annotations

import math

import numpy as np

from firnel.core.mark_finding import find_recharge
from firnel.core.vocabulary import Found, Mark, MarkKind
from firnel.core.words import tr
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.charge_watch import LOOK_BACK_S
from firnel.work.roast.kept_batch import KeptBatch

#: A plunge so long behind the key of the charge is the charge. [s]
EARLY_KEY_S = 15.0
#: Other beans are looked for so often, from so long behind the last charge on, so far back, and not sooner behind a drop. [s]
OTHERS_EVERY_S, OTHERS_FROM_S, OTHERS_BACK_S, OUT_S = 5.0, 150.0, 300.0, 20.0
#: A plunge of the probe so long after a drop is the next charge. [s]
NEXT_CHARGE_S = 90.0


class Charging(KeptBatch):
    """A batch whose charge and turn are found where nobody tells them."""

    _others_t = -math.inf

    def _begin(self, order: BatchOrder, keep_s: float) -> float:
        """Begin another record; the session does. Returns by how much log time has moved. [s]"""
        raise NotImplementedError

    def _look_for_charge(self) -> None:
        """The key may have been forgotten: a plunge of the probe is a charge."""
        drop = self._hands.marks.get(MarkKind.DROP)
        again = drop is not None and self.now() - drop.t > NEXT_CHARGE_S
        if (charge_t := self._watch.charge(self.trace)) is None:
            return
        if MarkKind.CHARGE in self._hands.marks and not again:
            self._charge_came_later(charge_t)
            return
        if again:
            if drop is None or charge_t < drop.t + NEXT_CHARGE_S:
                return
            self.close()  # the last one waits for its figures; these beans are another batch
        if not self.recording:
            shift = self._begin(BatchOrder(machine=self.machine, operator=self.order.operator), keep_s=60.0)
            charge_t -= shift
            self.message = tr(
                "The beans fell in without a prepared batch: recorded as {}. {prepare}: say what they are.", self.label
            )
        else:
            self.message = tr("Charge found from the curve.")
        self._set_mark(Mark(MarkKind.CHARGE, charge_t, self.trace.bean_at(charge_t), Found.CURVE))

    def _charge_came_later(self, charge_t: float) -> None:
        """A key that was pressed before the beans fell in: they did when the probe says so."""
        told = self._hands.marks[MarkKind.CHARGE]
        mark = Mark(MarkKind.CHARGE, charge_t, self.trace.bean_at(charge_t), Found.CURVE)
        fresh = self.now() - told.t <= LOOK_BACK_S - EARLY_KEY_S or self.charge_shows is False
        early = told.found is not Found.CURVE and fresh and charge_t >= told.t + EARLY_KEY_S
        if self.phase != "drying" or not early or self._contradiction(mark):  # behind yellow it may be the drop
            return
        self._charge_anew(mark)
        self.say(tr("The beans fell in {:.0f} s after the key: the charge is there now.", charge_t - told.t))

    def _look_for_other_beans(self) -> None:
        """Other beans in the drum, though nobody has told that the last ones left: they are a batch of their own."""
        charge, drop = (self._hands.marks.get(kind) for kind in (MarkKind.CHARGE, MarkKind.DROP))
        if charge is None or 0.0 <= self.now() - self._others_t < OTHERS_EVERY_S:
            return
        self._others_t = self.now()
        since = max(charge.t + OTHERS_FROM_S, self.now() - OTHERS_BACK_S, -math.inf if drop is None else drop.t + OUT_S)
        t = self.trace.column("t")
        part = slice(int(np.searchsorted(t, since)), None)
        other_t = find_recharge(t[part], self.trace.sound_bean()[part])
        if other_t is None:
            return
        last = self.label
        self.close()
        shift = self._begin(BatchOrder(machine=self.machine, operator=self.order.operator), keep_s=self.now() - other_t + OUT_S)
        other_t -= shift
        self._set_mark(Mark(MarkKind.CHARGE, other_t, self.trace.bean_at(other_t), Found.CURVE))
        self.say(tr("Other beans fell in: recorded as {}; {} ended before. {prepare}: say what they are.", self.label, last))

    def _look_for_turning(self) -> None:
        charge = self._hands.marks.get(MarkKind.CHARGE)
        if charge is None or MarkKind.TURNING in self._hands.marks:
            return
        turning_t = self._watch.turning(self.trace, charge.t)
        if turning_t is not None:
            self._set_mark(Mark(MarkKind.TURNING, turning_t, self.trace.bean_at(turning_t), Found.CURVE))
