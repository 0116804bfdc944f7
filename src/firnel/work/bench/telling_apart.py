"""Triangle and paired tests: whether tasters tell two batches apart."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import cast

import numpy as np

from firnel.core.cup.difference import Test, Verdict, judge
from firnel.core.cup.serving import draw_codes, paired_servings, triangle_servings
from firnel.core.words import capital, tr
from firnel.store.bench_book import TableSet
from firnel.store.library import Library
from firnel.work.bench.cupping import with_document

__all__ = ["TableSet", "answer", "set_test", "verdict"]


def set_test(
    library: Library,
    kind: Test,
    first: int,
    second: int,
    tasters: Sequence[str],
    at: datetime,
    seed: int | None = None,
    sides: int | None = None,
) -> TableSet:
    """Set a triangle or a paired test of two batches: one serving for each taster named (a name may stand often).

    Parameters
    ----------
    first, second : batches; a paired test counts how often the second is chosen.
    sides : of a paired test, 2 unless it is said beforehand that the second has more.

    Raises
    ------
    ValueError : if the batches are one, or nobody tastes.
    """
    people = [person.strip() for person in tasters if person.strip()]
    if first == second:
        raise ValueError(tr("a batch cannot be told apart from itself."))
    rng = np.random.default_rng(seed)
    kinds = (triangle_servings if kind == "triangle" else paired_servings)(len(people), rng)
    codes = list(draw_codes(len(kinds) * len(kinds[0]), rng))
    servings = [
        {"taster": person, "order": order, "codes": [codes.pop() for _ in order], "answer": None}
        for person, order in zip(people, kinds, strict=True)
    ]
    sides_of = sides if sides is not None else 2 if kind == "paired" else 1
    labels = [library.batch(key).label for key in (first, second)]
    name = tr("{}: {} and {}", capital(kind), labels[0], labels[1])
    return library.bench_book.save(TableSet(kind, name, at, {"a": first, "b": second, "servings": servings, "sides": sides_of}))


def answer(library: Library, table: TableSet, index: int, code: str | None) -> TableSet:
    """Take down an answer: the code of the odd cup (triangle), or of the one with more of what was asked (paired); None again.

    Raises
    ------
    ValueError : if the test is revealed, or the code was not served to this taster.
    """
    if table.revealed:
        raise ValueError(tr("{} is revealed: answers are not changed any more.", table.name))
    servings = [dict(serving) for serving in table.document["servings"]]
    if code is not None and code not in servings[index]["codes"]:
        raise ValueError(tr("{} was not served to {}.", code, servings[index]["taster"]))
    servings[index]["answer"] = code
    return library.bench_book.save(with_document(table, {**table.document, "servings": servings}))


def verdict(table: TableSet) -> Verdict | None:
    """What the answers say; None while there are none. A paired test counts how often B was chosen."""
    given = [serving for serving in table.document["servings"] if serving["answer"] is not None]
    if not given:
        return None
    correct = 0
    for serving in given:
        order = serving["order"]
        odd = "B" if table.kind == "paired" else next(letter for letter in "AB" if order.count(letter) == 1)
        correct += order[serving["codes"].index(serving["answer"])] == odd
    return judge(cast(Test, table.kind), len(given), correct, table.document.get("sides", 1))
