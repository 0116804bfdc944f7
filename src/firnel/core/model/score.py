"""What came of what was foretold: each batch as it would have been forecast by a model that had not seen it.

The score says how far each kind of statement can be trusted on this machine, and how wide its intervals must be to hold.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from firnel.core.model.forecast import DropRule, Forecast, Interval
from firnel.core.model.learning import MachineModel
from firnel.core.model.logged import LoggedBatch
from firnel.core.model.replay import as_made, forecast_at
from firnel.core.model.statements import FEWEST, Foretold, Statement, records
from firnel.core.model.widths import Widths, stretch

#: Members of the ensembles that are asked here, and batches that are scored at most: the latest.
MEMBERS, LATEST = 100, 20
#: Nothing is asked earlier than this in a roast. [s]
EARLIEST_S = 60.0
SEED = 17


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
    latest = [batch for batch in batches if batch.label in without][-LATEST:]
    for index, batch in enumerate(latest):
        if going is not None and not going(index / len(latest)):
            break
        blind = replace(
            model, fitted=without[batch.label], widths=Widths(),
            yellow=model.yellow.without(batch.label), crack=model.crack.without(batch.label),
        )  # fmt: skip
        told += foretold(blind, batch)

    def of(*kinds: Statement) -> float:
        return stretch([(one.off, one.half) for one in told if one.statement in kinds])

    widths = Widths(of(Statement.YELLOW), of(Statement.CRACK, Statement.CRACK_FAR), of(Statement.LANDING))
    factor = {Statement.YELLOW: widths.yellow, Statement.LANDING: widths.landing}
    score = tuple(replace(one, half=one.half * factor.get(one.statement, widths.crack)) for one in told)
    return replace(model, fitted=replace(model.fitted, without={}), widths=widths, score=score)


def foretold(model: MachineModel, batch: LoggedBatch) -> list[Foretold]:
    """What a model would have said of a batch, under the moves that were made."""
    yellow, crack, drop = batch.yellow_t, batch.first_crack_t, batch.drop_t
    found: list[Foretold] = []
    if crack is None or drop is None:
        return found
    rule, rng = DropRule(development_s=drop - crack), np.random.default_rng(SEED)

    def ask(at: float) -> Forecast:
        return forecast_at(model, batch, at, as_made(batch, at), rule, rng, MEMBERS)

    def note(statement: Statement, said: Interval | None, came: float) -> None:
        if said is not None and said.low is not None and said.high is not None and np.isfinite(came):
            found.append(Foretold(statement, batch.label, came - said.value, 0.5 * (said.high - said.low)))

    if yellow is not None and yellow - 90.0 > EARLIEST_S:
        note(Statement.YELLOW, ask(yellow - 90.0).yellow, yellow)
    for statement, ahead in ((Statement.CRACK_FAR, 180.0), (Statement.CRACK, 90.0)):
        if crack - ahead > EARLIEST_S:
            note(statement, ask(crack - ahead).first_crack, crack)
    last = round(drop / batch.step)
    near = batch.bean[max(last - 3, 0) : last]
    if np.isfinite(near).any():
        note(Statement.LANDING, ask(crack).drop_c, float(np.nanmean(near)))
    return found


def muted(model: MachineModel) -> str:
    """Why no advice is given from a model, and what earns it; empty where its record is good.

    Advice goes by the forecast of first crack: one that was poor so far would send the hand the wrong way.
    """
    if model.batches < FEWEST:
        left = FEWEST - model.batches
        more = "one more batch" if left == 1 else f"{left} more batches"
        return f"No advice on this machine yet: {more} with yellow, first crack and drop marked earn it."
    record = records(model.score)[list(Statement).index(Statement.CRACK)]
    if record.count >= FEWEST and not record.good:
        return (
            f"No advice on this machine: first crack came {record.off:.0f} s off what was said 90 s ahead. Batches whose load, "
            "moves and marks are all in the record earn it."
        )
    return ""
