"""``firnel charts`` and ``mend``: figures over many batches, and batches put right, without a window."""

from __future__ import annotations

from typing import Any

import click

from firnel.app.command_parts import COLOUR, KG, ROOM_C, CouldNotError, json_option, library_option, opened, say_json
from firnel.core.stages import MarkOrderError, check_mark_order
from firnel.core.units import clock
from firnel.core.vocabulary import BatchRecord, MarkKind
from firnel.work import shelf
from firnel.work.review import mending
from firnel.work.review.over_time import CHARTED, CHOSEN_BY, choices, over_time, replication, value_of
from firnel.work.review.records import Library, show_document, with_mark
from firnel.work.settings import load_settings


@click.command()
@click.option("--figure", type=click.Choice([name for name, _, _ in CHARTED]), default="development_s", show_default=True)
@click.option("--by", type=click.Choice(CHOSEN_BY), default="plan", show_default=True, help="What the batches have in common.")
@click.option("--of", "name", default="", help="Its name; all batches where it is left out.")
@library_option
@json_option
def charts(figure: str, by: str, name: str, library_at: str | None, as_json: bool) -> None:
    """A control chart of one figure over many batches, how capable it is, what moved with it, and how well plans are kept."""
    with opened(library_at) as library:
        if name and name not in choices(library, by):
            raise CouldNotError(f"There is no {by} called {name!r}.")
        told, kept = over_time(library, figure, by, name), replication(library)
    if told is None:
        raise CouldNotError("Fewer than two batches have this figure: nothing to chart yet.")
    chart, able = told.chart, told.capability
    signals = [(told.lines[signal.index].label, signal.rule, signal.words) for signal in chart.signals]
    if as_json:
        say_json({
            "figure": figure, "words": told.words, "unit": told.unit, "by": by, "of": name or None,
            "batches": [
                {"id": line.id, "label": line.label, "started": line.started.isoformat(), "value": value_of(line, figure)}
                for line in told.lines
            ],
            "centre": chart.centre, "low": chart.low, "high": chart.high,
            "moving_range": {"values": chart.moving_range.tolist(), "centre": chart.range_centre, "high": chart.range_high},
            "signals": [{"batch": label, "rule": rule, "words": words} for label, rule, words in signals],
            "wanted": told.wanted, "tolerance": told.tolerance,
            "capability": None if able is None else {
                "cp": able.cp, "cpk": able.cpk, "cpm": able.cpm, "inside": able.inside, "words": able.words,
            },
            "moved_with": [{"words": one.words, "rho": one.rho, "p": one.p} for one in told.candidates],
            "plans": [
                {"plan": one.plan, "batches": one.batches, "kept": one.kept, "development_sd_s": one.development_sd,
                 "drop_sd_c": one.drop_sd}
                for one in kept
            ],
        })  # fmt: skip
        return
    share = 100.0 if told.unit == "share" else 1.0
    unit = {"share": "%", "index": ""}.get(told.unit, told.unit)
    click.echo(f"{told.words}, {len(told.lines)} batches: {share * chart.centre:.1f} {unit}, limits "
               f"{share * chart.low:.1f} to {share * chart.high:.1f} {unit}")  # fmt: skip
    for label, _, words in signals:
        click.echo(f"  {label:>6}  {words}")
    if able is not None:
        click.echo(able.words)
    for one in told.candidates:
        click.echo(f"moved with it, which is no proof: {one.words} ({one.rho:+.2f})")
    for plan in kept:
        click.echo(f"{plan.plan:<28} kept in {100.0 * plan.kept:3.0f} % of {plan.batches}")


@click.command()
@click.argument("batch")
@click.option(
    "--mark", "marks", multiple=True, metavar="NAME=SECONDS", help="A mark, from the charge; NAME=none takes it away."
)
@click.option("--load", "load_kg", type=KG, help="Green charged, kg.")
@click.option("--room", "room_c", type=ROOM_C, help="Room temperature, degC.")
@click.option("--roasted", "roasted_kg", type=KG, help="Roasted weight, kg.")
@click.option("--ground", "colour_ground", type=COLOUR, help="Colour ground.")
@click.option("--whole", "colour_whole", type=COLOUR, help="Colour of the whole beans.")
@click.option("--operator", help="Who roasted.")
@click.option("--remark", help="A word on it.")
@click.option("--lot", help="The lot that it was of.")
@click.option("--machine", help="The machine that it was roasted on.")
@click.option("--leave-out", "left_out", metavar="WHY", help="It counts in no chart and no fit; an empty WHY: it counts again.")
@library_option
@json_option
def mend(
    batch: str, marks: tuple[str, ...], lot: str | None, machine: str | None, left_out: str | None, library_at: str | None,
    as_json: bool, **told: Any,
) -> None:  # fmt: skip
    """Put marks, order and results of a batch right; what stood there before is kept, and told. Without options: only told."""
    values = {name: value for name, value in told.items() if value is not None}
    mine, _ = load_settings()
    with opened(library_at) as library:
        record = library.batch(library.find_batch(batch))
        if record.id is None or record.status not in ("dropped", "done"):
            raise CouldNotError(f"Batch {record.label} is not dropped yet.")
        if lot is not None:
            values["lot_id"] = _key_of("lot", lot, {one.name: one.id for one in library.lots()})
        if machine is not None:
            values["machine_id"] = library.machine(machine).id
        marked = _marked(record, marks)
        try:
            check_mark_order(marked.marks)
            mending.mend(library, record, values, mine.operator)
        except (ValueError, MarkOrderError) as error:
            raise CouldNotError(str(error)) from error
        if marks:
            shelf.set_marks(library, record.id, marked.marks, mine.operator)
        if left_out is not None:
            shelf.leave_out(library, record.id, left_out)
        _say_mended(library, record.id, as_json)


def _marked(record: BatchRecord, marks: tuple[str, ...]) -> BatchRecord:
    """The record with marks as they were told, in seconds from its charge."""
    zero, end = record.charge_t, float(record.trace.t[-1])
    for text in marks:
        name, _, at = text.partition("=")
        try:
            kind, seconds = MarkKind(name), None if at == "none" else float(at)
        except ValueError as error:
            known = ", ".join(kind.value for kind in MarkKind)
            raise click.UsageError(f"{text!r} is not NAME=SECONDS, NAME one of {known}.") from error
        if seconds is not None and not float(record.trace.t[0]) <= zero + seconds <= end:
            raise CouldNotError(f"{kind.words} at {at} s lies outside the log, which ends at {end - zero:.0f} s.")
        record = with_mark(record, kind, None if seconds is None else zero + seconds)
    return record


def _key_of(what: str, name: str, keys: dict[str, int | None]) -> int | None:
    if name not in keys:
        raise CouldNotError(f"There is no {what} called {name!r}.")
    return keys[name]


def _say_mended(library: Library, key: int, as_json: bool) -> None:
    record, mended = library.batch(key), mending.corrections(library, key)
    if as_json:
        said = [
            {"at": one.at.isoformat(), "who": one.who, "what": one.field, "before": one.before, "after": one.after}
            for one in mended
        ]
        say_json({**show_document(record), "mended": said})
        return
    for mark in record.marks:
        click.echo(f"  {mark.kind.words:<16}{clock(mark.t - record.charge_t):>7}")
    for one in mended:
        what = f"{one.field} {one.before or '–'} → {one.after or '–'}"
        click.echo(f"{one.at.astimezone():%Y-%m-%d %H:%M}  {one.who or 'somebody'}: {what}")
