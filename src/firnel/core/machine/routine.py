"""A machine's routines as steps: the checks before a charge, and what is done between two batches.

They are kept in the house's own words, with a semicolon or a new line between two steps; a step may begin with the moment it
falls due, as in ``0:20 gas held low``, counted from the drop.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from firnel.core.vocabulary import Machine
from firnel.core.words import capital, tr

#: Where a machine has no checks of its own; common practice, no published source. The maker's manual comes first.
USUAL_CHECKS = tr("draft right; chaff collector empty; tray fan and stirrer on; extinguisher at hand, CO alarm on")
#: Where a machine has no routine of its own; common practice, no published source.
USUAL_BETWEEN = tr("0:00 air low, drum empty; 0:20 heat held low; 3:00 down to the charge reading")
_MOMENT = re.compile(r"^(\d{1,2}):([0-5]\d)\s+")


@dataclass(frozen=True)
class RoutineStep:
    """One step; ``at_s`` after the drop [s], None where it has no moment."""

    text: str
    at_s: float | None = None


def steps_of(text: str) -> tuple[RoutineStep, ...]:
    """The steps of a routine; empty for a text without any."""
    steps = []
    for part in re.split(r"[;\n]", text):
        words = part.strip()
        found = _MOMENT.match(words)
        at_s = 60.0 * int(found[1]) + int(found[2]) if found else None
        words = words[found.end() :].strip() if found else words
        if words:
            steps.append(RoutineStep(capital(words), at_s))
    return tuple(steps)


def checks_of(machine: Machine | None) -> tuple[RoutineStep, ...]:
    """What is checked before a charge: short, and the machine's own where it has any."""
    return steps_of(machine.checks if machine is not None else "") or steps_of(USUAL_CHECKS)


def between_of(machine: Machine | None) -> tuple[RoutineStep, ...]:
    """What is done between two batches."""
    return steps_of(machine.between if machine is not None else "") or steps_of(USUAL_BETWEEN)
