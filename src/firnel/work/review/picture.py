"""What Review shows of one batch, and of one laid over it, in display units."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.units import Units, clock
from firnel.core.vocabulary import BatchRecord, FloatArray, Found, Machine, MarkKind, Role, usual_role, word_of
from firnel.core.words import later, tr
from firnel.work.review.records import BatchSheet
from firnel.work.roast.move_words import control_text
from firnel.work.roast.picture import ROLES, RibbonPicture, steps_of
from firnel.work.roast.plan_thread import note_words

#: Notes that the roaster wrote down; the others are ticks and the like.
SAID = (
    later("colour"), later("smell"), later("remark"), later("outlier"), later("first crack by"), later("ended otherwise"),
    later("plan"),
)  # fmt: skip


@dataclass(frozen=True)
class ReviewCurves:
    """Curves over seconds from charge, shapes (n,); the rate over its own ``rate_t``, for it ends at the drop."""

    t: FloatArray
    bean: FloatArray
    air: FloatArray
    rate_t: FloatArray
    rate: FloatArray


@dataclass(frozen=True)
class MarkRow:
    """One mark as Review lists it; ``t`` is seconds from charge, None where it is missing."""

    kind: MarkKind
    name: str
    t: float | None
    bean: str
    found: str


@dataclass(frozen=True)
class ReviewPicture:
    """The sheet of one batch."""

    title: str
    subtitle: str
    curves: ReviewCurves
    marks: tuple[MarkRow, ...]
    stages: tuple[tuple[str, ...], ...]
    ribbons: tuple[RibbonPicture, ...]
    results: tuple[tuple[str, str], ...]
    moves: tuple[tuple[str, str], ...]
    notes: tuple[tuple[str, str], ...]
    events: tuple[tuple[str, str], ...]
    span: tuple[float, float]
    levels: tuple[float, float]
    rate_top: float
    temperature_unit: str = "°C"


def review_picture(sheet: BatchSheet, machine: Machine | None, units: Units) -> ReviewPicture:
    """The picture of a sheet."""
    record, zero = sheet.record, sheet.record.charge_t
    curves = review_curves(sheet, units)
    drop = record.mark(MarkKind.DROP)
    end = (drop.t if drop else float(record.trace.t[-1]) if record.trace.t.size else zero + 600.0) - zero
    known = [column[np.isfinite(column)] for column in (curves.bean, curves.air)]
    values = np.concatenate(known) if any(column.size for column in known) else np.array([units.show(20.0, "°C")])
    rate = curves.rate[np.isfinite(curves.rate)]
    when = tr("{:%d %B %Y, %H:%M}", record.started.astimezone())
    lot = record.lot or tr("lot not told")
    return ReviewPicture(
        title=f"{record.label} · {lot}",
        subtitle=" · ".join(part for part in (when, record.machine, units.text(record.load_kg, "kg"), record.plan) if part),
        curves=curves,
        marks=_mark_rows(record, units),
        stages=_stage_rows(sheet, units),
        ribbons=_ribbons(record, machine, units, zero, end + zero),
        results=_results(record, units),
        moves=_moves(record, machine, units, zero),
        notes=tuple(
            (clock(note.t - zero), f"{tr(note.kind)}: {note_words(note)}") for note in record.notes if note.kind in SAID
        ),
        events=tuple((clock(event.start - zero), _event_words(event.kind, event.likely_cause)) for event in sheet.events),
        span=(-30.0, end + 25.0),
        levels=(float(values.min()) - 6.0, float(values.max()) + 8.0),
        rate_top=float(
            np.clip(rate.max() * 1.08 if rate.size else 0.0, units.show_difference(15.0), units.show_difference(40.0))
        ),
        temperature_unit=units.temperature,
    )


def review_curves(sheet: BatchSheet, units: Units) -> ReviewCurves:
    """The curves of a sheet, aligned at charge."""
    record, zero = sheet.record, sheet.record.charge_t
    scale, offset = units.show_difference(1.0), units.show(0.0, "°C")
    turning, drop = record.mark(MarkKind.TURNING), record.mark(MarkKind.DROP)
    shown = sheet.rate.t >= (turning.t if turning else zero + 90.0)
    if drop:
        shown &= sheet.rate.t <= drop.t
    rate = np.where(shown, sheet.rate.c_per_min * scale, np.nan)
    trace = record.trace
    return ReviewCurves(trace.t - zero, trace.bean * scale + offset, trace.air * scale + offset, sheet.rate.t - zero, rate)


def _mark_rows(record: BatchRecord, units: Units) -> tuple[MarkRow, ...]:
    zero = record.charge_t
    rows = []
    for kind in MarkKind:
        mark = record.mark(kind)
        if mark is None and kind in (MarkKind.FIRST_CRACK_END, MarkKind.SECOND_CRACK):
            continue
        how = {Found.CURVE: tr("curve"), Found.KEY: tr("key"), Found.GIVEN: tr("corrected"), Found.MACHINE: tr("machine")}
        rows.append(
            MarkRow(
                kind,
                kind.words,
                mark.t - zero if mark else None,
                units.text(mark.bean, "°C", 1, with_unit=False) if mark else "–",
                how[mark.found] if mark else tr("missing"),
            )
        )
    return tuple(rows)


def _stage_rows(sheet: BatchSheet, units: Units) -> tuple[tuple[str, ...], ...]:
    rows: list[tuple[str, ...]] = [
        (f"{units.temperature}, {units.temperature}/min", tr("time"), tr("share"), tr("rise"), tr("rate"))
    ]
    for name, stage in sheet.stages.named():
        if stage is None:
            rows.append((name, "–", "–", "–", "–"))
            continue
        share = tr("{:.0f} %", 100 * stage.share) if stage.share is not None else "–"
        rise = tr("{:.1f}", units.show_difference(stage.rise_c)) if stage.rise_c is not None else "–"
        rate = tr("{:.1f}", units.show_difference(stage.mean_rate)) if stage.mean_rate is not None else "–"
        rows.append((name, clock(stage.seconds), share, rise, rate))
    rows.append(("*total", clock(sheet.stages.total_s), "", "", ""))
    return tuple(rows)


def _ribbons(record: BatchRecord, machine: Machine | None, units: Units, start: float, end: float) -> tuple[RibbonPicture, ...]:
    ribbons = []
    for control in record.trace.controls:
        spans = steps_of(record.trace, control, start, end)
        if not spans or (usual_role(control) is Role.MOTION and len(spans) == 1):
            continue  # a drum that turned at one speed tells nothing
        scale = machine.controls.get(control) if machine else None
        unit = units.shown_unit(scale.unit) if scale else ""
        top = scale.high if scale else max(value for _, _, value in spans)
        factor = units.show_difference(1.0, scale.unit) if scale else 1.0
        by_hand = [value for _, _, value in spans] if scale and not scale.reported else []
        digits = scale.digits(*by_hand) if scale and unit == scale.unit else 2
        name = word_of(control, machine)
        ribbons.append(
            RibbonPicture(
                name,
                unit,
                ROLES[machine.role(control) if machine else usual_role(control)],
                top,
                digits,
                factor,
                tuple((a - start, b - start, v) for a, b, v in spans),
            )
        )
    return tuple(ribbons)


def _results(record: BatchRecord, units: Units) -> tuple[tuple[str, str], ...]:
    loss = tr("{:.1f} %", 100 * record.loss) if record.loss is not None else "–"
    return (
        (tr("Green"), units.text(record.load_kg, "kg")),
        (tr("Roasted"), units.text(record.roasted_kg, "kg", 3 if units.mass == "kg" else None)),
        (tr("Weight loss"), loss),
        (tr("Whole bean"), _colour(record.colour_whole)),
        (tr("Ground"), _colour(record.colour_ground)),
        (tr("Room"), units.text(record.room_c, "°C", 0)),
    )


def _colour(reading: float | None) -> str:
    """A reading of the colour meter; on which scale is the house's own and stands in the settings."""
    return "–" if reading is None else tr("{:.1f}", reading)


def _moves(record: BatchRecord, machine: Machine | None, units: Units, zero: float) -> tuple[tuple[str, str], ...]:
    scales = machine.controls if machine else {}
    drop = record.mark(MarkKind.DROP)
    return tuple(
        (
            clock(move.t - zero),
            f"{word_of(move.control, machine)} {control_text(move.control, move.to, scales.get(move.control), units)}",
        )
        for move in record.moves
        if move.t >= zero and (drop is None or move.t <= drop.t)
    )


def _event_words(kind: str, cause: str | None) -> str:
    return f"{tr(kind)}: {cause}" if cause else tr(kind)
