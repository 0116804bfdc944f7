"""Blends that are mixed after the roast, as they stand on the table: of which batches, and which mix is the reference."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from firnel.core.day.coffee import Blending, Coffee, Rest
from firnel.core.words import tr
from firnel.store.archive import BLEND_REFERENCE
from firnel.store.library import Library
from firnel.work.day import orders as shop

#: The kind of rest that is taken first: ready, then what is still too fresh, then what is past.
BEST_FIRST = (Rest.READY, Rest.FRESH, Rest.PAST)


@dataclass(frozen=True)
class Mix:
    """A blend in a cup: the coffee, and its batches with their shares of the roasted weight."""

    coffee: str
    parts: tuple[tuple[int, float], ...]
    reference: bool = False

    def document(self) -> dict[str, Any]:
        """As it is kept."""
        return {"coffee": self.coffee, "parts": [[key, share] for key, share in self.parts]}


def mix_words(library: Library, mix: Mix) -> str:
    """``House blend: 0431 60 % + 0433 40 %``."""
    parts = " + ".join(tr("{} {:.0f} %", label_of(library, key), 100 * share) for key, share in mix.parts)
    return f"{mix.coffee}: {parts}"


def mix_from(document: Mapping[str, Any], reference: bool = False) -> Mix:
    """A mix as it was kept."""
    return Mix(str(document["coffee"]), tuple((int(key), float(share)) for key, share in document["parts"]), reference)


def mix_of(library: Library, coffee: Coffee, today: date) -> Mix:
    """The blend as it would be mixed now: of each lot the batch on the shelf that is best to drink.

    Raises
    ------
    ValueError : if it is no blend that is mixed after the roast, or a lot of it is not on the shelf.
    """
    if not coffee.blend or coffee.blending is not Blending.ROASTED:
        raise ValueError(tr("{} is not mixed after the roast.", coffee.name))
    stock, parts = shop.stock_of(library), []
    for part in coffee.components:
        own = [
            (key, one)
            for key, one in stock
            if one.lot == part.lot and (one.plan is None or not part.plans or one.plan in part.plans) and one.kg > 0.0
        ]
        if not own:
            raise ValueError(tr("{}: no {} is on the shelf.", coffee.name, part.lot))
        best = min(
            own, key=lambda pair: (BEST_FIRST.index(coffee.rest((today - pair[1].roasted).days)), -pair[1].roasted.toordinal())
        )
        parts.append((best[0], part.share))
    return Mix(coffee.name, tuple(parts))


def on_offer(library: Library, today: date) -> list[tuple[Mix, str]]:
    """Every blend that can be mixed now from what is on the shelf, with its words."""
    found = []
    for coffee in shop.coffees(library):
        if coffee.blend and coffee.blending is Blending.ROASTED:
            try:
                mix = mix_of(library, coffee, today)
            except ValueError:
                continue  # a lot of it is not on the shelf: there is nothing to cup
            found.append((mix, mix_words(library, mix)))
    return found


def reference_of(library: Library, coffee: str) -> Mix | None:
    """The mix that a blend is held against; None where the house has chosen none."""
    document = library.house(_kept_as(library, coffee))
    return mix_from(document, reference=True) if document else None


def keep_reference(library: Library, mix: Mix) -> Mix | None:
    """What comes later of this blend is held against this mix; returns the reference there was."""
    before = reference_of(library, mix.coffee)
    library.save_house(_kept_as(library, mix.coffee), mix.document())
    return before


def with_references(library: Library, chosen: list[Mix]) -> list[Mix]:
    """The mixes, and the references of their blends: there is no judging without one on the table."""
    found = list(chosen)
    for mix in chosen:
        reference = reference_of(library, mix.coffee)
        if reference is not None:
            same = next((one for one in found if one.coffee == mix.coffee and one.parts == reference.parts), None)
            if same is not None:
                found[found.index(same)] = reference
            else:
                found.append(reference)
    return found


def _kept_as(library: Library, coffee: str) -> str:
    key = next((one.id for one in library.order_book.coffees() if one.name == coffee), None)
    return f"{BLEND_REFERENCE}{key}"


def label_of(library: Library, key: int) -> str:
    """The label of a batch; of one that is gone its number."""
    return library.batch_list.labels([key]).get(key) or tr("batch {}, deleted", key)
