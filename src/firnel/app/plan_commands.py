"""The commands about plans: find the moves that meet targets, run a plan on a machine's fitted model."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from firnel.app.command_parts import (
    BEAN_C,
    COLOUR,
    KG,
    RISE_K,
    ROOM_C,
    SHARE,
    STAGE_S,
    STEEL_C,
    CouldNotError,
    Figure,
    json_option,
    library_option,
    opened,
    pairs_of,
    say_json,
)
from firnel.core.model.solving import plain
from firnel.core.plan import PLAN_LIMITS, TARGET_WORDS, Plan, Targets
from firnel.core.units import Units, clock
from firnel.core.vocabulary import Control
from firnel.exchange.whole_file import write_whole
from firnel.work.machines.forecasting import level_told, level_words, simulate_document, simulate_plan
from firnel.work.machines.knowledge import model_of
from firnel.work.plan.files import read_plan_file


@click.command()
@click.option("--machine", "name", required=True)
@click.option("--plan", "plan_at", type=click.Path(path_type=Path), required=True, help="A plan document.")
@click.option("--soak-steel", "steel_c", type=STEEL_C, help="Steel at charge, degC; what is usual if not told.")
@click.option("--room", "room_c", type=ROOM_C, default=22.0, show_default=True)
@click.option("--csv", "csv_at", type=click.Path(path_type=Path), help="Write the curve to this file.")
@library_option
@json_option
def simulate(
    name: str, plan_at: Path, steel_c: float | None, room_c: float, csv_at: Path | None, library_at: str | None, as_json: bool
) -> None:
    """Run a plan on a machine's fitted model."""
    with opened(library_at) as library:
        found = library.machine(name)
        roast = simulate_plan(library, found, read_plan_file(plan_at), steel_c, room_c)
        document = simulate_document(model_of(library, found)[0], roast)
    if csv_at is not None:
        _write_curve(document, csv_at)
    if as_json:
        say_json(document)
        return
    for kind, mark in document["marks"].items():
        if mark is not None:
            click.echo(f"  {kind.replace('_', ' '):<16}{clock(mark['t']):>7}  {mark['bean']:.1f} °C")
    click.echo(f"  {level_words(document)}")


def _write_curve(document: dict[str, Any], path: Path) -> None:
    curve = document["curve"]
    lines = ["time_s,bean_c,air_c,ror_c_per_min"]
    lines += [
        ",".join(f"{value:g}" for value in row)
        for row in zip(*(curve[key] for key in ("t", "bean", "air", "ror")), strict=True)
    ]
    try:
        write_whole(path, "\n".join(lines) + "\n")
    except OSError as error:
        raise CouldNotError(f"{path} cannot be written: {error.strerror}.") from error


@click.group()
def plan() -> None:
    """Plans: targets, and the moves that meet them."""


@plan.command("solve")
@click.option("--machine", "name", required=True)
@click.option("--load", "load_kg", type=KG, required=True, help="Green to be charged, kg.")
@click.option("--lot", "lot_name", default="", help="Lot, for its handling and its marks.")
@click.option("--charge", "charge_c", type=BEAN_C, help="Charge temperature, degC; found where it is not told.")
@click.option("--drying", "drying_s", type=STAGE_S, help="Seconds from charge to yellow.")
@click.option("--browning", "browning_s", type=STAGE_S, help="Seconds from yellow to first crack.")
@click.option("--development", "development_s", type=STAGE_S, help="Seconds from first crack to drop.")
@click.option("--drop", "drop_c", type=BEAN_C, help="Bean reading at drop, degC.")
@click.option("--rise", "rise_c", type=RISE_K, help="Rise of the bean reading from first crack to drop, K.")
@click.option("--total", "total_s", type=STAGE_S, help="Seconds from charge to drop.")
@click.option("--ratio", type=SHARE, help="Development over total, 0 to 1.")
@click.option("--loss", type=SHARE, help="Weight loss, 0 to 1.")
@click.option("--colour", type=COLOUR, help="Colour index.")
@click.option("--wins", type=click.Choice(list(TARGET_WORDS)), default="development_s", help="What holds if two disagree.")
@click.option(
    "--within", multiple=True, metavar="TARGET=BY", help="How far a target may be missed, as in drop=0.7,development=3 (°C, s)."
)
@click.option("--room", "room_c", type=ROOM_C, default=22.0, show_default=True, help="Of the room, degC.")
@click.option(
    "--drum",
    "drum_c",
    type=Figure(-200.0, 100.0, "K"),
    default=0.0,
    help="How much hotter than usual the steel is at charge, K.",
)
@click.option(
    "--approach", type=click.Choice(["falling", "air-led", "soak-push", "times"]), default="falling", show_default=True
)
@click.option("--purpose", default="filter", show_default=True)
@click.option("--reference", help="A batch whose stages and end are wanted again, where nothing else is told.")
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Write the plan document to this file.")
@library_option
@json_option
def plan_solve(
    name: str, load_kg: float, lot_name: str, wins: str, within: tuple[str, ...], room_c: float, drum_c: float, approach: str,
    purpose: str, reference: str | None, output: Path | None, library_at: str | None, as_json: bool, **targets: float | None,
) -> None:  # fmt: skip
    """Find the moves that bring a roast to its targets on a fitted machine."""
    from firnel.work.plan.picture import start_words
    from firnel.work.plan.planning import outlook_of, solve_plan, solved_document, targets_of_batch, unseen_width

    with opened(library_at) as library:
        found = library.machine(name)
        if lot_name and not any(lot.name == lot_name for lot in library.lots()):
            there = ", ".join(lot.name for lot in library.lots()) or "no lots yet"
            raise CouldNotError(f"No lot is called {lot_name!r}; the library has {there}.")
        if load_kg > found.stated_load_kg > 0:
            raise CouldNotError(f"A load of {load_kg:g} kg is more than {found.name} takes ({found.stated_load_kg:g} kg).")
        asked = Targets(**targets)
        if reference is not None:
            from_batch, of_lot = targets_of_batch(library, reference)
            told = {key: value for key, value in vars(asked).items() if value is not None}
            asked, lot_name = replace(from_batch, **told), lot_name or of_lot
        wanted = Plan(
            f"{lot_name or found.name} {purpose}", found.name, lot_name, load_kg, purpose, approach, asked,
            wins=wins, room_c=room_c, drum_c=drum_c, tolerances=_tolerances(within),
        )  # fmt: skip
        solved = solve_plan(library, found, wanted)
        document = solved_document(solved, found) | level_told(model_of(library, found)[0], solved.roast)
        width = unseen_width(solved, outlook_of(library, found, solved)) if solved.never_logged else ""
    if output is not None:
        _write_json(document, output)
    for sentence in filter(None, (*solved.not_met, *solved.warnings, width)):
        click.echo(sentence, err=True)
    if as_json:
        say_json(document)
        return
    for target, (goal, got) in solved.met.items():
        click.echo(f"  {TARGET_WORDS[target]:<18} {plain(target, goal):>9} wanted, {plain(target, got):>9} expected")
    if begins := start_words(solved.plan, found, Units()):
        click.echo(f"  {begins}")
    for move in document["moves"]:
        word = found.word(Control(move["control"]))
        reading = f"at {move.get('at_c') or 0.0:g} °C of the {move['anchor']}"
        where = reading if "at_c" in move else f"{move['offset_s']:+.0f} s from {move.get('after') or move['anchor']}"
        click.echo(f"  {word} to {move['to']:g} {move['unit']} {where}, at {clock(move['expected_t'])}")
    click.echo(f"  {level_words(document)}")


def _tolerances(within: tuple[str, ...]) -> dict[str, float]:
    """``drop=0.7`` or ``drop_c=0.7``, by target."""
    found = {}
    for word, by in pairs_of(within, "--within").items():
        target = next((name for name in TARGET_WORDS if word in (name, name.partition("_")[0])), None)
        if target is None:
            known = ", ".join(name.partition("_")[0] for name in TARGET_WORDS)
            raise click.BadParameter(f"{word!r} is no target: {known}", param_hint="--within")
        found[target] = Figure(*PLAN_LIMITS["tolerance"], "").convert(by, None, None)
    return found


def _write_json(document: dict[str, Any], path: Path) -> None:
    try:
        write_whole(path, json.dumps(document, indent=1, ensure_ascii=False) + "\n")
    except OSError as error:
        raise CouldNotError(f"{path} cannot be written: {error.strerror}.") from error
