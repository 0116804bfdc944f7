"""What the Roast view shows, as plain values in display units; widgets only draw it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.landing import Place
from firnel.core.plan import DueMove, shifted_curve
from firnel.core.stages import stages_of
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control, FloatArray, Found, Mark, MarkKind, Role, Trace, word_of
from firnel.core.words import tr
from firnel.work.roast.advice_words import Told, told_line
from firnel.work.roast.cue import Cue, cue_of
from firnel.work.roast.mark_doubts import means_space
from firnel.work.roast.move_words import control_text, move_sentence, when_sentence
from firnel.work.roast.plan_thread import pending
from firnel.work.roast.probe_mistakes import charge_doubted, rises_since
from firnel.work.roast.ready_picture import ReadyPicture, ready_picture
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings

#: What is expected so near to now is told by the cue, and not once more at the end of the curve. [s]
AT_NOW_S = 8.0
ROLES = {Role.HEAT: "ember", Role.AIRFLOW: "slate", Role.MOTION: "drum"}


@dataclass(frozen=True)
class MarkLabel:
    """A word on the curve: text, seconds from charge, and level in display units."""

    text: str
    t: float
    level: float
    expected: bool = False
    below: bool = False  #: stands under the curve


@dataclass(frozen=True)
class RibbonPicture:
    """One control: spans (from, to, setting) over seconds from charge; ``factor`` turns settings into display units."""

    name: str
    unit: str
    role: str
    top: float
    digits: int
    factor: float
    done: tuple[tuple[float, float, float], ...]
    planned: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True)
class Curves:
    """Curves over seconds from charge, in display units; equal lengths within a group, empty where unknown."""

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    rate: FloatArray
    rate_sd: FloatArray
    plan_t: FloatArray
    plan_low: FloatArray
    plan_high: FloatArray
    plan_rate: FloatArray
    fan_t: FloatArray
    fan: FloatArray  #: 10, 50 and 90 % of the bean probe to come, shape (3, n)
    reference_t: FloatArray
    reference: FloatArray  #: bean probe of the reference batch


@dataclass(frozen=True)
class RoastPicture:
    """Everything in the Roast view at one moment."""

    phase: str
    cue: Cue
    curves: Curves
    labels: tuple[MarkLabel, ...]
    ribbons: tuple[RibbonPicture, ...]
    span: tuple[float, float]
    levels: tuple[float, float]
    rate_top: float
    now: float
    temperature_unit: str
    batch_title: str
    batch_lines: tuple[str, ...]
    rows: tuple[tuple[str, str, str], ...]
    moves: tuple[tuple[str, str], ...]
    moves_title: str
    message: str
    trouble: str
    next_key: str
    told: Told
    landing: LandingPicture | None
    ready: ReadyPicture | None


@dataclass(frozen=True)
class LandingPicture:
    """The landing in display units: box (development, drop, each with its tolerance), cloud, where it lands, ghosts."""

    box: tuple[float, float, float, float]
    cloud: FloatArray  #: development [s] and drop of each member, shape (2, m)
    lands: tuple[float, float]
    ghosts: tuple[tuple[str, float, float], ...]
    words: str
    inside: bool
    place: str  #: the one judgement, in words
    told: bool = True  #: whether it says anything: not where it is too early to tell


_NONE = np.empty(0)


def roast_picture(session: RoastSession, settings: Settings, following: str = "") -> RoastPicture:
    """The picture as the session stands now; ``following`` tells of the batch that waits next."""
    units = settings.units
    charge = session.marks.get(MarkKind.CHARGE)
    now = session.now()
    zero = charge.t if charge else now
    curves = _curves(session, units, zero)
    span = _span(session, now - zero)
    return RoastPicture(
        phase=session.phase,
        cue=cue_of(session, units, settings.cooling_aim_s, following),
        curves=curves,
        labels=_labels(session, units, zero),
        ribbons=ribbons_of(session, units, zero, now),
        span=span,
        levels=_levels(curves, units),
        rate_top=_rate_top(curves, units),
        now=now - zero,
        temperature_unit=units.temperature,
        batch_title=tr("Batch {}", session.label) if session.recording else tr("No batch"),
        batch_lines=_batch_lines(session, units),
        rows=_steel_rows(session, units) + mark_rows(tuple(session.marks.values()), units),
        moves=_moves(session, units, zero),
        moves_title=tr("Coming moves") if session.order.plan is not None else tr("Last moves"),
        message=session.message,
        trouble=session.trouble or "",
        next_key=_next_key(session),
        told=told_line(session, units),
        landing=_landing(session, units),
        ready=ready_picture(session, units) if session.phase in ("ready", "cooling") else None,
    )


def _landing(session: RoastSession, units: Units) -> LandingPicture | None:
    guidance, plan, landing = session.guidance, session.order.plan, session.landing
    if guidance is None or plan is None or landing is None:
        return None
    forecast = guidance.forecast
    if landing.development_s is None or landing.drop_c is None or landing.wanted_s is None or landing.wanted_c is None:
        return None
    cloud = forecast.cloud if forecast.cloud is not None else np.empty((2, 0))
    shown = np.stack([cloud[0], _shown(cloud[1], units)])
    drop = units.show(landing.drop_c, "°C")
    by = units.show_difference(landing.drop_c - landing.wanted_c)
    words = tr("{} · {:.1f} {}", clock(landing.development_s), drop, units.temperature)
    if abs(by) >= 0.05:
        words += tr(" ({:+.1f})", by) if abs(by) < 9.95 else tr(" ({:+.0f})", by)
    return LandingPicture(
        (landing.wanted_s, landing.tolerance_s, units.show(landing.wanted_c, "°C"), units.show_difference(landing.tolerance_c)),
        shown,
        (landing.development_s, drop),
        tuple((ghost.name, ghost.development_s, units.show(ghost.drop_c, "°C")) for ghost in guidance.ghosts),
        words,
        session.place in (Place.INSIDE, Place.EDGE),
        session.place.value if session.place is not None else "",
        session.place is not Place.OPEN,
    )


def _steel_rows(session: RoastSession, units: Units) -> tuple[tuple[str, str, str], ...]:
    """While no batch is prepared; a prepared one has a card for it."""
    if session.around.steel is None or session.recording:
        return ()
    spread = units.show_difference(session.around.steel.sd_c)
    return ((tr("drum steel"), tr("± {:.0f}", spread), units.text(session.around.steel.steel_c, "°C", 0)),)


def _next_key(session: RoastSession) -> str:
    if charge_doubted(session):
        return tr("the beans are in")
    meant = means_space(session) if session.recording else None
    if meant is not None:
        return tr("mark {}", meant.kind.words)
    return "" if session.phase != "cooling" else tr("all marks are set")


def _curves(session: RoastSession, units: Units, zero: float) -> Curves:
    live = session.trace
    t = live.column("t") - zero
    turned = rises_since(session)
    drop = session.marks.get(MarkKind.DROP)
    rate, sd = live.rate(), live.column("rate_sd").copy()
    # Before the turn the probe only falls to meet the beans; after the drop there are none.
    begin = turned - zero if turned is not None else np.inf
    shown = (t >= begin) & (t <= (drop.t - zero if drop else np.inf))
    rate[~shown] = np.nan
    plan = session.order.plan
    planned = shifted_curve(plan, session.reckoned.values(), session.now(), session.foreseen) if plan else None
    empty = planned is None or plan is None
    late = np.empty(0, bool) if planned is None else planned.t - zero > 75.0
    return Curves(
        t,
        _shown(live.column("bean"), units),
        _shown(live.column("air"), units),
        units.show_difference(1.0) * rate,
        units.show_difference(1.0) * sd,
        _NONE if planned is None else planned.t - zero,
        _NONE if planned is None or plan is None else _shown(planned.bean - plan.tolerance("drop_c"), units),
        _NONE if planned is None or plan is None else _shown(planned.bean + plan.tolerance("drop_c"), units),
        _NONE if empty or planned is None else np.where(late, units.show_difference(1.0) * planned.ror, np.nan),
        *_fan(session, units, zero),
        *_reference(session, units),
    )


def _fan(session: RoastSession, units: Units, zero: float) -> tuple[FloatArray, FloatArray]:
    """What is to come of the bean probe, from now to the drop as it is expected."""
    forecast = session.guidance.forecast if session.guidance is not None else None
    if forecast is None or forecast.fan is None or forecast.fan_t is None:
        return _NONE, np.empty((3, 0))
    end = forecast.drop_t.value if forecast.drop_t is not None else forecast.at + 120.0
    part = (forecast.fan_t >= session.now() - zero - 4.0) & (forecast.fan_t <= end)
    return forecast.fan_t[part], _shown(forecast.fan[:, part], units)


def _reference(session: RoastSession, units: Units) -> tuple[FloatArray, FloatArray]:
    """The bean probe of the reference batch, from its charge to its drop."""
    record = session.around.reference
    if record is None or MarkKind.CHARGE not in session.marks:
        return _NONE, _NONE
    drop = record.mark(MarkKind.DROP)
    t = record.trace.t - record.charge_t
    part = (t >= 0.0) & (t <= (drop.t - record.charge_t if drop else np.inf))
    return t[part], _shown(record.trace.bean[part], units)


def _shown(celsius: FloatArray, units: Units) -> FloatArray:
    return celsius if units.temperature == "°C" else celsius * units.show_difference(1.0) + units.show(0.0, "°C")


def _span(session: RoastSession, now: float) -> tuple[float, float]:
    charge = session.marks.get(MarkKind.CHARGE)
    if charge is None:
        return (-240.0, 60.0)
    planned = session.expected().get(MarkKind.DROP)
    end = max(now + 45.0, 600.0, (planned - charge.t + 45.0) if planned else 0.0)
    return (-30.0, _up(end, 60.0))


def _up(value: float, step: float) -> float:
    """The next whole step: an axis that moved with each reading would be restless, and drawn twice for each."""
    return float(np.ceil(value / step - 1e-9) * step)


def _levels(curves: Curves, units: Units) -> tuple[float, float]:
    low, high = units.show(70.0, "°C"), units.show(230.0, "°C")
    recent = slice(max(curves.t.size - 20000, 0), None)
    for column in (curves.bean[recent], curves.air[recent], curves.plan_low):
        known = column[np.isfinite(column)]
        if known.size:
            low = min(low, -_up(units.show_difference(5.0) - float(known.min()), 10.0))
            high = max(high, min(_up(float(known.max()) + units.show_difference(5.0), 10.0), units.show(330.0, "°C")))
    return low, high


def _rate_top(curves: Curves, units: Units) -> float:
    both = np.concatenate([curves.rate, curves.plan_rate])
    most = float(np.nanmax(both)) if np.isfinite(both).any() else 0.0
    return float(np.clip(_up(most * 1.05, 2.0), units.show_difference(18.0), units.show_difference(40.0)))


def _labels(session: RoastSession, units: Units, zero: float) -> tuple[MarkLabel, ...]:
    labels = []
    for mark in session.marks.values():
        if mark.bean is not None:
            turned = mark.kind is MarkKind.TURNING
            words = tr("turn") if turned else mark.kind.words
            what = units.text(mark.bean, "°C", 0, with_unit=False) if mark.kind is MarkKind.CHARGE else clock(mark.t - zero)
            labels.append(MarkLabel(f"{words} {what}", mark.t - zero, units.show(mark.bean, "°C"), below=turned))
    plan = session.order.plan
    curve = shifted_curve(plan, session.reckoned.values(), session.now(), session.foreseen) if plan else None
    if MarkKind.CHARGE in session.marks and curve is not None and curve.t.size:
        for kind, t in session.expected().items():
            if kind not in session.marks and abs(t - session.now()) > AT_NOW_S:
                level = float(np.interp(t, curve.t, curve.bean))
                labels.append(MarkLabel(f"{kind.words} {clock(t - zero)}", t - zero, units.show(level, "°C"), expected=True))
    return tuple(labels)


def steps_of(trace: Trace, control: Control, start: float, end: float) -> tuple[tuple[float, float, float], ...]:
    """Spans of equal setting of one control between two log times: (from, to, setting)."""
    values = trace.control(control)
    keep = np.isfinite(values) & (trace.t >= start) & (trace.t <= end)
    t, values = trace.t[keep], values[keep]
    if t.size == 0:
        return ()
    edges = np.concatenate([[0], np.flatnonzero(np.abs(np.diff(values)) > 1e-9) + 1])
    ends = np.append(t[edges[1:]], end)
    return tuple((float(t[edge]), float(stop), float(values[edge])) for edge, stop in zip(edges, ends, strict=True))


def ribbons_of(session: RoastSession, units: Units, zero: float, now: float) -> tuple[RibbonPicture, ...]:
    """The ribbons of the machine's controls, with what is still planned."""
    machine = session.machine
    if machine is None:
        return ()
    due = session.due() if MarkKind.CHARGE in session.marks else ()
    end_of_plan = session.expected().get(MarkKind.DROP, now)
    ribbons = []
    drop = session.marks.get(MarkKind.DROP)
    until = drop.t if drop else now
    for control, scale in machine.controls.items():
        charge = session.marks.get(MarkKind.CHARGE)
        start = charge.t if charge else now - 240.0
        done = steps_of(session.trace.trace(), control, start, until)
        by_hand = [value for _, _, value in done] if not scale.reported else []
        factor, digits, unit = units.show_difference(1.0, scale.unit), scale.digits(*by_hand), units.shown_unit(scale.unit)
        if unit != scale.unit:
            digits = 2 if unit in ("kPa", "inH2O") else 1
        ribbons.append(
            RibbonPicture(
                machine.word(control), unit, ROLES[machine.role(control)], scale.high, digits, factor,
                tuple((a - zero, b - zero, value) for a, b, value in done),
                _planned_spans(due, control, max(now, until), end_of_plan, zero, done[-1][2] if done else None)
                if drop is None else (),
            )
        )  # fmt: skip
    return tuple(ribbons)


def _planned_spans(
    due: tuple[DueMove, ...], control: Control, now: float, end: float, zero: float, stands: float | None
) -> tuple[tuple[float, float, float], ...]:
    """What is still to come of a control, as far as the batch goes: as it ``stands`` until its next move, then as planned."""
    if not due:
        return ()
    waiting = [
        (max(e.due_t, now), e.move.to) for e in due if e.move.control == control and e.done_t is None and e.due_t is not None
    ]
    if stands is not None:
        waiting.insert(0, (now, stands))
    stops = [*(t for t, _ in waiting[1:]), max(end, now)]
    return tuple((t - zero, stop - zero, value) for (t, value), stop in zip(waiting, stops, strict=False) if stop > t)


def _batch_lines(session: RoastSession, units: Units) -> tuple[str, ...]:
    order = session.order
    if not session.recording:
        return ()
    lot = order.lot.name if order.lot else tr("lot not told yet")
    process = f", {order.lot.process}" if order.lot and order.lot.process else ""
    load = units.text(order.load_kg, "kg") if order.load_kg else tr("load not told")
    machine = order.machine.name if order.machine else tr("machine not told")
    plan = tr("plan “{}”", order.plan.name) if order.plan else tr("without a plan")
    return (f"{lot}{process}", tr("{} on {}", load, machine), plan)


def mark_rows(marks: tuple[Mark, ...], units: Units) -> tuple[tuple[str, str, str], ...]:
    """Rows of the marks card: name, time from charge, bean; stage times among them, starred."""
    by_kind = {mark.kind: mark for mark in marks}
    charge = by_kind.get(MarkKind.CHARGE)
    stages = dict(stages_of(marks).named())
    rows: list[tuple[str, str, str]] = []
    for mark in sorted(marks, key=lambda m: m.t):
        found = tr(" (curve)") if mark.found is Found.CURVE and mark.kind is not MarkKind.TURNING else ""
        since = clock(mark.t - charge.t) if charge else "–"
        rows.append((f"{mark.kind.words}{found}", since, units.text(mark.bean, "°C", 1)))
    for name, stage in stages.items():
        if stage is not None:
            share = tr("{:.0f} %", 100 * stage.share) if stage.share is not None else ""
            rows.append((f"*{name}", clock(stage.seconds), share))
    return tuple(rows)


def _moves(session: RoastSession, units: Units, zero: float) -> tuple[tuple[str, str], ...]:
    """The plan's moves still to come, then the last ones made: sentence and when."""
    due = [entry for entry in pending(session) if entry.due_t is None or entry.due_t > session.now()]
    coming = [(move_sentence(entry, units, session.machine), when_sentence(entry.move, units)) for entry in due[:2]]
    if coming or session.order.plan is not None:
        return tuple(coming)
    scale = session.machine.controls if session.machine else {}
    made = [
        (
            f"{word_of(move.control, session.machine)} {control_text(move.control, move.to, scale.get(move.control), units)}",
            clock(move.t - zero),
        )
        for move in session.moves[-2:]
    ]
    return tuple(reversed(made))
