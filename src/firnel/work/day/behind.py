"""All that stands behind a coffee that is looked at: its lots and plans, what they give, and what it is cupped against."""

from __future__ import annotations

from dataclasses import dataclass

from firnel.core.day.coffee import Blending, Coffee
from firnel.core.plan import Plan
from firnel.store.library import Library
from firnel.work.bench.mixes import mix_words, reference_of
from firnel.work.day.shelf_stock import BlendFacts, blend_facts
from firnel.work.day.succession import followers


@dataclass(frozen=True)
class Behind:
    """What a coffee costs and can give; the mix that a blend of roasted coffee is held against, in words; lots with those
    that take their place; and the lots and plans that a coffee can be made of."""

    facts: BlendFacts
    reference: str | None
    follows: tuple[tuple[str, str], ...]
    lots: tuple[str, ...]
    plans: tuple[Plan, ...]


def mixed_after(coffee: Coffee) -> bool:
    """Whether it is a blend that is mixed after the roast."""
    return coffee.blend and coffee.blending is Blending.ROASTED


def behind(library: Library, coffee: Coffee) -> Behind:
    """Look at what stands behind a coffee."""
    reference = reference_of(library, coffee.name) if mixed_after(coffee) else None
    return Behind(
        blend_facts(library, coffee),
        None if reference is None else mix_words(library, reference),
        tuple(followers(library, coffee)),
        tuple(lot.name for lot in library.lots() if not lot.archived and not lot.sample),
        tuple(plan for plan in library.plans() if not plan.archived and plan.machine_id is not None),
    )
