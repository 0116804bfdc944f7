"""What the Roast view shows beside the curves before the charge and after the drop, in display units."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.units import Units, clock
from firnel.core.usual import READY_C
from firnel.core.words import tr
from firnel.work.roast.before_charge import checks, label_state, pause_words, steel_words
from firnel.work.roast.session import RoastSession

#: The scale of the steel reaches this far below and above what the plan assumes. [K]
BELOW_C, ABOVE_C = 40.0, 20.0


@dataclass(frozen=True)
class CheckLine:
    """One check: its words, whether it is done, and when it falls due as a clock, if it does."""

    text: str
    done: bool
    when: str = ""


@dataclass(frozen=True)
class SteelPicture:
    """The steel: figure, words, the reading now with its spread on a scale, and the band in which it is ready."""

    figure: str = ""
    words: str = ""
    now: float | None = None
    sd: float = 0.0
    scale: tuple[float, float] = (0.0, 1.0)
    band: tuple[float, float] | None = None
    ready: bool = False


@dataclass(frozen=True)
class ReadyPicture:
    """The batch that waits: number, load, lot and plan; its label (``right``, ``open`` or ``wrong``); steel; checks."""

    number: str
    load: str
    lot: str
    of_lot: str
    plan: str
    label_state: str
    label_words: str
    steel: SteelPicture
    checks_title: str
    checks: tuple[CheckLine, ...]


def ready_picture(session: RoastSession, units: Units) -> ReadyPicture:
    """The picture as the session stands now."""
    order = session.order
    lot = order.lot
    state = label_state(session)
    words = {"right": tr("Label checked: this is the load."), None: tr("Label not read yet: {label}, then scan or type it.")}
    lines = tuple(
        CheckLine(check.text, check.done, "" if check.due_in_s is None or check.done else _when(check.due_in_s))
        for check in checks(session)
    )
    left = sum(not line.done for line in lines)
    return ReadyPicture(
        number=session.label,
        load=units.text(order.load_kg, "kg") if order.load_kg else tr("no load"),
        lot=lot.name if lot else tr("Lot not told yet"),
        of_lot=", ".join(part for part in (lot.process, lot.origin) if part) if lot else "",
        plan=tr("plan “{}”, version {}", order.plan.name, order.plan.version) if order.plan else tr("without a plan"),
        label_state={"right": "right", None: "open"}.get(state, "wrong"),
        label_words=words.get(state, state or ""),
        steel=_steel(session, units),
        checks_title=(tr("Checks") if session.phase == "ready" else tr("Between batches"))
        + (tr(" · {} open", left) if left else tr(" · done")),
        checks=lines,
    )


def _when(due_in_s: float) -> str:
    return clock(due_in_s) if due_in_s > 0 else tr("now")


def _steel(session: RoastSession, units: Units) -> SteelPicture:
    steel, found = session.around.steel, session.around.readiness
    words = steel_words(session, units)
    if steel is None:
        why = session.around.steel_untold or tr("it has not idled for long enough.")
        return SteelPicture("", " ".join(part for part in (words, tr("Not told: {}", why)) if part))
    wanted = found.wanted_c if found is not None else steel.steel_c
    now, sd = units.show(steel.steel_c, "°C"), units.show_difference(steel.sd_c)
    pause = pause_words(session)
    if pause and found is not None and not found.ready:
        words = f"{words} {pause}"
    return SteelPicture(
        figure=tr("{:.0f} ± {:.0f} {}", now, sd, units.temperature),
        words=words,
        now=now,
        sd=sd,
        scale=(units.show(wanted - BELOW_C, "°C"), units.show(wanted + ABOVE_C, "°C")),
        band=(units.show(wanted - READY_C, "°C"), units.show(wanted + READY_C, "°C")) if found is not None else None,
        ready=found is None or found.ready,
    )
