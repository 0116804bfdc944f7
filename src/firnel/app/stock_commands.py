"""``firnel lots``, ``plans`` and ``queue``: the store, what is roasted by, and what waits, without a window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, replace
from datetime import date
from pathlib import Path
from typing import Any, TypeVar

import click

from firnel.app.command_parts import KG, CouldNotError, Figure, json_option, library_option, opened, say_json
from firnel.core.green.check import check_lot
from firnel.core.names import check_name
from firnel.core.plan import Plan
from firnel.core.plan_document import plan_to_document
from firnel.core.vocabulary import Lot
from firnel.core.words import as_number
from firnel.work.day import queue as waiting
from firnel.work.green.intake import LotSheet, lot_sheet, measure, read_figures
from firnel.work.green.samples import KINDS, cupped, decide
from firnel.work.plan.files import read_plan_file
from firnel.work.review.records import Library

Named = TypeVar("Named", Lot, Plan)

#: What a store can hold of a lot.
STORE_KG = Figure(0.0, 1e6, "kg")
#: What of a lot is set as NAME=VALUE, and what each value is.
SET = {
    field.name: field.type for field in fields(Lot) if field.name not in ("id", "on_hand_kg", "archived", "verdict", "sample")
}


@click.group()
def lots() -> None:
    """The green coffee in the store, and samples of what may be bought."""


@lots.command("list")
@click.option("--samples", is_flag=True, help="Samples only.")
@click.option("--archived", is_flag=True, help="Those that were put away too.")
@library_option
@json_option
def lots_list(samples: bool, archived: bool, library_at: str | None, as_json: bool) -> None:
    """All lots with what is on hand."""
    with opened(library_at) as library:
        found = [lot for lot in library.lots() if (archived or not lot.archived) and (not samples or lot.sample)]
    if as_json:
        say_json([_lot_document(lot) for lot in found])
    for lot in found if not as_json else ():
        have = f"{lot.on_hand_kg:8.1f} kg" if lot.on_hand_kg is not None else "          –"
        click.echo(
            f"{have}  {lot.name}{f'  ({lot.sample} sample)' if lot.sample else ''}{f'  {lot.process}' if lot.process else ''}"
        )


@lots.command("show")
@click.argument("name")
@click.option("--machine", "on_machine", help="For which machine the handling is told.")
@library_option
@json_option
def lots_show(name: str, on_machine: str | None, library_at: str | None, as_json: bool) -> None:
    """All that is known of a lot: facts, measurements, handling, cup."""
    with opened(library_at) as library:
        lot = _lot(library, name)
        sheet = lot_sheet(library, lot, library.machine(on_machine) if on_machine else None, date.today())
        seen = cupped(library, lot)
    measured = [one for one in sheet.measured if not one.struck]
    document = _lot_document(lot) | {
        "measured": [{"at": one.at.isoformat(), "what": one.what, "words": one.words} for one in measured],
        "said": list(sheet.words), "roasted": seen.roasted, "score": seen.score, "handling": _handling(sheet),
    }  # fmt: skip
    if as_json:
        say_json(document)
        return
    told = document | {"measured": [f"{one.at:%Y-%m-%d} {one.what}: {one.words}" for one in measured]}
    told |= {"handling": "; ".join(f"{key} {value}" for key, value in (document["handling"] or {}).items() if value)}
    for key, value in told.items():
        words = "; ".join(map(str, value)) if isinstance(value, list) else f"{value:g}" if isinstance(value, float) else value
        if words not in (None, "", False) and key != "id":
            click.echo(f"{key.replace('_', ' '):>18}  {words}")


@lots.command("add")
@click.argument("name")
@click.argument("facts", nargs=-1, metavar="[FIELD=VALUE]…")
@click.option("--on-hand", "kg", type=STORE_KG, help="Kilograms on hand.")
@click.option("--sample", type=click.Choice(KINDS), help="It is a sample of a lot that is not bought yet.")
@library_option
@json_option
def lots_add(
    name: str, facts: tuple[str, ...], kg: float | None, sample: str | None, library_at: str | None, as_json: bool
) -> None:
    """Write down a lot or a sample: firnel lots add "Burundi Nkorabi" process=washed moisture=0.108"""
    with opened(library_at) as library:
        if any(lot.name.lower() == name.lower() for lot in library.lots()):
            raise CouldNotError(f"There is a lot called {name} already.")
        wanted = replace(Lot(name.strip(), on_hand_kg=kg, sample=sample or ""), **_facts(facts))
        check_lot(wanted)
        kept = library.save_lot(wanted)
    _say_lot(kept, as_json, f"{kept.name} is written down.")


@lots.command("change")
@click.argument("name")
@click.argument("facts", nargs=-1, metavar="[FIELD=VALUE]…")
@click.option("--count", "kg", type=STORE_KG, help="Stocktake: so many kilograms are there now.")
@click.option("--measure", "measured", nargs=2, metavar="KIND FIGURES", help='density "182.0 181.4", moisture 10.8 …')
@click.option("--beside", type=float, help="Vessel of the density, mL; sample of the defects, g.")
@click.option("--archive/--bring-back", default=None, help="Put it away, or bring it back.")
@library_option
@json_option
def lots_change(
    name: str, facts: tuple[str, ...], kg: float | None, measured: tuple[str, str] | None, beside: float | None,
    archive: bool | None, library_at: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Change facts of a lot, count it, measure it, put it away. An empty value takes a fact away."""
    with opened(library_at) as library:
        lot, words = _lot(library, name), ""
        changed = replace(lot, **_facts(facts))
        if archive is not None:
            changed = replace(changed, archived=archive)
        check_lot(changed)
        if any(one.name == changed.name and one.id != lot.id for one in library.lots()):
            raise CouldNotError(f"There is a lot called {changed.name} already.")
        if changed != lot:
            lot = library.save_lot(changed, lot)
        if kg is not None and lot.id is not None:
            library.lot_book.count(lot.id, kg)
        if measured is not None:
            lot, words = measure(library, lot, measured[0], read_figures(measured[0], measured[1], beside))
        kept = _lot(library, lot.name)
    _say_lot(kept, as_json, words or f"{kept.name} is kept.")


@lots.command("decide")
@click.argument("name")
@click.option("--buy/--pass", "buy", required=True, help="Buy what it is a sample of, or pass.")
@click.option("--why", default="", help="In words.")
@click.option("--kg", type=STORE_KG, help="What was bought, where it lies here already.")
@library_option
@json_option
def lots_decide(name: str, buy: bool, why: str, kg: float | None, library_at: str | None, as_json: bool) -> None:
    """What comes of a sample: bought, it becomes a lot with all that is known of it."""
    with opened(library_at) as library:
        kept = decide(library, _lot(library, name), buy, why, kg)
    _say_lot(kept, as_json, f"{kept.name}: {kept.verdict}.")


@click.group()
def plans() -> None:
    """The plans that are kept."""


@plans.command("list")
@click.option("--archived", is_flag=True, help="Those that were put away too.")
@library_option
@json_option
def plans_list(archived: bool, library_at: str | None, as_json: bool) -> None:
    """All plans."""
    with opened(library_at) as library:
        found = [plan for plan in library.plans() if archived or not plan.archived]
    if as_json:
        say_json(
            [
                {
                    "id": plan.id, "name": plan.name, "lot": plan.lot, "machine": plan.machine, "load_kg": plan.load_kg,
                    "version": plan.version, "archived": plan.archived,
                }
                for plan in found
            ]
        )  # fmt: skip
    for plan in found if not as_json else ():
        where = " · ".join(part for part in (plan.lot, plan.machine, f"{plan.load_kg:g} kg" if plan.load_kg else "") if part)
        click.echo(f"{plan.name} (version {plan.version})  {where}")


@plans.command("show")
@click.argument("name")
@library_option
@json_option
def plans_show(name: str, library_at: str | None, as_json: bool) -> None:
    """A plan as a document, which `firnel roast --plan` and `firnel simulate --plan` take."""
    with opened(library_at) as library:
        say_json(plan_to_document(_plan(library, name)))


@plans.command("add")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--name", help="Its name here; that of the file if left out.")
@library_option
@json_option
def plans_add(file: Path, name: str | None, library_at: str | None, as_json: bool) -> None:
    """Keep the plan of a file, as `firnel plan solve -o` writes it; a name that is there gets a new version."""
    with opened(library_at) as library:
        plan = read_plan_file(file)
        wanted = (name or plan.name).strip()
        check_name("a plan", wanted)
        known = next((one for one in library.plans() if one.name.lower() == wanted.lower()), None)
        kept = library.save_plan(replace(plan, name=wanted, id=known.id if known is not None else None), f"from {file.name}")
    _say_plan(kept, as_json, f"{kept.name} is kept as version {kept.version}.")


@plans.command("change")
@click.argument("name")
@click.option("--rename", help="Another name.")
@click.option("--archive/--bring-back", default=None, help="Put it away, or bring it back.")
@library_option
@json_option
def plans_change(name: str, rename: str | None, archive: bool | None, library_at: str | None, as_json: bool) -> None:
    """Rename a plan, put it away, or bring it back. What it asks for is changed by `plans add` with a new document."""
    with opened(library_at) as library:
        plan = _plan(library, name)
        if rename and any(one.name.lower() == rename.lower() and one.id != plan.id for one in library.plans()):
            raise CouldNotError(f"There is a plan called {rename} already.")
        check_name("a plan", rename or plan.name)
        kept = library.save_plan(
            replace(plan, name=rename or plan.name, archived=plan.archived if archive is None else archive)
        )
    _say_plan(kept, as_json, f"{kept.name} is kept.")


@click.group()
def queue() -> None:
    """The batches that wait to be roasted."""


@queue.command("list")
@library_option
@json_option
def queue_list(library_at: str | None, as_json: bool) -> None:
    """What waits, first things first."""
    with opened(library_at) as library:
        found = waiting.queue(library)
    _say_waiting(found, as_json)


@queue.command("show")
@click.argument("number")
@library_option
@json_option
def queue_show(number: str, library_at: str | None, as_json: bool) -> None:
    """One batch that waits."""
    with opened(library_at) as library:
        found = _waiting(library, number)
    if as_json:
        say_json(_waiting_document(found))
    else:
        _say_waiting([found], False)


@queue.command("add")
@click.argument("plan")
@click.option("--count", type=click.IntRange(1, 60), default=1, show_default=True, help="So many batches.")
@click.option("--load", "load_kg", type=KG, help="Load of each, kg; the plan's if left out.")
@library_option
@json_option
def queue_add(plan: str, count: int, load_kg: float | None, library_at: str | None, as_json: bool) -> None:
    """Let batches of PLAN wait, each with its number."""
    with opened(library_at) as library:
        found = waiting.add(library, _plan(library, plan), count, load_kg)
    _say_waiting(found, as_json)


@queue.command("change")
@click.argument("number")
@click.option("--out", "how", flag_value="out", help="Take it out; its number stays its own.")
@click.option("--back", "how", flag_value="back", help="Let it wait again.")
@click.option("--first", "how", flag_value="first", help="Let it be the next.")
@click.option("--up", "how", flag_value="up", help="Let it go before the one ahead of it.")
@click.option("--weighed", "how", flag_value="weighed", help="Its load stands weighed.")
@library_option
@json_option
def queue_change(number: str, how: str | None, library_at: str | None, as_json: bool) -> None:
    """Take a batch out of what waits, bring it back, or let it go earlier."""
    if how is None:
        raise click.UsageError("Say what is to become of it: --out, --back, --up, --first or --weighed.")
    with opened(library_at) as library:
        if how == "back":
            gone = next((one for one in waiting.taken_out(library) if one.number == number), None)
            if gone is None:
                raise CouldNotError(f"No batch {number} was taken out.")
            waiting.put_back(library, gone)
        else:
            one = _waiting(library, number)
            if how == "out":
                waiting.remove(library, one)
            elif how == "weighed":
                library.waiting_book.weighed(one.id)
            else:
                ahead = [other.id for other in waiting.queue(library)].index(one.id)
                for _ in range(ahead if how == "first" else min(ahead, 1)):
                    waiting.raise_up(library, one)
        found = waiting.queue(library)
    _say_waiting(found, as_json)


def _lot(library: Library, name: str) -> Lot:
    return _called(library.lots(), name, "lot")


def _plan(library: Library, name: str) -> Plan:
    return _called(library.plans(), name, "plan")


def _called(known: Sequence[Named], name: str, what: str) -> Named:
    """The one of that name, or the only one that has it in its name."""
    exact = [one for one in known if one.name.lower() == name.lower()]
    found = exact or [one for one in known if name.lower() in one.name.lower()]
    if len(found) != 1:
        several = ", ".join(one.name for one in found[:4])
        raise CouldNotError(f"No {what} is called {name!r}." if not found else f"Several {what}s are called so: {several}.")
    return found[0]


def _waiting(library: Library, number: str) -> waiting.Waiting:
    found = next((one for one in waiting.queue(library) if one.number == number.zfill(4)), None)
    if found is None:
        raise CouldNotError(f"No batch {number} waits.")
    return found


def _facts(given: tuple[str, ...]) -> dict[str, Any]:
    """FIELD=VALUE as typed, each turned into what the field holds."""
    found: dict[str, Any] = {}
    for pair in given:
        name, equals, value = pair.partition("=")
        word = name.strip().replace("-", "_")
        meant = [word] if word in SET else [field for field in SET if word and field.startswith(f"{word}_")]
        if not equals or len(meant) != 1:
            raise CouldNotError(f"{pair!r} is no fact of a lot: write FIELD=VALUE, with one of {', '.join(SET)}.")
        name, kind, text = meant[0], SET[meant[0]], value.strip()
        if kind == "str":
            found[name] = text
            continue
        try:
            found[name] = None if not text else int(text) if "int" in str(kind) else as_number(text)
        except ValueError:
            raise CouldNotError(f"{name} is to be a number, not {text!r}.") from None
    return found


def _lot_document(lot: Lot) -> dict[str, Any]:
    return {field.name: getattr(lot, field.name) for field in fields(Lot)}


def _handling(sheet: LotSheet) -> dict[str, Any] | None:
    told = sheet.handling
    if told is None:
        return None
    return {
        "machine": sheet.machine, "charge_c": round(told.charge_c, 1), "charge_sd_c": round(told.charge_sd_c, 1),
        "early_heat": round(told.early_heat, 3), "load_kg": told.load_kg, "why": [reason.words for reason in told.reasons],
    }  # fmt: skip


def _waiting_document(one: waiting.Waiting) -> dict[str, Any]:
    return {
        "number": one.number, "plan": one.plan.name, "version": one.plan.version, "lot": one.lot or None,
        "machine": one.machine or None, "load_kg": one.load_kg, "labelled": one.printed, "weighed": one.weighed,
    }  # fmt: skip


def _say_waiting(found: list[waiting.Waiting], as_json: bool) -> None:
    if as_json:
        say_json([_waiting_document(one) for one in found])
    for one in found if not as_json else ():
        load = f"{one.load_kg:g} kg" if one.load_kg else "load not told"
        click.echo(f"{one.number}  {one.plan.name}  {load}  {one.machine}")
    if not found and not as_json:
        click.echo("Nothing waits.")


def _say_lot(lot: Lot, as_json: bool, words: str) -> None:
    if as_json:
        say_json(_lot_document(lot))
    else:
        click.echo(words)


def _say_plan(plan: Plan, as_json: bool, words: str) -> None:
    if as_json:
        say_json(plan_to_document(plan) | {"id": plan.id})
    else:
        click.echo(words)
