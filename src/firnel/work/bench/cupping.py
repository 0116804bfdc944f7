"""Tables set for cuppers and tasters: codes and orders drawn, notes and scores taken blind, results only at the end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import numpy as np

from firnel.core.cup.agreement import Agreement, agreement
from firnel.core.cup.scores import Defects, Form, check_part, parts_of, range_of, score
from firnel.core.cup.serving import balanced_orders, draw_codes
from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr
from firnel.store.bench_book import TableSet
from firnel.store.library import Library, NotInLibraryError
from firnel.work.bench.mixes import Mix, label_of, mix_from, mix_words
from firnel.work.review.references import reference_key

__all__ = [
    "STAGES", "USUAL_CUPS", "Coffee", "Result", "TableSet", "coffees_of", "cup_scores", "cup_words", "enter",
    "entry_of", "leave", "missing", "parts_for", "reprint_codes", "results", "reveal", "score_of",
    "set_table", "with_document", "with_references",
]  # fmt: skip

#: When notes are taken, in their order.
STAGES = ("dry", "wet", "break", "hot", "warm", "cool")
#: Cups of each coffee: two for production, five for grading; common practice, no published source.
USUAL_CUPS = 2


@dataclass(frozen=True)
class Coffee:
    """One coffee on a table: its batch (of a blend the first), code, whether it is the reference, and what it is mixed of."""

    batch_id: int
    code: str
    reference: bool = False
    mix: Mix | None = None


@dataclass(frozen=True)
class Part:
    """One part of the form of a coffee: its mean and spread over the cuppers, and the range that it is drawn over."""

    name: str
    mean: float | None
    spread: float | None
    low: float
    high: float


@dataclass(frozen=True)
class Result:
    """What a coffee came to: score (mean, spread over cuppers, how many), rank, the words said of it, each as often; parts."""

    coffee: Coffee
    label: str
    score: float | None
    spread: float | None
    cuppers: int
    rank: int | None
    words: tuple[str, ...]
    parts: tuple[Part, ...] = ()


# Cuppings


def with_references(library: Library, batch_ids: Sequence[int]) -> list[int]:
    """The batches, and the references of their plans: there is no judging without one on the table."""
    plans = {plan.name: plan for plan in library.plans()}
    found, planned = list(dict.fromkeys(batch_ids)), _planned(library, batch_ids)
    for key in batch_ids:
        reference = reference_key(library, plans.get(planned[key]))
        if reference is not None and reference not in found:
            found.append(reference)
    return found


def _planned(library: Library, keys: Sequence[int]) -> dict[int, str]:
    """The names of the plans of batches, by id.

    Raises
    ------
    NotInLibraryError : if a batch is not there.
    """
    planned = library.batch_list.plans(keys)
    if (missing := next((key for key in keys if key not in planned), None)) is not None:
        raise NotInLibraryError(tr("There is no batch with id {} in this library.", missing))
    return planned


def set_table(
    library: Library,
    name: str,
    batch_ids: Sequence[int],
    cuppers: Sequence[str],
    at: datetime,
    form: Form = "attributes",
    cups: int = USUAL_CUPS,
    seed: int | None = None,
    mixed: Sequence[Mix] = (),
) -> TableSet:
    """Set a table and keep it.

    Parameters
    ----------
    batch_ids, mixed : batches, and blends of several, that are cupped.
    cuppers : by name.

    Raises
    ------
    ValueError : if there is nobody or nothing to cup, or a name stands twice.
    """
    keys, people = list(dict.fromkeys(batch_ids)), [person.strip() for person in cuppers if person.strip()]
    if not (keys or mixed) or not people:
        raise ValueError(tr("a table needs at least one coffee and one cupper."))
    if len(set(people)) < len(people):
        raise ValueError(tr("two cuppers have the same name: tell them apart."))
    if not 1 <= cups <= 10:
        raise ValueError(tr("{} cups of each coffee: 1 to 10.", cups))
    rng = np.random.default_rng(seed)
    plans = {plan.name: plan for plan in library.plans()}
    planned = _planned(library, keys)
    references = {reference_key(library, plans.get(planned[key])) for key in keys}
    codes = draw_codes(len(keys) + len(mixed), rng)
    coffees: list[dict[str, Any]] = [{"batch": key, "reference": key in references} for key in keys]
    coffees += [{"batch": mix.parts[0][0], "reference": mix.reference, "mix": mix.document()} for mix in mixed]
    coffees = [coffee | {"code": code} for coffee, code in zip(coffees, codes, strict=True)]
    orders = balanced_orders(len(coffees), len(people), rng)
    document = {
        "form": form, "cups": cups, "coffees": coffees, "cuppers": people,
        "orders": {person: [codes[index] for index in order] for person, order in zip(people, orders, strict=True)},
        "entries": {}, "left": [],
    }  # fmt: skip
    return library.bench_book.save(TableSet("cupping", name or tr("Cupping"), at, document))


def coffees_of(table: TableSet) -> list[Coffee]:
    """The coffees of a table, by code: who looks at them must not see the order in which they were chosen."""
    found = [
        Coffee(
            entry["batch"],
            entry["code"],
            entry["reference"],
            mix_from(entry["mix"], entry["reference"]) if "mix" in entry else None,
        )
        for entry in table.document["coffees"]
    ]
    return sorted(found, key=lambda coffee: coffee.code)


def entry_of(table: TableSet, cupper: str, code: str) -> dict[str, Any]:
    """What a cupper has entered for a code: scores, defects and words by stage."""
    kept: dict[str, Any] = table.document["entries"].get(cupper, {}).get(code, {})
    return {"scores": {}, "light": 0, "heavy": 0, "words": {}} | kept


def enter(library: Library, /, table: TableSet, cupper: str, code: str, **values: Any) -> TableSet:
    """Take down scores, defects or words of one cupper for one code; the table as it is kept then.

    Raises
    ------
    ValueError : if the table is revealed, nobody of that name cups, there is no such code, or a score is none of the form.
    """
    if table.id is None:
        raise ValueError(tr("this table is not kept."))

    def how(kept: TableSet) -> dict[str, Any]:
        document = kept.document
        if kept.revealed:
            raise ValueError(tr("{} is revealed: what was scored blind is not changed any more.", kept.name))
        if cupper not in document["cuppers"]:
            raise ValueError(tr("{!r} does not cup at {}.", cupper, kept.name))
        if code not in {coffee.code for coffee in coffees_of(kept)}:
            raise ValueError(tr("there is no code {} on this table.", code))
        entry = entry_of(kept, cupper, code) | values
        for part, value in entry["scores"].items():
            check_part(document["form"], part, value)
        score(document["form"], {}, Defects(entry["light"], entry["heavy"]), document["cups"])
        entries = {person: dict(codes) for person, codes in document["entries"].items()}
        entries.setdefault(cupper, {})[code] = entry
        return {**document, "entries": entries}

    return library.bench_book.change(table.id, how)


def leave(library: Library, table: TableSet, cupper: str) -> TableSet:
    """A cupper leaves half-way: what was entered stays, and counts where a coffee was scored whole."""
    if table.id is None:
        raise ValueError(tr("this table is not kept."))
    return library.bench_book.change(table.id, lambda kept: {**kept.document, "left": sorted({*kept.document["left"], cupper})})


def reprint_codes(table: TableSet) -> tuple[str, ...]:
    """The codes again, the same as were drawn: a lost slip is printed once more, never drawn anew."""
    return tuple(coffee.code for coffee in coffees_of(table))


def reveal(library: Library, table: TableSet) -> TableSet:
    """End the cupping: nothing is entered any more, and the results are told."""
    kept = library.bench_book.table(table.id) if table.id is not None else table
    return library.bench_book.save(TableSet(kept.kind, kept.name, kept.at, kept.document, True, kept.id))


def missing(table: TableSet) -> list[str]:
    """What is not scored whole yet, as ``Asha: 482, 517``; those who left are not waited for."""
    found = []
    for cupper in table.document["cuppers"]:
        if cupper in table.document["left"]:
            continue
        codes = [coffee.code for coffee in coffees_of(table) if score_of(table, cupper, coffee.code) is None]
        if codes:
            found.append(f"{cupper}: {', '.join(codes)}")
    return found


def score_of(table: TableSet, cupper: str, code: str) -> float | None:
    """The sum of one cupper for one code; None until every part is given."""
    document, entry = table.document, entry_of(table, cupper, code)
    return score(document["form"], entry["scores"], Defects(entry["light"], entry["heavy"]), document["cups"])


def results(library: Library, table: TableSet) -> tuple[list[Result], Agreement | None]:
    """What a revealed table came to, the best first, and how far the cuppers agreed.

    Raises
    ------
    ValueError : if it is not revealed.
    """
    if not table.revealed:
        raise ValueError(tr("{} is not revealed yet.", table.name))
    coffees, cuppers = coffees_of(table), table.document["cuppers"]
    sums = _sums(table)
    found = []
    for index, coffee in enumerate(coffees):
        known = sums[:, index][np.isfinite(sums[:, index])]
        words = tuple(
            word for person in cuppers for said in entry_of(table, person, coffee.code)["words"].values() for word in said
        )
        mean = float(known.mean()) if known.size else None
        spread = float(known.std(ddof=1)) if known.size > 1 else None
        label = label_of(library, coffee.batch_id) if coffee.mix is None else mix_words(library, coffee.mix)
        found.append(Result(coffee, label, mean, spread, int(known.size), None, words, _parts(table, coffee.code)))
    found.sort(key=lambda one: (one.score is None, -(one.score or 0.0)))
    ranked = [replace(one, rank=place) if one.score is not None else one for place, one in enumerate(found, start=1)]
    return ranked, agreement(sums)


def _sums(table: TableSet) -> FloatArray:
    """The sums of a table, shape (cuppers, coffees); NaN where one was not scored whole."""
    coffees, cuppers = coffees_of(table), table.document["cuppers"]
    given = [[score_of(table, person, coffee.code) for coffee in coffees] for person in cuppers]
    return np.array([[np.nan if one is None else one for one in row] for row in given], float)


def _parts(table: TableSet, code: str) -> tuple[Part, ...]:
    """Each part of the form for a code, over the cuppers who gave it."""
    form: Form = table.document["form"]
    low, high, _ = range_of(form, parts_of(form)[0])
    found = []
    for name in parts_of(form):
        given = [entry_of(table, person, code)["scores"].get(name) for person in table.document["cuppers"]]
        known = np.array([value for value in given if value is not None], float)
        mean = float(known.mean()) if known.size else None
        spread = float(known.std(ddof=1)) if known.size > 1 else None
        found.append(Part(name, mean, spread, low, high))
    return tuple(found)


def cup_scores(library: Library) -> dict[int, float]:
    """The mean score of every batch that was cupped on a revealed table."""
    found: dict[int, list[float]] = {}
    for table in library.bench_book.tables(("cupping",)):
        if table.revealed:
            for coffee, column in zip(coffees_of(table), _sums(table).T, strict=True):
                if coffee.mix is None and np.isfinite(column).any():
                    found.setdefault(coffee.batch_id, []).append(float(np.nanmean(column)))
    return {key: float(np.mean(scores)) for key, scores in found.items()}


def last_cupped(library: Library, coffee: str) -> str:
    """What a blend came to when it was last cupped, against its reference, in a sentence; empty where it never was."""
    for table in library.bench_book.tables(("cupping",)):
        told = results(library, table)[0] if table.revealed else []
        own = [one for one in told if one.coffee.mix is not None and one.coffee.mix.coffee == coffee and one.score is not None]
        for one in own:
            if one.coffee.reference:
                continue
            other = next((ref for ref in own if ref.coffee.reference), None)
            beside = tr(", its reference {:.2f}", other.score) if other is not None else tr(", without a reference")
            return tr("Last cupped on {:%-d %B}: {:.2f}{}.", table.at.astimezone(), one.score, beside)
    return ""


def cup_words(library: Library, batch_id: int) -> tuple[str, ...]:
    """All words said of a batch on revealed tables."""
    return tuple(
        word
        for table in library.bench_book.tables(("cupping",))
        if table.revealed
        for one in results(library, table)[0]
        if one.coffee.batch_id == batch_id and one.coffee.mix is None
        for word in one.words
    )


def with_document(table: TableSet, document: dict[str, Any]) -> TableSet:
    """The same table with other content."""
    return TableSet(table.kind, table.name, table.at, document, table.revealed, table.id)


def parts_for(table: TableSet) -> tuple[str, ...]:
    """What its form asks for."""
    return parts_of(table.document["form"])
