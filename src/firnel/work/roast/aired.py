"""What those are told of a running batch who watch it from another station: words as the roaster has them, figures in SI."""

from __future__ import annotations

from typing import Any

from firnel.core.vocabulary import MarkKind
from firnel.work.roast.advice_words import told_line
from firnel.work.roast.cue import cue_of
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings


def aired(session: RoastSession, settings: Settings) -> dict[str, Any]:
    """The cue, what is told, where it will land and when the marks are expected, as JSON values; times in log time [s]."""
    cue = cue_of(session, settings.units, settings.cooling_aim_s)
    told = told_line(session, settings.units)
    landing, charge = session.landing, session.marks.get(MarkKind.CHARGE)
    lands = None
    if landing is not None and landing.development_s is not None and landing.drop_c is not None:
        lands = {"development_s": round(landing.development_s, 1), "drop_c": round(landing.drop_c, 2)}
    return {
        "phase": session.phase, "now": round(session.now(), 2), "charge": None if charge is None else round(charge.t, 2),
        "headline": cue.headline, "detail": cue.detail, "urgency": cue.urgency,
        "clock_label": cue.clock_label, "clock": cue.clock, "since_charge": cue.since_charge,
        "told": told.text, "told_urgency": told.urgency, "lands": lands,
        "place": session.place.value if session.place is not None else "",
        "bean_c": session.trace.level, "rate": session.trace.rate_now,
        "expected": {kind.value: round(t, 1) for kind, t in session.expected().items()},
    }  # fmt: skip
