"""The commands about machines and their models: define, fit, forecast."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import click

from firnel.app.command_parts import (
    BEAN_C,
    KG,
    SECONDS,
    CouldNotError,
    json_option,
    library_option,
    opened,
    say_json,
)
from firnel.core.machine.readings import check_readings
from firnel.core.model.score import all_muted, untold
from firnel.core.model.statements import Statement, records
from firnel.core.names import check_name
from firnel.core.units import clock
from firnel.core.vocabulary import KINDS_OF, MOST_CONTROLS, BatchRecord, Control, ControlScale, Machine, Role
from firnel.work.machines.files import machine_to_text, read_machine_file
from firnel.work.machines.forecasting import forecast_document, forecast_record
from firnel.work.machines.imported import on_scales
from firnel.work.machines.knowledge import fit_document, fit_machine, model_of, trust_words
from firnel.work.review.records import ImportWishes, Library, NotInLibraryError, read_file


@click.group()
def machine() -> None:
    """The machines of the library."""


@machine.command("list")
@library_option
@json_option
def machine_list(library_at: str | None, as_json: bool) -> None:
    """List the machines."""
    with opened(library_at) as library:
        found = library.machines()
    if as_json:
        say_json(
            [
                {"id": m.id, "name": m.name, "kind": m.kind, "heat": m.heat, "stated_load_kg": m.stated_load_kg,
                 "useful_load_kg": m.useful_load_kg, "device_url": m.device_url or None}
                for m in found
            ]
        )  # fmt: skip
        return
    for m in found:
        click.echo(f"{m.name:<24} {m.kind:<12} {m.heat:<9} {m.useful_load_kg:g} kg")


@machine.command("show")
@click.argument("name")
@library_option
@json_option
def machine_show(name: str, library_at: str | None, as_json: bool) -> None:
    """Show one machine and what its model says of itself. With --json: the document that ``machine add --file`` takes."""
    with opened(library_at) as library:
        found = library.machine(name)
        model, why = model_of(library, found)
    if as_json:
        say_json(json.loads(machine_to_text(found)) | {"model": fit_document(found, model) if model.batches else None})
        return
    click.echo(f"{found.name}: {found.heat}, {found.useful_load_kg:g} kg useful of {found.stated_load_kg:g} kg")
    click.echo(f"  yellow at {found.yellow_c:.1f} °C, first crack at {found.first_crack_c:.1f} °C on its probe")
    for control, scale in found.controls.items():
        click.echo(f"  {found.word(control)}: {scale.low:g} to {scale.high:g} {scale.unit} in steps of {scale.step:g}")
    for sentence in trust_words(model) if model.batches else (f"{why[:1].upper()}{why[1:]}.",):
        click.echo(f"  {sentence}")


def _scale(text: str, option: str) -> ControlScale:
    """``kPa:0:4:0.1`` as a scale; a fifth part is the least that works."""
    parts = text.split(":")
    try:
        low, high, step, *least = (float(part) for part in parts[1:])
    except ValueError as error:
        raise click.BadParameter(f"{text!r} is not UNIT:LOW:HIGH:STEP, as in kPa:0:4:0.1", param_hint=option) from error
    if not (math.isfinite(low) and math.isfinite(high) and low < high and 0 < step <= high - low) or len(least) > 1:
        raise click.BadParameter(f"{text!r}: the range must rise, and the step lie inside it", param_hint=option)
    return ControlScale(parts[0], low, high, step, least=least[0] if least else 0.0)


def _controls(made: Machine, told: Sequence[tuple[str, str, Role, Control | None]]) -> dict[Control, ControlScale]:
    """The machine's controls with those that were told: text, option, role, and the name of one that has none.

    Raises
    ------
    CouldNotError : if two of them have one name, or there are too many.
    """
    found: dict[Control, ControlScale] = {}
    for text, option, role, usual in told:
        head, equals, rest = text.partition("=")
        kind, _, scale = rest.partition(":")
        if not equals and usual is None:
            raise click.BadParameter(f"{text!r} is no NAME=KIND:UNIT:LOW:HIGH:STEP", param_hint=option)
        if equals and kind not in KINDS_OF[role]:
            raise click.BadParameter(f"{kind!r} is not one of {', '.join(KINDS_OF[role])}", param_hint=option)
        try:
            control = Control.named(head) if equals or usual is None else usual
        except ValueError as error:
            raise click.BadParameter(str(error), param_hint=option) from error
        if control in found:
            raise CouldNotError(f"Two controls are called {control.words}: give each a name of its own.")
        name = head.strip() if equals and head.strip() not in (control.words, str(control)) else ""
        given = _scale(scale if equals else text, option)
        found[control] = replace(given, role=role, kind=kind if equals else "", name=name)
    if len(found) > MOST_CONTROLS:
        raise CouldNotError(f"{len(found)} controls are more than a hand drives; {MOST_CONTROLS} at most.")
    roles = {scale.role for scale in found.values()}
    kept = {c: scale for c, scale in made.controls.items() if made.role(c) not in roles}
    return {**found, **kept} if Role.HEAT in roles else {**kept, **found}


@machine.command("record")
@click.argument("name")
@library_option
@json_option
def machine_record(name: str, library_at: str | None, as_json: bool) -> None:
    """What was foretold on a machine and what came: the score of each kind of statement."""
    with opened(library_at) as library:
        found = library.machine(name)
        model, _ = model_of(library, found)
    known = records(model.score)
    silent = {one.statement: untold(model, one.statement) for one in known}
    if as_json:
        say_json({
            "machine": found.name, "advice": all_muted(model) or None,
            "kinds": [
                {
                    "kind": one.statement.name.lower(), "words": one.statement.value, "horizon_s": HORIZONS.get(one.statement),
                    "unit": one.statement.unit, "n": one.count, "off": one.off if one.count else None,
                    "said": one.said if one.count else None, "held": one.held, "told": not silent[one.statement],
                    "why_not": silent[one.statement] or None,
                }
                for one in known
            ],
        })  # fmt: skip
        return
    for one in known:
        came = (
            f"{one.off:8.1f} {one.statement.unit:<7} said ± {one.said:.1f}, held {one.held} of {one.count}" if one.count else ""
        )
        click.echo(f"{one.statement.value:<36} {came or '       none yet'}")
    for sentence in filter(None, (all_muted(model), *(f"{one.value}: {why}" for one, why in silent.items() if why))):
        click.echo(sentence, err=True)


#: How long before what it foretells a statement is made. [s]
HORIZONS = {Statement.YELLOW: 90.0, Statement.CRACK_FAR: 180.0, Statement.CRACK: 90.0}


@machine.command("add")
@click.argument("name")
@click.option("--kind", help="A shipped kind: gas-6, gas-15, electric-1 or electric-9.")
@click.option(
    "--file", "from_file", type=click.Path(path_type=Path), help="A machine document, as machine show --json writes it."
)
@click.option("--heat", type=click.Choice(["gas", "electric"]), help="Source of heat.")
@click.option("--load", "stated_kg", type=KG, help="Load stated by the maker, kg.")
@click.option("--useful", "useful_kg", type=KG, help="Useful load, kg (three quarters of the stated one if not told).")
@click.option(
    "--source", "sources", multiple=True,
    help="A source of heat, the main one first: NAME=gas|electric|hot-air|radiant|drum:UNIT:LOW:HIGH:STEP[:LEAST].",
)  # fmt: skip
@click.option("--gas", help="The same for one gas gauge or heater dial: UNIT:LOW:HIGH:STEP, as in kPa:0:4:0.1")
@click.option("--airflow", "airflows", multiple=True, help="Airflow, as in %:0:100:5, or NAME=damper|fan|pressure:%:0:100:5")
@click.option("--drum", "motions", multiple=True, help="Drum speed, as in rpm:30:80:1, or NAME=drum|stirrer:rpm:30:80:1")
@click.option("--fuel", help="Of a gas burner: natural gas or LPG.")
@click.option("--yellow", "yellow_c", type=BEAN_C, help="What its bean probe usually reads at yellow, °C, if you know it.")
@click.option("--first-crack", "crack_c", type=BEAN_C, help="The same at first crack, °C: a first plan goes by it.")
@click.option("--device", default="", help="Where its readings come from.")
@library_option
@json_option
def machine_add(
    name: str, kind: str | None, from_file: Path | None, heat: str | None, stated_kg: float | None, useful_kg: float | None,
    sources: tuple[str, ...], gas: str | None, airflows: tuple[str, ...], motions: tuple[str, ...], fuel: str | None,
    yellow_c: float | None, crack_c: float | None, device: str, library_at: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Add a machine: of a shipped kind, from a document, or by its scales."""
    with opened(library_at) as library:
        made = _new_machine(name, kind, from_file, heat, stated_kg, useful_kg)
        told: list[tuple[str, str, Role, Control | None]] = [(text, "--source", Role.HEAT, None) for text in sources]
        told += [(gas, "--gas", Role.HEAT, Control.GAS)] if gas else []
        told += [(text, "--airflow", Role.AIRFLOW, Control.AIRFLOW) for text in airflows]
        told += [(text, "--drum", Role.MOTION, Control.DRUM) for text in motions]
        made = replace(made, controls=_controls(made, told), device_url=device or made.device_url, fuel=fuel or made.fuel)
        heats = {made.kind_of(control) for control in made.of(Role.HEAT)}
        made = replace(made, heat="gas" if "gas" in heats else "electric") if heats and heat is None else made
        check_name("a machine", name)
        made = replace(made, yellow_c=yellow_c or made.yellow_c, first_crack_c=crack_c or made.first_crack_c)
        check_readings(made)
        if any(known.name.lower() == name.lower() for known in library.machines()):
            raise CouldNotError(f"There is a machine called {name} already.")
        saved = library.save_machine(made)
    if as_json:
        say_json(json.loads(machine_to_text(saved)) | {"id": saved.id})
    else:
        click.echo(f"Added {saved.name}.")


def _new_machine(
    name: str, kind: str | None, from_file: Path | None, heat: str | None, stated_kg: float | None, useful_kg: float | None
) -> Machine:
    from firnel.work.desk import machine_kinds, machine_of_kind

    if kind is not None and from_file is not None:
        raise click.UsageError("--kind and --file are two ways to say the same: use one.")
    if from_file is not None:
        made = replace(read_machine_file(from_file), name=name)
    elif kind is not None:
        if kind not in machine_kinds():
            raise click.BadParameter(f"{kind!r} is not one of {', '.join(machine_kinds())}", param_hint="--kind")
        made = machine_of_kind(name, kind)
    elif stated_kg is None:
        raise click.UsageError("A machine needs --kind, --file, or --load with its scales.")
    else:
        made = Machine(name, "own", heat or "gas", stated_kg, 0.75 * stated_kg)
    made = replace(made, heat=heat or made.heat)
    made = replace(made, stated_load_kg=stated_kg or made.stated_load_kg, useful_load_kg=useful_kg or made.useful_load_kg)
    if not 0 < made.useful_load_kg <= made.stated_load_kg:
        raise CouldNotError(f"A useful load of {made.useful_load_kg:g} kg of {made.stated_load_kg:g} kg cannot be.")
    return made


@machine.command("fit")
@click.argument("name")
@click.option("--batches", "labels", multiple=True, help="Labels or ids, several parted by commas; the newest if not told.")
@library_option
@json_option
def machine_fit(name: str, labels: tuple[str, ...], library_at: str | None, as_json: bool) -> None:
    """Fit the machine's model to its logged batches, and keep it."""

    def progress(done: float) -> bool:
        if sys.stderr.isatty():
            click.echo(f"\rfitting, {100 * done:3.0f} %{chr(10) if done >= 1.0 else ''}", nl=False, err=True)
        return True

    wanted = [label.strip() for several in labels for label in several.split(",") if label.strip()]
    with opened(library_at) as library:
        found = library.machine(name)
        model, refused = fit_machine(library, found, wanted or None, progress)
    progress(1.0)
    for sentence in refused:
        click.echo(f"Left out: {sentence}", err=True)
    if as_json:
        say_json(fit_document(found, model))
        return
    report = model.report
    count = len(report.batches)
    click.echo(f"{found.name}: {count} {'batch' if count == 1 else 'batches'}, bean probe to {report.rms_bean_c:.1f} °C")
    for sentence in trust_words(model):
        click.echo(f"  {sentence}")


def _batch_or_file(library: Library, reference: str) -> tuple[BatchRecord, Mapping[Control, str]]:
    """A batch of the library, or a log; and the units of its controls, as far as the headings of a log tell others."""
    try:
        return library.batch(library.find_batch(reference)), {}
    except NotInLibraryError:
        path = Path(reference)
        if not path.exists():
            raise
        read = read_file(path, ImportWishes())
        return replace(read.record, label=read.record.label or path.name), read.units


@click.command()
@click.argument("batch")
@click.option("--at", "at", type=SECONDS, required=True, help="Seconds from charge.")
@click.option("--machine", "name", help="The machine, if the batch does not say.")
@click.option("--load", "load_kg", type=KG, help="Green charged, kg, if the batch does not say.")
@library_option
@json_option
def forecast(batch: str, at: float, name: str | None, load_kg: float | None, library_at: str | None, as_json: bool) -> None:
    """What was to be expected of a batch (or log) at some second, with only what was known then."""
    with opened(library_at) as library:
        record, units = _batch_or_file(library, batch)
        record = replace(record, load_kg=load_kg or record.load_kg, machine=name or record.machine)
        found = library.machine(record.machine) if record.machine else None
        if found is not None:
            record, said = on_scales(record, found, units)
            for words in said:
                click.echo(words, err=True)
        record = replace(record, machine=found.name if found else "", machine_id=found.id if found else None)
        made, why = forecast_record(library, record, found, at)
    if as_json:
        say_json(forecast_document(made, why))
        return
    click.echo(f"At {clock(at)}, from the {made.basis} ({why})")
    for words, when in (("yellow", made.yellow), ("first crack", made.first_crack), ("drop", made.drop_t)):
        if when is None:
            click.echo(f"  {words}: cannot be said")
        else:
            click.echo(f"  {words} {clock(when.value)}, {clock(when.low)} to {clock(when.high)}")
    if made.drop_c is not None:
        low, high = (f"{value:.1f}" if value is not None else "–" for value in (made.drop_c.low, made.drop_c.high))
        click.echo(f"  at {made.drop_c.value:.1f} °C, {low} to {high}")
