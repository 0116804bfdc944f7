"""What came of what was foretold: each batch as it would have been forecast by a model that had not seen it.

The score says how far each kind of statement can be trusted on this machine, and how wide its intervals must be to hold.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from operator import itemgetter

import numpy as np

from firnel.core.model.drift import SOON_S, Drift, learn_soon, shrunk
from firnel.core.model.foretelling import DropRule, Interval
from firnel.core.model.identification import modelled, steel_at_charge, steel_from_idling, steel_from_roast
from firnel.core.model.learning import MachineModel, level_samples
from firnel.core.model.level import LevelSample, fit_level
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import as_made, forecasters_at, marks_by, near, read_at_drop
from firnel.core.model.statements import FEWEST, Foretold, Record, Statement, record_of
from firnel.core.model.widths import HALF_80, TAILS, USUAL, WIDEST, Widths, new_lot_stretch, stretch
from firnel.core.words import tr

#: Members of the ensembles that are asked here, and batches that are scored at most: the latest.
MEMBERS, LATEST = 100, 20
#: Nothing is asked earlier than this in a roast. [s]
EARLIEST_S = 60.0
#: The heat must move by this share of its scale to be asked what comes of it, and that is looked at so long after. [1], [s]
LEAST_MOVE, AFTER_MOVE_S = 0.05, 60.0
SEED = 17
#: What is likely of what all landings together come otherwise, for each minute of development. [degC/min]
LANDS_SD = 0.3
#: What is said of first crack.
CRACKS = (Statement.CRACK, Statement.CRACK_FAR)
#: By how much the steel's interval is stretched at most.
WIDEST_STEEL = 4.0


def scored(model: MachineModel, batches: Sequence[LoggedBatch], going: Callable[[float], bool] | None = None) -> MachineModel:
    """The model with its score and the widths that follow from it.

    Parameters
    ----------
    model : just fitted, with what each fit would be without one batch.
    batches : that it was fitted to, in the order of their roasts.
    going : told the share done [0..1]; answers False to stop: then the score so far counts.
    """
    without = model.fitted.without
    told: list[Foretold] = []
    late: list[list[float]] = []  # how much otherwise drops came than was said shortly before
    strange: list[Foretold] = []  # first cracks as they would be told of a lot that is new to the machine
    samples = level_samples(model.fitted, batches)
    latest = [batch for batch in batches if batch.label in without][-LATEST:]
    for index, batch in enumerate(latest):
        if going is not None and not going(index / len(latest)):
            break
        others = [sample for label, sample in samples.items() if label != batch.label]
        blind = replace(
            model, fitted=without[batch.label], widths=Widths(), level=fit_level(others),
            yellow=model.yellow.without(batch.label), crack=model.crack.without(batch.label),
        )  # fmt: skip
        try:
            said, otherwise = _asked(blind, batch, tuple(Statement), soon=True)
            late += otherwise
            told += [*said, *_level_foretold(blind, batch, others), *_steel_foretold(blind, batch)]
            if any(traits.lot == batch.lot for traits in blind.crack.traits):
                strange += foretold(_stranger_to(blind, batch.lot), batch, CRACKS)
        except ArithmeticError:  # a batch that no model makes without itself tells nothing of the others
            continue

    drift, told = _landed_otherwise(model.drift, told, latest)
    drift = learn_soon(drift, late, drift.after_mean - model.drift.after_mean)

    def of(*kinds: Statement, usual: float = USUAL, widest: float = WIDEST, tails: float = 1.0) -> float:
        return stretch([(one.off, one.half) for one in told if one.statement in kinds], usual, widest, tails)

    crack = of(*CRACKS, tails=TAILS)
    # A fit says of itself that it knows its steel and its level better than it does: what it leaves out is not in there.
    factor = {
        Statement.YELLOW: of(Statement.YELLOW, tails=TAILS), Statement.CRACK: crack, Statement.CRACK_FAR: crack,
        Statement.LANDING: of(Statement.LANDING, tails=TAILS), Statement.MOVE: of(Statement.MOVE, usual=1.0),
        Statement.STEEL: of(Statement.STEEL, usual=1.5, widest=WIDEST_STEEL),
        Statement.LOSS: of(Statement.LOSS, usual=1.0), Statement.COLOUR: of(Statement.COLOUR, usual=1.0),
    }  # fmt: skip
    level = replace(
        model.level,
        loss_sd=factor[Statement.LOSS] * model.level.loss_sd,
        colour_sd=factor[Statement.COLOUR] * model.level.colour_sd,
    )
    known = {one.label for one in strange}
    new = [*(one for one in told if one.statement in CRACKS and one.label not in known), *strange]
    lot_of = {batch.label: batch.lot for batch in latest}
    by_lot = [[(one.off, one.half) for one in new if lot_of[one.label] == lot] for lot in dict.fromkeys(lot_of.values())]
    widths = Widths(
        factor[Statement.YELLOW], crack, new_lot_stretch(by_lot), factor[Statement.LANDING], factor[Statement.MOVE],
        factor[Statement.STEEL],
    )  # fmt: skip
    score = tuple(replace(one, half=one.half * factor[one.statement]) for one in told)
    return replace(model, fitted=replace(model.fitted, without={}), widths=widths, level=level, drift=drift, score=score)


def _landed_otherwise(drift: Drift, told: Sequence[Foretold], batches: Sequence[LoggedBatch]) -> tuple[Drift, list[Foretold]]:
    """By how much all landings came otherwise than was said goes into the drift after the crack, and out of what was said.

    Out of what was said of a batch goes what the others show of it: it would not have been known from its own.
    """
    minutes = {
        b.label: (b.drop_t - b.first_crack_t) / 60.0
        for b in batches
        if b.drop_t and b.first_crack_t and b.drop_t > b.first_crack_t
    }
    landed = [one for one in told if one.statement is Statement.LANDING and one.label in minutes]
    rates = {one.label: one.off / minutes[one.label] for one in landed}

    def by(label: str = "") -> float:
        return shrunk([rate for other, rate in rates.items() if other != label], LANDS_SD, LANDS_SD)

    put_right = [replace(one, off=one.off - by(one.label) * minutes[one.label]) if one in landed else one for one in told]
    return replace(drift, after_mean=drift.after_mean + by()), put_right


def _stranger_to(model: MachineModel, lot: str) -> MachineModel:
    """The model as far as it can forget a lot."""
    fitted = model.fitted
    uptake, own_heat = ({k: v for k, v in of.items() if k != lot} for of in (fitted.uptake, fitted.own_heat))
    return replace(model, fitted=replace(fitted, uptake=uptake, own_heat=own_heat), crack=model.crack.without_lot(lot))


def foretold(model: MachineModel, batch: LoggedBatch, kinds: Collection[Statement] = tuple(Statement)) -> list[Foretold]:
    """What a model would have said of a batch, under the moves that were made: statements of these kinds."""
    return _asked(model, batch, kinds)[0]


def _asked(
    model: MachineModel, batch: LoggedBatch, kinds: Collection[Statement], soon: bool = False
) -> tuple[list[Foretold], list[list[float]]]:
    """What a model would have said of a batch, all of it asked of one ensemble: statements of these kinds; where asked for,
    by how much the drop came otherwise than it says `SOON_S` before it, in a row; none where nobody can ask. [degC]
    """
    yellow, crack, drop = batch.yellow_t, batch.first_crack_t, batch.drop_t
    found: list[Foretold] = []
    if crack is None or drop is None:
        return found, []
    moved, landed = largest_move(batch), read_at_drop(batch)
    asked = {
        Statement.YELLOW: None if yellow is None else yellow - 90.0, Statement.CRACK_FAR: crack - 180.0,
        Statement.CRACK: crack - 90.0, Statement.LANDING: crack if np.isfinite(landed) else None, Statement.MOVE: moved,
    }  # fmt: skip
    times: list[tuple[float, Statement | None]] = [
        (at, statement) for statement, at in asked.items() if statement in kinds and at is not None and at > EARLIEST_S
    ]
    if soon and not batch.by_hand and drop - crack >= SOON_S[-1] and np.isfinite(landed):
        times += [(drop - ahead, None) for ahead in SOON_S]
    times.sort(key=itemgetter(0))
    rule, rng = DropRule(development_s=drop - crack), np.random.default_rng(SEED)
    ensembles = forecasters_at(model, batch, [at for at, _ in times], rng, MEMBERS)
    otherwise: list[float] = []

    def note(statement: Statement, said: Interval | None, came: float | None) -> None:
        if said is not None and said.low is not None and came is not None and np.isfinite(came):
            high = said.high if said.high is not None else 2.0 * said.value - said.low  # some members never get there
            found.append(Foretold(statement, batch.label, came - said.value, 0.5 * (high - said.low)))

    for (at, statement), ensemble in zip(times, ensembles, strict=True):
        said = ensemble.forecast(as_made(batch, at), rule, marks_by(batch, at))
        if statement is None:
            otherwise.append(landed - said.drop_c.value if said.drop_c is not None else np.nan)
        elif statement is Statement.YELLOW:
            note(statement, said.yellow, yellow)
        elif statement in CRACKS:
            note(statement, said.first_crack, crack)
        elif statement is Statement.LANDING:
            note(statement, said.drop_c, landed)
        elif said.fan_t is not None and said.fan is not None:
            low, middle, high = (float(np.interp(at + AFTER_MOVE_S, said.fan_t, curve)) for curve in said.fan)
            note(statement, Interval(middle, low, high), near(batch.bean, round((at + AFTER_MOVE_S) / batch.step)))
    return found, [otherwise[::-1]] if otherwise else []


def largest_move(batch: LoggedBatch) -> float | None:
    """When the heat was moved furthest, with a minute behind it to see what came [s from charge]; None where it never was."""
    first, end = round(EARLIEST_S / batch.step), round((batch.t[-1] - AFTER_MOVE_S) / batch.step)
    sources = np.stack([batch.hands.heat, *batch.hands.more])[:, first:end]
    steps = np.nan_to_num(np.abs(np.diff(sources)).max(axis=0)) if sources.shape[1] > 1 else np.zeros(0)
    if steps.size == 0 or steps.max() < LEAST_MOVE:
        return None
    return batch.step * float(first + 1 + int(np.argmax(steps)))


def _level_foretold(blind: MachineModel, batch: LoggedBatch, others: Sequence[LevelSample]) -> list[Foretold]:
    """Loss [%] and colour as they would have been told of the roast with its load and its moves, nothing measured in it."""
    if batch.drop_t is None:
        return []
    made, level, found = modelled(blind.fitted, batch, known=False), blind.level, []
    if batch.loss is not None and any(one.loss is not None for one in others):
        said = 100.0 * float(level.loss(made, batch.moisture, batch.drop_t)[0])
        found.append(Foretold(Statement.LOSS, batch.label, 100.0 * batch.loss - said, 100.0 * HALF_80 * level.loss_sd))
    if batch.colour is not None and any(one.colour is not None for one in others):
        said = float(level.colour(made, batch.drop_t)[0])
        found.append(Foretold(Statement.COLOUR, batch.label, batch.colour - said, HALF_80 * level.colour_sd))
    return found


def _steel_foretold(blind: MachineModel, batch: LoggedBatch) -> list[Foretold]:
    """The steel as it was told while the machine idled, and as the roast then showed it by itself. [degC]"""
    if batch.idling is None:
        return []
    steel, sd = steel_from_idling(blind.fitted, batch)
    at_charge = steel_at_charge(blind.fitted.constants, batch, np.array([steel, steel + 1.0]))
    came, doubt = steel_from_roast(blind.fitted, batch, float(at_charge[0]))
    half = HALF_80 * float(np.hypot(sd * (at_charge[1] - at_charge[0]), doubt))
    return [Foretold(Statement.STEEL, batch.label, came - float(at_charge[0]), half)]


def untold(model: MachineModel, statement: Statement) -> str:
    """Why a kind of statement is not made of a machine, and what earns it; empty where its record is good."""
    record = record_of(model.score, statement)
    if record.count < FEWEST:
        left, (one, several) = FEWEST - record.count, EARNS.get(statement, MARKED)
        return tr("One {} it.", one) if left == 1 else tr("{} {} it.", left, several)
    return "" if record.good else tr("It was {} off so far. {}", _figure(record), MENDS.get(statement, COMPLETE))


#: What does so for all others.
MARKED = (
    tr("more batch with yellow, first crack and drop marked earns"),
    tr("more batches with yellow, first crack and drop marked earn"),
)
COMPLETE = tr("Batches whose load, moves and marks are all in the record mend it.")
EARNED = tr("Batches whose load, moves and marks are all in the record earn it.")


def _figure(record: Record) -> str:
    unit = record.statement.unit
    return tr("{:.0f} {}", record.off, unit) if unit in ("s", "points") else tr("{:.1f} {}", record.off, unit)


#: What earns a kind of statement that has no record yet, and what mends a poor one.
EARNS = {
    Statement.LOSS: (tr("more batch that is weighed earns"), tr("more batches that are weighed earn")),
    Statement.COLOUR: (tr("more batch whose colour is measured earns"), tr("more batches whose colour is measured earn")),
    Statement.STEEL: (
        tr("more batch whose log holds two minutes of idling before the charge earns"),
        tr("more batches whose logs hold two minutes of idling before the charge earn"),
    ),
}
MENDS = {
    Statement.LOSS: tr("Batches weighed green and roasted on one scale, with the moisture of their lot, mend it."),
    Statement.COLOUR: tr("Colours measured one way, ground alike, mend it."),
    Statement.STEEL: tr("Batches that idle two minutes at a steady setting before the charge mend it."),
}


def sparing(model: MachineModel) -> bool:
    """Whether a model whose record is poor or missing still advises where something is surely missed: not by a moved probe."""
    return model.probe_moved is None


def muted(model: MachineModel, cracked: bool = False) -> str:
    """Why no advice is given from a model, or hardly any, and what earns it; empty where its record is good.

    Up to first crack advice goes by the forecast of that, in development by the one of the drop: one that was poor so far would
    send the hand the wrong way, and says nothing of the other. What is missed even at the near end of the interval that goes
    with such a record is advised all the same (`sparing`): silence while a batch is lost hurts more.

    Parameters
    ----------
    model : of the machine.
    cracked : whether it is about the landing, once first crack has come.
    """
    if model.batches < FEWEST:
        left = FEWEST - model.batches
        more = tr("One more batch") if left == 1 else tr("{} more batches", left)
        return tr("This machine is hardly known: only what goes far astray is advised. {} with yellow, first crack and drop "
                  "marked earn more.", more)  # fmt: skip
    if model.probe_moved is not None:
        return tr("No advice: the bean probe was moved or changed, and how it reads now shows once this batch is in.")
    record = record_of(model.score, Statement.LANDING if cracked else Statement.CRACK)
    if record.count < FEWEST or record.good:
        return ""
    if cracked:
        why = tr("In development only what is surely missed is advised: the drop came {} off what was said at first crack.",
                 _figure(record))  # fmt: skip
    else:
        why = tr("Up to first crack only what is surely missed is advised: it came {} off what was said 90 s ahead.",
                 _figure(record))  # fmt: skip
    return f"{why} {EARNED}"


def all_muted(model: MachineModel) -> str:
    """`muted` of both, in one line."""
    return " ".join(dict.fromkeys(filter(None, (muted(model, cracked) for cracked in (False, True)))))
