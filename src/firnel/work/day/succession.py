"""When a lot runs out: the one that takes its place in a coffee, by plans of its own, with what its handling changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from firnel.core.day.coffee import check_coffee
from firnel.core.plan import Plan
from firnel.core.vocabulary import Lot, Machine
from firnel.core.words import tr
from firnel.store.library import Library
from firnel.store.writing import ChangedMeanwhileError
from firnel.work.day import orders as shop
from firnel.work.day.orders import Coffee, CoffeeError
from firnel.work.plan.planning import CannotSolveError, for_lot, solve_plan


@dataclass(frozen=True)
class Succeeded:
    """A coffee with a lot in the place of another, and what is to be said of it."""

    coffee: Coffee
    lot: str
    follows: str
    said: tuple[str, ...]


def followers(library: Library, coffee: Coffee) -> list[tuple[str, str]]:
    """Lots of a coffee with the one that says of itself that it takes their place, where that is there and has green."""
    lots = [lot for lot in library.lots() if not lot.archived and not lot.sample]
    found = []
    for part in coffee.components:
        follows = next((lot for lot in lots if lot.replaces == part.lot and lot.on_hand_kg != 0.0), None)
        if follows is not None and all(one.lot != follows.name for one in coffee.components):
            found.append((part.lot, follows.name))
    return found


def let_follow(library: Library, coffee: Coffee, lot: str, today: date, follows: str | None = None) -> Succeeded:
    """Let a lot take the place of another in a coffee; each plan of that one gets one for the new lot, kept and solved.

    Parameters
    ----------
    coffee : as it was read.
    lot : that runs out.
    today : for the age of the green.
    follows : the lot that takes its place; the one that says so of itself if None.

    Raises
    ------
    CoffeeError : if there is no such lot in the coffee, or none that follows.
    ChangedMeanwhileError : if another has changed the coffee since it was read.
    """
    part = next((one for one in coffee.components if one.lot == lot), None)
    if part is None:
        raise CoffeeError(tr("{} has no {!r} in it.", coffee.name, lot))
    named = follows or dict(followers(library, coffee)).get(lot)
    new = next((one for one in library.lots() if one.name == named), None)
    if new is None:
        raise CoffeeError(tr("no lot says that it takes the place of {}: name one.", lot))
    check_coffee(
        replace(coffee, components=tuple(replace(one, lot=new.name) if one is part else one for one in coffee.components))
    )
    if all(one != coffee for one in shop.coffees(library)):  # before any plan is made for it
        raise ChangedMeanwhileError(tr("Somebody else has changed {} meanwhile: look at it again, then decide.", coffee.name))
    plans, machines = library.plans(), {machine.id: machine for machine in library.machines()}
    said, keys = [], []
    for plan in (one for one in plans if one.id in part.plans):
        made, words = _plan_for(library, plan, new, machines.get(plan.machine_id), plans, today)
        said.append(words)
        keys.append(made.id or 0)
    components = tuple(replace(one, lot=new.name, plans=tuple(keys)) if one is part else one for one in coffee.components)
    kept = shop.keep_coffee(library, replace(coffee, components=components))
    said += shop.misfits_of(library, kept)
    return Succeeded(kept, lot, new.name, tuple(said))


def _plan_for(
    library: Library, plan: Plan, lot: Lot, machine: Machine | None, plans: Sequence[Plan], today: date
) -> tuple[Plan, str]:
    """The newest plan that the lot has for this already, or the old one moved by its handling."""
    alike = [
        one for one in plans
        if one.lot_id == lot.id and one.machine_id == plan.machine_id and one.purpose == plan.purpose and not one.archived
    ]  # fmt: skip
    if alike:
        return alike[-1], tr("{} is there already.", alike[-1].name)
    name = plan.name.replace(plan.lot, lot.name) if plan.lot and plan.lot in plan.name else f"{plan.name}, {lot.name}"
    if machine is None:
        fresh, why = replace(plan, lot=lot.name, lot_id=lot.id), tr("The targets of {}, for {}.", plan.name, lot.name)
    else:
        fresh, why = for_lot(library, machine, plan, lot, today)
    fresh = replace(fresh, id=None, name=name, version=1, curve=None)
    if machine is not None:
        try:
            fresh = replace(solve_plan(library, machine, fresh).plan, id=None)
        except CannotSolveError as error:
            why += tr(" Its moves are those of {}: {}", plan.name, error)
    return library.save_plan(fresh, tr("takes the place of {}", plan.name)), f"{name}: {why}"
