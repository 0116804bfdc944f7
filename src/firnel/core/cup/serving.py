"""Blind serving: three-digit codes, and orders in which no coffee has an advantage."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import permutations

import numpy as np

from firnel.core.words import tr

#: Codes that mean something to somebody are not drawn.
AVOIDED = frozenset({100, 111, 123, 200, 222, 300, 321, 333, 400, 444, 500, 555, 600, 666, 700, 777, 800, 888, 900, 999})
#: The six servings of a triangle test.
TRIANGLES = ("AAB", "ABA", "BAA", "ABB", "BAB", "BBA")


def draw_codes(count: int, rng: np.random.Generator, taken: Sequence[str] = ()) -> tuple[str, ...]:
    """Three-digit codes that differ, none of them taken already.

    Raises
    ------
    ValueError : if there are not so many.
    """
    free = [number for number in range(100, 1000) if number not in AVOIDED and str(number) not in set(taken)]
    if not 0 <= count <= len(free):
        raise ValueError(tr("{} codes cannot be drawn: {} are free.", count, len(free)))
    return tuple(str(free[index]) for index in rng.permutation(len(free))[:count])


def balanced_orders(coffees: int, cuppers: int, rng: np.random.Generator) -> list[tuple[int, ...]]:
    """An order of serving for each cupper: every coffee comes equally often at every place and after every other.

    After Williams, Aust. J. Sci. Res. A 2 (1949) 149: one square for an even number, two mirrored ones for an odd number.

    Raises
    ------
    ValueError : if there is nothing to serve or nobody to serve.
    """
    if coffees < 1 or cuppers < 1:
        raise ValueError(tr("{} coffees cannot be served to {} cuppers.", coffees, cuppers))
    first = [0]
    for step in range(1, coffees):
        first.append((coffees - (step // 2)) % coffees if step % 2 == 0 else (step + 1) // 2)
    rows = [tuple((place + shift) % coffees for place in first) for shift in range(coffees)]
    if coffees % 2:
        rows += [tuple(reversed(row)) for row in rows]
    names = rng.permutation(coffees)  # which coffee is which is drawn anew each time
    dealt = [rows[index] for index in rng.permutation(len(rows))]
    return [tuple(int(names[place]) for place in dealt[number % len(dealt)]) for number in range(cuppers)]


def triangle_servings(answers: int, rng: np.random.Generator) -> list[str]:
    """Servings of a triangle test: the six kinds equally often, in a drawn order.

    Raises
    ------
    ValueError : if nobody answers.
    """
    return _even(TRIANGLES, answers, rng)


def paired_servings(answers: int, rng: np.random.Generator) -> list[str]:
    """Servings of a paired test: each coffee first equally often.

    Raises
    ------
    ValueError : if nobody answers.
    """
    return _even(tuple("".join(pair) for pair in permutations("AB")), answers, rng)


def _even(kinds: Sequence[str], answers: int, rng: np.random.Generator) -> list[str]:
    if answers < 1:
        raise ValueError(tr("{} servings are no test.", answers))
    found: list[str] = []
    while len(found) < answers:
        found += [kinds[index] for index in rng.permutation(len(kinds))]
    return found[:answers]
