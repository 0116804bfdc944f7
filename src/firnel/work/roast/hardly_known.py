"""What may be said of a batch on a machine that has hardly been logged: what the batch itself has shown, and no guesses."""

from __future__ import annotations

import numpy as np

from firnel.core.landing import Off
from firnel.core.model.foretelling import Forecast
from firnel.work.roast.steps import Ask

#: This much of the batch itself is seen first. [s]
FROM_S = 150.0
#: No shorter way is told against a stall than this share of the scale: what one step does is anybody's guess.
LEAST_WAY = 0.1
#: So near to first crack, and behind it, no more heat is asked for where the beans rise faster than the forecast has them rise
#: from now on, both over so long [s], by half of it and this much [K/min]: hot beans take no guesses.
NEAR_CRACK_S, RATE_S, RATE_K = 60.0, 30.0, 4.0


def gets_nowhere(ask: Ask, forecast: Forecast) -> bool:
    """Whether a plan leads, and not one member in ten gets to first crack.

    Who roasts by a hand of their own may be about to turn it up.
    """
    highest = float(forecast.fan[2].max()) if forecast.fan is not None else np.inf
    return ask.plan is not None and forecast.at >= FROM_S and highest < ask.machine.first_crack_c


def shown(off: Off, since_s: float, fresh: bool) -> bool:
    """Whether the batch itself has shown what is missed: the drop once it has cracked, and a stage that goes far astray.

    Of one that comes early only on a ``fresh`` machine, where nothing at all was logged: from one batch on the plan knows its
    fire, and who cuts one that answers nobody knows how late, cuts too deep. What comes far too late may not come at all.
    """
    stage = off.kind == "stage" and off.astray and (fresh or off.by > 0.0)
    return since_s >= FROM_S and (off.kind == "development" or stage)


def as_foretold(ask: Ask, forecast: Forecast) -> bool:
    """Whether the beans rise no faster than they are foretold to: else the forecast knows nothing of this fire."""
    if forecast.fan is None or forecast.fan_t is None:
        return True
    last = (ask.trace.t > ask.now - RATE_S) & np.isfinite(ask.trace.bean)
    if last.sum() < 3:
        return False
    rises = 60.0 * float(np.polyfit(ask.trace.t[last], ask.trace.bean[last], 1)[0])
    ahead = np.interp([forecast.at, forecast.at + RATE_S], forecast.fan_t, forecast.fan[1])
    foretold = 60.0 * float(ahead[1] - ahead[0]) / RATE_S
    return rises - foretold < max(RATE_K, 0.5 * rises)
