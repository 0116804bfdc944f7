"""``firnel weigh``, ``compare`` and ``cuppings``: what the bench keeps, and whether a batch was the same, without a window."""

from __future__ import annotations

from datetime import datetime
from statistics import fmean
from typing import Any

import click

from firnel.app.command_parts import COLOUR, KG, CouldNotError, json_option, library_option, opened, say_json
from firnel.core.units import Units
from firnel.work.bench.cupping import Coffee, results
from firnel.work.bench.results import Results, check_results, missing_of
from firnel.work.bench.weighing import keep_colours
from firnel.work.machines.meters import note_meter, readings, unit_of
from firnel.work.review.sameness import judge
from firnel.work.settings import load_settings


@click.command()
@click.argument("batch")
@click.option("--roasted", "roasted_kg", type=KG, help="Roasted weight, kg.")
@click.option("--ground", type=COLOUR, multiple=True, help="Colour ground; several readings are averaged.")
@click.option("--whole", type=COLOUR, multiple=True, help="Colour of the whole beans; several readings are averaged.")
@click.option("--remark", default="", help="A word on it.")
@click.option("--not-measured", "declined", type=click.Choice(["weight", "colour"]), multiple=True, help="It will not be.")
@library_option
@json_option
def weigh(
    batch: str, roasted_kg: float | None, ground: tuple[float, ...], whole: tuple[float, ...], remark: str,
    declined: tuple[str, ...], library_at: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Keep what scale and colour meter say of a batch; the values that stood there before are kept too."""
    with opened(library_at) as library:
        key = library.find_batch(batch)
        record = library.batch(key)
        if record.status not in ("dropped", "done"):
            raise CouldNotError(f"Batch {record.label} is not dropped yet.")
        came = Results(
            roasted_kg if roasted_kg is not None else record.roasted_kg,
            fmean(whole) if whole else record.colour_whole, fmean(ground) if ground else record.colour_ground,
            remark or record.remark, whole, ground, declined=declined or tuple(filter(None, record.declined.split(","))),
        )  # fmt: skip
        if roasted_kg is None and not (ground or whole or remark or declined):
            raise click.UsageError("Say what is measured: --roasted, --ground, --whole, --remark or --not-measured.")
        check_results(record.load_kg, came)
        mine, _ = load_settings()
        library.mend_book.correct(key, came.columns, mine.operator)
        keep_colours(library, key, came)
        if came.complete:
            library.set_status(key, "done")
        kept = library.batch(key)
    if as_json:
        say_json({
            "id": key, "label": kept.label, "roasted_kg": kept.roasted_kg, "loss": kept.loss, "status": kept.status,
            "colour": {"whole": kept.colour_whole, "ground": kept.colour_ground}, "missing": missing_of(came) or None,
        })  # fmt: skip
        return
    loss = f", loss {100.0 * kept.loss:.1f} %" if kept.loss is not None else ""
    click.echo(f"Batch {kept.label} is kept{loss}.{f' {missing_of(came)} to come.' if missing_of(came) else ''}")


@click.command()
@click.argument("machine")
@click.argument("reading", type=float, required=False)
@click.option("--at", type=click.DateTime(), help="When it was read, local time; now if left out.")
@click.option("--new", is_flag=True, help="The meter was changed: nothing was used up to this reading.")
@library_option
@json_option
def meter(machine: str, reading: float | None, at: datetime | None, new: bool, library_at: str | None, as_json: bool) -> None:
    """Note what the gas or power meter of a machine shows; without a reading, what was noted so far."""
    with opened(library_at) as library:
        found, said = library.machine(machine), ""
        if reading is not None:
            mine, _ = load_settings()
            said = note_meter(library, found, reading, at.astimezone() if at else None, mine.operator, new)
        noted = readings(library, found)
    if as_json:
        told = [{"at": one.at.isoformat(), "value": one.value, "new": one.new} for one in noted]
        say_json({"machine": found.name, "unit": unit_of(found), "readings": told})
        return
    if said:
        click.echo(said)
        return
    for one in noted:
        click.echo(
            f"  {one.at.astimezone():%Y-%m-%d %H:%M}  {one.value:>12g} {unit_of(found)}{'  another meter' if one.new else ''}"
        )


@click.command()
@click.argument("batch")
@click.option("--against", help="Another batch; the reference of its plan, or the plan itself, if left out.")
@library_option
@json_option
def compare(batch: str, against: str | None, library_at: str | None, as_json: bool) -> None:
    """Was it the same? A batch against its reference, its plan or another batch, with the likely cause."""
    with opened(library_at) as library:
        key = library.find_batch(batch)
        other = library.find_batch(against) if against is not None else None
        judged = judge(library, key, Units(), other)
    document = {
        "batch": batch, "against": judged.against, "same": judged.same, "verdict": judged.verdict,
        "table": [
            {
                "name": one.name, "unit": one.unit, "wanted": one.wanted, "came": one.came, "tolerance": one.tolerance,
                "word": one.word,
            }
            for one in judged.table
        ],
        "causes": [{"words": words, "weight": round(weight, 3)} for words, weight in judged.causes],
        "edits": [edit.words for edit in judged.edits],
    }  # fmt: skip
    if as_json:
        say_json(document)
        return
    click.echo(judged.verdict)
    for one in judged.table:
        click.echo(f"{one.words:<28} {one.wanted:9.2f} {one.came:9.2f} {one.by:+9.2f} {one.unit:<8} {one.word}")
    for words, weight in judged.causes:
        click.echo(f"{100.0 * weight:3.0f} %  {words}")
    for edit in judged.edits:
        click.echo(f"Edit: {edit.words}")


def _batches(coffee: Coffee) -> tuple[int, ...]:
    """Of which batches a coffee on the table is."""
    return (coffee.batch_id,) if coffee.mix is None else tuple(key for key, _ in coffee.mix.parts)


@click.command()
@click.option("--batch", help="Only those with this batch on the table.")
@library_option
@json_option
def cuppings(batch: str | None, library_at: str | None, as_json: bool) -> None:
    """What was cupped, and what came of it; of a table that is not revealed yet only that it stands."""
    with opened(library_at) as library:
        key = library.find_batch(batch) if batch is not None else None
        found: list[dict[str, Any]] = []
        for table in library.bench_book.tables(("cupping",)):
            came, agreement = results(library, table) if table.revealed else ([], None)
            if key is not None and not any(key in _batches(one.coffee) for one in came):
                continue
            coffees: list[dict[str, Any]] = [
                {
                    "batch": one.label, "code": one.coffee.code, "reference": one.coffee.reference, "score": one.score,
                    "spread": one.spread, "cuppers": one.cuppers, "rank": one.rank, "words": list(one.words),
                }
                for one in came
            ]  # fmt: skip
            words = agreement.words if agreement is not None else None
            found.append(
                {"name": table.name, "at": table.at.isoformat(), "revealed": table.revealed, "coffees": coffees,
                 "agreement": words}
            )  # fmt: skip
    if as_json:
        say_json(found)
        return
    for entry in found:
        click.echo(f"{entry['at'][:10]}  {entry['name']}{'' if entry['revealed'] else ': not revealed yet'}")
        for one in entry["coffees"]:
            score = f"{one['score']:.2f}" if one["score"] is not None else "–"
            click.echo(f"    {one['batch']:>6}  {score:>6}  {', '.join(one['words'])}")
        if entry["agreement"]:
            click.echo(f"    {entry['agreement']}")
    if not found:
        click.echo("Nothing was cupped yet.", err=True)
