"""Why a batch came out otherwise than its reference: what was recorded differently, and what the model finds behind the curves.

Everything recorded of the batch (moves, load, charge reading, room) is put into the model beside the reference; what the curves
then still differ by is held against one hidden cause after the other, each with an amount of its own. Which is likely is
weighed by how much of the difference it takes away, against how large it usually is, and against there being none.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from firnel.core.model.constants import Hands
from firnel.core.model.identification import logged_load, logged_start, steel_at_charge, steel_from_idling
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.simulation import Simulated, simulate
from firnel.core.vocabulary import FloatArray

#: Curves are compared from here on (before it the probe plunges), at moments this far apart. [s]
FROM_S, EVERY_S = 50.0, 20.0
#: What two clean batches differ by: a wandering part with its memory, and noise, for bean and air probe. [K], [s], [K]
BEAN_WANDER, BEAN_MEMORY, BEAN_NOISE = 1.3, 90.0, 0.4
AIR_WANDER, AIR_MEMORY, AIR_NOISE = 3.0, 60.0, 1.5
#: Two estimates of the steel from idling differ by this, two losses of the same roast by that. [K], [share]
STEEL_SPREAD, LOSS_SPREAD = 7.0, 0.008
#: How large hidden causes usually are: steel [K], load [share], probe [K], fan [share]. Common practice, no published source.
USUAL = {"steel": 14.0, "load": 0.08, "probe": 3.0, "fan": 0.18}
#: Each is tried with this amount; what it does is taken as proportional.
TRIED = {"steel": 8.0, "load": 0.05, "probe": 1.0, "fan": -0.12}
#: Settings that differ by less than this share of the scale are the same; hands that differ for less than this are a hand's own
#: reaction, and no cause. [share], [s]
UNLIKE, LEAST_MOVED_S = 0.015, 40.0
#: That nothing is behind it is believed beforehand as much as this much less misfit would tell.
NONE_WORTH = 11.0


@dataclass(frozen=True)
class Cause:
    """One candidate: ``steel`` [K], ``load`` [share], ``probe`` [K], ``fan`` [share], ``gas`` or ``air`` (moves) or ``none``.

    ``amount`` is against the reference, in the unit of the kind; for moves the time [s] at another setting. ``confidence`` is
    its share of belief [0..1] among all candidates.
    """

    kind: str
    amount: float
    confidence: float


@dataclass(frozen=True)
class _Pair:
    """Two batches on the model: what was recorded of either, and the moments at which they are compared."""

    model: MachineModel
    batch: LoggedBatch
    reference: LoggedBatch
    at: FloatArray
    count: int

    def run(self, of: LoggedBatch, steel: float, hands: Hands, load: float = 1.0, fan: float = 0.0) -> Simulated:
        """The model under what was recorded of one of them, with a hidden cause."""
        fitted = self.model.fitted
        beans = logged_load(fitted, of)
        beans = replace(beans, mass_kg=of.load_kg * load)
        drawn = replace(hands, air=hands.air * (1.0 + fan))
        return simulate(fitted.constants, beans, logged_start(fitted, of, steel), drawn, of.step)

    def curve(self, made: Simulated) -> FloatArray:
        """Bean and air probe at the compared moments, shape (2 n,)."""
        return np.concatenate(
            [np.interp(self.at, made.t, made.bean_probe[:, 0]), np.interp(self.at, made.t, made.air_probe[:, 0])]
        )


def likely_causes(model: MachineModel, batch: LoggedBatch, reference: LoggedBatch) -> tuple[Cause, ...]:
    """The candidates, the likeliest first; ``none`` stands among them.

    Parameters
    ----------
    model : of the machine that both were roasted on.
    batch : to be explained.
    reference : that it was to be like.
    """
    step = batch.step
    end = step * min(len(batch.hands), len(reference.hands))
    at = np.arange(FROM_S, end, EVERY_S)
    pair = _Pair(model, batch, reference, at, int(end / step))
    steel_b, steel_r = (_steel(model, one) for one in (batch, reference))
    base = pair.curve(pair.run(reference, steel_r, _cut(reference.hands, pair.count)))
    own = _cut(batch.hands, pair.count)
    known = pair.curve(pair.run(batch, steel_r, own))
    seen = np.concatenate([_read(one, at) for one in (batch.bean, batch.air)])
    seen -= np.concatenate([_read(one, at) for one in (reference.bean, reference.air)])
    left = seen - (known - base)
    told = np.isfinite(left)
    weigh = _Weights(at, told)
    more = _Scalars(steel_b - steel_r, None if batch.loss is None or reference.loss is None else batch.loss - reference.loss)
    plain = weigh.misfit(left) + more.misfit("", 0.0)
    evidence: dict[str, tuple[float, float]] = {"none": (0.0, 0.0)}
    effects: dict[str, Callable[[], FloatArray]] = {
        "steel": lambda: pair.curve(pair.run(batch, steel_r + TRIED["steel"], own)) - known,
        "load": lambda: pair.curve(pair.run(batch, steel_r, own, load=1.0 + TRIED["load"])) - known,
        "fan": lambda: pair.curve(pair.run(batch, steel_r, own, fan=TRIED["fan"])) - known,
        "probe": lambda: np.concatenate([np.full(at.size, TRIED["probe"]), np.zeros(at.size)]),
    }
    for kind, effect in effects.items():
        amount, gain = _best(weigh, more, kind, left, effect() / TRIED[kind], plain)
        evidence[kind] = (amount, gain)
    for kind, seconds, without in _moves(pair, steel_r, own):
        # What the recorded difference of the hands is needed for: the misfit without it.
        gain = weigh.misfit(left + (known - without)) + more.misfit("", 0.0) - plain
        evidence[kind] = (seconds, gain if seconds >= LEAST_MOVED_S else 0.0)
    return _ranked(evidence)


def _ranked(evidence: dict[str, tuple[float, float]]) -> tuple[Cause, ...]:
    weights = {kind: np.exp(np.clip(0.5 * gain, -50.0, 300.0)) for kind, (_, gain) in evidence.items()}
    weights["none"] = float(np.exp(0.5 * NONE_WORTH))
    total = sum(weights.values())
    found = [Cause(kind, amount, float(weights[kind] / total)) for kind, (amount, _) in evidence.items()]
    return tuple(sorted(found, key=lambda cause: -cause.confidence))


def _best(
    weigh: _Weights, more: _Scalars, kind: str, left: FloatArray, effect: FloatArray, plain: float
) -> tuple[float, float]:
    """The likeliest amount of a hidden cause, and how much less misfit it leaves, its own size counted."""
    curve, across = weigh.product(effect, effect), weigh.product(effect, left)
    scalar_curve, scalar_across = more.normal(kind)
    amount = (across + scalar_across) / (curve + scalar_curve + USUAL[kind] ** -2)
    after = weigh.misfit(left - amount * effect) + more.misfit(kind, amount) + (amount / USUAL[kind]) ** 2
    return float(amount), float(plain - after)


@dataclass(frozen=True)
class _Scalars:
    """What else is known of the difference: the steel as idling tells it [K], and the weight loss, if both were weighed."""

    steel: float
    loss: float | None

    def _rows(self, kind: str) -> list[tuple[float, float, float]]:
        """Difference, what one unit of the cause does to it, and its spread."""
        rows = [(self.steel, 1.0 if kind == "steel" else 0.0, STEEL_SPREAD)]
        if self.loss is not None:  # a tenth more beans than were told weigh a tenth more roasted
            rows.append((self.loss, -0.86 if kind == "load" else 0.0, LOSS_SPREAD))
        return rows

    def misfit(self, kind: str, amount: float) -> float:
        return float(sum(((seen - amount * per) / spread) ** 2 for seen, per, spread in self._rows(kind)))

    def normal(self, kind: str) -> tuple[float, float]:
        rows = self._rows(kind)
        return sum((per / s) ** 2 for _, per, s in rows), sum(seen * per / s**2 for seen, per, s in rows)


class _Weights:
    """Misfit of two curves whose clean differences wander with a memory."""

    def __init__(self, at: FloatArray, told: np.ndarray) -> None:
        apart = np.abs(at[:, None] - at[None, :])
        bean = BEAN_WANDER**2 * np.exp(-apart / BEAN_MEMORY) + BEAN_NOISE**2 * np.eye(at.size)
        air = AIR_WANDER**2 * np.exp(-apart / AIR_MEMORY) + AIR_NOISE**2 * np.eye(at.size)
        whole = np.zeros((2 * at.size, 2 * at.size))
        whole[: at.size, : at.size], whole[at.size :, at.size :] = bean, air
        self._told = told
        self._root = np.linalg.cholesky(whole[np.ix_(told, told)])

    def _white(self, curve: FloatArray) -> FloatArray:
        return np.asarray(np.linalg.solve(self._root, curve[self._told]))

    def product(self, one: FloatArray, other: FloatArray) -> float:
        return float(self._white(one) @ self._white(other))

    def misfit(self, curve: FloatArray) -> float:
        return self.product(curve, curve)


def _moves(pair: _Pair, steel: float, own: Hands) -> list[tuple[str, float, FloatArray]]:
    """For gas and air, how long the hands stood otherwise than in the reference [s], and the curves had they not.

    A move that came later because its mark did is no other move: the reference's hands are taken stage by stage.
    """
    at = _as_in(pair.batch, pair.reference, pair.count)
    found = []
    for kind, name in (("gas", "heat"), ("air", "air")):
        mine, theirs = getattr(own, name), getattr(pair.reference.hands, name)[at]
        seconds = pair.batch.step * float(np.sum(np.abs(mine - theirs) > UNLIKE))
        without = pair.curve(pair.run(pair.batch, steel, replace(own, **{name: theirs})))
        found.append((kind, seconds, without))
    return found


def _as_in(batch: LoggedBatch, reference: LoggedBatch, count: int) -> np.ndarray:
    """Which step of the reference stands where each step of the batch does, each stage stretched to the other's."""
    pairs = [(0.0, 0.0)]
    for name in ("yellow_t", "first_crack_t"):
        mine, theirs = getattr(batch, name), getattr(reference, name)
        if mine is not None and theirs is not None and mine > pairs[-1][0] and theirs > pairs[-1][1]:
            pairs.append((mine, theirs))
    # Behind the last mark the clocks run alike.
    pairs.append((pairs[-1][0] + 3600.0, pairs[-1][1] + 3600.0))
    t = batch.step * np.arange(count)
    mapped = np.interp(t, [pair[0] for pair in pairs], [pair[1] for pair in pairs])
    return np.asarray(np.clip(np.round(mapped / batch.step).astype(int), 0, len(reference.hands) - 1))


def _steel(model: MachineModel, batch: LoggedBatch) -> float:
    steel, _ = steel_from_idling(model.fitted, batch)
    return float(steel_at_charge(model.fitted.constants, batch, np.array([steel]))[0])


def _cut(hands: Hands, count: int) -> Hands:
    return hands.part(slice(count))


def _read(column: FloatArray, at: FloatArray, step: float = 2.0, about_s: float = 8.0) -> FloatArray:
    """Readings about each moment, their mean; NaN where there were none."""
    t = step * np.arange(column.size)
    out = np.full(at.size, np.nan)
    for index, moment in enumerate(at):
        near = column[np.abs(t - moment) <= about_s]
        if np.isfinite(near).any():
            out[index] = float(np.nanmean(near))
    return out
